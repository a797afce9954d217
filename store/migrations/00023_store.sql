-- +goose Up

-- How often eggs in store are tilted, and how long washed ones dry before they may be set.
alter table farms
  add column tilts     integer not null default 1 check (tilts between 0 and 6),
  add column dry_hours integer not null default 0 check (dry_hours between 0 and 48);

-- When the females of a pen hatched, where they are of one age.
alter table pens add column hens_hatched_on date;

-- Eggs that were taken out of the store: why, and to whom.
create table egg_outs (
  farm_id   bigint not null references farms,
  id        bigint generated always as identity,
  at        timestamptz not null,
  why       text not null check (why in ('eaten', 'sold', 'given away', 'broken', 'old', 'other')),
  who       text not null default '' check (length(who) <= 60),
  price     double precision check (price between 0 and 100000), -- of all together
  person_id bigint references people,
  primary key (farm_id, id)
);
create index egg_outs_at on egg_outs (farm_id, at desc);
alter table eggs
  add column out_id bigint,
  add foreign key (farm_id, out_id) references egg_outs (farm_id, id);
create index eggs_of_out on eggs (farm_id, out_id) where out_id is not null;
alter table egg_outs enable row level security;
create policy farm_wall on egg_outs to metrogon_farm
  using (farm_id = (select nullif(current_setting('app.farm_id', true), '')::bigint));
grant select, insert, update, delete on egg_outs to metrogon_farm;

-- +goose Up

-- What somebody means to do otherwise with the next batches of a kind, and of which batch that was learnt.
create table next_times (
  farm_id   bigint not null references farms,
  id        bigint generated always as identity,
  species   text not null,
  says      text not null check (length(says) between 1 and 200),
  batch_id  bigint not null,
  at        timestamptz not null,
  until_at  timestamptz, -- it was given up, or is habit by now
  person_id bigint references people,
  primary key (farm_id, id),
  foreign key (farm_id, batch_id) references batches (farm_id, id) on delete cascade,
  constraint next_times_until_check check (until_at >= at)
);
create unique index next_times_once on next_times (farm_id, species, says) where until_at is null;
alter table next_times enable row level security;
create policy farm_wall on next_times to metrogon_farm
  using (farm_id = (select nullif(current_setting('app.farm_id', true), '')::bigint));
grant select, insert, update, delete on next_times to metrogon_farm;

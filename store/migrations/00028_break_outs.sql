-- +goose Up

-- What an egg that did not hatch showed on opening, beside its stage.
create table break_outs (
  farm_id   bigint not null references farms,
  egg_id    bigint not null,
  at        timestamptz not null,
  findings  text[] not null default '{}' check (
    findings <@ array[
      'inside', 'small-end', 'left-wing', 'away', 'yolk-out', 'wet', 'dry', 'blood', 'smells', 'white-spot'
    ]
  ),
  person_id bigint references people,
  primary key (farm_id, egg_id),
  foreign key (farm_id, egg_id) references eggs (farm_id, id) on delete cascade
);
alter table break_outs enable row level security;
create policy farm_wall on break_outs to metrogon_farm
  using (farm_id = (select nullif(current_setting('app.farm_id', true), '')::bigint));
grant select, insert, update, delete on break_outs to metrogon_farm;

-- +goose Up

-- What the farm wants to have at hand before lockdown, or before a hatch.
create table supplies (
  farm_id  bigint not null references farms,
  id       bigint generated always as identity,
  says     text not null check (length(says) between 1 and 100),
  before   text not null check (before in ('lockdown', 'hatch')),
  species  text not null default '', -- of which kind; '': of any
  primary key (farm_id, id),
  unique (farm_id, before, species, says)
);
alter table supplies enable row level security;
create policy farm_wall on supplies to metrogon_farm
  using (farm_id = (select nullif(current_setting('app.farm_id', true), '')::bigint));
grant select, insert, update, delete on supplies to metrogon_farm;

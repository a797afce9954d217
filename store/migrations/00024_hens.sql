-- +goose Up

-- When a parcel is expected, and which machine is to be warm by the time that it has rested.
alter table parcels
  add column expected_on date,
  add column setter_id   bigint,
  add foreign key (farm_id, setter_id) references machines (farm_id, id);

-- Eggs that are to go from a machine under a broody hen once they were looked at.
create table swaps (
  farm_id  bigint not null references farms,
  id       bigint generated always as identity,
  hen_id   bigint not null,
  batch_id bigint not null,
  eggs     integer not null check (eggs between 1 and 40),
  primary key (farm_id, id),
  foreign key (farm_id, hen_id) references machines (farm_id, id),
  foreign key (farm_id, batch_id) references batches (farm_id, id) on delete cascade
);
create index swaps_of_hen on swaps (farm_id, hen_id);
alter table swaps enable row level security;
create policy farm_wall on swaps to metrogon_farm
  using (farm_id = (select nullif(current_setting('app.farm_id', true), '')::bigint));
grant select, insert, update, delete on swaps to metrogon_farm;

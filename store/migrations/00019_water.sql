-- +goose Up

-- Water poured into a machine, and when it was found dry.
create table machine_water (
  farm_id    bigint not null references farms,
  id         bigint generated always as identity,
  machine_id bigint not null,
  at         timestamptz not null,
  kind       text not null check (kind in ('full', 'some', 'dry')),
  ml         double precision check (ml between 1 and 50000),
  person_id  bigint references people,
  primary key (farm_id, id),
  foreign key (farm_id, machine_id) references machines (farm_id, id)
);
create index machine_water_of_machine on machine_water (farm_id, machine_id, at desc, id desc);
alter table machine_water enable row level security;
create policy farm_wall on machine_water to metrogon_farm
  using (farm_id = (select nullif(current_setting('app.farm_id', true), '')::bigint));
grant select, insert, update, delete on machine_water to metrogon_farm;

alter table machines add column water_ml integer not null default 0
  constraint machines_water_ml_check check (water_ml between 0 and 50000); -- that it holds; 0: not known

-- +goose Up

-- What a machine was set to: the air that its eggs are to have, which its own display may show otherwise.
create table machine_air (
  farm_id    bigint not null references farms,
  id         bigint generated always as identity,
  machine_id bigint not null,
  at         timestamptz not null,
  temp_c     double precision check (temp_c between 20 and 42),
  rh_pct     double precision check (rh_pct between 5 and 95),
  person_id  bigint references people,
  primary key (farm_id, id),
  foreign key (farm_id, machine_id) references machines (farm_id, id),
  constraint machine_air_something check (temp_c is not null or rh_pct is not null)
);
create index machine_air_of_machine on machine_air (farm_id, machine_id, at desc, id desc);
alter table machine_air enable row level security;
create policy farm_wall on machine_air to metrogon_farm
  using (farm_id = (select nullif(current_setting('app.farm_id', true), '')::bigint));
grant select, insert, update, delete on machine_air to metrogon_farm;

-- +goose Up

-- One egg may be weighed, and instead of a weight an air cell may be read.
alter table weighings
  alter column mass_g drop not null,
  add column egg_id   bigint,
  add column cell_pct double precision check (cell_pct between 0 and 60), -- of the egg's volume
  add foreign key (farm_id, egg_id) references eggs (farm_id, id),
  add check ((mass_g is null) <> (cell_pct is null)),
  add check (egg_id is null or (tray_id is null and eggs = 1));

-- What a scale sent: one row each time that something was put on it.
alter table farms
  add column scale_key text unique,
  add column out_calls text[] not null default '{clear,ring,quit,bad}'; -- eggs called so are taken out
create table readings (
  farm_id bigint not null references farms,
  id      bigint generated always as identity,
  at      timestamptz not null,
  mass_g  double precision not null check (mass_g between 0.1 and 200000),
  primary key (farm_id, id)
);

-- What a machine's humidity did after something was changed.
create table responses (
  farm_id    bigint not null references farms,
  id         bigint generated always as identity,
  machine_id bigint not null,
  at         timestamptz not null,
  what       text not null check (length(what) between 1 and 60),
  from_pct   double precision not null check (from_pct between 1 and 100),
  to_pct     double precision not null check (to_pct between 1 and 100),
  minutes    integer not null check (minutes between 1 and 1440),
  primary key (farm_id, id),
  foreign key (farm_id, machine_id) references machines (farm_id, id)
);
create index responses_of_machine on responses (farm_id, machine_id, at desc);

-- +goose StatementBegin
do $$ declare t text; begin
  foreach t in array array['readings', 'responses'] loop
    execute format('alter table %I enable row level security', t);
    execute format('create policy farm_wall on %I to metrogon_farm
      using (farm_id = (select nullif(current_setting(''app.farm_id'', true), '''')::bigint))', t);
    execute format('grant select, insert, update, delete on %I to metrogon_farm', t);
  end loop;
end $$;
-- +goose StatementEnd

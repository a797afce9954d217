-- +goose Up

-- Thermometers and hygrometers, and where they lie.
create table instruments (
  farm_id    bigint not null references farms,
  id         bigint generated always as identity,
  name       text not null check (length(name) between 1 and 60),
  thermo     boolean not null,
  hygro      boolean not null,
  machine_id bigint, -- in which it lies; null: elsewhere
  spot       text not null default '' check (length(spot) <= 60), -- shelf, room, store
  until_on   date,
  primary key (farm_id, id),
  unique (farm_id, name),
  foreign key (farm_id, machine_id) references machines (farm_id, id),
  constraint instruments_shows_check check (thermo or hygro)
);

-- What an instrument showed, and what was true.
create table instrument_checks (
  farm_id       bigint not null references farms,
  id            bigint generated always as identity,
  instrument_id bigint not null,
  of            text not null check (of in ('temperature', 'humidity')),
  how           text not null check (how in ('ice', 'clinical', 'salt', 'beside')),
  at            timestamptz not null,
  shown         double precision not null check (shown between -60 and 120),
  truth         double precision not null check (truth between -60 and 120),
  sure          double precision not null check (sure between 0 and 50), -- the truth is known within so much
  person_id     bigint references people,
  primary key (farm_id, id),
  foreign key (farm_id, instrument_id) references instruments (farm_id, id) on delete cascade
);
create index instrument_checks_of on instrument_checks (farm_id, instrument_id, at);

-- What was read in a machine: by an instrument, or on its own display; as it was shown, uncorrected.
create table machine_readings (
  farm_id       bigint not null references farms,
  id            bigint generated always as identity,
  machine_id    bigint not null,
  instrument_id bigint, -- null: the machine's own display
  at            timestamptz not null,
  temp_c        double precision check (temp_c between -40 and 60),
  rh_pct        double precision check (rh_pct between 0 and 100),
  wet           boolean not null default false, -- by a wet bulb, so that no correction of a hygrometer holds
  person_id     bigint references people,
  primary key (farm_id, id),
  foreign key (farm_id, machine_id) references machines (farm_id, id),
  foreign key (farm_id, instrument_id) references instruments (farm_id, id),
  constraint machine_readings_something_check check (temp_c is not null or rh_pct is not null)
);
create index machine_readings_of on machine_readings (farm_id, machine_id, at desc);

-- +goose StatementBegin
do $$ declare t text; begin
  foreach t in array array['instruments', 'instrument_checks', 'machine_readings'] loop
    execute format('alter table %I enable row level security', t);
    execute format('create policy farm_wall on %I to metrogon_farm
      using (farm_id = (select nullif(current_setting(''app.farm_id'', true), '''')::bigint))', t);
    execute format('grant select, insert, update, delete on %I to metrogon_farm', t);
  end loop;
end $$;
-- +goose StatementEnd

alter table journal_subjects drop constraint journal_subjects_kind_check;
alter table journal_subjects add constraint journal_subjects_kind_check check (kind in (
  'batch', 'pen', 'parcel', 'machine', 'place', 'person', 'order', 'planned', 'plan', 'season', 'bird',
  'brood', 'brooder', 'instrument'
));

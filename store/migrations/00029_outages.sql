-- +goose Up

-- A power cut: since when, until when, and how cold it was around the machines.
create table outages (
  farm_id   bigint not null references farms,
  id        bigint generated always as identity,
  from_at   timestamptz not null,
  to_at     timestamptz, -- null: the power is still away
  room_c    double precision not null check (room_c between -30 and 45),
  person_id bigint references people,
  primary key (farm_id, id),
  constraint outages_times_check check (to_at > from_at and to_at < from_at + interval '10 days')
);

-- The machines that it took, and what the eggs lay in.
create table outage_machines (
  farm_id    bigint not null references farms,
  outage_id  bigint not null,
  machine_id bigint not null,
  box        text not null check (box in ('bare', 'foam', 'cabinet')),
  primary key (farm_id, outage_id, machine_id),
  foreign key (farm_id, outage_id) references outages (farm_id, id) on delete cascade,
  foreign key (farm_id, machine_id) references machines (farm_id, id)
);

-- What the eggs themselves were read at meanwhile.
create table outage_readings (
  farm_id    bigint not null references farms,
  id         bigint generated always as identity,
  outage_id  bigint not null,
  machine_id bigint not null,
  at         timestamptz not null,
  egg_c      double precision not null check (egg_c between -5 and 45),
  primary key (farm_id, id),
  unique (farm_id, outage_id, machine_id, at),
  foreign key (farm_id, outage_id, machine_id)
    references outage_machines (farm_id, outage_id, machine_id) on delete cascade
);

-- What it did to a batch, as it was reckoned when the power was back.
create table outage_batches (
  farm_id    bigint not null references farms,
  outage_id  bigint not null,
  batch_id   bigint not null,
  machine_id bigint not null,
  eggs       integer not null check (eggs > 0),
  hours      double precision not null check (hours > 0),
  late_h     double precision not null check (late_h >= 0),
  risk       text not null check (risk in ('low', 'some', 'high')),
  look_on    date not null,
  primary key (farm_id, outage_id, batch_id),
  foreign key (farm_id, outage_id) references outages (farm_id, id) on delete cascade,
  foreign key (farm_id, batch_id) references batches (farm_id, id) on delete cascade,
  foreign key (farm_id, machine_id) references machines (farm_id, id)
);
create index outage_batches_of_batch on outage_batches (farm_id, batch_id);

-- By how many hours cold spells set a batch back in all.
alter table batches add column late_h double precision not null default 0
  constraint batches_late_h_check check (late_h between 0 and 240);

-- +goose StatementBegin
do $$ declare t text; begin
  foreach t in array array['outages', 'outage_machines', 'outage_readings', 'outage_batches'] loop
    execute format('alter table %I enable row level security', t);
    execute format('create policy farm_wall on %I to metrogon_farm
      using (farm_id = (select nullif(current_setting(''app.farm_id'', true), '''')::bigint))', t);
    execute format('grant select, insert, update, delete on %I to metrogon_farm', t);
  end loop;
end $$;
-- +goose StatementEnd

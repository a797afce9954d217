-- +goose Up

-- Where an instrument lay, and from when: what it told then is told of that machine.
create table instrument_stays (
  farm_id       bigint not null references farms,
  id            bigint generated always as identity,
  instrument_id bigint not null,
  machine_id    bigint, -- null: in no machine
  from_at       timestamptz not null,
  primary key (farm_id, id),
  unique (farm_id, instrument_id, from_at),
  foreign key (farm_id, instrument_id) references instruments (farm_id, id) on delete cascade,
  foreign key (farm_id, machine_id) references machines (farm_id, id)
);
insert into instrument_stays (farm_id, instrument_id, machine_id, from_at)
select farm_id, id, machine_id, '2000-01-01' from instruments;

-- An instrument that sends by itself.
create table probes (
  farm_id       bigint not null references farms,
  instrument_id bigint not null,
  digest        bytea unique,                      -- of the key under which it sends
  topic         text check (length(topic) <= 200), -- on which a broker has it
  made_at       timestamptz not null,
  primary key (farm_id, instrument_id),
  unique (farm_id, topic),
  foreign key (farm_id, instrument_id) references instruments (farm_id, id) on delete cascade
);

-- The broker from which a farm's probes are heard.
create table brokers (
  farm_id  bigint not null references farms,
  url      text not null check (length(url) <= 300),
  username text not null default '' check (length(username) <= 100),
  password text not null default '' check (length(password) <= 200),
  primary key (farm_id)
);

-- What probes told, as it was shown, uncorrected; kept exactly for three months and more.
create table samples (
  farm_id       bigint not null,
  instrument_id bigint not null,
  at            timestamptz not null,
  temp_c        real check (temp_c between -60 and 120),
  rh_pct        real check (rh_pct between 0 and 100),
  primary key (farm_id, instrument_id, at),
  constraint samples_something_check check (temp_c is not null or rh_pct is not null)
) partition by range (at);

-- The same summed by minutes, once the exact ones have gone; by hours and days, from the first moment.
create table sample_minutes (
  farm_id       bigint not null,
  instrument_id bigint not null,
  at            timestamptz not null,
  temps         int not null, -- how many temperatures
  temp_sum      double precision,
  temp_low      real,
  temp_top      real,
  rhs           int not null,
  rh_sum        double precision,
  rh_low        real,
  rh_top        real,
  primary key (farm_id, instrument_id, at)
) partition by range (at);

create table sample_hours (
  like sample_minutes including indexes,
  foreign key (farm_id, instrument_id) references instruments (farm_id, id)
);
create table sample_days (
  like sample_minutes including indexes, -- a day of UTC
  foreign key (farm_id, instrument_id) references instruments (farm_id, id)
);

-- +goose StatementBegin
-- Makes what months of a table are not there yet.
create function sample_months(of text, from_at timestamptz, to_at timestamptz) returns void
language plpgsql security definer set search_path = public, pg_temp set timezone = 'UTC' as $$
declare
  month timestamptz := date_trunc('month', from_at);
  part text;
begin
  if of not in ('samples', 'sample_minutes') or from_at < '2000-01-01' or to_at > now() + interval '100 years' then
    raise exception 'no such months';
  end if;
  while month <= to_at loop
    part := of || to_char(month, '_YYYY_MM');
    if to_regclass(part) is null then
      perform pg_advisory_xact_lock(734);
      execute format('create table if not exists %I partition of %I for values from (%L) to (%L)',
        part, of, month, month + interval '1 month');
      execute format('alter table %I enable row level security', part);
    end if;
    month := month + interval '1 month';
  end loop;
end $$;

-- Sums the exact samples of months that ended before a moment by minutes and lets them go; minutes that ended
-- before another go too. Hours and days stay.
create function sample_ageing(exact_until timestamptz, minutes_until timestamptz) returns int
language plpgsql security definer set search_path = public, pg_temp set timezone = 'UTC' as $$
declare
  part text;
  month timestamptz;
  gone int := 0;
begin
  if not pg_try_advisory_xact_lock(735) then
    return 0;
  end if;
  for part in
    select c.relname from pg_inherits i join pg_class c on c.oid = i.inhrelid
    where i.inhparent = 'samples'::regclass order by c.relname
  loop
    month := to_timestamp(right(part, 7), 'YYYY_MM');
    continue when month + interval '1 month' > exact_until;
    perform sample_months('sample_minutes', month, month);
    execute format($sql$
      insert into sample_minutes
      select farm_id, instrument_id, date_trunc('minute', at),
        count(temp_c), sum(temp_c::float8), min(temp_c), max(temp_c),
        count(rh_pct), sum(rh_pct::float8), min(rh_pct), max(rh_pct)
      from %I
      group by 1, 2, 3
      on conflict do nothing$sql$, part);
    execute format('drop table %I', part);
    gone := gone + 1;
  end loop;
  for part in
    select c.relname from pg_inherits i join pg_class c on c.oid = i.inhrelid
    where i.inhparent = 'sample_minutes'::regclass order by c.relname
  loop
    month := to_timestamp(right(part, 7), 'YYYY_MM');
    continue when month + interval '1 month' > minutes_until;
    execute format('drop table %I', part);
    gone := gone + 1;
  end loop;
  return gone;
end $$;
-- +goose StatementEnd
revoke all on function sample_months, sample_ageing from public;
grant execute on function sample_months to metrogon_farm, metrogon_serve;
grant execute on function sample_ageing to metrogon_serve;

-- What a farm wants to be woken for.
create table alarms (
  farm_id    bigint not null references farms,
  id         bigint generated always as identity,
  machine_id bigint,                                           -- null: each machine
  phase      text not null check (phase in ('any', 'turning', 'lockdown', 'empty')),
  what       text not null check (what in ('warm', 'cool', 'humid', 'dry', 'falls', 'silent')),
  bound      double precision not null check (bound between -40 and 120), -- °C, %, or by how much it falls
  delay_min  int not null check (delay_min between 1 and 1440),
  wakes      boolean not null default false,                   -- through quiet hours
  ended_at   timestamptz,
  primary key (farm_id, id),
  foreign key (farm_id, machine_id) references machines (farm_id, id)
);

create table alarm_rings (
  farm_id       bigint not null references farms,
  id            bigint generated always as identity,
  alarm_id      bigint not null,
  machine_id    bigint not null,
  instrument_id bigint not null,
  began_at      timestamptz not null, -- when it came to be so
  rang_at       timestamptz not null,
  ended_at      timestamptz,
  worst         double precision not null,
  seen_at       timestamptz,
  person_id     bigint references people, -- who saw it
  primary key (farm_id, id),
  foreign key (farm_id, alarm_id) references alarms (farm_id, id) on delete cascade,
  foreign key (farm_id, machine_id) references machines (farm_id, id),
  foreign key (farm_id, instrument_id) references instruments (farm_id, id)
);
create unique index alarm_rings_open on alarm_rings (farm_id, alarm_id, machine_id, instrument_id)
  where ended_at is null;
create index alarm_rings_at on alarm_rings (farm_id, rang_at desc);

-- What was found in the readings, until somebody says what it was.
create table incidents (
  farm_id       bigint not null references farms,
  id            bigint generated always as identity,
  machine_id    bigint not null,
  instrument_id bigint not null,
  kind          text not null check (kind in ('power', 'lid')),
  from_at       timestamptz not null,
  to_at         timestamptz, -- null: it goes on
  low_c         double precision not null,
  said          text check (said in ('so', 'not')), -- what somebody said of it
  primary key (farm_id, id),
  unique (farm_id, instrument_id, from_at),
  foreign key (farm_id, machine_id) references machines (farm_id, id),
  foreign key (farm_id, instrument_id) references instruments (farm_id, id)
);

-- How warm a batch was held beside what it wants, by the instruments in its setter, within what that is known, and over
-- how many days.
alter table batches
  add column offset_c double precision check (offset_c between -5 and 5),
  add column offset_sure double precision check (offset_sure between 0 and 5),
  add column offset_days double precision check (offset_days between 0 and 400),
  add column swing_c double precision check (swing_c between 0 and 40),           -- of nine hours in ten
  add column lock_rh_pct double precision check (lock_rh_pct between 0 and 100);  -- in lockdown
-- The humidity that its probes told over the last day, corrected.
alter table machines
  add column told_rh_pct double precision check (told_rh_pct between 0 and 100),
  add column told_rh_at timestamptz;

-- An instrument may lie where eggs wait; so many of the last 48 hours it was warm enough there for germs to grow.
alter table instruments
  add column place_id bigint,
  add foreign key (farm_id, place_id) references places (farm_id, id);
alter table places add column warm_h double precision check (warm_h between 0 and 48);

-- +goose StatementBegin
do $$ declare t text; begin
  foreach t in array array[
    'instrument_stays', 'probes', 'brokers', 'samples', 'sample_minutes', 'sample_hours', 'sample_days', 'alarms',
    'alarm_rings', 'incidents'
  ] loop
    execute format('alter table %I enable row level security', t);
    execute format('create policy farm_wall on %I to metrogon_farm
      using (farm_id = (select nullif(current_setting(''app.farm_id'', true), '''')::bigint))', t);
    execute format('grant select, insert, update, delete on %I to metrogon_farm', t);
  end loop;
end $$;
-- +goose StatementEnd
create policy door on probes to metrogon_serve using (true);
grant select (farm_id, instrument_id, digest, topic) on probes to metrogon_serve;
create policy door on brokers to metrogon_serve using (true);
grant select on brokers to metrogon_serve;

alter table journal_subjects drop constraint journal_subjects_kind_check;
alter table journal_subjects add constraint journal_subjects_kind_check check (kind in (
  'batch', 'pen', 'parcel', 'machine', 'place', 'person', 'order', 'planned', 'plan', 'season', 'bird',
  'brood', 'brooder', 'instrument', 'alarm'
));

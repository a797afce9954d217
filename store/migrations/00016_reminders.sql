-- +goose Up

-- A person's own calendar of a farm, by a secret address.
create table feeds (
  farm_id    bigint not null references farms,
  person_id  bigint not null references people,
  digest     bytea not null unique, -- of the secret in the address
  scope      text not null default 'all' check (scope in ('all', 'mine', 'machine')),
  machine_id bigint,
  alarm_min  integer not null default 60 check (alarm_min between -1 and 10080), -- -1: no alarm
  made_at    timestamptz not null,
  primary key (farm_id, person_id),
  foreign key (farm_id, machine_id) references machines (farm_id, id) on delete set null (machine_id),
  check (scope <> 'machine' or machine_id is not null)
);

-- Of what a person is reminded on a farm, when, and how.
create table reminder_wishes (
  farm_id     bigint not null references farms,
  person_id   bigint not null references people,
  kinds       text[] not null default '{}' check (cardinality(kinds) <= 30), -- of chores; none: all with an hour
  evening     boolean not null default false, -- before
  hour_before boolean not null default false,
  late        boolean not null default true,
  by_mail     boolean not null default false,
  by_push     boolean not null default false,
  quiet_from  time not null default '22:00',
  quiet_to    time not null default '06:00',
  primary key (farm_id, person_id)
);

-- What somebody was reminded of: each thing once, whichever process does it.
create table reminded (
  farm_id   bigint not null references farms,
  person_id bigint not null references people,
  item      text not null check (length(item) <= 160),
  at        timestamptz not null,
  primary key (farm_id, person_id, item)
);

-- Where a person's browsers take messages while no page is open.
create table push_places (
  person_id bigint not null references people,
  endpoint  text primary key check (length(endpoint) <= 1000),
  p256dh    text not null check (length(p256dh) <= 200),
  auth      text not null check (length(auth) <= 100),
  made_at   timestamptz not null
);

-- +goose StatementBegin
do $$ declare t text; begin
  foreach t in array array['feeds', 'reminder_wishes', 'reminded'] loop
    execute format('alter table %I enable row level security', t);
    execute format('create policy farm_wall on %I to metrogon_farm
      using (farm_id = (select nullif(current_setting(''app.farm_id'', true), '''')::bigint))', t);
    execute format('grant select, insert, update, delete on %I to metrogon_farm', t);
  end loop;
end $$;
-- +goose StatementEnd
create policy door on feeds to metrogon_serve using (true);
grant select (farm_id, person_id, digest) on feeds to metrogon_serve;
create policy door on reminder_wishes to metrogon_serve using (true);
grant select on reminder_wishes to metrogon_serve;
alter table push_places enable row level security;
create policy door on push_places to metrogon_serve using (true);
grant select, insert, update, delete on push_places to metrogon_serve;

-- +goose Up

-- +goose StatementBegin
do $$ begin
  create role metrogon_farm nologin;
exception when duplicate_object or unique_violation then null;
end $$;
-- +goose StatementEnd
grant metrogon_farm to current_user;

create table people (
  id            bigint generated always as identity primary key,
  email         text not null check (length(email) between 3 and 200),
  name          text not null check (length(name) between 1 and 80),
  password_hash text not null,
  temperature   text not null default 'C' check (temperature in ('C', 'F')),
  clock         smallint not null default 24 check (clock in (12, 24)),
  count_from    smallint not null default 0 check (count_from in (0, 1))
);
create unique index people_email on people (lower(email));

create table farms (
  id         bigint generated always as identity primary key,
  name       text not null check (length(name) between 1 and 80),
  zone       text not null, -- IANA
  chore_at   time not null default '07:00',
  created_at timestamptz not null
);

create table memberships (
  farm_id   bigint not null references farms,
  person_id bigint not null references people,
  role      text not null check (role in ('owner', 'helper')),
  primary key (farm_id, person_id)
);
create index memberships_person on memberships (person_id);

create table pens (
  farm_id  bigint not null references farms,
  id       bigint generated always as identity,
  name     text not null check (length(name) between 1 and 60),
  species  text not null,
  breed    text not null default '' check (length(breed) <= 60),
  bantam   boolean not null default false,
  females  integer not null default 0 check (females between 0 and 10000),
  males    integer not null default 0 check (males between 0 and 10000),
  from_on  date not null,
  until_on date check (until_on >= from_on),
  primary key (farm_id, id),
  unique (farm_id, name)
);

create table machines (
  farm_id            bigint not null references farms,
  id                 bigint generated always as identity,
  name               text not null check (length(name) between 1 and 60),
  kind               text not null check (kind in (
    'forced-air', 'still-air', 'cabinet', 'hatcher', 'all-in-one', 'broody-hen', 'reptile-box'
  )),
  counter_from       smallint not null default 0 check (counter_from in (0, 1)),
  counter_started_at timestamptz, -- null: it has no counter, or it is not running
  until_on           date,        -- no longer used from this day on
  primary key (farm_id, id),
  unique (farm_id, name)
);

-- How many eggs of a species a machine holds when it is full of them alone.
create table machine_room (
  farm_id    bigint not null references farms,
  machine_id bigint not null,
  species    text not null,
  setting    integer not null default 0 check (setting between 0 and 100000),
  hatching   integer not null default 0 check (hatching between 0 and 100000),
  primary key (farm_id, machine_id, species),
  foreign key (farm_id, machine_id) references machines (farm_id, id)
);

create table batches (
  farm_id      bigint not null references farms,
  id           bigint generated always as identity,
  code         text not null,
  species      text not null,
  bantam       boolean not null,
  setter_id    bigint not null,
  hatcher_id   bigint not null, -- where it is to hatch, and after lockdown where it stands
  set_at       timestamptz not null,
  storage_days double precision not null check (storage_days >= 0), -- mean age of its eggs when set
  temp_c       double precision, -- reptiles: the constant temperature of the box
  locked_at    timestamptz check (locked_at >= set_at),
  closed_at    timestamptz check (closed_at >= set_at),
  primary key (farm_id, id),
  unique (farm_id, code),
  foreign key (farm_id, setter_id) references machines (farm_id, id),
  foreign key (farm_id, hatcher_id) references machines (farm_id, id)
);
create index batches_open on batches (farm_id, set_at) where closed_at is null;
create index batches_by_set on batches (farm_id, set_at desc);

-- One gathering of eggs from one pen; a line of an import is one too.
create table collections (
  farm_id    bigint not null references farms,
  id         bigint generated always as identity,
  pen_id     bigint not null,
  laid_on    date not null,
  note       text not null default '' check (length(note) <= 500),
  import_key text, -- the same line of the same file comes in once
  primary key (farm_id, id),
  unique (farm_id, import_key),
  foreign key (farm_id, pen_id) references pens (farm_id, id)
);

-- One row an egg, from the day it is collected to its end.
create table eggs (
  farm_id       bigint not null references farms,
  id            bigint generated always as identity,
  collection_id bigint not null,
  pen_id        bigint not null,
  laid_on       date not null,
  rejected      boolean not null default false,
  batch_id      bigint,
  no            integer, -- its number in the batch
  fate          text check (fate in ('hatched', 'unhatched', 'removed', 'cast-out')),
  stage         text,    -- why removed, or what the break-out showed
  fate_at       timestamptz,
  fertile       boolean, -- null while nobody can say; the rule is core/candling's
  primary key (farm_id, id),
  unique (farm_id, batch_id, no),
  check ((fate is null) = (fate_at is null)),
  check (batch_id is null or not rejected),
  foreign key (farm_id, collection_id) references collections (farm_id, id),
  foreign key (farm_id, pen_id) references pens (farm_id, id),
  foreign key (farm_id, batch_id) references batches (farm_id, id)
);
create index eggs_in_store on eggs (farm_id, pen_id, laid_on) where batch_id is null and fate is null and not rejected;
create index eggs_of_pen on eggs (farm_id, pen_id, batch_id) include (fate, fertile);
create index eggs_of_collection on eggs (farm_id, collection_id);

create table candlings (
  farm_id  bigint not null references farms,
  id       bigint generated always as identity,
  batch_id bigint not null,
  at       timestamptz not null,
  primary key (farm_id, id),
  foreign key (farm_id, batch_id) references batches (farm_id, id)
);
create index candlings_of_batch on candlings (farm_id, batch_id, at);

-- Every call stays: a later one corrects an earlier one without wiping it.
create table calls (
  farm_id     bigint not null references farms,
  id          bigint generated always as identity,
  candling_id bigint not null,
  egg_id      bigint not null,
  call        text not null check (call in ('live', 'clear', 'ring', 'quit', 'unsure', 'unseen', 'cracked', 'bad')),
  primary key (farm_id, id),
  foreign key (farm_id, candling_id) references candlings (farm_id, id),
  foreign key (farm_id, egg_id) references eggs (farm_id, id)
);
create index calls_of_candling on calls (farm_id, candling_id);
create index calls_of_egg on calls (farm_id, egg_id);

create table chores_done (
  farm_id  bigint not null references farms,
  batch_id bigint not null,
  kind     text not null,
  day      integer not null,
  at       timestamptz not null,
  primary key (farm_id, batch_id, kind, day),
  foreign key (farm_id, batch_id) references batches (farm_id, id)
);

create table journal (
  farm_id   bigint not null references farms,
  id        bigint generated always as identity,
  at        timestamptz not null,
  person_id bigint references people,
  batch_id  bigint, -- may name a batch whose setting was undone
  said      text not null,
  undo      jsonb,  -- what taking it back has to do; null: it cannot be
  undoes    bigint,
  primary key (farm_id, id),
  unique (farm_id, undoes)
);
create index journal_of_batch on journal (farm_id, batch_id, id desc);

-- A form that is sent twice does its work once.
create table requests (
  farm_id bigint not null references farms,
  key     uuid not null,
  at      timestamptz not null,
  answer  text not null default '',
  primary key (farm_id, key)
);

create table sessions (
  token  text primary key,
  data   bytea not null,
  expiry timestamptz not null
);
create index sessions_expiry on sessions (expiry);

create table failed_sign_ins (
  who text not null, -- a digest of the address typed
  at  timestamptz not null
);
create index failed_sign_ins_who on failed_sign_ins (who, at);

-- The second wall: the role that does a farm's work sees that farm alone. The
-- setting is read in a sub-select, so once a query and not once a row.
-- +goose StatementBegin
do $$ declare t text; begin
  foreach t in array array['memberships', 'pens', 'machines', 'machine_room', 'batches', 'collections', 'eggs',
    'candlings', 'calls', 'chores_done', 'journal', 'requests'] loop
    execute format('alter table %I enable row level security', t);
    execute format('create policy farm_wall on %I to metrogon_farm
      using (farm_id = (select nullif(current_setting(''app.farm_id'', true), '''')::bigint))', t);
    execute format('grant select, insert, update, delete on %I to metrogon_farm', t);
  end loop;
end $$;
-- +goose StatementEnd
alter table farms enable row level security;
create policy farm_wall on farms to metrogon_farm
  using (id = (select nullif(current_setting('app.farm_id', true), '')::bigint));
grant select, update on farms to metrogon_farm;
grant usage on sequence collections_id_seq to metrogon_farm;
revoke update, delete on journal from metrogon_farm; -- append-only
grant select (id, name) on people to metrogon_farm;

-- +goose Up

-- Young that were counted by pen: nobody saw from which eggs they came. A row
-- below zero says that some of those counted were found out egg by egg since.
-- Once every egg of the batch is known by itself the counts are settled.
create table young_counts (
  farm_id   bigint not null references farms,
  id        bigint generated always as identity,
  batch_id  bigint not null,
  pen_id    bigint not null,
  at        timestamptz not null,
  young     integer not null check (young between -10000 and 10000 and young <> 0),
  person_id bigint references people,
  trial     boolean not null default false, -- of eggs that were set on trial
  settled   boolean not null default false,
  primary key (farm_id, id),
  foreign key (farm_id, batch_id) references batches (farm_id, id) on delete cascade,
  foreign key (farm_id, pen_id) references pens (farm_id, id)
);
create index young_counts_of_batch on young_counts (farm_id, batch_id, pen_id);

-- An egg broken by hand counts against nobody; a rejected or doubtful egg may be
-- set on trial, and is compared by itself.
alter table eggs
  drop constraint eggs_fate_check,
  drop constraint eggs_check1;
alter table eggs
  add column trial boolean not null default false,
  add constraint eggs_fate_check check (
    fate in ('hatched', 'unhatched', 'removed', 'counted', 'broken', 'cast-out')
  ),
  add constraint eggs_set_check check (batch_id is null or trial or not rejected);
update eggs set fate = 'broken', stage = null where fate = 'removed' and stage = 'broken';

drop index eggs_in_store;
create index eggs_in_store on eggs (farm_id, pen_id, laid_on)
  where batch_id is null and fate is null and (trial or not rejected);
drop index eggs_unmarked;
create index eggs_unmarked on eggs (farm_id)
  where mark is null and fate is null and (trial or not rejected);
drop index eggs_of_pen;
create index eggs_of_pen on eggs (farm_id, pen_id, batch_id, laid_on)
  include (fate, fertile, rejected, reason, collection_id, trial);

-- What a line of the journal is about: undo goes in reverse order for each.
create table journal_subjects (
  farm_id    bigint not null references farms,
  entry_id   bigint not null,
  kind       text not null
    check (kind in ('batch', 'pen', 'parcel', 'machine', 'place', 'person')),
  subject_id bigint not null,
  primary key (farm_id, entry_id, kind, subject_id)
);
create index journal_of_subject on journal_subjects (farm_id, kind, subject_id, entry_id desc);
insert into journal_subjects
  select farm_id, id, 'batch', batch_id from journal where batch_id is not null
  union
  select farm_id, id, 'parcel', coalesce((undo->>'drop_parcel')::bigint, (undo->'parcel'->>'ID')::bigint)
    from journal where undo ? 'drop_parcel' or undo ? 'parcel'
  union
  select farm_id, id, 'machine', (undo->'counter'->>'Machine')::bigint from journal where undo ? 'counter';

-- A key belongs to one request: what was asked under it is kept as a digest.
alter table requests add column digest text not null default '';

-- A scale that sends the same pack again is counted once.
alter table readings add column pack text;
create unique index readings_pack on readings (farm_id, pack) where pack is not null;

-- Sessions end for good: a token that was signed out does not come back.
alter table sessions add column ended boolean not null default false;
alter table people
  add column epoch integer not null default 0, -- sessions of an earlier one have ended
  add column mass  text not null default 'g' check (mass in ('g', 'oz'));
alter table memberships add column ended_at timestamptz; -- no longer on the farm; the journal keeps the name

-- Wrong passwords, counted before they are checked, with the wait that follows.
drop table failed_sign_ins;
create table sign_in_tries (
  who    text primary key, -- a digest of an address typed, a device or a network address
  tries  integer not null,
  at     timestamptz not null,
  closed timestamptz not null -- until then nobody is let try
);
create index sign_in_tries_at on sign_in_tries (at);

-- What the program itself must keep to itself.
create table secrets (
  name  text primary key,
  value bytea not null
);

-- +goose StatementBegin
do $$ declare t text; begin
  foreach t in array array['young_counts', 'journal_subjects'] loop
    execute format('alter table %I enable row level security', t);
    execute format('create policy farm_wall on %I to metrogon_farm
      using (farm_id = (select nullif(current_setting(''app.farm_id'', true), '''')::bigint))', t);
  end loop;
end $$;
-- +goose StatementEnd
grant select, insert, update, delete on young_counts to metrogon_farm;
grant select, insert on journal_subjects to metrogon_farm;

-- One role owns the tables and changes them, one serves. It is no superuser, and
-- reads and writes a farm's rows only as metrogon_farm.
-- +goose StatementBegin
do $$ begin
  create role metrogon_serve nologin noinherit;
exception when duplicate_object or unique_violation then null;
end $$;
-- +goose StatementEnd
grant metrogon_farm to metrogon_serve;
grant metrogon_serve to current_user;
grant select, insert, update on people, farms, memberships to metrogon_serve;
grant select, insert, update, delete on sessions, sign_in_tries, secrets to metrogon_serve;
create policy door on farms to metrogon_serve using (true);
create policy door on memberships to metrogon_serve using (true);
alter table people enable row level security;
create policy door on people to metrogon_serve using (true);
create policy farm_wall on people for select to metrogon_farm
  using (exists (
    select from memberships m
    where m.person_id = people.id
      and m.farm_id = (select nullif(current_setting('app.farm_id', true), '')::bigint)
  ));
revoke insert, update, delete on memberships from metrogon_farm;

-- +goose Up

alter table memberships drop constraint memberships_role_check,
  add constraint memberships_role_check check (role in ('owner', 'keeper', 'helper', 'reader'));

-- What the farm said it keeps, before it has pens.
alter table farms add column kinds text[] not null default '{}' check (cardinality(kinds) <= 100);

-- Somebody is asked onto a farm by a link. Of the link only a digest is kept.
create table invitations (
  farm_id      bigint not null references farms,
  id           bigint generated always as identity,
  digest       bytea not null unique,
  name         text not null check (length(name) between 1 and 80),
  role         text not null check (role in ('owner', 'keeper', 'helper', 'reader')),
  made_by      bigint not null references people,
  made_at      timestamptz not null,
  until_at     timestamptz not null check (until_at > made_at),
  taken_by     bigint references people,
  taken_at     timestamptz,
  withdrawn_at timestamptz,
  primary key (farm_id, id),
  check ((taken_by is null) = (taken_at is null))
);

-- A link by which somebody who forgot the password types a new one, once.
create table password_links (
  digest    bytea primary key,
  person_id bigint not null references people,
  made_at   timestamptz not null,
  until_at  timestamptz not null check (until_at > made_at),
  used_at   timestamptz
);

-- The devices on which somebody is signed in.
create table signed_in (
  id        text primary key,
  person_id bigint not null references people,
  device    text not null check (length(device) <= 200), -- as the browser names itself
  at        timestamptz not null,
  seen_at   timestamptz not null,
  ended_at  timestamptz
);
create index signed_in_person on signed_in (person_id, seen_at desc) where ended_at is null;

alter table invitations enable row level security;
create policy farm_wall on invitations to metrogon_farm
  using (farm_id = (select nullif(current_setting('app.farm_id', true), '')::bigint));
grant select, insert, update, delete on invitations to metrogon_farm;
create policy door on invitations to metrogon_serve using (true);
alter table password_links enable row level security;
create policy door on password_links to metrogon_serve using (true);
alter table signed_in enable row level security;
create policy door on signed_in to metrogon_serve using (true);
grant select, insert, update on invitations, password_links, signed_in to metrogon_serve;

-- +goose Up

-- When work that comes round by itself did last, in whatever process.
create table rounds (
  name text primary key,
  at   timestamptz not null
);
grant select, insert, update on rounds to metrogon_serve;

-- A link for a new password is of the farm whose owner made it, and holds only while its person is there and nowhere
-- else. Those of before say of no farm: they hold no more.
delete from password_links;
alter table password_links add column by_farm bigint not null references farms on delete cascade;
grant delete on password_links to metrogon_serve;

-- Who has the table of sessions cannot sign in by it.
update sessions set token = encode(sha256(convert_to(token, 'UTF8')), 'hex');

-- A plan that waits shows that it is still wanted, too.
update plans set beat_at = now() where state = 'waiting' and beat_at is null;

-- What a plan was made of besides eggs; once that has changed, it is void. Of older plans nobody knows.
alter table plans add column made_of jsonb not null default '{}';
grant select (asked_at) on plans to metrogon_serve;

-- The program that serves sees whether a newer one has changed the database.
grant select on goose_db_version to metrogon_serve;

-- Alarms of reptiles' boxes go by what the kinds in them bear; each of their levels rings by itself.
alter table alarms drop constraint alarms_what_check;
alter table alarms add constraint alarms_what_check
  check (what in ('warm', 'cool', 'humid', 'dry', 'falls', 'silent', 'kind'));
alter table alarm_rings add column level text not null default ''
  check (level in ('', 'slow', 'cold', 'warm', 'hot', 'at-once'));
drop index alarm_rings_open;
create unique index alarm_rings_open on alarm_rings (farm_id, alarm_id, machine_id, instrument_id, level)
  where ended_at is null;

-- A farm that has only boxes of reptiles is told nothing of birds' eggs.
-- +goose StatementBegin
create function has_birds(farm bigint) returns boolean
language sql stable security definer set search_path = public as $$
  select exists (select from machines where farm_id = farm and kind <> 'reptile-box' and until_on is null)
$$;
-- +goose StatementEnd

-- A clutch of slugs alone goes into no box, and has no egg that tells its pen.
alter table clutches alter column box_id drop not null;
alter table clutches add column pen_id bigint;
alter table clutches add foreign key (farm_id, pen_id) references pens (farm_id, id);

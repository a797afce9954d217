-- +goose Up

-- How eggs are misted once they are in lockdown: not at all, whenever the lid is open, or daily.
alter table methods add column late_mist text not null default '' check (late_mist in ('', 'openings', 'daily'));

-- A batch keeps the way by which it was set; null where nobody chose one: then its kind's holds.
alter table batches
  add column school     text check (school in ('wet', 'dry', 'by weight')),
  add column hand_turns integer check (hand_turns in (3, 5, 7)),
  add column mistings   integer check (mistings between 0 and 2),
  add column cool_min   integer check (cool_min between 0 and 30),
  add column late_mist  text check (late_mist in ('', 'openings', 'daily')),
  add constraint batches_way_check check (num_nulls(school, hand_turns, mistings, cool_min, late_mist) in (0, 5));

-- By which way a batch was run from when on.
create table batch_ways (
  farm_id    bigint not null references farms,
  id         bigint generated always as identity,
  batch_id   bigint not null,
  at         timestamptz not null,
  school     text not null,
  hand_turns integer not null,
  mistings   integer not null,
  cool_min   integer not null,
  late_mist  text not null,
  person_id  bigint references people,
  primary key (farm_id, id),
  foreign key (farm_id, batch_id) references batches (farm_id, id) on delete cascade
);
create index batch_ways_of_batch on batch_ways (farm_id, batch_id, at, id);
alter table batch_ways enable row level security;
create policy farm_wall on batch_ways to metrogon_farm
  using (farm_id = (select nullif(current_setting('app.farm_id', true), '')::bigint));
grant select, insert, update, delete on batch_ways to metrogon_farm;

-- What runs keeps its way, whatever is chosen for its kind from now on.
update batches b
set school = coalesce(m.school, 'wet'), hand_turns = coalesce(m.hand_turns, 5), mistings = coalesce(m.mistings, 0),
  cool_min = coalesce(m.cool_min, 0), late_mist = ''
from batches o
left join methods m on m.farm_id = o.farm_id and m.species = o.species
where b.farm_id = o.farm_id and b.id = o.id and o.closed_at is null;
insert into batch_ways (farm_id, batch_id, at, school, hand_turns, mistings, cool_min, late_mist)
select farm_id, id, set_at, school, hand_turns, mistings, cool_min, late_mist
from batches
where school is not null;

-- A machine may have a school of its own, and says what its turner does.
alter table machines
  add column school       text not null default '' check (school in ('', 'wet', 'dry', 'by weight')),
  add column turn_minutes integer not null default 0 check (turn_minutes between 0 and 1440), -- 0: not known
  add column turn_angle   integer not null default 0 check (turn_angle between 0 and 360),    -- from side to side
  add column turn_stops   boolean not null default false; -- whenever it is opened

-- What a change of the water's surface did is known once the humidity was looked at again.
alter table responses
  alter column to_pct drop not null,
  alter column minutes drop not null,
  add constraint responses_read_check check ((to_pct is null) = (minutes is null));

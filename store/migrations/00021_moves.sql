-- +goose Up

-- A part of a batch that stands elsewhere is a batch of its own: the eggs of one setting in one machine.
-- It knows of which batch it is a part, from which its eggs came, and when; joined again to another it
-- holds no eggs any more.
alter table batches
  add column part_of    bigint, -- the batch that was set
  add column split_from bigint,
  add column split_at   timestamptz,
  add column joined_id  bigint,
  add foreign key (farm_id, part_of) references batches (farm_id, id) deferrable initially deferred,
  add foreign key (farm_id, split_from) references batches (farm_id, id) deferrable initially deferred,
  add foreign key (farm_id, joined_id) references batches (farm_id, id) deferrable initially deferred,
  add constraint batches_part_check check (num_nulls(part_of, split_from, split_at) in (0, 3)),
  add constraint batches_joined_check check (joined_id is null or closed_at is not null);
create index batches_parts on batches (farm_id, part_of) where part_of is not null;

-- Which machine a batch left for which, otherwise than by its lockdown.
create table moves (
  farm_id   bigint not null references farms,
  id        bigint generated always as identity,
  batch_id  bigint not null,
  at        timestamptz not null,
  from_id   bigint not null,
  to_id     bigint not null,
  hatching  boolean not null, -- it was in lockdown
  why       text not null default '' check (length(why) <= 120),
  person_id bigint references people,
  primary key (farm_id, id),
  foreign key (farm_id, batch_id) references batches (farm_id, id) on delete cascade,
  foreign key (farm_id, from_id) references machines (farm_id, id),
  foreign key (farm_id, to_id) references machines (farm_id, id)
);
create index moves_of_batch on moves (farm_id, batch_id, at);
create index moves_of_machine on moves (farm_id, from_id, at);

-- Which eggs left a batch for another of the same setting, and when.
create table egg_moves (
  farm_id  bigint not null references farms,
  id       bigint generated always as identity,
  egg_id   bigint not null,
  batch_id bigint not null, -- in which it was until then
  until_at timestamptz not null,
  primary key (farm_id, id),
  foreign key (farm_id, egg_id) references eggs (farm_id, id),
  foreign key (farm_id, batch_id) references batches (farm_id, id)
);
create index egg_moves_of_egg on egg_moves (farm_id, egg_id, until_at);
create index egg_moves_of_batch on egg_moves (farm_id, batch_id);

-- In which machine a batch stood from when to when; to_at is null where it stands.
create view batch_legs with (security_invoker = true) as
  select farm_id, batch_id, machine_id, hatching, from_at, coalesce(
      lead(from_at) over (partition by farm_id, batch_id order by from_at, hatching, step), closed_at
    ) as to_at, why
  from (
    select b.farm_id, b.id as batch_id, b.closed_at, coalesce(
        (
          select from_id
          from moves m
          where m.farm_id = b.farm_id and m.batch_id = b.id and not hatching
          order by at, id
          limit 1
        ), b.setter_id
      ) as machine_id, false as hatching, coalesce(b.split_at, b.set_at) as from_at, '' as why, 0 as step
    from batches b
    where b.split_at is null or b.locked_at is null or b.split_at < b.locked_at
    union all
    select b.farm_id, b.id, b.closed_at, coalesce(
        (
          select from_id
          from moves m
          where m.farm_id = b.farm_id and m.batch_id = b.id and hatching
          order by at, id
          limit 1
        ), b.hatcher_id
      ), true, greatest(b.locked_at, b.split_at), '', 0
    from batches b
    where b.locked_at is not null
    union all
    select m.farm_id, m.batch_id, b.closed_at, m.to_id, m.hatching, m.at, m.why, m.id
    from moves m
    join batches b on b.farm_id = m.farm_id and b.id = m.batch_id
  ) p;
grant select on batch_legs to metrogon_farm;

-- In which machine each egg that was set stood from when to when, in which batch.
create view egg_legs with (security_invoker = true) as
  select s.farm_id, s.egg_id, s.batch_id, l.machine_id, l.hatching, greatest(l.from_at, s.from_at) as from_at,
    least(l.to_at, s.until_at) as to_at
  from (
    select farm_id, egg_id, batch_id,
      lag(until_at) over (partition by farm_id, egg_id order by until_at, id) as from_at, until_at
    from egg_moves
    union all
    select e.farm_id, e.id, e.batch_id, (
        select max(until_at) from egg_moves m where m.farm_id = e.farm_id and m.egg_id = e.id
      ), e.fate_at
    from eggs e
    where e.batch_id is not null
  ) s
  join batch_legs l on l.farm_id = s.farm_id and l.batch_id = s.batch_id
  where (s.until_at is null or l.from_at < s.until_at)
    and (s.from_at is null or l.to_at is null or l.to_at > s.from_at);
grant select on egg_legs to metrogon_farm;

-- +goose StatementBegin
do $$ declare t text; begin
  foreach t in array array['moves', 'egg_moves'] loop
    execute format('alter table %I enable row level security', t);
    execute format('create policy farm_wall on %I to metrogon_farm
      using (farm_id = (select nullif(current_setting(''app.farm_id'', true), '''')::bigint))', t);
    execute format('grant select, insert, update, delete on %I to metrogon_farm', t);
  end loop;
end $$;
-- +goose StatementEnd

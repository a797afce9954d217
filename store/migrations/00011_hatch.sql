-- +goose Up

-- What is seen of a hatch besides the young that are out: pips, zips, of an egg or of
-- so many of a basket; and that somebody looked and saw nothing new. A basket holds a batch's eggs
-- of one pen; those on trial lie apart.
create table hatch_signs (
  farm_id   bigint not null references farms,
  id        bigint generated always as identity,
  batch_id  bigint not null,
  pen_id    bigint,
  trial     boolean not null default false,
  egg_id    bigint,
  kind      text not null check (kind in ('pip', 'zip', 'look')),
  n         integer not null default 1 check (n between 1 and 10000),
  at        timestamptz not null,
  person_id bigint references people,
  primary key (farm_id, id),
  foreign key (farm_id, batch_id) references batches (farm_id, id) on delete cascade,
  foreign key (farm_id, egg_id) references eggs (farm_id, id),
  constraint hatch_signs_of_check check (kind = 'look' or pen_id is not null),
  constraint hatch_signs_one_check check (egg_id is null or n = 1)
);
create index hatch_signs_of_batch on hatch_signs (farm_id, batch_id, at);

-- Young that were told apart. Those that were only counted have no row.
create table young (
  farm_id   bigint not null references farms,
  id        bigint generated always as identity,
  batch_id  bigint not null,
  pen_id    bigint not null,
  trial     boolean not null default false,
  egg_id    bigint,
  at        timestamptz not null,
  colour    text not null default '' check (length(colour) <= 40),
  sex       text not null default '' check (sex in ('', 'male', 'female')),
  band      text not null default '' check (length(band) <= 30), -- leg band, toe punch or mark
  weight_g  double precision check (weight_g > 0 and weight_g < 2000),
  signs     text[] not null default '{}'
    check (signs <@ array['assisted', 'weak', 'splayed', 'curled', 'navel', 'sticky']),
  died_at   timestamptz,
  note      text not null default '' check (length(note) <= 300),
  primary key (farm_id, id),
  foreign key (farm_id, batch_id) references batches (farm_id, id) on delete cascade,
  foreign key (farm_id, pen_id) references pens (farm_id, id),
  foreign key (farm_id, egg_id) references eggs (farm_id, id)
);
create index young_of_batch on young (farm_id, batch_id, id);

-- Every time that a lid was opened which had better stayed shut.
create table lid_openings (
  farm_id    bigint not null references farms,
  id         bigint generated always as identity,
  machine_id bigint not null,
  at         timestamptz not null,
  minutes    integer not null check (minutes between 0 and 1440),
  why        text not null check (length(why) between 1 and 60),
  person_id  bigint references people,
  primary key (farm_id, id),
  foreign key (farm_id, machine_id) references machines (farm_id, id)
);
create index lid_openings_of_machine on lid_openings (farm_id, machine_id, at);

-- Young taken out of the machine, to where they are warm.
create table pulls (
  farm_id   bigint not null references farms,
  id        bigint generated always as identity,
  batch_id  bigint not null,
  at        timestamptz not null,
  young     integer not null check (young between 1 and 10000),
  place     text not null check (length(place) between 1 and 60),
  person_id bigint references people,
  primary key (farm_id, id),
  foreign key (farm_id, batch_id) references batches (farm_id, id) on delete cascade
);
create index pulls_of_batch on pulls (farm_id, batch_id, at);

-- Where the basket of a pen stands on the floor of the hatcher.
create table hatch_baskets (
  farm_id  bigint not null references farms,
  batch_id bigint not null,
  pen_id   bigint not null,
  trial    boolean not null default false,
  name     text not null check (length(name) between 1 and 40),
  primary key (farm_id, batch_id, pen_id, trial),
  foreign key (farm_id, batch_id) references batches (farm_id, id) on delete cascade,
  foreign key (farm_id, pen_id) references pens (farm_id, id)
);

-- What a load told, once it is over: by how many hours it was later than expected, and whether it
-- came when its first forecast said. Null: what was written down does not tell.
create table hatch_lessons (
  farm_id    bigint not null references farms,
  batch_id   bigint not null,
  species    text not null,
  machine_id bigint not null,
  shift_h    double precision not null,
  first_held  boolean,
  middle_held boolean,
  last_held   boolean,
  primary key (farm_id, batch_id),
  foreign key (farm_id, batch_id) references batches (farm_id, id) on delete cascade
);
create index hatch_lessons_of_kind on hatch_lessons (farm_id, species, machine_id, batch_id desc);

-- Young, leftovers and removals add up to the eggs that were set: young that were counted without
-- their eggs are never more than the eggs that they can have come of.
-- +goose StatementBegin
create function young_fit() returns trigger language plpgsql as $$
declare
  f bigint;
  b bigint;
begin
  f := coalesce(new.farm_id, old.farm_id);
  b := coalesce(new.batch_id, old.batch_id);
  if exists (
    select
    from (
      select pen_id, trial, sum(young) as young
      from young_counts
      where farm_id = f and batch_id = b and not settled
      group by pen_id, trial
    ) c
    where young < 0 or young > (
      select count(*)
      from eggs e
      where e.farm_id = f and e.batch_id = b and e.pen_id = c.pen_id and e.trial = c.trial
        and (e.fate is null or e.fate = 'counted')
    )
  ) then
    raise exception 'more young than eggs in batch % of farm %', b, f
      using errcode = 'check_violation', constraint = 'young_fit';
  end if;
  return null;
end $$;
-- +goose StatementEnd
create constraint trigger young_fit after insert or update or delete on young_counts
  deferrable initially deferred for each row execute function young_fit();
create constraint trigger young_fit after update of fate on eggs
  deferrable initially deferred for each row
  when (old.batch_id is not null and old.fate is distinct from new.fate)
  execute function young_fit();

-- Whoever watches is told that something was done on a farm.
-- +goose StatementBegin
create function tell_done() returns trigger language plpgsql as $$
begin
  perform pg_notify('metrogon_done', new.farm_id::text);
  return null;
end $$;
-- +goose StatementEnd
create trigger tell_done after insert on journal for each row execute function tell_done();

-- +goose StatementBegin
do $$ declare t text; begin
  foreach t in array array[
    'hatch_signs', 'young', 'lid_openings', 'pulls', 'hatch_baskets', 'hatch_lessons'
  ] loop
    execute format('alter table %I enable row level security', t);
    execute format('create policy farm_wall on %I to metrogon_farm
      using (farm_id = (select nullif(current_setting(''app.farm_id'', true), '''')::bigint))', t);
    execute format('grant select, insert, update, delete on %I to metrogon_farm', t);
  end loop;
end $$;
-- +goose StatementEnd

-- +goose Up

-- Birds that are parents, or will be. A bird that nobody keeps any more stays: its young descend
-- from it.
create table birds (
  farm_id    bigint not null references farms,
  id         bigint generated always as identity,
  name       text not null check (length(name) between 1 and 40),
  mark       text not null default '' check (length(mark) <= 30), -- leg band, toe punch, chip
  species    text not null,
  breed      text not null default '' check (length(breed) <= 60),
  sex        text not null check (sex in ('male', 'female')),
  hatched_on date,
  batch_id   bigint, -- in which it hatched here
  sire_id    bigint,
  dam_id     bigint,
  origin     text not null default '' check (length(origin) <= 80), -- from whom, where it was bought
  weight_g   double precision check (weight_g > 0 and weight_g < 30000), -- grown
  shell      text not null default '' check (length(shell) <= 40), -- colour of a hen's eggs, of those he came of
  note       text not null default '' check (length(note) <= 500),
  gone_on    date,
  gone       text not null default '' check (gone in ('', 'retired', 'sold', 'died', 'culled')),
  primary key (farm_id, id),
  unique (farm_id, name),
  foreign key (farm_id, batch_id) references batches (farm_id, id) on delete set null (batch_id),
  foreign key (farm_id, sire_id) references birds (farm_id, id),
  foreign key (farm_id, dam_id) references birds (farm_id, id),
  constraint birds_parents_check check (sire_id <> id and dam_id <> id),
  constraint birds_gone_on_check check ((gone_on is null) = (gone = ''))
);

-- When a bird was in which pen, from the day it was put in to the day it was taken out.
create table bird_stays (
  farm_id  bigint not null references farms,
  id       bigint generated always as identity,
  bird_id  bigint not null,
  pen_id   bigint not null,
  from_on  date not null,
  until_on date,
  primary key (farm_id, id),
  foreign key (farm_id, bird_id) references birds (farm_id, id) on delete cascade,
  foreign key (farm_id, pen_id) references pens (farm_id, id),
  constraint bird_stays_days_check check (until_on >= from_on)
);
create index bird_stays_of_pen on bird_stays (farm_id, pen_id, from_on);
create index bird_stays_of_bird on bird_stays (farm_id, bird_id, from_on);

-- A few eggs set to see whether a pen is fertile. Its eggs are those of the pen in the batch.
create table fertility_tests (
  farm_id   bigint not null references farms,
  id        bigint generated always as identity,
  pen_id    bigint not null,
  asked_on  date not null,
  eggs      integer not null check (eggs between 1 and 500), -- how many were planned
  batch_id  bigint,
  retest_of bigint,
  why       text not null default '' check (length(why) <= 120),
  ended_on  date, -- called off, or its result was acted on
  decision  text not null default '' check (length(decision) <= 120),
  primary key (farm_id, id),
  foreign key (farm_id, pen_id) references pens (farm_id, id),
  foreign key (farm_id, batch_id) references batches (farm_id, id) on delete set null (batch_id),
  foreign key (farm_id, retest_of) references fertility_tests (farm_id, id)
);
create index fertility_tests_of_pen on fertility_tests (farm_id, pen_id, asked_on);

-- From which share of fertile eggs on the farm sells hatching eggs, and below which a male goes.
alter table farms
  add column sell_pct smallint not null default 80 check (sell_pct between 1 and 100),
  add column swap_pct smallint not null default 40 check (swap_pct between 0 and 100),
  add constraint farms_swap_below_sell_check check (swap_pct < sell_pct);

alter table journal_subjects drop constraint journal_subjects_kind_check;
alter table journal_subjects add constraint journal_subjects_kind_check check (kind in (
  'batch', 'pen', 'parcel', 'machine', 'place', 'person', 'order', 'planned', 'plan', 'season', 'bird'
));

-- +goose StatementBegin
do $$ declare t text; begin
  foreach t in array array['birds', 'bird_stays', 'fertility_tests'] loop
    execute format('alter table %I enable row level security', t);
    execute format('create policy farm_wall on %I to metrogon_farm
      using (farm_id = (select nullif(current_setting(''app.farm_id'', true), '''')::bigint))', t);
    execute format('grant select, insert, update, delete on %I to metrogon_farm', t);
  end loop;
end $$;
-- +goose StatementEnd

-- What the eggs of a pen did in a batch, now also by hen, by what was done to the shells, and by
-- whether they lay in a warm or cool place; and when those that were fertile and did not hatch died.
drop view egg_sums_anew;
drop table egg_sums;
create table egg_sums (
  farm_id         bigint not null references farms,
  pen_id          bigint not null,
  batch_id        bigint not null,
  laid_on         date not null,
  trial           boolean not null,
  hen             text not null,
  washing         text not null,
  spot            text not null, -- warm, cool or ''
  eggs            integer not null,
  examined        integer not null, -- it is known whether they were fertile
  fertile         integer not null,
  hatched         integer not null,
  hatched_fertile integer not null, -- known as fertile before they hatched
  hatched_unseen  integer not null, -- nothing was known of them before they hatched
  counted         integer not null, -- of a count of young: whose own end nobody saw
  counted_fertile integer not null,
  counted_unseen  integer not null,
  early           integer not null, -- died so: seen through the shell, or on opening
  middle          integer not null,
  late            integer not null,
  pipped          integer not null,
  quit            integer not null, -- died after the early days, not opened
  primary key (farm_id, pen_id, batch_id, laid_on, trial, hen, washing, spot),
  foreign key (farm_id, batch_id) references batches (farm_id, id) on delete cascade
);
create index egg_sums_of_batch on egg_sums (farm_id, batch_id);
alter table egg_sums enable row level security;
create policy farm_wall on egg_sums to metrogon_farm
  using (farm_id = (select nullif(current_setting('app.farm_id', true), '')::bigint));
grant select, insert, update, delete on egg_sums to metrogon_farm;

create view egg_sums_anew with (security_invoker = true) as
  select e.farm_id, e.pen_id, e.batch_id, e.laid_on, e.trial, c.hen, c.washing,
    case when e.place = any (t.warm) then 'warm' when e.place = any (t.cool) then 'cool' else '' end as spot,
    count(*)::int as eggs,
    count(e.fertile)::int as examined,
    (count(*) filter (where e.fertile))::int as fertile,
    (count(*) filter (where e.fate = 'hatched'))::int as hatched,
    (count(*) filter (where e.fate = 'hatched' and e.fertile))::int as hatched_fertile,
    (count(*) filter (where e.fate = 'hatched' and e.fertile is null))::int as hatched_unseen,
    (count(*) filter (where e.fate = 'counted'))::int as counted,
    (count(*) filter (where e.fate = 'counted' and e.fertile))::int as counted_fertile,
    (count(*) filter (where e.fate = 'counted' and e.fertile is null))::int as counted_unseen,
    (count(*) filter (where e.fertile and coalesce(e.opened, e.stage) in ('early', 'ring')))::int as early,
    (count(*) filter (where e.fertile and coalesce(e.opened, e.stage) = 'middle'))::int as middle,
    (count(*) filter (where e.fertile and coalesce(e.opened, e.stage) = 'late'))::int as late,
    (count(*) filter (where e.fertile and coalesce(e.opened, e.stage) = 'pipped'))::int as pipped,
    (count(*) filter (where e.fertile and coalesce(e.opened, e.stage) = 'quit'))::int as quit
  from eggs e
  join collections c on c.farm_id = e.farm_id and c.id = e.collection_id
  left join trays t on t.farm_id = e.farm_id and t.id = e.tray_id
  where e.batch_id is not null and e.fate is distinct from 'broken'
  group by e.farm_id, e.pen_id, e.batch_id, e.laid_on, e.trial, c.hen, c.washing, spot;
grant select on egg_sums_anew to metrogon_farm;

-- Batch by batch, so that each is found by its index and not among all eggs.
-- +goose StatementBegin
create or replace function sum_batches(farms bigint[], batches bigint[]) returns void language plpgsql as $$
declare t record;
begin
  for t in select distinct * from unnest(farms, batches) t (farm_id, batch_id) loop
    delete from egg_sums where farm_id = t.farm_id and batch_id = t.batch_id;
    insert into egg_sums select * from egg_sums_anew where farm_id = t.farm_id and batch_id = t.batch_id;
  end loop;
end $$;
-- +goose StatementEnd

-- +goose StatementBegin
create or replace function note_changed_eggs() returns trigger language plpgsql as $$
begin
  perform sum_batches(array_agg(farm_id), array_agg(batch_id))
    from (
      select distinct o.farm_id, b.batch_id
      from before o
      join changed n on n.farm_id = o.farm_id and n.id = o.id
      cross join lateral (values (o.batch_id), (n.batch_id)) b (batch_id)
      where b.batch_id is not null
        and (o.batch_id, o.pen_id, o.laid_on, o.trial, o.fate, o.fertile, o.stage, o.opened, o.tray_id, o.place)
          is distinct from
          (n.batch_id, n.pen_id, n.laid_on, n.trial, n.fate, n.fertile, n.stage, n.opened, n.tray_id, n.place)
    ) t;
  update farms set eggs_version = nextval('egg_versions')
  where id in (
    select o.farm_id
    from before o
    join changed n on n.farm_id = o.farm_id and n.id = o.id
    where (
        o.batch_id, o.pen_id, o.laid_on, o.trial, o.fate, o.fertile, o.rejected, o.reason, o.collection_id,
        o.stage, o.opened, o.tray_id, o.place
      )
      is distinct from
      (
        n.batch_id, n.pen_id, n.laid_on, n.trial, n.fate, n.fertile, n.rejected, n.reason, n.collection_id,
        n.stage, n.opened, n.tray_id, n.place
      )
  );
  return null;
end $$;
-- +goose StatementEnd

-- A hen's name or what was done to the shells, put right later, moves eggs from sum to sum.
-- +goose StatementBegin
create function note_changed_collections() returns trigger language plpgsql as $$
begin
  perform sum_batches(array_agg(farm_id), array_agg(batch_id))
    from (
      select distinct e.farm_id, e.batch_id
      from before o
      join changed n on n.farm_id = o.farm_id and n.id = o.id
      join eggs e on e.farm_id = n.farm_id and e.collection_id = n.id
      where e.batch_id is not null and (o.hen, o.washing) is distinct from (n.hen, n.washing)
    ) t;
  update farms set eggs_version = nextval('egg_versions') where id in (select farm_id from changed);
  return null;
end $$;
-- +goose StatementEnd
drop trigger collections_change on collections;
create trigger collections_change after update on collections
  referencing old table as before new table as changed
  for each statement execute function note_changed_collections();

-- Which places are warm or cool, found out later, is so of the eggs that lay there as well.
-- +goose StatementBegin
create function note_changed_trays() returns trigger language plpgsql as $$
begin
  perform sum_batches(array_agg(farm_id), array_agg(batch_id))
    from (
      select distinct e.farm_id, e.batch_id
      from before o
      join changed n on n.farm_id = o.farm_id and n.id = o.id
      join eggs e on e.farm_id = n.farm_id and e.tray_id = n.id
      where e.batch_id is not null and (o.warm, o.cool) is distinct from (n.warm, n.cool)
    ) t;
  update farms set eggs_version = nextval('egg_versions') where id in (select farm_id from changed);
  return null;
end $$;
-- +goose StatementEnd
create trigger trays_change after update on trays
  referencing old table as before new table as changed
  for each statement execute function note_changed_trays();
create index eggs_ever_on_tray on eggs (farm_id, tray_id) where tray_id is not null;

-- What is remembered of all eggs leans on birds, on how many males a pen has, and on how long its kind
-- stays fertile.
-- +goose StatementBegin
do $$ declare t text; begin
  foreach t in array array['birds', 'bird_stays', 'own_figures'] loop
    execute format('create trigger %1$s_come after insert on %1$I referencing new table as changed
      for each statement execute function note_change()', t);
    execute format('create trigger %1$s_change after update on %1$I referencing new table as changed
      for each statement execute function note_change()', t);
    execute format('create trigger %1$s_go after delete on %1$I referencing old table as changed
      for each statement execute function note_change()', t);
  end loop;
end $$;
-- +goose StatementEnd
create trigger pens_change after update on pens
  referencing new table as changed for each statement execute function note_change();

insert into egg_sums select * from egg_sums_anew;

-- +goose Up

-- The rule of fertility is core/candling's: a ring or a quit proves it, which no later
-- clear undoes; and a hatch says nothing of an egg of which no call had told anything.
update eggs e set fertile = true
where not fertile and opened is distinct from 'infertile' and stage is distinct from 'infertile'
  and exists (
    select from calls c where c.farm_id = e.farm_id and c.egg_id = e.id and c.call in ('ring', 'quit')
  );
update eggs e set fertile = null
where fate = 'hatched' and fertile and not exists (
  select from calls c
  where c.farm_id = e.farm_id and c.egg_id = e.id and c.call in ('live', 'clear', 'ring', 'quit')
);

-- What the eggs of a pen did in a batch, by the day they were laid: rates, beliefs and
-- the cost of waiting read these rows instead of every egg that ever was. Eggs broken by
-- hand count against nobody and are not among them. Triggers keep them in the
-- transaction that changes eggs; `metrogon verify` counts anew and compares.
create table egg_sums (
  farm_id         bigint not null references farms,
  pen_id          bigint not null,
  batch_id        bigint not null,
  laid_on         date not null,
  trial           boolean not null,
  eggs            integer not null,
  examined        integer not null, -- it is known whether they were fertile
  fertile         integer not null,
  hatched         integer not null,
  hatched_fertile integer not null, -- known as fertile before they hatched
  hatched_unseen  integer not null, -- nothing was known of them before they hatched
  counted         integer not null, -- of a count of young: whose own end nobody saw
  counted_fertile integer not null,
  counted_unseen  integer not null,
  primary key (farm_id, pen_id, batch_id, laid_on, trial),
  foreign key (farm_id, batch_id) references batches (farm_id, id) on delete cascade
);
create index egg_sums_of_batch on egg_sums (farm_id, batch_id);
alter table egg_sums enable row level security;
create policy farm_wall on egg_sums to metrogon_farm
  using (farm_id = (select nullif(current_setting('app.farm_id', true), '')::bigint));
grant select, insert, update, delete on egg_sums to metrogon_farm;

-- The sums of a batch as its eggs are.
create view egg_sums_anew with (security_invoker = true) as
  select farm_id, pen_id, batch_id, laid_on, trial,
    count(*)::int as eggs,
    count(fertile)::int as examined,
    (count(*) filter (where fertile))::int as fertile,
    (count(*) filter (where fate = 'hatched'))::int as hatched,
    (count(*) filter (where fate = 'hatched' and fertile))::int as hatched_fertile,
    (count(*) filter (where fate = 'hatched' and fertile is null))::int as hatched_unseen,
    (count(*) filter (where fate = 'counted'))::int as counted,
    (count(*) filter (where fate = 'counted' and fertile))::int as counted_fertile,
    (count(*) filter (where fate = 'counted' and fertile is null))::int as counted_unseen
  from eggs
  where batch_id is not null and fate is distinct from 'broken'
  group by farm_id, pen_id, batch_id, laid_on, trial;
grant select on egg_sums_anew to metrogon_farm;

-- +goose StatementBegin
create function sum_batches(farms bigint[], batches bigint[]) returns void language sql as $$
  delete from egg_sums s
  using unnest(farms, batches) t (farm_id, batch_id)
  where s.farm_id = t.farm_id and s.batch_id = t.batch_id;
  insert into egg_sums
    select n.*
    from (select distinct * from unnest(farms, batches) t (farm_id, batch_id)) t
    join egg_sums_anew n on n.farm_id = t.farm_id and n.batch_id = t.batch_id
$$;
-- +goose StatementEnd

-- A number that is never used twice says which state of its eggs a farm has: what was
-- reckoned from all of them holds as long as it stays (farm.memory). It changes in the
-- transaction that changes eggs, the end of a batch or a count of young.
create sequence egg_versions;
grant usage on sequence egg_versions to metrogon_farm, metrogon_serve;
alter table farms add column eggs_version bigint not null default nextval('egg_versions');

-- +goose StatementBegin
create function note_change() returns trigger language plpgsql as $$
begin
  if tg_table_name = 'eggs' then -- they came or went
    perform sum_batches(array_agg(farm_id), array_agg(batch_id))
      from (select distinct farm_id, batch_id from changed where batch_id is not null) t;
  end if;
  update farms set eggs_version = nextval('egg_versions') where id in (select farm_id from changed);
  return null;
end $$;
-- +goose StatementEnd

-- +goose StatementBegin
create function note_changed_eggs() returns trigger language plpgsql as $$
begin
  perform sum_batches(array_agg(farm_id), array_agg(batch_id))
    from (
      select distinct o.farm_id, b.batch_id
      from before o
      join changed n on n.farm_id = o.farm_id and n.id = o.id
      cross join lateral (values (o.batch_id), (n.batch_id)) b (batch_id)
      where b.batch_id is not null
        and (o.batch_id, o.pen_id, o.laid_on, o.trial, o.fate, o.fertile)
          is distinct from (n.batch_id, n.pen_id, n.laid_on, n.trial, n.fate, n.fertile)
    ) t;
  update farms set eggs_version = nextval('egg_versions')
  where id in (
    select o.farm_id
    from before o
    join changed n on n.farm_id = o.farm_id and n.id = o.id
    where (o.batch_id, o.pen_id, o.laid_on, o.trial, o.fate, o.fertile, o.rejected, o.reason, o.collection_id)
      is distinct from
      (n.batch_id, n.pen_id, n.laid_on, n.trial, n.fate, n.fertile, n.rejected, n.reason, n.collection_id)
  );
  return null;
end $$;
-- +goose StatementEnd

create trigger eggs_come after insert on eggs
  referencing new table as changed for each statement execute function note_change();
create trigger eggs_go after delete on eggs
  referencing old table as changed for each statement execute function note_change();
create trigger eggs_change after update on eggs
  referencing old table as before new table as changed
  for each statement execute function note_changed_eggs();
create trigger batches_change after update on batches
  referencing new table as changed for each statement execute function note_change();
create trigger batches_go after delete on batches
  referencing old table as changed for each statement execute function note_change();
create trigger young_come after insert on young_counts
  referencing new table as changed for each statement execute function note_change();
create trigger young_change after update on young_counts
  referencing new table as changed for each statement execute function note_change();
create trigger young_go after delete on young_counts
  referencing old table as changed for each statement execute function note_change();
create trigger collections_change after update on collections
  referencing new table as changed for each statement execute function note_change();

insert into egg_sums select * from egg_sums_anew;

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

-- +goose StatementBegin
create function sum_new_eggs() returns trigger language plpgsql as $$
begin
  perform sum_batches(array_agg(farm_id), array_agg(batch_id))
    from (select distinct farm_id, batch_id from new_eggs where batch_id is not null) t;
  return null;
end $$;
-- +goose StatementEnd

-- +goose StatementBegin
create function sum_gone_eggs() returns trigger language plpgsql as $$
begin
  perform sum_batches(array_agg(farm_id), array_agg(batch_id))
    from (select distinct farm_id, batch_id from old_eggs where batch_id is not null) t;
  return null;
end $$;
-- +goose StatementEnd

-- +goose StatementBegin
create function sum_changed_eggs() returns trigger language plpgsql as $$
begin
  perform sum_batches(array_agg(farm_id), array_agg(batch_id))
    from (
      select distinct o.farm_id, b.batch_id
      from old_eggs o
      join new_eggs n on n.farm_id = o.farm_id and n.id = o.id
      cross join lateral (values (o.batch_id), (n.batch_id)) b (batch_id)
      where b.batch_id is not null
        and (o.batch_id, o.pen_id, o.laid_on, o.trial, o.fate, o.fertile)
          is distinct from (n.batch_id, n.pen_id, n.laid_on, n.trial, n.fate, n.fertile)
    ) t;
  return null;
end $$;
-- +goose StatementEnd

create trigger sum_new_eggs after insert on eggs
  referencing new table as new_eggs for each statement execute function sum_new_eggs();
create trigger sum_gone_eggs after delete on eggs
  referencing old table as old_eggs for each statement execute function sum_gone_eggs();
create trigger sum_changed_eggs after update on eggs
  referencing old table as old_eggs new table as new_eggs
  for each statement execute function sum_changed_eggs();

insert into egg_sums select * from egg_sums_anew;

-- +goose Up

-- In which machine a batch stood from when to when; to_at is null where it stands. Asked for one batch, it reads
-- that batch alone, however many there are.
-- +goose StatementBegin
create function legs_of(farm bigint, batch bigint) returns table (
  machine_id bigint, hatching boolean, from_at timestamptz, to_at timestamptz, why text
) language sql stable as $$
  select p.machine_id, p.hatching, p.from_at,
    coalesce(lead(p.from_at) over (order by p.from_at, p.hatching, p.step), p.closed_at), p.why
  from (
    select b.closed_at, coalesce(
        (
          select m.from_id
          from moves m
          where m.farm_id = farm and m.batch_id = batch and not m.hatching
          order by m.at, m.id
          limit 1
        ), b.setter_id
      ) as machine_id, false as hatching, coalesce(b.split_at, b.set_at) as from_at, '' as why, 0 as step
    from batches b
    where b.farm_id = farm and b.id = batch
      and (b.split_at is null or b.locked_at is null or b.split_at < b.locked_at)
    union all
    select b.closed_at, coalesce(
        (
          select m.from_id
          from moves m
          where m.farm_id = farm and m.batch_id = batch and m.hatching
          order by m.at, m.id
          limit 1
        ), b.hatcher_id
      ), true, greatest(b.locked_at, b.split_at), '', 0
    from batches b
    where b.farm_id = farm and b.id = batch and b.locked_at is not null
    union all
    select b.closed_at, m.to_id, m.hatching, m.at, m.why, m.id
    from moves m
    join batches b on b.farm_id = farm and b.id = batch
    where m.farm_id = farm and m.batch_id = batch
  ) p
$$;
-- +goose StatementEnd

create or replace view egg_legs with (security_invoker = true) as
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
  cross join lateral legs_of(s.farm_id, s.batch_id) l
  where (s.until_at is null or l.from_at < s.until_at)
    and (s.from_at is null or l.to_at is null or l.to_at > s.from_at);
drop view batch_legs;

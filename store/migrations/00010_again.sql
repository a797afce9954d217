-- +goose Up

-- A plan may be asked for by nobody, because something goes otherwise than was planned; then the
-- settings that cannot stay where they are may move, pinned or not.
alter table plans
  add column because jsonb not null default '[]',
  add column loose bigint[] not null default '{}';

-- Whoever works on plans finds the farms that have settings ahead, and nothing else of them.
create policy door on planned to metrogon_serve using (true);
grant select (farm_id, set_on, dropped_at) on planned to metrogon_serve;

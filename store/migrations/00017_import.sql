-- +goose Up

-- Which column of a file of somebody's own holds what, remembered for the next file with the same head.
create table import_columns (
  farm_id bigint not null references farms,
  what    text not null check (length(what) <= 30),
  head    text not null check (length(head) <= 64), -- a digest of the first line
  columns jsonb not null,
  primary key (farm_id, what, head)
);
alter table import_columns enable row level security;
create policy farm_wall on import_columns to metrogon_farm
  using (farm_id = (select nullif(current_setting('app.farm_id', true), '')::bigint));
grant select, insert, update, delete on import_columns to metrogon_farm;

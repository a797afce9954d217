-- +goose Up

-- A number that is never used twice says which state of its eggs a farm has: what was
-- reckoned from all of them holds as long as it stays (farm.memory). It changes in the
-- transaction that changes eggs, the end of a batch or a count of young.
create sequence egg_versions;
grant usage on sequence egg_versions to metrogon_farm, metrogon_serve;
alter table farms add column eggs_version bigint not null default nextval('egg_versions');

-- +goose StatementBegin
create function changed_farms() returns trigger language plpgsql as $$
begin
  update farms set eggs_version = nextval('egg_versions')
  where id in (select farm_id from changed);
  return null;
end $$;
-- +goose StatementEnd

-- +goose StatementBegin
create function changed_eggs() returns trigger language plpgsql as $$
begin
  update farms set eggs_version = nextval('egg_versions')
  where id in (
    select o.farm_id
    from old_eggs o
    join changed n on n.farm_id = o.farm_id and n.id = o.id
    where (o.batch_id, o.pen_id, o.laid_on, o.trial, o.fate, o.fertile, o.rejected, o.reason, o.collection_id)
      is distinct from
      (n.batch_id, n.pen_id, n.laid_on, n.trial, n.fate, n.fertile, n.rejected, n.reason, n.collection_id)
  );
  return null;
end $$;
-- +goose StatementEnd

create trigger eggs_come after insert on eggs
  referencing new table as changed for each statement execute function changed_farms();
create trigger eggs_go after delete on eggs
  referencing old table as changed for each statement execute function changed_farms();
create trigger eggs_change after update on eggs
  referencing old table as old_eggs new table as changed
  for each statement execute function changed_eggs();
create trigger batches_change after update on batches
  referencing new table as changed for each statement execute function changed_farms();
create trigger batches_go after delete on batches
  referencing old table as changed for each statement execute function changed_farms();
create trigger young_come after insert on young_counts
  referencing new table as changed for each statement execute function changed_farms();
create trigger young_change after update on young_counts
  referencing new table as changed for each statement execute function changed_farms();
create trigger young_go after delete on young_counts
  referencing old table as changed for each statement execute function changed_farms();
create trigger collections_change after update on collections
  referencing new table as changed for each statement execute function changed_farms();

-- +goose Up

-- Ways to what pages ask for, that do not grow with a farm's past.
create index batches_left_setter on batches (
  farm_id, setter_id,
  (case when hatcher_id <> setter_id then coalesce(locked_at, closed_at) else closed_at end)
);
create index batches_left_hatcher on batches (farm_id, hatcher_id, closed_at);
create index collections_by_day on collections (farm_id, laid_on);

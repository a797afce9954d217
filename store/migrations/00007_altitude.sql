-- +goose Up

-- How high the farm lies: water leaves eggs faster in thin air, and a wet bulb reads lower.
alter table farms add column altitude_m integer not null default 0
  check (altitude_m between -400 and 5000);

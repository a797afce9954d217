-- +goose Up

-- By how many days either way the moment of setting may lie off: of eggs taken over from an abandoned nest.
alter table batches add column unsure_days double precision not null default 0 check (unsure_days between 0 and 15);

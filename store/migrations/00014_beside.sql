-- +goose Up

-- A demo farm that somebody looks around on, beside their own; thrown away with one tap.
alter table farms add column demo boolean not null default false;

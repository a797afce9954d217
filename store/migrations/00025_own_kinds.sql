-- +goose Up

-- Kinds of the farm's own, each like a shipped one, "duck~Cayuga"; and where the farm has its own figures from.
alter table farms add column own_kinds text[] not null default '{}' check (cardinality(own_kinds) <= 40);
alter table own_figures add column source text not null default '' check (length(source) <= 120);

-- +goose Up

-- What was noticed of a machine or a batch, and what happened to it.
create table notes (
  farm_id    bigint not null references farms,
  id         bigint generated always as identity,
  machine_id bigint,
  batch_id   bigint,
  at         timestamptz not null, -- when it began
  kind       text not null check (kind in ('note', 'lid', 'dry', 'cold', 'hot', 'power', 'jolt')),
  minutes    integer check (minutes between 1 and 20160), -- that it lasted
  temp_c     double precision check (temp_c between 0 and 50), -- the worst that was read
  says       text not null default '' check (length(says) <= 500),
  person_id  bigint references people,
  primary key (farm_id, id),
  foreign key (farm_id, machine_id) references machines (farm_id, id),
  foreign key (farm_id, batch_id) references batches (farm_id, id),
  constraint notes_of_one check ((machine_id is null) <> (batch_id is null)),
  constraint notes_something check (kind <> 'note' or says <> '')
);
create index notes_of_machine on notes (farm_id, machine_id, at desc);
create index notes_of_batch on notes (farm_id, batch_id, at desc);
alter table notes enable row level security;
create policy farm_wall on notes to metrogon_farm
  using (farm_id = (select nullif(current_setting('app.farm_id', true), '')::bigint));
grant select, insert, update, delete on notes to metrogon_farm;

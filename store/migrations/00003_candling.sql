-- +goose Up

alter table calls drop constraint calls_call_check,
  add constraint calls_call_check check (call in (
    'live', 'clear', 'ring', 'quit', 'unsure', 'unseen', 'cracked', 'bad', 'displaced'
  ));

-- Eggs weighed together: a whole batch, or those of one tray.
create table weighings (
  farm_id  bigint not null references farms,
  id       bigint generated always as identity,
  batch_id bigint not null,
  tray_id  bigint, -- null: the whole batch
  at       timestamptz not null,
  eggs     integer not null check (eggs between 1 and 10000),
  mass_g   double precision not null check (mass_g > 0),
  rh_pct   double precision not null check (rh_pct between 1 and 100), -- held since the weighing before
  temp_c   double precision not null check (temp_c between 10 and 45),
  primary key (farm_id, id),
  foreign key (farm_id, batch_id) references batches (farm_id, id) on delete cascade,
  foreign key (farm_id, tray_id) references trays (farm_id, id)
);
create index weighings_of_batch on weighings (farm_id, batch_id, at);
alter table weighings enable row level security;
create policy farm_wall on weighings to metrogon_farm
  using (farm_id = (select nullif(current_setting('app.farm_id', true), '')::bigint));
grant select, insert, update, delete on weighings to metrogon_farm;

alter table calls add column person_id bigint references people; -- who candled
alter table eggs add column opened text; -- what an egg that was taken out showed on opening

-- +goose Up

alter table farms
  add column last_mark  text not null default '',  -- the pencil code given last
  add column warm_hours integer not null default 24 check (warm_hours between 0 and 168),
  add column rest_hours integer not null default 24 check (rest_hours between 12 and 48);

-- A supplier is a source of eggs as a pen is, with rates of its own.
alter table pens add column supplier boolean not null default false;

alter table machines add column by_hand boolean not null default false; -- has no turner
alter table machine_room add column per_place integer not null default 1 check (per_place between 1 and 20);

-- A farm's own values in place of the shipped ones.
create table own_figures (
  farm_id bigint not null references farms,
  species text not null,
  figure  text not null,
  at      double precision not null default 0,
  low     double precision not null default 0,
  high    double precision not null default 0,
  days    integer[] not null default '{}',
  primary key (farm_id, species, figure)
);

create table methods (
  farm_id    bigint not null references farms,
  species    text not null,
  school     text not null check (school in ('wet', 'dry', 'by weight')),
  hand_turns integer not null check (hand_turns in (3, 5, 7)),
  washing    text not null check (washing in ('unwashed', 'dry-brushed', 'washed warm')),
  mistings   integer not null check (mistings between 0 and 2),
  cool_min   integer not null check (cool_min between 0 and 30),
  primary key (farm_id, species)
);

-- Where eggs wait.
create table places (
  farm_id  bigint not null references farms,
  id       bigint generated always as identity,
  name     text not null check (length(name) between 1 and 60),
  temp_c   double precision check (temp_c between -10 and 45), -- read last
  rh_pct   double precision check (rh_pct between 0 and 100),
  until_on date,
  primary key (farm_id, id),
  unique (farm_id, name)
);

alter table collections
  add column at        timestamptz,                -- when gathered; null: on that day
  add column hen       text not null default '' check (length(hen) <= 30),
  add column washing   text not null default '' check (washing in ('', 'unwashed', 'dry-brushed', 'washed warm')),
  add column wash_with text not null default '' check (length(wash_with) <= 60),
  add column place_id  bigint,
  add column ready_at  timestamptz,                -- shipped eggs rest until then
  add foreign key (farm_id, place_id) references places (farm_id, id);

create index collections_of_pen on collections (farm_id, pen_id);

create table parcels (
  farm_id       bigint not null references farms,
  id            bigint generated always as identity,
  pen_id        bigint not null, -- the supplier's
  ordered       integer not null check (ordered between 1 and 2000),
  ordered_on    date not null,
  sent          integer check (sent between 0 and 2000),
  broken        integer check (broken between 0 and sent),
  loose         integer check (loose >= 0),     -- loose air cells
  displaced     integer check (displaced >= 0), -- displaced air cells
  arrived_at    timestamptz,
  note          text not null default '' check (length(note) <= 500),
  collection_id bigint,
  primary key (farm_id, id),
  foreign key (farm_id, pen_id) references pens (farm_id, id),
  foreign key (farm_id, collection_id) references collections (farm_id, id),
  check ((arrived_at is null) = (sent is null) and (sent is null) = (broken is null))
);

-- Places for eggs in a machine: rows of columns, or, with no rows, so many loose.
create table trays (
  farm_id      bigint not null references farms,
  id           bigint generated always as identity,
  machine_id   bigint not null,
  name         text not null check (length(name) between 1 and 30),
  tray_rows    integer not null check (tray_rows between 0 and 60),
  tray_columns integer not null check (tray_columns between 1 and 1000),
  warm         integer[] not null default '{}', -- places known to be warm, or cool
  cool         integer[] not null default '{}',
  until_on     date,
  primary key (farm_id, id),
  unique (farm_id, machine_id, name),
  foreign key (farm_id, machine_id) references machines (farm_id, id),
  check (greatest(tray_rows, 1) * tray_columns <= 1000)
);

alter table eggs
  add column mark       text, -- its pencil code, unique while it lives
  add column reason     text, -- why rejected
  add column mass_g     double precision check (mass_g between 0.3 and 400),
  add column length_mm  double precision check (length_mm between 8 and 150),
  add column breadth_mm double precision check (breadth_mm between 6 and 120),
  add column tray_id    bigint,
  add column place      integer check (place >= 0),
  add foreign key (farm_id, tray_id) references trays (farm_id, id),
  add check ((tray_id is null) = (place is null));
create unique index eggs_mark on eggs (farm_id, mark) where mark is not null and fate is null;
create index eggs_unmarked on eggs (farm_id) where mark is null and fate is null and not rejected;
-- What eggs did by age is counted from the index alone.
drop index eggs_of_pen;
create index eggs_of_pen on eggs (farm_id, pen_id, batch_id, laid_on)
  include (fate, fertile, rejected, reason, collection_id);
create index eggs_weighed on eggs (farm_id, pen_id) include (mass_g) where mass_g is not null;
create index eggs_of_tray on eggs (farm_id, tray_id) where tray_id is not null and fate is null;

-- What was done again and again to a batch, a machine or a place: turned,
-- misted, cooled; a step of making ready; tilted.
create table care (
  farm_id    bigint not null references farms,
  id         bigint generated always as identity,
  at         timestamptz not null,
  person_id  bigint references people,
  kind       text not null,
  batch_id   bigint,
  machine_id bigint,
  place_id   bigint,
  primary key (farm_id, id),
  foreign key (farm_id, batch_id) references batches (farm_id, id) on delete cascade,
  foreign key (farm_id, machine_id) references machines (farm_id, id),
  foreign key (farm_id, place_id) references places (farm_id, id),
  check (num_nonnulls(batch_id, machine_id, place_id) = 1)
);
create index care_of_batch on care (farm_id, batch_id, at) where batch_id is not null;
create index care_of_machine on care (farm_id, machine_id, kind, at) where machine_id is not null;
create index care_of_place on care (farm_id, place_id, at) where place_id is not null;

-- +goose StatementBegin
do $$ declare t text; begin
  foreach t in array array['own_figures', 'methods', 'places', 'parcels', 'trays', 'care'] loop
    execute format('alter table %I enable row level security', t);
    execute format('create policy farm_wall on %I to metrogon_farm
      using (farm_id = (select nullif(current_setting(''app.farm_id'', true), '''')::bigint))', t);
    execute format('grant select, insert, update, delete on %I to metrogon_farm', t);
  end loop;
end $$;
-- +goose StatementEnd

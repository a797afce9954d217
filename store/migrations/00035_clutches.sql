-- +goose Up

-- A box with eggs of reptiles in damp substrate, on the shelf of a machine. Filled anew it is a box anew.
create table boxes (
  farm_id    bigint not null references farms,
  id         bigint generated always as identity,
  machine_id bigint not null,
  name       text not null check (length(name) between 1 and 40),
  kind       text not null check (kind in ('closed', 'over-water', 'hatch-rack')),
  substrate  text not null check (substrate in ('vermiculite', 'perlite', 'mix', 'moss', 'sand', 'none')),
  dry_g      double precision check (dry_g > 0 and dry_g <= 20000), -- of substrate
  water_g    double precision check (water_g > 0 and water_g <= 20000), -- that it was filled with
  cols       smallint not null check (cols between 1 and 12),
  rows       smallint not null check (rows between 1 and 12),
  began_at   timestamptz not null,
  ended_at   timestamptz, -- emptied
  primary key (farm_id, id),
  foreign key (farm_id, machine_id) references machines (farm_id, id),
  constraint boxes_times_check check (ended_at >= began_at)
);
create unique index boxes_name on boxes (farm_id, lower(name)) where ended_at is null;

-- What was done to a box.
create table box_logs (
  farm_id   bigint not null references farms,
  id        bigint generated always as identity,
  box_id    bigint not null,
  at        timestamptz not null,
  kind      text not null check (kind in ('weighed', 'aired')), -- aired: the lid off, looked for mould
  mass_g    double precision check (mass_g > 0 and mass_g <= 50000),
  gave_g    double precision not null default 0 check (gave_g between 0 and 5000), -- water, afterwards
  anew      boolean not null default false, -- what lies in it had changed: measured anew from here on
  mould     integer not null default 0 check (mould between 0 and 1000), -- eggs with mould
  person_id bigint references people,
  primary key (farm_id, id),
  foreign key (farm_id, box_id) references boxes (farm_id, id) on delete cascade,
  constraint box_logs_mass_check check ((kind = 'weighed') = (mass_g is not null))
);
create index box_logs_of_box on box_logs (farm_id, box_id, at);

-- A batch of a reptile's eggs, of one female.
create table clutches (
  farm_id   bigint not null references farms,
  batch_id  bigint not null,
  box_id    bigint not null,
  dam_id    bigint, -- null: nobody knows, or she has no name here
  -- stored: by sperm of an earlier mating
  sired     text not null check (sired in ('one', 'several', 'stored', 'unknown')),
  sire_id   bigint,
  laid_from timestamptz not null, -- laid at some time between the two
  laid_to   timestamptz not null,
  slugs     integer not null default 0 check (slugs between 0 and 200), -- infertile ones, thrown out at once
  marked    boolean not null, -- their tops, at once
  permit    text not null default '' check (length(permit) <= 100), -- papers of protected kinds
  primary key (farm_id, batch_id),
  foreign key (farm_id, batch_id) references batches (farm_id, id) on delete cascade,
  foreign key (farm_id, box_id) references boxes (farm_id, id),
  foreign key (farm_id, dam_id) references birds (farm_id, id),
  foreign key (farm_id, sire_id) references birds (farm_id, id),
  constraint clutches_laid_check check (laid_to >= laid_from),
  constraint clutches_sire_check check (sired = 'one' or sire_id is null)
);
create index clutches_of_box on clutches (farm_id, box_id);
create index clutches_of_dam on clutches (farm_id, dam_id);

-- Where each egg lies in its box, top up; those that stick together have one number.
create table clutch_eggs (
  farm_id  bigint not null references farms,
  egg_id   bigint not null,
  batch_id bigint not null,
  box_id   bigint not null,
  spot     smallint not null check (spot between 0 and 143), -- row by row
  stuck    smallint not null default 0 check (stuck between 0 and 50),
  primary key (farm_id, egg_id),
  unique (farm_id, box_id, spot) deferrable initially deferred,
  foreign key (farm_id, egg_id) references eggs (farm_id, id) on delete cascade,
  foreign key (farm_id, batch_id) references clutches (farm_id, batch_id) on delete cascade,
  foreign key (farm_id, box_id) references boxes (farm_id, id)
);
create index clutch_eggs_of_batch on clutch_eggs (farm_id, batch_id);

-- At which temperature a clutch is kept from a moment on, which may be to come; probes tell better.
create table clutch_temps (
  farm_id    bigint not null references farms,
  id         bigint generated always as identity,
  batch_id   bigint not null,
  from_at    timestamptz not null,
  temp_c     double precision not null check (temp_c between 5 and 45),
  night_c    double precision check (night_c between 5 and 45), -- null: the same by night
  night_from time not null default '20:00',
  night_h    double precision not null default 0 check (night_h between 0 and 23),
  planned    boolean not null default false, -- it was to come when it was written down
  person_id  bigint references people,
  primary key (farm_id, id),
  foreign key (farm_id, batch_id) references clutches (farm_id, batch_id) on delete cascade,
  constraint clutch_temps_night_check check ((night_c is null) = (night_h = 0))
);
create index clutch_temps_of_batch on clutch_temps (farm_id, batch_id, from_at);

-- What was seen of an egg that was not moved.
create table egg_signs (
  farm_id   bigint not null references farms,
  id        bigint generated always as identity,
  egg_id    bigint not null,
  at        timestamptz not null,
  sign      text not null check (sign in (
    'fine', 'veins', 'opaque', 'pale', 'windowed', 'dented', 'sweating', 'mouldy', 'caved', 'smelly'
  )),
  person_id bigint references people,
  primary key (farm_id, id),
  foreign key (farm_id, egg_id) references eggs (farm_id, id) on delete cascade
);
create index egg_signs_of_egg on egg_signs (farm_id, egg_id, at);

-- Eggs of a clutch on the scale together.
create table clutch_masses (
  farm_id   bigint not null references farms,
  id        bigint generated always as identity,
  batch_id  bigint not null,
  at        timestamptz not null,
  eggs      integer not null check (eggs between 1 and 200),
  mass_g    double precision not null check (mass_g > 0 and mass_g <= 20000), -- of all
  person_id bigint references people,
  primary key (farm_id, id),
  foreign key (farm_id, batch_id) references clutches (farm_id, batch_id) on delete cascade
);
create index clutch_masses_of_batch on clutch_masses (farm_id, batch_id, at);

-- Why an egg that was opened may not have hatched, as its keeper thinks.
create table leftover_causes (
  farm_id bigint not null references farms,
  egg_id  bigint not null,
  cause   text not null check (length(cause) between 1 and 40),
  primary key (farm_id, egg_id),
  foreign key (farm_id, egg_id) references eggs (farm_id, id) on delete cascade
);

-- A young of a reptile: when it left the box, its yolk taken in, first shed, first fed.
alter table young add column left_at timestamptz;
alter table young add column shed_on date;
alter table young add column fed_on date;

-- What the temperatures of a clutch make of its days: how much has developed at a moment, when it hatches.
alter table batches add column grown double precision constraint batches_grown_check check (grown between 0 and 1);
alter table batches add column grown_at timestamptz;
alter table batches add column due_at timestamptz;
alter table batches add column due_from timestamptz;
alter table batches add column due_to timestamptz;
alter table batches add constraint batches_due_check check (due_from <= due_at and due_at <= due_to);

alter table journal_subjects drop constraint journal_subjects_kind_check;
alter table journal_subjects add constraint journal_subjects_kind_check check (kind in (
  'batch', 'pen', 'parcel', 'machine', 'place', 'person', 'order', 'planned', 'plan', 'season', 'bird',
  'brood', 'brooder', 'instrument', 'alarm', 'box'
));

-- Whether a farm has an incubator for reptiles' boxes; asked before anybody is on the farm.
-- +goose StatementBegin
create function has_reptiles(farm bigint) returns boolean
language sql stable security definer set search_path = public as $$
  select exists (select from machines where farm_id = farm and kind = 'reptile-box' and until_on is null)
$$;
-- +goose StatementEnd

-- Clutches that were set before are clutches from now on, each in a box of its own.
-- +goose StatementBegin
do $$ declare b record; made bigint; begin
  for b in select * from batches where temp_c is not null order by farm_id, id loop
    insert into boxes (farm_id, machine_id, name, kind, substrate, cols, rows, began_at, ended_at)
    values (
      b.farm_id, b.setter_id, left('Box of ' || b.code, 40), 'closed', 'vermiculite', 12, 12, b.set_at, b.closed_at
    )
    returning id into made;
    insert into clutches (farm_id, batch_id, box_id, sired, laid_from, laid_to, marked)
    values (b.farm_id, b.id, made, 'unknown', b.set_at, b.set_at, true);
    insert into clutch_temps (farm_id, batch_id, from_at, temp_c) values (b.farm_id, b.id, b.set_at, b.temp_c);
    insert into clutch_eggs (farm_id, egg_id, batch_id, box_id, spot)
    select farm_id, id, batch_id, made, no - 1
    from eggs
    where farm_id = b.farm_id and batch_id = b.id and no <= 144;
  end loop;
end $$;
-- +goose StatementEnd

-- +goose StatementBegin
do $$ declare t text; begin
  foreach t in array array[
    'boxes', 'box_logs', 'clutches', 'clutch_eggs', 'clutch_temps', 'egg_signs', 'clutch_masses', 'leftover_causes'
  ] loop
    execute format('alter table %I enable row level security', t);
    execute format('create policy farm_wall on %I to metrogon_farm
      using (farm_id = (select nullif(current_setting(''app.farm_id'', true), '''')::bigint))', t);
    execute format('grant select, insert, update, delete on %I to metrogon_farm', t);
  end loop;
end $$;
-- +goose StatementEnd

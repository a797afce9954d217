-- +goose Up

-- Young that are raised together: where they came from, and where they are.
create table broods (
  farm_id    bigint not null references farms,
  id         bigint generated always as identity,
  species    text not null,
  batch_id   bigint, -- of which they hatched; null: bought
  pen_id     bigint, -- their parents'; null: of several, or nobody knows
  hatched_on date not null,
  began_on   date not null, -- when they came into the brooder
  heads      integer not null check (heads between 1 and 100000), -- that came
  brooder_id bigint, -- null: in none
  place      text not null default '' check (length(place) <= 60), -- where, if in no brooder
  split_from bigint, -- the group of which they were a part
  primary key (farm_id, id),
  foreign key (farm_id, batch_id) references batches (farm_id, id),
  foreign key (farm_id, pen_id) references pens (farm_id, id),
  foreign key (farm_id, brooder_id) references brooders (farm_id, id),
  constraint broods_days_check check (began_on >= hatched_on),
  constraint broods_where_check check ((brooder_id is null) = (place <> ''))
);
create index broods_of_batch on broods (farm_id, batch_id);

-- Young that left a group: died, sold, and so on.
create table brood_outs (
  farm_id   bigint not null references farms,
  id        bigint generated always as identity,
  brood_id  bigint not null,
  at        timestamptz not null,
  heads     integer not null check (heads between 1 and 100000),
  why       text not null check (why in ('died', 'culled', 'sold', 'given away', 'to a pen', 'lost', 'miscounted')),
  cause     text not null default '' check (length(cause) <= 100), -- of death; or to whom
  price     double precision check (price between 0 and 100000), -- of all together
  pen_id    bigint,
  person_id bigint references people,
  primary key (farm_id, id),
  foreign key (farm_id, brood_id) references broods (farm_id, id) on delete cascade,
  foreign key (farm_id, pen_id) references pens (farm_id, id)
);
create index brood_outs_of_brood on brood_outs (farm_id, brood_id, at);

-- How warm a brooder was made under its heat.
create table brooder_heat (
  farm_id    bigint not null references farms,
  id         bigint generated always as identity,
  brooder_id bigint not null,
  at         timestamptz not null,
  temp_c     double precision not null check (temp_c between 10 and 45),
  person_id  bigint references people,
  primary key (farm_id, id),
  foreign key (farm_id, brooder_id) references brooders (farm_id, id) on delete cascade
);
create index brooder_heat_of_brooder on brooder_heat (farm_id, brooder_id, at desc);

alter table journal_subjects drop constraint journal_subjects_kind_check;
alter table journal_subjects add constraint journal_subjects_kind_check check (kind in (
  'batch', 'pen', 'parcel', 'machine', 'place', 'person', 'order', 'planned', 'plan', 'season', 'bird',
  'brood', 'brooder'
));

-- Never more young leave a group than came.
-- +goose StatementBegin
create function brood_fit() returns trigger language plpgsql as $$
begin
  if exists (
    select
    from broods b
    where b.farm_id = new.farm_id and b.id = new.brood_id and b.heads < (
      select sum(o.heads) from brood_outs o where o.farm_id = b.farm_id and o.brood_id = b.id
    )
  ) then
    raise exception 'more young left group % of farm % than came', new.brood_id, new.farm_id
      using errcode = 'check_violation', constraint = 'brood_fit';
  end if;
  return null;
end $$;
-- +goose StatementEnd
create constraint trigger brood_fit after insert or update on brood_outs
  deferrable initially deferred for each row execute function brood_fit();

-- +goose StatementBegin
do $$ declare t text; begin
  foreach t in array array['broods', 'brood_outs', 'brooder_heat'] loop
    execute format('alter table %I enable row level security', t);
    execute format('create policy farm_wall on %I to metrogon_farm
      using (farm_id = (select nullif(current_setting(''app.farm_id'', true), '''')::bigint))', t);
    execute format('grant select, insert, update, delete on %I to metrogon_farm', t);
  end loop;
end $$;
-- +goose StatementEnd

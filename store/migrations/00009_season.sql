-- +goose Up

-- What is promised to whom. The name stays on the farm: no page that leaves it shows it.
create table orders (
  farm_id   bigint not null references farms,
  id        bigint generated always as identity,
  who       text not null check (length(who) between 1 and 80),
  what      text not null check (what in ('young', 'pullets', 'eggs')),
  species   text not null,
  pens      bigint[] not null default '{}', -- any of them; none named: any pen of the kind
  count     integer not null check (count between 1 and 10000),
  from_on   date not null, -- young are pulled, eggs handed over, between the two
  to_on     date not null,
  sure_pct  smallint not null default 80 check (sure_pct between 50 and 99),
  price     double precision check (price between 0 and 100000), -- of one
  delivered integer not null default 0 check (delivered between 0 and 100000),
  note      text not null default '' check (length(note) <= 500),
  ended_on  date, -- delivered or called off
  primary key (farm_id, id),
  constraint orders_window_check check (to_on >= from_on)
);

-- Days on which nobody is there for some of the work.
create table away (
  farm_id bigint not null references farms,
  id      bigint generated always as identity,
  from_on date not null,
  to_on   date not null,
  actions text[] not null
    check (cardinality(actions) > 0 and actions <@ array['set', 'lockdown', 'pull']),
  why     text not null default '' check (length(why) <= 60),
  primary key (farm_id, id),
  constraint away_days_check check (to_on >= from_on)
);

-- Days on which a machine takes no eggs: broken, lent, promised to a friend. Without an
-- end it stays shut until somebody says otherwise.
create table closures (
  farm_id    bigint not null references farms,
  id         bigint generated always as identity,
  machine_id bigint not null,
  from_on    date not null,
  to_on      date,
  why        text not null default '' check (length(why) <= 60),
  primary key (farm_id, id),
  foreign key (farm_id, machine_id) references machines (farm_id, id),
  constraint closures_days_check check (to_on >= from_on)
);

create table brooders (
  farm_id  bigint not null references farms,
  id       bigint generated always as identity,
  name     text not null check (length(name) between 1 and 60),
  places   integer not null check (places between 1 and 100000), -- a chick takes one
  until_on date,
  primary key (farm_id, id),
  unique (farm_id, name)
);

-- Days that a machine stands empty after a hatch, to be cleaned and dried.
alter table machines
  add column clean_days smallint not null default 1
    constraint machines_clean_days_check check (clean_days between 0 and 30);

-- A plan is made by a job: asked for, worked on, done. What it is made of and its answer
-- are those of core/season. beat_at tells that somebody is still at work.
create table plans (
  farm_id   bigint not null references farms,
  id        bigint generated always as identity,
  state     text not null default 'waiting'
    check (state in ('waiting', 'running', 'done', 'cancelled', 'failed')),
  asked_at  timestamptz not null,
  from_on   date not null, -- the plan's day 0
  person_id bigint references people,
  seconds   smallint not null check (seconds between 1 and 600),
  what_if   jsonb, -- null: the farm as it is
  request   jsonb not null,
  answer    jsonb,
  says      text not null default '', -- why it failed
  score     double precision, -- so far
  bound     double precision,
  steps     bigint not null default 0,
  beat_at   timestamptz,
  taken     integer[] not null default '{}', -- settings of the answer that were accepted
  thrown_at timestamptz,
  primary key (farm_id, id)
);
create index plans_open on plans (state, beat_at) where state in ('waiting', 'running');

-- Batches that are to be set. Once set they have their batch.
create table planned (
  farm_id    bigint not null references farms,
  id         bigint generated always as identity,
  species    text not null,
  setter_id  bigint not null,
  hatcher_id bigint not null,
  set_on     date not null,
  pinned     boolean not null default true, -- planning again leaves it where it is
  says       text not null default '' check (length(says) <= 2000),
  batch_id   bigint,
  dropped_at timestamptz,
  primary key (farm_id, id),
  foreign key (farm_id, setter_id) references machines (farm_id, id),
  foreign key (farm_id, hatcher_id) references machines (farm_id, id),
  foreign key (farm_id, batch_id) references batches (farm_id, id) on delete set null (batch_id)
);
create index planned_ahead on planned (farm_id, set_on) where batch_id is null and dropped_at is null;

-- With the eggs for it, in store or to be laid, and the young that promises get of them.
create table planned_eggs (
  farm_id    bigint not null references farms,
  planned_id bigint not null,
  pen_id     bigint not null,
  laid_on    date not null,
  eggs       integer not null check (eggs between 1 and 10000),
  primary key (farm_id, planned_id, pen_id, laid_on),
  foreign key (farm_id, planned_id) references planned (farm_id, id) on delete cascade,
  foreign key (farm_id, pen_id) references pens (farm_id, id)
);
create table planned_for (
  farm_id    bigint not null references farms,
  planned_id bigint not null,
  order_id   bigint not null,
  young      double precision not null check (young > 0 and young < 1e6),
  primary key (farm_id, planned_id, order_id),
  foreign key (farm_id, planned_id) references planned (farm_id, id) on delete cascade,
  foreign key (farm_id, order_id) references orders (farm_id, id)
);

-- Settings that the next plan may not make.
create table bans (
  farm_id    bigint not null references farms,
  id         bigint generated always as identity,
  species    text not null,
  machine_id bigint not null,
  from_on    date not null,
  to_on      date not null,
  primary key (farm_id, id),
  foreign key (farm_id, machine_id) references machines (farm_id, id),
  constraint bans_days_check check (to_on >= from_on)
);

alter table journal_subjects drop constraint journal_subjects_kind_check;
alter table journal_subjects add constraint journal_subjects_kind_check check (kind in (
  'batch', 'pen', 'parcel', 'machine', 'place', 'person', 'order', 'planned', 'plan', 'season'
));

-- +goose StatementBegin
do $$ declare t text; begin
  foreach t in array array[
    'orders', 'away', 'closures', 'brooders', 'plans', 'planned', 'planned_eggs', 'planned_for', 'bans'
  ] loop
    execute format('alter table %I enable row level security', t);
    execute format('create policy farm_wall on %I to metrogon_farm
      using (farm_id = (select nullif(current_setting(''app.farm_id'', true), '''')::bigint))', t);
    execute format('grant select, insert, update, delete on %I to metrogon_farm', t);
  end loop;
end $$;
-- +goose StatementEnd

-- Whoever works on plans finds those of all farms that wait, and nothing else of them.
create policy door on plans to metrogon_serve using (true);
grant select (farm_id, id, state, beat_at) on plans to metrogon_serve;

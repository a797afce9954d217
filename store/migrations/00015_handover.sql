-- +goose Up

-- A list of what is due on certain days, by link, for whoever looks after the farm meanwhile.
create table handovers (
  farm_id      bigint not null references farms,
  id           bigint generated always as identity,
  digest       bytea not null unique, -- of the secret in the link
  name         text not null check (length(name) between 1 and 80), -- of whom it is for
  call         text not null default '' check (length(call) <= 200),
  note         text not null default '' check (length(note) <= 1000),
  from_on      date not null,
  to_on        date not null,
  made_by      bigint not null references people,
  made_at      timestamptz not null,
  withdrawn_at timestamptz,
  primary key (farm_id, id),
  constraint handovers_days_check check (to_on >= from_on and to_on <= from_on + 31)
);

create table handover_ticks (
  farm_id     bigint not null references farms,
  handover_id bigint not null,
  item        text not null check (length(item) <= 120),
  at          timestamptz not null,
  entry_id    bigint, -- the line of the journal, where what was ticked is on record
  primary key (farm_id, handover_id, item),
  foreign key (farm_id, handover_id) references handovers (farm_id, id)
);

-- +goose StatementBegin
do $$ declare t text; begin
  foreach t in array array['handovers', 'handover_ticks'] loop
    execute format('alter table %I enable row level security', t);
    execute format('create policy farm_wall on %I to metrogon_farm
      using (farm_id = (select nullif(current_setting(''app.farm_id'', true), '''')::bigint))', t);
    execute format('grant select, insert, update, delete on %I to metrogon_farm', t);
  end loop;
end $$;
-- +goose StatementEnd

-- Whoever has a link is led to its farm.
create policy door on handovers to metrogon_serve using (true);
grant select (farm_id, id, digest, made_by) on handovers to metrogon_serve;

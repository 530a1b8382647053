-- +goose Up
create table profiles (
    id          text primary key,
    delivery_id text not null references deliveries,
    layout      jsonb not null default '{}',
    job_id      bigint,
    state       text not null default 'waiting' check (state in ('waiting', 'running', 'done', 'failed', 'cancelled')),
    bytes_done  bigint not null default 0,
    rows_done   bigint not null default 0,
    result      json,
    looked      jsonb not null default '[]',
    error       text,
    created_at  timestamptz not null default now(),
    started_at  timestamptz,
    finished_at timestamptz
);
comment on column profiles.layout is 'settings made by hand; the others are detected';
comment on column profiles.looked is 'columns that a steward has looked at';
create index profiles_delivery on profiles (delivery_id, created_at desc);

-- +goose Down
drop table profiles;

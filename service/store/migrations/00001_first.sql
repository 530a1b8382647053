-- +goose Up
create table deliveries (
    id         text primary key,
    name       text not null,
    bytes      bigint not null,
    sha256     text not null,
    arrived_at timestamptz not null default now(),
    repeat_of  text references deliveries,
    inbox_mark text unique
);
comment on column deliveries.repeat_of is 'the first delivery of the same bytes';
comment on column deliveries.inbox_mark is 'name, size and time of a file of the inbox, so that it is taken once';
create index deliveries_arrived_at on deliveries (arrived_at desc, id);
create index deliveries_sha256 on deliveries (sha256);

create table targets (
    name     text not null,
    version  integer not null,
    title    text not null,
    text     text not null,
    sha256   text not null,
    added_at timestamptz not null default now(),
    primary key (name, version),
    unique (name, sha256)
);

create table runs (
    id             text primary key,
    delivery_id    text not null references deliveries,
    target_name    text,
    target_version integer,
    layout         jsonb not null default '{}',
    job_id         bigint,
    state          text not null default 'waiting' check (state in ('waiting', 'running', 'done', 'failed', 'cancelled')),
    bytes_done     bigint not null default 0,
    rows_done      bigint not null default 0,
    verdict        text,
    result         jsonb,
    error          text,
    created_at     timestamptz not null default now(),
    started_at     timestamptz,
    finished_at    timestamptz,
    foreign key (target_name, target_version) references targets
);
comment on column runs.layout is 'settings made by hand; the others are detected';
create index runs_delivery on runs (delivery_id, created_at desc);
create index runs_created_at on runs (created_at desc, id);

-- +goose Down
drop table runs;
drop table targets;
drop table deliveries;

-- +goose Up
alter table runs
    add column tries         integer not null default 0,
    add column deaths        integer not null default 0,
    add column trouble       text,
    add column trouble_since timestamptz,
    add column next_try_at   timestamptz;
comment on column runs.tries is 'how often the work was broken off by a trouble that may pass';
comment on column runs.deaths is 'how often the service died under the work';
comment on column runs.trouble is 'the last of these troubles';
alter table profiles
    add column tries         integer not null default 0,
    add column deaths        integer not null default 0,
    add column trouble       text,
    add column trouble_since timestamptz,
    add column next_try_at   timestamptz;

create table data_folder (
    single     boolean primary key default true check (single),
    id         text not null,
    path       text not null,
    claimed_at timestamptz not null default now()
);
comment on table data_folder is 'the data folder that holds the bytes of all deliveries of this database';

-- +goose Down
drop table data_folder;
alter table profiles drop column tries, drop column deaths, drop column trouble, drop column trouble_since, drop column next_try_at;
alter table runs drop column tries, drop column deaths, drop column trouble, drop column trouble_since, drop column next_try_at;

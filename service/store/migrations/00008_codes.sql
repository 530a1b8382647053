-- +goose Up
create table codes (
    name     text not null,
    version  integer not null,
    title    text not null,
    text     text not null,
    sha256   text not null,
    added_at timestamptz not null default now(),
    primary key (name, version),
    unique (name, sha256)
);

alter table runs add column codes jsonb not null default '{}';
comment on column runs.codes is 'for each code list that the target names, its version';

-- +goose Down
alter table runs drop column codes;
drop table codes;

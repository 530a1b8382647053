-- +goose Up
create table mappings (
    name     text not null,
    version  integer not null,
    title    text not null,
    target   text not null,
    text     text not null,
    sha256   text not null,
    added_at timestamptz not null default now(),
    primary key (name, version),
    unique (name, sha256)
);
comment on column mappings.target is 'name of the target that it is for';
create index mappings_target on mappings (target);

alter table runs
    add column mapping_name    text,
    add column mapping_version integer,
    add foreign key (mapping_name, mapping_version) references mappings;

-- +goose Down
alter table runs drop column mapping_name, drop column mapping_version;
drop table mappings;

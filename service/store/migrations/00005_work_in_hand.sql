-- +goose Up
alter table deliveries
    add column note       text not null default '',
    add column arrived_as text,
    add column refusal    text,
    add column by_hand    jsonb;
comment on column deliveries.arrived_as is 'the name with which it arrived, where it was renamed';
comment on column deliveries.refusal is 'why it cannot be read as a table, told when it arrived';
comment on column deliveries.layout is 'all settings of the layout that was saved; runs read by them unless told otherwise';
comment on column deliveries.by_hand is 'names of those settings that were made by hand; null for all of them';

create table drafts (
    delivery_id text not null references deliveries on delete cascade,
    kind        text not null check (kind in ('layout', 'target')),
    content     jsonb not null,
    changed_at  timestamptz not null default now(),
    primary key (delivery_id, kind)
);
comment on table drafts is 'work of a steward that is not saved yet';

create table deletions (
    id         text primary key,
    name       text not null,
    bytes      bigint not null,
    sha256     text not null,
    arrived_at timestamptz not null,
    deleted_at timestamptz not null default now()
);
comment on table deletions is 'deliveries that were deleted';

alter table profiles add column share double precision;
comment on column profiles.share is 'of a column''s values that are of a datatype where it is concluded; null for the usual one';

alter table runs add column sums boolean not null default false;
comment on column runs.sums is 'the manifest gives the outputs'' SHA-256 as well';

-- +goose Down
alter table runs drop column sums;
alter table profiles drop column share;
drop table deletions;
drop table drafts;
alter table deliveries drop column note, drop column arrived_as, drop column refusal, drop column by_hand;

-- +goose Up
alter table drafts drop constraint drafts_kind_check,
    add constraint drafts_kind_check check (kind in ('layout', 'target', 'rules'));

alter table targets add column added_by text not null default '';
alter table mappings add column added_by text not null default '';
alter table codes add column added_by text not null default '';
comment on column targets.added_by is 'who added the version, as the request said; not checked';

-- What is said of a text as a whole, whatever its version.
create table shelves (
    library    text not null check (library in ('targets', 'mappings', 'codes')),
    name       text not null,
    retired_at timestamptz,
    draft      text,
    draft_at   timestamptz,
    primary key (library, name)
);
comment on column shelves.draft is 'text of a version that is not saved yet';
comment on table shelves is 'targets, mappings and code lists that are retired: lists leave them out, and they can still be used';

-- +goose Down
drop table shelves;
alter table codes drop column added_by;
alter table mappings drop column added_by;
alter table targets drop column added_by;
delete from drafts where kind = 'rules';
alter table drafts drop constraint drafts_kind_check,
    add constraint drafts_kind_check check (kind in ('layout', 'target'));

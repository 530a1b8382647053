-- +goose Up
alter table shelves add column draft_version integer not null default 0;
comment on column shelves.draft_version is 'version that the draft began with; 0 where that is not known';

-- +goose Down
alter table shelves drop column draft_version;

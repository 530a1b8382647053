-- +goose Up
-- A text may become the newest version again.
alter table targets drop constraint targets_name_sha256_key;
alter table mappings drop constraint mappings_name_sha256_key;
alter table codes drop constraint codes_name_sha256_key;

-- +goose Down
-- Versions stay: there may be some with the same text.
select 1;

-- +goose Up
alter table runs add column refers_to jsonb not null default '{}';
comment on column runs.refers_to is 'for each resource that the target refers to, the run whose accepted rows are meant';
create index runs_target on runs (target_name, created_at desc);

-- +goose Down
drop index runs_target;
alter table runs drop column refers_to;

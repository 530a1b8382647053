-- +goose Up
alter table deliveries add column layout jsonb, add column layout_saved_at timestamptz;
comment on column deliveries.layout is 'settings that were made by hand and saved; runs read by them unless told otherwise';
create index deliveries_layout_saved_at on deliveries (layout_saved_at desc) where layout is not null;

-- +goose Down
alter table deliveries drop column layout, drop column layout_saved_at;

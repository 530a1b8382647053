-- +goose Up
-- Texts of targets that were drafted and not added become drafts of rules, where there is none.
insert into drafts (delivery_id, kind, content, changed_at)
select delivery_id, 'rules', jsonb_build_object('target', jsonb_build_object('name',
    coalesce(substring(content ->> 'text' from '(?n)^target: *"?([[:alnum:]_]+)'), 'target'), 'version', 0,
    'text', content ->> 'text')), changed_at
from drafts where kind = 'target' and content ->> 'text' <> ''
on conflict do nothing;
delete from drafts where kind = 'target';
alter table drafts drop constraint drafts_kind_check,
    add constraint drafts_kind_check check (kind in ('layout', 'rules'));

-- +goose Down
alter table drafts drop constraint drafts_kind_check,
    add constraint drafts_kind_check check (kind in ('layout', 'target', 'rules'));

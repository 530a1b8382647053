-- +goose Up
alter table runs
    add column companion text not null default '',
    add column repeat_of text not null default '';
comment on column runs.companion is 'the delivery that holds the control values, empty for none';
comment on column runs.repeat_of is 'the earlier delivery of the same bytes, in words, as it was when the run was ordered';

-- +goose Down
alter table runs drop column companion, drop column repeat_of;

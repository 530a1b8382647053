-- +goose Up
-- Lists show the tally and the state alone: results have megabytes.
alter table runs add column tally jsonb;
update runs set tally = result -> 'tally' where result is not null;

alter table deliveries add column state text not null default 'arrived';
alter table deliveries add column sought text not null generated always as (lower(name || E'\n' || note)) stored;
comment on column deliveries.sought is 'the texts in which a list looks for words';
comment on column deliveries.state is 'what its runs came to; kept by triggers';

-- +goose StatementBegin
create function state_of_delivery(of text, refusal text) returns text language sql stable as $$
    select case
        when refusal is not null then 'refused'
        else coalesce(
            (select verdict from runs where delivery_id = of and target_name is not null and state = 'done'
             order by created_at desc, id desc limit 1),
            (select case when target_name is not null then state end from
                (select state, target_name from runs where delivery_id = of
                 order by created_at desc, id desc limit 1) newest),
            'arrived')
    end
$$;
-- +goose StatementEnd
-- +goose StatementBegin
create function note_state_of_run() returns trigger language plpgsql as $$
declare
    of text := case when tg_op = 'DELETE' then old.delivery_id else new.delivery_id end;
begin
    update deliveries d set state = state_of_delivery(d.id, d.refusal)
    where d.id = of and d.state <> state_of_delivery(d.id, d.refusal);
    return null;
end
$$;
-- +goose StatementEnd
create trigger runs_tell_state after insert or delete or update of state, verdict on runs
    for each row execute function note_state_of_run();
-- +goose StatementBegin
create function note_refusal() returns trigger language plpgsql as $$
begin
    if new.refusal is not null then
        new.state := 'refused';
    end if;
    return new;
end
$$;
-- +goose StatementEnd
create trigger deliveries_tell_refusal before insert or update of refusal on deliveries
    for each row execute function note_refusal();
update deliveries set state = state_of_delivery(id, refusal);

create index deliveries_state on deliveries (state, arrived_at desc, id);
create index deliveries_repeat_of on deliveries (repeat_of);
create index runs_job on runs (job_id);
create index runs_newest on runs (created_at desc, id desc);
create index profiles_job on profiles (job_id);
create index runs_mapping on runs (mapping_name, created_at desc);
create index runs_codes on runs using gin (codes);
create index runs_state on runs (state) where state in ('waiting', 'running');
create index profiles_state on profiles (state) where state in ('waiting', 'running');

-- +goose Down
drop index profiles_state;
drop index runs_state;
drop index runs_codes;
drop index runs_mapping;
drop index profiles_job;
drop index runs_newest;
drop index runs_job;
drop index deliveries_repeat_of;
drop index deliveries_state;
drop trigger deliveries_tell_refusal on deliveries;
drop trigger runs_tell_state on runs;
drop function note_refusal;
drop function note_state_of_run;
drop function state_of_delivery;
alter table deliveries drop column sought;
alter table deliveries drop column state;
alter table runs drop column tally;

-- +goose Up
-- Sessions of browsers that were signed out before their end.
create table signed_out (
	session text primary key,
	ends timestamptz not null
);

-- +goose Down
drop table signed_out;

package service_test

import (
	"context"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/cli"
	"sieb/core/target"
	"sieb/service"
	"sieb/service/api"
	"sieb/service/catalogue"
	"sieb/service/localpg"
	"sieb/service/localpg/pgtest"
	"sieb/service/servicetest"
)

const tables = `
create schema intake;
create type intake.site as enum ('Ahrensee', 'Brunnthal');
create domain intake.percent as numeric(4,1) check (value >= 0 and value <= 100);
create table intake.growers (grower_no varchar(5) primary key check (grower_no ~ '^[0-9]{5}$'));
create table intake.tickets (
  id bigint generated always as identity,
  ticket_no char(9) not null unique check (ticket_no <> ''),
  site intake.site not null default 'Ahrensee',
  grower_no varchar(5) references intake.growers,
  weighed_on date not null check (weighed_on between '2026-01-01' and '2026-12-31'),
  weighed_at timestamp,
  crop text not null check (crop in ('wheat', 'rye', 'o''ats')) ,
  gross_kg integer not null check (gross_kg > 0 and gross_kg < 60000),
  tare_kg integer not null,
  net_kg integer generated always as (gross_kg - tare_kg) stored,
  moisture intake.percent,
  remarks varchar(200) check (length(remarks) >= 3),
  "Silo No" serial,
  primary key (weighed_on, ticket_no),
  check (gross_kg > tare_kg)
);
comment on table intake.tickets is 'Weighbridge tickets';
comment on column intake.tickets.ticket_no is 'as printed on the ticket';
`

// A target is drawn from a table as it lives in a database, through the API and
// the command line.
func TestTargetFromTable(t *testing.T) {
	ctx := context.Background()
	db, err := localpg.Start(ctx, filepath.Join(pgtest.Folder(t), "tables"),
		slog.New(slog.NewTextHandler(io.Discard, nil)))
	require.NoError(t, err)
	defer db.Stop()
	conn, err := pgx.Connect(ctx, db.URL())
	require.NoError(t, err)
	_, err = conn.Exec(ctx, tables)
	require.NoError(t, err)
	require.NoError(t, conn.Close(ctx))

	s := servicetest.StartWith(t, "", func(c *service.Config) {
		c.Databases = catalogue.Databases{Named: map[string]string{"intake": db.URL()}, Hosts: []string{"127.0.0.1:1"}}
	})
	draft, err := s.Client.DraftFromTable(ctx, api.AskTable{Database: "intake", Table: "intake.tickets"})
	require.NoError(t, err)
	text := strings.Join(strings.Fields(draft.Text), " ")
	for _, want := range []string{
		`# id is left out: the database gives its values # net_kg is left out`, `# Silo No is left out`,
		`# check: (gross_kg > tare_kg) target: tickets title: "Weighbridge tickets"`,
		`- name: ticket_no # as printed on the ticket datatype: string maxLength: 9 required: true unique: true`,
		`- name: site # default 'Ahrensee'::intake.site datatype: string oneOf: ["Ahrensee", "Brunnthal"] -`,
		`- name: grower_no # references intake.growers (grower_no) datatype: string maxLength: 5`,
		`- name: weighed_on datatype: date minimum: 2026-01-01 maximum: 2026-12-31 required: true`,
		`- name: crop datatype: string oneOf: ["wheat", "rye", "o'ats"] required: true`,
		`- name: gross_kg datatype: integer minimum: 1 maximum: 59999 required: true`,
		`- name: moisture datatype: decimal precision: 4 scale: 1 minimum: 0 maximum: 100`,
		`- name: remarks datatype: string minLength: 3 maxLength: 200`,
		`key: ["weighed_on", "ticket_no"]`,
	} {
		assert.Contains(t, text, want)
	}
	_, err = target.Parse([]byte(draft.Text))
	require.NoError(t, err)

	for _, c := range []struct {
		ask  api.AskTable
		want string
	}{
		{api.AskTable{Database: db.URL(), Table: "tickets"},
			`there is no table "tickets"; among those that there are: intake.tickets`},
		{api.AskTable{Database: db.URL(), Table: "a.b.c.d"}, "there is no table"},
		{api.AskTable{Database: "postgres://127.0.0.1:1/none", Table: "t"},
			"the database at 127.0.0.1:1 cannot be reached"},
		{api.AskTable{Database: strings.Replace(db.URL(), "sieb:", "sieb:wrong", 1), Table: "t"},
			"password authentication failed"},
		{api.AskTable{Database: "sieb.db", Table: "t"},
			`there is no database "sieb.db"; the service's settings name intake`},
		{api.AskTable{Database: "mysql://127.0.0.1:1/x", Table: "t"}, "it looks like postgres://"},
		{api.AskTable{Database: "postgres:///x?host=127.0.0.1", Table: "t"}, "it looks like postgres://"},
		{api.AskTable{Database: "postgres://127.0.0.1:1,10.0.0.1:5432/x", Table: "t"}, "it looks like postgres://"},
		{api.AskTable{Database: "postgres://127.0.0.1:1/x?service=own", Table: "t"},
			"may only have the parameter sslmode"},
		{api.AskTable{Database: "postgres://127.0.0.1:1/x?sslrootcert=/etc/passwd", Table: "t"},
			"may only have the parameter sslmode"},
		{api.AskTable{Database: "postgres://127.0.0.1:2/x", Table: "t"},
			"do not allow it to ask databases at 127.0.0.1:2"},
		{api.AskTable{Database: "postgres://localhost:1/x", Table: "t"},
			"do not allow it to ask databases at localhost:1"},
		{api.AskTable{Database: "postgres://169.254.169.254/x", Table: "t"},
			"do not allow it to ask databases at 169.254.169.254:5432"},
		{api.AskTable{Database: "intake\x00", Table: "t"}, "holds a NUL character"},
		{api.AskTable{Database: db.URL(), Table: "intake.tickets", Name: "no name"},
			"a target's name is made of letters"},
	} {
		_, err := s.Client.DraftFromTable(ctx, c.ask)
		if assert.Error(t, err, c.want) {
			assert.Contains(t, err.Error(), c.want)
			assert.NotContains(t, err.Error(), "wrong", "the password is not repeated")
		}
	}

	var out, errs strings.Builder
	file := filepath.Join(t.TempDir(), "tickets.yaml")
	table := []string{"targets", "add", "--service", s.Address, "--from-database", "intake", "--table",
		"intake.growers"}
	require.Zero(t, cli.Main(append(table, "--out", file), nil, &out, &errs), errs.String())
	assert.Contains(t, out.String(), "next: read it, then sieb targets add "+file)
	written, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Contains(t, string(written), `format: "[0-9]{5}"`)
	out.Reset()
	require.Zero(t, cli.Main(append(table, "--name", "members"), nil, &out, &errs), errs.String())
	assert.Equal(t, "target members, version 1\n", out.String())
	assert.Equal(t, 2, cli.Main(table[:6], nil, &out, &errs))
	assert.Contains(t, errs.String(), "--table names it as schema.table")
}

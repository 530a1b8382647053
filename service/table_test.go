package service_test

import (
	"context"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
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
		`target: tickets title: "Weighbridge tickets"`,
		`- name: ticket_no description: "as printed on the ticket" datatype: string maxLength: 9 required: true unique: true`,
		`- name: site datatype: string oneOf: ["Ahrensee", "Brunnthal"] required: true default: "Ahrensee"`,
		`- name: grower_no datatype: string maxLength: 5`,
		`rowRules: - {name: "gross_kg > tare_kg", condition: "gross_kg > tare_kg"}`,
		`foreignKeys: - {columnReference: ["grower_no"], reference: {database: "intake", table: "intake.growers", ` +
			`columnReference: ["grower_no"]}}`,
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

// What a run accepts goes into the table by COPY, and what it rejects does not: the target is
// drawn from the table by one command, the mapping drafted from the file by another.
func TestAcceptedRowsGoIntoTheTable(t *testing.T) {
	ctx := context.Background()
	db, err := localpg.Start(ctx, filepath.Join(pgtest.Folder(t), "tables"),
		slog.New(slog.NewTextHandler(io.Discard, nil)))
	require.NoError(t, err)
	defer db.Stop()
	conn, err := pgx.Connect(ctx, db.URL())
	require.NoError(t, err)
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, tables+`insert into intake.growers values ('00412'), ('00449');
		create table intake.moves (
		  move_no integer primary key, ticket_no varchar(9) not null, silo varchar(2) not null, slot smallint not null,
		  moved_on date, until date, share numeric(4,2) not null default 1.5,
		  unique (silo, slot), check (moved_on <= until or until is null), check (not (silo = 'X' and slot > 3)))`)
	require.NoError(t, err)
	s := servicetest.StartWith(t, "", func(c *service.Config) {
		c.Databases = catalogue.Databases{Named: map[string]string{"intake": db.URL()}}
	})
	dir := t.TempDir()
	run := func(args ...string) (int, string) {
		var out, errs strings.Builder
		code := cli.Main(args, nil, &out, &errs)
		return code, out.String() + errs.String()
	}
	for _, c := range []struct {
		table, header string
		good, bad     []string
	}{
		{"intake.tickets", "Ticket No;Site;Grower-No;Weighed on;Weighed at;Crop;gross kg;tare kg;Moisture;Remarks",
			[]string{"AH-000001;Ahrensee;00412;2026-07-01;2026-07-01T06:00:00;wheat;20000;8000;14.5;",
				"AH-000002;;00449;2026-07-02;;rye;59999;1;100;abc", "AH-000003;Brunnthal;;2026-12-31;;o'ats;2;1;0.0;"},
			[]string{"AH-000001;Ahrensee;00412;2026-07-09;;wheat;20000;8000;;",
				"AH-000005;Ahrensee;99999;2026-07-01;;wheat;20000;8000;;",
				"AH-000006;Colmitz;00412;2026-07-01;;wheat;20000;8000;;",
				"AH-000007;Ahrensee;00412;2027-01-01;;wheat;20000;8000;;",
				"AH-000008;Ahrensee;00412;2026-02-30;;wheat;20000;8000;;",
				"AH-000009;Ahrensee;00412;2026-07-01;;maize;20000;8000;;",
				"AH-000010;Ahrensee;00412;2026-07-01;;wheat;8000;8000;;",
				"AH-000011;Ahrensee;00412;2026-07-01;;wheat;60000;8000;;",
				"AH-000012;Ahrensee;00412;2026-07-01;;wheat;20000;8000;100.5;",
				"AH-000013;Ahrensee;00412;2026-07-01;;wheat;20000;;;",
				"AH-000014x;Ahrensee;00412;2026-07-01;;wheat;20000;8000;;",
				"AH-000015;Ahrensee;00412;2026-07-01;;wheat;20000;8000;;ab",
				"AH-000016;Ahrensee;00412;2026-07-01;25:00;wheat;20000;8000;;",
				";Ahrensee;00412;2026-07-01;;wheat;20000;8000;;"}},
		{"intake.moves", "move_no;ticket_no;silo;slot;moved_on;until;share",
			[]string{"1;AH-000001;A;1;2026-07-01;2026-07-02;2", "2;AH-000001;A;2;2026-07-01;;",
				"3;AH-000001;X;3;;;99.99",
				"4;AH-000001;B;32767;2026-07-01;2026-07-01;0.01"},
			[]string{"5;AH-000001;A;1;;;1", "6;AH-000001;C;1;2026-07-03;2026-07-02;1", "7;AH-000001;X;4;;;1",
				"8;AH-000001;C;32768;;;1",
				"9;AH-000001;C;2;;;100", "x;AH-000001;C;3;;;1", "1;AH-000001;C;4;;;1", "10;;C;5;;;1",
				"11;AH-000001;CCC;5;;;1"}},
	} {
		file, targetFile, mapping := filepath.Join(dir, c.table+".csv"), filepath.Join(dir, c.table+".yaml"),
			filepath.Join(dir, c.table+".mapping.yaml")
		require.NoError(t, os.WriteFile(file, []byte(c.header+"\n"+strings.Join(append(slices.Clone(c.good), c.bad...),
			"\n")+"\n"), 0o600))
		code, out := run("targets", "add", "--service", s.Address, "--from-database", "intake", "--table", c.table)
		require.Zero(t, code, out)
		code, out = run("targets", "add", "--service", s.Address, "--from-database", "intake", "--table", c.table,
			"--out",
			targetFile)
		require.Zero(t, code, out)
		code, out = run("draft", file, "--target", targetFile, "--name", "sender", "--out", mapping)
		require.Zero(t, code, out)
		code, out = run("mappings", "add", mapping, "--service", s.Address)
		require.Zero(t, code, out)
		content, err := os.Open(file)
		require.NoError(t, err)
		d, err := s.Client.AddDelivery(ctx, filepath.Base(file), content)
		require.NoError(t, err)
		r, err := s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID, Mapping: "sender"})
		require.NoError(t, err)
		r, err = s.Client.Follow(ctx, r.ID, nil)
		require.NoError(t, err)
		require.Equal(t, "done", r.State, r.Error)
		text, _ := os.ReadFile(mapping)
		require.Equal(t, []int64{int64(len(c.good)), int64(len(c.bad))}, []int64{r.Tally.Accepted, r.Tally.Rejected},
			"%v\n%s", r.Violations, text)

		accepted, err := s.Client.Output(ctx, r.ID, "accepted.csv")
		require.NoError(t, err)
		rows, err := io.ReadAll(accepted)
		require.NoError(t, err)
		header, _, _ := strings.Cut(string(rows), "\n")
		into := "copy " + c.table + " (" + header + ") from stdin (format csv, header)"
		tag, err := conn.PgConn().CopyFrom(ctx, strings.NewReader(string(rows)), into)
		require.NoError(t, err, "%s", rows)
		assert.Equal(t, int64(len(c.good)), tag.RowsAffected())
		names := make([]string, 0, len(r.Columns))
		for _, m := range r.Columns {
			if m.Place > 0 {
				names = append(names, m.Column)
			}
		}
		for _, bad := range c.bad {
			into := "copy " + c.table + " (" + strings.Join(names, ", ") + ") from stdin (format csv, delimiter ';')"
			_, err := conn.PgConn().CopyFrom(ctx, strings.NewReader(bad+"\n"), into)
			assert.Error(t, err, "the table takes what was rejected: %s", bad)
		}
		if c.table == "intake.tickets" {
			require.Len(t, r.References, 1)
			assert.Equal(t, []any{"intake.growers", int64(2)}, []any{r.References[0].Name, r.References[0].Keys})
			manifest, err := s.Client.Output(ctx, r.ID, "manifest.json")
			text := servicetest.Read(t, manifest, err)
			assert.Contains(t, text, r.References[0].Digest)
		}
	}
}

package catalogue_test

import (
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/layout"
	"sieb/core/outcome"
	"sieb/core/outcome/csv"
	"sieb/core/report"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/service/localpg/pgtest"
)

// copied is a destination that this test adds: a table, filled by COPY in a transaction of its own.
type copied struct {
	conn *pgx.Conn
	sql  string
	tx   pgx.Tx
	in   *io.PipeWriter
	done chan error
	rows int64
	sent int64
}

func (c *copied) Begin(ctx context.Context, t *outcome.Table) (err error) {
	if c.tx, err = c.conn.Begin(ctx); err != nil {
		return err
	}
	var names []string
	for _, name := range t.Names() {
		names = append(names, pgx.Identifier{name}.Sanitize())
	}
	c.sql = fmt.Sprintf("copy %s (%s) from stdin (format csv, header true)", pgx.Identifier{t.Name}.Sanitize(),
		strings.Join(names, ", "))
	return c.start(ctx)
}

func (c *copied) start(ctx context.Context) error {
	if _, err := c.tx.Exec(ctx, "savepoint rows"); err != nil {
		return err
	}
	out, in := io.Pipe()
	c.in, c.done, c.sent = in, make(chan error, 1), 0
	go func() {
		tag, err := c.conn.PgConn().CopyFrom(context.WithoutCancel(ctx), out, c.sql)
		c.rows = tag.RowsAffected()
		out.CloseWithError(err)
		c.done <- err
	}()
	return nil
}

func (c *copied) Write(text []byte) (int, error) {
	n, err := c.in.Write(text)
	c.sent += int64(n)
	return n, err
}

func (c *copied) Restart() error {
	c.in.CloseWithError(context.Canceled)
	<-c.done
	if _, err := c.tx.Exec(context.Background(), "rollback to savepoint rows"); err != nil {
		return err
	}
	return c.start(context.Background())
}

func (c *copied) Prepare() (outcome.Proof, error) {
	c.in.Close()
	return outcome.Proof{Name: "a table", Bytes: c.sent}, <-c.done
}

func (c *copied) Commit() error { return c.tx.Commit(context.Background()) }

func (c *copied) Abort() {
	if c.tx != nil {
		c.in.CloseWithError(context.Canceled)
		_ = c.tx.Rollback(context.Background())
	}
}

// A database by COPY is one more destination: the accepted rows stand in their table, all of them and once, or, where the
// table does not take them, none.
func TestATableIsADestination(t *testing.T) {
	db := pgtest.Start(t, filepath.Join(pgtest.Folder(t), "postgres"))
	conn, err := pgx.Connect(t.Context(), db.URL())
	require.NoError(t, err)
	t.Cleanup(func() { _ = conn.Close(t.Context()) })
	_, err = conn.Exec(t.Context(), "create table loads (no text primary key, kg integer check (kg < 900), note text)")
	require.NoError(t, err)
	tg, err := target.Parse([]byte("target: loads\ncolumns:\n  - {name: no, unique: true, required: true}\n" +
		"  - {name: kg, datatype: integer}\n  - {name: note, null: []}\n"))
	require.NoError(t, err)
	for _, c := range []struct {
		text   string
		memory int64 // for keys; 0 for enough
		want   int
		failed string
	}{
		{"no,kg,note\nA,x,\nB,3,\"a, b\"\nC,,\nB,4,twice\nC,5,\n", 0, 2, ""},
		{"no,kg,note\nD,1,\nE,2,\nD,3,read again\n", 1, 4, ""},
		{"no,kg,note\nF,1,\nG,1000,more than the table takes\n", 0, 4, "violates check constraint"},
		{"no,kg,note\nH,1,\nB,2,there already\n", 0, 4, "duplicate key"},
	} {
		path := filepath.Join(t.TempDir(), "loads.csv")
		require.NoError(t, os.WriteFile(path, []byte(c.text), 0o600))
		file, err := source.Open(t.Context(), path, layout.Given{})
		require.NoError(t, err)
		run := report.Run{Delivery: file, Target: tg, Dir: filepath.Join(t.TempDir(), "out"), KeyMemory: c.memory,
			Also: []*outcome.Output{{Side: outcome.Accepted, Form: csv.Form{}, To: &copied{conn: conn}}}}
		_, err = run.Do(t.Context())
		if c.failed == "" {
			require.NoError(t, err)
		} else {
			require.ErrorContains(t, err, c.failed)
			_, err = os.Stat(filepath.Join(run.Dir, report.AcceptedName))
			assert.ErrorIs(t, err, os.ErrNotExist)
		}
		require.NoError(t, file.Close())
		var rows int
		require.NoError(t, conn.QueryRow(t.Context(), "select count(*) from loads").Scan(&rows))
		assert.Equal(t, c.want, rows, c.text)
	}
	var note *string
	require.NoError(t, conn.QueryRow(t.Context(), "select note from loads where no = 'C'").Scan(&note))
	require.NotNil(t, note, "a text without characters is no null")
	assert.Empty(t, *note)
}

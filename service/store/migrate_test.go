package store_test

import (
	"database/sql"
	"encoding/json"
	"os"
	"path/filepath"
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib" // opens a database that has older records
	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/service/localpg/pgtest"
	"sieb/service/store"
)

// Texts of targets that were drafted by an older version are drafts of rules afterwards; nothing that was
// typed is lost, and a draft of rules that is there stays.
func TestDraftsOfOlderVersions(t *testing.T) {
	ctx := t.Context()
	pg := pgtest.Start(t, filepath.Join(pgtest.Folder(t), "postgres"))
	db, err := sql.Open("pgx", pg.URL())
	require.NoError(t, err)
	defer db.Close()
	provider, err := goose.NewProvider(goose.DialectPostgres, db, os.DirFS("migrations"))
	require.NoError(t, err)
	_, err = provider.UpTo(ctx, 10)
	require.NoError(t, err)
	texts := map[string]string{
		"plain":   "target: tickets\ncolumns:\n  - {name: no}\n",
		"quoted":  "# by hand\ntarget: \"sites\"\n",
		"broken":  "colums: [",
		"replace": "target: old\n",
	}
	for id, text := range texts {
		_, err = db.ExecContext(ctx, `insert into deliveries (id, name, bytes, sha256, arrived_at)
			values ($1, $1, 1, 'aa', now())`, id)
		require.NoError(t, err)
		content, err := json.Marshal(map[string]string{"text": text})
		require.NoError(t, err)
		_, err = db.ExecContext(ctx, `insert into drafts (delivery_id, kind, content) values ($1, 'target', $2)`, id, content)
		require.NoError(t, err)
	}
	_, err = db.ExecContext(ctx, `insert into drafts (delivery_id, kind, content) values
		('replace', 'rules', '{"target":{"name":"new","version":2,"text":"target: new"}}'),
		('replace', 'layout', '{"given":{}}')`)
	require.NoError(t, err)

	s, err := store.Open(ctx, pg.URL())
	require.NoError(t, err)
	defer s.Close()
	for id, want := range map[string]string{"plain": "tickets", "quoted": "sites", "broken": "target", "replace": "new"} {
		all, err := s.Drafts(ctx, id)
		require.NoError(t, err)
		var rules struct {
			Target struct {
				Name    string
				Version int
				Text    string
			}
		}
		for _, d := range all {
			if d.Kind == store.RulesDraft {
				require.NoError(t, json.Unmarshal(d.Content, &rules))
			}
		}
		assert.Equal(t, want, rules.Target.Name, id)
		if id != "replace" {
			assert.Len(t, all, 1)
			assert.Equal(t, texts[id], rules.Target.Text)
			assert.Zero(t, rules.Target.Version)
		} else {
			assert.Len(t, all, 2, "the draft of rules and that of the layout")
		}
	}
}

package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"time"

	"github.com/jmoiron/sqlx"
)

// Library is a table of texts that are kept in versions.
type Library string

// The libraries.
const (
	Targets  Library = "targets"
	Mappings Library = "mappings"
	Codes    Library = "codes"
)

// Text is one version of a target, a mapping or a code list.
type Text struct {
	Name    string    `db:"name"`
	Version int       `db:"version"`
	Title   string    `db:"title"`
	Target  string    `db:"target"` // of a mapping, the target that it is for
	Text    string    `db:"text"`
	SHA256  string    `db:"sha256"`
	AddedAt time.Time `db:"added_at"`
	AddedBy string    `db:"added_by"` // as the request said; "" where it did not
}

// selected are the columns of a Text in each library.
var selected = map[Library]string{
	Targets:  `select name, version, title, '' as target, text, sha256, added_at, added_by from targets`,
	Mappings: `select name, version, title, target, text, sha256, added_at, added_by from mappings`,
	Codes:    `select name, version, title, '' as target, text, sha256, added_at, added_by from codes`,
}

var inserted = map[Library]string{
	Targets: `
		insert into targets (name, version, title, text, sha256, added_by)
		select $1, coalesce(max(version), 0) + 1, $2, $3, $4, $6 from targets where name = $1 and '' = $5`,
	Codes: `
		insert into codes (name, version, title, text, sha256, added_by)
		select $1, coalesce(max(version), 0) + 1, $2, $3, $4, $6 from codes where name = $1 and '' = $5`,
	Mappings: `
		insert into mappings (name, version, title, text, sha256, target, added_by)
		select $1, coalesce(max(version), 0) + 1, $2, $3, $4, $5, $6 from mappings where name = $1`,
}

// AddText records a text, of which Name, Title, Text and, for a mapping, Target are given;
// a text that is known already gives its version.
func (s *Store) AddText(ctx context.Context, l Library, t Text) (added Text, isNew bool, err error) {
	sum := sha256.Sum256([]byte(t.Text))
	hash := hex.EncodeToString(sum[:])
	same := selected[l] + ` where name = $1 and sha256 = $2`
	err = s.within(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `select pg_advisory_xact_lock(hashtextextended($1, 0))`,
			"sieb "+string(l)+" "+t.Name); err != nil {
			return err
		}
		err := tx.GetContext(ctx, &added, same, t.Name, hash)
		if !errors.Is(err, sql.ErrNoRows) {
			return err
		}
		isNew = true
		if _, err := tx.ExecContext(ctx, inserted[l], t.Name, t.Title, t.Text, hash, t.Target, t.AddedBy); err != nil {
			return err
		}
		return tx.GetContext(ctx, &added, same, t.Name, hash)
	})
	return added, isNew, err
}

// Text returns a version of a text, the newest for version 0.
func (s *Store) Text(ctx context.Context, l Library, name string, version int) (t Text, err error) {
	err = s.db.GetContext(ctx, &t, selected[l]+` where name = $1 and (version = $2 or $2 = 0)
		order by version desc limit 1`, name, version)
	return t, none(err)
}

// Texts returns a page of texts in their newest versions, by name; of mappings only those
// for a target, unless it is "".
func (s *Store) Texts(ctx context.Context, l Library, target string, offset, limit int) (page []Text, total int,
	err error) {
	newest := `from (select distinct on (name) * from (` + selected[l] + `) every order by name, version desc) newest
		where target = $1 or $1 = ''`
	if err = s.db.GetContext(ctx, &total, `select count(*) `+newest, target); err != nil {
		return nil, 0, err
	}
	err = s.db.SelectContext(ctx, &page, `select * `+newest+` order by name offset $2 limit $3`, target, offset, limit)
	return page, total, err
}

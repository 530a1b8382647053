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
	err = s.within(ctx, func(tx *sqlx.Tx) error {
		if err := lockName(ctx, tx, l, t.Name); err != nil {
			return err
		}
		added, isNew, err = addText(ctx, tx, l, t, `where name = $1 and sha256 = $2 order by version desc limit 1`)
		return err
	})
	return added, isNew, err
}

// SaveText is AddText for a text that is to be the newest: that of an older version becomes a version again.
func (s *Store) SaveText(ctx context.Context, l Library, t Text) (added Text, isNew bool, err error) {
	err = s.within(ctx, func(tx *sqlx.Tx) error {
		if err := lockName(ctx, tx, l, t.Name); err != nil {
			return err
		}
		added, isNew, err = addText(ctx, tx, l, t, isNewest(l))
		return err
	})
	return added, isNew, err
}

// isNewest asks for a text that is the newest of its name.
func isNewest(l Library) string {
	return `where name = $1 and sha256 = $2 and version = (select max(version) from ` + string(l) + ` where name = $1)`
}

// Saving is a text that is to be the newest of its name: that of an older version becomes a version
// again.
type Saving struct {
	Library Library
	Text    Text
	// May says whether it may take its place, behind the newest version there is; nil for none.
	May func(newest *Text) error
}

// SaveTexts records some texts, all of them or none; what one May fails with is returned.
func (s *Store) SaveTexts(ctx context.Context, all []Saving) (added []Text, err error) {
	err = s.within(ctx, func(tx *sqlx.Tx) error {
		for _, one := range all {
			l := one.Library
			if err := lockName(ctx, tx, l, one.Text.Name); err != nil {
				return err
			}
			var newest []Text
			if err := tx.SelectContext(ctx, &newest, selected[l]+` where name = $1 order by version desc limit 1`,
				one.Text.Name); err != nil {
				return err
			}
			var behind *Text
			if len(newest) > 0 {
				behind = &newest[0]
			}
			if err := one.May(behind); err != nil {
				return err
			}
			t, _, err := addText(ctx, tx, l, one.Text, isNewest(l))
			if err != nil {
				return err
			}
			added = append(added, t)
		}
		return nil
	})
	return added, err
}

// lockName lets nobody else add versions of a text until the transaction ends.
func lockName(ctx context.Context, tx *sqlx.Tx, l Library, name string) error {
	_, err := tx.ExecContext(ctx, `select pg_advisory_xact_lock(hashtextextended($1, 0))`, "sieb "+string(l)+" "+name)
	return err
}

func addText(ctx context.Context, tx *sqlx.Tx, l Library, t Text, known string) (added Text, isNew bool, err error) {
	sum := sha256.Sum256([]byte(t.Text))
	hash := hex.EncodeToString(sum[:])
	same := selected[l] + " " + known
	err = tx.GetContext(ctx, &added, same, t.Name, hash)
	if !errors.Is(err, sql.ErrNoRows) {
		return added, false, err
	}
	if _, err := tx.ExecContext(ctx, inserted[l], t.Name, t.Title, t.Text, hash, t.Target, t.AddedBy); err != nil {
		return added, false, err
	}
	return added, true, tx.GetContext(ctx, &added, same, t.Name, hash)
}

// Text returns a version of a text, the newest for version 0.
func (s *Store) Text(ctx context.Context, l Library, name string, version int) (t Text, err error) {
	err = s.db.GetContext(ctx, &t, selected[l]+` where name = $1 and (version = $2 or $2 = 0)
		order by version desc limit 1`, name, version)
	return t, none(err)
}

// Shelf is which texts of a library are asked for.
type Shelf struct {
	Target  string // of mappings: only those for this target; "" for all
	Find    string // only those with this text in their name or title, whatever the letter case
	Retired bool   // those that are retired, too
	Bytes   int    // only those whose text is no longer; 0 for all
}

// Listed is a text in its newest version as a list shows it.
type Listed struct {
	Text
	RetiredAt  sql.NullTime `db:"retired_at"`
	Deliveries int          `db:"deliveries"` // that were sifted by it
}

// used counts for each library the deliveries that were sifted by a text.
var used = map[Library]string{
	Targets:  `(select count(distinct delivery_id) from runs where target_name = newest.name)`,
	Mappings: `(select count(distinct delivery_id) from runs where mapping_name = newest.name)`,
	Codes:    `(select count(distinct delivery_id) from runs where codes ? newest.name)`,
}

// Texts returns a page of texts in their newest versions, by name.
func (s *Store) Texts(ctx context.Context, l Library, of Shelf, offset, limit int) (page []Listed, total int,
	err error) {
	// The newest versions are told before their texts, which have megabytes, are read.
	newest := `from (select every.* from (` + selected[l] + `) every
		join (select name, max(version) as version from ` + string(l) + ` group by name) last using (name, version)) newest
		left join shelves on library = '` + string(l) + `' and shelves.name = newest.name
		where (target = $1 or $1 = '') and (retired_at is null or $2)
		and ($3 = '' or position(lower($3) in lower(newest.name)) > 0 or position(lower($3) in lower(title)) > 0)
		and ($4 = 0 or octet_length(text) <= $4)`
	if err = s.db.GetContext(ctx, &total, `select count(*) `+newest, of.Target, of.Retired, of.Find,
		of.Bytes); err != nil {
		return nil, 0, err
	}
	err = s.db.SelectContext(ctx, &page, `select newest.*, retired_at, `+used[l]+` as deliveries `+newest+`
		order by newest.name offset $5 limit $6`, of.Target, of.Retired, of.Find, of.Bytes, offset, limit)
	return page, total, err
}

// Versions returns a page of the versions of a text, the newest first.
func (s *Store) Versions(ctx context.Context, l Library, name string, offset, limit int) (page []Text, total int,
	err error) {
	if err = s.db.GetContext(ctx, &total, `select count(*) from (`+selected[l]+`) t where name = $1`, name); err != nil {
		return nil, 0, err
	}
	err = s.db.SelectContext(ctx, &page, selected[l]+` where name = $1 order by version desc offset $2 limit $3`, name,
		offset,
		limit)
	return page, total, err
}

// Retire takes a text out of lists, or puts it back. It can be used as before.
func (s *Store) Retire(ctx context.Context, l Library, name string, retired bool) error {
	_, err := s.db.ExecContext(ctx, `
		insert into shelves (library, name, retired_at) values ($1, $2, case when $3 then now() end)
		on conflict (library, name) do update set retired_at = excluded.retired_at`, l, name, retired)
	return err
}

// RetiredAt returns since when a text is retired.
func (s *Store) RetiredAt(ctx context.Context, l Library, name string) (at sql.NullTime, err error) {
	err = s.db.GetContext(ctx, &at, `select retired_at from shelves where library = $1 and name = $2`, l, name)
	if errors.Is(err, sql.ErrNoRows) {
		err = nil
	}
	return at, err
}

// TextDraft is the text of a version that is not saved yet.
type TextDraft struct {
	Text    string    `db:"draft"`
	Version int       `db:"draft_version"` // that it began with; 0 where that is not known
	At      time.Time `db:"draft_at"`
}

// TextDraft returns the text of a version that is not saved yet; ErrNone where there is none.
func (s *Store) TextDraft(ctx context.Context, l Library, name string) (d TextDraft, err error) {
	err = s.db.GetContext(ctx, &d, `
		select draft, draft_version, draft_at from shelves
		where library = $1 and name = $2 and draft is not null`, l, name)
	return d, none(err)
}

// KeepTextDraft keeps the text of a version that is not saved yet, which began with a version; nil throws it
// away. A met of nil takes whatever is there.
func (s *Store) KeepTextDraft(ctx context.Context, l Library, name string, text *string, version int, met Met,
) (d TextDraft, err error) {
	err = s.within(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `
			insert into shelves (library, name) values ($1, $2) on conflict do nothing`, l, name); err != nil {
			return err
		}
		var before []byte
		if err := tx.GetContext(ctx, &before, `
			select draft from shelves where library = $1 and name = $2 for update`, l, name); err != nil {
			return err
		}
		if met != nil {
			if err := met(before); err != nil {
				return err
			}
		}
		return tx.GetContext(ctx, &d, `
			update shelves set draft = $3, draft_version = $4, draft_at = now() where library = $1 and name = $2
			returning coalesce(draft, '') as draft, draft_version, draft_at`, l, name, text, version)
	})
	return d, err
}

// by names for each library the condition by which runs used a text.
var by = map[Library]string{Targets: `target_name = $1`, Mappings: `mapping_name = $1`, Codes: `codes ? $1`}

// UsedBy returns a page of the deliveries that were sifted by a text, with the version that the last
// such run of each had, the last one first.
func (s *Store) UsedBy(ctx context.Context, l Library, name string, offset, limit int) (page []Use, total int,
	err error) {
	if err = s.db.GetContext(ctx, &total, `select count(distinct delivery_id) from runs where `+by[l], name); err != nil {
		return nil, 0, err
	}
	version := map[Library]string{Targets: `target_version`, Mappings: `mapping_version`,
		Codes: `(codes ->> $1)::integer`}[l]
	err = s.db.SelectContext(ctx, &page, `
		select last.*, deliveries.name from (
			select distinct on (delivery_id) delivery_id, id as run_id, `+version+` as version, coalesce(verdict, '') as verdict,
				state, created_at
			from runs where `+by[l]+` order by delivery_id, created_at desc) last
		join deliveries on deliveries.id = delivery_id
		order by created_at desc, delivery_id offset $2 limit $3`, name, offset, limit)
	return page, total, err
}

// Use is a delivery that was sifted by a text.
type Use struct {
	DeliveryID string    `db:"delivery_id"`
	Name       string    `db:"name"` // of the delivery
	RunID      string    `db:"run_id"`
	Version    int       `db:"version"` // of the text
	Verdict    string    `db:"verdict"`
	State      string    `db:"state"`
	CreatedAt  time.Time `db:"created_at"` // of the run
}

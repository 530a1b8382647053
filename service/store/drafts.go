package store

import (
	"context"
	"database/sql"
	"errors"
	"time"

	"github.com/jmoiron/sqlx"
)

// Kind is what a draft is of.
type Kind string

// The kinds of drafts.
const (
	LayoutDraft Kind = "layout"
	RulesDraft  Kind = "rules"
)

// Draft is work on a delivery that a steward has not saved yet.
type Draft struct {
	Kind      Kind      `db:"kind"`
	Content   []byte    `db:"content"` // JSON
	ChangedAt time.Time `db:"changed_at"`
}

// Drafts returns the drafts of a delivery.
func (s *Store) Drafts(ctx context.Context, delivery string) (all []Draft, err error) {
	err = s.db.SelectContext(ctx, &all, `
		select kind, content, changed_at from drafts where delivery_id = $1 order by kind`, delivery)
	return all, err
}

// Met looks at what was kept before, nil for nothing, while nobody else changes it. Where it fails, what was
// kept stays, and its error is returned.
type Met func(before []byte) error

// KeepDraft keeps a draft of a delivery in the place of the one before; no content throws it away. A met of nil
// takes whatever is there.
func (s *Store) KeepDraft(ctx context.Context, delivery string, kind Kind, content []byte, met Met) (d Draft,
	err error) {
	err = s.within(ctx, func(tx *sqlx.Tx) error {
		if err := draftIs(ctx, tx, delivery, kind, met); err != nil {
			return err
		}
		if content == nil {
			_, err := tx.ExecContext(ctx, `delete from drafts where delivery_id = $1 and kind = $2`, delivery, kind)
			return err
		}
		return tx.GetContext(ctx, &d, `
			insert into drafts (delivery_id, kind, content) values ($1, $2, $3)
			on conflict (delivery_id, kind) do update set content = excluded.content, changed_at = now()
			returning kind, content, changed_at`, delivery, kind, storableJSON(content))
	})
	return d, err
}

// draftIs holds a delivery, so that its drafts do not change, and lets met look at one of them.
func draftIs(ctx context.Context, tx *sqlx.Tx, delivery string, kind Kind, met Met) error {
	var id string
	if err := tx.GetContext(ctx, &id, `select id from deliveries where id = $1 for no key update`, delivery); err != nil {
		return none(err)
	}
	if met == nil {
		return nil
	}
	// A statement of its own sees what was done while the one before waited.
	var before []byte
	err := tx.GetContext(ctx, &before, `select content from drafts where delivery_id = $1 and kind = $2`, delivery, kind)
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return err
	}
	return met(before)
}

// ReviseDraft changes a draft while nobody else does: revise turns its content into the new one, and is
// not asked where there is none (ErrNone). What revise fails with is returned, and nothing is changed.
func (s *Store) ReviseDraft(ctx context.Context, delivery string, kind Kind,
	revise func(content []byte) ([]byte, error)) (d Draft, err error) {
	err = s.within(ctx, func(tx *sqlx.Tx) error {
		if err := tx.GetContext(ctx, &d, `
			select kind, content, changed_at from drafts where delivery_id = $1 and kind = $2 for update`,
			delivery, kind); err != nil {
			return none(err)
		}
		content, err := revise(d.Content)
		if err != nil {
			return err
		}
		return tx.GetContext(ctx, &d, `
			update drafts set content = $3, changed_at = now() where delivery_id = $1 and kind = $2
			returning kind, content, changed_at`, delivery, kind, storableJSON(content))
	})
	return d, err
}

package store

import (
	"context"
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

// KeepDraft keeps a draft of a delivery in the place of the one before.
func (s *Store) KeepDraft(ctx context.Context, delivery string, kind Kind, content []byte) (d Draft, err error) {
	err = s.db.GetContext(ctx, &d, `
		insert into drafts (delivery_id, kind, content) select id, $2, $3 from deliveries where id = $1
		on conflict (delivery_id, kind) do update set content = excluded.content, changed_at = now()
		returning kind, content, changed_at`, delivery, kind, storableJSON(content))
	return d, none(err)
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

// DropDraft throws a draft away, if there is one.
func (s *Store) DropDraft(ctx context.Context, delivery string, kind Kind) error {
	_, err := s.changed(ctx, `delete from drafts where delivery_id = $1 and kind = $2`, delivery, kind)
	return err
}

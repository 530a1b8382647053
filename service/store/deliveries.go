package store

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"github.com/jmoiron/sqlx"
)

// Delivery is a file as it arrived.
type Delivery struct {
	ID        string         `db:"id"`
	Name      string         `db:"name"`
	Bytes     int64          `db:"bytes"`
	SHA256    string         `db:"sha256"`
	ArrivedAt time.Time      `db:"arrived_at"`
	RepeatOf  sql.NullString `db:"repeat_of"`
	InboxMark sql.NullString `db:"inbox_mark"`

	Note      string         `db:"note"`
	ArrivedAs sql.NullString `db:"arrived_as"` // its first name, where it was renamed
	Refusal   sql.NullString `db:"refusal"`    // why it cannot be read as a table
	Sought    string         `db:"sought"`
	State     string         `db:"state"` // what its runs came to, as the database keeps it for lists

	Layout        []byte       `db:"layout"`  // all settings of the layout that was saved; nil for none
	ByHand        []byte       `db:"by_hand"` // names of those made by hand; nil for all
	LayoutSavedAt sql.NullTime `db:"layout_saved_at"`

	NewestRun *Run `db:"-"` // nil where there is none
	JudgedBy  *Run `db:"-"` // the newest with a target that came to its end; nil where there is none
}

// Arrival is a file that has arrived and is to be recorded.
type Arrival struct {
	Name      string
	Bytes     int64
	SHA256    string
	InboxMark string // "" for what did not come by the inbox
	Refusal   string // why it cannot be read as a table; "" where it may be one
}

const insertDelivery = `
	insert into deliveries (id, name, bytes, sha256, inbox_mark, refusal, repeat_of)
	values ($1, $2, $3, $4, nullif($5, ''), nullif($6, ''), (select coalesce(repeat_of, id) from deliveries where sha256 = $4 order by arrived_at, id limit 1))
	on conflict (inbox_mark) do nothing
	returning *`

// AddDelivery records an arrival. A mark of the inbox that is known already
// gives the delivery that was made of it, and false.
func (s *Store) AddDelivery(ctx context.Context, a Arrival) (d Delivery, isNew bool, err error) {
	err = s.within(ctx, func(tx *sqlx.Tx) error {
		d, err = addDelivery(ctx, tx, a)
		return err
	})
	if errors.Is(err, sql.ErrNoRows) {
		err = s.db.GetContext(ctx, &d, `select * from deliveries where inbox_mark = $1`, a.InboxMark)
		return d, false, none(err)
	}
	return d, err == nil, err
}

// addDelivery records an arrival while no other of the same bytes is recorded, so that each but the
// first is told to be a repeat.
func addDelivery(ctx context.Context, tx *sqlx.Tx, a Arrival) (d Delivery, err error) {
	if err = lockBytes(ctx, tx, a.SHA256); err != nil {
		return d, err
	}
	err = tx.GetContext(ctx, &d, insertDelivery, newID(), a.Name, a.Bytes, a.SHA256, a.InboxMark, Storable(a.Refusal))
	return d, err
}

// lockBytes lets nobody else record or delete deliveries of some bytes until the transaction ends.
func lockBytes(ctx context.Context, tx *sqlx.Tx, sum string) error {
	_, err := tx.ExecContext(ctx, `select pg_advisory_xact_lock(hashtextextended($1, 0))`, "sieb bytes "+sum)
	return err
}

// AddDeliveries records arrivals together: all of them, or none.
func (s *Store) AddDeliveries(ctx context.Context, all []Arrival) (added []Delivery, err error) {
	return added, s.within(ctx, func(tx *sqlx.Tx) (err error) {
		added = make([]Delivery, len(all))
		for i, a := range all {
			if added[i], err = addDelivery(ctx, tx, a); err != nil {
				return err
			}
		}
		return nil
	})
}

// Known returns those of some contents, by SHA-256, of which there are deliveries.
func (s *Store) Known(ctx context.Context, sums []string) (known []string, err error) {
	return known, s.db.SelectContext(ctx, &known, `select distinct sha256 from deliveries where sha256 = any($1)`, sums)
}

// KnownRuns returns those of some ids that are runs' which have files, or may come to
// have them.
func (s *Store) KnownRuns(ctx context.Context, ids []string) (known []string, err error) {
	return known, s.db.SelectContext(ctx, &known,
		`select id from runs where id = any($1) and state in ('done', 'running', 'waiting')`, ids)
}

// Delivery returns one delivery with the runs that tell its state.
func (s *Store) Delivery(ctx context.Context, id string) (d Delivery, err error) {
	if err = s.db.GetContext(ctx, &d, `select * from deliveries where id = $1`, id); err != nil {
		return d, none(err)
	}
	all := []Delivery{d}
	err = s.addRuns(ctx, all)
	return all[0], err
}

// SaveLayout keeps settings with a delivery, and the names of those that were made by
// hand; nil takes them away. The draft of a layout, which met looks at, goes with it.
func (s *Store) SaveLayout(ctx context.Context, id string, layout, byHand []byte, met Met) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		if err := draftIs(ctx, tx, id, LayoutDraft, met); err != nil {
			return err
		}
		result, err := tx.ExecContext(ctx, `
			update deliveries set layout = $2::jsonb, by_hand = $3::jsonb,
			       layout_saved_at = case when $2::jsonb is null then null else now() end
			where id = $1`, id, jsonOrNull(layout), jsonOrNull(byHand))
		if err := isOne(result, err); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `delete from drafts where delivery_id = $1 and kind = 'layout'`, id)
		return err
	})
}

func jsonOrNull(text []byte) sql.NullString {
	return sql.NullString{String: string(text), Valid: text != nil}
}

// isOne returns ErrNone where a change met no row.
func isOne(result sql.Result, err error) error {
	if err != nil {
		return err
	}
	if n, err := result.RowsAffected(); err != nil || n == 0 {
		return cmp.Or(err, ErrNone)
	}
	return nil
}

// Describe gives a delivery another name or note; nil leaves one as it is. The name
// with which it arrived is kept.
func (s *Store) Describe(ctx context.Context, id string, name, note *string) error {
	return isOne(s.db.ExecContext(ctx, `
		update deliveries set note = coalesce($3, note), name = coalesce($2, name),
		       arrived_as = case when $2 is null or $2 = name then arrived_as else coalesce(arrived_as, name) end
		where id = $1`, id, name, note))
}

// Delete removes a delivery with its runs, profiles and drafts, and records that. Of
// its repeats the oldest becomes the first of its bytes. It returns the delivery and
// the ids of its runs, or ErrBusy where work for it is under way.
func (s *Store) Delete(ctx context.Context, id string) (d Delivery, runs []string, err error) {
	err = s.within(ctx, func(tx *sqlx.Tx) error {
		// An arrival of the same bytes is recorded before, or after: it is a repeat of what is there.
		var sum string
		if err := tx.GetContext(ctx, &sum, `select sha256 from deliveries where id = $1`, id); err != nil {
			return none(err)
		}
		if err := lockBytes(ctx, tx, sum); err != nil {
			return err
		}
		// Nothing can be ordered for it from here on.
		if err := tx.GetContext(ctx, &d, `select * from deliveries where id = $1 for update`, id); err != nil {
			return none(err)
		}
		var busy int
		if err := tx.GetContext(ctx, &busy, `
			select (select count(*) from runs where delivery_id = $1 and state in ('waiting', 'running'))
			     + (select count(*) from profiles where delivery_id = $1 and state in ('waiting', 'running'))`, id); err != nil {
			return err
		}
		if busy > 0 {
			return ErrBusy
		}
		if err := tx.SelectContext(ctx, &runs, `delete from runs where delivery_id = $1 returning id`, id); err != nil {
			return err
		}
		for _, query := range []string{
			`delete from profiles where delivery_id = $1`,
			`with next as (select id from deliveries where repeat_of = $1 order by arrived_at, id limit 1)
			 update deliveries set repeat_of = nullif((select id from next), deliveries.id) where repeat_of = $1`,
			`insert into deletions (id, name, bytes, sha256, arrived_at)
			 select id, name, bytes, sha256, arrived_at from deliveries where id = $1`,
			`delete from deliveries where id = $1`,
		} {
			if _, err := tx.ExecContext(ctx, query, id); err != nil {
				return err
			}
		}
		return nil
	})
	return d, runs, err
}

// Deletion is a delivery that was deleted.
type Deletion struct {
	ID        string    `db:"id"` // of the delivery
	Name      string    `db:"name"`
	Bytes     int64     `db:"bytes"`
	SHA256    string    `db:"sha256"`
	ArrivedAt time.Time `db:"arrived_at"`
	DeletedAt time.Time `db:"deleted_at"`
}

// Deletions returns a page of deliveries that were deleted, the last first.
func (s *Store) Deletions(ctx context.Context, offset, limit int) (page []Deletion, total int, err error) {
	if err = s.db.GetContext(ctx, &total, `select count(*) from deletions`); err != nil {
		return nil, 0, err
	}
	err = s.db.SelectContext(ctx, &page, `select * from deletions order by deleted_at desc, id offset $1 limit $2`,
		offset, limit)
	return page, total, err
}

// UnderWay returns the orders of a delivery that are waiting or worked for, by kind.
func (s *Store) UnderWay(ctx context.Context, delivery string) (all []Order, err error) {
	err = s.db.SelectContext(ctx, &all, `
		select 'runs' as work, id, job_id from runs where delivery_id = $1 and state in ('waiting', 'running')
		union all
		select 'profiles', id, job_id from profiles where delivery_id = $1 and state in ('waiting', 'running')`, delivery)
	return all, err
}

// Order is a piece of work with its job.
type Order struct {
	Work  Work          `db:"work"`
	ID    string        `db:"id"`
	JobID sql.NullInt64 `db:"job_id"`
}

// Layouts returns the deliveries with a saved layout, the last saved first.
func (s *Store) Layouts(ctx context.Context, offset, limit int) (page []Delivery, total int, err error) {
	if err = s.db.GetContext(ctx, &total, `select count(*) from deliveries where layout is not null`); err != nil {
		return nil, 0, err
	}
	err = s.db.SelectContext(ctx, &page, `
		select * from deliveries where layout is not null order by layout_saved_at desc, id offset $1 limit $2`, offset, limit)
	return page, total, err
}

// Wanted narrows a list of deliveries down.
type Wanted struct {
	Text  string // in the name or the note, whatever the letter case; "" for any
	State string // as a delivery shows it; "" for any
}

// Deliveries returns a page of the deliveries that are wanted, newest first, and how
// many there are.
func (s *Store) Deliveries(ctx context.Context, w Wanted, offset, limit int) (page []Delivery, total int, err error) {
	from, args := ` from deliveries d where true`, []any{w.Text}
	if w.State != "" {
		from += ` and d.state = $2`
		args = append(args, w.State)
	}
	from += ` and ($1 = '' or strpos(d.sought, lower($1)) > 0)`
	if err = s.db.GetContext(ctx, &total, `select count(*)`+from, args...); err != nil {
		return nil, 0, err
	}
	query := fmt.Sprintf(`select d.*%s order by d.arrived_at desc, d.id offset $%d limit $%d`, from, len(args)+1,
		len(args)+2)
	if err = s.db.SelectContext(ctx, &page, query, append(args, offset, limit)...); err != nil {
		return nil, 0, err
	}
	return page, total, s.addRuns(ctx, page)
}

// addRuns adds to deliveries the runs that tell their state.
func (s *Store) addRuns(ctx context.Context, page []Delivery) error {
	ids := make([]string, len(page))
	for i := range page {
		ids[i] = page[i].ID
	}
	var runs []Run
	if err := s.db.SelectContext(ctx, &runs, runHeads+`
		from runs r join deliveries d on d.id = r.delivery_id
		where r.delivery_id = any($1)
		  and (r.id = (select id from runs n where n.delivery_id = r.delivery_id order by created_at desc, id desc limit 1)
		    or r.id = (select id from runs n where n.delivery_id = r.delivery_id and n.target_name is not null and n.state = 'done'
		               order by created_at desc, id desc limit 1))
		order by r.created_at, r.id`, ids); err != nil {
		return err
	}
	for i := range page {
		for k := range runs {
			if runs[k].DeliveryID != page[i].ID {
				continue
			}
			page[i].NewestRun = &runs[k]
			if runs[k].TargetName.Valid && runs[k].State == Done {
				page[i].JudgedBy = &runs[k]
			}
		}
	}
	return nil
}

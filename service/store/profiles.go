package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"time"
)

// Profile is a profile of a delivery, or the order to make one.
type Profile struct {
	ID         string          `db:"id"`
	DeliveryID string          `db:"delivery_id"`
	Layout     []byte          `db:"layout"` // settings made by hand, JSON
	Share      sql.NullFloat64 `db:"share"`  // of values that decide a datatype; null for the usual one
	JobID      sql.NullInt64   `db:"job_id"`
	State      string          `db:"state"`
	BytesDone  int64           `db:"bytes_done"`
	RowsDone   int64           `db:"rows_done"`
	Result     []byte          `db:"result"` // JSON, nil before the end
	Looked     []byte          `db:"looked"` // columns that a steward has looked at, JSON
	Error      sql.NullString  `db:"error"`
	CreatedAt  time.Time       `db:"created_at"`
	StartedAt  sql.NullTime    `db:"started_at"`
	FinishedAt sql.NullTime    `db:"finished_at"`
	TotalBytes int64           `db:"total_bytes"` // of the delivery
	Trouble
}

// AddProfile records the order of a profile, with the job that works for it.
func (s *Store) AddProfile(ctx context.Context, delivery string, layout any, share float64, enqueue Enqueue) (p Profile,
	err error) {
	id, err := s.addOrder(ctx, Profiles, layout, enqueue, `
		insert into profiles (id, layout, delivery_id, share) values ($1, $2, $3, nullif($4::double precision, 0))`, delivery, share)
	if err != nil {
		return p, err
	}
	return s.Profile(ctx, id)
}

// Profile returns one profile.
func (s *Store) Profile(ctx context.Context, id string) (Profile, error) {
	return s.profile(ctx, `p.id = $1`, id)
}

// LastProfile returns the newest profile of a delivery.
func (s *Store) LastProfile(ctx context.Context, delivery string) (Profile, error) {
	return s.profile(ctx, `p.delivery_id = $1`, delivery)
}

func (s *Store) profile(ctx context.Context, where, id string) (p Profile, err error) {
	err = s.db.GetContext(ctx, &p, `
		select p.*, d.bytes as total_bytes from profiles p join deliveries d on d.id = p.delivery_id
		where `+where+` order by p.created_at desc, p.id desc limit 1`, id)
	return p, none(err)
}

// FinishProfile records what a profile found.
func (s *Store) FinishProfile(ctx context.Context, id string, result []byte, bytes, rows int64) error {
	_, err := s.changed(ctx, `
		update profiles set state = 'done', result = $2, bytes_done = $3, rows_done = $4, finished_at = now()
		where id = $1 and state = 'running'`, id, storableJSON(result), bytes, rows)
	return err
}

// LookedAt records which columns of a profile a steward has looked at.
func (s *Store) LookedAt(ctx context.Context, id string, columns []string) error {
	list, err := json.Marshal(columns)
	if err != nil {
		return err
	}
	_, err = s.changed(ctx, `update profiles set looked = $2 where id = $1`, id, list)
	return err
}

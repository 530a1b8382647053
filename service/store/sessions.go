package store

import (
	"context"
	"time"
)

// SignOut notes that a session is over before its end.
func (s *Store) SignOut(ctx context.Context, session string, ends time.Time) error {
	if _, err := s.db.ExecContext(ctx, `delete from signed_out where ends < now() - interval '1 hour'`); err != nil {
		return err
	}
	_, err := s.db.ExecContext(ctx, `insert into signed_out (session, ends) values ($1, $2) on conflict do nothing`,
		session, ends)
	return err
}

// IsSignedOut reports whether a session was signed out.
func (s *Store) IsSignedOut(ctx context.Context, session string) (out bool, err error) {
	return out, s.db.GetContext(ctx, &out, `select exists (select from signed_out where session = $1)`, session)
}

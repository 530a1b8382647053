package store

import (
	"bytes"
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"io"
	"io/fs"
	"net"
	"os"
	"strings"
	"syscall"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/puddle/v2"
)

// ErrNone is what a look-up returns where there is no such record.
var ErrNone = errors.New("no such record")

// ErrBusy is what a change returns that must wait for the end of work under way.
var ErrBusy = errors.New("work for it is under way")

// IsGone reports whether a record could not be made since what it belongs to is no
// longer there.
func IsGone(err error) bool {
	var said *pgconn.PgError
	return errors.As(err, &said) && said.Code == "23503" // foreign key violation
}

// IsAway reports whether an error of the store says that the database cannot
// be used for now: it is not reached, stops, starts, has no room, or broke the
// connection. The same may succeed later; any other error stays.
func IsAway(err error) bool {
	var said *pgconn.PgError
	if errors.As(err, &said) {
		// Classes of SQLSTATE (PostgreSQL, appendix A): connection exception,
		// transaction rollback, insufficient resources, operator intervention,
		// system error, read-only transaction.
		for _, class := range []string{"08", "40", "53", "57", "58", "25006"} {
			if strings.HasPrefix(said.Code, class) {
				return true
			}
		}
		return false
	}
	if errors.As(err, new(*fs.PathError)) || errors.As(err, new(*os.LinkError)) {
		return false
	}
	for _, away := range []error{io.EOF, io.ErrUnexpectedEOF, driver.ErrBadConn, sql.ErrConnDone, net.ErrClosed,
		puddle.ErrClosedPool, context.DeadlineExceeded} {
		if errors.Is(err, away) {
			return true
		}
	}
	return errors.As(err, new(*pgconn.ConnectError)) || isOfNetwork(err) || err != nil && pgconn.SafeToRetry(err)
}

// isOfNetwork reports whether an error is one of a connection. An error of a file is none, though the
// system's numbers, which it holds, have the methods of one.
func isOfNetwork(err error) bool {
	var of net.Error
	if !errors.As(err, &of) {
		return false
	}
	_, isNumber := of.(syscall.Errno)
	return !isNumber
}

// WasNotSent reports whether an error says that a statement never reached the
// database, so that what it was to record is certainly not recorded.
func WasNotSent(err error) bool {
	return errors.As(err, new(*pgconn.ConnectError)) || errors.Is(err, puddle.ErrClosedPool) || pgconn.SafeToRetry(err)
}

// IsBadValue reports whether the database refused a value for what it is: text
// that no text column takes, or a number beyond its column.
func IsBadValue(err error) bool {
	var said *pgconn.PgError
	return errors.As(err, &said) && strings.HasPrefix(said.Code, "22") ||
		err != nil && strings.Contains(err.Error(), "failed to encode args")
}

// Storable makes a text one that PostgreSQL keeps: NUL, which it does not, is
// shown as ␀, and what is not valid UTF-8 as the replacement character.
func Storable(text string) string {
	return strings.ReplaceAll(strings.ToValidUTF8(text, "\uFFFD"), "\x00", "␀")
}

// storableJSON does the same in a JSON document, where NUL is written \u0000.
func storableJSON(text []byte) []byte {
	escape := []byte(`\u0000`)
	if !bytes.Contains(text, escape) {
		return text
	}
	out := make([]byte, 0, len(text))
	for i := 0; i < len(text); i++ {
		switch {
		case text[i] != '\\' || i+1 == len(text):
			out = append(out, text[i])
		case bytes.HasPrefix(text[i:], escape):
			out = append(out, `\u2400`...)
			i += len(escape) - 1
		default: // another escape, of a backslash for one
			out = append(out, text[i], text[i+1])
			i++
		}
	}
	return out
}

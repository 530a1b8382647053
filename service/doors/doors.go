// Package doors lets connections in: so many at a time, not all of them of one address, and none
// that only stands there.
//
// It knows neither requests nor tokens. Where all places are taken, connections that are idle go
// first; who comes then is let in to a few further places, where a request is told that the
// service is busy, or whether it is alive.
package doors

import (
	"cmp"
	"context"
	"net"
	"net/http"
	"slices"
	"sync"
	"time"
)

// Doors are the places for connections. The zero Doors have none.
type Doors struct {
	Most int           // connections at a time
	Wait time.Duration // how long a client may leave what it is sent unread; 0 stands for a minute

	mu   sync.Mutex
	open map[*conn]bool
	of   map[string]int // those of an address that have a place
	late int            // those that have none
}

// Spare is how many connections beyond the most are heard, to be told that they are too many.
const Spare = 32

// Share is how many of some places one address may have: three quarters, so that others find one.
func Share(places int) int { return max(1, places-places/4) }

// conn is a connection that was let in.
type conn struct {
	net.Conn
	doors   *Doors
	address string
	late    bool
	state   http.ConnState
	since   time.Time // when it came, or fell idle
}

// Listen lets in what comes to a listener.
func (d *Doors) Listen(l net.Listener) net.Listener { return &listener{l, d} }

type listener struct {
	net.Listener
	doors *Doors
}

// Accept returns the next connection that finds a place.
func (l *listener) Accept() (net.Conn, error) {
	for {
		c, err := l.Listener.Accept()
		if err != nil {
			return nil, err
		}
		if in := l.doors.admit(c); in != nil {
			return in, nil
		}
		c.Close()
	}
}

// admit gives a connection a place; nil where there is none, not even for a refusal.
func (d *Doors) admit(c net.Conn) net.Conn {
	in := &conn{Conn: c, doors: d, address: AddressOf(c.RemoteAddr().String()), since: time.Now()}
	gone, fits := d.place(in)
	if gone != nil {
		gone.Conn.Close()
	}
	if !fits {
		return nil
	}
	return in
}

// place finds a place for a connection, and returns the one that goes for it, if any.
func (d *Doors) place(in *conn) (gone *conn, fits bool) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.open == nil {
		d.open, d.of = map[*conn]bool{}, map[string]int{}
	}
	isIdle := func(k *conn) bool { return !k.late && k.state == http.StateIdle }
	switch {
	case d.of[in.address] >= Share(d.Most):
		gone = d.oldest(func(k *conn) bool { return isIdle(k) && k.address == in.address })
		in.late = gone == nil
	case len(d.open)-d.late >= d.Most:
		gone = d.oldest(isIdle)
		in.late = gone == nil
	}
	if in.late && d.late >= Spare {
		// Who has said nothing yet makes room for who may.
		gone = d.oldest(func(k *conn) bool { return k.late && k.state == http.StateNew })
		if gone == nil {
			return nil, false
		}
	}
	if gone != nil {
		d.leave(gone)
	}
	d.open[in] = true
	if in.late {
		d.late++
	} else {
		d.of[in.address]++
	}
	return gone, true
}

func (d *Doors) oldest(is func(*conn) bool) (oldest *conn) {
	for k := range d.open {
		if is(k) && (oldest == nil || k.since.Before(oldest.since)) {
			oldest = k
		}
	}
	return oldest
}

// leave gives the place of a connection back. It is called under the lock.
func (d *Doors) leave(k *conn) {
	if !d.open[k] {
		return
	}
	delete(d.open, k)
	if k.late {
		d.late--
		return
	}
	if d.of[k.address]--; d.of[k.address] == 0 {
		delete(d.of, k.address)
	}
}

// Track notes what a connection is at; it is a server's ConnState.
func (d *Doors) Track(c net.Conn, state http.ConnState) {
	k := inner(c)
	if k == nil {
		return
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	k.state = state
	if state == http.StateIdle {
		k.since = time.Now()
	}
}

// inner returns the connection in one of a package that wraps it, as that of TLS does; nil for one
// that did not come through these doors.
func inner(c net.Conn) *conn {
	for {
		switch k := c.(type) {
		case *conn:
			return k
		case interface{ NetConn() net.Conn }:
			c = k.NetConn()
		default:
			return nil
		}
	}
}

// Close ends the connection.
func (k *conn) Close() error {
	k.doors.mu.Lock()
	k.doors.leave(k)
	k.doors.mu.Unlock()
	return k.Conn.Close()
}

// piece is how many bytes a client must take within the wait.
const piece = 64 << 10

// Write sends bytes, and gives up where the client does not take them.
func (k *conn) Write(p []byte) (n int, err error) {
	for len(p) > 0 {
		if err := k.SetWriteDeadline(time.Now().Add(cmp.Or(k.doors.Wait, time.Minute))); err != nil {
			return n, err
		}
		sent, err := k.Conn.Write(p[:min(piece, len(p))])
		if n += sent; err != nil {
			return n, err
		}
		p = p[sent:]
	}
	return n, nil
}

type isLate struct{}

// Context notes with a connection's requests that it has no place of its own; it is a server's
// ConnContext.
func (d *Doors) Context(ctx context.Context, c net.Conn) context.Context {
	if k := inner(c); k != nil && k.late {
		return context.WithValue(ctx, isLate{}, true)
	}
	return ctx
}

// IsLate reports whether a request came when all places were taken.
func IsLate(ctx context.Context) bool { return ctx.Value(isLate{}) != nil }

// AddressOf returns an address without its port.
func AddressOf(remote string) string {
	host, _, err := net.SplitHostPort(remote)
	if err != nil {
		return remote
	}
	return host
}

// Places are places for what goes on for long, such as streams. The zero Places have none.
type Places struct {
	Most int

	mu    sync.Mutex
	taken []string // the addresses that have them
}

// Take takes a place for an address, and reports whether there was one.
func (p *Places) Take(address string) bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	mine := 0
	for _, a := range p.taken {
		if a == address {
			mine++
		}
	}
	if len(p.taken) >= p.Most || mine >= Share(p.Most) {
		return false
	}
	p.taken = append(p.taken, address)
	return true
}

// Give gives a place back that was taken.
func (p *Places) Give(address string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if at := slices.Index(p.taken, address); at >= 0 {
		p.taken = slices.Delete(p.taken, at, at+1)
	}
}

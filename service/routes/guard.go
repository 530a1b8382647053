package routes

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/danielgtaylor/huma/v2"

	"sieb/service/doors"
)

// Guard is who may ask, and how much.
type Guard struct {
	// names and addresses under which requests may come, without ports; loopback's are always among them
	Hosts     []string
	AnyIP     bool   // and any address: the service answers at all of the machine's
	Token     string // what a request must show; "" for none, else of MinToken characters
	MaxUpload int64  // bytes of a delivery; 0 for any number
	// BodyWait is how long a body may send nothing, and how long a connection is
	// watched before its rate counts.
	BodyWait time.Duration
}

const (
	// minRate is the least that a body sends, in bytes a second, over all of it.
	minRate = 1 << 10
	// MinToken is how many characters a token has at least.
	MinToken = 20
)

const (
	pageRules = "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; object-src 'none'; " +
		"base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
	dataRules = "default-src 'none'; object-src 'none'; base-uri 'none'; form-action 'none'; " +
		"frame-ancestors 'none'; sandbox"
)

// headers puts the rules for browsers on every answer, errors too.
func headers(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("X-Frame-Options", "DENY")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("Cross-Origin-Resource-Policy", "same-origin")
		h.Set("Content-Security-Policy", pageRules)
		if isData(r.URL.Path) {
			h.Set("Content-Security-Policy", dataRules)
			h.Set("Cache-Control", "no-store")
		}
		next.ServeHTTP(w, r)
	})
}

// isData reports whether a path is one of data rather than of pages.
func isData(path string) bool {
	return strings.HasPrefix(path, "/api/") || path == "/metrics" || path == "/healthz"
}

// busy refuses requests whose connection found no place, all but the question whether the service is
// alive.
func busy(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if doors.IsLate(r.Context()) {
			w.Header().Set("Connection", "close")
			if r.URL.Path != "/healthz" {
				w.Header().Set("Retry-After", "2")
				problem(w, http.StatusServiceUnavailable, "the service has as many connections as it takes, or as it "+
					"takes from one address; nothing was done: ask again in a moment")
				return
			}
		}
		next.ServeHTTP(w, r)
	})
}

// direct refuses requests for a tunnel to elsewhere.
func direct(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodConnect {
			w.Header().Set("Connection", "close")
			problem(w, http.StatusMethodNotAllowed, "this service is no proxy: it makes no connections for others")
			return
		}
		next.ServeHTTP(w, r)
	})
}

// known lets requests pass that come under a known name. A page of another site
// whose name points at this machine has the browser send that name.
func (g *Guard) known(next http.Handler) http.Handler {
	names := map[string]bool{"localhost": true}
	for _, name := range g.Hosts {
		names[strings.ToLower(strings.Trim(name, "[]"))] = true
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		name := hostOf(r.Host)
		ip := net.ParseIP(name)
		if names[name] || ip != nil && (ip.IsLoopback() || g.AnyIP) {
			next.ServeHTTP(w, r)
			return
		}
		problem(w, http.StatusMisdirectedRequest,
			fmt.Sprintf("this service does not answer under the name %q; name it with --host if it is right", name))
	})
}

// hostOf returns the name in a Host header, without port and in small letters.
func hostOf(host string) string {
	if name, _, err := net.SplitHostPort(host); err == nil {
		host = name
	}
	return strings.TrimSuffix(strings.ToLower(strings.Trim(host, "[]")), ".")
}

// plain lets requests pass whose path and parameters are text: valid UTF-8
// without NUL, which no id, name or filter holds.
func plain(next http.Handler) http.Handler {
	isText := func(s string) bool { return utf8.ValidString(s) && !strings.ContainsRune(s, 0) }
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		query, err := url.ParseQuery(r.URL.RawQuery)
		ok := err == nil && isText(r.URL.Path)
		for name, values := range query {
			ok = ok && isText(name) && isText(strings.Join(values, ""))
		}
		if !ok {
			problem(w, http.StatusBadRequest,
				"the address holds a NUL character, or is not valid UTF-8 or not well escaped")
			return
		}
		next.ServeHTTP(w, r)
	})
}

// unhurried ends requests whose body comes too slowly, so that connections that
// send nothing do not stay.
func (g *Guard) unhurried(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Body != nil && r.Body != http.NoBody {
			r.Body = &watched{ReadCloser: r.Body, conn: http.NewResponseController(w), wait: g.BodyWait,
				begun: time.Now()}
		}
		next.ServeHTTP(w, r)
	})
}

func init() {
	plain := huma.NewErrorWithContext
	huma.NewErrorWithContext = func(ctx huma.Context, status int, msg string, errs ...error) huma.StatusError {
		if slices.ContainsFunc(errs, func(err error) bool { return errors.Is(err, errBroken) }) {
			return plain(ctx, http.StatusBadRequest, errBroken.Error()+"; nothing was done")
		}
		return plain(ctx, status, msg, errs...)
	}
}

// watched is a body whose sender is held to a rate.
type watched struct {
	io.ReadCloser
	conn  *http.ResponseController
	wait  time.Duration
	begun time.Time
	got   int64
}

var (
	errSlow   = errors.New("the body came too slowly")
	errBroken = errors.New("the body did not arrive whole, or not as HTTP has it")
)

func (b *watched) Read(p []byte) (int, error) {
	_ = b.conn.SetReadDeadline(time.Now().Add(b.wait)) // a recorder in tests has none
	n, err := b.ReadCloser.Read(p)
	b.got += int64(n)
	var timeout net.Error
	switch taken := time.Since(b.begun); {
	case errors.As(err, &timeout) && timeout.Timeout():
		err = errSlow
	case err == nil && taken > b.wait && float64(b.got) < taken.Seconds()*minRate:
		err = errSlow
	}
	if err != nil && !errors.Is(err, errSlow) {
		_ = b.conn.SetReadDeadline(time.Time{}) // the answer may take longer
	}
	if err != nil && !errors.Is(err, errSlow) && !errors.Is(err, io.EOF) && !errors.As(err, new(*http.MaxBytesError)) {
		err = fmt.Errorf("%w: %w", errBroken, err)
	}
	return n, err
}

// mostOfChange is how long a change may take that is carried out though whoever asked for it is gone.
const mostOfChange = 15 * time.Minute

// lasting carries a request that changes something to its end, also where the page that sent it was left or loaded
// anew meanwhile. What is only asked, and what is streamed in, ends with whoever asks.
func (s *Server) lasting(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !isChange(r.Method, r.URL.Path) {
			next.ServeHTTP(w, r)
			return
		}
		ctx, stop := context.WithTimeout(context.WithoutCancel(r.Context()), mostOfChange)
		defer stop()
		next.ServeHTTP(w, r.WithContext(ctx))
	})
}

// isChange reports whether a request changes something that is kept, and does not stream a file in.
func isChange(method, path string) bool {
	switch method {
	case http.MethodPut, http.MethodPatch, http.MethodDelete:
		return true
	case http.MethodPost:
		return changes.MatchString(path)
	}
	return false
}

// changes are the routes whose POST changes something. Those of deliveries stream files in; all others only ask.
var changes = regexp.MustCompile(`^/api/v1/(runs|runs/[^/]+/cancel|targets|mappings|codes|codes/from|` +
	`(targets|mappings|codes)/[^/]+/(copy|rename)|` +
	`deliveries/[^/]+/(members|profile|profile/cancel|rules/[a-z]+))$`)

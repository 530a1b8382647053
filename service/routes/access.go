package routes

import (
	"cmp"
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/hex"
	"maps"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"sieb/service/api"
	"sieb/service/doors"
)

const (
	// sessionCookie holds a browser's session; sessionTime is how long one lasts.
	sessionCookie = "sieb_session"
	sessionTime   = 12 * time.Hour
	signInPath    = "/api/v1/token"
)

// A session is "END.ID.SEAL": when it ends, in seconds of Unix time, an identifier by chance, and both
// sealed with the token, so that all instances of a service know it, and none keeps it. Those that were
// signed out before their end are in the records.

// session makes a session that ends at a time.
func (g *Guard) session(ends time.Time) string {
	text := strconv.FormatInt(ends.Unix(), 10) + "." + rand.Text()
	return text + "." + g.seal(text)
}

func (g *Guard) seal(text string) string {
	h := hmac.New(sha256.New, []byte(g.Token))
	h.Write([]byte("session " + text))
	return hex.EncodeToString(h.Sum(nil))
}

// isSession reports whether a text is a session of this service that has not come to its end, and
// returns its identifier and end.
func (g *Guard) isSession(text string, now time.Time) (id string, ends time.Time, ok bool) {
	i := strings.LastIndexByte(text, '.')
	if i < 0 || !hmac.Equal([]byte(text[i+1:]), []byte(g.seal(text[:i]))) {
		return "", time.Time{}, false
	}
	end, id, _ := strings.Cut(text[:i], ".")
	seconds, err := strconv.ParseInt(end, 10, 64)
	ends = time.Unix(seconds, 0)
	return id, ends, err == nil && now.Before(ends)
}

func (g *Guard) isToken(shown string) bool {
	// Of equal length, so that the time of the comparison tells nothing.
	a, b := sha256.Sum256([]byte(shown)), sha256.Sum256([]byte(g.Token))
	return subtle.ConstantTimeCompare(a[:], b[:]) == 1
}

// admitted lets requests for data pass that show the token as a bearer token, or the session that signIn
// gives to a browser. Pages hold no data: they ask for the token.
func (s *Server) admitted(next http.Handler) http.Handler {
	if s.Guard.Token == "" {
		return next
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !isData(r.URL.Path) || r.URL.Path == "/healthz" || r.URL.Path == signInPath {
			next.ServeHTTP(w, r)
			return
		}
		if token, isBearer := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer "); isBearer {
			if s.Guard.isToken(token) {
				next.ServeHTTP(w, r)
				return
			}
			s.wrongToken(r.Context(), doors.AddressOf(r.RemoteAddr), r.URL.Path)
		} else if cookie, err := r.Cookie(sessionCookie); err == nil {
			_, is, err := s.isSignedIn(r.Context(), cookie.Value)
			if err != nil {
				problem(w, http.StatusServiceUnavailable, "the database does not answer, so that it is not known "+
					"whether this session was signed out; ask again in a moment")
				return
			}
			if is {
				next.ServeHTTP(w, r)
				return
			}
		}
		w.Header().Set("WWW-Authenticate", `Bearer realm="Sieb"`)
		problem(w, http.StatusUnauthorized,
			"this service asks for its token: send it as a bearer token, or set SIEB_TOKEN for the command line")
	})
}

func (s *Server) isSignedIn(ctx context.Context, session string) (ends time.Time, is bool, err error) {
	id, ends, ok := s.Guard.isSession(session, time.Now())
	if !ok {
		return ends, false, nil
	}
	out, err := s.Store.IsSignedOut(ctx, id)
	return ends, !out, err
}

// wrongToken notes a wrong token, and waits, the longer the more of them came from an address. A right
// one never waits: many may come from one address, as from that of a proxy.
func (s *Server) wrongToken(ctx context.Context, address, path string) {
	wait := s.guesses.wait(address, time.Now())
	s.Log.Info("a wrong token was shown", "from", address, "path", path, "answered after", wait)
	select {
	case <-ctx.Done():
	case <-time.After(wait):
	}
}

const (
	firstWait = 250 * time.Millisecond
	mostWait  = 16 * time.Second
	// guessesKept is how long an address is remembered, and mostGuessers how many are.
	guessesKept  = 10 * time.Minute
	mostGuessers = 10_000
	sweeps       = time.Minute // between two looks at all of them
)

// guesses counts wrong tokens by address.
type guesses struct {
	mu    sync.Mutex
	of    map[string]guess
	swept time.Time // when those were last left out who may begin anew
}

type guess struct {
	wait time.Duration
	last time.Time
}

// wait counts a wrong token and returns how long its answer waits: twice as long as the one before.
func (g *guesses) wait(address string, now time.Time) time.Duration {
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.of == nil {
		g.of = map[string]guess{}
	}
	known, has := g.of[address]
	if now.Sub(known.last) > guessesKept {
		known.wait = 0
	}
	if !has && len(g.of) >= mostGuessers {
		if now.Sub(g.swept) > sweeps {
			maps.DeleteFunc(g.of, func(_ string, o guess) bool { return now.Sub(o.last) > guessesKept })
			g.swept = now
		}
		if len(g.of) >= mostGuessers {
			return mostWait // so many addresses are one attack
		}
	}
	known = guess{min(max(firstWait, 2*known.wait), mostWait), now}
	g.of[address] = known
	return known.wait
}

// OfSession is what a browser shows.
type OfSession struct {
	Session string `cookie:"sieb_session"`
}

// showAccess tells a browser whether it is signed in.
func (s *Server) showAccess(ctx context.Context, in *OfSession) (*answer[api.Access], error) {
	out := api.Access{AsksForToken: s.Guard.Token != ""}
	if !out.AsksForToken || in.Session == "" {
		return &answer[api.Access]{out}, nil
	}
	ends, is, err := s.isSignedIn(ctx, in.Session)
	if err != nil {
		return nil, s.failure("looking for a session", err)
	}
	if is {
		out.SessionEnds = &ends
	}
	return &answer[api.Access]{out}, nil
}

type signInForm struct {
	Way
	Body struct {
		Token string `json:"token" maxLength:"4096" doc:"of the service, as SIEB_TOKEN sets it"`
	}
}

// Way is how a request came.
type Way struct {
	Forwarded string `header:"X-Forwarded-Proto" doc:"the scheme under which a proxy was asked"`
	address   string
	isTLS     bool
}

// Resolve notes what stands beside a request's fields.
func (w *Way) Resolve(ctx huma.Context) []error {
	w.address = doors.AddressOf(ctx.RemoteAddr())
	w.isTLS = ctx.TLS() != nil || strings.EqualFold(w.Forwarded, "https")
	return nil
}

type cookieAnswer struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
}

// cookie returns one that holds a session, out of reach of scripts.
func (w *Way) cookie(session string, last time.Duration) *cookieAnswer {
	return &cookieAnswer{http.Cookie{Name: sessionCookie, Value: session, Path: "/", HttpOnly: true,
		Secure: w.isTLS, SameSite: http.SameSiteStrictMode, MaxAge: cmp.Or(int(last/time.Second), -1)}}
}

// signIn gives a browser a session for the token.
func (s *Server) signIn(ctx context.Context, in *signInForm) (*cookieAnswer, error) {
	if s.Guard.Token != "" && !s.Guard.isToken(in.Body.Token) {
		s.wrongToken(ctx, in.address, signInPath)
		return nil, huma.Error401Unauthorized("this is not the service's token")
	}
	return in.cookie(s.Guard.session(time.Now().Add(sessionTime)), sessionTime), nil
}

// signOut ends a browser's session.
func (s *Server) signOut(ctx context.Context, in *struct {
	OfSession
	Way
}) (*cookieAnswer, error) {
	if id, ends, ok := s.Guard.isSession(in.Session, time.Now()); ok {
		if err := s.Store.SignOut(ctx, id, ends); err != nil {
			return nil, s.failure("ending a session", err)
		}
	}
	return in.cookie("", 0), nil
}

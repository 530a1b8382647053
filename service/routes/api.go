package routes

import (
	"encoding/json"
	"fmt"
	"log/slog"
	"net/http"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"sieb/core/report"
	"sieb/core/source"
	"sieb/service/catalogue"
	"sieb/service/desk"
	"sieb/service/doors"
	"sieb/service/jobs"
	"sieb/service/reading"
	"sieb/service/rehearsal"
	"sieb/service/staging"
	"sieb/service/store"
)

// Server answers requests.
type Server struct {
	Store   *store.Store
	Area    *staging.Area
	Queue   *jobs.Queue
	Cache   *reading.Cache
	Book    *rehearsal.Book
	Desk    *desk.Desk // for what requests wait for
	Bounds  source.Bounds
	Guard   Guard
	Streams *doors.Places // for event streams
	Tables  *catalogue.Databases
	Log     *slog.Logger
	Version string
	Console http.Handler    // the pages; nil for none
	Closing <-chan struct{} // closed when the service stops; ends event streams

	guesses   guesses
	rehearsed rehearsal.Outcomes[shown]
}

var outputNames = []string{report.AcceptedName, report.RejectedName, report.ExcludedName, report.ViolationsName,
	report.ManifestName}

func shortName(output string) string { return strings.TrimSuffix(output, filepath.Ext(output)) }

const (
	maxTargetBytes = 4 << 20
)

// Handler returns the routes.
func (s *Server) Handler() http.Handler {
	s.rehearsed.Dir = s.Area.Scratch()
	r := chi.NewRouter()
	r.Use(headers, s.recovered, busy, direct, logged(s.Log), s.Guard.known, plain, sameSite, s.admitted,
		s.Guard.unhurried, s.lasting, middleware.GetHead)
	to := s.describe(r)
	r.Handle("/metrics", promhttp.Handler())
	r.Get("/api/openapi.json", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/vnd.oai.openapi+json")
		_ = json.NewEncoder(w).Encode(to.OpenAPI())
	})
	r.NotFound(func(w http.ResponseWriter, req *http.Request) {
		if s.Console == nil || strings.HasPrefix(req.URL.Path, "/api/") {
			problem(w, http.StatusNotFound,
				"there is nothing at "+req.URL.Path+"; the routes stand in /api/openapi.json")
			return
		}
		s.Console.ServeHTTP(w, req)
	})
	r.MethodNotAllowed(func(w http.ResponseWriter, req *http.Request) {
		problem(w, http.StatusMethodNotAllowed,
			req.Method+" is not possible at "+req.URL.Path+"; the routes stand in /api/openapi.json")
	})
	return r
}

// Document returns the OpenAPI document, indented.
func Document() ([]byte, error) {
	text, err := json.MarshalIndent((&Server{}).describe(chi.NewRouter()).OpenAPI(), "", "  ")
	return append(text, '\n'), err
}

// describe adds the described routes to a router.
func (s *Server) describe(r chi.Router) huma.API {
	huma.DefaultArrayNullable = false // lists are never null here
	c := huma.DefaultConfig("Sieb", s.Version)
	c.Info.Description = "Deliveries, targets and runs. Errors are problem details (RFC 9457); times are RFC " +
		"3339 in UTC."
	c.OpenAPIPath, c.DocsPath, c.SchemasPath = "", "", ""
	c.CreateHooks = nil // no links to schemas in the documents
	to := humachi.New(r, c)
	to.UseMiddleware(knownParameters(to))
	s.routes(to)
	return to
}

// knownParameters refuses a request with a query parameter that its route does not
// have: a filter that is misspelt must not list everything.
func knownParameters(to huma.API) func(huma.Context, func(huma.Context)) {
	return func(ctx huma.Context, next func(huma.Context)) {
		var known []string
		for _, p := range ctx.Operation().Parameters {
			if p.In == "query" {
				known = append(known, p.Name)
			}
		}
		url := ctx.URL()
		var faults []error
		for name := range url.Query() {
			if slices.Contains(known, name) {
				continue
			}
			has := "has none"
			if len(known) > 0 {
				has = "has " + strings.Join(known, ", ")
			}
			faults = append(faults, &huma.ErrorDetail{Location: "query." + name,
				Message: fmt.Sprintf("there is no query parameter %q: this route %s", name, has)})
		}
		if len(faults) > 0 {
			slices.SortFunc(faults, func(a, b error) int { return strings.Compare(a.Error(), b.Error()) })
			_ = huma.WriteErr(to, ctx, http.StatusUnprocessableEntity,
				"the request names what this route does not have", faults...)
			return
		}
		next(ctx)
	}
}

// problem writes an error outside of the described routes.
func problem(w http.ResponseWriter, status int, detail string) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(huma.ErrorModel{Status: status, Title: http.StatusText(status), Detail: detail})
}

func (s *Server) recovered(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		ww := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		w = ww
		defer func() {
			switch p := recover(); p {
			case nil:
			case http.ErrAbortHandler: //nolint:errorlint // a panic's value
				panic(p) // breaks the connection off, which is meant
			default:
				s.Log.Error("a request failed", "method", r.Method, "path", r.URL.Path, "panic", fmt.Sprint(p), "stack",
					string(debug.Stack()))
				if ww.Status() != 0 {
					panic(http.ErrAbortHandler) // what was sent must not look whole
				}
				problem(w, http.StatusInternalServerError, "the service failed at this request; its log says more")
			}
		}()
		next.ServeHTTP(w, r)
	})
}

func logged(log *slog.Logger) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			start := time.Now()
			ww := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
			next.ServeHTTP(ww, r)
			log.Debug("request", "method", r.Method, "path", r.URL.Path, "status", ww.Status(), "bytes",
				ww.BytesWritten(), "took", time.Since(start).Round(time.Millisecond))
		})
	}
}

// sameSite keeps pages of other sites from changing anything through a steward's
// browser.
func sameSite(next http.Handler) http.Handler {
	cross := http.NewCrossOriginProtection()
	cross.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		problem(w, http.StatusForbidden, "the request comes from a page of another site")
	}))
	return cross.Handler(next)
}

// Paging is the part of a list that is asked for.
type Paging struct {
	Offset int `query:"offset" minimum:"0" maximum:"1000000000" doc:"number of entries to skip"`
	Limit  int `query:"limit" minimum:"1" maximum:"1000" default:"100"`
}

type byID struct {
	ID string `path:"id"`
}

type answer[T any] struct{ Body T }

type created[T any] struct {
	Status   int
	Location string `header:"Location"`
	Body     T
}

// op describes an operation: what it does, below which tag, and which errors it answers.
func op(id, method, path, summary, tag string, errs ...int) huma.Operation {
	return huma.Operation{OperationID: id, Method: method, Path: v1 + path, Summary: summary, Tags: []string{tag},
		Errors: errs}
}

const v1 = "/api/v1"

func (s *Server) routes(to huma.API) {
	s.deliveryRoutes(to)
	s.readingRoutes(to)
	s.profileRoutes(to)

	s.outcomeRoutes(to)
	s.rowRoutes(to)
	s.comparisonRoutes(to)
	s.textRoutes(to)
	s.rulesRoutes(to)
	s.senderRoutes(to)

	start := op("startRun", http.MethodPost, "/runs", "Sifts a delivery through a target", "runs", 404, 422)
	start.DefaultStatus = http.StatusAccepted
	huma.Register(to, start, s.startRun)
	huma.Register(to, op("listRuns", http.MethodGet, "/runs", "Runs, newest first", "runs", 404), s.listRuns)
	huma.Register(to, op("showRun", http.MethodGet, "/runs/{id}", "One run with its result", "runs", 404), s.showRun)
	events := op("runEvents", http.MethodGet, "/runs/{id}/events",
		"The run again whenever it changes, until it ends (server-sent events)", "runs", 404)
	events = s.streaming(to, events, "events named run, each with the document of showRun, the last in its "+
		"final state; or, "+
		"where the stream ends before the run, at last an event named ended, whose document has the reason",
		&huma.Schema{Type: "string"})
	huma.Register(to, events, s.runEvents)
	huma.Register(to, op("cancelRun", http.MethodPost, "/runs/{id}/cancel", "Stops a run", "runs", 404, 409),
		s.cancelRun)
	huma.Register(to, op("showRunBefore", http.MethodGet, "/runs/{id}/before",
		"The run of the delivery of the same kind that arrived before, with which this one is compared", "runs", 404),
		s.showBefore)
	huma.Register(to, op("runRejects", http.MethodGet, "/runs/{id}/rejects", "Rejected rows with their violations",
		"runs", 404, 409), s.runRejects)
	huma.Register(to, op("explainRow", http.MethodGet, "/runs/{id}/rows/{row}",
		"What the run made of one row: each cell after each remedy, each rule's answer", "runs", 404, 409, 422),
		s.explainRow)
	huma.Register(to, op("runViolations", http.MethodGet, "/runs/{id}/violations",
		"Violations one by one, of flagged and blanked cells too", "runs", 404, 409, 422), s.runViolations)
	huma.Register(to, file(op("runOutput", http.MethodGet, "/runs/{id}/outputs/{name}", "A file that the run wrote",
		"runs", 404)), s.runOutput)
	s.describeForms(to)

	enter := op("signIn", http.MethodPost, "/token", "Gives a browser a session for the service's token",
		"service", 401)
	enter.DefaultStatus = http.StatusNoContent
	huma.Register(to, enter, s.signIn)
	leave := op("signOut", http.MethodDelete, "/token", "Ends a browser's session", "service")
	leave.DefaultStatus = http.StatusNoContent
	huma.Register(to, leave, s.signOut)
	huma.Register(to, op("access", http.MethodGet, "/token", "Whether the service asks for a token, and how long "+
		"this session lasts", "service"), s.showAccess)
	health := huma.Operation{OperationID: "health", Method: http.MethodGet, Path: "/healthz",
		Summary: "Reports whether the service can work", Tags: []string{"service"}, Errors: []int{503}}
	huma.Register(to, health, s.health)
}

// file describes a route that answers with a file's bytes.
func file(op huma.Operation) huma.Operation {
	op.Responses = map[string]*huma.Response{"200": {Description: "the file",
		Content: map[string]*huma.MediaType{"application/octet-stream": {Schema: &huma.Schema{Type: "string",
			Format: "binary"}}}}}
	return op
}

// eventsEvery is how often a stream looks for a change of its run.
const eventsEvery = 250 * time.Millisecond

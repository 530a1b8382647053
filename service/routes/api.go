package routes

import (
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"mime"
	"net/http"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"sieb/core/check"
	"sieb/core/fault"
	"sieb/core/outcome/csv"
	"sieb/core/outcome/written"
	"sieb/core/report"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/violation"
	"sieb/service/api"
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

	guesses guesses
}

var outputNames = []string{report.AcceptedName, report.RejectedName, report.ExcludedName, report.ViolationsName,
	report.ManifestName}

func shortName(output string) string { return strings.TrimSuffix(output, filepath.Ext(output)) }

const (
	maxTargetBytes = 4 << 20
)

// Handler returns the routes.
func (s *Server) Handler() http.Handler {
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
	huma.Register(to, op("compareRuns", http.MethodGet, "/runs/{id}/comparison",
		"How a run differs from an earlier one: rules, violations, rows that ended elsewhere or are new, gone and changed",
		"runs",
		404, 409), s.compareRuns)
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

func (s *Server) health(ctx context.Context, _ *struct{}) (*answer[api.Health], error) {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	if err := s.Store.Ping(ctx); err != nil {
		return nil, huma.Error503ServiceUnavailable("the database does not answer")
	}
	return &answer[api.Health]{api.Health{Status: "ok", Version: s.Version}}, nil
}

// failure logs an error that is the service's own, and keeps its text from the
// answer, unless it says what the asker can do.
func (s *Server) failure(doing string, err error) error {
	var disk *fault.Disk
	var damaged *source.Damaged
	var status huma.StatusError
	switch {
	case errors.As(err, &status):
		return err
	case store.IsGone(err):
		return huma.Error404NotFound("what this belongs to was deleted meanwhile")
	case store.IsBadValue(err):
		return huma.Error422UnprocessableEntity("the request holds a character that cannot be kept (NUL), or a " +
			"number that is too large")
	case store.IsAway(err):
		s.Log.Warn("the database is away", "doing", doing, "error", err)
		return huma.ErrorWithHeaders(huma.Error503ServiceUnavailable("the database does not answer; "+doing+
			" was not possible, and nothing was changed: ask again in a moment"),
			http.Header{"Retry-After": {"5"}})
	case errors.Is(err, context.Canceled): // whoever asked is gone
		s.Log.Debug("a request was given up", "doing", doing)
		return huma.Error503ServiceUnavailable(doing + " was given up")
	case errors.As(err, &damaged):
		s.Log.Error("a delivery is damaged", "doing", doing, "error", err)
		return huma.Error500InternalServerError(damaged.Error())
	case errors.As(err, &disk):
		s.Log.Error("the disk takes no more", "doing", doing, "error", err)
		return huma.NewError(http.StatusInsufficientStorage, s.Area.Conceal(disk, "", ""))
	case fault.IsDisk(err):
		s.Log.Error("the disk takes no more", "doing", doing, "error", err)
		return huma.NewError(http.StatusInsufficientStorage, s.Area.Conceal(&fault.Disk{Doing: doing, Err: err}, "", ""))
	case errors.Is(err, fs.ErrNotExist):
		s.Log.Error("a file is missing", "doing", doing, "error", err)
		return huma.Error500InternalServerError(doing + " failed: a file is missing in the service's data folder, " +
			"which its " +
			"log names; bring it back from a copy, or run the delivery again")
	}
	s.Log.Error("a request failed", "doing", doing, "error", err)
	return huma.Error500InternalServerError(doing + " failed; the service's log says more")
}

func pageOf[T, U any](found []T, total int, turn func(T) U) *answer[api.Page[U]] {
	items := make([]U, len(found))
	for i := range found {
		items[i] = turn(found[i])
	}
	return &answer[api.Page[U]]{api.Page[U]{Items: items, Total: total}}
}

// sendFile answers with a file, or a part of it where the request asks so. Where it is known what the
// file holds, that is proved: the answer to a request for all of a damaged file breaks off.
func (s *Server) sendFile(path, name, kind string, of source.Content) (*huma.StreamResponse, error) {
	f, err := report.Open(path)
	if err != nil {
		return nil, s.failure("opening "+name, err)
	}
	info, err := f.Stat()
	if err != nil {
		f.Close()
		return nil, s.failure("opening "+name, err)
	}
	if err := of.Size(info.Size()); err != nil {
		f.Close()
		return nil, s.failure("sending "+name, err)
	}
	return &huma.StreamResponse{Body: func(ctx huma.Context) {
		defer f.Close()
		r, w := humachi.Unwrap(ctx)
		attach(w, name, kind)
		if strings.Contains(r.Header.Get("Want-Repr-Digest"), "sha-256") { // RFC 9530
			sum := sha256.New()
			if _, err := io.Copy(sum, fault.Until(r.Context(), f)); err != nil {
				s.Log.Warn("a file's SHA-256 could not be computed", "file", name, "error", err)
			} else {
				w.Header().Set("Repr-Digest", "sha-256=:"+base64.StdEncoding.EncodeToString(sum.Sum(nil))+":")
			}
			if _, err := f.Seek(0, io.SeekStart); err != nil {
				s.Log.Error("a download broke off", "file", name, "error", err)
				panic(http.ErrAbortHandler)
			}
		}
		if of.SHA256 == "" || r.Method != http.MethodGet || r.Header.Get("Range") != "" {
			http.ServeContent(w, r, "", info.ModTime(), f)
			return
		}
		w.Header().Set("Accept-Ranges", "bytes")
		w.Header().Set("Last-Modified", info.ModTime().UTC().Format(http.TimeFormat))
		w.Header().Set("Content-Length", strconv.FormatInt(info.Size(), 10))
		if _, err := io.Copy(w, of.Prove(&held{r: fault.Until(r.Context(), f)}, func() {})); err != nil {
			s.Log.Error("a download broke off", "file", name, "error", err)
			panic(http.ErrAbortHandler) // so that it does not look whole
		}
	}}, nil
}

// held reads with its last byte held back until it is known to be the last, so that what is proved at
// the end is not sent whole before.
type held struct {
	r    io.Reader
	last []byte
}

func (h *held) Read(p []byte) (int, error) {
	if len(p) < 2 {
		return 0, io.ErrShortBuffer
	}
	n := copy(p, h.last)
	k, err := h.r.Read(p[n:])
	n += k
	if err == io.EOF {
		h.last = h.last[:0]
		return n, err
	}
	if n > 0 {
		h.last, n = append(h.last[:0], p[n-1]), n-1
	}
	return n, err
}

func (s *Server) listRuns(ctx context.Context, in *struct {
	Paging
	Delivery string `query:"delivery" doc:"only those of this delivery"`
}) (*answer[api.Page[api.RunHead]], error) {
	if in.Delivery != "" {
		if _, err := s.delivery(ctx, in.Delivery); err != nil {
			return nil, err
		}
	}
	found, total, err := s.Store.Runs(ctx, in.Delivery, in.Offset, in.Limit)
	if err != nil {
		return nil, s.failure("listing runs", err)
	}
	return pageOf(found, total, headOf), nil
}

func (s *Server) run(ctx context.Context, id string) (store.Run, error) {
	r, err := s.Store.Run(ctx, id)
	if errors.Is(err, store.ErrNone) {
		return r, huma.Error404NotFound(fmt.Sprintf("there is no run %q", id))
	} else if err != nil {
		return r, s.failure("looking for a run", err)
	}
	return r, nil
}

func (s *Server) runOf(r store.Run) (api.Run, error) {
	out, err := runOf(r)
	if err != nil {
		return out, s.failure("reading the result of a run", err)
	}
	return out, nil
}

func (s *Server) showRun(ctx context.Context, in *byID) (*answer[api.Run], error) {
	r, err := s.run(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	out, err := s.runOf(r)
	if err != nil {
		return nil, err
	}
	return &answer[api.Run]{out}, nil
}

// eventsEvery is how often a stream looks for a change of its run.
const eventsEvery = 250 * time.Millisecond

func (s *Server) runEvents(ctx context.Context, in *byID) (*huma.StreamResponse, error) {
	if _, err := s.run(ctx, in.ID); err != nil {
		return nil, err
	}
	return &huma.StreamResponse{Body: func(hctx huma.Context) {
		events := startEvents(hctx)
		if events.isHead {
			return
		}
		last := ""
		for {
			run, err := s.Store.Run(events.ctx, in.ID)
			if errors.Is(err, store.ErrNone) {
				events.ended("the run is no longer there")
				return
			} else if err != nil {
				events.ended(s.failure("following a run", err).Error())
				return
			}
			out, err := s.runOf(run)
			if err != nil {
				events.ended(err.Error())
				return
			}
			text, err := json.Marshal(out)
			if err != nil {
				events.ended(s.failure("following a run", err).Error())
				return
			}
			if string(text) != last {
				last = string(text)
				err = events.text("run", text)
			} else {
				err = events.still()
			}
			if err != nil || run.Ended() {
				return
			}
			select {
			case <-events.ctx.Done():
				return
			case <-s.Closing:
				events.ended("the service stops; the run goes on when it is started again")
				return
			case <-time.After(eventsEvery):
			}
		}
	}}, nil
}

func (s *Server) cancelRun(ctx context.Context, in *byID) (*answer[api.Run], error) {
	r, err := s.run(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	cancelled, err := s.Queue.Cancel(ctx, store.Runs, r.ID, r.JobID)
	if err != nil {
		return nil, s.failure("cancelling a run", err)
	}
	if !cancelled {
		return nil, huma.Error409Conflict("the run has ended already")
	}
	return s.showRun(ctx, in)
}

// AskViolations narrows what is shown of a run down to some violations.
type AskViolations struct {
	ID string `path:"id"`
	Paging
	Column string `query:"column" doc:"only violations in this column of the target"`
	Code   string `query:"code" doc:"only violations of this code, such as date.format"`
}

// doneRun returns a run that is done, and the filter that is asked for.
func (s *Server) doneRun(ctx context.Context, ask *AskViolations, what string) (r store.Run, f report.Filter,
	err error) {
	if r, err = s.run(ctx, ask.ID); err != nil {
		return r, f, err
	}
	if r.State != store.Done {
		return r, f, huma.Error409Conflict("the run has no " + what + " to show: it is " + r.State)
	}
	if ask.Code != "" {
		if err := new(violation.Code).UnmarshalText([]byte(ask.Code)); err != nil {
			return r, f, huma.Error422UnprocessableEntity(err.Error())
		}
	}
	if ask.Column != "" {
		if out, err := s.runOf(r); err != nil {
			return r, f, err
		} else if !out.Has(ask.Column) {
			return r, f, huma.Error404NotFound(fmt.Sprintf("the run has no column %q and no violation in one of "+
				"that name", ask.Column))
		}
	}
	return r, report.Filter{Column: ask.Column, Code: ask.Code}, nil
}

func (s *Server) runRejects(ctx context.Context, in *AskViolations) (*answer[api.Rejects], error) {
	r, filter, err := s.doneRun(ctx, in, "rejected rows")
	if err != nil {
		return nil, err
	}
	columns, page, total, err := report.Rejects(ctx, s.Area.RunDir(r.ID), filter, in.Offset, in.Limit)
	if err != nil {
		return nil, s.failure("reading the rejected rows", err)
	}
	return &answer[api.Rejects]{api.Rejects{Items: page, Total: total, Columns: columns}}, nil
}

func (s *Server) explainRow(ctx context.Context, in *struct {
	ID  string `path:"id"`
	Row int64  `path:"row" minimum:"1" doc:"number of the row, from 1"`
}) (*answer[check.Explanation], error) {
	r, err := s.run(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	if r.State != store.Done {
		return nil, huma.Error409Conflict("the run has no row to explain: it is " + r.State)
	}
	var e *check.Explanation
	err = s.Desk.Alone(ctx, func(ctx context.Context) (err error) {
		e, err = s.Queue.Explain(ctx, r, in.Row)
		return err
	})
	var none *sift.NoRow
	var gone *jobs.Gone
	switch {
	case errors.As(err, &none):
		return nil, huma.Error404NotFound(none.Error())
	case errors.As(err, &gone):
		return nil, huma.Error409Conflict(gone.Error())
	case err != nil:
		return nil, s.failure("explaining a row", err)
	}
	return &answer[check.Explanation]{*e}, nil
}

func (s *Server) runViolations(ctx context.Context, in *AskViolations) (*answer[api.Violations], error) {
	r, filter, err := s.doneRun(ctx, in, "violations")
	if err != nil {
		return nil, err
	}
	page, total, err := report.Violations(ctx, s.Area.RunDir(r.ID), filter, in.Offset, in.Limit)
	if err != nil {
		return nil, s.failure("reading the violations", err)
	}
	return &answer[api.Violations]{api.Violations{Items: page, Total: total}}, nil
}

func (s *Server) runOutput(ctx context.Context, in *struct {
	ID   string `path:"id"`
	Name string `path:"name"`
	For  string `query:"for" enum:"spreadsheet,spreadsheet-semicolon" doc:"with a byte order mark, and guarded against cells that a spreadsheet would run as formulas; the second with semicolons between the cells, as spreadsheets expect them where decimals have a comma"`
}) (*huma.StreamResponse, error) {
	r, err := s.run(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	kind, names := "text/csv; charset=utf-8", outputNames
	if r.Result != nil {
		var result jobs.Result
		if err := json.Unmarshal(r.Result, &result); err != nil {
			return nil, s.failure("reading a run's result", err)
		}
		names = slices.Concat(names, result.Written)
	}
	switch {
	case !slices.Contains(names, in.Name):
		return nil, huma.Error404NotFound(fmt.Sprintf("the run has no output %q; it has %s", in.Name,
			strings.Join(names, ", ")))
	case r.State != store.Done:
		return nil, huma.Error404NotFound("the run has no outputs: it is " + r.State)
	case in.Name == report.ManifestName:
		kind = "application/json"
	}
	for _, f := range written.Forms {
		if f.File == in.Name {
			kind = f.Type
		}
	}
	d, err := s.delivery(ctx, r.DeliveryID)
	if err != nil {
		return nil, err
	}
	path, name := filepath.Join(s.Area.RunDir(r.ID), in.Name), stem(d.Name)+"."+in.Name
	switch {
	case !strings.HasSuffix(in.Name, ".csv") || in.For == "":
		return s.sendFile(path, name, kind, source.Content{})
	case in.For == "spreadsheet":
		return s.sendSpreadsheet(path, name, ',')
	}
	return s.sendSpreadsheet(path, name, ';')
}

// sendSpreadsheet answers with a file of a run as a spreadsheet opens it.
func (s *Server) sendSpreadsheet(path, name string, delimiter byte) (*huma.StreamResponse, error) {
	f, err := report.Open(path)
	if err != nil {
		return nil, s.failure("opening "+name, err)
	}
	return &huma.StreamResponse{Body: func(ctx huma.Context) {
		defer f.Close()
		r, w := humachi.Unwrap(ctx)
		attach(w, name, "text/csv; charset=utf-8")
		if r.Method == http.MethodHead {
			return // how long it is would take making all of it
		}
		if err := csv.Spreadsheet(r.Context(), w, f, delimiter); err != nil {
			s.Log.Warn("a download broke off", "file", name, "error", err)
			panic(http.ErrAbortHandler) // so that it does not look whole
		}
	}}, nil
}

func attach(w http.ResponseWriter, name, kind string) {
	w.Header().Set("Content-Type", kind)
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": name}))
}

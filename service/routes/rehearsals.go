package routes

import (
	"context"
	"errors"
	"net/http"
	"reflect"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/fault"
	"sieb/service/api"
	"sieb/service/reading"
	"sieb/service/rehearsal"
	"sieb/service/store"
)

func (s *Server) rehearsalRoutes(to huma.API) {
	stream := func(o huma.Operation, document any, what string) huma.Operation {
		schema := to.OpenAPI().Components.Schemas.Schema(reflect.TypeOf(document), true, "")
		o.MaxBodyBytes = 3 * maxTargetBytes
		return s.streaming(to, o, what, schema)
	}
	huma.Register(to, stream(op("rehearse", http.MethodPost, "/deliveries/{id}/rehearsals",
		"Tries a target on a delivery: the first rows at once, then all; nothing is recorded (server-sent events)", "rules",
		404, 422), api.Rehearsal{}, "events named rehearsal, each with a document of what is known so far, the last of all rows; an event named "+
		"ended says why it ends before"), s.rehearse)
	values := op("rehearsalValues", http.MethodPost, "/deliveries/{id}/rehearsals/values",
		"The values that break rules of a column, the most frequent first", "rules", 404, 422)
	values.MaxBodyBytes = 3 * maxTargetBytes
	huma.Register(to, values, s.rehearsalValues)
	rows := op("rehearsalRows", http.MethodPost, "/deliveries/{id}/rehearsals/rows",
		"Rows as delivered, as cleaned and as typed", "rules", 404, 422)
	rows.MaxBodyBytes = 3 * maxTargetBytes
	huma.Register(to, rows, s.rehearsalRows)
	spellings := op("rehearsalSpellings", http.MethodPost, "/deliveries/{id}/rehearsals/spellings",
		"Texts of a column that are likely one, written in different ways", "rules", 404, 422)
	spellings.MaxBodyBytes = 3 * maxTargetBytes
	huma.Register(to, spellings, s.rehearsalSpellings)
	huma.Register(to, stream(op("suggest", http.MethodPost, "/deliveries/{id}/rehearsals/suggestions",
		"Changes that would mend violations, each tried on all rows (server-sent events)", "rules", 404, 422),
		api.Suggestions{}, "events named suggestions, each with a document of what was tried so far; an event named ended says why it ends "+
			"before"), s.suggest)
}

// saved is what is compared with: what the draft began with, or the texts without the steps that are tried on
// top; nil where nothing was changed.
func (s *Server) saved(ctx context.Context, id string, t *tried) (*tried, error) {
	base := &tried{}
	switch {
	case t.before != nil:
		base.texts = *t.before
	case t.draft != nil && len(t.draft.Changes) > 0:
		base.texts = t.draft.begun()
	default:
		return nil, nil
	}
	return base, s.complete(ctx, id, base)
}

func (s *Server) rehearse(ctx context.Context, in *struct {
	ID   string `path:"id"`
	Body api.AskRehearsal
}) (*huma.StreamResponse, error) {
	t, err := s.try(ctx, in.ID, in.Body)
	if err != nil {
		return nil, err
	}
	base, err := s.saved(ctx, in.ID, t)
	if err != nil {
		return nil, err
	}
	return &huma.StreamResponse{Body: func(hctx huma.Context) {
		out := startEvents(hctx)
		ctx, stop := s.untilClosing(out.ctx)
		defer stop()
		header, isNamed, err := s.headerOf(ctx, t)
		if err != nil {
			s.endedBy(ctx, out, t, err)
			return
		}
		var last api.Rehearsal
		err = s.Book.Watch(ctx, t.key, s.Queue.Rehearsal(t.Trial), func(seen rehearsal.Seen) error {
			if seen.Result == nil {
				return nil
			}
			last = rehearsalOf(t, header, isNamed, seen)
			if seen.IsWhole && base != nil {
				return nil // it is told with what it is compared with
			}
			return out.event("rehearsal", last)
		})
		if err == nil && base != nil {
			last.Since, err = s.since(ctx, t, base, out, last)
			if err == nil {
				err = out.event("rehearsal", last)
			}
		}
		if err != nil {
			s.endedBy(ctx, out, t, err)
		}
	}}, nil
}

// since compares a rehearsal with that of the saved versions. While these are counted, the rehearsal is told
// without it.
func (s *Server) since(ctx context.Context, t, base *tried, out *events, last api.Rehearsal) (*api.RehearsalChange,
	error) {
	now, err := s.Book.Whole(ctx, t.key, s.Queue.Rehearsal(t.Trial))
	if err != nil {
		return nil, err
	}
	isTold := false
	var before rehearsal.Seen
	if err := s.Book.Watch(ctx, base.key, s.Queue.Rehearsal(base.Trial), func(seen rehearsal.Seen) error {
		before = seen
		if !seen.IsWhole && !isTold {
			isTold = true
			return out.event("rehearsal", last)
		}
		return nil
	}); err != nil {
		return nil, err
	}
	return &api.RehearsalChange{Tally: before.Result.Tally, Shift: now.Account.Changed(before.Account)}, nil
}

// untilClosing returns a context that ends with the service too.
func (s *Server) untilClosing(ctx context.Context) (context.Context, context.CancelFunc) {
	ctx, stop := context.WithCancelCause(ctx)
	go func() {
		select {
		case <-s.Closing:
			stop(errClosing)
		case <-ctx.Done():
		}
	}()
	return ctx, func() { stop(nil) }
}

var errClosing = errors.New("the service stops; ask again when it is started again")

// endedBy ends a stream by what went wrong.
func (s *Server) endedBy(ctx context.Context, out *events, t *tried, err error) {
	var status huma.StatusError
	switch {
	case out.ctx.Err() != nil: // nobody listens any more
	case ctx.Err() != nil:
		out.ended(context.Cause(ctx).Error())
	case errors.As(err, &status):
		out.ended(status.Error())
	default:
		out.ended(s.Area.Conceal(err, t.Delivery.SHA256, t.Delivery.Name))
	}
}

// headerOf returns the names of the delivery's columns, and whether these are its own.
func (s *Server) headerOf(ctx context.Context, t *tried) (names []string, isNamed bool, err error) {
	err = s.Cache.Read(ctx, s.Area.Path(t.Delivery.SHA256), t.Layout, func(r *reading.Reading) error {
		names, isNamed = r.Columns, r.File.Layout.HeaderRows > 0
		return nil
	})
	return names, isNamed, err
}

func rehearsalOf(t *tried, header []string, isNamed bool, seen rehearsal.Seen) api.Rehearsal {
	r, a := seen.Result, seen.Account
	out := api.Rehearsal{Whole: seen.IsWhole, Rows: max(seen.Rows, a.Rows), Tally: r.Tally, Columns: []api.ColumnFit{},
		Header: header, Named: isNamed,
		Broken: []api.BrokenRule{}, Remedies: r.Remedies, Excluded: r.Excluded, LeftOut: r.LeftOut, Unjudged: r.Unjudged,
		Unreferred: t.unreferred, Progress: api.Progress{Bytes: seen.Bytes, TotalBytes: t.Delivery.Bytes, Rows: seen.Rows}}
	if seen.IsWhole {
		out.Verdict, out.Refusal, out.Tolerance, out.Progress.Bytes = string(r.Verdict), r.Refusal, r.Tolerance,
			t.Delivery.Bytes
	}
	for i, m := range r.Columns {
		out.Columns = append(out.Columns, api.ColumnFit{Match: m, Wrong: a.ByRows[i]})
	}
	for _, g := range r.Violations {
		rule := api.BrokenRule{Code: g.Code, Class: g.Class, Column: g.Column, Action: g.Action, Rows: g.Rows}
		if len(g.Samples) > 0 {
			rule.Message = g.Samples[0].Message
		}
		for k := range a.Broken {
			if b := &a.Broken[k]; b.Code == g.Code && b.Column == g.Column && b.Action == g.Action {
				rule.Distinct = len(b.Values)
			}
		}
		out.Broken = append(out.Broken, rule)
	}
	return out
}

// unreadable makes an answer of why a delivery cannot be tried.
func (s *Server) unreadable(t *tried, err error) error {
	var status huma.StatusError
	if errors.As(err, &status) || store.IsAway(err) || fault.IsDisk(err) {
		return s.failure("rehearsing", err)
	}
	return huma.Error422UnprocessableEntity(s.Area.Conceal(err, t.Delivery.SHA256, t.Delivery.Name))
}

// mostCells is how many cells of a row are shown, and of how many columns values where none are asked for.
const (
	mostCells  = 100
	mostShown  = 40
	mostOfCell = 200 // characters
)

// Bounds of what is looked at for references.
const (
	mostTables = 200
	mostLists  = 50
	mostOfText = 64 << 10 // bytes of a target or a code list
)

package routes

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/compare"
	"sieb/core/edit"
	"sieb/core/outcome"
	"sieb/core/report"
	"sieb/core/result"
	"sieb/service/api"
	"sieb/service/desk"
	"sieb/service/store"
)

func (s *Server) compareRuns(ctx context.Context, in *struct {
	ID   string `path:"id"`
	With string `query:"with" doc:"the earlier run; left out, that of the delivery of the same kind which arrived before"`
}) (*answer[api.Comparison], error) {
	after, err := s.ended(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	var before store.Run
	if in.With != "" {
		before, err = s.ended(ctx, in.With)
	} else {
		before, err = s.before(ctx, in.ID)
	}
	if err != nil {
		return nil, err
	}
	of, err := s.delivery(ctx, before.DeliveryID)
	if err != nil {
		return nil, err
	}
	out := &api.Comparison{Before: headOf(before), BeforeName: of.Name, After: headOf(after), Target: []edit.Difference{},
		Mapping:    []edit.Difference{},
		NewHeaders: []string{}, GoneOf: []string{}}
	one, err := runOf(before)
	if err != nil {
		return nil, s.failure("reading a run", err)
	}
	two, err := runOf(after)
	if err != nil {
		return nil, s.failure("reading a run", err)
	}
	out.Violations, out.Remedies = compare.Violations(one.Violations, two.Violations),
		compare.Remedies(one.Remedies, two.Remedies)
	if err := s.compareRules(ctx, out); err != nil {
		return nil, err
	}
	was, err := s.headersOf(before)
	if err != nil {
		return nil, err
	}
	is, err := s.headersOf(after)
	if err != nil {
		return nil, err
	}
	out.NewHeaders, out.GoneOf = headersApart(was, is)
	out.Rows, err = s.compared(ctx, after.ID, &AskCompared{With: before.ID})
	var refusal huma.StatusError
	if errors.As(err, &refusal) && refusal.GetStatus() < http.StatusInternalServerError {
		out.NotSaid, err = refusal.Error(), nil
	}
	if err != nil {
		return nil, err
	}
	return &answer[api.Comparison]{*out}, nil
}

// before returns the run of the delivery of the same kind that arrived before that of a run.
func (s *Server) before(ctx context.Context, id string) (store.Run, error) {
	r, err := s.Store.Before(ctx, id)
	switch {
	case errors.Is(err, store.ErrNone):
		err = huma.Error404NotFound("no delivery that arrived before was sifted by the same target and mapping; name a run " +
			"with which this one is to be compared")
	case err != nil:
		err = s.failure("looking for the delivery before", err)
	}
	return r, err
}

// showBefore says which run a run is compared with where none is named.
func (s *Server) showBefore(ctx context.Context, in *byID) (*answer[api.TextUse], error) {
	if _, err := s.run(ctx, in.ID); err != nil {
		return nil, err
	}
	r, err := s.before(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	d, err := s.delivery(ctx, r.DeliveryID)
	if err != nil {
		return nil, err
	}
	head := headOf(r)
	return &answer[api.TextUse]{api.TextUse{Delivery: d.ID, Name: d.Name, Run: r.ID, Version: head.Target.Version,
		Verdict: head.Verdict, State: head.State, At: head.CreatedAt}}, nil
}

// ended returns a run that is done.
func (s *Server) ended(ctx context.Context, id string) (store.Run, error) {
	r, err := s.run(ctx, id)
	if err == nil && r.State != store.Done {
		err = huma.Error409Conflict(fmt.Sprintf("the run %s is %s: only runs that are done are compared", id, r.State))
	}
	return r, err
}

// compareRules tells how the targets and mappings of two runs differ.
func (s *Server) compareRules(ctx context.Context, out *api.Comparison) error {
	for _, c := range []struct {
		l             store.Library
		before, after *api.VersionRef
		to            *[]edit.Difference
	}{{store.Targets, out.Before.Target, out.After.Target, &out.Target},
		{store.Mappings, out.Before.Mapping, out.After.Mapping,
			&out.Mapping}} {
		switch {
		case c.before == nil && c.after == nil:
			continue
		case c.before == nil:
			*c.to = append(*c.to, edit.Difference{Words: "there was none; it is " + c.after.Name})
			continue
		case c.after == nil:
			*c.to = append(*c.to, edit.Difference{Words: "it was " + c.before.Name + "; there is none"})
			continue
		}
		was, err := s.text(ctx, c.l, c.before.Name, c.before.Version)
		if err != nil {
			return err
		}
		is, err := s.text(ctx, c.l, c.after.Name, c.after.Version)
		if err != nil {
			return err
		}
		all, err := differences(ctx, c.l, was, is)
		if err != nil {
			return err
		}
		*c.to = append(*c.to, all...)
	}
	return nil
}

// headersOf returns the columns of the delivery of a run.
func (s *Server) headersOf(run store.Run) ([]string, error) {
	rows, err := report.OpenRows(s.Area.RunDir(run.ID), report.RejectedName)
	if err != nil {
		return nil, s.failure("opening an output", err)
	}
	defer rows.Close()
	return rows.Header().Names, nil
}

// headersApart returns which of the delivery's columns are new, and which are gone: behind those that every
// output begins with.
func headersApart(before, after []string) (isNew, gone []string) {
	own := len(outcome.RejectedHeader)
	without := func(all, other []string) []string {
		return slices.DeleteFunc(slices.Clone(all), func(h string) bool { return slices.Contains(other, h) })
	}
	before, after = before[min(own, len(before)):], after[min(own, len(after)):]
	return append([]string{}, without(after, before)...), append([]string{}, without(before, after)...)
}

// comparisonRoutes registers what tells how the rows of two outcomes differ.
func (s *Server) comparisonRoutes(to huma.API) {
	huma.Register(to, op("compareRuns", http.MethodGet, "/runs/{id}/comparison",
		"How a run differs from an earlier one: rules, violations, rows that are new, gone, changed, or ended elsewhere",
		"runs", 404, 409), s.compareRuns)
	huma.Register(to, op("compareRows", http.MethodGet, "/runs/{id}/rows/compared",
		"How many rows of an outcome differ from those of an earlier one, and in which columns", "runs", 404, 409, 422),
		s.compareRows)
}

// AskCompared is what rows are compared with.
type AskCompared struct {
	With string   `query:"with" doc:"the earlier run, or the rehearsed outcome"`
	By   []string `query:"by,explode" maxItems:"100" doc:"columns by which accepted rows of another delivery are found again; the target's key where none is named"`
}

func (s *Server) compareRows(ctx context.Context, in *struct {
	ID string `path:"id"`
	AskCompared
}) (*answer[result.Compared], error) {
	c, err := s.compared(ctx, in.ID, &in.AskCompared)
	if err != nil {
		return nil, err
	}
	return &answer[result.Compared]{*c}, nil
}

// compared compares the rows of an outcome with those of an earlier one, once for all who ask.
func (s *Server) compared(ctx context.Context, id string, in *AskCompared) (*result.Compared, error) {
	after, err := s.shown(ctx, id)
	if err != nil {
		return nil, err
	}
	before, err := s.shown(ctx, in.With)
	if err != nil {
		return nil, err
	}
	of := fmt.Sprintf("comparison of %s with %s by %q", id, in.With, in.By)
	c, err := desk.Do(ctx, s.Desk, of, func(ctx context.Context) (*result.Compared, error) {
		key := in.By
		if len(key) == 0 {
			var err error
			if key, err = after.key(ctx); err != nil {
				return nil, err
			}
		}
		return result.Compare(ctx, before.dir, after.dir, key)
	})
	if err != nil {
		return nil, s.notAsked(err)
	}
	return c, nil
}

// key returns the columns that tell rows of an outcome's target apart; none where there are none.
func (o *shown) key(ctx context.Context) ([]string, error) {
	if o.run.Target == nil {
		return nil, nil
	}
	run, done, err := o.open(ctx, false)
	if err != nil {
		return nil, err
	}
	defer done()
	t := run.Target
	if len(t.Key) > 0 {
		return t.Key, nil
	}
	for i := range t.Columns {
		if t.Columns[i].Unique && t.Columns[i].Required {
			return []string{t.Columns[i].Name}, nil
		}
	}
	return nil, nil
}

package routes

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/compare"
	"sieb/core/edit"
	"sieb/core/outcome"
	"sieb/core/report"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/service/api"
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
	if err := s.Desk.Alone(ctx, func(ctx context.Context) error {
		return s.compareRows(ctx, out, before, after)
	}); err != nil {
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

// compareRows tells which rows ended elsewhere, or which accepted rows are new, gone and changed.
func (s *Server) compareRows(ctx context.Context, out *api.Comparison, before, after store.Run) error {
	d, err := s.delivery(ctx, before.DeliveryID)
	if err != nil {
		return err
	}
	e, err := s.delivery(ctx, after.DeliveryID)
	if err != nil {
		return err
	}
	var opened []*report.Rows
	defer func() {
		for _, rows := range opened {
			rows.Close()
		}
	}()
	open := func(run, name string) (source.Source, error) {
		rows, err := report.OpenRows(s.Area.RunDir(run), name)
		if err != nil {
			return nil, s.failure("opening an output", err)
		}
		opened = append(opened, rows)
		return rows, nil
	}
	outputs := func(run string) (o compare.Outputs, err error) {
		if o.Rejected, err = open(run, report.RejectedName); err == nil {
			o.Excluded, err = open(run, report.ExcludedName)
		}
		return o, err
	}
	was, err := outputs(before.ID)
	if err != nil {
		return err
	}
	is, err := outputs(after.ID)
	if err != nil {
		return err
	}
	out.NewHeaders, out.GoneOf = headersApart(was.Rejected.Header().Names, is.Rejected.Header().Names)
	if d.SHA256 == e.SHA256 {
		if out.Sides, err = compare.BySide(ctx, was, is); err != nil {
			out.NotSaid = err.Error()
		}
		return nil
	}
	key, err := s.keyOf(ctx, out.After.Target)
	switch {
	case err != nil:
		return err
	case len(key) == 0:
		out.NotSaid = "the target has no key, by which rows of two deliveries could be found again"
		return nil
	}
	a, err := open(before.ID, report.AcceptedName)
	if err != nil {
		return err
	}
	b, err := open(after.ID, report.AcceptedName)
	if err != nil {
		return err
	}
	if out.Rows, err = compare.ByKey(ctx, a, b, key); err != nil {
		out.NotSaid = err.Error()
	}
	return nil
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

// keyOf returns the columns that tell rows of a target apart; none where there are none.
func (s *Server) keyOf(ctx context.Context, of *api.VersionRef) ([]string, error) {
	if of == nil {
		return nil, nil
	}
	text, err := s.text(ctx, store.Targets, of.Name, of.Version)
	if err != nil {
		return nil, err
	}
	t, err := target.Parse([]byte(text.Text))
	if err != nil {
		return nil, unusable("target", err)
	}
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

package routes

import (
	"cmp"
	"context"
	"encoding/json"
	"net/http"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/check"
	"sieb/core/layout"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/service/api"
	"sieb/service/store"
)

// Bounds of a search for what a header fits.
const (
	mostMatched = 500  // targets, and mappings, that are tried
	mostLayouts = 40   // readings of the delivery that mappings give
	mostKnown   = 5000 // runs that tell what was sifted last
)

func (s *Server) matchRoutes(to huma.API) {
	huma.Register(to, op("matchDelivery", http.MethodGet, "/deliveries/{id}/matches",
		"The targets and mappings that the header of a delivery fits", "rules", 404, 422), s.match)
}

// heads reads the header of a delivery by the layouts that mappings give, each once.
type heads struct {
	s     *Server
	of    store.Delivery
	known map[string]*source.Header // nil for one by which it cannot be read
}

func (h *heads) by(ctx context.Context, given layout.Given) (*source.Header, error) {
	text, err := json.Marshal(given)
	if err != nil {
		return nil, err
	}
	if known, is := h.known[string(text)]; is || len(h.known) >= mostLayouts {
		return known, nil
	}
	open := func() (*source.Header, error) {
		file, err := h.s.Queue.OpenDelivery(ctx, h.of, given)
		if err != nil {
			return nil, err
		}
		defer file.Close()
		rows, err := file.Rows(ctx)
		if err != nil {
			return nil, err
		}
		defer source.Close(rows)
		header := rows.Header()
		return &header, nil
	}
	header, err := open()
	if ctx.Err() != nil {
		return nil, context.Cause(ctx)
	}
	if err != nil {
		header = nil // not by this layout
	}
	h.known[string(text)] = header
	return header, nil
}

func (s *Server) match(ctx context.Context, in *byID) (*answer[api.Matches], error) {
	d, err := s.delivery(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	if err := s.isTable(d); err != nil {
		return nil, err
	}
	targets, _, err := s.Store.Texts(ctx, store.Targets, store.Shelf{Bytes: maxTargetBytes}, 0, mostMatched)
	if err != nil {
		return nil, s.failure("listing targets", err)
	}
	mappings, _, err := s.Store.Texts(ctx, store.Mappings, store.Shelf{Bytes: maxTargetBytes}, 0, mostMatched)
	if err != nil {
		return nil, s.failure("listing mappings", err)
	}
	runs, err := s.Store.RunsByRules(ctx, d.ID, mostKnown)
	if err != nil {
		return nil, s.failure("looking for earlier runs", err)
	}
	out := api.Matches{Items: []api.Matched{}}
	read := &heads{s, d, map[string]*source.Header{}}
	try := func(t *target.Target, m api.Matched) error {
		header, err := read.by(ctx, layoutOf(d, t.Mapping))
		if err != nil || header == nil {
			return err
		}
		fit, err := check.FitOf(t, *header)
		if err != nil || 2*fit.Fed < fit.Columns && len(fit.Wanting) > 0 {
			return nil // it does not fit
		}
		m.Fed, m.Columns = fit.Fed, fit.Columns
		m.Wanting, m.Unknown = append([]string{}, fit.Wanting...), append([]string{}, fit.Unknown...)
		for _, r := range runs {
			if r.Target == m.Target && r.Mapping.String == m.Mapping {
				m.Last = &api.MatchedRun{Delivery: r.Delivery, Name: r.Name, At: r.CreatedAt.UTC()}
			}
		}
		out.Items = append(out.Items, m)
		return nil
	}
	for i := range targets {
		t, err := target.Parse([]byte(targets[i].Text.Text))
		if err != nil {
			continue // of an older version
		}
		m := api.Matched{Target: t.Name, TargetTitle: targets[i].Title}
		if err := try(t, m); err != nil {
			return nil, s.failure("reading the delivery", err)
		}
		for k := range mappings {
			if mappings[k].Target != t.Name {
				continue
			}
			parsed, err := target.ParseMapping([]byte(mappings[k].Text.Text))
			if err != nil {
				continue
			}
			joined, err := t.With(parsed)
			if err != nil {
				continue // it does not go with the target any more
			}
			of := m
			of.Mapping, of.MappingTitle = mappings[k].Name, mappings[k].Title
			if err := try(joined, of); err != nil {
				return nil, s.failure("reading the delivery", err)
			}
		}
	}
	slices.SortStableFunc(out.Items, better)
	return &answer[api.Matches]{out}, nil
}

// better orders matches: those in which no required column is wanting, then those that take most of the delivery, then
// those that were used last, and mappings before targets by themselves.
func better(a, b api.Matched) int {
	last := func(m api.Matched) (at time.Time) {
		if m.Last != nil {
			at = m.Last.At
		}
		return at
	}
	return cmp.Or(cmp.Compare(len(a.Wanting), len(b.Wanting)), cmp.Compare(b.Fed-len(b.Unknown), a.Fed-len(a.Unknown)),
		last(b).Compare(last(a)), -cmp.Compare(a.Mapping, b.Mapping), cmp.Compare(a.Target, b.Target))
}

package routes

import (
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/codes"
	"sieb/core/report"
	"sieb/core/sift"
	"sieb/core/suggest"
	"sieb/core/target"
	"sieb/service/api"
	"sieb/service/store"
)

func (s *Server) rehearsalSpellings(ctx context.Context, in *struct {
	ID   string `path:"id"`
	Body api.AskSpellings
}) (*answer[suggest.Spellings], error) {
	t, err := s.try(ctx, in.ID, in.Body.AskRehearsal)
	if err != nil {
		return nil, err
	}
	run, done, err := s.Queue.Open(ctx, t.Trial)
	if err != nil {
		return nil, s.unreadable(t, err)
	}
	defer done()
	seen, err := s.Book.First(ctx, t.key, s.Queue.Rehearsal(t.Trial))
	if err != nil {
		return nil, s.unreadable(t, err)
	}
	w := &suggest.Work{Texts: t.texts, File: run.Delivery, Lists: run.Codes, Result: seen.Result}
	var found []suggest.Spellings
	err = s.Desk.Alone(ctx, func(ctx context.Context) (err error) {
		found, err = w.Spellings(ctx, in.Body.Column)
		return err
	})
	if err != nil {
		return nil, s.unreadable(t, err)
	}
	if len(found) == 0 {
		return nil, huma.Error422UnprocessableEntity(fmt.Sprintf(
			"the column %q holds no texts of the delivery: only such are "+
				"compared", in.Body.Column))
	}
	return &answer[suggest.Spellings]{found[0]}, nil
}

func (s *Server) suggest(ctx context.Context, in *struct {
	ID   string `path:"id"`
	Body api.AskSuggestions
}) (*huma.StreamResponse, error) {
	t, err := s.try(ctx, in.ID, in.Body.AskRehearsal)
	if err != nil {
		return nil, err
	}
	return &huma.StreamResponse{Body: func(hctx huma.Context) {
		out := startEvents(hctx)
		ctx, stop := s.untilClosing(out.ctx)
		defer stop()
		if err := s.tellSuggestions(ctx, t, &in.Body, out); err != nil {
			s.endedBy(ctx, out, t, err)
		}
	}}, nil
}

// tellSuggestions looks for suggestions, and tells of them as they are tried.
func (s *Server) tellSuggestions(ctx context.Context, t *tried, ask *api.AskSuggestions, out *events) error {
	run, done, err := s.Queue.Open(ctx, t.Trial)
	if err != nil {
		return err
	}
	defer done()
	w, err := s.suggesting(ctx, t, run)
	if err != nil {
		return err
	}
	if ask.Values == nil && !ask.Pairs {
		if err := s.study(ctx, t, w, ask.Column == ""); err != nil {
			return err
		}
	}
	asked := suggest.Asked{Column: ask.Column, Values: ask.Values, Pairs: ask.Pairs}
	total := 0
	tell := func(all []suggest.Suggestion, tried int, together *suggest.Together, isDone bool) error {
		return out.event("suggestions", api.Suggestions{Items: append([]suggest.Suggestion{}, all...), Tried: tried,
			Total: total, Together: together, Done: isDone})
	}
	if ask.Pairs {
		found, err := w.Find(ctx, asked)
		if err != nil {
			return err
		}
		total = len(found)
		return tell(suggest.Rank(found), 0, nil, true)
	}
	var last time.Time
	found, err := w.Judged(ctx, asked, func(all []suggest.Suggestion, tried int) error {
		if tried < len(all) && time.Since(last) < eventsEvery {
			return nil
		}
		last, total = time.Now(), len(all)
		return tell(all, tried, nil, false)
	})
	if err != nil {
		return err
	}
	var together *suggest.Together
	if ask.Column == "" {
		if together, err = w.Order(ctx, found); err != nil {
			return err
		}
	}
	return tell(found, total, together, true)
}

// study gives suggestions what the profile of the delivery tells, and what columns could refer to. Without a
// profile one is made, if it is needed.
func (s *Server) study(ctx context.Context, t *tried, w *suggest.Work, isNeeded bool) (err error) {
	if w.Profile, err = s.knownProfile(ctx, t.Delivery.ID, w.File.Layout); err != nil {
		return err
	}
	if w.Profile == nil {
		if !isNeeded {
			return nil
		}
		if w.Profile, err = s.madeProfile(ctx, t.Delivery, w.File.Layout); err != nil {
			return err
		}
	}
	if w.Tables, err = s.tables(ctx); err != nil {
		return err
	}
	w.Codes, err = s.smallLists(ctx)
	return err
}

// tables returns the targets that others can refer to: those with a key of one column, by which rows were
// accepted.
func (s *Server) tables(ctx context.Context) (all []suggest.Table, err error) {
	sifted, err := s.Store.TargetsWithRows(ctx)
	if err != nil {
		return nil, s.failure("looking for targets with rows", err)
	}
	page, _, err := s.Store.Texts(ctx, store.Targets, store.Shelf{Bytes: mostOfText}, 0, mostTables)
	if err != nil {
		return nil, s.failure("listing targets", err)
	}
	for i := range page {
		if !slices.Contains(sifted, page[i].Name) {
			continue
		}
		t, err := target.Parse([]byte(page[i].Text.Text))
		if err != nil {
			continue // of an older version
		}
		at := slices.IndexFunc(t.Columns, func(c target.Column) bool {
			return len(t.Key) == 1 && c.Name == t.Key[0] || len(t.Key) == 0 && c.Unique
		})
		if at < 0 {
			continue
		}
		c := &t.Columns[at]
		all = append(all, suggest.Table{Name: t.Name, Column: c.Name, Titles: append([]string{c.Title()}, c.Titles...)})
	}
	return all, nil
}

// smallLists returns the code lists that columns may take their values from.
func (s *Server) smallLists(ctx context.Context) (all []*codes.List, err error) {
	page, _, err := s.Store.Texts(ctx, store.Codes, store.Shelf{Bytes: mostOfText}, 0, mostLists)
	if err != nil {
		return nil, s.failure("listing code lists", err)
	}
	for i := range page {
		l, err := codes.Parse(ctx, page[i].Name, []byte(page[i].Text.Text))
		if err != nil {
			return nil, s.failure("reading the code list "+page[i].Name, err)
		}
		all = append(all, l)
	}
	return all, nil
}

// suggesting makes what suggestions are looked for in. Each is tried as a rehearsal of its own, which is at
// hand when it is taken.
func (s *Server) suggesting(ctx context.Context, t *tried, run *report.Run) (*suggest.Work, error) {
	base, err := s.Book.Whole(ctx, t.key, s.Queue.Rehearsal(t.Trial))
	if err != nil {
		return nil, err
	}
	w := &suggest.Work{Texts: t.texts, File: run.Delivery, Lists: run.Codes, Result: base.Result, Account: base.Account}
	settled := run.Delivery.Layout.Given() // so that it is not detected again each time
	w.Rehearse = func(ctx context.Context, by *target.Target) (*sift.Result, *sift.Account, error) {
		one := *t.Trial
		one.Target = by
		if _, err := s.referTrial(ctx, &one); err != nil {
			return nil, nil, err
		}
		if one.Codes, err = s.codesOf(ctx, by); err != nil {
			return nil, nil, err
		}
		texts := suggest.Texts{Target: by.Text}
		if by.Mapping != nil {
			texts.Mapping = by.Mapping.Text
		}
		key, err := keyOf(&one, texts)
		if err != nil {
			return nil, nil, err
		}
		one.Layout = settled
		seen, err := s.Book.Whole(ctx, key, s.Queue.Rehearsal(&one))
		return seen.Result, seen.Account, err
	}
	return w, nil
}

package routes

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"reflect"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/check"
	"sieb/core/codes"
	"sieb/core/outcome"
	"sieb/core/report"
	"sieb/core/sift"
	"sieb/core/suggest"
	"sieb/core/target"
	"sieb/core/violation"
	"sieb/service/api"
	"sieb/service/jobs"
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

// tried is a delivery that is tried by some texts.
type tried struct {
	*jobs.Trial
	texts      suggest.Texts
	unreferred []string
	key        string
	draft      *kept          // where the texts are those of the draft
	before     *suggest.Texts // without the steps that are tried on top; nil where there are none
}

// try puts together what a request tries.
func (s *Server) try(ctx context.Context, id string, ask api.AskRehearsal) (*tried, error) {
	t := &tried{}
	var err error
	switch {
	case ask.Target != "":
		t.texts.Target = []byte(ask.Target)
		if ask.Mapping != "" {
			t.texts.Mapping = []byte(ask.Mapping)
		}
	case ask.Mapping != "":
		return nil, huma.Error422UnprocessableEntity("a mapping is tried with its target: send both texts")
	default:
		if t.draft, err = s.keptRules(ctx, id); err != nil {
			return nil, err
		}
		t.texts = t.draft.texts()
	}
	if len(ask.Steps) > 0 {
		without := t.texts
		if t.texts, err = without.With(ask.Steps); err != nil {
			return nil, huma.Error422UnprocessableEntity(err.Error())
		}
		t.before = &without
	}
	return t, s.complete(ctx, id, t)
}

// complete finds what the texts refer to, and makes the key under which the rehearsal is kept.
func (s *Server) complete(ctx context.Context, id string, t *tried) (err error) {
	if t.Trial, t.unreferred, err = s.trial(ctx, id, t.texts); err != nil {
		return err
	}
	t.key, err = keyOf(t.Trial, t.texts)
	return err
}

// keyOf names a rehearsal: what is the same for all that decides its result.
func keyOf(t *jobs.Trial, texts suggest.Texts) (string, error) {
	text, err := json.Marshal([]any{t.Delivery.SHA256, t.Delivery.Name, t.Layout, texts.Target, texts.Mapping, t.RefersTo,
		t.Codes, t.RepeatOf, time.Now().Local().Format(time.DateOnly)})
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:]), err
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

func (s *Server) rehearsalValues(ctx context.Context, in *struct {
	ID   string `path:"id"`
	Body api.AskValues
}) (*answer[api.WrongValues], error) {
	t, err := s.try(ctx, in.ID, in.Body.AskRehearsal)
	if err != nil {
		return nil, err
	}
	seen, err := s.Book.First(ctx, t.key, s.Queue.Rehearsal(t.Trial))
	if err != nil {
		return nil, s.unreadable(t, err)
	}
	var all []api.WrongValue
	find := strings.ToLower(in.Body.Find)
	for k := range seen.Account.Broken {
		g := &seen.Account.Broken[k]
		isFlagged := g.Action == violation.Flag
		if g.Column != in.Body.Column || in.Body.Only == "wrong" && isFlagged || in.Body.Only == "flagged" && !isFlagged {
			continue
		}
		for i := range g.Values {
			v := &g.Values[i]
			if find == "" || strings.Contains(strings.ToLower(v.Value), find) {
				all = append(all, api.WrongValue{Value: v.Value, Code: g.Code, Action: g.Action, Message: v.Message,
					Count: v.Count, Rows: slices.Clone(v.Rows)})
			}
		}
	}
	slices.SortStableFunc(all, func(a, b api.WrongValue) int {
		return cmp.Or(cmp.Compare(b.Action.Weight(), a.Action.Weight()), cmp.Compare(b.Count, a.Count),
			cmp.Compare(a.Value, b.Value))
	})
	total := len(all)
	all = all[min(in.Body.Offset, total):]
	return &answer[api.WrongValues]{api.WrongValues{
		Items: append([]api.WrongValue{}, all[:min(in.Body.Limit, len(all))]...), Total: total, Whole: seen.IsWhole,
		Rows: seen.Account.Rows}}, nil
}

// unreadable makes an answer of why a delivery cannot be tried.
func (s *Server) unreadable(t *tried, err error) error {
	var status huma.StatusError
	if errors.As(err, &status) || store.IsAway(err) {
		return s.failure("rehearsing", err)
	}
	return huma.Error422UnprocessableEntity(s.Area.Conceal(err, t.Delivery.SHA256, t.Delivery.Name))
}

func (s *Server) rehearsalRows(ctx context.Context, in *struct {
	ID   string `path:"id"`
	Body api.AskMade
}) (*answer[api.MadeRows], error) {
	t, err := s.try(ctx, in.ID, in.Body.AskRehearsal)
	if err != nil {
		return nil, err
	}
	seen, err := s.Book.First(ctx, t.key, s.Queue.Rehearsal(t.Trial))
	if err != nil {
		return nil, s.unreadable(t, err)
	}
	var before *sift.Account
	if in.Body.Side == "changed" || seen.IsWhole {
		if before, err = s.savedAccount(ctx, in.ID, t, in.Body.Side == "changed"); err != nil {
			return nil, err
		}
	}
	if in.Body.Side == "changed" && !seen.IsWhole {
		if seen, err = s.Book.Whole(ctx, t.key, s.Queue.Rehearsal(t.Trial)); err != nil {
			return nil, s.unreadable(t, err)
		}
	}
	numbers := rowsOf(&in.Body, seen.Account, before)
	more := len(numbers) > in.Body.Limit
	numbers = numbers[:min(len(numbers), in.Body.Limit)]
	out := api.MadeRows{Items: []api.MadeRow{}, More: more, Whole: seen.IsWhole, Header: []string{}, Columns: []string{}}
	if err := s.made(ctx, t, numbers, &in.Body, &out, seen.Account, before); err != nil {
		return nil, s.unreadable(t, err)
	}
	return &answer[api.MadeRows]{out}, nil
}

// savedAccount returns the account of the saved versions: nil where there is nothing to compare, or
// where it was not counted yet and is not needed.
func (s *Server) savedAccount(ctx context.Context, id string, t *tried, isNeeded bool) (*sift.Account, error) {
	base, err := s.saved(ctx, id, t)
	if err != nil || base == nil {
		return nil, err
	}
	look := s.Book.First
	if isNeeded {
		look = s.Book.Whole
	}
	before, err := look(ctx, base.key, s.Queue.Rehearsal(base.Trial))
	if err != nil {
		return nil, s.unreadable(base, err)
	}
	if !before.IsWhole {
		return nil, nil
	}
	return before.Account, nil
}

// rowsOf returns the numbers of the rows that are asked for, one more than the limit.
func rowsOf(ask *api.AskMade, a, before *sift.Account) (numbers []int64) {
	most := ask.Limit + 1
	if ask.Column != "" {
		for k := range a.Broken {
			g := &a.Broken[k]
			if g.Column != ask.Column {
				continue
			}
			for i := range g.Values {
				if v := &g.Values[i]; ask.Value == nil || *ask.Value == v.Value {
					numbers = append(numbers, v.Rows...)
				}
			}
		}
		slices.Sort(numbers)
		numbers = slices.Compact(numbers)
		at, _ := slices.BinarySearch(numbers, ask.Behind+1)
		numbers = numbers[at:]
		return numbers[:min(len(numbers), most)]
	}
	if ask.Behind >= a.Rows {
		return nil
	}
	sides := map[string]outcome.Side{"accepted": outcome.Accepted, "rejected": outcome.Rejected,
		"excluded": outcome.Excluded}
	for row := ask.Behind; len(numbers) < most; {
		switch side, isSide := sides[ask.Side]; {
		case isSide:
			row = a.Next(row, side)
		case ask.Side == "changed" && before == nil:
			return nil
		case ask.Side == "changed":
			row = a.NextChanged(row, before)
		case row < a.Rows:
			row++
		default:
			return numbers
		}
		if row == 0 {
			break
		}
		numbers = append(numbers, row)
	}
	return numbers
}

// mostCells is how many cells of a row are shown, and of how many columns values where none are asked for.
const (
	mostCells  = 100
	mostShown  = 40
	mostOfCell = 200 // characters
)

// made says what is made of rows.
func (s *Server) made(ctx context.Context, t *tried, numbers []int64, ask *api.AskMade, out *api.MadeRows,
	account, before *sift.Account) error {
	run, done, err := s.Queue.Open(ctx, t.Trial)
	if err != nil {
		return err
	}
	defer done()
	return s.Cache.Read(ctx, s.Area.Path(t.Delivery.SHA256), t.Layout, func(r *reading.Reading) error {
		all, err := run.MadeOf(ctx, numbers, r.From)
		if err != nil {
			return err
		}
		out.Header = append(out.Header, r.Columns[:min(len(r.Columns), mostCells)]...)
		shown := t.shownColumns(ask.Columns)
		for _, k := range shown {
			out.Columns = append(out.Columns, t.Target.Columns[k].Name)
		}
		for _, made := range all {
			out.Items = append(out.Items, madeOf(made, shown, account, before))
		}
		return nil
	})
}

// shownColumns returns the places of the target's columns of which values are told.
func (t *tried) shownColumns(asked []string) (places []int) {
	if asked == nil {
		for k := range min(len(t.Target.Columns), mostShown) {
			places = append(places, k)
		}
		return places
	}
	for _, name := range asked {
		if k := slices.IndexFunc(t.Target.Columns, func(c target.Column) bool { return c.Name == name }); k >= 0 {
			places = append(places, k)
		}
	}
	return places
}

func madeOf(made sift.Made, shown []int, account, before *sift.Account) api.MadeRow {
	e := made.Explanation
	row := api.MadeRow{Row: e.Row, Line: e.Line, Side: e.Fate, Reason: e.Reason, Cells: []string{}, Values: []*string{},
		Violations: []api.MadeBad{}}
	for _, c := range made.Cells[:min(len(made.Cells), mostCells)] {
		row.Cells = append(row.Cells, cutText(c))
	}
	for _, k := range shown {
		v := e.Columns[k].Value
		if v != nil {
			text := cutText(*v)
			v = &text
		}
		row.Values = append(row.Values, v)
	}
	for i := range e.Columns {
		for _, v := range e.Columns[i].Violations {
			row.Violations = append(row.Violations, api.MadeBad{Column: e.Columns[i].Column, Code: v.Code,
				Action: v.Action, Message: v.Message})
		}
	}
	for _, v := range e.Violations {
		row.Violations = append(row.Violations, api.MadeBad{Column: "", Code: v.Code, Action: v.Action, Message: v.Message})
	}
	if e.Row <= account.Rows {
		row.Side = account.Side(e.Row).String()
		row.Violations = append(row.Violations, lateOf(e, account)...)
	}
	if before != nil && e.Row <= before.Rows {
		row.Was = before.Side(e.Row).String()
	}
	return row
}

// lateOf returns what only shows beside other rows: that a row repeats another one.
func lateOf(e *check.Explanation, account *sift.Account) (late []api.MadeBad) {
	for k := range account.Broken {
		g := &account.Broken[k]
		switch g.Code {
		case violation.KeyDuplicate, violation.RowRepeated, violation.OrderBroken, violation.ReferenceMissing,
			violation.ReferencePresent:
		default:
			continue
		}
		for i := range g.Values {
			if v := &g.Values[i]; slices.Contains(v.Rows, e.Row) && !isTold(e, g) {
				late = append(late, api.MadeBad{Column: g.Column, Code: g.Code, Action: g.Action, Message: v.Message})
			}
		}
	}
	return late
}

// isTold reports whether an explanation tells of a violation already.
func isTold(e *check.Explanation, g *sift.Broken) bool {
	has := func(v check.RowViolation) bool { return v.Code == g.Code }
	for i := range e.Columns {
		if e.Columns[i].Column == g.Column && slices.ContainsFunc(e.Columns[i].Violations, has) {
			return true
		}
	}
	return slices.ContainsFunc(e.Violations, has)
}

func cutText(text string) string {
	if r := []rune(text); len(r) > mostOfCell {
		return string(r[:mostOfCell]) + "…"
	}
	return text
}

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

// Bounds of what is looked at for references.
const (
	mostTables = 200
	mostLists  = 50
	mostOfText = 64 << 10 // bytes of a target or a code list
)

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

package routes

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"sieb/core/check"
	"sieb/core/outcome"
	"sieb/core/sift"
	"sieb/core/target"
	"sieb/core/violation"
	"sieb/service/api"
	"sieb/service/reading"
)

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

// made says what is made of rows.
func (s *Server) made(ctx context.Context, t *tried, numbers []int64, ask *api.AskMade, out *api.MadeRows,
	account, before *sift.Account) error {
	run, done, err := s.Queue.Open(ctx, t.Trial)
	if err != nil {
		return err
	}
	defer done()
	return s.Cache.Read(ctx, s.Area.Path(t.Delivery.SHA256), t.Layout, func(r *reading.Reading) error {
		out.Header = append(out.Header, r.Columns[:min(len(r.Columns), mostCells)]...)
		shown := t.shownColumns(ask.Columns)
		for _, k := range shown {
			out.Columns = append(out.Columns, t.Target.Columns[k].Name)
		}
		return run.MadeOf(ctx, numbers, r.From, func(m *sift.Made) {
			out.Items = append(out.Items, madeOf(m, shown, account, before))
		})
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

func madeOf(made *sift.Made, shown []int, account, before *sift.Account) api.MadeRow {
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

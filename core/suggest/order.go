package suggest

import (
	"context"
	"errors"
	"slices"

	"sieb/core/edit"
	"sieb/core/sift"
	"sieb/core/target"
	"sieb/core/violation"
)

// Together is the best order in which suggestions are taken one after the other.
type Together struct {
	Rejected int64   `json:"rejected" doc:"rows that are rejected without them"`
	Taken    []Taken `json:"taken" doc:"suggestions that lose nothing"`
	Losing   []Taken `json:"losing" doc:"suggestions that lose values or rows, on top of all that lose nothing"`
}

// Taken is a suggestion that is taken behind others.
type Taken struct {
	ID      string `json:"id"`
	Rescued int64  `json:"rescued" doc:"rows that it and those before it mend or leave out, of those rejected"`
	Broken  int64  `json:"broken,omitempty" doc:"rows that are rejected with it and those before it, and were accepted: they repeat the key of a rescued one"`
}

// mostTogether is how many suggestions are put in an order.
const mostTogether = 20

// Order finds the best order of suggestions that were judged: each time that which mends most of the rows that are
// left. Where none mends a row by itself, since rows have several defects, it is the one that mends most violations of
// rows that all of them together mend. Which one that is, the mixes of violations tell; how many rows it comes to, a
// run. Suggestions that weaken a rule, or are in doubt, are not among them; those that lose something have an order of
// their own.
func (w *Work) Order(ctx context.Context, all []Suggestion) (*Together, error) {
	o := order{Work: w, now: w.Account, taken: map[string]bool{}}
	out := &Together{Rejected: w.Result.Tally.Rejected}
	var err error
	if out.Taken, err = o.add(ctx, all, func(s *Suggestion) bool { return !s.loses() }); err != nil {
		return nil, err
	}
	// What loses nothing may come to something only beside what does.
	if out.Losing, err = o.add(ctx, all, func(s *Suggestion) bool { return !o.taken[s.ID] }); err != nil {
		return nil, err
	}
	return out, nil
}

// order is the suggestions that were taken so far.
type order struct {
	*Work
	steps  []edit.Step
	now    *sift.Account // of a run with them
	mended int64         // rows
	taken  map[string]bool
}

// add takes those of some suggestions that mend something besides.
func (o *order) add(ctx context.Context, all []Suggestion, is func(*Suggestion) bool) ([]Taken, error) {
	t, err := o.Parse()
	if err != nil {
		return nil, err
	}
	var left []*Suggestion
	for i := range all {
		s := &all[i]
		e := s.Effect
		if e == nil || e.Broken != e.Repeats || s.Weakens || s.Demands() || s.Doubt != "" || !is(s) {
			continue
		}
		if c := t.Column(s.Column); s.Kind == "pair" && (c == nil || !c.Required || isOpen(all, s)) {
			continue
		}
		left = append(left, s)
	}
	begun, end := *o, *o
	var tried []*Suggestion
	var taken []Taken
	keep, isIdle := 0, false // up to the last that mended rows; some before it mended none by themselves
	for len(tried) < mostTogether {
		at := o.next(left)
		if at < 0 {
			break
		}
		s := left[at]
		left = slices.Delete(left, at, at+1)
		before := *o
		one, err := o.take(ctx, s)
		if err != nil {
			return nil, err
		} else if o.now == before.now {
			continue
		}
		tried, taken = append(tried, s), append(taken, one)
		if o.mended > before.mended {
			isIdle = isIdle || len(tried) > keep+1
			keep, end = len(tried), *o
		}
	}
	*o = end // those at the end that led to nothing are not taken
	taken = append([]Taken{}, taken[:keep]...)
	if isIdle {
		if taken, err = o.without(ctx, begun, tried[:keep], taken); err != nil {
			return nil, err
		}
	}
	for _, one := range taken {
		o.taken[one.ID] = true
	}
	return taken, nil
}

// take takes a suggestion on top of those before it; nothing is changed where it does not go with them, or spoils what
// they mend.
func (o *order) take(ctx context.Context, s *Suggestion) (t Taken, err error) {
	steps := append(slices.Clone(o.steps), s.Steps...)
	effect, account, err := o.effect(ctx, steps)
	var problems target.Problems
	switch {
	case errors.As(err, &problems):
		return t, nil // it does not go with those before it
	case err != nil:
		return t, err
	}
	mended := account.Changed(o.Account).Mended
	if effect.Broken != effect.Repeats || mended < o.mended {
		return t, nil
	}
	o.steps, o.now, o.mended = steps, account, mended
	return Taken{s.ID, mended, effect.Broken}, nil
}

// without leaves out those of the suggestions that were taken from a beginning on which come to nothing: they mended no
// row by themselves, and are not missed at the end.
func (o *order) without(ctx context.Context, begun order, kept []*Suggestion, taken []Taken) ([]Taken, error) {
	for i := len(taken) - 1; i >= 0; i-- {
		before := begun.mended
		if i > 0 {
			before = taken[i-1].Rescued
		}
		if taken[i].Rescued > before {
			continue
		}
		fewer, less, end := slices.Delete(slices.Clone(kept), i, i+1), []Taken{}, begun
		for _, s := range fewer {
			was := end.now
			one, err := end.take(ctx, s)
			if err != nil {
				return nil, err
			}
			if end.now != was {
				less = append(less, one)
			}
		}
		if end.mended == o.mended && len(less) == len(fewer) {
			kept, taken, *o = fewer, less, end
		}
	}
	return taken, nil
}

// next returns which suggestion is the best to take next; -1 for none.
func (o *order) next(left []*Suggestion) (best int) {
	cures := make([]map[sift.Part]bool, len(left))
	union := map[sift.Part]bool{}
	for i, s := range left {
		cures[i] = parts(o.now, s)
		for p := range cures[i] {
			union[p] = true
		}
	}
	best = -1
	var most, mostWays int64
	for i, c := range cures {
		rows, ways := o.mends(c, union)
		if left[i].Kind == "exclude" {
			rows = o.leavesOut(c)
		}
		if left[i].Kind == "pair" {
			ways = left[i].Cells // what a column holds that nothing feeds is not judged before it is fed
		}
		if rows > most || rows == most && ways > mostWays {
			best, most, mostWays = i, rows, ways
		}
	}
	return best
}

// mends counts the rejected rows that a cure mends by itself, and the violations that it mends in rows which are mended
// by all of them together.
func (o *order) mends(cure, union map[sift.Part]bool) (rows, cells int64) {
	for _, m := range o.now.Mixes {
		has, isWhole, isReached := int64(0), true, true
		for _, p := range m.Parts {
			switch {
			case holds(cure, p):
				has++
			case holds(union, p):
				isWhole = false
			default:
				isWhole, isReached = false, false
			}
		}
		if has > 0 && isWhole {
			rows += m.Rows
		}
		if isReached {
			cells += has * m.Rows
		}
	}
	return rows, cells
}

// leavesOut counts the rejected rows that hold one of some violations, whatever else is wrong with them.
func (o *order) leavesOut(parts map[sift.Part]bool) (rows int64) {
	for _, m := range o.now.Mixes {
		if slices.ContainsFunc(m.Parts, func(p sift.Part) bool { return holds(parts, p) }) {
			rows += m.Rows
		}
	}
	return rows
}

// isOpen reports whether a suggestion is a pair beside which there are others for its column or for what feeds it.
func isOpen(all []Suggestion, s *Suggestion) bool {
	return s.Kind == "pair" && slices.ContainsFunc(all, func(o Suggestion) bool {
		return o.Kind == "pair" && o.ID != s.ID && (o.Column == s.Column || o.Header == s.Header)
	})
}

func holds(parts map[sift.Part]bool, p sift.Part) bool {
	return parts[p] || parts[sift.Part{Broken: p.Broken, Value: -1}]
}

// parts returns the violations of an account that a suggestion mends.
func parts(of *sift.Account, s *Suggestion) map[sift.Part]bool {
	parts := map[sift.Part]bool{}
	for k := range of.Broken {
		g := &of.Broken[k]
		if s.Column == "" || g.Column != s.Column || s.Code != "" && g.Code.String() != s.Code && !sameCells(g.Code, s.Code) {
			continue
		}
		if len(s.Values) == 0 {
			parts[sift.Part{Broken: k, Value: -1}] = true
		}
		for _, v := range s.Values {
			if at := slices.IndexFunc(g.Values, func(o sift.Offender) bool { return o.Value == v }); at >= 0 {
				parts[sift.Part{Broken: k, Value: at}] = true
			}
		}
	}
	return parts
}

// sameCells reports whether a cell that breaks a rule may break another one for the same reason, as a
// date that is not of its form and one that there is not.
func sameCells(code violation.Code, other string) bool {
	var o violation.Code
	return o.UnmarshalText([]byte(other)) == nil && code.Class() == o.Class()
}

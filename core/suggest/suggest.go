package suggest

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"sieb/core/codes"
	"sieb/core/edit"
	"sieb/core/outcome"
	"sieb/core/profile"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/value"
	"sieb/core/violation"
)

// Suggestion is a change of a target or a mapping that would mend a group of violations.
type Suggestion struct {
	ID      string      `json:"id" doc:"the same for the same change"`
	Kind    string      `json:"kind" enum:"missing,recode,allow,limit,remedy,format,round,blank,optional,exclude,pair,rule,keep,leave"`
	Column  string      `json:"column,omitempty" doc:"of the target; of a row rule its name"`
	Code    string      `json:"code,omitempty" doc:"of the violations that it mends, or of the rule that it adds"`
	Values  []string    `json:"values,omitempty" doc:"that it mends, the most frequent first; some of them where they are many"`
	Words   string      `json:"words"`
	Changes string      `json:"changes" enum:"target,mapping" doc:"what the table demands, or how the sender writes"`
	Weakens bool        `json:"weakens,omitempty" doc:"it mends nothing, and lets more pass"`
	Loses   string      `json:"loses,omitempty" doc:"what is lost of the values or rows that it mends, with examples; absent where nothing is"`
	Doubt   string      `json:"doubt,omitempty" doc:"why it may be wrong: nothing in the delivery tells it from another one that reads the same values otherwise"`
	Steps   []edit.Step `json:"steps"`
	Cells   int64       `json:"cells" doc:"violations that it mends, each by itself"`
	Effect  *Effect     `json:"effect,omitempty" doc:"what a run with it gives; absent until that was counted"`
	Choices []Choice    `json:"choices,omitempty" doc:"other values that it may have, each in the place of its own: limits nearer by"`

	Header   string `json:"header,omitempty" doc:"of the delivery's column that it concerns, as its profile names it"`
	Findings []int  `json:"findings,omitempty" doc:"of the delivery's profile, that it deals with: their places from 0"`

	of *profile.Relation // that it demands
}

// Choice is a suggestion with another value.
type Choice struct {
	Value  string      `json:"value"`
	Words  string      `json:"words"`
	Steps  []edit.Step `json:"steps"`
	Cells  int64       `json:"cells" doc:"violations that it mends, each by itself"`
	Effect *Effect     `json:"effect,omitempty"`
}

// Effect is what a run with a suggestion gives, against the run without it: counted over all
// rows.
type Effect struct {
	Rescued  int64 `json:"rescued" doc:"rows that are accepted, and were not"`
	Broken   int64 `json:"broken" doc:"rows that are rejected, and were accepted"`
	Repeats  int64 `json:"repeats,omitempty" doc:"of the broken: rows that repeat the key of one which is rescued"`
	Excluded int64 `json:"excluded" doc:"rows that are left out, and were not"`
	Changed  int64 `json:"changed" doc:"cells that remedies change besides"`
}

// Texts are a target and the mapping of a sender as they are written.
type Texts struct {
	Target  []byte
	Mapping []byte // nil where the target stands by itself
}

// Parse reads them as one target. The error is of type target.Problems.
func (t Texts) Parse() (*target.Target, error) {
	parsed, err := target.Parse(t.Target)
	if err != nil || t.Mapping == nil {
		return parsed, err
	}
	m, err := target.ParseMapping(t.Mapping)
	if err != nil {
		return nil, err
	}
	return parsed.With(m)
}

// With returns the texts after some steps. Steps in a mapping that there is not are an error.
func (t Texts) With(steps []edit.Step) (with Texts, err error) {
	if t.Mapping == nil && slices.ContainsFunc(steps, func(s edit.Step) bool { return s.In == edit.Mapping }) {
		return t, errors.New("there is no mapping that could be changed")
	}
	if with.Target, err = edit.Apply(t.Target, edit.Target, steps); err != nil || t.Mapping == nil {
		return with, err
	}
	with.Mapping, err = edit.Apply(t.Mapping, edit.Mapping, steps)
	return with, err
}

// Work is what suggestions are looked for in.
type Work struct {
	Texts
	File    *source.File
	Lists   []*codes.List
	Profile *profile.Profile // nil for none
	Tables  []Table          // that columns could refer to
	Codes   []*codes.List    // that columns could take their values from
	Result  *sift.Result     // of the delivery, by the texts
	Account *sift.Account

	// Rehearse gives the result and the account of a run by another target.
	Rehearse func(ctx context.Context, t *target.Target) (*sift.Result, *sift.Account, error)
}

// Asked is which suggestions are looked for. The zero Asked asks for those of everything.
type Asked struct {
	Column string   // only of this column
	Values []string // only of these of its values; nil for the most frequent
	Pairs  bool     // only what may feed columns that nothing feeds
}

// Bounds of a search.
const (
	// MostJudged is how many suggestions are judged by runs.
	MostJudged = 60
	mostValues = 40  // of a rule of a column, that are looked at one by one
	mostGroups = 200 // rules of columns
	probed     = 2000
)

// Find looks for suggestions and does not judge them yet: those that mend most violations first.
func (w *Work) Find(ctx context.Context, asked Asked) ([]Suggestion, error) {
	t, err := w.Parse()
	if err != nil {
		return nil, err
	}
	b := &builder{Work: w, target: t, asked: asked, known: map[string]bool{}}
	if !asked.Pairs {
		if asked.Values == nil {
			b.noRows()
		}
		if err := b.columns(ctx); err != nil {
			return nil, err
		}
		if asked.Values == nil {
			b.repeated()
			if err := b.spellings(ctx); err != nil {
				return nil, err
			}
			b.profiled()
		}
	}
	if asked.Values == nil {
		if err := b.pairs(ctx); err != nil {
			return nil, err
		}
	}
	b.answer()
	slices.SortStableFunc(b.all, func(x, y Suggestion) int {
		return cmp.Or(cmp.Compare(x.class(), y.class()), -cmp.Compare(x.Cells, y.Cells))
	})
	inTurns(b.all)
	return b.all[:min(len(b.all), MostJudged)], nil
}

func boolOrder(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return 1
	}
	return -1
}

// Judge counts what a suggestion does, and what each of its choices does, by runs over the whole delivery.
func (w *Work) Judge(ctx context.Context, s *Suggestion) error {
	effect, account, err := w.effect(ctx, s.Steps)
	if err != nil {
		return err
	}
	if s.Kind == "exclude" && effect.Excluded > 0 {
		s.Loses = w.leftOut(account)
	}
	if s.Demands() {
		effect.Repeats = 0 // it is what the demand is about
	}
	for i := range s.Choices {
		of, _, err := w.effect(ctx, s.Choices[i].Steps)
		if err != nil {
			return err
		}
		s.Choices[i].Effect = &of
	}
	s.Effect = &effect
	return nil
}

func (w *Work) effect(ctx context.Context, steps []edit.Step) (e Effect, account *sift.Account, err error) {
	texts, err := w.With(steps)
	if err != nil {
		return e, nil, err
	}
	t, err := texts.Parse()
	if err != nil {
		return e, nil, err
	}
	result, account, err := w.Rehearse(ctx, t)
	if err != nil {
		return e, nil, err
	}
	shift := account.Changed(w.Account)
	return Effect{Rescued: shift.Gained, Broken: shift.Lost, Repeats: w.repeats(account, shift.Lost),
		Excluded: shift.Excluded, Changed: max(0, changedCells(result)-changedCells(w.Result))}, account, nil
}

// repeats returns how many of the rows that a run breaks repeat a key that a rescued row holds now: all of them where
// no value breaks another rule more often than without, else none.
func (w *Work) repeats(after *sift.Account, broken int64) int64 {
	if broken == 0 {
		return 0
	}
	type cell struct {
		code          violation.Code
		column, value string
	}
	known, others := map[cell]int64{}, map[cell]int64{}
	for i := range w.Account.Broken {
		g := &w.Account.Broken[i]
		others[cell{g.Code, g.Column, ""}] += g.Others
		for k := range g.Values {
			known[cell{g.Code, g.Column, g.Values[k].Value}] += g.Values[k].Count
		}
	}
	for i := range after.Broken {
		g := &after.Broken[i]
		isMore := func(o sift.Offender) bool { return o.Count > known[cell{g.Code, g.Column, o.Value}] }
		if g.Code != violation.KeyDuplicate && g.Action.RejectsRow() &&
			(g.Others > others[cell{g.Code, g.Column, ""}] || slices.ContainsFunc(g.Values, isMore)) {
			return 0
		}
	}
	return broken
}

// leftOut says which rows a run leaves out that are not left out without it.
func (w *Work) leftOut(after *sift.Account) string {
	var rows []int64
	var n int64
	for row := after.Next(0, outcome.Excluded); row > 0; row = after.Next(row, outcome.Excluded) {
		if w.Account.Side(row) == outcome.Excluded {
			continue
		}
		if n++; len(rows) < examples {
			rows = append(rows, row)
		}
	}
	switch {
	case n == 1:
		return fmt.Sprintf("row %s does not reach the table", value.Thousands(rows[0]))
	case n == examples:
		return fmt.Sprintf("rows %s and %s do not reach the table", value.Thousands(rows[0]), value.Thousands(rows[1]))
	}
	return fmt.Sprintf("%s rows do not reach the table, such as rows %s and %s", value.Thousands(n),
		value.Thousands(rows[0]), value.Thousands(rows[1]))
}

// examples is how many values or rows tell what a suggestion loses.
const examples = 2

func changedCells(r *sift.Result) (n int64) {
	for i := range r.Remedies {
		n += r.Remedies[i].Changed
	}
	return n
}

// helps reports whether a suggestion that was judged is worth telling: it does something, and does
// not break more than it mends.
func (s *Suggestion) helps() bool {
	e := s.Effect
	switch {
	case e == nil || s.Demands() || s.Kind == "leave":
		return true
	case e.Broken > e.Repeats || s.Weakens || s.Kind == "exclude":
		return e.Rescued+e.Excluded > e.Broken
	case s.Kind == "remedy":
		return e.Rescued+e.Changed > 0 // its cells may be of rows that are left out
	}
	return e.Rescued+e.Excluded+e.Changed+s.Cells > 0
}

// Demands reports whether a suggestion mends nothing, and lets less pass.
func (s *Suggestion) Demands() bool { return s.Kind == "rule" }

// Judged looks for suggestions, judges each, and returns those that help in their order. Before each, and when all were
// judged, tell is told how many were, of those that were found; its error ends the search.
func (w *Work) Judged(ctx context.Context, asked Asked, tell func(all []Suggestion, tried int) error) ([]Suggestion,
	error) {
	all, err := w.Find(ctx, asked)
	if err != nil {
		return nil, err
	}
	for i := range all {
		if err := tell(all, i); err != nil {
			return nil, err
		}
		if err := w.Judge(ctx, &all[i]); err != nil {
			return nil, err
		}
	}
	if err := tell(all, len(all)); err != nil {
		return nil, err
	}
	return Rank(all), nil
}

// Rank puts suggestions that were judged in order: those that rescue most rows first, of those
// that rescue as many the ones that break and change least. The first of each column stand before the second ones,
// and what loses something stands behind what does not. Those that do not help are left out.
func Rank(all []Suggestion) []Suggestion {
	all = slices.DeleteFunc(all, func(s Suggestion) bool { return !s.helps() })
	gain := func(e *Effect) int64 { return e.Rescued + e.Excluded - e.Broken }
	slices.SortStableFunc(all, func(a, b Suggestion) int {
		if a.Effect == nil || b.Effect == nil {
			return boolOrder(a.Effect == nil, b.Effect == nil)
		}
		return cmp.Or(cmp.Compare(a.class(), b.class()), -cmp.Compare(gain(a.Effect), gain(b.Effect)),
			cmp.Compare(a.Effect.Broken, b.Effect.Broken), -cmp.Compare(a.Cells, b.Cells),
			cmp.Compare(a.Effect.Changed, b.Effect.Changed))
	})
	inTurns(all)
	return all
}

// class is what a suggestion does, the most welcome first: it mends, it mends and loses something, it may mend, it
// demands more, it demands less.
func (s *Suggestion) class() int {
	switch {
	case s.Weakens:
		return 4
	case s.Demands():
		return 3
	case s.Doubt != "":
		return 2
	case s.loses():
		return 1
	}
	return 0
}

// loses reports whether a suggestion that mends something costs values or rows.
func (s *Suggestion) loses() bool { return s.Loses != "" || s.Kind == "exclude" }

// inTurns puts the first suggestions of each column before the second ones, in each class; they are in order of class.
func inTurns(all []Suggestion) {
	type place struct{ class, turn int }
	places := map[string]place{}
	turns := map[string]int{}
	for i := range all {
		s := &all[i]
		key := fmt.Sprintf("%d %s", s.class(), s.Column)
		places[s.ID] = place{s.class(), turns[key]}
		turns[key]++
	}
	slices.SortStableFunc(all, func(a, b Suggestion) int {
		x, y := places[a.ID], places[b.ID]
		return cmp.Or(cmp.Compare(x.class, y.class), cmp.Compare(x.turn, y.turn))
	})
}

// idOf makes the identifier of a change.
func idOf(steps []edit.Step) string {
	text, err := json.Marshal(steps)
	if err != nil {
		return ""
	}
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:6])
}

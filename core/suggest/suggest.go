package suggest

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"slices"

	"sieb/core/codes"
	"sieb/core/edit"
	"sieb/core/profile"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
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
	Steps   []edit.Step `json:"steps"`
	Cells   int64       `json:"cells" doc:"violations that it mends, each by itself"`
	Effect  *Effect     `json:"effect,omitempty" doc:"what a run with it gives; absent until that was counted"`

	Header   string `json:"header,omitempty" doc:"of the delivery's column that it concerns, as its profile names it"`
	Findings []int  `json:"findings,omitempty" doc:"of the delivery's profile, that it deals with: their places from 0"`

	of *profile.Relation // that it demands
}

// Effect is what a run with a suggestion gives, against the run without it: counted over all
// rows.
type Effect struct {
	Rescued  int64 `json:"rescued" doc:"rows that are accepted, and were not"`
	Broken   int64 `json:"broken" doc:"rows that are rejected, and were accepted"`
	Excluded int64 `json:"excluded" doc:"rows that are left out, and were not"`
	Changed  int64 `json:"changed" doc:"cells that remedies change besides"`
}

// Together is the best order in which suggestions are taken one after the other.
type Together struct {
	Rejected int64   `json:"rejected" doc:"rows that are rejected without them"`
	Taken    []Taken `json:"taken"`
}

// Taken is a suggestion that is taken behind others.
type Taken struct {
	ID      string `json:"id"`
	Rescued int64  `json:"rescued" doc:"rows that it and those before it mend or leave out, of those rejected"`
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
		return cmp.Or(boolOrder(x.Weakens, y.Weakens), boolOrder(x.Demands(), y.Demands()),
			-cmp.Compare(x.Cells, y.Cells))
	})
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

// Judge counts what a suggestion does, by a run over the whole delivery.
func (w *Work) Judge(ctx context.Context, s *Suggestion) error {
	effect, _, err := w.effect(ctx, s.Steps)
	if err != nil {
		return err
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
	return Effect{Rescued: shift.Gained, Broken: shift.Lost, Excluded: shift.Excluded,
		Changed: max(0, changedCells(result)-changedCells(w.Result))}, account, nil
}

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
	case e.Broken > 0 || s.Weakens || s.Kind == "exclude":
		return e.Rescued+e.Excluded > e.Broken
	}
	return e.Rescued+e.Excluded+e.Changed+s.Cells > 0
}

// Demands reports whether a suggestion mends nothing, and lets less pass.
func (s *Suggestion) Demands() bool { return s.Kind == "rule" }

// Rank puts suggestions that were judged in order: those that rescue most rows first, of those
// that rescue as many the ones that break and change least. Those that do
// not help are left out.
func Rank(all []Suggestion) []Suggestion {
	all = slices.DeleteFunc(all, func(s Suggestion) bool { return !s.helps() })
	gain := func(e *Effect) int64 { return e.Rescued + e.Excluded - e.Broken }
	slices.SortStableFunc(all, func(a, b Suggestion) int {
		if a.Effect == nil || b.Effect == nil {
			return boolOrder(a.Effect == nil, b.Effect == nil)
		}
		return cmp.Or(boolOrder(a.Weakens, b.Weakens), boolOrder(a.Demands(), b.Demands()),
			-cmp.Compare(gain(a.Effect), gain(b.Effect)),
			cmp.Compare(a.Effect.Broken, b.Effect.Broken), -cmp.Compare(a.Cells, b.Cells),
			cmp.Compare(a.Effect.Changed, b.Effect.Changed))
	})
	return all
}

// mostTogether is how many suggestions are put in order.
const mostTogether = 12

// Order finds the best order of suggestions that were judged: each time that which mends most of
// the rows that are left. Which one that is, the mixes of violations tell; how many rows it comes to,
// a run. Suggestions that weaken a rule are not among them.
func (w *Work) Order(ctx context.Context, all []Suggestion) (*Together, error) {
	out := &Together{Rejected: w.Result.Tally.Rejected, Taken: []Taken{}}
	cures := make([]map[sift.Part]bool, len(all))
	for i := range all {
		if s := &all[i]; !s.Weakens && !s.Demands() && s.Effect != nil && s.Effect.Broken == 0 {
			cures[i] = w.parts(s)
		}
	}
	mended := map[sift.Part]bool{}
	var steps []edit.Step
	reached := int64(0)
	for len(out.Taken) < mostTogether {
		best, most := -1, int64(0)
		for i := range all {
			if n := w.mends(mended, cures[i]); cures[i] != nil && n > most {
				best, most = i, n
			}
		}
		if best < 0 {
			break
		}
		next := append(slices.Clone(steps), all[best].Steps...)
		_, account, err := w.effect(ctx, next)
		var problems target.Problems
		switch {
		case errors.As(err, &problems):
			// It does not go with those before it.
		case err != nil:
			return nil, err
		default:
			if n := account.Changed(w.Account).Mended; n > reached {
				reached, steps = n, next
				out.Taken = append(out.Taken, Taken{all[best].ID, reached})
				for p := range cures[best] {
					mended[p] = true
				}
			}
		}
		cures[best] = nil
	}
	return out, nil
}

// mends counts the rejected rows that more parts mend besides those that are mended.
func (w *Work) mends(mended, more map[sift.Part]bool) (rows int64) {
	for _, m := range w.Account.Mixes {
		isNew, all := false, true
		for _, p := range m.Parts {
			whole := sift.Part{Broken: p.Broken, Value: -1}
			switch {
			case more[p] || more[whole]:
				isNew = isNew || !mended[p] && !mended[whole]
			case !mended[p] && !mended[whole]:
				all = false
			}
		}
		if all && isNew {
			rows += m.Rows
		}
	}
	return rows
}

// parts returns the violations that a suggestion mends.
func (w *Work) parts(s *Suggestion) map[sift.Part]bool {
	parts := map[sift.Part]bool{}
	for k := range w.Account.Broken {
		g := &w.Account.Broken[k]
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

// idOf makes the identifier of a change.
func idOf(steps []edit.Step) string {
	text, err := json.Marshal(steps)
	if err != nil {
		return ""
	}
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:6])
}

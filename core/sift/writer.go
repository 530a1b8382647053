package sift

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"sieb/core/check"
	"sieb/core/outcome"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/value"
	"sieb/core/violation"
)

// writer takes the judged batches in order. It alone knows which rows came
// before: it decides on keys, keeps the tally and hands the texts on.
type writer struct {
	run      *Run
	plan     *check.Plan
	keys     []keySet
	isOver   bool       // there were more keys than memory is meant to hold: from there on keys is not asked
	spilt    *spiltKeys // where they go in the first reading; nil before
	twins    *twins     // that a first reading has shown; nil for none
	mine     []twin     // those of the batch at hand that were not dealt with yet
	failed   error      // of keeping keys
	refers   *spiltKeys // what rows refer to in tables that memory does not hold; nil for nothing
	broken   *twins     // the rows that break such references, where it knows them; nil for none
	knows    bool
	shown    int64      // bytes of the progress
	over     int64      // those from which on a reading counts half, since another may follow
	least    int64      // those of an earlier reading
	before   int64      // rows of an earlier reading
	ahead    *ahead     // nil where the first row of a key is kept
	last     check.Last // where the columns with an order stand
	seen     check.Seen
	sums     []check.Sum
	tally    Tally
	groups   groups
	changed  [][]int64
	spoilt   [][]int64
	changes  changes
	excluded []int64 // rows, by exclusion
	unjudged []int64 // rows, by row rule
	refused  bool
	blank    int64 // lines
	change   source.Change
	near     uint64    // keeps the look-ups of prepare from being optimised away
	splicing *splicing // nil until the outputs are begun
}

func newWriter(r *Run, plan *check.Plan) *writer {
	w := &writer{run: r, plan: plan, changes: newChanges(plan), keys: make([]keySet, len(plan.Keys)),
		refused: plan.Refused}
	w.groups.byKey = map[groupKey]*Group{}
	w.changed, w.spoilt = make([][]int64, len(plan.Names())), make([][]int64, len(plan.Names()))
	for i := range w.changed {
		w.changed[i] = make([]int64, len(plan.Remedies(i)))
		w.spoilt[i] = make([]int64, len(plan.Remedies(i)))
	}
	w.seen, w.sums = plan.NewSeen(), plan.NewSums()
	w.excluded, w.unjudged = make([]int64, len(plan.Reasons())), make([]int64, len(plan.Rules()))
	return w
}

// close gives up the files that keys went to.
func (w *writer) close() {
	for _, s := range []*spiltKeys{w.spilt, w.refers} {
		if s != nil {
			s.file.Close()
		}
	}
	w.twins.close()
	w.broken.close()
}

func (w *writer) deliver(b *source.Batch, p *part) error {
	for i, counts := range p.ruling.Changed {
		for k, n := range counts {
			w.changed[i][k] += n
			w.spoilt[i][k] += p.ruling.Spoilt[i][k]
		}
	}
	w.changes.add(&p.ruling, b.Number(len(b.Rows)-1))
	for i, n := range p.ruling.Unjudged {
		w.unjudged[i] += n
	}
	for i := range w.sums {
		w.sums[i].Add(&p.ruling.Sums[i])
	}
	w.seen.Add(&p.ruling)
	w.refused = w.refused || p.ruling.Refused
	w.change.Add(b)
	w.blank += b.BlankLines
	if p.failed != nil {
		return p.failed
	}
	if err := w.meet(b, p); err != nil {
		return err
	}
	late := w.last.Follow(w.plan, b, &p.ruling)
	w.splicing.start()
	if len(w.keys) == 0 && len(p.ruling.Found) == 0 && len(late) == 0 {
		w.count(p)
	} else {
		if w.decide(b, p, late); w.failed != nil {
			return w.failed
		}
	}
	if p.explanation != nil {
		w.run.explanation = p.explanation
		if w.spilt == nil && w.refers == nil { // otherwise what comes behind the row may show more of it
			return errExplained
		}
	}
	if err := w.splicing.write(p, w.run.Outputs); err != nil {
		return err
	}
	if w.run.Progress != nil {
		w.run.Progress(w.progress(b))
	}
	return nil
}

// progress tells how far the run is behind a batch. Where the delivery may have to be read again,
// what is left counts half.
func (w *writer) progress(b *source.Batch) Progress {
	bytes := b.Bytes
	switch {
	case w.ahead != nil:
		bytes = (w.run.Size + b.Bytes) / 2
	case w.least > 0 && w.run.Size > 0:
		bytes = w.least + int64(float64(w.run.Size-w.least)*float64(b.Bytes)/float64(w.run.Size))
	}
	if w.spilt != nil || w.refers != nil {
		bytes = w.over + (bytes-w.over)/2
	}
	w.shown = max(w.shown, bytes)
	return Progress{w.shown, max(w.tally.Read, w.before)}
}

// count tallies a batch in which nothing was found.
func (w *writer) count(p *part) {
	for i := range p.ends {
		w.tallyRow(&p.ends[i], p.ends[i].side)
	}
}

// tallyRow counts a row where it ended.
func (w *writer) tallyRow(e *end, side outcome.Side) {
	w.tally.Read++
	switch side {
	case outcome.Excluded:
		w.tally.Excluded++
		w.excluded[e.excluded-1]++
	case outcome.Rejected:
		w.tally.Rejected++
	default:
		w.tally.Accepted++
	}
	if w.run.Account != nil {
		w.run.Account.end(side)
	}
}

// decide goes through the rows in order; late is what only their order shows.
func (w *writer) decide(b *source.Batch, p *part, late []check.Found) {
	found := p.ruling.Found // later rows' duplicates are added to the ruling's text only
	first := 0
	w.near = w.prepare(b, p)
	for row := range p.ends {
		e := &p.ends[row]
		mine := found[first:e.found]
		first = e.found
		hadFound := len(mine) > 0
		more, others := ofRow(late, row)
		late = others
		side := e.side
		if w.rejects(more) && side == outcome.Accepted {
			side = outcome.Rejected
		}
		if len(w.keys) > 0 && side != outcome.Excluded {
			more = append(more, w.repeats(b, p, row, side == outcome.Rejected)...)
		}
		if len(more) == 0 {
			w.splicing.pass(side, hadFound)
		} else {
			mine = append(slices.Clone(mine), more...)
			if w.rejects(more) && side == outcome.Accepted {
				side = outcome.Rejected
			}
			w.splicing.change(p, b, row, e.side, side, hadFound, mine)
		}
		for i := range mine {
			if w.run.Account != nil {
				w.run.Account.violation(w.plan, b, &p.ruling, &mine[i])
			}
			w.groups.add(w.plan, b, &p.ruling, &mine[i])
			if p.explanation != nil && w.run.explain == b.Number(row) {
				p.explanation.AddViolation(w.plan, &p.ruling, &mine[i])
			}
		}
		w.tallyRow(e, side)
	}
}

// ofRow takes the violations of a row off the front of some that are in the order of rows.
func ofRow(found []check.Found, row int) (of, others []check.Found) {
	n := 0
	for n < len(found) && found[n].Row == row {
		n++
	}
	return found[:n:n], found[n:]
}

// rejects reports whether one of some violations rejects its row.
func (w *writer) rejects(found []check.Found) (does bool) {
	for i := range found {
		a := found[i].Action
		w.refused = w.refused || a == violation.Refuse
		does = does || a.RejectsRow()
	}
	return does
}

func (w *writer) result(t *target.Target) *Result {
	r := &Result{Verdict: Accepted, Tally: w.tally, Columns: w.plan.Matches(), BlankLines: w.blank,
		Violations: w.groups.sorted(), Remedies: []Remedy{}}
	names := w.plan.Names()
	shown := 0 // pairs
	for i, counts := range w.changed {
		for k, n := range counts {
			remedy := Remedy{Column: names[i], Remedy: w.plan.Remedies(i)[k], Changed: n, Spoilt: w.spoilt[i][k]}
			shown += w.changes.of[i][k].tell(&remedy, w.tally.Read, min(maxPairs, maxAllPairs-shown))
			r.Remedies = append(r.Remedies, remedy)
		}
	}
	for i, reason := range w.plan.Reasons() {
		r.Excluded = append(r.Excluded, Excluded{reason, w.excluded[i]})
	}
	for i, rule := range w.plan.Rules() {
		if w.unjudged[i] > 0 {
			r.Unjudged = append(r.Unjudged, Unjudged{rule, w.unjudged[i]})
		}
	}
	r.LeftOut = w.plan.LeftOut
	for _, k := range w.run.Keys {
		r.References = append(r.References, k.State)
	}
	if w.plan.ReadsToday() {
		r.Today = w.run.Today.Format(time.DateOnly)
	}
	if t != nil && t.Tolerance.IsSet() {
		r.Tolerance = t.Tolerance.String()
	}
	exceeded := t != nil && t.Tolerance.Exceeded(w.tally.Rejected, w.tally.Read)
	switch {
	case w.tally.Read == 0 && w.refused:
		// That there is nothing says it all.
		r.Verdict, r.Refusal = Refused, w.groups.reasonOf(violation.DeliveryEmpty)
		if r.Refusal == "" {
			r.Refusal = w.reasons(r.Violations)
		}
	case w.refused:
		r.Verdict, r.Refusal = Refused, w.reasons(r.Violations)
	case exceeded:
		r.Verdict = Refused
		r.Refusal = fmt.Sprintf("%s of %s rows were rejected, and the tolerance is %s", value.Thousands(w.tally.Rejected),
			value.Thousands(w.tally.Read), t.Tolerance)
	case w.tally.Read > 0 && w.tally.Accepted == 0:
		r.Verdict = Refused
		r.Refusal = fmt.Sprintf("no row was accepted: all %s were rejected", value.Thousands(w.tally.Rejected))
		if w.tally.Excluded > 0 {
			r.Refusal = fmt.Sprintf("no row was accepted: %s were rejected and %s left out",
				value.Thousands(w.tally.Rejected), value.Thousands(w.tally.Excluded))
		}
	case w.tally.Rejected > 0:
		r.Verdict = Split
	}
	return r
}

// reasons returns what refuses the delivery, in words.
func (w *writer) reasons(violations []Group) string {
	var reasons []string
	for _, g := range violations {
		if g.Action == violation.Refuse && len(g.Samples) > 0 {
			reasons = append(reasons, g.Samples[0].Message)
		}
	}
	if more := len(reasons) - maxReasons; more > 0 {
		reasons = append(reasons[:maxReasons], fmt.Sprintf("and %d more reasons", more))
	}
	return strings.Join(reasons, "; ")
}

// reasonOf returns the first message of a code that refuses; "" where there is none.
func (g *groups) reasonOf(code violation.Code) string {
	if group := g.byKey[groupKey{code, violation.Refuse, ""}]; group != nil && len(group.Samples) > 0 {
		return group.Samples[0].Message
	}
	return ""
}

// maxReasons is how many reasons a refusal names.
const maxReasons = 3

// maxSamples is how many violations a group shows, the first ones of the delivery.
const maxSamples = 10

// Counted is how often a rule was broken in one column.
type Counted struct {
	Code   violation.Code   `json:"code"`
	Column string           `json:"column"`
	Action violation.Action `json:"action"`
	Rows   int64            `json:"rows"`
	Cells  int64            `json:"cells" doc:"0 for a violation of whole rows"`
}

// Group is the violations of one code in one column, with the first of them.
type Group struct {
	Counted
	Class   string   `json:"class"`
	Samples []Sample `json:"samples"`

	lastRow int64
}

// Sample is one violation of a group.
type Sample struct {
	Row     int64  `json:"row" doc:"0 for a violation of the delivery as a whole"`
	Line    int64  `json:"line"`
	Value   string `json:"value"`
	Message string `json:"message"`
}

type groupKey struct {
	code   violation.Code
	action violation.Action
	column string
}

// groups are the violations of a run by what is counted together.
type groups struct {
	byKey    map[groupKey]*Group
	byColumn [][]*Group // those of each column of the target
}

// add counts a violation of a row.
func (g *groups) add(plan *check.Plan, b *source.Batch, ruling *check.Ruling, f *check.Found) {
	group := g.near(plan, f)
	row := b.Number(f.Row)
	if group.lastRow != row {
		group.Rows++
		group.lastRow = row
	}
	if f.Cell >= 0 {
		group.Cells++
	}
	if len(group.Samples) < maxSamples {
		group.Samples = append(group.Samples, Sample{row, b.Rows[f.Row].Line, string(ruling.Value(f)),
			string(ruling.Message(f))})
	}
}

// near returns the group of a violation, without looking for it among those of other columns.
func (g *groups) near(plan *check.Plan, f *check.Found) *Group {
	name := plan.ColumnName(f)
	if f.Column < 0 {
		return g.of(f.Code, name, f.Action)
	}
	if g.byColumn == nil {
		g.byColumn = make([][]*Group, len(plan.Names()))
	}
	of := &g.byColumn[f.Column]
	for _, group := range *of {
		if group.Code == f.Code && group.Action == f.Action && group.Column == name {
			return group
		}
	}
	group := g.of(f.Code, name, f.Action)
	*of = append(*of, group)
	return group
}

func (g *groups) of(code violation.Code, column string, action violation.Action) *Group {
	key := groupKey{code, action, column}
	group := g.byKey[key]
	if group == nil {
		group = &Group{Counted: Counted{Code: code, Column: column, Action: action}, Class: code.Class(),
			Samples: []Sample{}}
		g.byKey[key] = group
	}
	return group
}

func (g *groups) addDelivery(f check.Finding) {
	group := g.of(f.Code, f.Column, f.Action)
	group.Samples = append(group.Samples, Sample{0, f.Line, f.Value, f.Message})
}

// sorted returns the groups, most rows first.
func (g *groups) sorted() []Group {
	all := make([]Group, 0, len(g.byKey))
	for _, group := range g.byKey {
		all = append(all, *group)
	}
	slices.SortFunc(all, func(a, b Group) int {
		return cmp.Or(-cmp.Compare(a.Rows, b.Rows), cmp.Compare(a.Code, b.Code), cmp.Compare(a.Column, b.Column),
			cmp.Compare(a.Action, b.Action))
	})
	return all
}

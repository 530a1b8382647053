package sift

import (
	"fmt"
	"strings"
	"time"

	"sieb/core/check"
	"sieb/core/outcome"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/value"
	"sieb/core/violation"
)

// tallies count what the judges found, and where rows ended.
type tallies struct {
	plan     *check.Plan
	tally    Tally
	groups   groups
	changed  [][]int64 // cells, by column and remedy
	spoilt   [][]int64
	changes  changes
	excluded []int64 // rows, by exclusion
	unjudged []int64 // rows, by row rule
	met      check.Met
	sums     []check.Sum
	refused  bool
	blank    int64 // lines
	change   source.Change
}

func newTallies(plan *check.Plan) tallies {
	s := tallies{plan: plan, changes: newChanges(plan), refused: plan.Refused, met: plan.NewMet(), sums: plan.NewSums()}
	s.groups.byKey = map[groupKey]*Group{}
	s.changed, s.spoilt = make([][]int64, len(plan.Names())), make([][]int64, len(plan.Names()))
	for i := range s.changed {
		s.changed[i] = make([]int64, len(plan.Remedies(i)))
		s.spoilt[i] = make([]int64, len(plan.Remedies(i)))
	}
	s.excluded, s.unjudged = make([]int64, len(plan.Reasons())), make([]int64, len(plan.Rules()))
	return s
}

// add adds what the judge of a batch has counted.
func (s *tallies) add(b *source.Batch, ruling *check.Ruling) {
	for i, counts := range ruling.Changed {
		for k, n := range counts {
			s.changed[i][k] += n
			s.spoilt[i][k] += ruling.Spoilt[i][k]
		}
	}
	s.changes.add(ruling, b.Number(len(b.Rows)-1))
	for i, n := range ruling.Unjudged {
		s.unjudged[i] += n
	}
	for i := range s.sums {
		s.sums[i].Add(&ruling.Sums[i])
	}
	s.met.Add(ruling)
	s.refused = s.refused || ruling.Refused
	s.change.Add(b)
	s.blank += b.BlankLines
}

// addDelivery counts violations of the delivery as a whole.
func (s *tallies) addDelivery(all []check.Finding) {
	for _, f := range all {
		s.groups.addDelivery(f)
		s.refused = s.refused || f.Action == violation.Refuse
	}
}

// end counts a row where it ended.
func (s *tallies) end(e *end, side outcome.Side) {
	s.tally.Read++
	switch side {
	case outcome.Excluded:
		s.tally.Excluded++
		s.excluded[e.excluded-1]++
	case outcome.Rejected:
		s.tally.Rejected++
	default:
		s.tally.Accepted++
	}
}

// findings returns the violations of the delivery as a whole that only show once all rows were read.
func (s *tallies) findings(r *Run, footer string) (all []check.Finding) {
	if f, ok := check.ChangeFinding(&s.change, r.Encoding); ok {
		all = append(all, f)
	}
	if f, ok := s.rowsFinding(r); ok {
		all = append(all, f)
	}
	if s.tally.Read > 0 { // otherwise that there is nothing says it all
		all = append(all, s.plan.Absent(s.met)...)
		all = append(all, s.plan.Control(s.sums, s.tally.Read, footer, r.Companion)...)
	}
	return all
}

func rowsWord(n int64) string {
	if n == 1 {
		return "1 row"
	}
	return fmt.Sprintf("%d rows", n)
}

// rowsFinding makes a finding of a delivery that has fewer or more rows than it is to
// have; ok is false where the number is right.
func (s *tallies) rowsFinding(r *Run) (f check.Finding, ok bool) {
	want := target.Rows{}
	if r.Target != nil {
		want = r.Target.Rows
	}
	header := r.Source.Header()
	f = check.Finding{Action: violation.Refuse, Line: max(header.Line, 1)}
	switch read := s.tally.Read; {
	case read == 0 && want.Least() > 0:
		f.Code, f.Message = violation.DeliveryEmpty, "nothing was delivered: the file has neither a header nor a row"
		if header.Named {
			f.Message = "nothing was delivered: the file has a header and no row"
		}
		f.Message += "; ask the sender, or let the target say rows: {minimum: 0} if that is fine"
	case read < want.Least():
		f.Code, f.Message = violation.RowsFew, fmt.Sprintf("the delivery has %s, and at least %d are expected",
			rowsWord(read), want.Least())
	case want.Maximum != nil && read > *want.Maximum:
		f.Code, f.Message = violation.RowsMany, fmt.Sprintf("the delivery has %s, and at most %d are expected",
			rowsWord(read), *want.Maximum)
	default:
		return f, false
	}
	return f, true
}

// result makes the result of a run that is at its end.
func (s *tallies) result(run *Run) *Result {
	t := run.Target
	r := &Result{Verdict: Accepted, Tally: s.tally, Columns: s.plan.Matches(), BlankLines: s.blank,
		Violations: s.groups.sorted(), Remedies: []Remedy{}}
	names := s.plan.Names()
	shown := 0 // pairs
	for i, counts := range s.changed {
		for k, n := range counts {
			remedy := Remedy{Column: names[i], Remedy: s.plan.Remedies(i)[k], Changed: n, Spoilt: s.spoilt[i][k]}
			shown += s.changes.of[i][k].tell(&remedy, s.tally.Read, min(maxPairs, maxAllPairs-shown))
			r.Remedies = append(r.Remedies, remedy)
		}
	}
	for i, reason := range s.plan.Reasons() {
		r.Excluded = append(r.Excluded, Excluded{reason, s.excluded[i]})
	}
	for i, rule := range s.plan.Rules() {
		if s.unjudged[i] > 0 {
			r.Unjudged = append(r.Unjudged, Unjudged{rule, s.unjudged[i]})
		}
	}
	r.LeftOut = s.plan.LeftOut
	for _, k := range run.Keys {
		r.References = append(r.References, k.State)
	}
	if s.plan.ReadsToday() {
		r.Today = run.Today.Format(time.DateOnly)
	}
	if t != nil && t.Tolerance.IsSet() {
		r.Tolerance = t.Tolerance.String()
	}
	exceeded := t != nil && t.Tolerance.Exceeded(s.tally.Rejected, s.tally.Read)
	switch {
	case s.tally.Read == 0 && s.refused:
		// That there is nothing says it all.
		r.Verdict, r.Refusal = Refused, s.groups.reasonOf(violation.DeliveryEmpty)
		if r.Refusal == "" {
			r.Refusal = reasons(r.Violations)
		}
	case s.refused:
		r.Verdict, r.Refusal = Refused, reasons(r.Violations)
	case exceeded:
		r.Verdict = Refused
		r.Refusal = fmt.Sprintf("%s of %s rows were rejected, and the tolerance is %s", value.Thousands(s.tally.Rejected),
			value.Thousands(s.tally.Read), t.Tolerance)
	case s.tally.Read > 0 && s.tally.Accepted == 0:
		r.Verdict = Refused
		r.Refusal = fmt.Sprintf("no row was accepted: all %s were rejected", value.Thousands(s.tally.Rejected))
		if s.tally.Excluded > 0 {
			r.Refusal = fmt.Sprintf("no row was accepted: %s were rejected and %s left out",
				value.Thousands(s.tally.Rejected), value.Thousands(s.tally.Excluded))
		}
	case s.tally.Rejected > 0:
		r.Verdict = Split
	}
	return r
}

// reasons returns what refuses the delivery, in words.
func reasons(violations []Group) string {
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

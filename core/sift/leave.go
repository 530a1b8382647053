package sift

import (
	"sieb/core/check"
	"sieb/core/outcome"
	"sieb/core/source"
	"sieb/core/violation"
)

// texts are what encoders have made of the rows of a batch, for one output: where each of the rows that the output
// takes ends. In an output of violations all those of a row end together.
type texts struct {
	text []byte
	ends []int
}

func (t *texts) reset() { t.text, t.ends = t.text[:0], t.ends[:0] }

// start returns where the nth of the rows begins.
func (t *texts) start(n int) int {
	if n == 0 {
		return 0
	}
	return t.ends[n-1]
}

// leaving makes texts of rows for the outputs of a run, on one goroutine.
type leaving struct {
	plan     *check.Plan
	outputs  []*outcome.Output
	encoders []outcome.Encoder // of each output
	of       [outcome.Sides][]int
	refusals []outcome.Violation
	row      outcome.Row
	found    []outcome.Violation
}

// newLeaving makes encoders for the outputs of the run, which were begun.
func (r *Run) newLeaving(plan *check.Plan) *leaving {
	l := &leaving{plan: plan, outputs: r.Outputs}
	for i, o := range r.Outputs {
		l.encoders = append(l.encoders, o.Encoder())
		l.of[o.Side] = append(l.of[o.Side], i)
	}
	for i := range plan.Delivery {
		if f := &plan.Delivery[i]; f.Action == violation.Refuse {
			l.refusals = append(l.refusals,
				outcome.Violation{Code: f.Code, Action: f.Action, Message: []byte(f.Message)})
		}
	}
	return l
}

// take makes the row at hand one of a block, with what was found in it.
func (l *leaving) take(block *outcome.Block, at int, ruling *check.Ruling, found []check.Found, reason string) {
	b := block.Batch
	l.found = l.found[:0]
	for i := range found {
		f := &found[i]
		v := outcome.Violation{Code: f.Code, Action: f.Action, Column: l.plan.ColumnName(f), Value: ruling.Value(f),
			Message: ruling.Message(f)}
		if v.Title = v.Column; f.Cell >= 0 && f.Column >= 0 {
			v.Title = l.plan.Title(f.Column)
		}
		l.found = append(l.found, v)
	}
	l.row.Block, l.row.At, l.row.Reason = block, at, reason
	l.row.Number, l.row.Line = b.Number(block.First+at), b.Rows[block.First+at].Line
	l.row.Violations, l.row.Refusals = l.found, l.refusals
}

// append appends the row at hand in the form of one of the outputs.
func (l *leaving) append(dst []byte, output int, side outcome.Side) []byte {
	l.row.Table, l.row.Nth = l.outputs[output].Table(), 0
	if side != outcome.Violations {
		return l.encoders[output].Append(dst, &l.row)
	}
	for l.row.Nth = range l.found {
		dst = l.encoders[output].Append(dst, &l.row)
	}
	return dst
}

// put adds the row at hand to the outputs of its side, and what was found in it to those of violations.
func (l *leaving) put(of []texts, side outcome.Side) {
	for _, i := range l.of[side] {
		of[i].text = l.append(of[i].text, i, side)
		of[i].ends = append(of[i].ends, len(of[i].text))
	}
	if len(l.found) > 0 && side != outcome.Violations {
		l.put(of, outcome.Violations)
	}
}

// tell writes violations of the delivery as a whole.
func (l *leaving) tell(all []check.Finding) error {
	l.row = outcome.Row{}
	l.found = l.found[:0]
	for _, f := range all {
		l.found = append(l.found, outcome.Violation{Code: f.Code, Action: f.Action, Column: f.Column, Title: f.Column,
			Value: []byte(f.Value), Message: []byte(f.Message)})
	}
	for _, i := range l.of[outcome.Violations] {
		var text []byte
		l.row.Table, l.row.Violations = l.outputs[i].Table(), l.found
		for l.row.Nth = range l.found {
			l.row.Line = all[l.row.Nth].Line
			text = l.encoders[i].Append(text, &l.row)
		}
		if err := l.outputs[i].Write(text); err != nil {
			return err
		}
	}
	return nil
}

// splicing puts the texts of a batch together anew, where the order of rows has shown more than their judges knew. As
// long as there is nothing of that kind, the texts stay as they are.
type splicing struct {
	leaving *leaving
	made    []texts // for each output what there is up to copied
	copied  []int   // how much of the judges' text is copied, or left out
	isMade  []bool
	block   outcome.Block
	passed  [outcome.Sides]int // rows that are behind, by the outputs that had them
}

func newSplicing(l *leaving) *splicing {
	n := len(l.encoders)
	return &splicing{leaving: l, made: make([]texts, n), copied: make([]int, n), isMade: make([]bool, n)}
}

// start begins a batch.
func (s *splicing) start() {
	clear(s.copied)
	clear(s.isMade)
	s.passed = [outcome.Sides]int{}
	for i := range s.made {
		s.made[i].reset()
	}
}

// pass leaves the next row as it is.
func (s *splicing) pass(side outcome.Side, hasFound bool) {
	s.passed[side]++
	if hasFound {
		s.passed[outcome.Violations]++
	}
}

// change takes the next row from the side on which its judge left it to another, or the same, with all that was found
// in it.
func (s *splicing) change(p *part, b *source.Batch, row int, was, is outcome.Side, hadFound bool, found []check.Found) {
	s.block = outcome.Block{Batch: b, First: row}
	s.leaving.take(&s.block, 0, &p.ruling, found, "")
	if was != is || was == outcome.Rejected {
		s.cut(p, was)
		s.insert(p, is)
	}
	if hadFound {
		s.cut(p, outcome.Violations)
	}
	s.insert(p, outcome.Violations)
	s.pass(was, hadFound)
}

// copy takes over the judges' texts of a side up to the row at hand.
func (s *splicing) copy(p *part, output int, side outcome.Side) *texts {
	m, t := &s.made[output], &p.texts[output]
	to := t.start(s.passed[side])
	if s.copied[output] < to {
		m.text = append(m.text, t.text[s.copied[output]:to]...)
		s.copied[output] = to
	}
	s.isMade[output] = true
	return m
}

// cut leaves the row at hand out of the outputs of a side.
func (s *splicing) cut(p *part, side outcome.Side) {
	for _, i := range s.leaving.of[side] {
		s.copy(p, i, side)
		s.copied[i] = p.texts[i].ends[s.passed[side]]
	}
}

// insert puts the row at hand into the outputs of a side.
func (s *splicing) insert(p *part, side outcome.Side) {
	for _, i := range s.leaving.of[side] {
		m := s.copy(p, i, side)
		m.text = s.leaving.append(m.text, i, side)
	}
}

// write hands what was made of a batch to the outputs.
func (s *splicing) write(p *part) error {
	for i, o := range s.leaving.outputs {
		text := p.texts[i].text
		if s.isMade[i] {
			s.made[i].text = append(s.made[i].text, text[s.copied[i]:]...)
			text = s.made[i].text
		}
		if err := o.Write(text); err != nil {
			return err
		}
	}
	return nil
}

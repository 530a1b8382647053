package check

import (
	"bytes"
	"slices"
	"strconv"

	"github.com/shopspring/decimal"

	"sieb/core/condition"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/value"
	"sieb/core/violation"
)

// ordered is a column whose values follow one another from row to row, as a judge goes
// through a batch.
type ordered struct {
	column int
	first  int // the first row of the batch with a value, -1 for none
	last   int // the last one so far
	head   condition.Value
	tail   condition.Value
}

func (m *matching) compileOrder() {
	for i := range m.columns {
		if c := &m.columns[i]; c.spec.Ordered != target.AnyOrder {
			c.isRead = true
			m.ordered = append(m.ordered, i)
		}
	}
}

// order compares the values of a block with those of the rows before them in the batch.
// Rows without a value are passed over.
func (j *Judge) order(block int) {
	for i := range j.out.Ordered {
		o := &j.out.Ordered[i]
		l := &j.lanes[o.column]
		for k := range block {
			v := l.values[k]
			if j.apart[k] || v.Kind == condition.Missing || v.Kind == condition.Wrong {
				continue
			}
			if o.first < 0 {
				o.first, o.head = j.from+k, v
			} else if !follows(l.spec, &o.tail, &v) {
				f := j.out.breakOrder(j.plan, o.column, j.from+k, &o.tail, &v,
					position{j.batch.Number(o.last), j.batch.Rows[o.last].Line})
				j.out.Found = append(j.out.Found, f)
			}
			o.last, o.tail = j.from+k, v
		}
	}
}

// position is where a row stands in the delivery.
type position struct{ row, line int64 }

// follows reports whether a value may stand in the row after another.
func follows(c *target.Column, before, v *condition.Value) bool {
	if c.Ordered == target.Ascending {
		return before.Compare(v) <= 0
	}
	switch v.Kind {
	case condition.Number:
		return v.Decimal().Sub(before.Decimal()).Equal(one)
	case condition.Moment:
		const day = 24 * 60 * 60
		return v.Units-before.Units == day
	}
	return isNext(before.Text, v.Text)
}

var one = decimal.NewFromInt(1)

// isNext reports whether a text is another one with the number at its end raised by one:
// AH-0100 after AH-0099.
func isNext(before, text []byte) bool {
	lead, n := endNumber(before)
	next, m := endNumber(text)
	return n >= 0 && m == n+1 && bytes.Equal(lead, next)
}

// endNumber splits a text before the digits at its end, at most 18; n is -1 for none.
func endNumber(text []byte) (lead []byte, n int64) {
	at := len(text)
	for at > 0 && len(text)-at < 18 && text[at-1]-'0' < 10 {
		at--
	}
	if at == len(text) {
		return text, -1
	}
	n, _ = strconv.ParseInt(string(text[at:]), 10, 64)
	return text[:at], n
}

// breakOrder makes a violation of a value that does not follow the one before.
func (r *Ruling) breakOrder(p *Plan, column, row int, before, v *condition.Value, last position) Found {
	c := &p.columns[column]
	f := Found{Row: row, Cell: c.cell, Column: column, Code: violation.OrderBroken,
		Action: c.spec.Action(violation.OrderBroken), value: uint32(len(r.text))}
	isDate := c.spec.Datatype == value.Date
	r.text = appendValid(r.text, v.Append(nil, isDate), maxValue)
	f.message = uint32(len(r.text))
	if c.spec.Message != "" {
		r.text = append(r.text, c.spec.Message...)
	} else {
		r.text = appendQuoted(r.text, v.Append(nil, isDate))
		r.text = append(r.text, " comes after "...)
		r.text = appendQuoted(r.text, before.Append(nil, isDate))
		r.text = appendPosition(append(r.text, " in "...), last)
		if c.spec.Ordered == target.Consecutive {
			r.text = append(r.text, ", and does not follow it"...)
		} else {
			r.text = append(r.text, ", and is below it"...)
		}
	}
	f.end = uint32(len(r.text))
	if f.Action.RejectsRow() {
		r.Rejected[row] = true
	}
	return f
}

// appendPosition writes "row 12 (line 14)".
func appendPosition(dst []byte, at position) []byte {
	dst = strconv.AppendInt(append(dst, "row "...), at.row, 10)
	dst = strconv.AppendInt(append(dst, " (line "...), at.line, 10)
	return append(dst, ')')
}

// Last is where the columns with an order stand at the end of a batch. The zero Last is
// that of the delivery's start.
type Last []struct {
	value condition.Value
	position
}

// Follow compares the first values of a batch with the last ones before it, which only who
// sees the batches in order knows. What it finds is in the order of rows.
func (l *Last) Follow(p *Plan, b *source.Batch, r *Ruling) (all []Found) {
	if *l == nil && len(r.Ordered) > 0 {
		*l = make(Last, len(r.Ordered))
	}
	for i := range r.Ordered {
		o, last := &r.Ordered[i], &(*l)[i]
		if o.first < 0 {
			continue
		}
		if last.row > 0 && !follows(p.columns[o.column].spec, &last.value, &o.head) {
			all = append(all, r.breakOrder(p, o.column, o.first, &last.value, &o.head, last.position))
		}
		last.value, last.position = o.tail, position{b.Number(o.last), b.Rows[o.last].Line}
		last.value.Text = slices.Clone(o.tail.Text)
	}
	slices.SortStableFunc(all, func(a, b Found) int { return a.Row - b.Row })
	return all
}

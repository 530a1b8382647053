package check

import (
	"bytes"
	"slices"

	"sieb/core/condition"
	"sieb/core/delimited"
	"sieb/core/target"
	"sieb/core/value"
	"sieb/core/violation"
	"sieb/core/workbook"
)

// expression is a compiled condition or derivation whose variables are found.
type expression struct {
	*condition.Program
	number int   // among the plan's expressions
	at     []int // for each variable the column that it reads, or the cell; -1 for a cell that there is none of
}

// rule is a row rule.
type rule struct {
	*target.RowRule
	expression
}

// exclusion is a condition by which rows are left out.
type exclusion struct {
	expression
	number uint16 // among all of them, from 1
}

// values returns what an expression reads in a block of rows. What is no column is noted in
// the expression's own space, of which each judge has one.
func (j *Judge) values(x *expression, block int) condition.Block {
	vars := j.vars[x.number]
	for i, at := range x.at {
		if x.Variables[i].Origin == condition.OfColumn {
			vars[i] = j.lanes[at].values
			continue
		}
		for k := range block {
			switch x.Variables[i].Origin {
			case condition.OfCell:
				vars[i][k] = j.rawValue(j.from+k, at)
			case condition.OfRow:
				vars[i][k] = condition.Whole(j.batch.Number(j.from + k))
			case condition.OfLine:
				vars[i][k] = condition.Whole(j.batch.Rows[j.from+k].Line)
			case condition.OfFile:
				vars[i][k] = condition.TextOf(j.plan.fileName)
			case condition.OfToday:
				vars[i][k] = condition.MomentOf(j.plan.today)
			case condition.OfFileDate:
				vars[i][k] = j.plan.fileDate
			}
		}
	}
	return vars
}

// rawValue returns a cell as it was delivered; a row without that cell has none.
func (j *Judge) rawValue(row, cell int) condition.Value {
	if cell < 0 {
		return condition.Value{}
	}
	if cells := j.batch.Cells(row); cell < len(cells) {
		return condition.TextOf(j.batch.Text(cells[cell]))
	}
	return condition.Value{}
}

// read reads the typed values of a column's cells back from their canonical texts, but for
// those that a quick test has read already.
func (j *Judge) read(l *lane, block int) {
	d := l.spec.ValueType()
	for k := range block {
		switch text := j.text(l, k); {
		case l.isTyped[k]:
		case l.wrong[k]:
			l.values[k].Kind = condition.Wrong
		case isEmptyText(text):
			l.values[k] = condition.TextOf(text)
		default:
			l.values[k].Read(d, text)
		}
	}
}

// exclude leaves out the rows in which one of some conditions holds.
func (j *Judge) exclude(all []exclusion, block int) {
	for i := range all {
		vars := j.values(&all[i].expression, block)
		for k := range block {
			if j.apart[k] {
				continue
			}
			if holds, isJudged := all[i].Holds(vars, k); holds && isJudged {
				j.apart[k] = true
				j.out.Excluded[j.from+k] = all[i].number
			}
		}
	}
}

// require reports cells without a value that are required in their row.
func (j *Judge) require(block int) {
	for i := range j.lanes {
		l := &j.lanes[i]
		if l.requiredWhen == nil {
			continue
		}
		vars := j.values(l.requiredWhen, block)
		for k := range block {
			if j.apart[k] || len(bytes.TrimSpace(j.text(l, k))) > 0 {
				continue
			}
			if holds, isJudged := l.requiredWhen.Holds(vars, k); holds && isJudged {
				j.row, j.raw, j.changed = j.from+k, nil, 0
				if v := j.rawValue(j.row, l.cell); l.cell >= 0 {
					j.raw = v.Text
				}
				j.fail(l, violation.RequiredEmpty, j.raw)
			}
		}
	}
}

// rowRules reports the rows in which a row rule does not hold. A rule is not judged over a
// value that is missing or wrong.
func (j *Judge) rowRules(block int) {
	for i := range j.plan.rules {
		r := &j.plan.rules[i]
		vars := j.values(&r.expression, block)
		for k := range block {
			if j.apart[k] {
				continue
			}
			switch holds, isJudged := r.Holds(vars, k); {
			case !isJudged:
				j.out.Unjudged[i]++
			case !holds:
				j.failRule(r, vars, k)
			}
		}
	}
}

// failRule reports a row in which a rule does not hold.
func (j *Judge) failRule(r *rule, vars condition.Block, k int) {
	out := j.out
	f := Found{Row: j.from + k, Cell: -1, Column: -1, Code: violation.RuleFailed, Action: r.OnViolation, rule: r,
		value: uint32(len(out.text))}
	for i := range r.Variables {
		if i > 0 {
			out.text = append(out.text, ", "...)
		}
		out.text = j.appendVariable(out.text, r, i, &vars[i][k])
	}
	out.text = cut(out.text, int(f.value), maxValue)
	f.message = uint32(len(out.text))
	if r.Message != "" {
		out.text = appendValid(out.text, []byte(r.Message), maxMessage)
	} else {
		out.text = append(out.text, `the rule "`...)
		out.text = append(out.text, r.Name...)
		out.text = append(out.text, `" does not hold: `...)
		for i, v := range r.Variables {
			if i > 0 {
				out.text = append(out.text, ", "...)
			}
			out.text = append(append(out.text, v.Name...), " is "...)
			if v.Origin == condition.OfCell || r.at[i] >= 0 && v.Origin == condition.OfColumn &&
				j.lanes[r.at[i]].spec.Datatype == value.String {
				out.text = appendQuoted(out.text, vars[i][k].Text)
			} else {
				out.text = j.appendVariable(out.text, r, i, &vars[i][k])
			}
		}
	}
	out.text = cut(out.text, int(f.message), maxMessage)
	f.end = uint32(len(out.text))
	if f.Action.RejectsRow() {
		out.Rejected[f.Row] = true
	}
	out.Found = append(out.Found, f)
}

// appendVariable appends the value of a rule's variable.
func (j *Judge) appendVariable(dst []byte, r *rule, i int, v *condition.Value) []byte {
	switch v.Kind {
	case condition.Missing:
		return append(dst, "empty"...)
	case condition.Wrong:
		return append(dst, "wrong"...)
	case condition.Text:
		return appendValid(dst, v.Text, maxShown)
	}
	isDate := r.Variables[i].Origin == condition.OfToday || r.Variables[i].Origin == condition.OfFileDate ||
		r.Variables[i].Origin == condition.OfColumn && j.lanes[r.at[i]].spec.Datatype == value.Date
	start := len(dst)
	dst = v.Append(dst, isDate)
	return appendValid(dst[:start], slices.Clone(dst[start:]), maxShown)
}

// derive computes the cells of a column and checks them.
func (j *Judge) derive(l *lane, from, to int) {
	vars := j.values(l.derive, to-from)
	for k := range to - from {
		l.texts[k] = delimited.Span{}
		if j.apart[k] {
			continue
		}
		v := l.derive.Evaluate(vars, k, &j.joined)
		switch v.Kind {
		case condition.Missing:
			l.texts[k] = j.judge(l, from+k, delimited.Span{}, nil, false)
			continue
		case condition.Wrong:
			j.row, j.raw, j.changed, j.blank = from+k, nil, 0, false
			j.fail(l, violation.DeriveFailed, v.Text)
			if j.blank && l.isRead {
				l.wrong[k] = false
			}
			continue
		}
		text := v.Text
		if v.Kind != condition.Text {
			j.scratch = v.Append(j.scratch[:0], l.spec.Datatype == value.Date)
			text = j.scratch
		}
		j.row, j.raw, j.changed = from+k, nil, 0
		s, fits := j.made(l, text)
		if !fits {
			continue
		}
		raw := j.batch.Arena[s.Start:s.End]
		if l.quick != nil {
			if _, isClean := l.quick(raw, false); isClean {
				if l.hashed {
					j.row = from + k
					j.hash(l, raw)
				}
				l.texts[k] = s
				continue
			}
		}
		j.kind = kindOf(v.Kind)
		l.texts[k] = j.judge(l, from+k, s, raw, false)
	}
}

// kindOf returns the kind of a workbook's cell that a computed value is like: it is
// read plainly, whatever the column's format.
func kindOf(k condition.Kind) workbook.Kind {
	switch k {
	case condition.Number:
		return workbook.Number
	case condition.Moment:
		return workbook.DateTime
	case condition.Truth:
		return workbook.Boolean
	}
	return workbook.Text
}

// constant gives all rows of a block the column's value, which is judged once where it
// is clean.
func (j *Judge) constant(l *lane, from, to int) {
	var s delimited.Span
	fits := j.fits(len(*l.spec.Value))
	if fits {
		s = j.put([]byte(*l.spec.Value))
	}
	raw := j.batch.Arena[s.Start:s.End]
	known := -1
	for k := range to - from {
		l.texts[k] = delimited.Span{}
		switch {
		case j.apart[k]:
		case !fits:
			j.row, j.raw, j.changed = from+k, nil, 0
			j.failGrown(l, "")
		case known >= 0:
			l.texts[k] = l.texts[known]
			if j.isOdd {
				j.block.Odd[k] |= l.bit()
			}
			if l.hashed {
				l.hashes[k] = l.hashes[known]
			}
			if j.changed != 0 {
				j.row = from + k
				j.count(l.place, j.changed)
				for _, at := range j.pairs.cell {
					j.out.Pairs[at].Cells++
				}
			}
		default:
			found := len(j.out.Found)
			j.kind = literalKind(l.spec.Datatype)
			l.texts[k] = j.judge(l, from+k, s, raw, false)
			if len(j.out.Found) == found {
				known = k
			}
		}
	}
}

func literalKind(d value.Datatype) workbook.Kind {
	switch {
	case d.IsNumber():
		return workbook.Number
	case d.HasDay(), d == value.Time:
		return workbook.DateTime
	case d == value.Boolean:
		return workbook.Boolean
	}
	return workbook.Text
}

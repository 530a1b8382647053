package check

import (
	"strconv"
	"strings"

	"sieb/core/condition"
	"sieb/core/source"
	"sieb/core/value"
	"sieb/core/violation"
	"sieb/core/workbook"
)

// Explanation is what was made of one row, step by step.
type Explanation struct {
	Row        int64          `json:"row"`
	Line       int64          `json:"line"`
	Fate       string         `json:"fate" enum:"accepted,rejected,excluded"`
	Reason     string         `json:"reason,omitempty" doc:"why it is excluded, or why nothing of it was judged"`
	Columns    []Explained    `json:"columns"`
	Rules      []Answer       `json:"rules,omitempty" doc:"row rules, and conditions that leave rows out"`
	References []Answer       `json:"references,omitempty" doc:"what the row refers to"`
	Violations []RowViolation `json:"violations" doc:"of the row as a whole, of several columns, and of cells that feed no column"`
}

// Explained is how the value of one column came about.
type Explained struct {
	Column     string         `json:"column"`
	Header     string         `json:"header,omitempty" doc:"of the delivery's column"`
	From       string         `json:"from,omitempty" doc:"what it is computed from, where no column of the delivery feeds it"`
	Delivered  *string        `json:"delivered,omitempty" doc:"the cell as delivered, or as computed; absent where there is none"`
	Steps      []CleaningStep `json:"steps,omitempty" doc:"what remedies made of it"`
	Datatype   string         `json:"datatype"`
	Means      string         `json:"means,omitempty" doc:"the column's description"`
	Value      *string        `json:"value" doc:"in canonical form, as an accepted row holds it; null for no value"`
	Demands    []string       `json:"demands,omitempty" doc:"the rules of the column"`
	Violations []RowViolation `json:"violations,omitempty"`
}

// CleaningStep is what a remedy made of a cell.
type CleaningStep struct {
	Remedy  string `json:"remedy"`
	Text    string `json:"text"`
	Changed bool   `json:"changed"`
}

// Answer is what a rule of several columns says of the row.
type Answer struct {
	Name   string `json:"name"`
	Asks   string `json:"asks" doc:"the condition, or the table"`
	Answer string `json:"answer" doc:"holds, does not hold, or not judged, with the reason"`
}

// RowViolation is a violation of the row.
type RowViolation struct {
	Code    violation.Code   `json:"code"`
	Action  violation.Action `json:"action"`
	Message string           `json:"message"`
}

// Explain says what was made of a row of the last block.
func (j *Judge) Explain(row int) *Explanation {
	k := row - j.from
	e := &Explanation{Row: j.batch.Number(row), Line: j.batch.Rows[row].Line, Fate: "accepted",
		Violations: []RowViolation{}}
	switch n := j.out.Excluded[row]; {
	case n > 0:
		e.Fate, e.Reason = "excluded", j.plan.reasons[n-1]
	case j.apart[k]:
		e.Fate, e.Reason = "rejected",
			"which cells belong to which columns is not certain, so that nothing more is judged"
	case j.out.Rejected[row]:
		e.Fate = "rejected"
	}
	for i := range j.lanes {
		e.Columns = append(e.Columns, j.explainColumn(&j.lanes[i], row))
	}
	j.explainRules(e, k)
	return e
}

// AddViolation adds a violation that was found in the row, where it belongs.
func (e *Explanation) AddViolation(p *Plan, ruling *Ruling, f *Found) {
	v := RowViolation{f.Code, f.Action, string(ruling.Message(f))}
	if f.Action.RejectsRow() && e.Fate == "accepted" {
		e.Fate = "rejected"
	}
	if f.Column >= 0 && f.key == nil && f.rule == nil {
		c := &e.Columns[f.Column]
		c.Violations = append(c.Violations, v)
		if isMistyped(f.Code) && f.Action != violation.Flag {
			c.Value = nil // what it is not is no value of the column; where it is only flagged it stands in the file
		}
		return
	}
	if name := p.ColumnName(f); name != "" && f.rule == nil {
		v.Message = name + ": " + v.Message
	}
	e.Violations = append(e.Violations, v)
}

func (j *Judge) explainColumn(l *lane, row int) Explained {
	c := Explained{Column: l.spec.Name, Datatype: l.spec.Datatype.String(), Means: l.spec.Description,
		Demands: demands(l.column)}
	switch {
	case l.derive != nil:
		c.From = l.spec.Derive
	case l.spec.Value != nil && *l.spec.Value == "":
		c.From = "no value, in every row"
	case l.spec.Value != nil:
		c.From = "the same value in every row"
	case l.cell >= 0:
		c.Header = j.plan.header[l.cell]
	default:
		c.From = "nothing: no column of the delivery feeds it"
	}
	if v := j.rawValue(row, l.cell); v.Kind == condition.Text {
		text := strings.ToValidUTF8(string(v.Text), "\uFFFD")
		c.Delivered = &text
		cell, kind := v.Text, kindIn(j.batch, row, l)
		if l.above >= 0 && l.isEmpty(cell) {
			cell, kind = j.batch.Above(l.above, row)
		}
		if l.chain != nil && !l.isNull(cell) {
			for i, step := range l.chain.Trace(cell, kind) {
				c.Steps = append(c.Steps, CleaningStep{l.spec.Remedies[i].Name, strings.ToValidUTF8(step.Text, "\uFFFD"),
					step.Changed || i == 0 && l.above >= 0 && l.isEmpty(v.Text)})
				cell = []byte(step.Text)
			}
		}
		if len(cell) > 0 && l.isNull(cell) {
			c.Steps = append(c.Steps, CleaningStep{"null", "", true})
		}
		if l.fallback != nil && l.isNull(cell) {
			c.Steps = append(c.Steps, CleaningStep{"default", string(l.fallback), true})
		}
	}
	if j.out.Excluded[row] > 0 || j.apart[row-j.from] {
		return c
	}
	if text := j.text(l, row-j.from); text != nil {
		shown := strings.ToValidUTF8(string(text), "\uFFFD")
		c.Value = &shown
	}
	return c
}

// demands says what a column demands of a value, in a few words each.
func demands(c *column) []string {
	all := c.spec.Demands()
	if len(c.spec.Formats) > 0 && !c.spec.Datatype.IsText() {
		all = append([]string{"written " + strings.Join(c.spec.Formats, " or ")}, all...)
	}
	if c.spec.Separator != "" {
		all = append(all, "a list with "+strconv.Quote(c.spec.Separator)+" between its values")
	}
	if c.spec.Zoned {
		all = append(all, "with a zone")
	}
	return all
}

func (j *Judge) explainRules(e *Explanation, k int) {
	if j.apart[k] && j.out.Excluded[j.from+k] == 0 {
		return
	}
	answer := func(x *expression) string {
		holds, isJudged := x.Holds(j.values(x, k+1), k)
		switch {
		case !isJudged:
			return "not judged, since a value is missing or wrong"
		case holds:
			return "holds"
		}
		return "does not hold"
	}
	for _, all := range [][]exclusion{j.plan.excludeCells, j.plan.excludeValues} {
		for i := range all {
			e.Rules = append(e.Rules, Answer{"left out: " + j.plan.reasons[all[i].number-1], all[i].Text,
				answer(&all[i].expression)})
		}
	}
	if j.apart[k] {
		return
	}
	for i := range j.plan.rules {
		r := &j.plan.rules[i]
		e.Rules = append(e.Rules, Answer{r.Name, r.Text, answer(&r.expression)})
	}
	for i := range j.plan.references {
		r := &j.plan.references[i]
		a := Answer{Name: r.key.Name, Asks: r.Reference.Name(), Answer: "not judged, since a value is missing or wrong"}
		if h := j.key(&r.key, k); h != (KeyHash{}) && !j.isBroken(&r.key, k) {
			a.Answer = "is not there"
			if r.keys.Has(h) {
				a.Answer = "is there"
			}
		}
		e.References = append(e.References, a)
	}
}

// kindIn returns the kind of the cell that feeds a column, as the judge takes it.
func kindIn(b *source.Batch, row int, l *lane) workbook.Kind {
	if l.spec.Datatype == value.String {
		return workbook.Text
	}
	return b.Kind(row, l.cell)
}

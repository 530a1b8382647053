package profile

import (
	"bytes"
	"cmp"
	"slices"

	"sieb/core/delimited"
	"sieb/core/lexical"
	"sieb/core/source"
	"sieb/core/value"
	"sieb/core/violation"
	"sieb/core/workbook"
)

// plan is what is settled before all rows are read, from a sample of them: how
// columns are read, how much of each is held, and which relations between
// columns are worth a look at every row. No verdict comes from the sample.
type plan struct {
	columns []columnPlan
	keys    [][]int // sets of columns whose rows are told apart; the first, nil, stands for all columns
	spills  []spill // of the keys
	checks  []relation
	rows    int64 // about so many
	ragged  bool  // rows leave out their last cells as a habit: what is missing is empty
	sparse  int   // so many filled cells and fewer make a row nearly empty
}

type columnPlan struct {
	typing  typing
	pins    []pin
	shapes  [][]byte
	most    int  // bytes that its table may take
	isWhole bool // whole numbers, plainly written
	isOver  bool // it will be over its limit, by all signs
}

// pin is a text that is counted in any case.
type pin struct {
	text  []byte // as held
	kind  workbook.Kind
	count int64
}

// Limits of a plan.
const (
	// windows is how many places of a delivery the sample is taken from.
	windows = 12
	// tableBytes is what all tables of one worker may take.
	tableBytes = 64 << 20
	// fewBytes is what a column of few values gets of it.
	fewBytes = 1 << 20
	maxPins  = 500
	maxKeys  = 8 // sets of columns, beside the whole row
)

// sample is some rows of a delivery.
type sample struct {
	rows    int
	short   int
	columns []sampleColumn
}

type sampleColumn struct {
	table table
	cells []int32 // for each row the ordinal of its text; -1 where it is empty
	forms forms
}

// add adds the rows of a batch that was split.
func (s *sample) add(b *source.Batch) {
	texts := make([]delimited.Span, len(b.Rows))
	skip := make([]bool, len(b.Rows))
	for _, d := range b.Defects {
		switch {
		case d.Code == violation.RowShort:
			s.short++ // from windows, too: what matters is whether it is a habit
		case d.Code == violation.RowLong:
			skip[d.Row] = true
		}
	}
	kept := 0
	for i := range b.Rows {
		if skip[i] = skip[i] || b.Rows[i].Broken; !skip[i] {
			kept++
		}
	}
	var space []byte
	for k := range s.columns {
		c := &s.columns[k]
		b.Gather(texts, k, 0)
		for i, at := range texts {
			if skip[i] {
				continue
			}
			if at.Start == at.End {
				c.cells = append(c.cells, -1)
				continue
			}
			kind := b.Kind(i, k)
			text := b.Arena[at.Start:at.End]
			hash := hashOf(text, kind)
			if len(text) > maxHeld {
				space = shorten(space, text, hash)
				text = space
			}
			n := c.table.find(hash, text, kind)
			if n >= 0 {
				c.table.entry(n).count++
			} else {
				n = c.table.add(hash, text, kind, 1, b.Number(i), b.Rows[i].Line)
			}
			c.cells = append(c.cells, int32(n))
		}
	}
	s.rows += kept
}

// takeSample reads the sample of a delivery, and tells about how many rows there
// are.
func takeSample(file *source.File, width int) (s *sample, rows int64, err error) {
	s = &sample{columns: make([]sampleColumn, width)}
	bytes := int64(0)
	err = file.Windows(windows, func(b *source.Batch) error {
		b.Split()
		s.add(b)
		bytes += int64(len(b.Arena))
		return nil
	})
	return s, int64(s.rows) * file.Size / max(1, bytes), err
}

// newPlan makes the plan for a delivery of which this is a sample, and which has
// about so many rows.
func newPlan(s *sample, rows int64) *plan {
	p := &plan{columns: make([]columnPlan, len(s.columns)), keys: [][]int{nil}}
	p.rows = rows
	p.ragged = 20*s.short > s.rows
	p.sparse = len(s.columns) / 8
	if len(s.columns) > 3 {
		p.sparse = max(p.sparse, 1)
	}
	all := make([]forms, len(s.columns))
	for k := range s.columns {
		s.columns[k].forms = formsOf(&s.columns[k].table)
		all[k] = s.columns[k].forms
	}
	h := hintsOf(all)
	p.share(s, rows)
	for k := range s.columns {
		c, col := &s.columns[k], &p.columns[k]
		col.typing = c.forms.conclude(h)
		col.isWhole = col.typing.datatype == value.Integer && col.typing.groupChar == "" && !col.isOver
		col.pin(&c.table)
	}
	p.findKeys(s)
	p.findRelations(s)
	p.spills = make([]spill, len(p.keys))
	return p
}

// formsOf looks at all texts of a table.
func formsOf(t *table) forms {
	f := forms{}
	var l look
	for e := range t.all() {
		text := t.text(e.entry)
		trimmed := lexical.Trim(start(text))
		if len(trimmed) == 0 || e.count == 0 {
			continue
		}
		if l = (look{}); !isLong(text) {
			l.read(trimmed, e.kind())
		}
		f.of(l.key).add(e.count, spot{e.row, e.line, text})
	}
	return f
}

// share gives each column its part of the memory: columns of few values a
// little, the others what is left.
func (p *plan) share(s *sample, rows int64) {
	few := func(c *sampleColumn) bool { return c.table.used < 2000 && 10*c.table.used < s.rows }
	many := 0
	for k := range s.columns {
		if !few(&s.columns[k]) {
			many++
		}
	}
	little := min(fewBytes, tableBytes/2/max(1, len(s.columns)))
	left := tableBytes - little*(len(s.columns)-many)
	for k := range s.columns {
		if p.columns[k].most = little; !few(&s.columns[k]) {
			p.columns[k].most = left / many
			// Of a column in which hardly a value recurs half the rows are
			// expected to differ.
			t := &s.columns[k].table
			p.columns[k].isOver = 4*t.used > 3*s.rows && rows/2*int64(entryBytes+t.bytes/max(1, t.used)) > int64(left/many)
		}
	}
}

// pin settles which texts and shapes are counted in any case: the most frequent
// of the sample, if they occur more than once in it.
func (c *columnPlan) pin(t *table) {
	for e := range t.all() {
		if e.count > 1 {
			c.pins = append(c.pins, pin{t.text(e.entry), e.kind(), e.count})
		}
	}
	slices.SortFunc(c.pins, func(a, b pin) int {
		return cmp.Or(cmp.Compare(b.count, a.count), bytes.Compare(a.text, b.text), cmp.Compare(a.kind, b.kind))
	})
	c.pins = c.pins[:min(len(c.pins), maxPins)]
	room := c.most / 4
	for i, p := range c.pins {
		if room -= entryBytes + len(p.text); room < 0 {
			c.pins = c.pins[:i]
			break
		}
	}
	shapes := newSums(&typing{}, nil)
	for e := range t.all() {
		if text := lexical.Trim(start(t.text(e.entry))); len(text) > 0 {
			shapes.addShape(text, e.count, spot{row: e.row, line: e.line})
		}
	}
	var all []pin
	for e := range shapes.shapes.all() {
		all = append(all, pin{text: shapes.shapes.text(e.entry), count: e.count})
	}
	slices.SortFunc(all, func(a, b pin) int { return cmp.Or(cmp.Compare(b.count, a.count), bytes.Compare(a.text, b.text)) })
	for _, p := range all[:min(len(all), 100)] {
		c.shapes = append(c.shapes, p.text)
	}
}

// findKeys chooses the sets of columns in which rows are told apart: those whose
// sample hardly repeats.
func (p *plan) findKeys(s *sample) {
	for k := range s.columns {
		c := &s.columns[k]
		filled := 0
		for _, n := range c.cells {
			if n >= 0 {
				filled++
			}
		}
		if len(p.keys) <= maxKeys && 2*filled > s.rows && 20*c.table.used >= 19*filled && !isMeasure(&p.columns[k].typing) {
			p.keys = append(p.keys, []int{k})
		}
	}
}

// isMeasure tells whether values are measured rather than given: they may be all
// different, but are no key.
func isMeasure(t *typing) bool { return t.datatype == value.Decimal || t.datatype == value.Double }

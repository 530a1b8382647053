package profile

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"math"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"

	"sieb/core/delimited"
	"sieb/core/distinct"
	"sieb/core/fault"
	"sieb/core/lexical"
	"sieb/core/relation"
	"sieb/core/source"
	"sieb/core/spill"
	"sieb/core/typing"
	"sieb/core/value"
	"sieb/core/violation"
	"sieb/core/workbook"
)

// plan is what is settled before all rows are read, from a sample of them: how
// columns are read, how much of each is held, and which relations between
// columns are worth a look at every row. No verdict comes from the sample.
type plan struct {
	columns   []columnPlan
	keys      []keyPlan     // sets of columns whose rows are told apart
	spills    []*spill.File // of the keys; made by openSpills
	relations []relation.Relation
	rows      int64    // about so many
	enough    float64  // share of the values that a datatype must cover
	names     []string // of the columns
	header    []string // the same, where the delivery names them
	ragged    bool     // rows leave out their last cells as a habit: what is missing is empty
	sparse    int      // so many filled cells and fewer make a row nearly empty
}

// keyPlan is columns whose rows are told apart.
type keyPlan struct {
	columns []int
	whole   bool // all of them: rows that are alike in all cells
	strict  bool // they may be a key, but not nearly one: texts differ by chance, too
}

type columnPlan struct {
	typing typing.Reading
	pins   []pin
	shapes [][]byte
	most   int // bytes that its table may take
	// afterward is what it may take, in bytes, once it has been over that: then it only
	// adds up what comes often, near the processor.
	afterward int
	dense     int64 // the number up to which whole numbers are counted in an array
	grain     grain
	isWhole   bool // whole numbers, plainly written
	isOver    bool // it will be over its limit, by all signs
	// isHashed tells that the hash of each cell is asked for, by a key or a relation.
	isHashed bool
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
	fewBytes      = 1 << 20
	maxAfterward  = 512 << 10
	maxPins       = 500
	maxKeys       = 8  // sets of columns
	maxKeyColumns = 14 // columns of which pairs and triples are tried
)

// sample is some rows of a delivery.
type sample struct {
	rows    int
	short   int
	names   []string // of the columns
	header  []string // the same, where the delivery has them
	columns []sampleColumn
}

type sampleColumn struct {
	table distinct.Table
	cells []int32 // for each row the ordinal of its text; -1 where it is empty
	forms typing.Forms
}

// add adds the rows of a batch that was split.
func (s *sample) add(ctx context.Context, b *source.Batch) {
	skip := make([]bool, len(b.Rows))
	for _, d := range b.Defects {
		switch {
		case d.Code == violation.RowShort:
			s.short++ // from windows, too: what matters is whether it is a habit
		case d.Code == violation.RowLong, d.Code == violation.RowMisplaced:
			skip[d.Row] = true
		}
	}
	kept := 0
	for i := range b.Rows {
		if skip[i] = skip[i] || b.Rows[i].Broken || IsHeader(b, i, s.header); !skip[i] {
			kept++
		}
	}
	each(ctx, len(s.columns), func(k int) { s.columns[k].add(b, k, skip) })
	s.rows += kept
}

// sparse returns how few filled cells make a row nearly empty: an eighth of the columns, or a quarter where few rows
// are so empty, and those are apart from all others, as sums are.
func (s *sample) sparse() int {
	columns := len(s.columns)
	least, most := columns/8, columns/4
	if columns > 3 {
		least = max(least, 1)
	}
	if most <= least {
		return least
	}
	sparse, between := 0, 0
	for row := range s.rows {
		filled := 0
		for k := range s.columns {
			if s.columns[k].cells[row] >= 0 {
				filled++
			}
		}
		switch {
		case filled <= most:
			sparse++
		case 2*filled < columns:
			between++
		}
	}
	if 5*sparse > s.rows || 100*between > s.rows {
		return least
	}
	return most
}

// related returns the columns as relations are looked for among them.
func (s *sample) related(p *plan) []relation.Column {
	all := make([]relation.Column, len(s.columns))
	for k := range s.columns {
		all[k] = relation.Column{Cells: s.columns[k].cells, Values: &s.columns[k].table, Reading: &p.columns[k].typing}
	}
	return all
}

// add adds a batch's cells of the column k, save those of rows to skip.
func (c *sampleColumn) add(b *source.Batch, k int, skip []bool) {
	texts := make([]delimited.Span, len(b.Rows))
	b.Gather(texts, k, 0)
	var space []byte
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
		hash := distinct.HashOf(text, kind)
		if len(text) > distinct.MaxHeld {
			space = distinct.Shorten(space, text, hash)
			text = space
		}
		n := c.table.Find(hash, text, kind)
		if n >= 0 {
			c.table.Entry(n).Count++
		} else {
			n = c.table.Add(hash, text, kind, 1, b.Number(i), b.Rows[i].Line)
		}
		c.cells = append(c.cells, int32(n))
	}
}

// each does something for each number below n, on all processors, until ctx ends.
// A panic in it goes on in the caller.
func each(ctx context.Context, n int, do func(k int)) {
	var done sync.WaitGroup
	var crash atomic.Pointer[fault.Crash]
	one := func(k int) (err error) {
		defer fault.Recover(&err, func() string { return "looking at a column" })
		do(k)
		return nil
	}
	var next atomic.Int64
	for range min(n, runtime.GOMAXPROCS(0)) {
		done.Go(func() {
			for k := int(next.Add(1)) - 1; k < n && ctx.Err() == nil; k = int(next.Add(1)) - 1 {
				var c *fault.Crash
				if errors.As(one(k), &c) {
					crash.Store(c)
					return
				}
			}
		})
	}
	done.Wait()
	if c := crash.Load(); c != nil {
		panic(c)
	}
}

// takeSample reads the sample of a delivery, and tells about how many rows there
// are.
func takeSample(ctx context.Context, file *source.File, header source.Header) (s *sample, rows int64, err error) {
	s = &sample{columns: make([]sampleColumn, len(header.Names))}
	s.names = header.Names
	if header.Named {
		s.header = header.Names
	}
	bytes := int64(0)
	err = file.Windows(ctx, windows, func(b *source.Batch) error {
		b.Split()
		s.add(ctx, b)
		bytes += int64(len(b.Arena))
		return nil
	})
	return s, int64(s.rows) * file.Size / max(1, bytes), err
}

// newPlan makes the plan for a delivery of which this is a sample, and which has
// about so many rows.
func newPlan(ctx context.Context, s *sample, rows int64, enough float64) *plan {
	p := &plan{columns: make([]columnPlan, len(s.columns)), rows: rows, enough: enough, names: s.names,
		header: s.header}
	p.ragged = 20*s.short > s.rows
	p.sparse = s.sparse()
	all := make([]typing.Forms, len(s.columns))
	each(ctx, len(s.columns), func(k int) {
		s.columns[k].forms = formsOf(&s.columns[k].table)
		all[k] = s.columns[k].forms
	})
	h := typing.HintsOf(all, p.enough)
	p.share(s, rows)
	each(ctx, len(s.columns), func(k int) {
		c, col := &s.columns[k], &p.columns[k]
		col.typing = typing.Conclude(c.forms, &c.table, c.table.Used, h)
		col.isWhole = col.typing.Datatype == value.Integer && col.typing.GroupChar == "" && !col.isOver
		col.pin(&c.table)
	})
	each(ctx, 2, func(k int) {
		if k == 0 {
			p.findKeys(ctx, s)
		} else {
			p.relations = relation.Find(ctx, s.related(p), s.rows)
		}
	})
	if !slices.ContainsFunc(p.keys, func(k keyPlan) bool { return s.isFilledKey(k.columns) }) {
		p.keys = append(p.keys, p.wholeRow())
	}
	for _, k := range p.keys {
		for _, column := range k.columns {
			p.columns[column].isHashed = true
		}
	}
	for _, r := range p.relations {
		for _, column := range r.Columns {
			p.columns[column].isHashed = p.columns[column].isHashed || r.IsHashed()
		}
	}
	return p
}

// wholeRow is the set of all columns.
func (p *plan) wholeRow() keyPlan {
	all := make([]int, len(p.columns))
	for k := range all {
		all[k] = k
	}
	return keyPlan{columns: all, whole: true}
}

// formsOf looks at all texts of a table.
func formsOf(t *distinct.Table) typing.Forms {
	f := typing.Forms{}
	var l typing.Look
	for e := range t.All() {
		text := t.Text(e.Entry)
		trimmed := lexical.Trim(distinct.Start(text))
		if len(trimmed) == 0 || e.Count == 0 {
			continue
		}
		if l = (typing.Look{}); !distinct.IsLong(text) {
			l.Read(trimmed, e.Kind())
		}
		form := f.Of(l.Key)
		form.Count += e.Count
		form.NoteLook(&l, distinct.Sighting{Row: e.Row, Line: e.Line, Text: text})
	}
	return f
}

// share gives each column its part of the memory: columns of few values a
// little, the others what is left.
func (p *plan) share(s *sample, rows int64) {
	few := func(c *sampleColumn) bool { return c.table.Used < 2000 && 10*c.table.Used < s.rows }
	many := 0
	for k := range s.columns {
		if !few(&s.columns[k]) {
			many++
		}
	}
	little := min(fewBytes, tableBytes/2/max(1, len(s.columns)))
	grain := grainOf(len(s.columns))
	left := tableBytes - little*(len(s.columns)-many)
	for k := range s.columns {
		share := min(maxAfterward, tableBytes/len(s.columns))
		p.columns[k].grain, p.columns[k].afterward, p.columns[k].dense = grain, share, int64(share/4)
		if p.columns[k].most = little; !few(&s.columns[k]) {
			p.columns[k].most = left / many
			// Of a column in which hardly a value recurs half the rows are
			// expected to differ.
			t := &s.columns[k].table
			p.columns[k].isOver = 4*t.Used > 3*s.rows && rows/2*int64(distinct.EntryBytes+t.Bytes/max(1,
				t.Used)) > int64(left/many)
		}
	}
}

// pin settles which texts and shapes are counted in any case: the most frequent
// of the sample, if they occur more than once in it.
func (c *columnPlan) pin(t *distinct.Table) {
	for e := range t.All() {
		if e.Count > 1 {
			c.pins = append(c.pins, pin{t.Text(e.Entry), e.Kind(), e.Count})
		}
	}
	slices.SortFunc(c.pins, func(a, b pin) int {
		return cmp.Or(cmp.Compare(b.count, a.count), bytes.Compare(a.text, b.text), cmp.Compare(a.kind, b.kind))
	})
	c.pins = c.pins[:min(len(c.pins), maxPins)]
	room := c.most / 4
	for i, p := range c.pins {
		if room -= distinct.EntryBytes + len(p.text); room < 0 {
			c.pins = c.pins[:i]
			break
		}
	}
	shapes := newSums(&typing.Reading{}, nil)
	for e := range t.All() {
		if text := lexical.Trim(distinct.Start(t.Text(e.Entry))); len(text) > 0 {
			shapes.addShape(text, e.Count, distinct.Sighting{Row: e.Row, Line: e.Line})
		}
	}
	var all []pin
	for e := range shapes.shapes.All() {
		all = append(all, pin{text: shapes.shapes.Text(e.Entry), count: e.Count})
	}
	slices.SortFunc(all, func(a, b pin) int {
		return cmp.Or(cmp.Compare(b.count, a.count),
			bytes.Compare(a.text, b.text))
	})
	for _, p := range all[:min(len(all), 100)] {
		c.shapes = append(c.shapes, p.text)
	}
}

// findKeys chooses the sets of columns in which rows are told apart: single ones
// that look like a key and hardly repeat in the sample; where none is without a
// repeat there, pairs and triples without one.
func (p *plan) findKeys(ctx context.Context, s *sample) {
	var given []int // columns that may be part of a key
	for k := range s.columns {
		if ctx.Err() != nil {
			return
		}
		c, t := &s.columns[k], &p.columns[k].typing
		filled := 0
		for _, n := range c.cells {
			if n >= 0 {
				filled++
			}
		}
		if 100*filled >= 99*s.rows && c.table.Used > 1 && c.table.Used < s.rows && !relation.IsMeasure(t) && !c.isProse() {
			given = append(given, k)
		}
		if len(p.keys) == maxKeys || 2*filled <= s.rows || 20*c.table.Used < 19*filled {
			continue
		}
		if c.isGiven(t) {
			p.keys = append(p.keys, keyPlan{columns: []int{k}})
		} else if t.Datatype == value.String && c.table.Used == filled && filled >= relation.EnoughRows && !c.isProse() {
			p.keys = append(p.keys, keyPlan{columns: []int{k}, strict: true})
		}
	}
	if len(p.keys) > 0 || s.rows < relation.EnoughRows {
		return
	}
	slices.SortStableFunc(given, func(a, b int) int {
		return cmp.Compare(s.columns[b].table.Used,
			s.columns[a].table.Used)
	})
	given = given[:min(len(given), maxKeyColumns)]
	slices.Sort(given)
	for size := 2; size <= 3; size++ {
		found := false
		combinations(given, size, func(columns []int) {
			if ctx.Err() == nil && len(p.keys) < maxKeys && s.isNoChance(columns) && s.isKey(columns, 2000) &&
				s.isKey(columns, s.rows) {
				p.keys = append(p.keys, keyPlan{columns: slices.Clone(columns)})
				found = true
			}
		})
		if found {
			return
		}
	}
}

// isNoChance reports whether columns without a relation would repeat in the sample:
// only then it says something that they do not.
func (s *sample) isNoChance(columns []int) bool {
	expected := float64(s.rows) * float64(s.rows-1) / 2
	for _, k := range columns {
		expected /= float64(s.columns[k].table.Used)
	}
	return expected >= 5
}

// combinations calls visit with each choice of so many of a list, in order.
func combinations(all []int, size int, visit func([]int)) {
	var choose func(from int, chosen []int)
	choose = func(from int, chosen []int) {
		if len(chosen) == size {
			visit(chosen)
			return
		}
		for i := from; i < len(all); i++ {
			choose(i+1, append(chosen, all[i]))
		}
	}
	choose(0, make([]int, 0, size))
}

// isKey reports whether the first rows of the sample differ in the columns.
func (s *sample) isKey(columns []int, rows int) bool {
	seen := make(map[[3]int32]struct{}, min(rows, s.rows))
	for row := range min(rows, s.rows) {
		var key [3]int32
		for i, k := range columns {
			key[i] = s.columns[k].cells[row]
		}
		if _, has := seen[key]; has {
			return false
		}
		seen[key] = struct{}{}
	}
	return true
}

// isFilledKey reports whether the rows of the sample differ in the columns, and none
// is empty there.
func (s *sample) isFilledKey(columns []int) bool {
	for _, k := range columns {
		if slices.Contains(s.columns[k].cells, -1) {
			return false
		}
	}
	return s.isKey(columns, s.rows)
}

// isGiven reports whether a column's values look given, as numbers and codes of
// records are, rather than measured or written: codes of one shape; whole numbers
// that ascend, or that lie close together.
func (c *sampleColumn) isGiven(t *typing.Reading) bool {
	switch t.Datatype {
	case value.Integer, value.Date, value.DateTime:
		values := relation.Column{Cells: c.cells, Values: &c.table, Reading: t}
		n := values.Numbers()
		up, steps := 0, 0
		least, most := int64(math.MaxInt64), int64(math.MinInt64)
		for i, ok := range n.OK {
			if !ok {
				continue
			}
			least, most = min(least, n.Values[i]), max(most, n.Values[i])
			if i > 0 && n.OK[i-1] {
				if steps++; n.Values[i] > n.Values[i-1] {
					up++
				}
			}
		}
		return 10*up > 9*steps || t.Datatype == value.Integer && (most-least)/1e6 < 2*int64(len(n.OK))
	case value.String:
		shapes := newSums(&typing.Reading{}, nil)
		for e := range c.table.All() {
			shapes.addShape(distinct.Start(c.table.Text(e.Entry)), e.Count, distinct.Sighting{Row: e.Row})
		}
		most, all := int64(0), int64(0)
		for e := range shapes.shapes.All() {
			most, all = max(most, e.Count), all+e.Count
		}
		return 10*most >= 8*all && !c.isProse()
	}
	return false
}

// isProse reports whether most texts of a column hold several words.
func (c *sampleColumn) isProse() bool {
	prose, all := 0, 0
	for e := range c.table.All() {
		if all++; bytes.Count(lexical.Trim(distinct.Start(c.table.Text(e.Entry))), []byte(" ")) > 1 {
			prose++
		}
	}
	return 2*prose > all
}

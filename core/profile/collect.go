package profile

import (
	"math"
	"slices"
	"strconv"

	"sieb/core/delimited"
	"sieb/core/distinct"
	"sieb/core/recall"
	"sieb/core/relation"
	"sieb/core/source"
	"sieb/core/typing"
	"sieb/core/value"
	"sieb/core/violation"
	"sieb/core/workbook"
)

// block is how many rows a collector takes at a time, column by column, so
// that what is known of one column stays near.
const block = 128

// column collects the texts of one column.
type column struct {
	table  distinct.Table
	pinned int // entries that are counted in any case
	over   bool
	empty  int64
	gaps   distinct.Sightings // the first empty cells
	sums   *sums              // of what was taken out of the table
	plan   *columnPlan
	memory recall.Memory[answer]
	strays strays
	dense  []uint32 // how often each small whole number occurs, beside what its entry counts
	space  []byte
}

// collector collects what the rows of some batches hold. Each worker has one.
type collector struct {
	plan    *plan
	columns []column
	rows    int64
	damaged int64   // rows whose cells cannot be attributed
	filled  []int64 // rows by the number of filled cells
	sparse  distinct.Sightings
	headers typing.FormCount // rows that repeat the header
	defects map[defectKey]*typing.FormCount
	keys    []prints
	related *relation.Checker

	texts   []delimited.Span
	touched uint64     // keeps the loading of what is not used yet from being left out
	missed  []uint32   // of the block's cells those that are not remembered
	hashes  [][]uint64 // of the block's cells, by column; only of columns whose plan asks for them
	sum     []uint64   // of the block's rows, in the columns of a key
	missing []bool     // rows of the block without a value in some column of a key
	void    []uint32   // empty cells of the block's rows
	damage  []bool     // rows of the batch
	batch   *source.Batch
	repeats []repeats // of the keys, once all is merged
	err     error
}

type defectKey struct {
	code   violation.Code
	column int // -1 for the row
}

func (p *plan) newCollector() *collector {
	width := len(p.columns)
	c := &collector{plan: p, columns: make([]column, width), filled: make([]int64, width+1),
		defects: map[defectKey]*typing.FormCount{},
		keys:    make([]prints, len(p.keys)), texts: make([]delimited.Span, block),
		sum: make([]uint64, block), missing: make([]bool, block), void: make([]uint32, block)}
	c.hashes = make([][]uint64, width)
	all := make([]uint64, width*block)
	for k := range c.columns {
		c.hashes[k], all = all[:block:block], all[block:]
		col := &c.columns[k]
		col.plan = &p.columns[k]
		for _, pin := range col.plan.pins {
			col.table.Add(distinct.HeldHash(pin.text, pin.kind), pin.text, pin.kind, 0, math.MaxInt64, 0)
		}
		col.pinned, col.table.Most = len(col.plan.pins), col.plan.most
		if k < recall.Most && !col.plan.isWhole {
			col.memory.Begin()
		}
		if col.plan.isOver {
			col.drain()
		}
	}
	for i := range c.keys {
		c.keys[i] = newPrints(p.spills[i], p.rows)
	}
	c.related = relation.NewChecker(p.relations, func(k int) *typing.Reading { return &p.columns[k].typing }, block)
	return c
}

// add collects a batch that was split.
func (c *collector) add(b *source.Batch) {
	before := c.rows
	c.begin(b)
	for from := 0; from < len(b.Rows) && c.err == nil; from += block {
		c.block(from, min(from+block, len(b.Rows)))
	}
	if before>>31 != c.rows>>31 {
		for k := range c.columns {
			c.columns[k].settle() // before a count of 32 bits is full
		}
	}
}

// addRows collects the fingerprints of a batch's rows and nothing else.
func (c *collector) addRows(b *source.Batch) {
	c.begin(b)
	for from := 0; from < len(b.Rows) && c.err == nil; from += block {
		n := min(block, len(b.Rows)-from)
		for k := range c.columns {
			hashes := c.hashes[k][:n]
			b.Gather(c.texts[:n], k, from)
			for i, s := range c.texts[:n] {
				if hashes[i] = relation.EmptyHash; s.Start < s.End {
					hashes[i] = distinct.HashOf(b.Arena[s.Start:s.End], b.Kind(from+i, k))
				}
			}
		}
		c.fingerprints(from, n)
	}
}

func (c *collector) begin(b *source.Batch) {
	c.batch = b
	c.rows += int64(len(b.Rows))
	c.noteDefects()
}

// noteDefects counts what is wrong with the batch's rows, and finds those whose
// cells cannot be attributed: a quote was left open, or the width is wrong.
func (c *collector) noteDefects() {
	b := c.batch
	c.damage = Damaged(c.damage, b, c.plan.ragged, c.plan.header)
	for _, d := range b.Defects {
		if d.Row < 0 {
			continue
		}
		k := defectKey{d.Code, d.Cell}
		if d.Cell < 0 || d.Cell >= len(c.columns) {
			k.column = -1
		}
		n := c.defects[k]
		if n == nil {
			n = &typing.FormCount{}
			c.defects[k] = n
		}
		at := distinct.Sighting{Row: b.Number(d.Row), Line: b.Rows[d.Row].Line}
		if d.Cell >= 0 && d.Cell < len(b.Cells(d.Row)) {
			at.Text = b.Text(b.Cells(d.Row)[d.Cell])
			at.Text = at.Text[:min(len(at.Text), distinct.MaxHeld)]
		}
		n.Count++
		n.Sightings.AddRow(at)
	}
}

// block collects the rows from one on, up to another.
func (c *collector) block(from, to int) {
	n := to - from
	apart := c.damage[from:to]
	isApart := slices.Contains(apart, true)
	clear(c.void[:n])
	for k := range c.columns {
		c.column(k, from, n, apart, isApart)
	}
	first := c.batch.FirstRow + int64(from)
	for i, void := range c.void[:n] {
		if isApart && apart[i] {
			c.damaged++
			if IsHeader(c.batch, from+i, c.plan.header) {
				c.headers.Count++
				c.headers.Sightings.AddRow(distinct.Sighting{Row: first + int64(i), Line: c.batch.Rows[from+i].Line})
			}
			continue
		}
		full := len(c.columns) - int(void)
		c.filled[full]++
		if full <= c.plan.sparse {
			c.sparse.AddRow(distinct.Sighting{Row: first + int64(i), Line: c.batch.Rows[from+i].Line})
			c.noteStrays(from + i)
		}
	}
	c.fingerprints(from, n)
	c.related.Block(&relation.Rows{Batch: c.batch, From: from, N: n, Hashes: c.hashes, Apart: apart})
}

// noteStrays notes the cells of a nearly empty row.
func (c *collector) noteStrays(row int) {
	cells := c.batch.Cells(row)
	for k := range c.columns {
		var text []byte
		if k < len(cells) {
			text = c.batch.Text(cells[k])
		}
		c.columns[k].strays.add(text)
	}
}

// column collects the block's cells of one column: those that are remembered
// at once, then the others, whose places in the table are loaded together.
func (c *collector) column(k, from, n int, apart []bool, isApart bool) {
	col := &c.columns[k]
	texts, hashes := c.texts[:n], c.hashes[k][:n]
	c.batch.Gather(texts, k, from)
	isTyped := c.batch.IsTyped()
	dense := col.plan.isWhole && !isTyped
	lane := c.related.Lane(k)
	if isApart || isTyped || dense || !col.memory.IsOn() {
		c.missed = col.hash(c, k, from, texts, hashes, apart, lane)
	} else {
		c.missed = col.recognise(c, from, texts, hashes, c.missed[:0])
	}
	c.touched ^= col.table.Touch(hashes, c.missed)
	for _, i := range c.missed {
		at := col.count(c.batch, k, from, int(i), texts[i], hashes[i], lane)
		switch {
		case at < 0:
		case dense:
			col.keepDense(col.table.Text(col.table.Entry(at)))
		default:
			s := texts[i]
			col.remember(c.batch.Arena[s.Start:s.End], c.batch.Kind(from+int(i), k), hashes[i], col.table.Entry(at))
		}
	}
	if col.memory.IsOn() && col.memory.Judge(n, len(c.missed), 3) {
		col.memory.All((*answer).settle)
		col.memory.End()
	}
}

// hash takes the hashes of the block's cells, and counts small whole numbers at once. It
// returns the others.
func (c *column) hash(all *collector, k, from int, texts []delimited.Span, hashes []uint64, apart []bool,
	lane *relation.Lane) (missed []uint32) {
	b := all.batch
	isTyped := b.IsTyped()
	dense := c.plan.isWhole && !isTyped
	kind := workbook.Text
	missed = all.missed[:0]
	for i, s := range texts {
		hashes[i] = relation.EmptyHash
		if apart[i] {
			continue
		}
		if s.Start == s.End {
			all.void[i]++
			c.noteEmpty(b, from+i)
			continue
		}
		text := b.Arena[s.Start:s.End]
		if isTyped {
			kind = b.Kind(from+i, k)
		}
		if dense {
			if n, ok := value.ShortInteger(text); ok {
				if lane != nil {
					lane.NoteWhole(i, n)
				}
				if n < int64(len(c.dense)) && c.dense[n] > 0 {
					if c.dense[n]++; c.plan.isHashed {
						hashes[i] = distinct.HashOf(text, kind)
					}
					continue
				}
			}
		}
		hashes[i] = distinct.HashOf(text, kind)
		missed = append(missed, uint32(i))
	}
	return missed
}

// count counts a cell in the table, and returns its place there; -1 where it is only added
// up, since the table is over its limit.
func (c *column) count(b *source.Batch, k, from, i int, s delimited.Span, hash uint64, lane *relation.Lane) int {
	text, kind := b.Arena[s.Start:s.End], b.Kind(from+i, k)
	if len(text) > distinct.MaxHeld {
		c.space = distinct.Shorten(c.space, text, hash)
		text = c.space
	}
	row, line := b.Number(from+i), b.Rows[from+i].Line
	t := &c.table
	at := t.Find(hash, text, kind)
	switch {
	case at >= 0 && t.Entry(at).Count > 0:
		t.Entry(at).Count++
	case at >= 0:
		t.Item(at).Note(1, row, line) // pinned, and met for the first time
	case c.plan.isOver:
		c.sums.sketch.InsertHash(hash)
		c.sums.add(distinct.Sighting{Row: row, Line: line, Text: text}, kind, 1)
		if lane != nil {
			lane.Note(i, &c.plan.typing, c.sums.quantity, c.sums.isMeasured)
		}
	default:
		if t.IsFull() {
			c.drain()
		}
		at = t.Add(hash, text, kind, 1, row, line)
	}
	return at
}

// recognise counts the texts that the memory has, and gives those that it has not.
func (c *column) recognise(all *collector, from int, texts []delimited.Span, hashes []uint64,
	missed []uint32) []uint32 {
	b := all.batch
	arena := b.Arena
	for i, s := range texts {
		size := s.End - s.Start
		if size == 0 {
			hashes[i] = relation.EmptyHash
			all.void[i]++
			c.noteEmpty(b, from+i)
			continue
		}
		text := arena[s.Start:s.End]
		if size <= value.MaxWords {
			head, tail := value.Words(text)
			if known := c.memory.Find(head, tail, size); known != nil {
				hashes[i] = known.hash
				known.count++
				continue
			}
		}
		hashes[i] = distinct.HashOf(text, workbook.Text)
		missed = append(missed, uint32(i))
	}
	return missed
}

func (c *column) noteEmpty(b *source.Batch, row int) {
	if c.empty++; len(c.gaps) < distinct.MaxSightings {
		c.gaps.AddRow(distinct.Sighting{Row: b.Number(row), Line: b.Rows[row].Line})
	}
}

// keepDense lets a small whole number, which is in the table, be counted in the
// array from now on, which is nearer than the table.
func (c *column) keepDense(text []byte) {
	n, ok := value.ShortInteger(text)
	if !ok || n >= c.plan.dense {
		return
	}
	if int(n) >= len(c.dense) {
		c.dense = append(c.dense, make([]uint32, max(64, int(n)+1, min(2*len(c.dense),
			int(c.plan.dense)))-len(c.dense))...)
	}
	if c.dense[n] == 0 {
		c.dense[n] = 1 // one more than has been counted
	}
}

// settle moves the counts of the array and of the memory to the table, and has the
// sums count all that they have seen.
func (c *column) settle() {
	c.memory.All((*answer).settle)
	if c.sums != nil {
		c.sums.settle()
	}
	var text []byte
	for n, count := range c.dense {
		if count > 1 {
			text = strconv.AppendInt(text[:0], int64(n), 10)
			c.table.Entry(c.table.Find(distinct.HashOf(text, workbook.Text), text, workbook.Text)).Count += int64(count) - 1
		}
	}
	clear(c.dense)
}

// drain takes all but the pinned texts out of the table and adds them up.
func (c *column) drain() {
	if c.sums == nil {
		c.sums = newSums(&c.plan.typing, c.plan.shapes)
		c.sums.spread.keepsBins, c.sums.spread.byDay, c.sums.spread.binBits = true, c.plan.typing.IsDate(),
			c.plan.grain.binBits()
		c.sums.sketch = c.plan.grain.newSketch()
	}
	c.settle()
	k := 0
	for e := range c.table.All() {
		if k++; k > c.pinned {
			c.addUp(e)
		}
	}
	c.table.Reset(c.pinned, c.table.PinnedBytes(c.pinned)+c.plan.afterward)
	c.memory.Forget()
	c.over = true
}

// addUp adds an entry to the sums.
func (c *column) addUp(e distinct.Item) {
	if e.Count == 0 {
		return
	}
	text := c.table.Text(e.Entry)
	if c.sums.sketch != nil {
		c.sums.sketch.InsertHash(distinct.HeldHash(text, e.Kind()))
	}
	c.sums.add(distinct.Sighting{Row: e.Row, Line: e.Line, Text: text}, e.Kind(), e.Count)
}

// fingerprints notes the fingerprints of the block's rows for each key.
func (c *collector) fingerprints(from, n int) {
	apart := c.damage[from : from+n]
	first := c.batch.FirstRow + int64(from)
	sum, missing := c.sum[:n], c.missing[:n]
	for k, key := range c.plan.keys {
		clear(sum)
		copy(missing, apart)
		for _, column := range key.columns {
			for i, h := range c.hashes[column][:n] {
				sum[i] = ((sum[i]<<5 | sum[i]>>59) ^ h) * 0x9E3779B97F4A7C15
				missing[i] = missing[i] || h == relation.EmptyHash && !key.whole
			}
		}
		for i, h := range sum {
			if missing[i] {
				continue
			}
			// The top bits choose the part: they must be as good as the others.
			if err := c.keys[k].add(h^h>>32, first+int64(i)); err != nil {
				c.err = err
				return
			}
		}
	}
}

// merge takes in what another collector has.
func (c *collector) merge(o *collector) {
	c.rows += o.rows
	c.damaged += o.damaged
	for i, n := range o.filled {
		c.filled[i] += n
	}
	c.sparse.MergeRows(o.sparse)
	c.headers.Count += o.headers.Count
	c.headers.Sightings.MergeRows(o.headers.Sightings)
	for k, n := range o.defects {
		if mine := c.defects[k]; mine != nil {
			mine.Count += n.Count
			mine.Sightings.MergeRows(n.Sightings)
		} else {
			c.defects[k] = n
		}
	}
	for i := range c.columns {
		c.columns[i].merge(&o.columns[i])
	}
	c.related.Merge(o.related)
}

func (c *column) merge(o *column) {
	c.empty += o.empty
	c.strays.merge(&o.strays)
	c.gaps.MergeRows(o.gaps)
	c.settle()
	o.settle()
	if c.over = c.over || o.over; c.over {
		// What is not pinned is added up on either side.
		c.drain()
		o.drain()
	}
	c.table.Merge(&o.table)
	if o.sums != nil {
		c.sums.merge(o.sums)
	}
	if !c.over && c.table.IsFull() {
		c.drain()
	}
}

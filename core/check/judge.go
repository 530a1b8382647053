package check

import (
	"cmp"
	"encoding/binary"
	"math/bits"
	"slices"

	"github.com/zeebo/xxh3"

	"sieb/core/condition"
	"sieb/core/delimited"
	"sieb/core/outcome"
	"sieb/core/recall"
	"sieb/core/remedy"
	"sieb/core/source"
	"sieb/core/value"
	"sieb/core/violation"
	"sieb/core/workbook"
)

// Judge checks rows. It goes through a block of rows column by column, so that
// one rule's code and what it remembers stay near, and notes where the
// canonical text of each cell lies.
type Judge struct {
	plan        *Plan
	lanes       []lane
	batch       *source.Batch
	block       outcome.Block // what was made of the rows at hand
	out         *Ruling
	from        int      // first row of the block
	apart       []bool   // rows of the block whose cells cannot be given to columns
	isPlain     []bool   // rows of the block in which no cell holds a comma, a quote or a line end
	spoilt      []cellAt // cells of the block that are not checked further, and are left empty
	asDelivered []cellAt // those that are not checked, and stay as they were delivered
	isSpecial   bool     // some row or cell of the block is apart or spoilt
	defect      int      // the next of the batch's defects
	sorted      []Found  // scratch of byRow
	most        int      // bytes that the batch may grow to by what is made of its cells

	atHand
	vars     []condition.Block // for each of the plan's expressions, what it reads
	breaches []Breach          // of the batch, in the order of rows
	expects  bool              // they were looked up
	pairs    pairing
	isSilent bool // what is found is noted without a text
}

// atHand is the state of the one cell that is being judged.
type atHand struct {
	row     int
	raw     []byte        // as delivered
	kind    workbook.Kind // of a workbook's cell
	carried []byte        // what stands above the cell, which is empty; nil for none
	changed uint64        // remedies that changed it
	grownBy string        // the remedy that makes too much of it
	blank   bool          // it is to be blanked
	isOdd   bool          // its canonical text takes quotes, or is empty
	isEntry bool          // it is an entry of a list
	isCoded bool          // a value of the list was given the form that it has in its code list

	isTrying, hasFailed bool // it is judged as it was before its remedies, and breaks a rule

	number  value.Number
	instant value.Instant
	subject subject // that breaks a rule
	scratch []byte
	coded   []byte // in its code list's form
	joined  []byte // the text that is put together for it
	listed  []byte // the list in canonical form
}

type cellAt struct{ row, cell int }

// Block is how many rows a judge takes at a time: few enough for their cells
// to stay in the processor's nearer caches, and fewer in a very wide table.
func (p *Plan) Block() int { return min(max(blockCells/max(1, len(p.columns)), 1), 128) }

const blockCells = 1 << 14

// lane is one column with what its judge needs beside it.
type lane struct {
	*column
	place   int
	memory  recall.Memory[answer]
	texts   []delimited.Span // of the block's cells in canonical form, in the batch's arena
	chain   *remedy.Chain
	known   map[string]bool   // answers of a pattern that is not simple
	hashes  []KeyHash         // of the block's cells, in a column that belongs to a key
	values  []condition.Value // of the block's cells, in a column that an expression reads
	broken  []bool            // those that break a rule of their own, in a column that refers to another table
	isTyped []bool            // those whose values a quick test has read
	wrong   []bool            // those that are not of the column's datatype
	blanked []bool            // those that were blanked, in a column that is added up
	told    *[toldOf]told     // what was said of texts that break a rule; nil before there is one
	met     map[string]bool   // texts that were met, in a column of which each allowed value must occur
}

// NewJudge makes a judge for one goroutine.
func (p *Plan) NewJudge() *Judge {
	block := p.Block()
	remembering := 0
	j := &Judge{plan: p, lanes: make([]lane, len(p.columns)), apart: make([]bool, block), isPlain: make([]bool, block)}
	j.block = outcome.Block{Texts: make([][]delimited.Span, len(p.columns)), Moved: make([]bool, block),
		Odd: make([]uint64, block), Damaged: make([]bool, block), Leading: p.leading}
	for _, x := range p.expressions {
		vars := make(condition.Block, len(x.at))
		for i := range vars {
			if x.Variables[i].Origin != condition.OfColumn {
				vars[i] = make([]condition.Value, block)
			}
		}
		j.vars = append(j.vars, vars)
	}
	for i := range j.lanes {
		c := &p.columns[i]
		l := &j.lanes[i]
		l.column, l.place = c, i
		l.texts = make([]delimited.Span, block)
		j.block.Texts[i] = l.texts
		if !c.hashed && !c.forgets() && remembering < recall.Most {
			remembering++
			l.memory.Begin()
		}
		if len(c.spec.Remedies) > 0 {
			l.chain = c.newChain()
		}
		if c.text != nil && !c.text.simple {
			l.known = map[string]bool{}
		}
		if c.hashed {
			l.hashes = make([]KeyHash, block)
		}
		if c.refers {
			l.broken = make([]bool, block)
		}
		if c.isRead {
			l.values, l.wrong, l.isTyped = make([]condition.Value, block), make([]bool, block), make([]bool, block)
		}
	}
	for _, c := range p.controls {
		if c.column >= 0 {
			j.lanes[c.column].blanked = make([]bool, block)
		}
	}
	for _, c := range p.complete {
		j.lanes[c.column].met = map[string]bool{}
	}
	return j
}

// Silent lets the judge note what it finds without the values and messages, for who only counts.
func (j *Judge) Silent() *Judge {
	j.isSilent = true
	return j
}

// Start begins a batch; what is found goes to out.
func (j *Judge) Start(b *source.Batch, out *Ruling) {
	j.batch, j.out, j.defect = b, out, 0
	j.block.Batch = b
	j.most = 4*len(b.Arena) + roomOfBatch
	out.Found, out.Keys, out.text, out.Refused = out.Found[:0], out.Keys[:0], out.text[:0], false
	out.Pairs, out.Refers = out.Pairs[:0], out.Refers[:0]
	j.breaches, j.expects = nil, false
	j.pairs.start()
	out.Rejected = append(out.Rejected[:0], make([]bool, len(b.Rows))...)
	out.Altered = append(out.Altered[:0], make([]bool, len(b.Rows))...)
	out.Excluded = append(out.Excluded[:0], make([]uint16, len(b.Rows))...)
	if out.Changed == nil {
		out.Changed, out.Spoilt = make([][]int64, len(j.plan.columns)), make([][]int64, len(j.plan.columns))
		for i := range out.Changed {
			out.Changed[i] = make([]int64, len(j.plan.Remedies(i)))
			out.Spoilt[i] = make([]int64, len(out.Changed[i]))
		}
		out.Unjudged = make([]int64, len(j.plan.rules))
		out.Sums = make([]Sum, len(j.plan.controls))
		out.Met = make([][]int, len(j.plan.complete))
		out.Ordered = make([]ordered, len(j.plan.ordered))
	}
	clear(out.Sums)
	for i := range out.Met {
		out.Met[i] = out.Met[i][:0]
	}
	for i, column := range j.plan.ordered {
		out.Ordered[i] = ordered{column: column, first: -1}
	}
	for i := range out.Changed {
		clear(out.Changed[i])
		clear(out.Spoilt[i])
	}
	clear(out.Unjudged)
	for i := range out.computed {
		out.computed[i].reset()
	}
}

// Expect tells the judge which rows of the batch that was begun break references to tables which
// memory does not hold, in the order of rows. Otherwise it lets all pass, and notes what they refer to.
func (j *Judge) Expect(breaches []Breach) { j.breaches, j.expects = breaches, true }

// Batch checks all rows of a batch, for who only wants what is found.
func (j *Judge) Batch(b *source.Batch, out *Ruling) {
	j.Start(b, out)
	for from := 0; from < len(b.Rows); from += j.plan.Block() {
		j.Rows(from, min(from+j.plan.Block(), len(b.Rows)))
	}
}

// Rows checks the rows from up to (not including) to, at most the plan's Block;
// the blocks of a batch come in order.
func (j *Judge) Rows(from, to int) {
	j.from = from
	block := to - from
	first := len(j.out.Found)
	clear(j.apart[:block])
	j.block.First = from
	clear(j.block.Damaged[:block])
	clear(j.block.Moved[:block])
	clear(j.block.Odd[:block])
	j.spoilt, j.asDelivered = j.spoilt[:0], j.asDelivered[:0]
	if j.plan.Refused {
		for row := from; row < to; row++ {
			j.out.Rejected[row] = true
		}
	}
	for k := range block {
		j.isPlain[k] = j.batch.IsPlain(from + k)
	}
	j.defects(to)
	j.exclude(j.plan.excludeCells, block)
	j.isSpecial = len(j.spoilt)+len(j.asDelivered) > 0 || slices.Contains(j.apart[:block], true)
	for _, i := range j.plan.order {
		l := &j.lanes[i]
		if l.hashed {
			clear(l.hashes)
		}
		clear(l.broken)
		clear(l.wrong)
		clear(l.isTyped)
		clear(l.blanked)
		j.fill(l, from, to)
		if l.isRead {
			j.read(l, block)
		}
	}
	j.exclude(j.plan.excludeValues, block)
	j.require(block)
	j.rowRules(block)
	j.refer(block)
	j.order(block)
	j.control(block)
	j.meet(block)
	if n := len(j.plan.Keys); n > 0 {
		for k := range block {
			if j.out.Excluded[from+k] > 0 {
				j.out.Keys = append(j.out.Keys, make([]KeyHash, n)...)
				continue
			}
			for i := range n {
				j.out.Keys = append(j.out.Keys, j.key(&j.plan.Keys[i], k))
			}
		}
	}
	j.noteKeys(block)
	j.settle(first)
}

// noteKeys notes the texts of keys that are computed, which no cell holds.
func (j *Judge) noteKeys(block int) {
	for i := range j.lanes {
		l := &j.lanes[i]
		if !l.hashed || l.cell >= 0 {
			continue
		}
		if j.out.computed == nil {
			j.out.computed = make([]texts, len(j.lanes))
		}
		t := &j.out.computed[i]
		for k := range block {
			t.add(j.text(l, k))
		}
	}
}

// settle puts what was found in a block in the order of rows, and takes away what was
// found in rows that are left out.
func (j *Judge) settle(first int) {
	found := j.out.Found[first:]
	if j.plan.excludes() {
		found = slices.DeleteFunc(found, func(f Found) bool { return j.out.Excluded[f.Row] > 0 })
		j.out.Found = j.out.Found[:first+len(found)]
	}
	for i := range found {
		j.out.Refused = j.out.Refused || found[i].Action == violation.Refuse
	}
	if !slices.IsSortedFunc(found, func(a, b Found) int { return cmp.Compare(a.Row, b.Row) }) {
		j.byRow(found)
	}
}

// byRow puts what was found column by column in the order of rows. Where a block is full of
// violations, counting them is much faster than to compare them.
func (j *Judge) byRow(found []Found) {
	places := make([]int, j.plan.Block()+1)
	for i := range found {
		places[found[i].Row-j.from+1]++
	}
	for k := 1; k < len(places); k++ {
		places[k] += places[k-1]
	}
	j.sorted = append(j.sorted[:0], found...)
	for i := range j.sorted {
		f := &j.sorted[i]
		found[places[f.Row-j.from]] = *f
		places[f.Row-j.from]++
	}
}

// fill checks the cells of one column, from where they come, and notes their texts.
func (j *Judge) fill(l *lane, from, to int) {
	switch {
	case l.derive != nil:
		j.derive(l, from, to)
	case l.spec.Value != nil:
		j.constant(l, from, to)
	case l.cell >= 0:
		j.column(l, from, to)
	case l.spec.Default != "":
		for k := range to - from {
			l.texts[k] = delimited.Span{}
			if !j.apart[k] {
				l.texts[k] = j.judge(l, from+k, delimited.Span{}, nil, false)
			}
		}
	}
}

// column checks the cells of one column and notes their texts.
func (j *Judge) column(l *lane, from, to int) {
	texts := l.texts[:to-from]
	j.batch.Gather(texts, l.cell, from)
	moved, odd := j.block.Moved, j.block.Odd
	special, missed := j.isSpecial, 0
	typed := j.batch.IsTyped() && l.spec.Datatype != value.String
	for k, s := range texts {
		if special && (j.apart[k] || slices.Contains(j.spoilt, cellAt{from + k, l.cell})) {
			texts[k], moved[k] = delimited.Span{}, true
			continue
		}
		raw := j.batch.Arena[s.Start:s.End]
		if special && slices.Contains(j.asDelivered, cellAt{from + k, l.cell}) {
			j.row, j.raw, j.changed = from+k, raw, 0
			if texts[k] = (delimited.Span{}); len(raw) > 0 {
				j.isOdd = false
				texts[k], _ = j.made(l, j.canonical(raw))
				if j.isOdd {
					odd[k] |= l.bit()
				}
			}
			moved[k] = true
			if l.isRead {
				l.wrong[k] = true
			}
			continue
		}
		if l.above >= 0 && l.isEmpty(raw) {
			j.carried, j.kind = j.batch.Above(l.above, from+k)
			texts[k], moved[k] = j.judge(l, from+k, s, raw, false), true
			j.carried = nil
			continue
		}
		if typed {
			// What is remembered are texts; here the same text may be a number
			// or the writing of one.
			j.kind = j.batch.Kind(from+k, l.cell)
			texts[k], moved[k] = j.judge(l, from+k, s, raw, false), true
			continue
		}
		if !l.memory.IsOn() || len(raw) > recall.Longest {
			missed++
			if l.quick != nil {
				if n, isClean := l.quick(raw, j.isPlain[k]); isClean {
					if l.hashed {
						l.hashes[k] = xxh3.Hash128(raw)
					}
					if l.isRead && l.spec.Datatype == value.Integer {
						l.isTyped[k] = true
						l.values[k].SetWhole(n)
					}
					continue
				}
			}
			texts[k] = j.judge(l, from+k, s, raw, false)
			moved[k] = moved[k] || texts[k] != s
			continue
		}
		head, tail := value.Words(raw)
		known := l.memory.Find(head, tail, uint32(len(raw)))
		if known == nil || known.changed != 0 && known.batch != j.pairs.batch {
			if known == nil {
				missed++
				if l.quick != nil && !l.hashed && !l.isRead {
					if _, isClean := l.quick(raw, j.isPlain[k]); isClean {
						j.changed, j.isOdd = 0, false
						j.remember(l, raw, raw)
						continue
					}
				}
			}
			texts[k] = j.judge(l, from+k, s, raw, true)
			moved[k] = moved[k] || texts[k] != s
			continue
		}
		if known.isOdd {
			odd[k] |= l.bit()
		}
		if known.isSame {
			continue
		}
		j.row, j.raw, j.changed = from+k, raw, 0
		if moved[k] = true; known.isEmpty {
			texts[k] = outcome.Empty
		} else {
			texts[k], _ = j.made(l, known.out[:known.outLength])
		}
		if known.changed != 0 {
			j.count(l.place, known.changed)
			j.again(known.pairs)
		}
	}
	if l.memory.IsOn() && l.memory.Judge(len(texts), missed, 2) {
		l.memory.End()
	}
}

// judge checks one cell, of the kind at hand, and remembers the answer where that is asked
// for and the cell is clean.
func (j *Judge) judge(l *lane, row int, s delimited.Span, raw []byte, remember bool) delimited.Span {
	j.row, j.blank, j.isOdd = row, false, false
	found, kind := len(j.out.Found), j.kind
	out := j.cell(l, raw)
	if cleaned := j.changed & (1<<len(l.spec.Remedies) - 1); cleaned != 0 && len(j.out.Found) > found {
		out = j.blame(l, raw, out, kind, bits.Len64(cleaned)-1)
	}
	j.kind = workbook.Text
	if j.blank {
		if l.hashed {
			l.hashes[row-j.from] = KeyHash{}
		}
		if l.isRead {
			l.wrong[row-j.from] = false
		}
		if l.blanked != nil {
			l.blanked[row-j.from] = true
		}
		return delimited.Span{}
	}
	if remember && len(j.out.Found) == found {
		j.remember(l, raw, out)
	}
	if j.isOdd {
		j.block.Odd[row-j.from] |= l.bit()
	}
	switch {
	case isEmptyText(out):
		return outcome.Empty
	case string(out) == string(raw):
		return s
	}
	s, _ = j.made(l, out)
	return s
}

// roomOfBatch is how many bytes may be made of the cells of a batch, beside four times its own:
// places in a batch have 32 bits, and several batches are in hand at once. Plan.Rows sees to it that
// a batch has not so many rows that what targets usually make of them comes near.
const roomOfBatch = 64 << 20

// fits reports whether so many bytes may be added to the batch.
func (j *Judge) fits(bytes int) bool { return len(j.batch.Arena)+bytes <= j.most }

// made adds what was made of the cell at hand to the batch; where it does not fit in, that is
// reported, and the cell is empty.
func (j *Judge) made(l *lane, text []byte) (s delimited.Span, fits bool) {
	if !j.fits(len(text)) {
		j.failGrown(l, "")
		return s, false
	}
	return j.put(text), true
}

// blame counts a cell that breaks a rule, where it was right before its remedies, at the last
// remedy that changed it. It returns the cell's canonical text, which is made anew.
func (j *Judge) blame(l *lane, raw, out []byte, kind workbook.Kind, last int) []byte {
	if out != nil {
		out = append([]byte{}, out...)
	}
	before := j.atHand
	var hash KeyHash
	if l.hashed {
		hash = l.hashes[j.row-j.from]
	}
	j.isTrying, j.hasFailed, j.kind, j.scratch = true, false, kind, nil
	switch {
	case !l.isNull(raw):
		j.rules(l, raw)
	case l.spec.Required:
		j.hasFailed = true
	}
	if !j.hasFailed {
		j.out.Spoilt[l.place][last]++
	}
	if j.atHand = before; l.hashed {
		l.hashes[j.row-j.from] = hash
	}
	return out
}

// put adds a text to the batch's arena.
func (j *Judge) put(text []byte) delimited.Span {
	start := len(j.batch.Arena)
	j.batch.Arena = append(j.batch.Arena, text...)
	return delimited.Span{Start: uint32(start), End: uint32(len(j.batch.Arena))}
}

// bit is the column's in a block's Odd.
func (l *lane) bit() uint64 { return 1 << (l.place & 63) }

// Block returns the rows that were judged last. It is valid until the next are.
func (j *Judge) Block() *outcome.Block { return &j.block }

// text returns the canonical text of a column's cell in a row of the block; nil for no value.
func (j *Judge) text(l *lane, k int) []byte { return outcome.Text(j.batch, l.texts[k]) }

// wholeRow returns a hash of all values of a row.
func (j *Judge) wholeRow(row int) KeyHash {
	j.scratch = j.scratch[:0]
	for i := range j.lanes {
		text := j.text(&j.lanes[i], row)
		if text == nil {
			j.scratch = append(j.scratch, 0)
			continue
		}
		j.scratch = append(binary.AppendUvarint(j.scratch, uint64(len(text))+1), text...)
	}
	return xxh3.Hash128(j.scratch)
}

// key joins the hashes of a key's columns.
func (j *Judge) key(k *Key, row int) KeyHash {
	if k.Columns == nil {
		// A row that is rejected repeats none.
		if j.out.Rejected[j.from+row] || j.apart[row] {
			return KeyHash{}
		}
		return j.wholeRow(row)
	}
	if len(k.Columns) == 1 {
		return j.lanes[k.Columns[0]].hashes[row]
	}
	j.scratch = j.scratch[:0]
	for _, c := range k.Columns {
		h := j.lanes[c].hashes[row]
		if h == (KeyHash{}) {
			return h
		}
		b := h.Bytes()
		j.scratch = append(j.scratch, b[:]...)
	}
	return xxh3.Hash128(j.scratch)
}

package check

import (
	"bytes"
	"cmp"
	"slices"
	"unicode/utf8"
	"unsafe"

	"github.com/zeebo/xxh3"

	"sieb/core/delimited"
	"sieb/core/remedy"
	"sieb/core/rfc4180"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/value"
	"sieb/core/violation"
	"sieb/core/workbook"
)

// KeyHash stands for the values of a key in one row: 128 bits, so that no two
// keys of any delivery share one. The zero KeyHash stands for a key that takes
// no part, because a value is missing or wrong.
type KeyHash = xxh3.Uint128

// Found is a violation in a row of a batch.
type Found struct {
	Row    int // index in the batch
	Cell   int // place in the delivery's row, -1 where the whole row is meant
	Column int // column of the target, -1 where the cell feeds none
	Code   violation.Code
	Action violation.Action

	key                 *Key   // of several columns
	value, message, end uint32 // in the ruling's text
}

// Ruling is what a judge found in one batch. It is reused from batch to batch.
type Ruling struct {
	Found    []Found   // in the order of rows
	Rejected []bool    // for each row
	Keys     []KeyHash // for each row the hash of each of the plan's keys
	Changed  [][]int64 // for each column and remedy the cells that it changed
	Refused  bool      // a violation refuses the delivery

	text []byte
}

// Judge checks rows. It goes through a block of rows column by column, so that
// one rule's code and what it remembers stay near, and notes where the
// canonical text of each cell lies.
type Judge struct {
	plan      *Plan
	lanes     []lane
	batch     *source.Batch
	out       *Ruling
	from      int           // first row of the block
	apart     []bool        // rows of the block whose cells cannot be given to columns
	damage    []bool        // rows of the block that are kept with invalid bytes
	spoilt    []spot        // cells of the block that are not checked further, and are left empty
	kept      []spot        // those that are not checked, and stay as they were delivered
	kind      workbook.Kind // of the cell that is being checked
	isSpecial bool          // some row or cell of the block is apart or spoilt
	defect    int           // the next of the batch's defects

	row     int    // at hand
	raw     []byte // the cell at hand as delivered
	number  value.Number
	scratch []byte
	changed uint64 // remedies that changed the cell at hand
	blank   bool   // the cell at hand is to be blanked
}

type spot struct{ row, cell int }

// Block is how many rows a judge takes at a time: few enough for their cells
// to stay in the processor's nearer caches, and fewer in a very wide table.
func (p *Plan) Block() int { return min(max(blockCells/max(1, len(p.columns)), 1), 128) }

const blockCells = 1 << 14

// lane is one column with what its judge needs beside it.
type lane struct {
	*column
	place  int
	memory memory
	texts  []delimited.Span // of the block's cells in canonical form, in the batch's arena
	chain  *remedy.Chain
	known  map[string]bool // answers of a pattern that is not simple
	hashes []KeyHash       // of the block's cells, in a column that belongs to a key
}

// NewJudge makes a judge for one goroutine.
func (p *Plan) NewJudge() *Judge {
	block := p.Block()
	remembering := 0
	j := &Judge{plan: p, lanes: make([]lane, len(p.columns)),
		apart: make([]bool, block), damage: make([]bool, block)}
	for i := range j.lanes {
		c := &p.columns[i]
		l := &j.lanes[i]
		l.column, l.place = c, i
		l.texts = make([]delimited.Span, block)
		if !c.hashed && !c.forgets() && remembering < maxLanes {
			remembering++
			l.memory.isOn, l.memory.answers = true, new([1 << placeBits]answer)
		}
		if len(c.spec.Remedies) > 0 {
			l.chain = remedy.NewChain(c.spec.Remedies, c.isNull)
		}
		if c.text != nil && !c.text.simple {
			l.known = map[string]bool{}
		}
		if c.hashed {
			l.hashes = make([]KeyHash, block)
		}
	}
	return j
}

// Start begins a batch; what is found goes to out.
func (j *Judge) Start(b *source.Batch, out *Ruling) {
	j.batch, j.out, j.defect = b, out, 0
	out.Found, out.Keys, out.text, out.Refused = out.Found[:0], out.Keys[:0], out.text[:0], false
	out.Rejected = append(out.Rejected[:0], make([]bool, len(b.Rows))...)
	if out.Changed == nil {
		out.Changed = make([][]int64, len(j.plan.columns))
		for i := range out.Changed {
			out.Changed[i] = make([]int64, len(j.plan.columns[i].spec.Remedies))
		}
	}
	for i := range out.Changed {
		clear(out.Changed[i])
	}
}

// Rows checks the rows from up to (not including) to, at most the plan's Block;
// the blocks of a batch come in order.
func (j *Judge) Rows(from, to int) {
	j.from = from
	block := to - from
	first := len(j.out.Found)
	clear(j.apart[:block])
	clear(j.damage[:block])
	j.spoilt, j.kept = j.spoilt[:0], j.kept[:0]
	if j.plan.Refused {
		for row := from; row < to; row++ {
			j.out.Rejected[row] = true
		}
	}
	j.defects(to)
	j.isSpecial = len(j.spoilt)+len(j.kept) > 0 || slices.Contains(j.apart[:block], true)
	for i := range j.lanes {
		l := &j.lanes[i]
		if l.hashed {
			clear(l.hashes)
		}
		if l.cell >= 0 {
			j.column(l, from, to)
		}
	}
	if n := len(j.plan.Keys); n > 0 {
		for k := range block {
			for i := range n {
				j.out.Keys = append(j.out.Keys, j.key(&j.plan.Keys[i], k))
			}
		}
	}
	if found := j.out.Found[first:]; len(found) > 1 {
		slices.SortStableFunc(found, func(a, b Found) int { return cmp.Compare(a.Row, b.Row) })
	}
}

// column checks the cells of one column and notes their texts.
func (j *Judge) column(l *lane, from, to int) {
	texts := l.texts[:to-from]
	j.batch.Gather(texts, l.cell, from)
	special := j.isSpecial
	typed := j.batch.IsTyped() && l.spec.Datatype != value.String
	for k, s := range texts {
		if special && (j.apart[k] || slices.Contains(j.spoilt, spot{from + k, l.cell})) {
			texts[k] = delimited.Span{}
			continue
		}
		raw := j.batch.Arena[s.Start:s.End]
		if special && slices.Contains(j.kept, spot{from + k, l.cell}) {
			texts[k] = j.put(j.quoted(raw))
			continue
		}
		if typed {
			// What is remembered are texts; here the same text may be a number
			// or the writing of one.
			j.kind = j.batch.Kind(from+k, l.cell)
			texts[k] = j.judge(l, from+k, s, raw, nil)
			j.kind = workbook.Text
			continue
		}
		if !l.memory.isOn || len(raw) > maxKnown {
			if l.quick != nil && l.quick(raw) {
				if l.hashed {
					l.hashes[k] = xxh3.Hash128(raw)
				}
				continue
			}
			texts[k] = j.judge(l, from+k, s, raw, nil)
			continue
		}
		head, tail := value.Words(raw)
		known := &l.memory.answers[place(head, tail, len(raw))]
		if known.head != head || known.tail != tail || int(known.length) != len(raw) || !known.isKnown {
			texts[k] = j.judge(l, from+k, s, raw, known)
			continue
		}
		l.memory.hits++
		if known.isSame {
			continue
		}
		texts[k] = j.put(known.out[:known.outLength])
		if known.changed != 0 {
			j.count(l.place, known.changed)
		}
	}
	l.memory.asked += len(texts)
	l.memory.judge()
}

// judge checks one cell, and keeps the answer where it is clean.
func (j *Judge) judge(l *lane, row int, s delimited.Span, raw []byte, keep *answer) delimited.Span {
	j.row, j.blank = row, false
	found := len(j.out.Found)
	out := j.cell(l, raw)
	if j.blank {
		if l.hashed {
			l.hashes[row-j.from] = KeyHash{}
		}
		return delimited.Span{}
	}
	if keep != nil && len(j.out.Found) == found {
		keep.keep(raw, out, j.changed)
	}
	if string(out) == string(raw) {
		return s
	}
	return j.put(out)
}

// put adds a text to the batch's arena.
func (j *Judge) put(text []byte) delimited.Span {
	start := len(j.batch.Arena)
	j.batch.Arena = append(j.batch.Arena, text...)
	return delimited.Span{Start: uint32(start), End: uint32(len(j.batch.Arena))}
}

// AppendRow appends a row of the last block in canonical form, as RFC 4180
// with the target's columns.
func (j *Judge) AppendRow(dst []byte, row int) []byte {
	const short = 32
	n := len(j.lanes)
	k := row - j.from
	start := len(dst)
	arena := j.batch.Arena
	roomy := arena[:cap(arena)]
	for i := 0; i < n; {
		// Cells that lie behind one another with a comma between them, as in
		// a delivery that needs no change, go in one piece.
		s := j.lanes[i].texts[k]
		for i++; i < n; i++ {
			next := j.lanes[i].texts[k]
			if next.Start != s.End+1 || arena[s.End] != ',' {
				break
			}
			s.End = next.End
		}
		from, size, end := int(s.Start), int(s.End-s.Start), len(dst)
		if size <= short && from+short <= len(roomy) && end+short < cap(dst) {
			// A copy of fixed length takes a few instructions, without a call.
			dst = dst[:end+short]
			*(*[short]byte)(dst[end:]) = *(*[short]byte)(roomy[from:])
			dst = dst[:end+size]
		} else {
			dst = append(dst, arena[s.Start:s.End]...)
		}
		if i < n {
			dst = append(dst, ',')
		}
	}
	// A lone null is a blank line, as PostgreSQL's COPY reads and writes it; a text
	// without characters is two quotes.
	dst = append(dst, '\n')
	if j.damage[k] {
		dst = append(dst[:start], bytes.ToValidUTF8(dst[start:], []byte("\uFFFD"))...)
	}
	return dst
}

// key joins the hashes of a key's columns.
func (j *Judge) key(k *Key, row int) KeyHash {
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

// defects reports what was wrong with the rows before to as they were read.
// Where a row's cells cannot be given to columns, it is not checked further:
// that would only make noise.
func (j *Judge) defects(to int) {
	all := j.batch.Defects
	for ; j.defect < len(all) && all[j.defect].Row < to; j.defect++ {
		d := &all[j.defect]
		j.row = d.Row
		column := -1
		if d.Cell >= 0 && d.Cell < len(j.plan.cells) {
			column = j.plan.cells[d.Cell]
		}
		if !j.matters(d, column) {
			continue
		}
		action := j.report(d.Cell, column, d.Code, nil, d)
		switch d.Code {
		case violation.RowShort, violation.RowLong, violation.RowMisplaced, violation.QuoteOpen:
			j.apart[d.Row-j.from] = true
			j.out.Rejected[d.Row] = true
		case violation.EncodingInvalid, violation.QuoteTail:
			if action == violation.Flag {
				j.damage[d.Row-j.from] = true // kept as it is, as far as UTF-8 can hold it
			} else {
				j.spoilt = append(j.spoilt, spot{d.Row, d.Cell})
			}
		case violation.TypeError:
			if action == violation.Flag {
				j.kept = append(j.kept, spot{d.Row, d.Cell})
			} else {
				j.spoilt = append(j.spoilt, spot{d.Row, d.Cell})
			}
		}
	}
}

// matters reports whether a column minds how a workbook stores a cell: an error
// may be declared to stand for no value, and a text that is a number or a date
// is as it should be in a column of texts.
func (j *Judge) matters(d *source.Defect, column int) bool {
	if column < 0 {
		return true
	}
	c := &j.plan.columns[column]
	switch isText := c.spec.Datatype == value.String; d.Code {
	case violation.TypeError:
		return !c.isNull(j.batch.Text(j.batch.Cells(d.Row)[d.Cell]))
	case violation.NumberText:
		return j.plan.plain || !isText && len(c.dates) == 0
	case violation.DateText:
		return j.plan.plain || !isText && len(c.dates) > 0
	}
	return true
}

func (c *column) isNull(cell []byte) bool {
	if len(cell) > c.longestNull {
		return false
	}
	for _, n := range c.nulls {
		if string(n) == string(cell) {
			return true
		}
	}
	return false
}

// count adds up what the remedies of a column changed in one cell.
func (j *Judge) count(i int, changed uint64) {
	for k := range j.out.Changed[i] {
		j.out.Changed[i][k] += int64(changed >> k & 1)
	}
}

// cell checks one cell of a column and gives its canonical form as it stands
// in RFC 4180 text; it is valid until the next cell.
func (j *Judge) cell(c *lane, raw []byte) []byte {
	cell := raw
	j.raw, j.changed = raw, 0
	null := c.isNull(cell)
	if !null && c.chain != nil {
		if cell, j.changed = c.chain.Apply(cell); j.changed != 0 {
			j.count(c.place, j.changed)
			null = c.isNull(cell)
			j.kind = workbook.Text
		}
	}
	if null {
		if c.spec.Required {
			j.fail(c, violation.RequiredEmpty, raw)
		}
		return nil
	}
	// Blanks of any script are no value: a no-break space for one.
	if c.spec.Required && (len(cell) == 0 || cell[0] <= ' ' || cell[0] >= utf8.RuneSelf) &&
		len(bytes.TrimSpace(cell)) == 0 {
		j.fail(c, violation.RequiredEmpty, raw)
		return nil
	}
	switch c.spec.Datatype {
	case value.String:
		return j.string(c, cell)
	case value.Integer, value.Decimal:
		return j.decimal(c, cell)
	case value.Date, value.DateTime:
		return j.date(c, cell)
	case value.Double:
		return j.double(c, cell)
	}
	return j.boolean(c, cell)
}

// quoted returns a text as a cell of RFC 4180.
func (j *Judge) quoted(cell []byte) []byte {
	if rfc4180.IsPlain(cell) {
		return cell
	}
	j.scratch = rfc4180.AppendCell(j.scratch[:0], cell)
	return j.scratch
}

func (j *Judge) string(c *lane, cell []byte) []byte {
	s := c.spec
	if s.MaxLength != nil && len(cell) > *s.MaxLength && utf8.RuneCount(cell) > *s.MaxLength {
		j.fail(c, violation.TextLong, cell)
	}
	if s.MinLength != nil && (len(cell) < *s.MinLength || utf8.RuneCount(cell) < *s.MinLength) {
		j.fail(c, violation.TextShort, cell)
	}
	if c.text != nil && !c.text.matches(cell, c.known) {
		j.fail(c, violation.TextFormat, cell)
	}
	if c.oneOf != nil && !c.oneOf[string(cell)] {
		j.fail(c, violation.ValueUnknown, cell)
	}
	if c.hashed {
		j.hash(c, cell)
	}
	if len(cell) == 0 {
		return emptyText
	}
	return j.quoted(cell)
}

// emptyText is a text without characters, which is not null.
var emptyText = []byte(`""`)

// hash notes the hash of a cell that belongs to a key.
func (j *Judge) hash(c *lane, text []byte) { c.hashes[j.row-j.from] = xxh3.Hash128(text) }

func (j *Judge) decimal(c *lane, cell []byte) []byte {
	n := &j.number
	integer := c.spec.Datatype == value.Integer
	if !j.numberFormat(c).Parse(cell, n) || integer && !n.IsWhole() {
		code := violation.TypeDecimal
		if integer {
			code = violation.TypeInteger
		}
		j.fail(c, code, cell)
		return j.quoted(cell)
	}
	fits := true
	if c.whole >= 0 && n.IntegerDigits() > c.whole {
		j.fail(c, violation.NumberPrecision, cell)
		fits = false
	}
	if c.frac >= 0 && n.FractionDigits() > c.frac {
		j.fail(c, violation.NumberScale, cell)
		fits = false
	}
	if c.min != nil && n.Less(&c.min.Number) {
		j.fail(c, violation.RangeLow, cell)
	}
	if c.max != nil && c.max.Number.Less(n) {
		j.fail(c, violation.RangeHigh, cell)
	}
	if c.set != nil && !slices.ContainsFunc(c.set, func(l target.Literal) bool { return n.Compare(&l.Number) == 0 }) {
		j.fail(c, violation.ValueUnknown, cell)
	}
	if c.frac >= 0 && fits {
		n.CutZeros(c.frac)
	}
	if c.hashed {
		j.hash(c, n.Significant())
	}
	return n.Canonical()
}

// numberFormat returns how a cell's number is written: as the column says, or
// plainly where it is no text but a number of a workbook.
func (j *Judge) numberFormat(c *lane) *value.NumberFormat {
	if j.kind == workbook.Number {
		return &plainNumbers
	}
	return &c.number
}

// dateFormats does the same for dates.
func (j *Judge) dateFormats(c *lane) []*value.DateFormat {
	switch {
	case j.kind != workbook.Date && j.kind != workbook.DateTime:
		return c.dates
	case c.spec.Datatype == value.Date:
		return isoDates
	}
	return isoDateTimes
}

var (
	plainNumbers = must(value.NewNumberFormat(".", "", ""))
	isoDates     = []*value.DateFormat{must(value.NewDateFormat(value.Date, "yyyy-MM-dd"))}
	isoDateTimes = []*value.DateFormat{must(value.NewDateFormat(value.DateTime, "yyyy-MM-dd'T'HH:mm:ss")),
		must(value.NewDateFormat(value.DateTime, "yyyy-MM-dd'T'HH:mm:ss.S")),
		must(value.NewDateFormat(value.Date, "yyyy-MM-dd"))}
)

// must is for formats that are known to be right.
func must[T any](f T, err error) T {
	if err != nil {
		panic(err)
	}
	return f
}

func (j *Judge) double(c *lane, cell []byte) []byte {
	d, out, ok := j.numberFormat(c).ParseDouble(cell, &j.number, j.scratch[:0])
	if !ok {
		j.fail(c, violation.TypeDouble, cell)
		return j.quoted(cell)
	}
	j.scratch = out
	// NaN lies within no limits.
	if c.min != nil && !(d >= c.min.Double) {
		j.fail(c, violation.RangeLow, cell)
	} else if c.max != nil && !(d <= c.max.Double) {
		j.fail(c, violation.RangeHigh, cell)
	}
	if c.hashed {
		j.hash(c, out)
	}
	return out
}

var trueText, falseText = []byte("true"), []byte("false")

func (j *Judge) boolean(c *lane, cell []byte) []byte {
	text := unsafe.String(unsafe.SliceData(cell), len(cell))
	var out []byte
	switch {
	case slices.Contains(c.yes, text), j.kind == workbook.Boolean && text == "true":
		out = trueText
	case slices.Contains(c.no, text), j.kind == workbook.Boolean:
		out = falseText
	default:
		j.fail(c, violation.TypeBoolean, cell)
		return j.quoted(cell)
	}
	if c.hashed {
		j.hash(c, out)
	}
	return out
}

func (j *Judge) date(c *lane, cell []byte) []byte {
	var t value.Instant
	outcome, isCanonical := value.Mismatch, false
	if j.kind == workbook.DateTime && c.spec.Datatype == value.Date {
		cell = bytes.TrimSuffix(cell, []byte("T00:00:00"))
	}
	for k, f := range j.dateFormats(c) {
		o := f.Parse(cell, &t)
		if o == value.Matches {
			outcome, isCanonical = o, f.IsISO()
			if j.kind == workbook.Text {
				j.otherDate(c, k, cell, &t)
			}
			break
		}
		outcome = max(outcome, o)
	}
	switch outcome {
	case value.Mismatch:
		j.fail(c, violation.DateFormat, cell)
		return j.quoted(cell)
	case value.Impossible:
		j.fail(c, violation.DateImpossible, cell)
		return j.quoted(cell)
	}
	if c.min != nil && t.Compare(&c.min.Instant) < 0 {
		j.fail(c, violation.RangeLow, cell)
	}
	if c.max != nil && t.Compare(&c.max.Instant) > 0 {
		j.fail(c, violation.RangeHigh, cell)
	}
	if c.set != nil && !slices.ContainsFunc(c.set, func(l target.Literal) bool { return t.Compare(&l.Instant) == 0 }) {
		j.fail(c, violation.ValueUnknown, cell)
	}
	if c.hashed {
		j.scratch = t.AppendUTC(j.scratch[:0])
		j.hash(c, j.scratch)
	}
	switch {
	case isCanonical:
		return cell
	case c.spec.Datatype == value.Date:
		j.scratch = t.AppendDate(j.scratch[:0])
	default:
		j.scratch = t.AppendDateTime(j.scratch[:0])
	}
	return j.scratch
}

// otherDate flags a text that a later format of the column reads as another day.
func (j *Judge) otherDate(c *lane, k int, cell []byte, t *value.Instant) {
	for _, f := range c.dates[k+1:] {
		var u value.Instant
		if f.Parse(cell, &u) == value.Matches && u.Compare(t) != 0 {
			j.fail(c, violation.DateAmbiguous, cell)
			return
		}
	}
}

// fail reports a violation of the column's rules.
func (j *Judge) fail(c *lane, code violation.Code, cell []byte) {
	j.report(c.cell, c.place, code, cell, nil)
}

func (j *Judge) report(cell, place int, code violation.Code, text []byte, d *source.Defect) violation.Action {
	f := Found{Row: j.row, Cell: cell, Column: place, Code: code, Action: code.Action()}
	var c *column
	if place >= 0 {
		c = &j.plan.columns[place]
		f.Action = c.action(code)
	}
	if text == nil && cell >= 0 {
		if cells := j.batch.Cells(j.row); cell < len(cells) {
			text = j.batch.Text(cells[cell])
		}
	}
	switch f.Action {
	case violation.Reject:
		j.out.Rejected[j.row] = true
	case violation.Refuse:
		j.out.Rejected[j.row], j.out.Refused = true, true
	case violation.Blank:
		j.blank = true
	}
	out := j.out
	f.value = uint32(len(out.text))
	if d == nil {
		out.text = appendValid(out.text, j.raw, maxValue)
	} else {
		out.text = appendValid(out.text, text, maxValue)
	}
	f.message = uint32(len(out.text))
	out.text = j.appendMessage(out.text, c, code, text, d)
	f.end = uint32(len(out.text))
	out.Found = append(out.Found, f)
	return f.Action
}

// Value returns the violating cell's text, cut where it is very long.
func (r *Ruling) Value(f *Found) []byte { return r.text[f.value:f.message] }

// Message says in words what is wrong.
func (r *Ruling) Message(f *Found) []byte { return r.text[f.message:f.end] }

// AddDuplicate reports that the values of a key recur in a row; which row has
// them already is known only to who sees the rows in order.
func (r *Ruling) AddDuplicate(p *Plan, b *source.Batch, row int, key *Key, firstRow, firstLine int64) Found {
	f := Found{Row: row, Cell: -1, Column: key.Columns[0], Code: violation.KeyDuplicate, Action: key.Action,
		value: uint32(len(r.text))}
	cells := b.Cells(row)
	for i, k := range key.Columns {
		if i > 0 {
			r.text = append(r.text, ", "...)
		}
		if c := p.columns[k].cell; c >= 0 {
			r.text = appendValid(r.text, b.Text(cells[c]), maxValue)
		}
	}
	if len(key.Columns) == 1 {
		f.Cell = p.columns[key.Columns[0]].cell
	} else {
		f.key = key
	}
	f.message = uint32(len(r.text))
	r.text = appendDuplicate(r.text, r.text[f.value:f.message], firstRow, firstLine)
	f.end = uint32(len(r.text))
	return f
}

// ColumnName returns the name of the target's column that a violation is in (of
// a key all its columns), the delivery's header where the cell feeds none, ""
// for a whole row.
func (p *Plan) ColumnName(f *Found) string {
	switch {
	case f.key != nil:
		return f.key.Name
	case f.Column >= 0:
		return p.columns[f.Column].spec.Name
	case f.Cell >= 0 && f.Cell < len(p.header):
		return p.header[f.Cell]
	}
	return ""
}

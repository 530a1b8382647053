package check

import (
	"github.com/zeebo/xxh3"

	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/violation"
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
	rule                *rule  // of several columns
	value, message, end uint32 // in the ruling's text
}

// Ruling is what a judge found in one batch. It is reused from batch to batch.
type Ruling struct {
	Found    []Found   // in the order of rows
	Rejected []bool    // for each row
	Altered  []bool    // for each row whether something in it was changed, by a remedy or since it broke a rule
	Excluded []uint16  // for each row by which of the plan's exclusions, from 1, it is left out; 0 for none
	Sums     []Sum     // for each control value
	Met      [][]int   // for each column of which all values must occur those that this judge met for the first time
	Ordered  []ordered // for each column with an order where it begins and ends in the batch
	Unjudged []int64   // for each row rule the rows in which a value that it needs is missing or wrong
	Keys     []KeyHash // for each row the hash of each of the plan's keys
	Changed  [][]int64 // for each column and remedy the cells that it changed
	Spoilt   [][]int64 // those that were right before, and break a rule since: by the last remedy that changed them
	Refers   []Refers  // what is to be looked up in tables that memory does not hold
	Pairs    []Pair    // how remedies changed cells, for judges that watch
	Refused  bool      // a violation refuses the delivery

	text     []byte
	computed []texts // of the columns that belong to a key and are computed, for each row
}

// Refers is a key by which a row refers to a table that memory does not hold.
type Refers struct {
	Row       int // index in the batch
	Reference int // which of the target's Constraints
	Hash      KeyHash
}

// Breach is a row that breaks a foreign key, or its contrary.
type Breach struct {
	Row       int64 // its number in the delivery
	Reference int   // which of the target's Constraints
}

// texts are the texts of a column, row by row.
type texts struct {
	text []byte
	ends []int
}

func (t *texts) add(text []byte) {
	t.text = append(t.text, text...)
	t.ends = append(t.ends, len(t.text))
}

func (t *texts) of(row int) []byte {
	if row == 0 {
		return t.text[:t.ends[0]]
	}
	return t.text[t.ends[row-1]:t.ends[row]]
}

func (t *texts) reset() { t.text, t.ends = t.text[:0], t.ends[:0] }

// fail reports a violation of the column's rules.
func (j *Judge) fail(c *lane, code violation.Code, cell []byte) {
	if j.isTrying {
		j.hasFailed = true
		return
	}
	if c.refers {
		c.broken[j.row-j.from] = true
	}
	if c.isRead && isMistyped(code) {
		c.wrong[j.row-j.from] = true
	}
	j.report(c.cell, c.place, code, cell, nil)
}

// isMistyped reports whether a violation says that a cell is not of its datatype.
func isMistyped(code violation.Code) bool {
	switch code {
	case violation.TypeInteger, violation.TypeDecimal, violation.TypeDouble, violation.TypeBoolean,
		violation.DateFormat, violation.DateImpossible, violation.DeriveFailed, violation.TimeFormat, violation.TypeURI,
		violation.TypeDuration, violation.TextGrown:
		return true
	}
	return false
}

func (j *Judge) report(cell, place int, code violation.Code, text []byte, d *source.Defect) violation.Action {
	f := Found{Row: j.row, Cell: cell, Column: place, Code: code, Action: code.Action()}
	var c *column
	if place >= 0 {
		c = &j.plan.columns[place]
		f.Action = c.spec.Action(code)
	}
	if text == nil && cell >= 0 {
		if cells := j.batch.Cells(j.row); cell < len(cells) {
			text = j.batch.Text(cells[cell])
		}
	}
	switch f.Action {
	case violation.Reject, violation.Refuse:
		j.out.Rejected[j.row] = true
	case violation.Blank:
		j.blank, j.out.Altered[j.row] = true, true
	}
	out := j.out
	if j.isSilent {
		out.Found = append(out.Found, f)
		return f.Action
	}
	if d == nil {
		j.tell(&f, text)
	} else {
		f.value = uint32(len(out.text))
		out.text = appendValid(out.text, text, maxValue)
		f.message = uint32(len(out.text))
		out.text = j.appendMessage(out.text, c, code, text, d)
		f.end = uint32(len(out.text))
	}
	out.Found = append(out.Found, f)
	return f.Action
}

// tell puts a violation of the cell at hand in words, or finds the words that were made in this batch of the same text
// in the same column.
func (j *Judge) tell(f *Found, text []byte) {
	l, out := &j.lanes[f.Column], j.out
	var known *told
	if j.changed == 0 && !j.isEntry && l.derive == nil && len(j.raw) <= maxShown {
		if l.told == nil {
			l.told = new([toldOf]told)
		}
		known = &l.told[(xxh3.Hash(j.raw)+uint64(f.Code))%toldOf]
		if known.batch == j.pairs.batch && known.code == f.Code && string(out.text[known.value:known.message]) == string(j.raw) {
			f.value, f.message, f.end = known.value, known.message, known.end
			return
		}
	}
	f.value = uint32(len(out.text))
	out.text = appendValid(out.text, j.raw, maxValue)
	f.message = uint32(len(out.text))
	out.text = j.appendMessage(out.text, l.column, f.Code, text, nil)
	f.end = uint32(len(out.text))
	if known != nil {
		*known = told{j.pairs.batch, f.Code, f.value, f.message, f.end}
	}
}

// told is what was said of a text that breaks a rule, as places in the ruling's text.
type told struct {
	batch               int32
	code                violation.Code
	value, message, end uint32
}

// toldOf is how many texts of a column a judge remembers that break a rule.
const toldOf = 256

// Value returns the violating cell's text, cut where it is very long.
func (r *Ruling) Value(f *Found) []byte { return r.text[f.value:f.message] }

// Message says in words what is wrong.
func (r *Ruling) Message(f *Found) []byte { return r.text[f.message:f.end] }

// AddRepeat reports that the values of a key, or of all a row, recur in a row, in which
// other row they do, and which of such rows are kept. That is known only to who sees the rows in order.
func (r *Ruling) AddRepeat(p *Plan, b *source.Batch, row int, key *Key, otherRow, otherLine int64,
	keep target.Kept) Found {
	f := Found{Row: row, Cell: -1, Column: -1, Code: key.Code, Action: key.Action, value: uint32(len(r.text))}
	other := position{otherRow, otherLine}
	word, kept := repeatWords[keep], ""
	if keep == target.KeepLast && otherRow < b.Number(row) {
		word = repeatWords[target.KeepNone] // a bad row behind the last good one
	}
	if f.Action.RejectsRow() && (keep != target.KeepLast || len(p.Keys) == 1) {
		kept = keptWords[keep] // otherwise all of them stay, or the other may yet repeat one in another key
	}
	if key.Columns == nil {
		f.message = f.value
		r.text = appendPosition(append(r.text, "all values of the row are those of "...), other)
		r.text = append(r.text, kept...)
		f.end = uint32(len(r.text))
		return f
	}
	f.Column = key.Columns[0]
	cells := b.Cells(row)
	for i, k := range key.Columns {
		if i > 0 {
			r.text = append(r.text, ", "...)
		}
		if c := p.columns[k].cell; c >= 0 {
			r.text = appendValid(r.text, b.Text(cells[c]), maxValue)
		} else {
			r.text = appendValid(r.text, r.computed[k].of(row), maxValue)
		}
	}
	if len(key.Columns) == 1 {
		f.Cell = p.columns[key.Columns[0]].cell
	} else {
		f.key = key
	}
	r.text = cut(r.text, int(f.value), maxValue)
	f.message = uint32(len(r.text))
	r.text = appendQuoted(r.text, r.text[f.value:f.message])
	r.text = appendPosition(append(r.text, word...), other)
	r.text = append(r.text, kept...)
	f.end = uint32(len(r.text))
	return f
}

var (
	repeatWords = []string{" is already in ", " is again in ", " is also in "}
	keptWords   = []string{", which is kept", ", which is kept", "; of such rows none is kept"}
)

// ColumnName returns the name of the target's column that a violation is in (of
// a key all its columns), the delivery's header where the cell feeds none, ""
// for a whole row.
func (p *Plan) ColumnName(f *Found) string {
	switch {
	case f.key != nil:
		return f.key.Name
	case f.rule != nil:
		return f.rule.Name
	case f.Column >= 0:
		return p.columns[f.Column].spec.Name
	case f.Cell >= 0 && f.Cell < len(p.header):
		return p.header[f.Cell]
	}
	return ""
}

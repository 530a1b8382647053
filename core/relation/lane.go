package relation

import (
	"sieb/core/delimited"
	"sieb/core/distinct"
	"sieb/core/lexical"
	"sieb/core/typing"
	"sieb/core/value"
	"sieb/core/workbook"
)

// Lane is a column whose values are compared as numbers: decimals by a common
// scale, dates in milliseconds.
type Lane struct {
	column int
	values []int64 // of the block's rows
	ok     []bool
	known  []bool // rows whose value was read already
	last   uint64 // hash of the text before
	number int64
	isOK   bool
	reader Reader
}

// laneDigits is how many digits after the point lanes of numbers have.
const (
	laneDigits = 6
	unit       = 1_000_000
)

// NoteWhole notes the value of the block's row i, which is a whole number.
func (l *Lane) NoteWhole(i int, n int64) { l.values[i], l.ok[i], l.known[i] = n*unit, true, true }

// Note notes the value of the block's row i; ok is false where it has none of the datatype.
func (l *Lane) Note(i int, t *typing.Reading, q typing.Quantity, ok bool) {
	l.known[i] = true
	if l.ok[i] = ok; ok {
		l.values[i], l.ok[i] = laneValue(t, q)
	}
}

// laneValue returns a quantity's place in its lane.
func laneValue(t *typing.Reading, q typing.Quantity) (int64, bool) {
	if t.IsDate() {
		return q.Coef, true
	}
	if q.Wide != nil || q.Frac > laneDigits {
		return 0, false
	}
	for range laneDigits - q.Frac {
		if q.Coef > 1<<58 || q.Coef < -1<<58 {
			return 0, false
		}
		q.Coef *= 10
	}
	return q.Coef, true
}

// fill reads the block's cells of the lane's column.
func (l *Lane) fill(r *Rows, texts []delimited.Span) {
	b, from := r.Batch, r.From
	b.Gather(texts, l.column, from)
	t := &l.reader.Reading
	whole := t.Datatype == value.Integer && !b.IsTyped()
	hashes := r.Hashes[l.column]
	for i, s := range texts {
		if l.known[i] {
			l.known[i] = false
			continue
		}
		l.ok[i] = false
		if s.Start == s.End {
			continue
		}
		text := b.Arena[s.Start:s.End]
		if whole {
			if n, ok := value.ShortInteger(text); ok {
				l.values[i], l.ok[i] = n*unit, true
				continue
			}
		}
		if hashes[i] != l.last {
			l.last = hashes[i]
			l.number, l.isOK = l.reader.Read(text, b.Kind(from+i, l.column))
		}
		l.values[i], l.ok[i] = l.number, l.isOK
	}
}

// Reader reads the cells of a column as places in a lane.
type Reader struct {
	Reading typing.Reading
	look    typing.Look
	space   value.Number
}

// Read returns the place of a cell; false where it is not of the datatype.
func (r *Reader) Read(text []byte, kind workbook.Kind) (int64, bool) {
	trimmed := lexical.Trim(text)
	if len(trimmed) == 0 || len(trimmed) > distinct.MaxHeld {
		return 0, false
	}
	r.look.Read(trimmed, kind)
	q, ok := r.Reading.QuantityOf(&r.look, trimmed, &r.space)
	if !ok {
		return 0, false
	}
	return laneValue(&r.Reading, q)
}

package check

import (
	"bytes"
	"slices"
	"unicode/utf8"
	"unsafe"

	"github.com/zeebo/xxh3"

	"sieb/core/rfc4180"
	"sieb/core/value"
	"sieb/core/violation"
	"sieb/core/workbook"
)

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

// count adds up what the remedies of a column changed in one cell of the row at hand.
func (j *Judge) count(i int, changed uint64) {
	j.out.Altered[j.row] = true
	for k := range j.out.Changed[i] {
		j.out.Changed[i][k] += int64(changed >> k & 1)
	}
}

// cell checks one cell of a column and gives its canonical form, nil for no value; it is
// valid until the next cell.
func (j *Judge) cell(c *lane, raw []byte) []byte {
	cell := raw
	j.raw, j.changed = raw, 0
	j.pairs.cell = j.pairs.cell[:0]
	if len(j.carried) > 0 {
		cell, j.changed = j.carried, 1 // by the first remedy
		j.pair(c.place, 0, raw, cell)
	}
	null := c.isNull(cell)
	if !null && c.chain != nil {
		var changed uint64
		beyond := -1
		if cell, changed, j.kind, beyond = c.chain.Apply(cell, j.kind); beyond >= 0 {
			j.forget()
			j.failGrown(c, c.spec.Remedies[beyond].Name)
			return nil
		}
		if changed != 0 {
			j.changed |= changed
			null = c.isNull(cell)
		}
		if j.changed != 0 {
			j.count(c.place, j.changed)
		}
	}
	if null && len(cell) > 0 {
		place := c.nullPlace()
		j.changed |= 1 << place
		j.pair(c.place, place, cell, nil)
		j.count(c.place, 1<<place)
	}
	if null || raw == nil {
		if c.fallback == nil {
			if c.spec.Required {
				j.fail(c, violation.RequiredEmpty, raw)
			}
			return nil
		}
		cell = c.fallback
		j.changed |= 1 << c.defaultPlace()
		j.pair(c.place, c.defaultPlace(), raw, cell)
		j.count(c.place, 1<<c.defaultPlace())
		j.kind = literalKind(c.spec.Datatype)
	}
	return j.rules(c, cell)
}

// failGrown reports a cell of which more is made than there is room for, by a remedy, or, where it
// has no name, by all that is made of the rows around it. The row is rejected whatever the target
// says: there is no value that could be kept.
func (j *Judge) failGrown(c *lane, remedy string) {
	j.grownBy = remedy
	j.fail(c, violation.TextGrown, j.raw)
}

// rules checks a cell that has a value, cleaned.
func (j *Judge) rules(c *lane, cell []byte) []byte {
	// Blanks of any script are no value: a no-break space for one.
	if c.spec.Required && (len(cell) == 0 || cell[0] <= ' ' || cell[0] >= utf8.RuneSelf) &&
		len(bytes.TrimSpace(cell)) == 0 {
		j.fail(c, violation.RequiredEmpty, j.raw)
		return nil
	}
	if c.spec.Separator != "" {
		return j.list(c, cell)
	}
	return j.value(c, cell)
}

// value checks a value by its datatype and the column's rules.
func (j *Judge) value(c *lane, cell []byte) []byte {
	switch c.spec.Datatype {
	case value.String:
		return j.string(c, cell)
	case value.AnyURI:
		return j.form(c, cell, value.IsURI, violation.TypeURI)
	case value.Duration:
		return j.form(c, cell, value.IsDuration, violation.TypeDuration)
	case value.Integer, value.Decimal:
		return j.decimal(c, cell)
	case value.Date, value.DateTime, value.Time:
		return j.date(c, cell)
	case value.Double:
		return j.double(c, cell)
	}
	return j.boolean(c, cell)
}

// list checks the values of a cell that holds a list, up to the first that is wrong. Blanks
// around them are ignored.
func (j *Judge) list(c *lane, cell []byte) []byte {
	found := len(j.out.Found)
	separator := []byte(c.spec.ListSeparator())
	j.listed, j.isEntry, j.isCoded = j.listed[:0], true, false
	for rest, more := cell, true; more; {
		var entry []byte
		entry, rest, more = bytes.Cut(rest, separator)
		if trimmed := bytes.TrimSpace(entry); trimmed != nil {
			entry = trimmed
		} else {
			entry = entry[:0]
		}
		out := j.value(c, entry)
		if len(j.out.Found) > found || j.isTrying && j.hasFailed {
			j.isEntry = false
			return j.canonical(cell)
		}
		j.listed = append(j.listed, out...)
		if more {
			j.listed = append(j.listed, c.spec.Separator...)
		}
	}
	if c.hashed {
		j.hash(c, j.listed)
	}
	if j.isEntry = false; j.isCoded {
		j.noteCoded(c, cell, j.listed)
	}
	return j.canonical(j.listed)
}

// canonical returns a text as the canonical form of the cell at hand; one without characters is no null.
func (j *Judge) canonical(cell []byte) []byte {
	switch {
	case j.isEntry:
	case len(cell) == 0:
		j.isOdd = true
		return emptyText
	case !rfc4180.IsPlain(cell):
		j.isOdd = true
	}
	return cell
}

func (j *Judge) string(c *lane, cell []byte) []byte {
	if c.codes != nil {
		cell = j.code(c, cell)
	}
	if len(c.rules) > 0 {
		j.hold(c, cell, subject{text: cell, known: c.known})
	}
	if c.hashed {
		j.hash(c, cell)
	}
	return j.canonical(cell)
}

// code judges a code, and gives it the form that it has in its list.
func (j *Judge) code(c *lane, cell []byte) []byte {
	if c.codes.Has(cell) {
		return cell
	}
	if meant, ok := c.codes.Meant(cell); ok && c.spec.Codes.Loose {
		j.coded = append(j.coded[:0], meant...)
		if j.isEntry {
			j.isCoded = true // of the list, which may yet have another value that is wrong
		} else {
			j.noteCoded(c, cell, j.coded)
		}
		return j.coded
	}
	j.fail(c, violation.CodeUnknown, cell)
	return cell
}

// noteCoded notes that the form which a code has in its list takes the place of a cell.
func (j *Judge) noteCoded(c *lane, before, after []byte) {
	place := c.codesPlace()
	if !j.isTrying {
		j.count(c.place, 1<<place)
		j.pair(c.place, place, before, after)
	}
	j.changed |= 1 << place
}

// form judges a text that must have a form which is no matter of the column.
func (j *Judge) form(c *lane, cell []byte, is func([]byte) bool, code violation.Code) []byte {
	if !is(cell) {
		j.fail(c, code, cell)
		return j.canonical(cell)
	}
	return j.string(c, cell)
}

// emptyText is a text without characters, which is not null.
var emptyText = []byte{}

// isEmptyText reports whether a canonical form is that of a text without characters.
func isEmptyText(out []byte) bool { return out != nil && len(out) == 0 }

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
		return j.canonical(cell)
	}
	if len(c.rules) > 0 {
		j.hold(c, cell, subject{text: cell, number: n})
	}
	if c.frac >= 0 && n.FractionDigits() <= c.frac && (c.whole < 0 || n.IntegerDigits() <= c.whole) {
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
	case c.spec.Datatype == value.Time:
		return isoTimes
	}
	return isoDateTimes
}

var (
	plainNumbers value.NumberFormat // the zero one is the plain one
	isoDates     = []*value.DateFormat{must(value.NewDateFormat(value.Date, "yyyy-MM-dd"))}
	isoDateTimes = []*value.DateFormat{must(value.NewDateFormat(value.DateTime, "")),
		must(value.NewDateFormat(value.Date, ""))}
	// A workbook gives times a day, the remedy date none.
	isoTimes = append(slices.Clone(isoDateTimes), must(value.NewDateFormat(value.Time, "")))
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
		return j.canonical(cell)
	}
	j.scratch = out
	if len(c.rules) > 0 {
		j.hold(c, cell, subject{text: cell, double: d})
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
		return j.canonical(cell)
	}
	if c.hashed {
		j.hash(c, out)
	}
	return out
}

func (j *Judge) date(c *lane, cell []byte) []byte {
	t := &j.instant
	outcome, isCanonical := value.Mismatch, false
	if j.kind == workbook.DateTime && c.spec.Datatype == value.Date {
		cell = bytes.TrimSuffix(cell, []byte("T00:00:00"))
	}
	for k, f := range j.dateFormats(c) {
		o := f.Parse(cell, t)
		if o == value.Matches {
			if c.spec.Zoned && !t.Zoned {
				continue
			}
			outcome, isCanonical = o, f.IsISO() && !t.EndOfDay
			if j.kind == workbook.Text {
				j.otherDate(c, k, cell, t)
			}
			break
		}
		outcome = max(outcome, o)
	}
	switch outcome {
	case value.Mismatch:
		code := violation.DateFormat
		if c.spec.Datatype == value.Time {
			code = violation.TimeFormat
		}
		j.fail(c, code, cell)
		return j.canonical(cell)
	case value.Impossible:
		j.fail(c, violation.DateImpossible, cell)
		return j.canonical(cell)
	}
	if c.spec.Datatype == value.Time {
		t.Year, t.Month, t.Day, t.Zoned = 1970, 1, 1, false // a workbook gives it a day
	}
	if len(c.rules) > 0 {
		j.hold(c, cell, subject{text: cell, instant: t})
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
	case c.spec.Datatype == value.Time:
		j.scratch = t.AppendTime(j.scratch[:0])
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

// Package parquet writes rows as Apache Parquet: typed columns, each with nulls, packed with Zstandard.
//
//	string, anyURI, duration, lists   STRING
//	integer                           INT(64, true); with a precision of 19 to 38 digits DECIMAL(precision, 0)
//	decimal with a precision to 38    DECIMAL(precision, scale)
//	other integers and decimals       STRING, with all their digits
//	double                            DOUBLE
//	boolean                           BOOLEAN
//	date                              DATE
//	dateTime, all with a zone         TIMESTAMP in microseconds, UTC
//	dateTime otherwise                TIMESTAMP in microseconds, of the place
//	time                              TIME in microseconds
//
// A value that its column cannot hold, such as a time with nanoseconds, is an error that names it, never another value.
// The metadata's key "columns" tells what the columns mean, in the words of CSV on the Web.
//
// Source: Apache Parquet format, LogicalTypes.md.
package parquet

import (
	"encoding/binary"
	"encoding/json"
	"io"
	"math"
	"math/big"
	"strconv"
	"strings"

	"github.com/parquet-go/parquet-go"
	"github.com/parquet-go/parquet-go/compress/zstd"

	"sieb/core/outcome"
	"sieb/core/outcome/packed"
	"sieb/core/value"
)

// Form writes a Parquet file.
type Form struct{}

const (
	groupBytes  = 32 << 20 // of packed rows that make a row group
	chunkValues = 1 << 16  // that are handed to the library together
	pages       = 64 << 20 // bytes of the pages at hand, of all columns together
	tinyDigits  = 9        // that 32 bits hold
	shortDigits = 18       // that 64 bits hold
	mostDigits  = 38
	wideBytes   = 16 // of a decimal with more digits than 64 bits hold
	mostLabels  = 1000
)

// kind is how the values of a column are stored.
type kind uint8

const (
	texts kind = iota
	wholes
	tinyDecimals
	shortDecimals
	wideDecimals
	doubles
	booleans
	dates
	moments // in microseconds
	times
)

func kindOf(c *outcome.Column) kind {
	if c.IsText() {
		return texts
	}
	switch c.Datatype {
	case value.Integer:
		switch {
		case c.Precision <= shortDigits:
			return wholes
		case c.Precision <= mostDigits:
			return wideDecimals
		}
	case value.Decimal:
		switch {
		case c.Precision == 0:
		case c.Precision <= tinyDigits:
			return tinyDecimals
		case c.Precision <= shortDigits:
			return shortDecimals
		case c.Precision <= mostDigits:
			return wideDecimals
		}
	case value.Double:
		return doubles
	case value.Boolean:
		return booleans
	case value.Date:
		return dates
	case value.DateTime:
		return moments
	case value.Time:
		return times
	}
	return texts
}

// node returns the column as Parquet describes it.
func node(c *outcome.Column) parquet.Node {
	scale := max(c.Scale, 0)
	switch kindOf(c) {
	case wholes:
		return parquet.Int(64)
	case tinyDecimals:
		return parquet.Decimal(scale, c.Precision, parquet.Int32Type)
	case shortDecimals:
		return parquet.Decimal(scale, c.Precision, parquet.Int64Type)
	case wideDecimals:
		return parquet.Decimal(scale, c.Precision, parquet.FixedLenByteArrayType(wideBytes))
	case doubles:
		return parquet.Leaf(parquet.DoubleType)
	case booleans:
		return parquet.Leaf(parquet.BooleanType)
	case dates:
		return parquet.Date()
	case moments:
		return parquet.TimestampAdjusted(parquet.Microsecond, c.Zoned)
	case times:
		return parquet.TimeAdjusted(parquet.Microsecond, false)
	}
	return parquet.String()
}

type encoder struct {
	columns []outcome.Column
	kinds   []kind
	moments []*value.DateFormat // of columns with dates and times
}

// Encoder returns an encoder of a table's rows, which packs their values as they are stored.
func (Form) Encoder(t *outcome.Table) outcome.Encoder {
	e := &encoder{columns: t.Columns, kinds: make([]kind, len(t.Columns)),
		moments: make([]*value.DateFormat, len(t.Columns))}
	for i := range t.Columns {
		if e.kinds[i] = kindOf(&t.Columns[i]); t.Columns[i].Datatype.IsMoment() && e.kinds[i] != texts {
			e.moments[i], _ = value.NewDateFormat(t.Columns[i].Datatype, "") // the ISO form, which is known
		}
	}
	return e
}

// Append appends a row, packed.
func (e *encoder) Append(dst []byte, row *outcome.Row) []byte {
	n := row.Len()
	for k := range e.columns {
		var text []byte
		if k < n {
			text = row.Field(k)
		}
		switch {
		case text == nil:
			dst = packed.AppendNull(dst)
		case n > len(e.columns) && k == len(e.columns)-1:
			dst = packed.AppendUnfit(dst, row, e.columns[k].Name, string(text), "is followed by cells beyond the header, "+
				"for which Parquet has no columns; write such rows as CSV or JSON Lines")
		default:
			dst = e.value(dst, row, k, text)
		}
	}
	return dst
}

func (e *encoder) value(dst []byte, row *outcome.Row, k int, text []byte) []byte {
	c := &e.columns[k]
	unfit := func(why string) []byte { return packed.AppendUnfit(dst, row, c.Name, string(text), why) }
	switch e.kinds[k] {
	case wholes:
		n, err := strconv.ParseInt(string(text), 10, 64)
		if err != nil {
			return unfit("has more digits than 64 bits hold; give the column a precision")
		}
		return packed.AppendNumber(dst, uint64(n))
	case tinyDecimals, shortDecimals, wideDecimals:
		if n, ok := shortUnscaled(text, max(c.Scale, 0)); ok && e.kinds[k] != wideDecimals {
			return packed.AppendNumber(dst, uint64(n))
		}
		n, ok := unscaled(string(text), max(c.Scale, 0))
		if !ok {
			return unfit("has more digits than the column's precision and scale allow")
		}
		if e.kinds[k] == wideDecimals {
			return packed.AppendBytes(dst, twosComplement(n))
		}
		return packed.AppendNumber(dst, uint64(n.Int64()))
	case doubles:
		d, err := strconv.ParseFloat(string(text), 64)
		if err != nil {
			return unfit("is no double")
		}
		return packed.AppendNumber(dst, math.Float64bits(d))
	case booleans:
		if text[0] == 't' {
			return packed.AppendNumber(dst, 1)
		}
		return packed.AppendNumber(dst, 0)
	case dates, moments, times:
		return e.moment(dst, c, k, text, unfit)
	}
	return packed.AppendBytes(dst, text)
}

// moment appends a date, a time or both.
func (e *encoder) moment(dst []byte, c *outcome.Column, k int, text []byte, unfit func(string) []byte) []byte {
	const second = 1_000_000 // microseconds
	var t value.Instant
	switch {
	case e.moments[k].Parse(text, &t) != value.Matches:
		return unfit("is no " + c.Datatype.String())
	case t.Nanos%1000 != 0:
		return unfit("has a fraction finer than microseconds; write CSV or JSON Lines")
	case e.kinds[k] == dates:
		return packed.AppendNumber(dst, uint64(t.Days()))
	case e.kinds[k] == times:
		n := (int64(t.Hour)*60+int64(t.Minute))*60 + int64(t.Second)
		return packed.AppendNumber(dst, uint64(n*second+int64(t.Nanos/1000)))
	case t.Zoned != c.Zoned:
		return unfit("has a zone, and others of the column have none; demand one (datatype: dateTimeStamp), or " +
			"write CSV or JSON Lines")
	}
	return packed.AppendNumber(dst, uint64(t.Seconds()*second+int64(t.Nanos/1000)))
}

// shortUnscaled returns a canonical decimal of at most 18 digits times ten to the power of a scale; ok is false for any
// other text.
func shortUnscaled(text []byte, scale int) (n int64, ok bool) {
	isNegative := len(text) > 0 && text[0] == '-'
	if isNegative {
		text = text[1:]
	}
	digits, behind := 0, -1 // the point
	for _, c := range text {
		switch {
		case c == '.' && behind < 0:
			behind = 0
			continue
		case c-'0' > 9:
			return 0, false
		case behind >= 0:
			behind++
		}
		digits++
		n = 10*n + int64(c-'0')
		if digits > shortDigits {
			return 0, false
		}
	}
	for behind = max(behind, 0); behind < scale; behind++ {
		if digits++; digits > shortDigits {
			return 0, false
		}
		n *= 10
	}
	if isNegative {
		n = -n
	}
	return n, digits > 0 && behind == scale
}

// unscaled returns a canonical decimal times ten to the power of a scale; ok is false where that is no whole number.
func unscaled(text string, scale int) (n *big.Int, ok bool) {
	whole, fraction, _ := strings.Cut(text, ".")
	if len(fraction) > scale {
		return nil, false
	}
	return new(big.Int).SetString(whole+fraction+strings.Repeat("0", scale-len(fraction)), 10)
}

// twosComplement returns a number in 16 bytes, the highest first.
func twosComplement(n *big.Int) []byte {
	if n.Sign() < 0 {
		n = new(big.Int).Add(n, new(big.Int).Lsh(big.NewInt(1), 8*wideBytes))
	}
	return n.FillBytes(make([]byte, wideBytes))
}

// ordered is a group whose fields stand in the order of the columns; the library's own puts them in that of their names.
type ordered struct {
	parquet.Group
	fields []parquet.Field
}

// Fields returns the columns.
func (o *ordered) Fields() []parquet.Field { return o.fields }

// schema describes a table.
func schema(t *outcome.Table) *parquet.Schema {
	keys := t.Keys()
	group := parquet.Group{}
	for i, key := range keys {
		group[key] = parquet.Optional(node(&t.Columns[i]))
	}
	byName := map[string]parquet.Field{}
	for _, f := range group.Fields() {
		byName[f.Name()] = f
	}
	o := &ordered{Group: group}
	for _, key := range keys {
		o.fields = append(o.fields, byName[key])
	}
	name := t.Name
	if name == "" {
		name = "rows"
	}
	return parquet.NewSchema(name, o)
}

type packer struct {
	w       *parquet.GenericWriter[any]
	kinds   []kind
	values  []parquet.Value // of the rows at hand
	rows    []parquet.Row
	grouped int // bytes of packed rows in the row group
}

// Pack begins a file.
func (Form) Pack(t *outcome.Table, to io.Writer) (outcome.Packer, error) {
	about, err := json.Marshal(described(t))
	if err != nil {
		return nil, err
	}
	page := min(max(pages/max(1, len(t.Columns)), 4<<10), parquet.DefaultPageBufferSize)
	p := &packer{w: parquet.NewGenericWriter[any](to, schema(t), parquet.Compression(&zstd.Codec{}),
		parquet.PageBufferSize(page), parquet.KeyValueMetadata("columns", string(about)), parquet.CreatedBy("sieb", "1", ""))}
	for i := range t.Columns {
		p.kinds = append(p.kinds, kindOf(&t.Columns[i]))
	}
	return p, nil
}

// about is what the metadata tells of a column, in the words of CSV on the Web.
type about struct {
	Name        string            `json:"name"`
	Titles      string            `json:"titles,omitempty"`
	Datatype    string            `json:"datatype"`
	Separator   string            `json:"separator,omitempty"`
	Description string            `json:"dc:description,omitempty"`
	Labels      map[string]string `json:"labels,omitempty"`
}

func described(t *outcome.Table) []about {
	all := make([]about, len(t.Columns))
	for i := range t.Columns {
		c := &t.Columns[i]
		all[i] = about{c.Name, c.Title, c.Datatype.String(), c.Separator, c.Description, c.Labels}
		if len(c.Labels) > mostLabels {
			all[i].Labels = nil
		}
	}
	return all
}

// Write takes packed rows.
func (p *packer) Write(rows []byte) (int, error) {
	size := len(rows)
	for len(rows) > 0 {
		first := len(p.values)
		before := len(rows)
		for k, kind := range p.kinds {
			var field []byte
			var err error
			if field, rows, err = packed.Next(rows); err != nil {
				return 0, err
			}
			p.values = append(p.values, stored(kind, field).Level(0, defined(field), k))
		}
		p.rows = append(p.rows, p.values[first:len(p.values):len(p.values)])
		p.grouped += before - len(rows)
		if len(p.values) >= chunkValues || p.grouped >= groupBytes {
			if err := p.hand(); err != nil {
				return 0, err
			}
		}
	}
	// The bytes of texts are the caller's.
	return size, p.hand()
}

func defined(field []byte) int {
	if field == nil {
		return 0
	}
	return 1
}

// stored returns a packed field as a value of the library.
func stored(kind kind, field []byte) parquet.Value {
	if field == nil {
		return parquet.NullValue()
	}
	switch kind {
	case texts:
		return parquet.ByteArrayValue(field)
	case wideDecimals:
		return parquet.FixedLenByteArrayValue(field)
	}
	n := binary.LittleEndian.Uint64(field)
	switch kind {
	case doubles:
		return parquet.DoubleValue(math.Float64frombits(n))
	case booleans:
		return parquet.BooleanValue(n != 0)
	case dates, tinyDecimals:
		return parquet.Int32Value(int32(n))
	}
	return parquet.Int64Value(int64(n))
}

// hand gives the rows at hand to the library, and ends the row group where it is full.
func (p *packer) hand() error {
	if len(p.rows) > 0 {
		if _, err := p.w.WriteRows(p.rows); err != nil {
			return err
		}
	}
	p.rows, p.values = p.rows[:0], p.values[:0]
	if p.grouped < groupBytes {
		return nil
	}
	p.grouped = 0
	return p.w.Flush()
}

// Close ends the file.
func (p *packer) Close() error { return p.w.Close() }

// Abort has nothing to give up: what the library holds is memory.
func (*packer) Abort() {}

package result

import (
	"bytes"
	"cmp"
	"strconv"

	"sieb/core/value"
)

// key is a value as it is compared with others of its column. It is reused from value to value.
type key struct {
	rank    uint8 // values of the column's datatype come first, other texts behind them, and no value last
	number  value.Number
	float   float64
	instant value.Instant
	text    []byte
}

// The ranks of keys.
const (
	ranked uint8 = iota
	unranked
	absent
)

// order compares the values of a column.
type order struct {
	// read fills a key from its own text, the canonical one of a value, and reports whether that is of the datatype.
	read    func(k *key) bool
	compare func(a, b *key) int
}

// plain numbers are written with a point, and nothing between thousands.
var plain value.NumberFormat

// orderOf returns the order of a datatype's values in canonical form.
func orderOf(datatype string) order {
	byNumber := order{func(k *key) bool { return plain.Parse(k.text, &k.number) },
		func(a, b *key) int { return a.number.Compare(&b.number) }}
	switch datatype {
	case value.Integer.String(), value.Decimal.String():
		return byNumber
	case value.Double.String():
		return order{func(k *key) (ok bool) {
			var err error
			k.float, err = strconv.ParseFloat(string(k.text), 64)
			return err == nil
		}, func(a, b *key) int { return cmp.Compare(a.float, b.float) }}
	case value.Date.String():
		return byMoment(value.Date, "yyyy-MM-dd")
	case value.DateTime.String():
		return byMoment(value.DateTime, "")
	case value.Time.String():
		return byMoment(value.Time, "")
	}
	return order{func(*key) bool { return true }, func(a, b *key) int { return bytes.Compare(a.text, b.text) }}
}

func byMoment(d value.Datatype, pattern string) order {
	format, err := value.NewDateFormat(d, pattern)
	if err != nil {
		panic(err) // the pattern stands above
	}
	return order{func(k *key) bool { return format.Parse(k.text, &k.instant) == value.Matches },
		func(a, b *key) int { return a.instant.Compare(&b.instant) }}
}

// key makes a text a key; nil is no value.
func (o order) key(text []byte, k *key) {
	k.text = append(k.text[:0], text...)
	switch {
	case text == nil:
		k.rank = absent
	case o.read(k):
		k.rank = ranked
	default:
		k.rank = unranked
	}
}

// compareKeys compares two keys of a column. Values that are the same in its datatype are told apart by their texts.
func (o order) compareKeys(a, b *key) int {
	if c := cmp.Compare(a.rank, b.rank); c != 0 || a.rank == absent {
		return c
	}
	if a.rank == ranked {
		if c := o.compare(a, b); c != 0 {
			return c
		}
	}
	return bytes.Compare(a.text, b.text)
}

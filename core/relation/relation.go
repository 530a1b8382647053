// Package relation finds what holds between the columns of a delivery: columns that are the
// same, that follow from another, dates that are never after others, sums.
//
// Candidates come from a sample (Find); each is then looked at in every row (Checker), by
// any number of workers, whose counts are merged. Nothing is told that breaks in more than
// a few rows. What a column is, is known already: see package typing.
package relation

import (
	"cmp"
	"context"
	"slices"

	"sieb/core/distinct"
	"sieb/core/typing"
	"sieb/core/value"
)

// Relation is what holds between columns.
type Relation struct {
	Kind    Kind
	Columns []int
}

// Kind is what holds.
type Kind uint8

// The kinds.
const (
	Equal      Kind = iota // two columns hold the same
	Determines             // the first column's value tells the second's
	Before                 // the first date is not after the second
	Sum                    // the first number is the sum of the others
)

// String returns the kind as profiles call it.
func (k Kind) String() string { return []string{"equal", "determines", "order", "sum"}[k] }

// IsHashed reports whether the relation is told by the hashes of cells; any other by their
// values.
func (r *Relation) IsHashed() bool { return r.Kind == Equal || r.Kind == Determines }

// Limits of relations.
const (
	MaxRelations = 12 // of each kind
	EnoughRows   = 20 // in which a relation must hold

	// maxTried is about how many pairs of columns are looked at: in wide tables those
	// that stand near each other, in others all.
	maxTried = 40_000
)

// IsFew reports whether so few of all break a rule that they are exceptions: one in
// fifty, or one alone among twenty.
func IsFew(n, all int64) bool { return 50*n <= all || n == 1 && all >= 20 }

// IsMeasure reports whether values are measured rather than given: they may be all
// different, but are no key.
func IsMeasure(t *typing.Reading) bool {
	return t.Datatype == value.Decimal || t.Datatype == value.Double
}

// Column is a column of a sample.
type Column struct {
	Cells   []int32 // for each row the ordinal of its text; -1 where it is empty
	Values  *distinct.Table
	Reading *typing.Reading
}

// Numbers are the values of a sample's column as numbers; OK tells which rows have one.
type Numbers struct {
	Values []int64
	OK     []bool
}

// Find finds what holds between the columns of a sample of so many rows, at most MaxRelations
// of each kind. The end of ctx ends it; what was found by then is of no use.
func Find(ctx context.Context, columns []Column, rows int) (all []Relation) {
	f := finder{ended: func() bool { return ctx.Err() != nil }, columns: columns, rows: rows,
		constant: make([]bool, len(columns)), copies: make([]bool, len(columns)),
		numbers: make([]Numbers, len(columns)), reach: max(2, maxTried/max(1, len(columns)))}
	for k := range columns {
		if f.ended() {
			return nil
		}
		f.constant[k] = columns[k].Values.Used < 2
		if t := columns[k].Reading; (t.Datatype.IsNumber() || t.IsDate()) && !f.constant[k] {
			f.numbers[k] = columns[k].Numbers()
		}
	}
	for _, find := range []func(){f.equals, f.sums, f.orders, f.determined} {
		f.found = nil
		find()
		all = append(all, f.found[:min(len(f.found), MaxRelations)]...)
	}
	return all
}

// Numbers reads the sample's values of a column.
func (c *Column) Numbers() Numbers {
	n := Numbers{make([]int64, len(c.Cells)), make([]bool, len(c.Cells))}
	values, ok := make([]int64, c.Values.Used), make([]bool, c.Values.Used)
	reader := Reader{Reading: *c.Reading}
	k := 0
	for e := range c.Values.All() {
		values[k], ok[k] = reader.Read(c.Values.Text(e.Entry), e.Kind())
		k++
	}
	for i, at := range c.Cells {
		if at >= 0 {
			n.Values[i], n.OK[i] = values[at], ok[at]
		}
	}
	return n
}

type finder struct {
	ended    func() bool
	columns  []Column
	rows     int
	constant []bool
	numbers  []Numbers // of the columns that have them
	reach    int       // how far apart columns may stand that are looked at together
	usual    []int32
	copies   []bool     // columns that are equal to one further left, which stands for them
	found    []Relation // of one kind
}

// holds reports whether a relation holds in nearly all rows for which it can be
// told. It gives up early where it does not.
func (f *finder) holds(tell func(row int) (told, holds bool)) bool {
	if f.ended() {
		return false
	}
	told, broken := 0, 0
	for i := range f.rows {
		is, ok := tell(i)
		if !is {
			continue
		}
		if told++; !ok {
			broken++
		}
		if told == EnoughRows && broken > 2 || told > EnoughRows && 12*broken > told {
			return false
		}
	}
	return told >= EnoughRows && IsFew(int64(broken), int64(told))
}

func (f *finder) equals() {
	hashes := make([][]uint64, len(f.columns))
	for k := range f.columns {
		if f.constant[k] {
			continue
		}
		c := &f.columns[k]
		for e := range c.Values.All() {
			hashes[k] = append(hashes[k], distinct.HeldHash(c.Values.Text(e.Entry), e.Kind()))
		}
	}
	hash := func(k, row int) uint64 {
		if n := f.columns[k].Cells[row]; n >= 0 {
			return hashes[k][n]
		}
		return EmptyHash
	}
	try := func(a, b int) {
		if f.copies[a] || f.copies[b] {
			return
		}
		if f.holds(func(row int) (bool, bool) { return true, hash(a, row) == hash(b, row) }) {
			f.copies[b] = true
			f.found = append(f.found, Relation{Equal, []int{a, b}})
		}
	}
	// Columns that are the same but for one row in fifty are the same all through one
	// of some short runs of rows.
	const (
		runs   = 16
		length = 48
	)
	alike := map[uint64][]int{}
	for k := range hashes {
		if f.constant[k] {
			continue
		}
		for run := range runs {
			sum := uint64(run)
			from := run * f.rows / runs
			for row := from; row < min(from+length, (run+1)*f.rows/runs); row++ {
				sum = (sum<<5 | sum>>59 ^ hash(k, row)) * 0x9E3779B97F4A7C15
			}
			for _, a := range alike[sum] {
				try(a, k)
			}
			if list := alike[sum]; !f.copies[k] && len(list) < maxAlike && !slices.Contains(list, k) {
				alike[sum] = append(list, k)
			}
		}
	}
	slices.SortFunc(f.found, func(a, b Relation) int { return slices.Compare(a.Columns, b.Columns) })
}

// maxAlike is how many columns, unlike each other, are kept that have one run of the
// sample in common; sparse columns are often alike in being empty.
const maxAlike = 20

// numbered returns the columns of numbers, or of dates, from left to right.
func (f *finder) numbered(dates bool) (all []int) {
	for k := range f.numbers {
		if f.numbers[k].OK != nil && f.columns[k].Reading.IsDate() == dates && !f.copies[k] {
			all = append(all, k)
		}
	}
	return all
}

// sums finds columns that are the sum of two others, or of three and more that
// stand side by side.
func (f *finder) sums() {
	columns := f.numbered(false)
	// Columns that are mostly nothing make sums that say nothing.
	columns = slices.DeleteFunc(columns, func(k int) bool {
		l := &f.numbers[k]
		filled := 0
		for i, ok := range l.OK {
			if ok && l.Values[i] != 0 {
				filled++
			}
		}
		return 2*filled < f.rows
	})
	seen := map[string]bool{}
	try := func(total int, parts []int) {
		all := append([]int{total}, parts...)
		key := string(intsKey(all))
		if slices.Contains(parts, total) || seen[key] {
			return
		}
		seen[key] = true
		if f.holds(func(row int) (bool, bool) {
			left := int64(0)
			for i, k := range all {
				l := &f.numbers[k]
				if !l.OK[row] {
					return false, false
				}
				if i == 0 {
					left = l.Values[row]
				} else {
					left -= l.Values[row]
				}
			}
			return true, left == 0
		}) {
			f.found = append(f.found, Relation{Sum, all})
		}
	}
	// A few rows give the candidates.
	for at := range min(5, f.rows) {
		row := at * f.rows / 5
		byValue := map[int64][]int{}
		for _, k := range columns {
			if l := &f.numbers[k]; l.OK[row] {
				byValue[l.Values[row]] = append(byValue[l.Values[row]], k)
			}
		}
		for i, a := range columns {
			la := &f.numbers[a]
			run := la.Values[row]
			for j := i + 1; j < len(columns) && f.isNear(a, columns[j]); j++ {
				lb := &f.numbers[columns[j]]
				if !la.OK[row] || !lb.OK[row] {
					break
				}
				run += lb.Values[row]
				for _, total := range byValue[la.Values[row]+lb.Values[row]] {
					if f.isNear(a, total) {
						try(total, []int{a, columns[j]})
					}
				}
				if j-i >= 2 {
					for _, total := range byValue[run] {
						if f.isNear(a, total) {
							try(total, slices.Clone(columns[i:j+1]))
						}
					}
				}
			}
		}
	}
}

func intsKey(all []int) (key []byte) {
	for _, n := range all {
		key = append(key, byte(n), byte(n>>8))
	}
	return key
}

// isNear reports whether two columns are looked at together.
func (f *finder) isNear(a, b int) bool { return max(a-b, b-a) <= f.reach }

// orders finds pairs of dates of which one is never after the other.
func (f *finder) orders() {
	columns := f.numbered(true)
	for _, a := range columns {
		for _, b := range columns {
			if a == b || !f.isNear(a, b) {
				continue
			}
			la, lb := &f.numbers[a], &f.numbers[b]
			if f.holds(func(row int) (bool, bool) {
				return la.OK[row] && lb.OK[row],
					la.Values[row] <= lb.Values[row]
			}) {
				f.found = append(f.found, Relation{Before, []int{a, b}})
			}
		}
	}
}

// determined finds columns whose values follow from those of another, which
// recur: of two that determine each other only the left one is told.
func (f *finder) determined() {
	type candidate struct {
		Relation
		distinct int
	}
	var all []candidate
	mutual := map[[2]int]bool{}
	alias := make([]bool, len(f.columns))
	for a := range f.columns {
		from := &f.columns[a]
		if f.constant[a] || f.copies[a] || 4*from.Values.Used > f.rows || IsMeasure(f.columns[a].Reading) {
			continue
		}
		for b := max(0, a-f.reach); b < len(f.columns) && f.isNear(a, b); b++ {
			to := &f.columns[b]
			if a == b || alias[a] || f.constant[b] || f.copies[b] || mutual[[2]int{b, a}] || to.usual() > 0.9 {
				continue
			}
			if f.determines(from, to) {
				mutual[[2]int{a, b}] = true
				if f.determines(to, from) {
					alias[b] = true // what it determines, the other one does
				}
				all = append(all, candidate{Relation{Determines, []int{a, b}}, from.Values.Used})
			}
		}
	}
	// The closest relations first: those of columns with the fewest values.
	slices.SortStableFunc(all, func(a, b candidate) int { return cmp.Compare(a.distinct, b.distinct) })
	for _, c := range all {
		f.found = append(f.found, c.Relation)
	}
}

// usual returns the share of the most frequent text among the filled cells.
func (c *Column) usual() float64 {
	most, all := int64(0), int64(0)
	for e := range c.Values.All() {
		most, all = max(most, e.Count), all+e.Count
	}
	return float64(most) / float64(max(all, 1))
}

// determines reports whether nearly all rows with one value in a column have one
// value in another. Values that stand in a single row say nothing.
func (f *finder) determines(from, to *Column) bool {
	f.usual = slices.Grow(f.usual[:0], from.Values.Used)
	usual := f.usual[:from.Values.Used]
	for i := range usual {
		usual[i] = -2
	}
	return f.holds(func(row int) (bool, bool) {
		a, b := from.Cells[row], to.Cells[row]
		if a < 0 {
			return false, false
		}
		if usual[a] == -2 {
			usual[a] = b
			return false, false
		}
		return true, usual[a] == b
	})
}

package relation

import (
	"slices"

	"sieb/core/delimited"
	"sieb/core/distinct"
	"sieb/core/source"
	"sieb/core/typing"
)

// Checker looks at relations in the rows of some batches. Each worker has one.
type Checker struct {
	checks []check
	lanes  []Lane
	laneOf map[int]int // of columns that are read as numbers or dates: their lane
	texts  []delimited.Span
}

// Rows are the rows of a block.
type Rows struct {
	Batch   *source.Batch
	From, N int        // the first of them in the batch, and how many they are
	Hashes  [][]uint64 // of their cells, by column, EmptyHash for none; only of columns that IsHashed names
	Apart   []bool     // rows whose cells cannot be attributed
}

// EmptyHash stands for an empty cell.
const EmptyHash = 0

// NewChecker makes a checker of relations between columns that are read so, for blocks of so
// many rows at the most.
func NewChecker(relations []Relation, reading func(column int) *typing.Reading, block int) *Checker {
	c := &Checker{laneOf: map[int]int{}, texts: make([]delimited.Span, block)}
	for _, r := range relations {
		k := check{Relation: r}
		if r.Kind == Determines {
			k.pairs = map[pair]*typing.FormCount{}
		}
		c.checks = append(c.checks, k)
		if r.IsHashed() {
			continue
		}
		for _, column := range r.Columns {
			if _, has := c.laneOf[column]; has {
				continue
			}
			c.laneOf[column] = len(c.lanes)
			c.lanes = append(c.lanes, Lane{column: column, reader: Reader{Reading: *reading(column)},
				values: make([]int64, block), ok: make([]bool, block), known: make([]bool, block)})
		}
	}
	return c
}

// Lane returns the lane of a column, in which values that are known already can be noted
// before the block is looked at; nil where it has none.
func (c *Checker) Lane(column int) *Lane {
	if at, has := c.laneOf[column]; has {
		return &c.lanes[at]
	}
	return nil
}

// Block looks at the rows of a block.
func (c *Checker) Block(rows *Rows) {
	for k := range c.lanes {
		c.lanes[k].fill(rows, c.texts[:rows.N])
	}
	for k := range c.checks {
		c.checks[k].block(c, rows)
	}
}

// Merge takes in what another checker of the same relations has.
func (c *Checker) Merge(o *Checker) {
	for i := range c.checks {
		c.checks[i].merge(&o.checks[i])
	}
}

// Found is a relation that holds in nearly all rows.
type Found struct {
	Relation
	Rows       int64              // in which it can be told
	Exceptions int64              // rows that break it
	First      distinct.Sightings // of these
	Behind     []int64            // of a column that is determined: rows that break it, more of them
}

// Found returns the relations that hold, once all is merged.
func (c *Checker) Found() (all []Found) {
	for i := range c.checks {
		k := &c.checks[i]
		k.settle()
		if k.over || k.rows < EnoughRows || !IsFew(k.exceptions.Count, k.rows) || k.Kind == Before && k.equal == k.rows {
			continue
		}
		all = append(all, Found{k.Relation, k.rows, k.exceptions.Count, k.exceptions.Sightings, k.odd})
	}
	return all
}

// check looks at one relation.
type check struct {
	Relation
	rows       int64 // in which the columns are filled with what can be compared
	exceptions typing.FormCount
	equal      int64                      // of Before: both are the same
	pairs      map[pair]*typing.FormCount // of Determines
	recent     [256]recentPair
	over       bool    // too many pairs to keep
	odd        []int64 // of Determines, once settled: rows of the exceptions
}

// pair is the hashes of a determining value and of what stands beside it.
type pair struct{ from, to uint64 }

type recentPair struct {
	pair
	count *typing.FormCount
}

// maxPairs is how many different pairs of a determining column and a determined one are
// kept, maxBehind how many rows that break it.
const (
	maxPairs  = 50_000
	maxBehind = 1000
)

// block looks at the block's rows.
func (k *check) block(c *Checker, rows *Rows) {
	from, n, apart := rows.From, rows.N, rows.Apart
	first := rows.Batch.FirstRow + int64(from)
	fail := func(i int) {
		k.exceptions.Count++
		k.exceptions.Sightings.AddRow(distinct.Sighting{Row: first + int64(i), Line: rows.Batch.Rows[from+i].Line})
	}
	switch k.Kind {
	case Equal:
		a, b := rows.Hashes[k.Columns[0]], rows.Hashes[k.Columns[1]]
		for i := range n {
			if !apart[i] {
				if k.rows++; a[i] != b[i] {
					fail(i)
				}
			}
		}
	case Determines:
		a, b := rows.Hashes[k.Columns[0]], rows.Hashes[k.Columns[1]]
		for i := range n {
			if apart[i] || a[i] == EmptyHash || k.over {
				continue
			}
			k.rows++
			p := pair{a[i], b[i]}
			r := &k.recent[(p.from^p.to)%uint64(len(k.recent))]
			if r.pair != p || r.count == nil {
				*r = recentPair{p, k.count(p)}
			}
			r.count.Count++
			if len(r.count.Sightings) < distinct.MaxSightings {
				r.count.Sightings.AddRow(distinct.Sighting{Row: first + int64(i), Line: rows.Batch.Rows[from+i].Line})
			}
		}
	case Before:
		a, b := c.Lane(k.Columns[0]), c.Lane(k.Columns[1])
		for i := range n {
			if apart[i] || !a.ok[i] || !b.ok[i] {
				continue
			}
			switch k.rows++; {
			case a.values[i] > b.values[i]:
				fail(i)
			case a.values[i] == b.values[i]:
				k.equal++
			}
		}
	case Sum:
		total := c.Lane(k.Columns[0])
	next:
		for i := range n {
			if apart[i] || !total.ok[i] {
				continue
			}
			left := total.values[i]
			for _, part := range k.Columns[1:] {
				l := c.Lane(part)
				if !l.ok[i] {
					continue next
				}
				left -= l.values[i]
			}
			if k.rows++; left != 0 {
				fail(i)
			}
		}
	}
}

// count returns the count of a pair. Beyond maxPairs the relation is given up.
func (k *check) count(p pair) *typing.FormCount {
	n := k.pairs[p]
	if n == nil {
		if len(k.pairs) == maxPairs {
			k.over = true
			return &typing.FormCount{}
		}
		n = &typing.FormCount{}
		k.pairs[p] = n
	}
	return n
}

func (k *check) merge(o *check) {
	k.rows += o.rows
	k.exceptions.Count += o.exceptions.Count
	k.exceptions.Sightings.MergeRows(o.exceptions.Sightings)
	k.equal += o.equal
	k.over = k.over || o.over
	for p, n := range o.pairs {
		mine := k.count(p)
		mine.Count += n.Count
		mine.Sightings.MergeRows(n.Sightings)
	}
}

// settle finds the exceptions of a determined column: the rows that hold another
// value than most of those with the same determining one.
func (k *check) settle() {
	if k.Kind != Determines {
		return
	}
	type best struct {
		to    uint64
		count int64
		row   int64
	}
	usual := map[uint64]best{}
	for p, n := range k.pairs {
		b, ok := usual[p.from]
		if row := n.Sightings[0].Row; !ok || n.Count > b.count || n.Count == b.count && row < b.row {
			usual[p.from] = best{p.to, n.Count, row}
		}
	}
	for p, n := range k.pairs {
		if usual[p.from].to != p.to {
			k.exceptions.Count += n.Count
			k.exceptions.Sightings.MergeRows(n.Sightings)
			for _, at := range n.Sightings {
				k.odd = append(k.odd, at.Row)
			}
		}
	}
	slices.Sort(k.odd)
	k.odd = k.odd[:min(len(k.odd), maxBehind)]
}

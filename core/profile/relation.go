package profile

import (
	"cmp"
	"context"
	"slices"

	"sieb/core/distinct"
	"sieb/core/lexical"
	"sieb/core/typing"
	"sieb/core/value"
	"sieb/core/workbook"
)

// relation is what holds between columns in nearly all rows of the sample, and
// is looked at in every row.
type relation struct {
	kind    relationKind
	columns []int
}

type relationKind uint8

const (
	isEqual    relationKind = iota // two columns hold the same
	determines                     // the first column's value tells the second's
	isBefore                       // the first date is not after the second
	isSum                          // the first number is the sum of the others
)

// check looks at one relation in the rows of some batches.
type check struct {
	relation
	rows       int64 // in which the columns are filled with what can be compared
	exceptions typing.FormCount
	equal      int64                         // of isBefore: both are the same
	pairs      map[pairOf2]*typing.FormCount // of determines
	recent     [256]recentPair
	over       bool    // too many pairs to keep
	odd        []int64 // of determines, once settled: rows of the exceptions
}

type pairOf2 struct{ from, to uint64 }

type recentPair struct {
	pairOf2
	count *typing.FormCount
}

// Limits of relations.
const (
	MaxRelations = 12     // of each kind
	maxPairs     = 50_000 // different pairs of a determining column and a determined one
	EnoughRows   = 20     // in which a relation must hold

	// maxTried is about how many pairs of columns are looked at: in wide tables those
	// that stand near each other, in others all.
	maxTried = 40_000
)

// IsFew reports whether so few of all break a rule that they are exceptions: one in
// fifty, or one alone among twenty.
func IsFew(n, all int64) bool { return 50*n <= all || n == 1 && all >= 20 }

// lane is a column whose values are compared as numbers: decimals by a common
// scale, dates in milliseconds.
type lane struct {
	column int
	values []int64 // of the block's rows
	ok     []bool
	known  []bool // rows whose value was read already
	last   uint64 // hash of the text before
	number int64
	isOK   bool
	reader CellReader
}

// laneDigits is how many digits after the point lanes of numbers have.
const (
	laneDigits = 6
	unit       = 1_000_000
)

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
func (l *lane) fill(c *collector, from, n int) {
	b := c.batch
	texts := c.texts[:n]
	b.Gather(texts, l.column, from)
	t := &l.reader.Typing
	whole := t.Datatype == value.Integer && !b.IsTyped()
	hashes := c.hashes[l.column]
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

// block looks at the block's rows.
func (k *check) block(c *collector, from, n int, apart []bool) {
	first := c.batch.FirstRow + int64(from)
	fail := func(i int) {
		k.exceptions.Count++
		k.exceptions.Sightings.AddRow(distinct.Sighting{Row: first + int64(i), Line: c.batch.Rows[from+i].Line})
	}
	switch k.kind {
	case isEqual:
		a, b := c.hashes[k.columns[0]], c.hashes[k.columns[1]]
		for i := range n {
			if !apart[i] {
				if k.rows++; a[i] != b[i] {
					fail(i)
				}
			}
		}
	case determines:
		a, b := c.hashes[k.columns[0]], c.hashes[k.columns[1]]
		for i := range n {
			if apart[i] || a[i] == emptyHash || k.over {
				continue
			}
			k.rows++
			p := pairOf2{a[i], b[i]}
			r := &k.recent[(p.from^p.to)%uint64(len(k.recent))]
			if r.pairOf2 != p || r.count == nil {
				*r = recentPair{p, k.pair(p)}
			}
			r.count.Count++
			if len(r.count.Sightings) < distinct.MaxSightings {
				r.count.Sightings.AddRow(distinct.Sighting{Row: first + int64(i), Line: c.batch.Rows[from+i].Line})
			}
		}
	case isBefore:
		a, b := c.lane(k.columns[0]), c.lane(k.columns[1])
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
	case isSum:
		total := c.lane(k.columns[0])
	rows:
		for i := range n {
			if apart[i] || !total.ok[i] {
				continue
			}
			left := total.values[i]
			for _, part := range k.columns[1:] {
				l := c.lane(part)
				if !l.ok[i] {
					continue rows
				}
				left -= l.values[i]
			}
			if k.rows++; left != 0 {
				fail(i)
			}
		}
	}
}

// pair returns the count of a pair. Beyond maxPairs the relation is given up.
func (k *check) pair(p pairOf2) *typing.FormCount {
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
		mine := k.pair(p)
		mine.Count += n.Count
		mine.Sightings.MergeRows(n.Sightings)
	}
}

// settle finds the exceptions of a determined column: the rows that hold another
// value than most of those with the same determining one.
func (k *check) settle() {
	if k.kind != determines {
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
	k.odd = k.odd[:min(len(k.odd), maxRows)]
}

func (c *collector) lane(column int) *lane { return &c.lanes[c.plan.laneOf[column]] }

// newChecks makes the checks of the plan's relations, with the lanes they read.
func (p *plan) newChecks() (checks []check, lanes []lane) {
	for _, r := range p.relations {
		k := check{relation: r}
		if r.kind == determines {
			k.pairs = map[pairOf2]*typing.FormCount{}
		}
		checks = append(checks, k)
	}
	lanes = make([]lane, len(p.laneOf))
	for column, at := range p.laneOf {
		lanes[at] = lane{column: column, reader: CellReader{Typing: p.columns[column].typing},
			values: make([]int64, block), ok: make([]bool, block), known: make([]bool, block)}
	}
	return checks, lanes
}

// findRelations finds what holds between columns in the sample.
// The end of ctx ends it; what was found by then is of no use.
func (p *plan) findRelations(ctx context.Context, s *sample) {
	f := finder{ended: func() bool { return ctx.Err() != nil }, plan: p, sample: s,
		constant: make([]bool, len(s.columns)), copies: make([]bool, len(s.columns)),
		numbers: make([]lane, len(s.columns)),
		reach:   max(2, maxTried/max(1, len(s.columns)))}
	for k := range s.columns {
		if f.ended() {
			return
		}
		f.constant[k] = s.columns[k].table.Used < 2
		if t := &p.columns[k].typing; (t.Datatype.IsNumber() || t.IsDate()) && !f.constant[k] {
			f.numbers[k] = s.columns[k].lane(t)
		}
	}
	for _, find := range []func(){f.equals, f.sums, f.orders, f.determined} {
		f.found = nil
		find()
		p.relations = append(p.relations, f.found[:min(len(f.found), MaxRelations)]...)
	}
	p.laneOf = map[int]int{}
	for _, r := range p.relations {
		for _, column := range r.columns {
			if _, has := p.laneOf[column]; !has && (r.kind == isBefore || r.kind == isSum) {
				p.laneOf[column] = len(p.laneOf)
			}
		}
	}
}

// lane reads the sample's values of a column.
func (c *sampleColumn) lane(t *typing.Reading) lane {
	l := lane{values: make([]int64, len(c.cells)), ok: make([]bool, len(c.cells))}
	values, ok := make([]int64, c.table.Used), make([]bool, c.table.Used)
	reader := CellReader{Typing: *t}
	k := 0
	for e := range c.table.All() {
		values[k], ok[k] = reader.Read(c.table.Text(e.Entry), e.Kind())
		k++
	}
	for i, n := range c.cells {
		if n >= 0 {
			l.values[i], l.ok[i] = values[n], ok[n]
		}
	}
	return l
}

type finder struct {
	ended    func() bool
	plan     *plan
	sample   *sample
	constant []bool
	numbers  []lane // of the columns that have one
	reach    int    // how far apart columns may stand that are looked at together
	usual    []int32
	copies   []bool     // columns that are equal to one further left, which stands for them
	found    []relation // of one kind
}

// holds reports whether a relation holds in nearly all rows for which it can be
// told. It gives up early where it does not.
func (f *finder) holds(tell func(row int) (told, holds bool)) bool {
	if f.ended() {
		return false
	}
	told, broken := 0, 0
	for i := range f.sample.rows {
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
	hashes := make([][]uint64, len(f.sample.columns))
	for k := range f.sample.columns {
		if f.constant[k] {
			continue
		}
		c := &f.sample.columns[k]
		for e := range c.table.All() {
			hashes[k] = append(hashes[k], distinct.HeldHash(c.table.Text(e.Entry), e.Kind()))
		}
	}
	hash := func(k, row int) uint64 {
		if n := f.sample.columns[k].cells[row]; n >= 0 {
			return hashes[k][n]
		}
		return emptyHash
	}
	try := func(a, b int) {
		if f.copies[a] || f.copies[b] {
			return
		}
		if f.holds(func(row int) (bool, bool) { return true, hash(a, row) == hash(b, row) }) {
			f.copies[b] = true
			f.found = append(f.found, relation{isEqual, []int{a, b}})
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
			from := run * f.sample.rows / runs
			for row := from; row < min(from+length, (run+1)*f.sample.rows/runs); row++ {
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
	slices.SortFunc(f.found, func(a, b relation) int { return slices.Compare(a.columns, b.columns) })
}

// maxAlike is how many columns, unlike each other, are kept that have one run of the
// sample in common; sparse columns are often alike in being empty.
const maxAlike = 20

// numbered returns the columns of numbers, or of dates, from left to right.
func (f *finder) numbered(dates bool) (all []int) {
	for k := range f.numbers {
		if f.numbers[k].ok != nil && f.plan.columns[k].typing.IsDate() == dates && !f.copies[k] {
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
		for i, ok := range l.ok {
			if ok && l.values[i] != 0 {
				filled++
			}
		}
		return 2*filled < f.sample.rows
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
				if !l.ok[row] {
					return false, false
				}
				if i == 0 {
					left = l.values[row]
				} else {
					left -= l.values[row]
				}
			}
			return true, left == 0
		}) {
			f.found = append(f.found, relation{isSum, all})
		}
	}
	// A few rows give the candidates.
	for at := range min(5, f.sample.rows) {
		row := at * f.sample.rows / 5
		byValue := map[int64][]int{}
		for _, k := range columns {
			if l := &f.numbers[k]; l.ok[row] {
				byValue[l.values[row]] = append(byValue[l.values[row]], k)
			}
		}
		for i, a := range columns {
			la := &f.numbers[a]
			run := la.values[row]
			for j := i + 1; j < len(columns) && f.isNear(a, columns[j]); j++ {
				lb := &f.numbers[columns[j]]
				if !la.ok[row] || !lb.ok[row] {
					break
				}
				run += lb.values[row]
				for _, total := range byValue[la.values[row]+lb.values[row]] {
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
				return la.ok[row] && lb.ok[row],
					la.values[row] <= lb.values[row]
			}) {
				f.found = append(f.found, relation{isBefore, []int{a, b}})
			}
		}
	}
}

// determined finds columns whose values follow from those of another, which
// recur: of two that determine each other only the left one is told.
func (f *finder) determined() {
	type candidate struct {
		relation
		distinct int
	}
	var all []candidate
	mutual := map[[2]int]bool{}
	alias := make([]bool, len(f.sample.columns))
	for a := range f.sample.columns {
		from := &f.sample.columns[a]
		if f.constant[a] || f.copies[a] || 4*from.table.Used > f.sample.rows || isMeasure(&f.plan.columns[a].typing) {
			continue
		}
		for b := max(0, a-f.reach); b < len(f.sample.columns) && f.isNear(a, b); b++ {
			to := &f.sample.columns[b]
			if a == b || alias[a] || f.constant[b] || f.copies[b] || mutual[[2]int{b, a}] || to.usual() > 0.9 {
				continue
			}
			if f.determines(from, to) {
				mutual[[2]int{a, b}] = true
				if f.determines(to, from) {
					alias[b] = true // what it determines, the other one does
				}
				all = append(all, candidate{relation{determines, []int{a, b}}, from.table.Used})
			}
		}
	}
	// The closest relations first: those of columns with the fewest values.
	slices.SortStableFunc(all, func(a, b candidate) int { return cmp.Compare(a.distinct, b.distinct) })
	for _, c := range all {
		f.found = append(f.found, c.relation)
	}
}

// usual returns the share of the most frequent text among the filled cells.
func (c *sampleColumn) usual() float64 {
	most, all := int64(0), int64(0)
	for e := range c.table.All() {
		most, all = max(most, e.Count), all+e.Count
	}
	return float64(most) / float64(max(all, 1))
}

// determines reports whether nearly all rows with one value in a column have one
// value in another. Values that stand in a single row say nothing.
func (f *finder) determines(from, to *sampleColumn) bool {
	f.usual = slices.Grow(f.usual[:0], from.table.Used)
	usual := f.usual[:from.table.Used]
	for i := range usual {
		usual[i] = -2
	}
	return f.holds(func(row int) (bool, bool) {
		a, b := from.cells[row], to.cells[row]
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

// CellReader reads the cells of a column as places in its lane.
type CellReader struct {
	Typing typing.Reading
	look   typing.Look
	space  value.Number
}

func (r *CellReader) Read(text []byte, kind workbook.Kind) (int64, bool) {
	trimmed := lexical.Trim(text)
	if len(trimmed) == 0 || len(trimmed) > distinct.MaxHeld {
		return 0, false
	}
	r.look.Read(trimmed, kind)
	q, ok := r.Typing.QuantityOf(&r.look, trimmed, &r.space)
	if !ok {
		return 0, false
	}
	return laneValue(&r.Typing, q)
}

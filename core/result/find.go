package result

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"sieb/core/profile"
	"sieb/core/rowindex"
	"sieb/core/value"
)

// Question is what is asked of a side's rows. The zero Question asks for the first rows as they stand.
type Question struct {
	Where []profile.Filter // rows that pass all of them
	Sort  []By             // by these columns; rows alike in all stand in their own order, no value stands last
	Skip  int              // rows in front of those that are shown
	Most  int              // rows that are shown
	Last  bool             // shows the last rows, in their order, in place of the first

	Columns []string // whose cells are shown; nil for all
}

// By is a column that rows are sorted by.
type By struct {
	Column     string
	Descending bool
}

// ParseBy reads a column that rows are to be sorted by, with descending behind it or not. A column may itself be called
// so.
func (s *Side) ParseBy(text string) By {
	column, is := strings.CutSuffix(text, " descending")
	if _, err := s.place(text); !is || err == nil {
		return By{Column: text}
	}
	return By{strings.TrimSpace(column), true}
}

// Answer is what was found.
type Answer struct {
	Total int64 // rows that pass
	Rows  []Shown
}

// Limits of an answer.
const MostRows = 100_000 // that are shown, with those in front of them

var (
	mostHeld = 256 << 20 // bytes of values by which rows are sorted, or that are counted
	mostSeen = 64 << 20  // bytes of cells that are shown
)

// Find answers a question. Where rows pass conditions, or are sorted, it goes over the side's rows once to find them.
// Then it reads the cells of those that are shown, from where the index says, or as far as the last of them.
func (s *Side) Find(ctx context.Context, q Question) (*Answer, error) {
	answer, err := s.find(ctx, q)
	if errors.Is(err, rowindex.ErrDamaged) {
		return nil, s.noIndex()
	}
	return answer, err
}

func (s *Side) find(ctx context.Context, q Question) (*Answer, error) {
	isWindow := len(q.Sort) == 0 && !q.Last // then those in front are only counted
	held := q.Most
	if !isWindow {
		held += q.Skip
	}
	if q.Most < 0 || q.Skip < 0 || held > MostRows {
		return nil, wrongf("up to %d rows can be shown at once, with those in front of them where rows are sorted; ask "+
			"for fewer, or for rows that pass more conditions", MostRows)
	}
	columns, err := s.places(q.Columns)
	if err != nil {
		return nil, err
	}
	if len(q.Where)+len(q.Sort) == 0 {
		places, err := s.window(q)
		if err != nil {
			return nil, err
		}
		shown, err := s.read(ctx, places, columns)
		return &Answer{s.total, shown}, err
	}
	b := &best{most: held, isLast: q.Last}
	for _, by := range q.Sort {
		k, err := s.place(by.Column)
		if err != nil {
			return nil, err
		}
		if err := s.Columns[k].isOrdered(); err != nil {
			return nil, err
		}
		b.by = append(b.by, sortedBy{k, s.Columns[k].order, by.Descending})
	}
	answer := &Answer{}
	err = s.all(ctx, q.Where, b.by, func(r *seen) bool {
		answer.Total++
		if !isWindow || answer.Total > int64(q.Skip) {
			b.offer(r.at, r.keys)
		}
		return b.bytes <= mostHeld
	})
	if err != nil {
		return nil, err
	}
	if b.bytes > mostHeld {
		return nil, wrongf("the values by which %d rows are sorted take more than %d MiB; ask for fewer rows", q.Most,
			mostHeld>>20)
	}
	shown := b.inOrder()
	switch {
	case q.Last:
		shown = shown[max(0, len(shown)-q.Skip-q.Most):max(0, len(shown)-q.Skip)]
	case !isWindow:
		shown = shown[min(q.Skip, len(shown)):]
	}
	answer.Rows, err = s.read(ctx, shown, columns)
	return answer, err
}

// window returns the places of the rows that are shown where all pass, in their own order.
func (s *Side) window(q Question) (shown []int64, err error) {
	from := min(int64(q.Skip), s.total)
	to := min(from+int64(q.Most), s.total)
	if q.Last {
		to = s.total - from
		from = max(0, to-int64(q.Most))
	}
	if s.members != nil {
		return s.members[from:to], nil
	}
	if s.which.only != 0 {
		return s.index.Places(s.which.only, from, to-from)
	}
	for at := from + 1; at <= to; at++ {
		shown = append(shown, at)
	}
	return shown, nil
}

// read reads cells of the rows at some places.
func (s *Side) read(ctx context.Context, shown []int64, columns []int) ([]Shown, error) {
	all, err := s.readOnce(ctx, shown, columns)
	if errors.Is(err, rowindex.ErrDamaged) {
		s.withoutIndex()
		return s.readOnce(ctx, shown, columns)
	}
	return all, err
}

func (s *Side) readOnce(ctx context.Context, shown []int64, columns []int) ([]Shown, error) {
	all := make([]Shown, len(shown))
	order := make([]int, len(shown)) // the rows shown, by their places
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(x, y int) int { return cmp.Compare(shown[x], shown[y]) })
	numbers := s.numbers(ctx)
	defer numbers.stop()
	size := 0
	for len(order) > 0 {
		n := 1
		for ; n < len(order) && (s.index == nil || shown[order[n]] <= shown[order[n-1]]+nearRows); n++ {
		}
		mine := order[:n]
		order = order[n:]
		var failed error
		err := s.from(ctx, shown[mine[0]], func(r *seen) bool {
			var row int64
			if row, failed = numbers.next(r, r.at == shown[mine[0]]); failed != nil {
				return false
			}
			if r.at != shown[mine[0]] {
				return true
			}
			one := &all[mine[0]]
			mine = mine[1:]
			r.batch.Split()
			*one = Shown{At: r.at, Row: row, Cells: make([]*string, len(columns))}
			for n, column := range columns {
				if text := s.cell(r.batch, r.index, column); text != nil {
					cell := string(text)
					one.Cells[n] = &cell
					size += len(cell)
				}
			}
			return len(mine) > 0 && size <= mostSeen
		})
		switch {
		case err != nil || failed != nil:
			return nil, cmp.Or(err, failed)
		case size > mostSeen:
			return nil, wrongf("the cells of %d rows take more than %d MiB; ask for fewer rows, or for fewer columns",
				len(shown), mostSeen>>20)
		case len(mine) > 0:
			return nil, fmt.Errorf("%s is damaged: it has fewer rows than the manifest counts; run the delivery again",
				filepath.Join(s.dir, s.which.file))
		}
	}
	return all, nil
}

// nearRows is how many rows behind those at hand are read on to, rather than looked up.
const nearRows = 2000

// places returns the places of columns; of all where none is named.
func (s *Side) places(names []string) (all []int, err error) {
	for k := range s.Columns {
		all = append(all, k)
	}
	if names == nil {
		return all, nil
	}
	all = all[:0]
	for _, name := range names {
		k, err := s.place(name)
		if err != nil {
			return nil, err
		}
		all = append(all, k)
	}
	return all, nil
}

// sortedBy is a column that rows are sorted by, made ready.
type sortedBy struct {
	column     int
	order      order
	descending bool
}

// candidate is a row that may be among those shown.
type candidate struct {
	at   int64
	keys []key
}

// best keeps the rows that stand first, or last, in an order: no more than twice as many as are asked for.
type best struct {
	by     []sortedBy
	most   int
	isLast bool
	held   []candidate
	spare  []candidate // whose room is used again
	worst  *candidate  // no row that stands behind it is among those asked for; nil until as many are known
	bytes  int         // of the texts of the rows held
}

// compare orders rows as they are shown: rows without a value stand last in any case.
func (b *best) compare(x, y *candidate) int {
	for i, by := range b.by {
		c := by.order.compareKeys(&x.keys[i], &y.keys[i])
		if by.descending && x.keys[i].rank != absent && y.keys[i].rank != absent {
			c = -c
		}
		if c != 0 {
			return c
		}
	}
	return cmp.Compare(x.at, y.at)
}

// prefers orders rows by how much they are wanted.
func (b *best) prefers(x, y *candidate) int {
	if b.isLast {
		x, y = y, x
	}
	return b.compare(x, y)
}

// offer takes a row that passes.
func (b *best) offer(at int64, keys []key) {
	if b.most == 0 {
		return
	}
	if b.worst != nil && b.prefers(&candidate{at, keys}, b.worst) > 0 {
		return
	}
	var c candidate
	if n := len(b.spare); n > 0 {
		c, b.spare = b.spare[n-1], b.spare[:n-1]
	} else {
		c.keys = make([]key, len(keys))
	}
	c.at = at
	for i := range keys {
		var text []byte
		if keys[i].rank != absent {
			text = keys[i].text
		}
		b.by[i].order.key(text, &c.keys[i])
		b.bytes += len(text)
	}
	b.held = append(b.held, c)
	if len(b.held) >= 2*b.most {
		b.cut()
	}
}

// cut keeps as many rows as are asked for.
func (b *best) cut() {
	slices.SortFunc(b.held, func(x, y candidate) int { return b.prefers(&x, &y) })
	for _, c := range b.held[b.most:] {
		for i := range c.keys {
			b.bytes -= len(c.keys[i].text)
		}
	}
	b.spare = append(b.spare, b.held[b.most:]...)
	b.held = b.held[:b.most]
	b.worst = &b.held[b.most-1]
}

// inOrder returns the places of the rows that were asked for, as they are shown.
func (b *best) inOrder() (places []int64) {
	if len(b.held) > b.most {
		b.cut()
	}
	slices.SortFunc(b.held, func(x, y candidate) int { return b.compare(&x, &y) })
	for i := range b.held {
		places = append(places, b.held[i].at)
	}
	return places
}

// Occurring is a value with how often it occurs; nil for no value.
type Occurring struct {
	Value *string `json:"value" doc:"null for no value"`
	Count int64   `json:"count"`
}

// valueBytes is what a value takes that is counted, beside its text.
const valueBytes = 64

// Count counts the values of a column in the rows that pass, the most frequent first. It returns the first of them, how
// many different ones there are, and how many rows pass.
func (s *Side) Count(ctx context.Context, column string, where []profile.Filter, most int) (first []Occurring,
	distinct int, total int64, err error) {
	k, err := s.place(column)
	if err != nil {
		return nil, 0, 0, err
	}
	counts := map[string]int{} // places in all
	var all []Occurring
	var missing int64
	held := 0
	by := []sortedBy{{column: k, order: orderOf(value.String.String())}} // keys are the texts
	if err := s.all(ctx, where, by, func(r *seen) bool {
		total++
		if r.keys[0].rank == absent {
			missing++
			return true
		}
		at, isKnown := counts[string(r.keys[0].text)]
		if !isKnown {
			text := string(r.keys[0].text)
			held += valueBytes + len(text)
			at = len(all)
			counts[text] = at
			all = append(all, Occurring{&text, 0})
		}
		all[at].Count++
		return held <= mostHeld
	}); err != nil {
		return nil, 0, 0, err
	}
	if held > mostHeld {
		return nil, 0, 0, wrongf("the different values of the column %q take more than %d MiB; ask for rows that pass "+
			"more conditions", column, mostHeld>>20)
	}
	distinct = len(all)
	if missing > 0 {
		all = append(all, Occurring{nil, missing})
	}
	return mostFrequent(all, most), distinct, total, nil
}

// mostFrequent returns so many values, the most frequent first. It puts no more than twice as many in order at a time.
func mostFrequent(all []Occurring, most int) []Occurring {
	first := make([]Occurring, 0, min(len(all), 2*most))
	compare := func(x, y Occurring) int {
		return cmp.Or(cmp.Compare(y.Count, x.Count), compareCells(x.Value, y.Value))
	}
	isCut := false
	cut := func() {
		slices.SortFunc(first, compare)
		if len(first) > most {
			first, isCut = first[:most], true
		}
	}
	for _, v := range all {
		if isCut && (most == 0 || len(first) == most && compare(v, first[most-1]) > 0) {
			continue
		}
		if first = append(first, v); len(first) >= 2*most {
			cut()
		}
	}
	cut()
	return first
}

// compareCells compares texts by their bytes; no value stands last.
func compareCells(x, y *string) int {
	switch {
	case x == nil:
		return 1 // a column has no value once
	case y == nil:
		return -1
	}
	return cmp.Compare(*x, *y)
}

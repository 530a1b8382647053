package result

import (
	"cmp"
	"context"
	"errors"
	"iter"
	"math/bits"
	"slices"

	"github.com/zeebo/xxh3"

	"sieb/core/outcome"
	"sieb/core/report"
	"sieb/core/rowindex"
)

// Compared is how the rows of an outcome differ from those of an earlier one. Rows of the same delivery are found again
// by their numbers, those of two deliveries by a key, of which only accepted rows have values that can be relied on.
// Values count where both outcomes have the column.
type Compared struct {
	By        []string    `json:"by" doc:"columns by which accepted rows are found again; none where both outcomes are of the same rows, which their numbers tell"`
	New       int64       `json:"new" doc:"accepted rows that the earlier outcome does not have, or did not accept"`
	Gone      int64       `json:"gone" doc:"rows that the earlier outcome accepted, and this one does not have, or does not accept"`
	Changed   int64       `json:"changed" doc:"rows that both accepted, with other values"`
	Same      int64       `json:"same" doc:"rows that both accepted, with the same values"`
	Moves     []Move      `json:"moves" doc:"rows that ended on another side, where both outcomes are of the same rows"`
	Differing []Differing `json:"differing" doc:"in how many of the changed rows a column differs, most first; empty where they are too many to be told"`

	before string // the folder of the earlier outcome

	isNew, gone, changed listed
	moved                [outcome.Sides]listed // those of the accepted side are new
	columns              []string              // that both have
	bits                 []uint64              // of each changed row, in which of them it differs; nil where not told
}

// Move is how many rows changed sides.
type Move struct {
	Was  string `json:"was" enum:"accepted,rejected,excluded"`
	Is   string `json:"is" enum:"accepted,rejected,excluded"`
	Rows int64  `json:"rows"`
}

// Differing is in how many rows a column differs.
type Differing struct {
	Column string `json:"column"`
	Rows   int64  `json:"rows"`
}

// listed are rows that differ, in their order: places in a file, and what else is known of them.
type listed struct {
	at     []int64
	before []int64        // of changed rows: their places among those that were accepted
	other  []outcome.Side // where the row ended in the other outcome, where both are of the same rows
}

// Bounds of a comparison.
var (
	mostCompared int64 = 5_000_000 // rows that are held, or listed as differing
	mostTold           = 128 << 20 // bytes that say in which columns rows differ
)

// Compare compares the outcomes whose files stand in two folders. The key is needed where they are not of the same
// rows.
func Compare(ctx context.Context, before, after string, key []string) (*Compared, error) {
	was, err := Open(before, sides[0].name)
	if err != nil {
		return nil, err
	}
	defer was.Close()
	is, err := Open(after, sides[0].name)
	if err != nil {
		return nil, err
	}
	defer is.Close()
	c, err := compare(ctx, was, is, key)
	if errors.Is(err, rowindex.ErrDamaged) {
		was.withoutIndex()
		is.withoutIndex()
		c, err = compare(ctx, was, is, key)
	}
	return c, err
}

func compare(ctx context.Context, was, is *Side, key []string) (*Compared, error) {
	c := &Compared{By: []string{}, Moves: []Move{}, Differing: []Differing{}, before: was.dir}
	isAt, wasAt := inBoth(is.Columns, was.Columns)
	for _, k := range isAt {
		c.columns = append(c.columns, is.Columns[k].Name)
	}
	var err error
	if was.rowsOf == is.rowsOf {
		if err = c.sides(ctx, was, is); err == nil {
			err = c.byNumber(ctx, was, is, wasAt, isAt)
		}
	} else {
		err = c.byKey(ctx, was, is, wasAt, isAt, key)
	}
	if err != nil {
		return nil, err
	}
	c.countColumns()
	return c, nil
}

// inBoth returns the places of the columns that both have, in the order of the first.
func inBoth(columns, others []Field) (places, otherPlaces []int) {
	at := map[string]int{}
	for k, c := range others {
		if _, isKnown := at[c.Name]; !isKnown {
			at[c.Name] = k
		}
	}
	for k, c := range columns {
		if other, has := at[c.Name]; has {
			places, otherPlaces = append(places, k), append(otherPlaces, other)
		}
	}
	return places, otherPlaces
}

// ending is where a row ended that was not accepted.
type ending struct {
	number, at int64
	side       outcome.Side
}

// endings goes through the rows of an outcome that were not accepted, in the order of the delivery.
func (s *Side) endings(ctx context.Context) iter.Seq2[ending, error] {
	if s.index == nil {
		return endingsOf(ctx, s.dir)
	}
	return func(yield func(ending, error) bool) {
		var places [outcome.Sides]int64
		row := int64(0)
		for f, err := range s.index.All() {
			row++
			side := f.Side()
			places[side]++
			end := ending{row, places[side], side}
			if err != nil || side != outcome.Accepted {
				if !yield(end, err) || err != nil {
					return
				}
			}
		}
	}
}

// endingsOf reads them from the files.
func endingsOf(ctx context.Context, dir string) iter.Seq2[ending, error] {
	return func(yield func(ending, error) bool) {
		heads := []ending{{side: outcome.Rejected}, {side: outcome.Excluded}}
		var next [2]func() (int64, error, bool)
		for k, file := range []string{report.RejectedName, report.ExcludedName} {
			numbers, stop := iter.Pull2(inDelivery(ctx, dir, file))
			defer stop()
			next[k] = numbers
		}
		advance := func(k int) error {
			number, err, ok := next[k]()
			if !ok {
				number = behindAll
			}
			heads[k].number, heads[k].at = number, heads[k].at+1
			return err
		}
		for k := range heads {
			if err := advance(k); err != nil {
				yield(ending{}, err)
				return
			}
		}
		for {
			k := 0
			if heads[1].number < heads[0].number {
				k = 1
			}
			if heads[k].number == behindAll || !yield(heads[k], nil) {
				return
			}
			if err := advance(k); err != nil {
				yield(ending{}, err)
				return
			}
		}
	}
}

// behindAll is the number of no row.
const behindAll = 1<<63 - 1

// sides lists the rows of a delivery that ended elsewhere.
func (c *Compared) sides(ctx context.Context, before, after *Side) error {
	var moves [outcome.Sides][outcome.Sides]int64
	type ends struct {
		next   func() (ending, error, bool)
		head   ending
		behind int64 // rows that were not accepted
	}
	var all [2]ends
	for k, side := range []*Side{before, after} {
		next, stop := iter.Pull2(side.endings(ctx))
		defer stop()
		all[k].next = next
	}
	advance := func(e *ends) (err error) {
		ok := false
		if e.head, err, ok = e.next(); !ok {
			e.head = ending{number: behindAll}
		}
		return err
	}
	// at returns where a row ended, and goes on behind it.
	at := func(e *ends, row int64) (end ending, err error) {
		if e.head.number != row {
			return ending{row, row - e.behind, outcome.Accepted}, nil
		}
		end = e.head
		e.behind++
		return end, advance(e)
	}
	for k := range all {
		if err := advance(&all[k]); err != nil {
			return err
		}
	}
	for {
		row := min(all[0].head.number, all[1].head.number)
		if row == behindAll {
			break
		}
		was, err := at(&all[0], row)
		if err != nil {
			return err
		}
		is, err := at(&all[1], row)
		if err != nil {
			return err
		}
		if was.side == is.side {
			continue
		}
		moves[was.side][is.side]++
		if err := c.moved[is.side].add(is.at, was.side); err != nil {
			return err
		}
		if was.side == outcome.Accepted {
			c.Gone++
			if err := c.gone.add(was.at, is.side); err != nil {
				return err
			}
		}
	}
	c.isNew = c.moved[outcome.Accepted]
	c.New = int64(len(c.isNew.at))
	for was := range outcome.Sides {
		for is := range outcome.Sides {
			if n := moves[was][is]; n > 0 {
				c.Moves = append(c.Moves, Move{outcome.Side(was).String(), outcome.Side(is).String(), n})
			}
		}
	}
	return nil
}

// add lists a row.
func (l *listed) add(at int64, other outcome.Side) error {
	l.at, l.other = append(l.at, at), append(l.other, other)
	return l.bounded()
}

func (l *listed) bounded() error {
	if int64(len(l.at)) > mostCompared {
		return wrongf("more than %d rows differ, which are not compared one by one", mostCompared)
	}
	return nil
}

// hashed is a row with the hashes of some of its cells. Nothing of it may be kept.
type hashed struct {
	at    int64
	cells []uint64 // 0 for no value
	row   uint64   // of them all
	key   xxh3.Uint128
}

// hashedRows are those of a batch, behind one another.
type hashedRows struct {
	cells []uint64
	rows  []uint64
	keys  []xxh3.Uint128
}

// byNumber compares the values of the rows of a delivery that both outcomes accepted.
func (c *Compared) byNumber(ctx context.Context, was, is *Side, wasAt, isAt []int) error {
	wasNumbers, isNumbers := was.numbers(ctx), is.numbers(ctx)
	defer wasNumbers.stop()
	defer isNumbers.stop()
	next, stop := iter.Pull2(was.hashed(ctx, wasAt, nil))
	defer stop()
	var a *hashed
	number := int64(0) // of a
	for b, err := range is.hashed(ctx, isAt, nil) {
		if err != nil {
			return err
		}
		row, err := isNumbers.next(&seen{at: b.at}, true)
		if err != nil {
			return err
		}
		for number < row {
			ok := false
			if a, err, ok = next(); !ok {
				number = behindAll
			} else if err == nil {
				number, err = wasNumbers.next(&seen{at: a.at}, true)
			}
			if err != nil {
				return err
			}
		}
		switch {
		case number != row:
		case a.row == b.row:
			c.Same++
		default:
			if err := c.change(b.at, a.at); err != nil {
				return err
			}
			c.tell(int(c.Changed)-1, a.cells, b.cells)
		}
	}
	return nil
}

// change lists a row that differs.
func (c *Compared) change(at, before int64) error {
	c.Changed++
	c.changed.at, c.changed.before = append(c.changed.at, at), append(c.changed.before, before)
	if words := c.words(); 8*(len(c.bits)+words) <= mostTold && len(c.bits) == words*int(c.Changed-1) {
		c.bits = append(c.bits, make([]uint64, words)...)
	} else {
		c.bits = nil
	}
	return c.changed.bounded()
}

// words is how many words say in which columns a row differs.
func (c *Compared) words() int { return (len(c.columns) + 63) / 64 }

// tell notes in which columns a changed row differs.
func (c *Compared) tell(row int, was, is []uint64) {
	if c.bits == nil {
		return
	}
	of := c.bits[row*c.words():]
	for k := range is {
		if was[k] != is[k] {
			of[k/64] |= 1 << (k % 64)
		}
	}
}

// countColumns counts in how many rows each column differs.
func (c *Compared) countColumns() {
	counts := make([]int64, len(c.columns))
	for i, word := range c.bits {
		for ; word != 0; word &= word - 1 {
			counts[i%c.words()*64+bits.TrailingZeros64(word)]++
		}
	}
	for k, n := range counts {
		if n > 0 {
			c.Differing = append(c.Differing, Differing{c.columns[k], n})
		}
	}
	slices.SortStableFunc(c.Differing, func(x, y Differing) int { return cmp.Compare(y.Rows, x.Rows) })
}

// heldRow is an accepted row of the earlier outcome.
type heldRow struct {
	key xxh3.Uint128
	row uint64
	at  int64 // below 0 once it was found again
}

// heldRows are in the order of their keys. Keys are spread evenly, so that the first bits of one say where it stands.
type heldRows struct {
	rows   []heldRow
	starts []int32
	shift  int
}

// ready puts the rows in order.
func (h *heldRows) ready() {
	slices.SortFunc(h.rows, func(x, y heldRow) int {
		return cmp.Or(cmp.Compare(x.key.Hi, y.key.Hi), cmp.Compare(x.key.Lo, y.key.Lo), cmp.Compare(x.at, y.at))
	})
	size := bits.Len(uint(len(h.rows)))
	h.shift = 64 - size
	h.starts = make([]int32, 1<<size)
	at := 0
	for k := range h.starts {
		for at < len(h.rows) && int(h.rows[at].key.Hi>>h.shift) < k {
			at++
		}
		h.starts[k] = int32(at)
	}
}

// find returns a row with a key that was not found yet; nil where there is none.
func (h *heldRows) find(key xxh3.Uint128) *heldRow {
	for at := int(h.starts[key.Hi>>h.shift]); at < len(h.rows) && h.rows[at].key.Hi <= key.Hi; at++ {
		if r := &h.rows[at]; r.key == key && r.at > 0 {
			return r
		}
	}
	return nil
}

// byKey compares the accepted rows of two deliveries.
func (c *Compared) byKey(ctx context.Context, was, is *Side, wasAt, isAt []int, key []string) error {
	if len(key) == 0 {
		return wrongf("the outcomes are not of the same rows, and there is no key by which rows could be found again; give " +
			"the target a key, or name columns that tell rows apart")
	}
	if was.total > mostCompared {
		return wrongf("more than %d accepted rows of another delivery are not compared one by one", mostCompared)
	}
	c.By = key
	var keyAt [2][]int
	for k, side := range []*Side{was, is} {
		var err error
		if keyAt[k], err = side.places(key); err != nil {
			return wrongf("rows cannot be found again: %s", err)
		}
	}
	held := heldRows{rows: make([]heldRow, 0, was.total)}
	for a, err := range was.hashed(ctx, wasAt, keyAt[0]) {
		if err != nil {
			return err
		}
		held.rows = append(held.rows, heldRow{a.key, a.row, a.at})
	}
	held.ready()
	var cells []uint64 // of the rows that differ
	for b, err := range is.hashed(ctx, isAt, keyAt[1]) {
		if err != nil {
			return err
		}
		a := held.find(b.key)
		switch {
		case a == nil:
			c.New++
			c.isNew.at = append(c.isNew.at, b.at)
			err = c.isNew.bounded()
		case a.row == b.row:
			c.Same++
		default:
			if err = c.change(b.at, a.at); 8*(len(cells)+len(b.cells)) > mostTold {
				c.bits = nil
			}
			if cells = append(cells, b.cells...); c.bits == nil {
				cells = nil
			}
		}
		if err != nil {
			return err
		}
		if a != nil {
			a.at = -a.at
		}
	}
	for i := range held.rows {
		if at := held.rows[i].at; at > 0 {
			c.gone.at = append(c.gone.at, at)
		}
	}
	c.Gone = int64(len(c.gone.at))
	slices.Sort(c.gone.at)
	return c.tellBy(ctx, was, wasAt, cells)
}

// tellBy reads the rows of the earlier outcome once more, to tell in which columns others differ.
func (c *Compared) tellBy(ctx context.Context, was *Side, wasAt []int, cells []uint64) error {
	if c.bits == nil {
		return nil
	}
	order := make([]int, len(c.changed.at))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(x, y int) int { return cmp.Compare(c.changed.before[x], c.changed.before[y]) })
	n := len(wasAt)
	for a, err := range was.hashed(ctx, wasAt, nil) {
		switch {
		case err != nil:
			return err
		case len(order) == 0:
			return nil
		case c.changed.before[order[0]] == a.at:
			c.tell(order[0], a.cells, cells[order[0]*n:(order[0]+1)*n])
			order = order[1:]
		}
	}
	return nil
}

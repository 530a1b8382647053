package profile

import (
	"cmp"
	"math"
	"math/big"
	"math/bits"
	"slices"

	"sieb/core/distinct"
	"sieb/core/typing"
)

// spread adds up quantities: exact sums, whatever the order in which they come,
// and which of them lie outermost. The zero spread is empty.
type spread struct {
	count     int64
	low, high ends
	sums      [19]power // by digits after the point
	wide      *big.Float
	wideSq    *big.Float
	bins      bins // only of a column whose values are not all held
	keepsBins bool
	byDay     bool // bins are days; quantities are instants in milliseconds
	binBits   uint // otherwise: of a double's fraction, what tells bins apart
}

// bins count quantities by bin: those of a stretch of bins one behind the other, the
// others in a map.
type bins struct {
	first  int32
	counts []int64
	others map[int32]int64
}

// maxStretch is how many bins the stretch has at the most.
const maxStretch = 1 << 12

func (b *bins) add(bin int32, count int64) {
	if i := int64(bin) - int64(b.first); uint64(i) < uint64(len(b.counts)) {
		b.counts[i] += count
		return
	}
	b.reach(bin)
	if i := int64(bin) - int64(b.first); uint64(i) < uint64(len(b.counts)) {
		b.counts[i] += count
		return
	}
	if b.others == nil {
		b.others = map[int32]int64{}
	}
	b.others[bin] += count
}

// reach makes the stretch reach to a bin, where that does not make it too long.
func (b *bins) reach(bin int32) {
	if b.counts == nil {
		b.first, b.counts = bin, make([]int64, 1)
	}
	first, behind := min(int64(b.first), int64(bin)), max(int64(b.first)+int64(len(b.counts)), int64(bin)+1)
	if behind-first > maxStretch || b.others[bin] > 0 {
		return
	}
	// Some more than is asked for, on the same side.
	if more := min((behind-first)/2+8, maxStretch-(behind-first)); bin < b.first {
		first = max(first-more, math.MinInt32)
	} else {
		behind += more
	}
	counts := make([]int64, behind-first)
	copy(counts[int64(b.first)-first:], b.counts)
	b.first, b.counts = int32(first), counts
	for other, count := range b.others {
		if i := int64(other) - first; uint64(i) < uint64(len(counts)) {
			counts[i] += count
			delete(b.others, other)
		}
	}
}

// all goes through the bins that are not empty, in no order.
func (b *bins) all(yield func(bin int32, count int64) bool) {
	for i, count := range b.counts {
		if count > 0 && !yield(b.first+int32(i), count) {
			return
		}
	}
	for bin, count := range b.others {
		if !yield(bin, count) {
			return
		}
	}
}

// ends are the least or the greatest different quantities, at most maxEnds.
type ends struct {
	kept  []extreme
	order []uint8 // of those kept: from the innermost to the outermost
}

// extreme is one of the least or the greatest quantities: how often it occurs, and
// where first.
type extreme struct {
	typing.Quantity
	distinct.Sighting
	count int64
}

// maxEnds is one more than can be far from all others at one end.
const maxEnds = maxFar + 1

// add counts a quantity; sign is +1 for the greatest, -1 for the least. One that
// falls out never comes back, so that the counts are exact.
func (e *ends) add(sign int, q typing.Quantity, count int64, at distinct.Sighting) {
	isFull := len(e.kept) == maxEnds
	if isFull {
		k := &e.kept[e.order[0]]
		if q.Wide == nil && k.Wide == nil && q.Frac == k.Frac { // as nearly always; the values lie within
			if sign > 0 && q.Coef < k.Coef || sign < 0 && q.Coef > k.Coef {
				return
			}
		} else if q.Compare(k.Quantity)*sign < 0 {
			return
		}
	}
	i := len(e.order) - 1 // the outermost first: in ascending columns that is where values go
	for ; i >= 0; i-- {
		k := &e.kept[e.order[i]]
		c := q.Compare(k.Quantity) * sign
		if c > 0 {
			break
		}
		if c == 0 {
			if k.count += count; at.Row < k.Row {
				k.Set(at)
			}
			return
		}
	}
	if !isFull {
		e.order = slices.Insert(e.order, i+1, uint8(len(e.kept)))
		e.kept = append(e.kept, extreme{q, at.Copied(), count})
		return
	}
	slot := e.order[0]
	copy(e.order, e.order[1:i+1])
	e.order[i] = slot
	k := &e.kept[slot]
	k.Quantity, k.count = q, count
	k.Set(at)
}

func (e *ends) merge(sign int, o *ends) {
	for _, k := range o.kept {
		e.add(sign, k.Quantity, k.count, k.Sighting)
	}
}

// outermost returns the least or the greatest quantity.
func (e *ends) outermost() *extreme { return &e.kept[e.order[len(e.order)-1]] }

// inward returns those kept as measured values, from the outermost inwards.
func (e *ends) inward() (all []measuredValue) {
	for i := len(e.order) - 1; i >= 0; i-- {
		k := &e.kept[e.order[i]]
		all = append(all, measuredValue{weighted{k.Float(), k.count}, k.Sighting})
	}
	return all
}

// power is a sum of coefficients (two's complement, 128 bits) and of their
// squares (192 bits).
type power struct {
	lo, hi  uint64
	squares [3]uint64
}

func (p *power) add(coef, count int64) {
	a := uint64(max(coef, -coef))
	hi, lo := bits.Mul64(a, uint64(count))
	var carry uint64
	if coef < 0 {
		p.lo, carry = bits.Sub64(p.lo, lo, 0)
		p.hi, _ = bits.Sub64(p.hi, hi, carry)
	} else {
		p.lo, carry = bits.Add64(p.lo, lo, 0)
		p.hi, _ = bits.Add64(p.hi, hi, carry)
	}
	hi, lo = bits.Mul64(a, a)
	top, low := bits.Mul64(lo, uint64(count))
	up, mid := bits.Mul64(hi, uint64(count))
	mid, carry = bits.Add64(mid, top, 0)
	p.addSquares([3]uint64{low, mid, up + carry})
}

func (p *power) addSquares(s [3]uint64) {
	var carry uint64
	for i := range s {
		p.squares[i], carry = bits.Add64(p.squares[i], s[i], carry)
	}
}

func (p *power) merge(o *power) {
	var carry uint64
	p.lo, carry = bits.Add64(p.lo, o.lo, 0)
	p.hi, _ = bits.Add64(p.hi, o.hi, carry)
	p.addSquares(o.squares)
}

func (p *power) sum() *big.Int {
	n := new(big.Int).SetInt64(int64(p.hi))
	return n.Add(n.Lsh(n, 64), new(big.Int).SetUint64(p.lo))
}

func (p *power) squareSum() *big.Int {
	n := new(big.Int)
	for i := len(p.squares) - 1; i >= 0; i-- {
		n.Add(n.Lsh(n, 64), new(big.Int).SetUint64(p.squares[i]))
	}
	return n
}

// wideBits is the precision of sums of doubles and of numbers of many digits:
// enough for the sum of a delivery's doubles to be exact.
const wideBits = 2400

// add counts a quantity, which stands first in the sighting.
func (s *spread) add(q typing.Quantity, count int64, at distinct.Sighting) {
	s.count += count
	s.low.add(-1, q, count, at)
	s.high.add(+1, q, count, at)
	if q.Wide == nil {
		s.sums[q.Frac].add(q.Coef, count)
	} else {
		x := new(big.Float).SetPrec(wideBits).SetRat(q.Wide)
		n := new(big.Float).SetInt64(count)
		if s.wide == nil {
			s.wide, s.wideSq = new(big.Float).SetPrec(wideBits), new(big.Float).SetPrec(wideBits)
		}
		square := new(big.Float).SetPrec(wideBits).Mul(x, x)
		s.wide.Add(s.wide, x.Mul(x, n))
		s.wideSq.Add(s.wideSq, square.Mul(square, n))
	}
	if s.keepsBins {
		var bin int32
		if s.byDay {
			bin = int32(dayOf(q))
		} else {
			bin = binOf(q.Float(), s.binBits)
		}
		s.bins.add(bin, count)
	}
}

func (s *spread) merge(o *spread) {
	s.count += o.count
	s.low.merge(-1, &o.low)
	s.high.merge(+1, &o.high)
	for i := range s.sums {
		s.sums[i].merge(&o.sums[i])
	}
	if o.wide != nil {
		if s.wide == nil {
			s.wide, s.wideSq = o.wide, o.wideSq
		} else {
			s.wide.Add(s.wide, o.wide)
			s.wideSq.Add(s.wideSq, o.wideSq)
		}
	}
	o.bins.all(func(bin int32, count int64) bool {
		s.bins.add(bin, count)
		return true
	})
}

// sum returns the exact sum of all quantities.
func (s *spread) sum() *big.Rat {
	total := new(big.Rat)
	for frac := range s.sums {
		if n := s.sums[frac].sum(); n.Sign() != 0 {
			total.Add(total, new(big.Rat).SetFrac(n, typing.Pow10(frac)))
		}
	}
	if s.wide != nil {
		r, _ := s.wide.Rat(nil)
		total.Add(total, r)
	}
	return total
}

// moments returns the mean and the standard deviation (of a sample: the sum of
// squares by count - 1), each the exact value rounded once.
func (s *spread) moments() (mean, deviation float64) {
	if s.count == 0 {
		return math.NaN(), math.NaN()
	}
	n := new(big.Rat).SetInt64(s.count)
	sum := s.sum()
	average := new(big.Rat).Quo(sum, n)
	mean, _ = average.Float64()
	if s.count == 1 {
		return mean, 0
	}
	squares := new(big.Rat)
	for frac := range s.sums {
		if q := s.sums[frac].squareSum(); q.Sign() != 0 {
			squares.Add(squares, new(big.Rat).SetFrac(q, typing.Pow10(2*frac)))
		}
	}
	if s.wideSq != nil {
		r, _ := s.wideSq.Rat(nil)
		squares.Add(squares, r)
	}
	squares.Sub(squares, sum.Mul(sum, average))
	squares.Quo(squares, n.SetInt64(s.count-1))
	variance, _ := squares.Float64()
	return mean, math.Sqrt(max(variance, 0))
}

// binError is how far, as a share of it, a value can be from the middle of its
// bin.
func (s *spread) binError() float64 { return 1 / float64(int(2)<<s.binBits) }

// binOf returns the bin of a value: its sign, its power of two and the first bits
// of its fraction, so that with seven bits a bin is at most 1/128 of its values wide.
// Bins stand in the order of their values.
func binOf(x float64, binBits uint) int32 {
	b := int32(math.Float64bits(math.Abs(x)) >> (52 - binBits))
	if x < 0 {
		return -b
	}
	return b
}

// binMiddle returns the value in the middle of a bin.
func binMiddle(b int32, binBits uint) float64 {
	if b == 0 {
		return 0
	}
	a := uint64(max(b, -b))
	low, high := math.Float64frombits(a<<(52-binBits)), math.Float64frombits((a+1)<<(52-binBits))
	if b < 0 {
		return -(low + high) / 2
	}
	return (low + high) / 2
}

// weighted is a value and how often it occurs.
type weighted struct {
	value float64
	count int64
}

// fromBins returns the values that the bins stand for, in order.
func (s *spread) fromBins() []weighted {
	var all []weighted
	if s.count == 0 {
		return all
	}
	low, high := s.low.outermost().Float(), s.high.outermost().Float()
	s.bins.all(func(bin int32, count int64) bool {
		x := float64(bin) * dayMillis / 1000
		if !s.byDay {
			x = binMiddle(bin, s.binBits)
		}
		all = append(all, weighted{min(max(x, low), high), count})
		return true
	})
	slices.SortFunc(all, func(a, b weighted) int { return cmp.Compare(a.value, b.value) })
	return all
}

// quantiles returns values of sorted quantities below which the given shares lie
// (Hyndman and Fan, "Sample Quantiles in Statistical Packages", 1996, type 7;
// steps: type 1, so that each is one of the values).
func quantiles(sorted []weighted, shares []float64, steps bool) []float64 {
	total := int64(0)
	for _, w := range sorted {
		total += w.count
	}
	at := func(rank int64) float64 { // from 0
		for _, w := range sorted {
			if rank < w.count {
				return w.value
			}
			rank -= w.count
		}
		return sorted[len(sorted)-1].value
	}
	result := make([]float64, len(shares))
	for i, p := range shares {
		if steps {
			result[i] = at(max(int64(math.Ceil(p*float64(total)))-1, 0))
			continue
		}
		h := p * float64(total-1)
		low := math.Floor(h)
		a, b := at(int64(low)), at(min(int64(low)+1, total-1))
		result[i] = a + (h-low)*(b-a)
	}
	return result
}

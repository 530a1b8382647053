package profile

import "github.com/axiomhq/hyperloglog"

// grain is how finely a column is estimated whose values are not all held: the more
// columns a delivery has, the coarser, so that all of them together keep within the
// bounds of memory.
type grain uint8

func grainOf(columns int) grain {
	switch {
	case columns <= 1000:
		return 0
	case columns <= 4000:
		return 1
	}
	return 2
}

// workers bounds how many workers there are, each of which has all columns.
func (g grain) workers() int { return []int{4, 2, 1}[g] }

// precision is that of a sketch: it has 2^precision registers.
func (g grain) precision() uint8 { return 14 - 2*uint8(g) }

func (g grain) newSketch() *hyperloglog.Sketch {
	sketch, err := hyperloglog.NewSketch(g.precision(), false)
	if err != nil {
		panic(err) // the precisions are those that sketches have
	}
	return sketch
}

// sketchError is three times the standard error of a sketch (Flajolet et al.,
// "HyperLogLog", 2007).
func (g grain) sketchError() float64 { return 3 * 1.04 / float64(int(1)<<(g.precision()/2)) }

// binBits is how many bits of a double's fraction tell bins apart.
func (g grain) binBits() uint { return 7 - 2*uint(g) }

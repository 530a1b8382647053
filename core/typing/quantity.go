package typing

import (
	"cmp"
	"math"
	"math/big"
)

// Quantity is a number exactly: coef / 10^frac, or wide where that does not
// hold it.
type Quantity struct {
	Coef int64
	Frac int
	Wide *big.Rat
}

// Rat returns the number as a fraction.
func (q Quantity) Rat() *big.Rat {
	if q.Wide != nil {
		return q.Wide
	}
	return new(big.Rat).SetFrac(big.NewInt(q.Coef), Pow10(q.Frac))
}

// Float returns the nearest double.
func (q Quantity) Float() float64 {
	if q.Wide != nil {
		f, _ := q.Wide.Float64()
		return f
	}
	return float64(q.Coef) / math.Pow10(q.Frac)
}

// Compare orders two quantities exactly.
func (q Quantity) Compare(o Quantity) int {
	if q.Wide == nil && o.Wide == nil && q.Frac == o.Frac {
		return cmp.Compare(q.Coef, o.Coef)
	}
	if a, b := q.Float(), o.Float(); math.Abs(a-b) > 1e-9*math.Max(math.Abs(a), math.Abs(b)) {
		return cmp.Compare(a, b)
	}
	return q.Rat().Cmp(o.Rat())
}

// Pow10 returns 10^n.
func Pow10(n int) *big.Int { return new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(n)), nil) }

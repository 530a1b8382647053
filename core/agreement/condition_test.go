package agreement_test

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"strings"
)

// answer is what a condition or a part of it comes to: *big.Rat, bool or string; nil where it is not
// known, since it takes a value that is missing or wrong.
type answer any

// term is a part of a condition: its text in CEL, and what it comes to in a row.
type term struct {
	text string
	of   func(r *row) answer
}

// row is what the model knows of a row while it judges it.
type row struct {
	number int
	raw    map[string]string // cells as delivered, by header
	values map[string]value
}

// conditions draws conditions over columns that are known.
type conditions struct {
	*rand.Rand
	numbers, texts, truths, days, all []string
	headers                           []string
}

func (c *conditions) pick(from []string) string { return from[c.IntN(len(from))] }

// number draws an expression that is a number.
func (c *conditions) number(depth int) term {
	n := c.IntN(9)
	if len(c.numbers) == 0 && n < 3 {
		n = 4
	}
	if depth <= 0 && n > 4 {
		n %= 3
		if len(c.numbers) == 0 {
			n = 3
		}
	}
	switch n {
	case 0, 1, 2:
		name := c.pick(c.numbers)
		return term{name, func(r *row) answer { return r.values[name].known() }}
	case 3:
		return term{"row", func(r *row) answer { return big.NewRat(int64(r.number), 1) }}
	case 4:
		text := c.pick([]string{"0", "1", "7", "12", "2.5", "100", "0.1", "999999"})
		n, _ := new(big.Rat).SetString(text)
		return term{text, func(*row) answer { return n }}
	case 5:
		return c.two(depth, "+", (*big.Rat).Add)
	case 6:
		return c.two(depth, "-", (*big.Rat).Sub)
	case 7:
		return c.two(depth, "*", (*big.Rat).Mul)
	default:
		a := c.number(depth - 1)
		return term{"abs(" + a.text + ")", func(r *row) answer {
			if n, ok := a.of(r).(*big.Rat); ok {
				return new(big.Rat).Abs(n)
			}
			return nil
		}}
	}
}

func (c *conditions) two(depth int, sign string, of func(z, a, b *big.Rat) *big.Rat) term {
	a, b := c.number(depth-1), c.number(depth-1)
	return term{"(" + a.text + " " + sign + " " + b.text + ")", func(r *row) answer {
		x, isX := a.of(r).(*big.Rat)
		y, isY := b.of(r).(*big.Rat)
		if !isX || !isY {
			return nil
		}
		return of(new(big.Rat), x, y)
	}}
}

// truth draws a condition.
func (c *conditions) truth(depth int) term {
	n := c.IntN(12)
	if depth <= 0 {
		n %= 7
	}
	switch {
	case n <= 1:
		return c.comparison(depth)
	case n == 2 && len(c.texts) > 0:
		name, word := c.pick(c.texts), c.pick(words)
		return term{fmt.Sprintf("%s == %q", name, word), func(r *row) answer {
			if text, ok := r.values[name].known().(string); ok {
				return text == word
			}
			return nil
		}}
	case n == 3 && len(c.texts) > 0:
		name, one, two := c.pick(c.texts), c.pick(words), c.pick(words)
		return term{fmt.Sprintf("%s in [%q, %q]", name, one, two), func(r *row) answer {
			if text, ok := r.values[name].known().(string); ok {
				return text == one || text == two
			}
			return nil
		}}
	case n == 4:
		name := c.pick(c.all)
		return term{"has(" + name + ")", func(r *row) answer { return r.values[name].has }}
	case n == 5 && len(c.truths) > 0:
		name := c.pick(c.truths)
		return term{name, func(r *row) answer {
			if text, ok := r.values[name].known().(string); ok {
				return text == "true"
			}
			return nil
		}}
	case n == 6 && len(c.days) > 0:
		name, day := c.pick(c.days), fmt.Sprintf("2026-07-%02d", 1+c.IntN(28))
		return term{fmt.Sprintf("%s >= date(%q)", name, day), func(r *row) answer {
			if text, ok := r.values[name].known().(string); ok {
				return text >= day
			}
			return nil
		}}
	case n == 7:
		a := c.truth(depth - 1)
		return term{"!(" + a.text + ")", func(r *row) answer {
			if is, ok := a.of(r).(bool); ok {
				return !is
			}
			return nil
		}}
	case n == 8:
		return c.junction(depth, "&&", false)
	case n == 9, n == 10:
		return c.junction(depth, "||", true)
	case n == 11:
		a, b, d := c.truth(depth-1), c.truth(depth-1), c.truth(depth-1)
		return term{"(" + a.text + " ? " + b.text + " : " + d.text + ")", func(r *row) answer {
			switch is, ok := a.of(r).(bool); {
			case !ok:
				return nil
			case is:
				return b.of(r)
			default:
				return d.of(r)
			}
		}}
	}
	return c.comparison(depth)
}

func (c *conditions) comparison(depth int) term {
	a, b := c.number(depth-1), c.number(depth-1)
	sign := c.pick([]string{"<", "<=", ">", ">=", "==", "!="})
	return term{"(" + a.text + " " + sign + " " + b.text + ")", func(r *row) answer {
		x, isX := a.of(r).(*big.Rat)
		y, isY := b.of(r).(*big.Rat)
		if !isX || !isY {
			return nil
		}
		n := x.Cmp(y)
		return map[string]bool{"<": n < 0, "<=": n <= 0, ">": n > 0, ">=": n >= 0, "==": n == 0, "!=": n != 0}[sign]
	}}
}

// junction draws two conditions of which one decides alone where it comes to decides.
func (c *conditions) junction(depth int, sign string, decides bool) term {
	a, b := c.truth(depth-1), c.truth(depth-1)
	return term{"(" + a.text + " " + sign + " " + b.text + ")", func(r *row) answer {
		x, isX := a.of(r).(bool)
		y, isY := b.of(r).(bool)
		switch {
		case isX && x == decides, isY && y == decides:
			return decides
		case isX && isY:
			return !decides
		}
		return nil
	}}
}

// rawTruth draws a condition over cells as they were delivered.
func (c *conditions) rawTruth() term {
	header, word := c.pick(c.headers), c.pick(words)[:1]
	if c.IntN(2) == 0 {
		return term{fmt.Sprintf("cell(%q).startsWith(%q)", header, word),
			func(r *row) answer { return strings.HasPrefix(r.raw[header], word) }}
	}
	n := 1 + c.IntN(40)
	return term{fmt.Sprintf("cell(%q) == %q || row == %d", header, word, n),
		func(r *row) answer { return r.raw[header] == word || r.number == n }}
}

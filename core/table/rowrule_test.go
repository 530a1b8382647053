package table

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/condition"
	"sieb/core/target"
	"sieb/core/value"
)

// sqlTruth is what a database makes of a clause: 1 true, 0 false, -1 neither.
func sqlTruth(c clause, row map[string]*int) int {
	not := func(t int) int {
		if t < 0 {
			return t
		}
		return 1 - t
	}
	is := func(b bool) int {
		if b {
			return 1
		}
		return 0
	}
	number := func(c clause) *int {
		if c.op == "name" {
			return row[c.text]
		}
		var n int
		fmt.Sscan(c.text, &n)
		return &n
	}
	switch c.op {
	case "and", "or":
		decides, result := is(c.op == "or"), 1-is(c.op == "or")
		for _, a := range c.args {
			switch t := sqlTruth(a, row); {
			case t == decides:
				return t
			case t < 0:
				result = -1
			}
		}
		return result
	case "not":
		return not(sqlTruth(c.args[0], row))
	case "is null":
		return is(row[c.args[0].text] == nil)
	case "is not null":
		return is(row[c.args[0].text] != nil)
	case "in":
		n := number(c.args[0])
		if n == nil {
			return -1
		}
		for _, a := range c.args[1].args {
			if *number(a) == *n {
				return 1
			}
		}
		return 0
	}
	a, b := number(c.args[0]), number(c.args[1])
	if a == nil || b == nil {
		return -1
	}
	return is(map[string]bool{"=": *a == *b, "<>": *a != *b, "<": *a < *b, "<=": *a <= *b, ">": *a > *b,
		">=": *a >= *b}[c.op])
}

// A row rule fails exactly where the database's constraint is false.
func TestRowRulesAreTheConstraints(t *testing.T) {
	name := rapid.Custom(func(t *rapid.T) clause {
		return clause{op: "name", text: rapid.SampledFrom([]string{"a", "b", "c"}).Draw(t, "name")}
	})
	literal := rapid.Custom(func(t *rapid.T) clause {
		return clause{op: "number", text: fmt.Sprint(rapid.IntRange(-2, 3).Draw(t, "number"))}
	})
	var term func(depth int) *rapid.Generator[clause]
	term = func(depth int) *rapid.Generator[clause] {
		return rapid.Custom(func(t *rapid.T) clause {
			shape := rapid.IntRange(0, 3+3*min(depth, 1)).Draw(t, "shape")
			switch shape {
			case 0, 1:
				other := literal
				if rapid.Bool().Draw(t, "two columns") {
					other = name
				}
				return clause{op: rapid.SampledFrom([]string{"=", "<>", "<", "<=", ">", ">="}).Draw(t, "op"),
					args: []clause{name.Draw(t, "left"), other.Draw(t, "right")}}
			case 2:
				return clause{op: rapid.SampledFrom([]string{"is null", "is not null"}).Draw(t, "op"),
					args: []clause{name.Draw(t, "of")}}
			case 3:
				return clause{op: "in", args: []clause{name.Draw(t, "of"),
					{op: "array", args: rapid.SliceOfN(literal, 1, 3).Draw(t, "set")}}}
			case 4:
				return clause{op: "not", args: []clause{term(depth-1).Draw(t, "part")}}
			}
			return clause{op: []string{"and", "or"}[shape-5],
				args: []clause{term(depth-1).Draw(t, "left"), term(depth-1).Draw(t, "right")}}
		})
	}
	rapid.Check(t, func(t *rapid.T) {
		table := &Table{Schema: "s", Name: "t"}
		isRequired := rapid.Bool().Draw(t, "c is required")
		for _, n := range []string{"a", "b", "c"} {
			table.Columns = append(table.Columns, Column{Name: n, Type: "integer", NotNull: n == "c" && isRequired})
		}
		d := drawing{table.Draft(), map[string]int{"a": 0, "b": 1, "c": 2}}
		c := term(3).Draw(t, "clause")
		text, ok := d.rowRule(c)
		require.True(t, ok, "%s", sql(c))
		p, err := condition.Compile(text, target.Known(d.Columns), condition.Truth)
		require.NoError(t, err, text)
		row := map[string]*int{}
		for _, n := range []string{"a", "b", "c"} {
			if (n == "c" && isRequired) || rapid.Bool().Draw(t, n+" has a value") {
				v := rapid.IntRange(-2, 3).Draw(t, n)
				row[n] = &v
			}
		}
		vars := make(condition.Block, len(p.Variables))
		for i, v := range p.Variables {
			vars[i] = make([]condition.Value, 1)
			if n := row[v.Name]; n != nil {
				vars[i][0].Read(value.Integer, []byte(fmt.Sprint(*n)))
			}
		}
		holds, isJudged := p.Holds(vars, 0)
		require.Equal(t, sqlTruth(c, row) == 0, isJudged && !holds, "%s as %s", sql(c), text)
	})
}

func TestWhatCannotBeSaid(t *testing.T) {
	table := &Table{Schema: "s", Name: "t", Columns: []Column{{Name: "a", Type: "integer"}, {Name: "t", Type: "text"},
		{Name: "d", Type: "date"}, {Name: "f", Type: "double precision"}}}
	d := drawing{table.Draft(), map[string]int{"a": 0, "t": 1, "d": 2, "f": 3}}
	for _, text := range []string{"abs(a) > 3", "t < 'b'", "d + 1 > d", "f > 2", "a / 2 > 1", "unknown > 1",
		"a = ANY (ARRAY[t])",
		"a > 1 and lower(t) = 'x'"} {
		c, err := parseClause(text)
		require.NoError(t, err, text)
		_, ok := d.rowRule(c)
		require.False(t, ok, text)
	}
}

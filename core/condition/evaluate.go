package condition

import (
	"time"

	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/interpreter"
	"github.com/shopspring/decimal"
)

// Holds reports whether a condition holds in row k of a block; isJudged is false where
// Evaluate gives no truth.
func (p *Program) Holds(vars Block, k int) (holds, isJudged bool) {
	if p.truth != nil && p.isComplete(vars, k) {
		if holds, isJudged = p.truth(vars, k); isJudged {
			return holds, true
		}
	}
	v := p.Evaluate(vars, k, nil)
	return v.Units != 0, v.Kind == Truth
}

// isComplete reports whether no value is wrong, and none is missing for which the text does
// not ask.
func (p *Program) isComplete(vars Block, k int) bool {
	for i := range vars {
		if kind := vars[i][k].Kind; kind == Wrong || kind == Missing && !p.Variables[i].Tested {
			return false
		}
	}
	return true
}

// Evaluate computes the result for row k of a block. It is Missing where a value is missing
// for which the text does not ask with has(), or is wrong; and Wrong where it cannot be
// computed, with the reason as its text. A text that is put together stands in space, and is
// valid until that is used again; space may be nil.
func (p *Program) Evaluate(vars Block, k int, space *[]byte) Value {
	if !p.isComplete(vars, k) {
		return Value{}
	}
	switch {
	case p.truth != nil:
		if is, ok := p.truth(vars, k); ok {
			return truthValue(is)
		}
	case p.number != nil:
		if n, ok := p.number(vars, k); ok {
			return Value{Kind: Number, Units: n.units, Scale: n.scale}
		}
	case p.text != nil:
		if t, ok := p.text(vars, k); ok {
			return Value{Kind: Text, Text: t}
		}
	case p.join != nil && space != nil:
		text, ok := p.join((*space)[:0], vars, k)
		if *space = text; ok {
			return Value{Kind: Text, Text: text}
		}
	case p.moment != nil:
		if m, ok := p.moment(vars, k); ok {
			return Value{Kind: Moment, Units: m.seconds, Nanos: m.nanos}
		}
	}
	return p.ask(vars, k)
}

// ask lets the library evaluate the text.
func (p *Program) ask(vars Block, k int) Value {
	out, _, err := p.library.Eval(&row{p, vars, k})
	if err != nil {
		return Value{Kind: Wrong, Text: []byte(plainWords(err.Error()))}
	}
	return fromLibrary(out)
}

// row gives the library the values of one row.
type row struct {
	program *Program
	vars    Block
	k       int
}

func (r *row) ResolveName(name string) (any, bool) {
	at, ok := r.program.names[name]
	if !ok {
		return nil, false
	}
	if at < 0 {
		return types.Bool(r.vars[-1-at][r.k].Kind != Missing), true
	}
	v := &r.vars[at][r.k]
	if origin := r.program.Variables[at].Origin; origin == OfRow || origin == OfLine {
		return types.Int(v.Units), true
	}
	return v.toLibrary(), true
}

func (r *row) Parent() interpreter.Activation { return nil }

func (v *Value) toLibrary() ref.Val {
	switch v.Kind {
	case Truth:
		return types.Bool(v.Units != 0)
	case Number:
		if v.Long {
			return toNumber(string(v.Text))
		}
		return number{decimal.New(v.Units, -int32(v.Scale))}
	case Text:
		return types.String(v.Text)
	case Moment:
		return types.Timestamp{Time: v.time()}
	}
	return types.NullValue
}

func fromLibrary(v ref.Val) Value {
	switch v := v.(type) {
	case types.Bool:
		return truthValue(bool(v))
	case types.Int:
		return Whole(int64(v))
	case types.Uint:
		return readNumber([]byte(decimal.NewFromUint64(uint64(v)).String()))
	case types.Double:
		text, _ := exactText(float64(v))
		return readNumber([]byte(text))
	case number:
		return readNumber([]byte(v.String()))
	case types.String:
		return Value{Kind: Text, Text: []byte(v)}
	case types.Timestamp:
		return MomentOf(time.Time(v.Time))
	case types.Null:
		return Value{}
	}
	return Value{Kind: Wrong, Text: []byte("the result is neither a text, a number, a date nor true or false")}
}

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
	if p.truth != nil {
		switch holds, is := p.truth(vars, k); is {
		case told:
			return holds, true
		case absent:
			return false, false
		}
	}
	v := p.Evaluate(vars, k, nil)
	return v.Units != 0, v.Kind == Truth
}

// isComplete reports whether no value that the text reads is missing or wrong.
func (p *Program) isComplete(vars Block, k int) bool {
	for i := range vars {
		if kind := vars[i][k].Kind; kind == Wrong || kind == Missing {
			return false
		}
	}
	return true
}

// Evaluate computes the result for row k of a block. It is Missing where it takes a value that is
// missing or wrong; as in CEL it does not take one where another decides, as the other side of an
// or. It is Wrong where it cannot be computed, with the reason as its text. A text that is put
// together stands in space, and is valid until that is used again; space may be nil.
func (p *Program) Evaluate(vars Block, k int, space *[]byte) Value {
	if !p.branch && !p.isComplete(vars, k) {
		return Value{}
	}
	v, is := p.compute(vars, k, space)
	switch is {
	case told:
		return v
	case absent:
		return Value{}
	}
	return p.ask(vars, k)
}

// compute does so without the library.
func (p *Program) compute(vars Block, k int, space *[]byte) (Value, telling) {
	switch {
	case p.truth != nil:
		holds, is := p.truth(vars, k)
		return truthValue(holds), is
	case p.number != nil:
		n, is := p.number(vars, k)
		return Value{Kind: Number, Units: n.units, Scale: n.scale}, is
	case p.text != nil:
		t, is := p.text(vars, k)
		return Value{Kind: Text, Text: t}, is
	case p.join != nil && space != nil:
		text, is := p.join((*space)[:0], vars, k)
		*space = text
		return Value{Kind: Text, Text: text}, is
	case p.moment != nil:
		m, is := p.moment(vars, k)
		return Value{Kind: Moment, Units: m.seconds, Nanos: m.nanos}, is
	}
	return Value{}, unsure
}

// ask lets the library evaluate the text.
func (p *Program) ask(vars Block, k int) Value {
	out, _, err := p.library.Eval(&row{p, vars, k, nil})
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
	room    *room // nil before it is asked for
}

func (r *row) ResolveName(name string) (any, bool) {
	if name == roomName {
		if r.room == nil {
			r.room = r.program.roomOf(r.vars, r.k)
		}
		return r.room, true
	}
	at, ok := r.program.names[name]
	if !ok {
		return nil, false
	}
	if at < 0 {
		return types.Bool(r.vars[-1-at][r.k].Kind != Missing), true
	}
	return r.vars[at][r.k].toLibrary(), true
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
	return types.NewUnknown(0, nil)
}

func fromLibrary(v ref.Val) Value {
	switch v := v.(type) {
	case types.Bool:
		return truthValue(bool(v))
	case number:
		return readNumber([]byte(v.String()))
	case types.String:
		return Value{Kind: Text, Text: []byte(v)}
	case types.Timestamp:
		return MomentOf(time.Time(v.Time))
	case *types.Unknown:
		return Value{}
	}
	return Value{Kind: Wrong, Text: []byte("the result is neither a text, a number, a date nor true or false")}
}

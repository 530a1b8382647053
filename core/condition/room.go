package condition

import (
	"fmt"
	"strings"
	"sync"
	"unicode/utf8"

	"cel.dev/cel-go/common/functions"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/common/types/traits"
	"cel.dev/cel-go/interpreter"
)

// Texts grow: ten characters for one, nine times in one another, are a gigabyte. What one
// evaluation makes of texts is charged to its room, before it is made where that can be told, and
// otherwise right behind; where the room is used up the evaluation ends with an error.

// room is what one evaluation may still make of texts, in bytes.
type room struct {
	left, whole int
}

// roomName is the name under which the library finds the room of an evaluation.
const roomName = "@room"

// alwaysRoom is how many bytes may be made of any text.
const alwaysRoom = 1 << 20

// Room returns how many bytes may be made of texts of so many bytes.
func Room(bytes int) int { return 4*bytes + alwaysRoom }

// roomOf returns the room for an evaluation over row k of a block.
func (p *Program) roomOf(vars Block, k int) *room {
	bytes := 0
	for i := range vars {
		bytes += len(vars[i][k].Text)
	}
	return &room{Room(bytes), Room(bytes)}
}

// take charges the room with some bytes; where it has not so many left it returns an error.
func (r *room) take(bytes int) ref.Val {
	if bytes > r.left {
		r.left = 0
		return types.NewErr("the texts that it makes come to more than %d bytes", r.whole)
	}
	r.left -= bytes
	return nil
}

// decorate makes calls of the library charge the room, and computes constant numbers once.
func decorate(i interpreter.InterpretableV2) (interpreter.InterpretableV2, error) {
	call, ok := i.(interpreter.InterpretableCall)
	if !ok {
		return i, nil
	}
	switch call.Function() {
	case "number":
		if _, ok := call.Args()[0].(interpreter.InterpretableConst); ok {
			if n := call.Eval(interpreter.EmptyActivation()); !types.IsError(n) {
				return interpreter.NewConstValue(call.ID(), n), nil
			}
		}
	case "_+_":
		return &growing{call, addTexts}, nil
	case "replace":
		return &growing{call, replaceText}, nil
	case "join":
		return &growing{call, joinTexts}, nil
	case "split":
		return &growing{call, splitText}, nil
	case "format":
		return &growing{call, formatText}, nil
	case "lowerAscii", "upperAscii", "reverse", "trim", "substring", "charAt", "string", "label":
		return &charged{call}, nil
	}
	return i, nil
}

// charged is a call whose result is not much longer than what it is made of.
type charged struct{ interpreter.InterpretableCall }

func (c *charged) Exec(frame *interpreter.ExecutionFrame) ref.Val {
	out := c.InterpretableCall.Exec(frame)
	if text, ok := out.(types.String); ok {
		if err := roomIn(frame).take(len(text)); err != nil {
			return err
		}
	}
	return out
}

// growing is a call whose result is charged before it is made.
type growing struct {
	interpreter.InterpretableCall
	compute func(r *room, args []ref.Val) ref.Val
}

func (g *growing) Exec(frame *interpreter.ExecutionFrame) ref.Val {
	args := make([]ref.Val, len(g.Args()))
	for i, a := range g.Args() {
		args[i] = a.Exec(frame)
	}
	for _, is := range []func(any) bool{func(v any) bool { return types.IsUnknown(v.(ref.Val)) },
		func(v any) bool { return types.IsError(v.(ref.Val)) }} {
		for _, a := range args {
			if is(a) {
				return a
			}
		}
	}
	return g.compute(roomIn(frame), args)
}

// roomIn returns the room of the evaluation at hand; constants are computed without one.
func roomIn(frame *interpreter.ExecutionFrame) *room {
	if found, ok := frame.ResolveName(roomName); ok {
		return found.(*room)
	}
	return &room{Room(0), Room(0)}
}

func addTexts(r *room, args []ref.Val) ref.Val {
	if err := r.take(added(args[0]) + added(args[1])); err != nil {
		return err
	}
	adder, ok := args[0].(traits.Adder)
	if !ok {
		return types.MaybeNoSuchOverloadErr(args[0])
	}
	return adder.Add(args[1])
}

// perElement is what an element of a list takes in memory, in bytes.
const perElement = 32

// added is how many bytes a sum copies of one of its sides; a sum of lists copies none, but is one
// more list to go through.
func added(v ref.Val) int {
	switch v := v.(type) {
	case types.String:
		return len(v)
	case traits.Lister:
		return perElement
	}
	return 0
}

func replaceText(r *room, args []ref.Val) ref.Val {
	texts, ok := textsOf(args[:min(3, len(args))])
	if !ok {
		return types.MaybeNoSuchOverloadErr(args[0])
	}
	text, find, with := texts[0], texts[1], texts[2]
	most := -1
	if len(args) > 3 {
		if n, ok := args[3].(types.Int); ok {
			most = int(n)
		}
	}
	n := strings.Count(text, find)
	if most >= 0 {
		n = min(n, most)
	}
	if err := r.take(len(text) + n*max(0, len(with)-len(find))); err != nil {
		return err
	}
	return types.String(strings.Replace(text, find, with, most))
}

func joinTexts(r *room, args []ref.Val) ref.Val {
	list, ok := args[0].(traits.Lister)
	if !ok {
		return types.MaybeNoSuchOverloadErr(args[0])
	}
	between := ""
	if len(args) > 1 {
		text, ok := args[1].(types.String)
		if !ok {
			return types.MaybeNoSuchOverloadErr(args[1])
		}
		between = string(text)
	}
	var all []string
	for it := list.Iterator(); it.HasNext() == types.True; {
		text, ok := it.Next().(types.String)
		if !ok {
			return types.NewErr("join takes a list of texts")
		}
		if err := r.take(len(text) + len(between) + perElement); err != nil {
			return err
		}
		all = append(all, string(text))
	}
	return types.String(strings.Join(all, between))
}

func splitText(r *room, args []ref.Val) ref.Val {
	texts, ok := textsOf(args[:min(2, len(args))])
	if !ok {
		return types.MaybeNoSuchOverloadErr(args[0])
	}
	n := strings.Count(texts[0], texts[1]) + 1
	if texts[1] == "" {
		n = utf8.RuneCountInString(texts[0])
	}
	most := -1
	if len(args) > 2 {
		if limit, ok := args[2].(types.Int); ok {
			most = int(limit)
		}
	}
	if most >= 0 {
		n = min(n, most)
	}
	if err := r.take(perElement * n); err != nil {
		return err
	}
	return types.DefaultTypeAdapter.NativeToValue(strings.SplitN(texts[0], texts[1], most))
}

func formatText(r *room, args []ref.Val) ref.Val {
	text, isText := args[0].(types.String)
	list, isList := args[1].(traits.Lister)
	if !isText || !isList {
		return types.MaybeNoSuchOverloadErr(args[0])
	}
	if err := r.take(len(text) + written(list)); err != nil {
		return err
	}
	return formatting().Function(text, list)
}

// longestFormatted is how many bytes a number takes at the most, with the digits that may be asked
// for: a double has 309 before the point.
const longestFormatted = 400

// written is how many bytes a formatted value takes at the most.
func written(v ref.Val) (bytes int) {
	switch v := v.(type) {
	case types.String:
		return 2*len(v) + perElement // in hexadecimal digits
	case types.Bytes:
		return 2*len(v) + perElement
	case traits.Mapper:
		for it := v.Iterator(); it.HasNext() == types.True; {
			key := it.Next()
			bytes += written(key) + written(v.Get(key))
		}
		return bytes
	case traits.Lister:
		for it := v.Iterator(); it.HasNext() == types.True; {
			bytes += written(it.Next())
		}
		return bytes
	}
	return longestFormatted
}

// formatting is the library's function.
var formatting = sync.OnceValue(func() *functions.Overload {
	bindings, err := language().Functions()["format"].Bindings()
	if err != nil || len(bindings) == 0 {
		panic(fmt.Sprint("the library has no function format: ", err))
	}
	return bindings[0]
})

func textsOf(args []ref.Val) (texts []string, ok bool) {
	for _, a := range args {
		text, ok := a.(types.String)
		if !ok {
			return nil, false
		}
		texts = append(texts, string(text))
	}
	return texts, true
}

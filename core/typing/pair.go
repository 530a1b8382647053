package typing

import (
	"bytes"
	"cmp"
	"slices"

	"sieb/core/distinct"
	"sieb/core/lexical"
	"sieb/core/value"
)

// pairs are the texts that stand for true and false, in lower case.
var pairs = [][2]string{{"true", "false"}, {"yes", "no"}, {"y", "n"}, {"ja", "nein"}, {"j", "n"}, {"t", "f"},
	{"on", "off"}, {"wahr", "falsch"}, {"oui", "non"}, {"si", "no"}, {"sí", "no"}, {"1", "0"}}

// pairOf reports which of two texts stands for true and which for false.
func pairOf(a, b []byte) (pair [2]string, ok bool) {
	for _, p := range pairs {
		switch {
		case bytes.EqualFold(a, []byte(p[0])) && bytes.EqualFold(b, []byte(p[1])):
			return [2]string{string(a), string(b)}, true
		case bytes.EqualFold(b, []byte(p[0])) && bytes.EqualFold(a, []byte(p[1])):
			return [2]string{string(b), string(a)}, true
		}
	}
	return pair, false
}

// PairIn returns the two values that nearly all of a column are, if they stand for true
// and false.
func (t *Reading) PairIn(values *distinct.Table, enough float64) (pair [2]string, ok bool) {
	if t.Datatype != value.String && t.Datatype != value.Integer {
		return pair, false
	}
	const few = 8 // other values
	var all []distinct.Item
	total := int64(0)
	for e := range values.All() {
		text := lexical.Trim(distinct.Start(values.Text(e.Entry)))
		if e.Count == 0 || len(text) == 0 || lexical.IsPlaceholder(text) {
			continue
		}
		total += e.Count
		if all = append(all, e); len(all) > few {
			return pair, false
		}
	}
	if len(all) < 2 {
		return pair, false
	}
	slices.SortFunc(all, func(a, b distinct.Item) int {
		return cmp.Or(cmp.Compare(b.Count, a.Count), cmp.Compare(a.Row, b.Row))
	})
	if float64(all[0].Count+all[1].Count) < enough*float64(total) {
		return pair, false
	}
	pair, ok = pairOf(lexical.Trim(values.Text(all[0].Entry)), lexical.Trim(values.Text(all[1].Entry)))
	return pair, ok && (t.Datatype == value.String || len(all) == 2)
}

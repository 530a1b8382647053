package table

import (
	"slices"
	"strconv"
	"strings"

	"sieb/core/condition"
	"sieb/core/target"
	"sieb/core/value"
)

// rowRule writes a check constraint as a condition of a row rule; false where it cannot be
// said so. SQL takes a row unless the constraint is false, and a comparison with null is
// neither true nor false. The condition is therefore brought into a form in which "not"
// stands before nothing that is joined, and there each comparison holds where a value is
// missing: that is false exactly where the constraint is.
func (d drawing) rowRule(c clause) (string, bool) {
	w := ruleWriter{drawing: d}
	text := w.truth(c, false)
	return text, !w.isLost
}

// addRowRule adds a clause as a row rule, which its own text names.
func (d drawing) addRowRule(c clause) bool {
	text, ok := d.rowRule(c)
	if ok && !slices.ContainsFunc(d.RowRules, func(r target.RowRule) bool { return r.Condition == text }) {
		d.RowRules = append(d.RowRules, target.RowRule{Name: d.inWords(c), Condition: text})
	}
	return ok
}

// inWords writes a clause without what guards it against missing values.
func (d drawing) inWords(c clause) string {
	w := ruleWriter{drawing: d, isPlain: true}
	return strings.ReplaceAll(w.truth(c, false), `"`, "'")
}

type ruleWriter struct {
	drawing
	isPlain bool // for people: nothing is guarded
	isLost  bool // something cannot be said
}

func (w *ruleWriter) lost() string {
	w.isLost = true
	return ""
}

var opposite = map[string]string{"=": "!=", "<>": "==", "!=": "==", "<": ">=", ">=": "<", ">": "<=", "<=": ">"}

// truth writes a condition, or its contrary.
func (w *ruleWriter) truth(c clause, isContrary bool) string {
	switch c.op {
	case "and", "or":
		sign := " && "
		if (c.op == "or") != isContrary {
			sign = " || "
		}
		parts := make([]string, len(c.args))
		for i := range c.args {
			if parts[i] = w.truth(c.args[i], isContrary); !w.isPlain || c.args[i].op == "and" || c.args[i].op == "or" {
				parts[i] = "(" + parts[i] + ")"
			}
		}
		return strings.Join(parts, sign)
	case "not":
		return w.truth(c.args[0], !isContrary)
	case "is null", "is not null":
		column := w.column(c.args[0])
		if column < 0 {
			return w.lost()
		}
		if (c.op == "is null") != isContrary {
			return "!" + w.has(column)
		}
		return w.has(column)
	case "in":
		return w.member(c, isContrary)
	case "name":
		column := w.column(c)
		if column < 0 || w.Columns[column].Datatype != value.Boolean {
			return w.lost()
		}
		sign := ""
		if isContrary {
			sign = "!"
		}
		return w.guarded(sign+condition.Ref(w.Columns[column].Name), c)
	}
	if opposite[c.op] == "" || len(c.args) != 2 {
		return w.lost()
	}
	return w.comparison(c, isContrary)
}

func (w *ruleWriter) comparison(c clause, isContrary bool) string {
	op := strings.NewReplacer("<>", "!=").Replace(c.op)
	if op == "=" {
		op = "=="
	}
	if isContrary {
		op = opposite[c.op]
	}
	kind := cmpKind(w.kindOf(c.args[0]), w.kindOf(c.args[1]))
	if kind == condition.Missing || kind == condition.Text && op != "==" && op != "!=" {
		return w.lost() // what is less of two texts is for the database's collation to say
	}
	return w.guarded(w.term(c.args[0], kind)+" "+op+" "+w.term(c.args[1], kind), c)
}

func (w *ruleWriter) member(c clause, isContrary bool) string {
	kind := w.kindOf(c.args[0])
	if c.args[1].op != "array" || kind != condition.Text && kind != condition.Number {
		return w.lost()
	}
	var values []string
	for _, v := range c.args[1].args {
		if !v.isLiteral() {
			return w.lost()
		}
		values = append(values, w.term(v, kind))
	}
	text := w.term(c.args[0], kind) + " in [" + strings.Join(values, ", ") + "]"
	if isContrary {
		text = "!(" + text + ")"
	}
	return w.guarded(text, c)
}

// guarded lets a comparison hold where one of its columns has no value.
func (w *ruleWriter) guarded(text string, c clause) string {
	var guards []string
	c.names(func(name string) {
		k, ok := w.at[name]
		if !ok || w.Columns[k].Required {
			return
		}
		if guard := "!" + w.has(k); !slices.Contains(guards, guard) {
			guards = append(guards, guard)
		}
	})
	if len(guards) == 0 || w.isPlain {
		return text
	}
	return strings.Join(guards, " || ") + " || " + text
}

func (w *ruleWriter) has(column int) string {
	return "has(" + condition.Ref(w.Columns[column].Name) + ")"
}

func (w *ruleWriter) column(c clause) int {
	if k, ok := w.at[c.text]; ok && c.op == "name" {
		return k
	}
	return -1
}

// kindOf returns what a term is; of a literal alone Missing, since its neighbour tells.
func (w *ruleWriter) kindOf(c clause) condition.Kind {
	switch {
	case c.op == "name":
		k := w.column(c)
		if k < 0 {
			w.lost()
			return condition.Missing
		}
		switch d := w.Columns[k].Datatype; {
		case d == value.Integer || d == value.Decimal:
			return condition.Number
		case d.HasDay():
			return condition.Moment
		case d == value.String:
			return condition.Text
		}
		w.lost()
	case slices.Contains([]string{"+", "-", "*"}, c.op) && len(c.args) == 2:
		if w.kindOf(c.args[0]) == condition.Moment || w.kindOf(c.args[1]) == condition.Moment {
			w.lost()
		}
		return condition.Number
	}
	return condition.Missing
}

// cmpKind returns the kind in which two terms are compared, Missing for none.
func cmpKind(a, b condition.Kind) condition.Kind {
	switch {
	case a == condition.Missing:
		return b
	case b == condition.Missing || a == b:
		return a
	}
	return condition.Missing
}

func (w *ruleWriter) term(c clause, kind condition.Kind) string {
	switch {
	case c.op == "name":
		if k := w.column(c); k >= 0 {
			return condition.Ref(w.Columns[k].Name)
		}
	case c.isLiteral() && kind == condition.Text:
		return strconv.Quote(c.text)
	case c.isLiteral() && kind == condition.Moment:
		return "date(" + strconv.Quote(strings.Replace(c.text, " ", "T", 1)) + ")"
	case c.isLiteral() && kind == condition.Number:
		if _, err := strconv.ParseFloat(c.text, 64); err == nil && !strings.ContainsAny(c.text, "eExXnN") {
			return c.text
		}
	case slices.Contains([]string{"+", "-", "*"}, c.op) && len(c.args) == 2 && kind == condition.Number:
		return "(" + w.term(c.args[0], kind) + " " + c.op + " " + w.term(c.args[1], kind) + ")"
	}
	return w.lost()
}

package profile

import (
	"cmp"
	"slices"

	"sieb/core/distinct"
	"sieb/core/lexical"
	"sieb/core/value"
)

// kinds returns the distribution of what the values look like.
func (s *sums) kinds(t *typing) []Kind {
	byForm := map[string]*Kind{}
	firsts := map[string]*distinct.Sightings{}
	for k, n := range s.forms {
		kind, form := describe(k, t)
		if byForm[form] == nil {
			byForm[form], firsts[form] = &Kind{Kind: kind, Form: form}, &distinct.Sightings{}
		}
		byForm[form].Count += n.count
		firsts[form].Merge(n.sightings)
	}
	all := make([]Kind, 0, len(byForm))
	for form, k := range byForm {
		k.First = valuesOf(*firsts[form])
		all = append(all, *k)
	}
	slices.SortFunc(all, func(a, b Kind) int {
		return cmp.Or(cmp.Compare(b.Count, a.Count),
			cmp.Compare(a.Form, b.Form))
	})
	return all
}

var charNames = map[byte]string{'.': "point", ',': "comma", ' ': "blank", '\'': "apostrophe"}

// describe says in words how the values of a form are written.
func describe(k formKey, t *typing) (lexical.Kind, string) {
	stored := ""
	if k.stored {
		stored = ", stored as such"
	}
	switch k.kind {
	case lexical.Integer, lexical.Decimal, lexical.Double:
		return describeNumber(k, t, stored)
	case lexical.Date, lexical.DateTime, lexical.Time:
		if k.day == impossible {
			return k.kind, "date that no calendar has"
		}
		m := lexical.Moment{Order: k.order, Sep: k.sep, Sep2: k.sep2, Short: k.short, Padded: k.padded, Clock: k.clock,
			Join: k.join, Zone: k.zone, Half: k.half, Loose: k.loose}
		byMonth := t.byMonth
		if k.order == lexical.ABYear && k.day != either {
			byMonth = k.day == monthFirst
		}
		return k.kind, map[lexical.Kind]string{lexical.Date: "date ", lexical.DateTime: "date and time ",
			lexical.Time: "time "}[k.kind] + m.Pattern(byMonth) + stored
	case lexical.Boolean:
		return k.kind, "true or false" + stored
	case lexical.Placeholder:
		return k.kind, "placeholder"
	}
	return lexical.Text, "text"
}

func describeNumber(k formKey, t *typing, stored string) (lexical.Kind, string) {
	if t.datatype == value.Date && k.order == lexical.Compact {
		return lexical.Date, "date yyyyMMdd"
	}
	kind, group, decimal := k.kind, k.group, k.decimal
	if k.unsure && t.isGroup {
		kind, group, decimal = lexical.Integer, decimal, 0
	}
	text := map[lexical.Kind]string{lexical.Integer: "integer", lexical.Decimal: "decimal",
		lexical.Double: "number with exponent"}[kind]
	if decimal != 0 && !k.stored {
		text += " with " + charNames[decimal]
	}
	if group != 0 {
		text += " with thousands by " + charNames[group]
	}
	if k.zeros && kind == lexical.Integer {
		text += " with zeros in front"
	}
	return kind, text + []string{"", " with percent sign", " with currency", " with the sign behind"}[k.extra] + stored
}

// numbers returns the habits of a column's numbers.
func (s *sums) numbers(t *typing) *Numbers {
	n := &Numbers{DecimalChar: t.decimalChar, GroupChar: t.groupChar, WholeDigits: s.whole, FractionDigits: s.frac}
	sure := int64(0)
	for k, c := range s.forms {
		if !k.kind.IsNumber() {
			continue
		}
		switch k.extra {
		case percent:
			n.Percent += c.count
		case currency:
			n.Currency += c.count
		case signBehind:
			n.SignBehind += c.count
		}
		if k.zeros && k.kind == lexical.Integer {
			n.LeadingZeros += c.count
		}
		if k.kind == lexical.Double {
			n.Exponent += c.count
		}
		if k.nought && k.kind == lexical.Decimal && k.extra == none && !(k.unsure && t.isGroup) {
			n.Noughts += c.count
		}
		if k.unsure {
			n.Undecided += c.count
		} else if k.decimal != 0 || k.group != 0 {
			sure += c.count
		}
	}
	if sure > 0 || t.decided {
		n.Undecided = 0
	}
	n.Negative = s.negative
	stored := s.forms.count(func(k formKey) bool { return k.stored && k.kind.IsNumber() })
	if stored > 0 {
		n.StoredAsText = s.forms.count(func(k formKey) bool { return !k.stored && k.kind.IsNumber() })
	}
	return n
}

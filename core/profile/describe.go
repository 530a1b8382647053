package profile

import (
	"cmp"
	"slices"

	"sieb/core/distinct"
	"sieb/core/lexical"
	"sieb/core/typing"
	"sieb/core/value"
)

// kinds returns the distribution of what the values look like.
func (s *sums) kinds(t *typing.Reading) []Kind {
	byForm := map[string]*Kind{}
	firsts := map[string]*distinct.Sightings{}
	for k, n := range s.forms {
		kind, form := Describe(k, t)
		if byForm[form] == nil {
			byForm[form], firsts[form] = &Kind{Kind: kind, Form: form}, &distinct.Sightings{}
		}
		byForm[form].Count += n.Count
		firsts[form].Merge(n.Sightings)
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

var CharNames = map[byte]string{'.': "point", ',': "comma", ' ': "blank", '\'': "apostrophe"}

// Describe says in words how the values of a form are written.
func Describe(k typing.FormKey, t *typing.Reading) (lexical.Kind, string) {
	stored := ""
	if k.Stored {
		stored = ", stored as such"
	}
	switch k.Kind {
	case lexical.Integer, lexical.Decimal, lexical.Double:
		return describeNumber(k, t, stored)
	case lexical.Date, lexical.DateTime, lexical.Time:
		if k.Day == typing.Impossible {
			return k.Kind, "date that no calendar has"
		}
		m := lexical.Moment{Order: k.Order, Sep: k.Sep, Sep2: k.Sep2, Short: k.Short, Padded: k.Padded, Clock: k.Clock,
			Join: k.Join, Zone: k.Zone, Half: k.Half, Loose: k.Loose}
		byMonth := t.ByMonth
		if k.Order == lexical.ABYear && k.Day != typing.Either {
			byMonth = k.Day == typing.MonthFirst
		}
		return k.Kind, map[lexical.Kind]string{lexical.Date: "date ", lexical.DateTime: "date and time ",
			lexical.Time: "time "}[k.Kind] + m.Pattern(byMonth) + stored
	case lexical.Boolean:
		return k.Kind, "true or false" + stored
	case lexical.Placeholder:
		return k.Kind, "placeholder"
	}
	return lexical.Text, "text"
}

func describeNumber(k typing.FormKey, t *typing.Reading, stored string) (lexical.Kind, string) {
	if t.Datatype == value.Date && k.Order == lexical.Compact {
		return lexical.Date, "date yyyyMMdd"
	}
	kind, group, decimal := k.Kind, k.Group, k.Decimal
	if k.Unsure && t.IsGroup {
		kind, group, decimal = lexical.Integer, decimal, 0
	}
	text := map[lexical.Kind]string{lexical.Integer: "integer", lexical.Decimal: "decimal",
		lexical.Double: "number with exponent"}[kind]
	if decimal != 0 && !k.Stored {
		text += " with " + CharNames[decimal]
	}
	if group != 0 {
		text += " with thousands by " + CharNames[group]
	}
	if k.Zeros && kind == lexical.Integer {
		text += " with zeros in front"
	}
	return kind, text + []string{"", " with percent sign", " with currency", " with the sign behind"}[k.Extra] + stored
}

// numbers returns the habits of a column's numbers.
func (s *sums) numbers(t *typing.Reading) *Numbers {
	n := &Numbers{DecimalChar: t.DecimalChar, GroupChar: t.GroupChar, WholeDigits: s.whole, FractionDigits: s.frac}
	sure := int64(0)
	for k, c := range s.forms {
		if !k.Kind.IsNumber() {
			continue
		}
		switch k.Extra {
		case typing.Percent:
			n.Percent += c.Count
		case typing.Currency:
			n.Currency += c.Count
		case typing.SignBehind:
			n.SignBehind += c.Count
		}
		if k.Zeros && k.Kind == lexical.Integer {
			n.LeadingZeros += c.Count
		}
		if k.Kind == lexical.Double {
			n.Exponent += c.Count
		}
		if k.Nought && k.Kind == lexical.Decimal && k.Extra == typing.NoExtra && !(k.Unsure && t.IsGroup) {
			n.Noughts += c.Count
		}
		if k.Unsure {
			n.Undecided += c.Count
		} else if k.Decimal != 0 || k.Group != 0 {
			sure += c.Count
		}
	}
	if sure > 0 || t.Decided {
		n.Undecided = 0
	}
	n.Negative = s.negative
	stored := s.forms.Count(func(k typing.FormKey) bool { return k.Stored && k.Kind.IsNumber() })
	if stored > 0 {
		n.StoredAsText = s.forms.Count(func(k typing.FormKey) bool { return !k.Stored && k.Kind.IsNumber() })
	}
	return n
}

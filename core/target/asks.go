package target

import (
	"slices"

	"sieb/core/value"
	"sieb/core/violation"
)

// Asked is a property of a column as a form asks for it.
type Asked struct {
	Name      string   `json:"name"`
	Label     string   `json:"label" doc:"in a word or two"`
	Meaning   string   `json:"meaning"`
	Kind      string   `json:"kind" enum:"text,count,literal,flag,texts,choice"`
	Hint      string   `json:"hint,omitempty" doc:"what holds where nothing is said"`
	Choices   []Option `json:"choices,omitempty"`
	Datatypes []string `json:"datatypes" doc:"with which it goes; none for all"`
}

// Datatypes are the datatypes that a form offers, with what they mean.
var Datatypes = []Option{{"string", "text"}, {"integer", "whole number"}, {"decimal", "decimal number"},
	{"double", "floating-point number"}, {"boolean", "yes or no"}, {"date", "date"}, {"dateTime", "date and time"},
	{"time", "time of day"}, {"anyURI", "web address (URI)"}, {"duration", "duration"}}

// actionWords say in forms what becomes of a row whose value breaks a rule.
var actionWords = []Option{{"", "reject the row"}, {violation.Blank.String(), "blank the cell"},
	{violation.Flag.String(), "only flag it"}, {violation.Refuse.String(), "refuse the delivery"}}

// habitAsks are the habits of a sender that forms ask for.
var habitAsks = []struct {
	name string
	Ask
}{
	{"format", Ask{Label: "Written as", Kind: "texts", Hint: "yyyy-MM-dd", Fits: value.Datatype.IsMoment,
		Meaning: "patterns of dates and times (LDML), such as dd.MM.yyyy; the first that matches wins"}},
	{"format", Ask{Label: "Yes and no", Kind: "texts", Hint: "true|false",
		Meaning: "the texts for yes and for no with a bar between them, such as ja|nein",
		Fits:    func(d value.Datatype) bool { return d == value.Boolean }}},
	{"decimalChar", Ask{Label: "Decimal", Kind: "choice", Meaning: "what stands before decimals",
		Choices: []Option{{"", "point"}, {",", "comma"}}, Fits: value.Datatype.IsNumber}},
	{"groupChar", Ask{Label: "Thousands", Kind: "choice", Meaning: "what stands between groups of three digits",
		Choices: []Option{{"", "nothing"}, {".", "point"}, {",", "comma"}, {" ", "blank"}, {"'", "apostrophe"}},
		Fits:    value.Datatype.IsNumber}},
	{"null", Ask{Label: "Missing", Kind: "texts", Hint: "empty cells",
		Meaning: "texts that stand for no value; an empty cell always does, unless it is taken out"}},
	{"default", Ask{Label: "Else", Kind: "text", Hint: "no value",
		Meaning: "the value, as the table has it, of cells without one"}},
}

// Asks returns what forms ask of a column: what the table demands, and how a sender writes.
func Asks() (demands, habits []Asked) {
	demands = []Asked{Ask{Label: "Datatype", Kind: "choice", Meaning: "what kind of values the column holds",
		Choices: Datatypes}.of("datatype", nil)}
	first := len(demands)
	for i := range Rules {
		if r := &Rules[i]; r.Ask.Label != "" {
			demands = append(demands, r.Ask.of(r.Name, r.Fits))
		}
	}
	// What is asked of all columns stands first.
	slices.SortStableFunc(demands[first:], func(a, b Asked) int { return min(len(a.Datatypes), 1) - min(len(b.Datatypes), 1) })
	demands = append(demands, Ask{Label: "When broken", Kind: "choice", Choices: actionWords,
		Meaning: "what becomes of a row whose value breaks a rule of the column"}.of("onViolation", nil),
		Ask{Label: "Meaning", Kind: "text", Hint: "say it in words",
			Meaning: "what the column means, for who reads or fills it"}.of("description", nil))
	for _, h := range habitAsks {
		habits = append(habits, h.of(h.name, nil))
	}
	return demands, habits
}

// of returns what is asked for a property that goes with some datatypes, nil for all.
func (a Ask) of(name string, fits func(value.Datatype) bool) Asked {
	if a.Fits != nil {
		fits = a.Fits
	}
	out := Asked{Name: name, Label: a.Label, Meaning: a.Meaning, Kind: a.Kind, Hint: a.Hint, Choices: a.Choices,
		Datatypes: []string{}}
	if fits == nil {
		return out
	}
	for _, d := range value.Datatypes() {
		var of value.Datatype
		if err := of.UnmarshalText([]byte(d)); err != nil || !fits(of) {
			continue
		}
		out.Datatypes = append(out.Datatypes, d)
		switch of {
		case value.Integer:
			out.Datatypes = append(out.Datatypes, value.SizedNames()...)
		case value.DateTime:
			out.Datatypes = append(out.Datatypes, "dateTimeStamp")
		}
	}
	return out
}

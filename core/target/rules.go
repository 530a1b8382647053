package target

import (
	"fmt"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"sieb/core/forms"
	"sieb/core/remedy"
	"sieb/core/value"
	"sieb/core/violation"
)

// Column is one column of a target with its rules. Property names are those
// of CSV on the Web where it has the concept.
type Column struct {
	Name         string
	Description  string
	Datatype     value.Datatype
	Titles       []string // headers that the column may come under, besides its name
	Position     int      // place in the delivery from 1; 0 means: by header
	Value        *string  // of all rows, in canonical form; nil for none
	Derive       string   // an expression in CEL that computes the value; "" for none
	Default      string   // in canonical form: the value of cells without one
	Formats      []string
	YearPivot    int // of years of two digits, the first of a hundred; 0 for the usual one
	DecimalChar  string
	GroupChar    string
	Precision    *int
	Scale        *int
	Required     bool
	RequiredWhen string // a condition in CEL
	Unique       bool
	Null         []string // texts that mean "no value"
	MinLength    *int
	MaxLength    *int
	Minimum      string // in canonical form; "" for none
	Maximum      string
	Codes        *CodeList // in place of OneOf; nil for none
	OneOf        []string
	Complete     bool              // each of the allowed values occurs in the delivery
	Ordered      Sequence          // what the values are from row to row
	Separator    string            // between the values of a cell that holds a list; "" for a single value
	SentWith     string            // the separator that the sender writes; "" for the same one
	Zoned        bool              // a date and time says its zone
	OnViolation  *violation.Action // nil: each code's own action
	OnCode       map[violation.Code]violation.Action
	Message      string // "" for Sieb's own words
	Remedies     []remedy.Remedy

	size [2]string // limits of a sized whole number
}

// Rule is a rule of a column, with all that is to be known of it: how a target says it, what breaks it, how people are told
// of it and asked for it, what other languages have for it. What it compiles to stands under its name in package check,
// what SQL has for it in package ddl.
type Rule struct {
	Name    string // the property of a column
	Meaning string
	Codes   []violation.Code                  // of what breaks it
	Words   func(*Column) string              // for people, without the column; "" where the column does not have the rule
	Goes    string                            // with which datatypes, in words; "" for all
	Fits    func(value.Datatype) bool         // nil for all
	IsSet   func(*Column) bool                // whether a column has the rule
	InCSVW  func(*Column) bool                // whether the vocabulary of CSV on the Web has words for it; nil for no
	Ask     Ask                               // by which a form asks for it; the zero Ask for none
	schema  schema                            // of the property
	read    func(*reading, ast.Node, *Column) // nil where a habit of the same name is the property
}

// Ask is how a form asks for a property.
type Ask struct {
	Label   string // in a word or two
	Meaning string // in a sentence
	Kind    string // text, count, literal, flag, texts or choice
	Hint    string // what holds where nothing is said
	Choices []Option
	Fits    func(value.Datatype) bool // nil for all
}

// Option is a value that can be chosen, with what it means.
type Option struct {
	Value string `json:"value"`
	Label string `json:"label"`
}

func isExact(d value.Datatype) bool   { return d == value.Decimal || d == value.Integer }
func isDecimal(d value.Datatype) bool { return d == value.Decimal }
func isText(d value.Datatype) bool    { return d.IsText() }
func hasLimits(d value.Datatype) bool { return !d.IsText() && d != value.Boolean }
func hasList(d value.Datatype) bool   { return d != value.Boolean && d != value.Double }

func always(*Column) bool { return true }

// characters says how many characters there are.
func characters(n int) string { return value.Count(int64(n), "character", "characters") }

// Rules are all rules of a column, in the order in which people are told of them.
var Rules = []Rule{
	{Name: "minimum", Meaning: "of a number or date: the least value, in canonical form; of a date also today, today-30",
		Goes: "numbers and dates", Fits: hasLimits, Codes: []violation.Code{violation.RangeLow},
		IsSet: func(c *Column) bool { return c.Minimum != "" },
		Words: func(c *Column) string {
			if c.Maximum != "" {
				return fmt.Sprintf("from %s to %s", c.Minimum, c.Maximum)
			}
			return c.Minimum + " or more"
		},
		InCSVW: always,
		Ask: Ask{Label: "At least", Kind: "literal", Hint: "no limit",
			Meaning: "the least value that is allowed; of a date also today, today-30"},
		schema: textSchema,
		read:   func(p *reading, n ast.Node, c *Column) { c.Minimum = p.text(n, "minimum") }},
	{Name: "maximum", Meaning: "of a number or date: the greatest value", Goes: "numbers and dates", Fits: hasLimits,
		Codes: []violation.Code{violation.RangeHigh},
		IsSet: func(c *Column) bool { return c.Maximum != "" },
		Words: func(c *Column) string {
			if c.Minimum != "" {
				return "" // which says both
			}
			return c.Maximum + " or less"
		},
		InCSVW: always,
		Ask: Ask{Label: "At most", Kind: "literal", Hint: "no limit",
			Meaning: "the greatest value that is allowed; of a date also today, today+7"},
		schema: textSchema,
		read:   func(p *reading, n ast.Node, c *Column) { c.Maximum = p.text(n, "maximum") }},
	{Name: "precision", Meaning: "of a decimal: all digits; of an integer too", Goes: "decimal and integer", Fits: isExact,
		Codes: []violation.Code{violation.NumberPrecision},
		IsSet: func(c *Column) bool { return c.Precision != nil },
		Words: func(c *Column) string {
			if c.Scale != nil {
				return fmt.Sprintf("at most %d digits before the point and %d behind it", *c.Precision-*c.Scale, *c.Scale)
			}
			return fmt.Sprintf("at most %s", value.Count(int64(*c.Precision), "digit", "digits"))
		},
		Ask: Ask{Label: "Digits", Kind: "count", Hint: "any",
			Meaning: "how many digits a number may have, before and behind the point together"},
		schema: countSchema,
		read:   func(p *reading, n ast.Node, c *Column) { c.Precision = p.count(n, "precision", 1) }},
	{Name: "scale", Meaning: "of a decimal: digits behind the point", Goes: "decimal", Fits: isDecimal,
		Codes: []violation.Code{violation.NumberScale},
		IsSet: func(c *Column) bool { return c.Scale != nil },
		Words: func(c *Column) string { return "" }, // precision says it
		Ask: Ask{Label: "Decimals", Kind: "count", Hint: "any",
			Meaning: "how many digits may stand behind the point; it goes with digits"},
		schema: countSchema,
		read:   func(p *reading, n ast.Node, c *Column) { c.Scale = p.count(n, "scale", 0) }},
	{Name: "minLength", Meaning: "of a text: the least number of characters", Goes: "string", Fits: isText,
		Codes: []violation.Code{violation.TextShort},
		IsSet: func(c *Column) bool { return c.MinLength != nil },
		Words: func(c *Column) string {
			switch {
			case c.MaxLength == nil:
				return "at least " + characters(*c.MinLength)
			case *c.MinLength == *c.MaxLength:
				return "exactly " + characters(*c.MaxLength)
			}
			return fmt.Sprintf("%d to %s", *c.MinLength, characters(*c.MaxLength))
		},
		InCSVW: always,
		Ask:    Ask{Label: "Shortest", Kind: "count", Hint: "any length", Meaning: "the least number of characters"},
		schema: countSchema,
		read:   func(p *reading, n ast.Node, c *Column) { c.MinLength = p.count(n, "minLength", 0) }},
	{Name: "maxLength", Meaning: "of a text: the greatest number of characters", Goes: "string", Fits: isText,
		Codes: []violation.Code{violation.TextLong},
		IsSet: func(c *Column) bool { return c.MaxLength != nil },
		Words: func(c *Column) string {
			if c.MinLength != nil {
				return "" // which says both
			}
			return "at most " + characters(*c.MaxLength)
		},
		InCSVW: always,
		Ask:    Ask{Label: "Longest", Kind: "count", Hint: "any length", Meaning: "the greatest number of characters"},
		schema: countSchema,
		read:   func(p *reading, n ast.Node, c *Column) { c.MaxLength = p.count(n, "maxLength", 0) }},
	{Name: "format", Meaning: "of a text: a regular expression over the whole value", Goes: "", Fits: nil,
		Codes: []violation.Code{violation.TextFormat},
		IsSet: func(c *Column) bool { return c.Datatype.IsText() && len(c.Formats) == 1 },
		Words: func(c *Column) string {
			if words := forms.Words(c.Formats[0]); words != "" {
				return words
			} else if example := forms.Example(c.Formats[0]); example != "" {
				return "of a form such as " + example
			}
			return "of a form that is agreed"
		},
		InCSVW: always,
		Ask: Ask{Label: "Form", Kind: "text", Hint: "any text", Fits: isText,
			Meaning: "a regular expression over the whole value, such as [A-Z]{2}-[0-9]{6}"}},
	{Name: "oneOf", Meaning: "the values that are allowed, or the name of a code list of them",
		Goes: "string, integer, decimal and dates", Fits: hasList,
		Codes: []violation.Code{violation.ValueUnknown, violation.CodeUnknown},
		IsSet: func(c *Column) bool { return len(c.OneOf) > 0 || c.Codes != nil },
		Words: func(c *Column) string {
			const most = 12
			switch n := len(c.OneOf); {
			case c.Codes != nil:
				return "a code of the list " + c.Codes.Name
			case n > most:
				return fmt.Sprintf("one of %d values", n)
			default:
				return "one of " + strings.Join(c.OneOf, ", ")
			}
		},
		// Of a text without a form of its own, values are a form.
		InCSVW: func(c *Column) bool {
			return c.Codes == nil && c.Datatype == value.String && len(c.Formats) == 0 && len(c.OneOf) > 0
		},
		Ask: Ask{Label: "One of", Kind: "texts", Hint: "any value",
			Meaning: "the values that are allowed; type one and press Enter"},
		schema: schema{"anyOf": []schema{textsSchema, objectSchema(codeListFields)}},
		read:   (*reading).oneOf},
	{Name: "required", Meaning: "no cell may be without a value", Codes: []violation.Code{violation.RequiredEmpty},
		IsSet:  func(c *Column) bool { return c.Required },
		Words:  func(*Column) string { return "mandatory" },
		InCSVW: always,
		Ask:    Ask{Label: "Required", Kind: "flag", Meaning: "no cell may be without a value"},
		schema: boolSchema,
		read:   func(p *reading, n ast.Node, c *Column) { c.Required = p.bool(n, "required") }},
	{Name: "requiredWhen", Meaning: "a condition in CEL: where it holds, a value is required",
		Codes:  []violation.Code{violation.RequiredEmpty},
		IsSet:  func(c *Column) bool { return c.RequiredWhen != "" },
		Words:  func(c *Column) string { return "mandatory where " + c.RequiredWhen },
		schema: textSchema,
		read:   func(p *reading, n ast.Node, c *Column) { c.RequiredWhen = p.text(n, "requiredWhen") }},
	{Name: "unique", Meaning: "no value occurs twice", Codes: []violation.Code{violation.KeyDuplicate},
		IsSet:  func(c *Column) bool { return c.Unique },
		Words:  func(*Column) string { return "no value occurs twice" },
		Ask:    Ask{Label: "Unique", Kind: "flag", Meaning: "no value occurs twice"},
		schema: boolSchema,
		read:   func(p *reading, n ast.Node, c *Column) { c.Unique = p.bool(n, "unique") }},
	{Name: "complete", Meaning: "each of the values that are allowed occurs in the delivery",
		Goes: "string, integer, decimal and dates", Fits: hasList,
		Codes:  []violation.Code{violation.ValueAbsent},
		IsSet:  func(c *Column) bool { return c.Complete },
		Words:  func(*Column) string { return "each allowed value occurs" },
		schema: boolSchema,
		read:   func(p *reading, n ast.Node, c *Column) { c.Complete = p.bool(n, "complete") }},
	{Name: "ordered", Meaning: "ascending: no value is below that of the row before; " +
		"consecutive: each is the next number or day", Goes: "values that have an order",
		Fits:   func(d value.Datatype) bool { return d != value.Boolean },
		Codes:  []violation.Code{violation.OrderBroken},
		IsSet:  func(c *Column) bool { return c.Ordered != AnyOrder },
		Words:  func(c *Column) string { return c.Ordered.String() + " from row to row" },
		schema: choiceSchema(orderWords[1:]...),
		read: func(p *reading, n ast.Node, c *Column) {
			c.Ordered = Sequence(p.choice(n, "ordered", orderWords))
		}},
}

// Demands says in words what the column demands of a value, rule by rule.
func (c *Column) Demands() (all []string) {
	for i := range Rules {
		if r := &Rules[i]; r.IsSet(c) {
			if words := r.Words(c); words != "" {
				all = append(all, words)
			}
		}
	}
	return all
}

// demandFields are the rules as properties of a column.
func demandFields() (all []field[Column]) {
	for _, r := range Rules {
		if r.read != nil {
			all = append(all, field[Column]{r.Name, r.schema, r.Meaning, r.read})
		}
	}
	return all
}

// oneOf reads values, or the name of a code list.
func (p *reading) oneOf(n ast.Node, c *Column) {
	switch n.(type) {
	case *ast.MappingNode, *ast.MappingValueNode:
		c.Codes = &CodeList{}
		if fill(p, n, "oneOf", codeListFields, c.Codes)["codes"] == nil {
			p.wrong(n, "oneOf is a list of values, or names a code list: {codes: sites}")
		}
		return
	}
	c.OneOf = p.texts(n, "oneOf", maxListed)
	if s, isList := n.(*ast.SequenceNode); isList && len(s.Values) == 0 {
		p.wrong(n, "oneOf lists no value: no cell could be right")
	}
}

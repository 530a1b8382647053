package remedy

import (
	"context"
	"sync"

	"sieb/core/codes"
	"sieb/core/value"
)

// Specs returns all remedies, in the order in which help lists them.
func Specs() []Spec { return specs() }

// comma is a column of numbers with a comma before decimals, days one of dates.
var (
	comma = Column{Datatype: value.Decimal, Point: ","}
	days  = Column{Datatype: value.Date}
)

// crops is a recode that examples show.
var crops = Remedy{Name: "recode", Pairs: map[string]string{"Weizen": "wheat", "?": ""}}

// listedCrops is a column with a code list that examples show.
func listedCrops() Column {
	list, err := codes.Parse(context.Background(), "crops", []byte("code;crop\nW;wheat\nB;barley\n"))
	if err != nil {
		panic(err)
	}
	return Column{Codes: []*codes.List{list}}
}

// ex is an example in a column of texts; in and because say of which other one it is, and why.
func ex(r Remedy, before, after string) Example {
	return Example{Remedy: r, Before: before, After: after}
}

func (e Example) in(c Column) Example {
	e.Column = c
	return e
}

func (e Example) because(why string) Example {
	e.Why = why
	return e
}

// specs is the registry. It is made once, when it is first asked for.
var specs = sync.OnceValue(func() []Spec {
	return []Spec{
		{Name: "trim", IsSteady: true, leaves: always, make: viewed(trim),
			Cure:   "take off blanks at both ends",
			Does:   "takes off white space at both ends, also no-break spaces and line ends",
			Leaves: "white space inside",
			Examples: []Example{
				ex(of("trim"), " a b ", "a b"),
				ex(of("trim"), "a\u00a0", "a").because("a no-break space"),
				ex(of("trim"), "a  b", "a  b").because("blanks inside are for squeeze"),
			}},
		{Name: "squeeze", IsSteady: true, leaves: unlessText, tidy: true, make: written(squeeze),
			Cure:   "make one blank of several",
			Does:   "makes one blank of each run of white space",
			Leaves: "where text begins and ends: white space there becomes one blank, which trim takes off",
			Examples: []Example{
				ex(of("squeeze"), "a  b\tc", "a b c"),
				ex(of("squeeze"), "  a", " a"),
				ex(of("squeeze"), "a b", "a b"),
			}},
		{Name: "clean", IsSteady: true, leaves: unlessText, tidy: true, make: written(clean),
			Cure:   "take out characters that do not show",
			Does:   "takes out control characters and characters that do not show, and makes plain blanks of other ones",
			Leaves: "tabs and line ends, which squeeze takes; the joiners that some scripts need; cells with invalid bytes",
			Examples: []Example{
				ex(of("clean"), "scale\a reset", "scale reset"),
				ex(of("clean"), "Ahrensee\u200b", "Ahrensee").because("a zero width space"),
				ex(of("clean"), "12\u00a0kg", "12 kg").because("a no-break space"),
				ex(of("clean"), "Ahrensee", "Ahrensee"),
			}},
		{Name: "normalize", IsSteady: true, leaves: unlessText, tidy: true, make: written(normalize),
			Cure:   "compose letters and their marks",
			Does:   "composes letters and their marks (Unicode Normalization Form C)",
			Leaves: "what looks alike but is another letter",
			Examples: []Example{
				ex(of("normalize"), "Mu\u0308hle", "Mühle").because("u and its two dots become one letter"),
				ex(of("normalize"), "Mühle", "Mühle"),
			}},
		{Name: "repair", IsSteady: true, leaves: unlessText, tidy: true, make: written(repair),
			Cure:   "undo a second decoding",
			Does:   "undoes a second decoding: text in UTF-8 that was taken for Windows-1252",
			Leaves: "what makes no text that way",
			Examples: []Example{
				ex(of("repair"), "GroÃŸacker", "Großacker"),
				ex(of("repair"), "Großacker", "Großacker"),
				ex(of("repair"), "Ã", "Ã").because("it says nothing by itself"),
			}},
		{Name: "upper", IsSteady: true, leaves: unlessText, make: written(toUpper),
			Cure: "make capitals",
			Does: "makes capitals of small letters", Leaves: "letters of which there is no single capital, such as ß",
			Examples: []Example{
				ex(of("upper"), "ah-000105", "AH-000105"),
				ex(of("upper"), "Straße", "STRAßE"),
			}},
		{Name: "lower", IsSteady: true, leaves: func(d value.Datatype) bool { return !d.IsText() && d != value.DateTime },
			make: written(toLower), Cure: "make small letters",
			Does: "makes small letters of capitals", Leaves: "everything else",
			Examples: []Example{
				ex(of("lower"), "WEIZEN", "weizen"),
				ex(of("lower"), "Ähre", "ähre"),
			}},
		{Name: "title", IsSteady: true, leaves: unlessText, make: written(toTitle),
			Cure:   "begin words with capitals",
			Does:   "makes a capital of the first letter of each word, and small letters of the others",
			Leaves: "everything that is no letter; a letter behind an apostrophe stays small",
			Examples: []Example{
				ex(of("title"), "ANNA-MARIA BEISPIEL", "Anna-Maria Beispiel"),
				ex(of("title"), "grower's hof", "Grower's Hof"),
				ex(of("title"), "Lindenhof 12", "Lindenhof 12"),
				ex(of("title"), "3RD silo", "3rd Silo").because("letters behind a digit are of its word"),
				ex(of("title"), "ǆUNGLA", "ǅungla").because("two letters in one character: the first is the capital"),
			}},
		{Name: "replace", leaves: nil, make: makeReplace,
			Parameters: []Parameter{{Name: "find", Kind: Text, Does: "a text; each time it stands in the cell it is replaced"},
				{Name: "pattern", Kind: Expression, Does: "a regular expression, in place of find"},
				{Name: "with", Kind: Text,
					Does: "what takes its place, nothing where it is left out; of a pattern $1 is the first group"}},
			Does: "replaces a text, or what a regular expression finds", Leaves: "cells in which it does not stand",
			Examples: []Example{
				ex(of("replace", "find", " kg"), "250 kg", "250"),
				ex(of("replace", "find", "/", "with", "-"), "AH/000/1", "AH-000-1"),
				ex(of("replace", "pattern", "^No ([0-9]+)$", "with", "$1"), "No 17", "17"),
				ex(of("replace", "pattern", "^No ([0-9]+)$", "with", "$1"), "Nos 17", "Nos 17"),
			}},
		{Name: "extract", make: makeExtract,
			Parameters: []Parameter{{Name: "pattern", Kind: Expression, Required: true,
				Does: "a regular expression, whose first group is kept, or all that it finds where it has none"}},
			Does: "keeps what a regular expression finds", Leaves: "cells in which it finds nothing",
			Examples: []Example{
				ex(of("extract", "pattern", "([0-9]{5})"), "D-17098 Talfeld", "17098"),
				ex(of("extract", "pattern", "([0-9]{5})"), "Talfeld", "Talfeld"),
			}},
		{Name: "recode", make: makeRecode,
			Parameters: []Parameter{{Name: "pairs", Kind: Pairs, Required: true, Does: "texts, and what takes their place"}},
			Does:       "puts one text in the place of another, where the cell is that text", Leaves: "all other cells",
			Examples: []Example{
				ex(crops, "Weizen", "wheat"),
				ex(crops, "?", "").because("nothing, which usually stands for no value"),
				ex(crops, "weizen", "weizen").because("letter case counts"),
			}},
		{Name: Translate, make: makeTranslate,
			Parameters: []Parameter{{Name: "codes", Kind: Text, Required: true, Does: "the name of the code list"},
				{Name: "to", Kind: Choice, Choices: []string{"label", "code"},
					Does: "label (also where it is left out) puts labels in the place of codes, code the other way round"}},
			Does:   "takes what a code list has for the cell: a recode that is kept as a list, or in a file",
			Leaves: "cells that the list does not have, and labels that several codes share",
			Examples: []Example{
				ex(of(Translate, "codes", "crops"), "W", "wheat").in(listedCrops()),
				ex(of(Translate, "codes", "crops", "to", "code"), "wheat", "W").in(listedCrops()),
				ex(of(Translate, "codes", "crops"), "w", "w").in(listedCrops()).because("it is not in the list; upper comes first"),
			}},
		{Name: "pad", IsSteady: true, make: makePad,
			Parameters: []Parameter{{Name: "length", Kind: Count, Required: true, Least: 1,
				Does: "how many characters the cell is to have"},
				{Name: "with", Kind: Text, Does: "the character, 0 where it is left out"}},
			Does:   "puts zeros before numbers that a spreadsheet has taken them from",
			Leaves: "cells that are long enough, or hold anything but digits",
			Examples: []Example{
				ex(of("pad", "length", "5"), "486", "00486"),
				ex(of("pad", "length", "5"), "12345", "12345"),
				ex(of("pad", "length", "5"), "n/a", "n/a"),
			}},
		{Name: "cut", make: makeCut,
			Parameters: []Parameter{{Name: "length", Kind: Count, Least: 1,
				Does: "how many characters are kept; all that follow where it is left out"},
				{Name: "from", Kind: Count, Least: 1, Does: "the first of them, 1 where it is left out"}},
			Does: "keeps some of the characters", Leaves: "cells that end before the first of them",
			Examples: []Example{
				ex(of("cut", "length", "2"), "AH-000105", "AH"),
				ex(of("cut", "from", "4"), "AH-000105", "000105"),
				ex(of("cut", "length", "3", "from", "2"), "ähren", "hre").because("characters, not bytes"),
				ex(of("cut", "from", "4"), "AH-", "AH-"),
			}},
		{Name: "prefix", IsSteady: true, make: makePrefix,
			Parameters: []Parameter{{Name: "text", Kind: Text, Required: true, Does: "what stands before"}},
			Does:       "puts a text before the cell", Leaves: "cells that begin with it; empty ones",
			Examples: []Example{
				ex(of("prefix", "text", "AH-"), "000105", "AH-000105"),
				ex(of("prefix", "text", "AH-"), "AH-000105", "AH-000105"),
			}},
		{Name: "number", IsSteady: true, leaves: func(d value.Datatype) bool { return d.IsNumber() }, make: makeNumber,
			Parameters: []Parameter{{Name: "percent", Kind: Choice, Choices: []string{"number", "fraction"},
				Does: "what 12 % is: 12, which is usual, or 0.12"}},
			Does: "reads a number in whatever habit it is written: with marks between thousands, a currency, a percent sign, " +
				"the sign behind or brackets for it, an exponent, a fraction of nothing but zeros",
			Leaves: "what is no number, and what the column reads as it stands; of a single sign before three digits the " +
				"column's decimalChar tells what it is",
			Examples: []Example{
				ex(of("number"), "1.234,50 €", "1234.50"),
				ex(of("number"), "1,234.5", "1234.5"),
				ex(of("number"), "12 345", "12345"),
				ex(of("number"), "(250)", "-250"),
				ex(of("number"), "250-", "-250"),
				ex(of("number"), "178.0", "178").in(Column{Datatype: value.Integer}),
				ex(of("number"), "1.5E3", "1500"),
				ex(of("number"), "14 %", "14"),
				ex(of("number", "percent", "fraction"), "14.5 %", "0.145"),
				ex(of("number"), "1,234", "1234").because("a comma before three digits, where a point stands before decimals"),
				ex(of("number"), "1,23", "1.23").because("two digits are decimals"),
				ex(of("number"), "1.234", "1234").in(comma).
					because("a point before three digits, where a comma stands before decimals"),
				ex(of("number"), "ca. 24", "ca. 24"),
				ex(of("number"), "12-14", "12-14"),
			}},
		{Name: "round", IsSteady: true, make: makeRound,
			Parameters: []Parameter{{Name: "digits", Kind: Count, Required: true,
				Does: "how many digits stay behind the point"}},
			Does:   "rounds a number, half away from zero, as SQL's numeric does",
			Leaves: "what is no number, and numbers without more digits",
			Examples: []Example{
				ex(of("round", "digits", "1"), "12.25", "12.3"),
				ex(of("round", "digits", "0"), "-2.5", "-3"),
				ex(of("round", "digits", "1"), "12", "12"),
				ex(of("round", "digits", "1"), "12,25", "12.3").in(comma).because("as the column's numbers are written"),
				ex(of("round", "digits", "1"), "x", "x"),
			}},
		{Name: "date", IsSteady: true, make: makeDate,
			Parameters: []Parameter{{Name: "formats", Kind: Patterns, Required: true,
				Does: "LDML patterns; the first that fits is taken"}},
			Does:   "reads a date by one of some formats, and writes it by ISO 8601",
			Leaves: "what fits none of them, and days that no calendar has",
			Examples: []Example{
				ex(listed("date", "formats", "d.M.yyyy", "MM/dd/yyyy"), "6.7.2026", "2026-07-06").in(days),
				ex(listed("date", "formats", "d.M.yyyy", "MM/dd/yyyy"), "07/31/2026", "2026-07-31").in(days),
				ex(listed("date", "formats", "d.M.yyyy"), "31.6.2026", "31.6.2026").in(days),
				ex(listed("date", "formats", "d. MMMM yyyy"), "6. Juli 2026", "2026-07-06").in(days),
			}},
		{Name: "serial", IsSteady: true, make: makeSerial,
			Parameters: []Parameter{{Name: "from", Kind: Choice, Choices: []string{"1900", "1904"},
				Does: "the year with which the spreadsheet counts days, 1900 where it is left out"}},
			Does: "makes a date of the number by which a spreadsheet holds it",
			Leaves: "what is no such number, day 60 of 1900, " +
				"which no calendar has, and of a column of dates numbers with a time of day",
			Examples: []Example{
				ex(of("serial"), "46209", "2026-07-06").in(days),
				ex(of("serial"), "46209.5", "2026-07-06T12:00:00").in(Column{Datatype: value.DateTime}),
				ex(of("serial", "from", "1904"), "44747", "2026-07-06").in(days),
				ex(of("serial"), "60", "60").in(days),
				ex(of("serial"), "06.07.2026", "06.07.2026").in(days),
			}},
		{Name: "boolean", IsSteady: true, make: makeBoolean,
			Parameters: []Parameter{{Name: "pairs", Kind: List, Required: true,
				Does: "texts for true and for false with a bar between them"}},
			Does:   "makes true and false of the texts that stand for them, whatever the letter case",
			Leaves: "all other texts",
			Examples: []Example{
				ex(listed("boolean", "pairs", "ja|nein", "x|-"), "Ja", "true").in(Column{Datatype: value.Boolean}),
				ex(listed("boolean", "pairs", "ja|nein", "x|-"), "-", "false").in(Column{Datatype: value.Boolean}),
				ex(listed("boolean", "pairs", "ja|nein"), "vielleicht", "vielleicht").in(Column{Datatype: value.Boolean}),
			}},
		{Name: CarryDown, IsSteady: true, make: viewed(func(_, cell []byte) ([]byte, bool) { return cell, false }),
			Does: "puts into a cell that is empty or stands for no value what stands in the last row above in which it is " +
				"filled, as printouts mean it",
			Leaves: "cells that are filled; empty ones above the first filled one; rows whose cells cannot be attributed",
			Examples: []Example{
				ex(of(CarryDown), "Ahrensee", "Ahrensee").because("an empty cell in the next row becomes Ahrensee too"),
			}},
	}
})

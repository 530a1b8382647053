// Package layout describes how a delivery's bytes become rows and cells, and
// makes a first guess of it from the head and the tail of the bytes.
//
// A guess comes with its evidence: per setting a value, a confidence and a
// reason in words. The package knows no files; whoever opens a delivery hands
// it the bytes.
package layout

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"sieb/core/delimited"
)

// The forms of a delivery.
const (
	Delimited = "delimited"
	Fixed     = "fixed"
	Workbook  = "workbook"
)

// What can be made of several header rows.
const (
	Joined = "joined"
	First  = "first"
	Last   = "last"
)

// What can become of merged cells besides First, and of hidden rows and columns.
const (
	Carried = "carried"
	Read    = "read"
	Skip    = "skip"
)

// Layout says how to read a delivery. Names are those of the dialect
// description of CSV on the Web where it has the concept.
type Layout struct {
	Form             string `json:"form" doc:"delimited, fixed or workbook"`
	Encoding         string `json:"encoding" doc:"WHATWG name, or IANA's where WHATWG has none"`
	ByteOrderMark    bool   `json:"byteOrderMark"`
	Delimiter        string `json:"delimiter" doc:"empty: every line is one cell"`
	QuoteChar        string `json:"quoteChar" doc:"empty: quotes have no meaning"`
	DoubleQuote      bool   `json:"doubleQuote" doc:"a quote inside a quoted cell is doubled; otherwise a backslash stands before it"`
	Trim             bool   `json:"trim" doc:"blanks around cells, and around their quotes, are ignored"`
	ClosingDelimiter bool   `json:"closingDelimiter" doc:"each row ends with a delimiter that no column follows"`
	Nameless         string `json:"nameless" doc:"first or last: of a header with one name less than the rows have cells, which column has none"`
	SkipBlankRows    bool   `json:"skipBlankRows" doc:"lines of nothing but blanks are no rows; otherwise they are, as empty values of a file of one column"`
	CommentPrefix    string `json:"commentPrefix"`
	LineTerminator   string `json:"lineTerminator" doc:"lf, crlf, cr or mixed; all are read alike"`
	SkipRows         int    `json:"skipRows" doc:"physical lines above the table"`
	HeaderRows       int    `json:"headerRows" doc:"rows above the data that belong to the header"`
	HeaderNames      string `json:"headerNames" doc:"of several header rows: joined, first or last; which of them name the columns"`
	FooterRows       int    `json:"footerRows" doc:"physical lines below the table"`
	Fold             int    `json:"fold" doc:"one value per line: how many lines form a row; 0 for ordinary rows"`
	Member           string `json:"member" doc:"of a ZIP archive of several files: which of them is read"`
	Sheet            string `json:"sheet" doc:"of a workbook: the sheet's name"`
	SkipColumns      int    `json:"skipColumns" doc:"of a workbook: columns left of the table"`
	Merged           string `json:"merged" doc:"of a workbook: first, the value of merged cells stands in the first of them; carried, in all"`
	Hidden           string `json:"hidden" doc:"of a workbook: read or skip; what becomes of hidden rows and columns"`
	Cuts             []int  `json:"cuts" doc:"of fixed form: where cells begin after the first, in characters from 0"`
}

// Given is a layout of which only some settings are set by hand; the others
// are nil and will be detected around them.
type Given struct {
	Form             *string `json:"form,omitempty"`
	Encoding         *string `json:"encoding,omitempty"`
	Delimiter        *string `json:"delimiter,omitempty"`
	QuoteChar        *string `json:"quoteChar,omitempty"`
	DoubleQuote      *bool   `json:"doubleQuote,omitempty"`
	Trim             *bool   `json:"trim,omitempty"`
	ClosingDelimiter *bool   `json:"closingDelimiter,omitempty"`
	Nameless         *string `json:"nameless,omitempty"`
	SkipBlankRows    *bool   `json:"skipBlankRows,omitempty"`
	CommentPrefix    *string `json:"commentPrefix,omitempty"`
	SkipRows         *int    `json:"skipRows,omitempty"`
	HeaderRows       *int    `json:"headerRows,omitempty"`
	FooterRows       *int    `json:"footerRows,omitempty"`
	HeaderNames      *string `json:"headerNames,omitempty"`
	Cuts             *[]int  `json:"cuts,omitempty"`
	Fold             *int    `json:"fold,omitempty"`
	Member           *string `json:"member,omitempty"`
	Sheet            *string `json:"sheet,omitempty" doc:"a name, or a number from 1"`
	SkipColumns      *int    `json:"skipColumns,omitempty"`
	Merged           *string `json:"merged,omitempty"`
	Hidden           *string `json:"hidden,omitempty"`

	// A whole layout says these as well. They are found in each delivery anew.
	ByteOrderMark  *bool   `json:"byteOrderMark,omitempty" doc:"not taken from here: found in each delivery"`
	LineTerminator *string `json:"lineTerminator,omitempty" doc:"not taken from here: found in each delivery"`
}

// UnmarshalJSON reads settings, or a whole Layout, whose empty settings of other
// forms than its own say nothing. A setting that does not exist is an error.
func (g *Given) UnmarshalJSON(text []byte) error {
	type plain Given
	var read plain
	d := json.NewDecoder(bytes.NewReader(text))
	d.DisallowUnknownFields()
	if err := d.Decode(&read); err != nil {
		return err
	}
	*g = Given(read)
	g.ByteOrderMark, g.LineTerminator = nil, nil
	if g.Form == nil {
		return nil
	}
	unsay(&g.Member)
	if *g.Form != Workbook {
		unsay(&g.Sheet)
		unsay(&g.SkipColumns)
		unsay(&g.Merged)
		unsay(&g.Hidden)
	} else {
		unsay(&g.Encoding)
		unsay(&g.SkipBlankRows)
		unsay(&g.CommentPrefix)
	}
	if *g.Form != Delimited {
		unsay(&g.Delimiter)
		unsay(&g.QuoteChar)
		unsay(&g.DoubleQuote)
		unsay(&g.Trim)
		unsay(&g.Fold)
		unsay(&g.ClosingDelimiter)
		unsay(&g.Nameless)
	}
	if *g.Form != Fixed && g.Cuts != nil && len(*g.Cuts) == 0 {
		g.Cuts = nil
	}
	return nil
}

// unsay takes a setting away that is empty.
func unsay[T comparable](setting **T) {
	if *setting != nil && **setting == *new(T) {
		*setting = nil
	}
}

// Given makes a layout's settings count as set by hand, so that another
// delivery is read alike.
func (l Layout) Given() Given {
	g := Given{Form: &l.Form, SkipRows: &l.SkipRows, HeaderRows: &l.HeaderRows, HeaderNames: &l.HeaderNames,
		FooterRows: &l.FooterRows}
	if l.Member != "" {
		g.Member = &l.Member
	}
	switch l.Form {
	case Workbook:
		g.Sheet, g.SkipColumns, g.Merged, g.Hidden = &l.Sheet, &l.SkipColumns, &l.Merged, &l.Hidden
		return g
	case Fixed:
		g.Cuts = &l.Cuts // they are in the place of the dialect
	default:
		g.Delimiter, g.QuoteChar, g.DoubleQuote, g.Trim, g.Fold = &l.Delimiter, &l.QuoteChar, &l.DoubleQuote, &l.Trim,
			&l.Fold
		g.ClosingDelimiter, g.Nameless = &l.ClosingDelimiter, &l.Nameless
	}
	g.Encoding, g.SkipBlankRows, g.CommentPrefix = &l.Encoding, &l.SkipBlankRows, &l.CommentPrefix
	return g
}

// Over returns the settings with those of base where they are not set.
func (g Given) Over(base Given) Given {
	return Given{
		Form: cmp.Or(g.Form, base.Form), Encoding: cmp.Or(g.Encoding, base.Encoding),
		Delimiter: cmp.Or(g.Delimiter, base.Delimiter),
		QuoteChar: cmp.Or(g.QuoteChar, base.QuoteChar), DoubleQuote: cmp.Or(g.DoubleQuote, base.DoubleQuote),
		Trim: cmp.Or(g.Trim, base.Trim), SkipBlankRows: cmp.Or(g.SkipBlankRows, base.SkipBlankRows),
		ClosingDelimiter: cmp.Or(g.ClosingDelimiter, base.ClosingDelimiter),
		Nameless:         cmp.Or(g.Nameless, base.Nameless), Fold: cmp.Or(g.Fold, base.Fold),
		CommentPrefix: cmp.Or(g.CommentPrefix, base.CommentPrefix), SkipRows: cmp.Or(g.SkipRows, base.SkipRows),
		HeaderRows: cmp.Or(g.HeaderRows, base.HeaderRows), HeaderNames: cmp.Or(g.HeaderNames, base.HeaderNames),
		FooterRows: cmp.Or(g.FooterRows, base.FooterRows), Cuts: cmp.Or(g.Cuts, base.Cuts),
		Sheet: cmp.Or(g.Sheet, base.Sheet), Member: cmp.Or(g.Member, base.Member),
		SkipColumns: cmp.Or(g.SkipColumns, base.SkipColumns), Merged: cmp.Or(g.Merged, base.Merged),
		Hidden: cmp.Or(g.Hidden, base.Hidden),
	}
}

// Evidence is why one setting of a layout has its value.
type Evidence struct {
	Setting    string  `json:"setting"`
	Value      string  `json:"value"`
	Confidence float64 `json:"confidence" doc:"0 to 1; 1 for a setting made by hand"`
	Why        string  `json:"why"`

	Next []string `json:"next,omitempty" doc:"other values to try, the likeliest first, as they are set"`
}

// Bounds of what settings can say. Lists and texts of that size are typed by
// nobody, and each costs as much as it says.
const (
	maxFold       = 10_000     // lines of a row
	maxHeaderRows = 1_000      // each is held
	maxFooterRows = 100_000    // so many last lines are held
	maxSkipRows   = 10_000_000 // they are passed over
	maxColumns    = 1 << 14
	maxCut        = 1 << 24 // characters
	maxMark       = 64      // bytes of a delimiter or prefix
	maxName       = 1024    // bytes of a sheet's or member's name
)

// Fault is what is wrong with one setting.
type Fault struct {
	Setting string
	Message string
}

// Faults are all that is wrong with settings. It is an error.
type Faults []Fault

func (f Faults) Error() string {
	all := make([]string, len(f))
	for i := range f {
		all[i] = f[i].Message
	}
	return strings.Join(all, "; ")
}

// Check returns what is wrong with the settings that are set, as Faults.
func (g Given) Check() error {
	plain := Layout{Form: Delimited, Encoding: "utf-8"}.Given()
	plain.Sheet, plain.SkipColumns, plain.Merged, plain.Hidden = new(string), new(int), new(string), new(string)
	plain.Cuts, plain.Member = new([]int), new(string)
	g = g.Over(plain)
	l := Layout{Form: *g.Form, Encoding: *g.Encoding, Delimiter: *g.Delimiter, QuoteChar: *g.QuoteChar,
		CommentPrefix: *g.CommentPrefix, SkipRows: *g.SkipRows, HeaderRows: *g.HeaderRows, HeaderNames: *g.HeaderNames,
		Nameless: *g.Nameless, FooterRows: *g.FooterRows, Fold: *g.Fold, Member: *g.Member, Sheet: *g.Sheet,
		SkipColumns: *g.SkipColumns, Merged: *g.Merged, Hidden: *g.Hidden, Cuts: *g.Cuts}
	return l.Check()
}

// Check returns what is wrong with the settings, as Faults; nil where nothing is.
func (l *Layout) Check() error {
	var faults Faults
	fault := func(setting, format string, args ...any) {
		faults = append(faults, Fault{setting, fmt.Sprintf(format, args...)})
	}
	for _, choice := range []struct {
		setting, value string
		of             []string
	}{
		{"form", l.Form, []string{Delimited, Fixed, Workbook}},
		{"headerNames", l.HeaderNames, []string{Joined, First, Last}},
		{"nameless", l.Nameless, []string{First, Last}},
		{"merged", l.Merged, []string{First, Carried}},
		{"hidden", l.Hidden, []string{Read, Skip}},
	} {
		if !slices.Contains(choice.of, choice.value) && (choice.value != "" || choice.setting == "form") {
			fault(choice.setting, "%s %q is unknown: it is %s", choice.setting, choice.value,
				strings.Join(choice.of, " or "))
		}
	}
	if cut, is := badCut(l.Cuts); is {
		fault("cuts", "%s", cut)
	}
	if _, err := EncodingOf(l.Encoding); err != nil {
		fault("encoding", "%s", err)
	}
	for _, text := range []struct {
		setting, value string
		mark           bool
	}{
		{"delimiter", l.Delimiter, true}, {"quoteChar", l.QuoteChar, true}, {"commentPrefix", l.CommentPrefix, true},
		{"sheet", l.Sheet, false}, {"member", l.Member, false},
	} {
		most := maxName
		if text.mark {
			most = maxMark
		}
		switch {
		case text.mark && strings.ContainsAny(text.value, "\r\n"):
			fault(text.setting, "%s must not hold a line end", text.setting)
		case len(text.value) > most:
			fault(text.setting, "%s is %d bytes long: at most %d", text.setting, len(text.value), most)
		case !utf8.ValidString(text.value) || strings.ContainsRune(text.value, 0):
			fault(text.setting, "%s holds a NUL character or is not valid UTF-8", text.setting)
		case text.setting == "quoteChar" && utf8.RuneCountInString(text.value) > 1:
			fault(text.setting, "quoteChar %q is more than one character", text.value)
		case text.setting == "quoteChar" && text.value != "" && text.value == l.Delimiter:
			fault(text.setting, "delimiter and quoteChar are both %q", text.value)
		}
	}
	for _, n := range []struct {
		setting     string
		value, most int
	}{
		{"skipRows", l.SkipRows, maxSkipRows}, {"headerRows", l.HeaderRows, maxHeaderRows},
		{"footerRows", l.FooterRows, maxFooterRows}, {"skipColumns", l.SkipColumns, maxColumns},
		{"fold", l.Fold, maxFold},
	} {
		if n.value < 0 {
			fault(n.setting, "%s is %d: it counts from 0", n.setting, n.value)
		} else if n.value > n.most {
			fault(n.setting, "%s is %d: it is at most %d", n.setting, n.value, n.most)
		}
	}
	if faults == nil {
		return nil
	}
	return faults
}

// badCut returns what is wrong with the first wrong one of some cuts.
func badCut(cuts []int) (message string, is bool) {
	if len(cuts) >= maxColumns {
		return fmt.Sprintf("there are %d cuts: at most %d columns are read", len(cuts), maxColumns), true
	}
	for i, c := range cuts {
		if c > maxCut {
			return fmt.Sprintf("the cut at %d lies beyond %d characters", c, maxCut), true
		}
		if c < 1 || i > 0 && c <= cuts[i-1] {
			return fmt.Sprintf("the cut at %d is wrong: cuts are characters from 1 up, each beyond the one before", c),
				true
		}
	}
	return "", false
}

// Dialect returns the grammar of the layout's delimited text.
func (l *Layout) Dialect() delimited.Dialect {
	if l.Form == Fixed {
		return delimited.Dialect{} // a line is one text, which the cuts divide
	}
	d := delimited.Dialect{Delimiter: l.Delimiter, Quote: l.QuoteChar, Trim: l.Trim}
	if l.Fold > 0 {
		d.Delimiter = "" // a line is one value
	}
	if !l.DoubleQuote {
		d.Escape = `\`
	}
	return d
}

// Name says a character in words, for messages and tables.
func Name(mark string) string {
	switch mark {
	case "":
		return "none"
	case ",":
		return "comma"
	case ";":
		return "semicolon"
	case "\t":
		return "tab"
	case "|":
		return "bar |"
	case " ":
		return "blank"
	case `"`:
		return `double quote "`
	case "'":
		return "single quote '"
	}
	return mark
}

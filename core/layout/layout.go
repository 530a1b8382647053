// Package layout describes how a delivery's bytes become rows and cells, and
// makes a first guess of it from the head and the tail of the bytes.
//
// A guess comes with its evidence: per setting a value, a confidence and a
// reason in words. The package knows no files; whoever opens a delivery hands
// it the bytes.
package layout

import (
	"cmp"
	"fmt"
	"strings"
	"unicode/utf8"

	"sieb/core/delimited"
)

// Layout says how to read a delivery. Names are those of the dialect
// description of CSV on the Web where it has the concept.
type Layout struct {
	Form           string `json:"form" doc:"delimited or fixed"`
	Encoding       string `json:"encoding" doc:"WHATWG name, or IANA's where WHATWG has none"`
	ByteOrderMark  bool   `json:"byteOrderMark"`
	Delimiter      string `json:"delimiter" doc:"empty: every line is one cell"`
	QuoteChar      string `json:"quoteChar" doc:"empty: quotes have no meaning"`
	DoubleQuote    bool   `json:"doubleQuote" doc:"a quote inside a quoted cell is doubled; otherwise a backslash stands before it"`
	CommentPrefix  string `json:"commentPrefix"`
	LineTerminator string `json:"lineTerminator" doc:"lf, crlf, cr or mixed; all are read alike"`
	SkipRows       int    `json:"skipRows" doc:"physical lines above the table"`
	HeaderRows     int    `json:"headerRows"`
	FooterRows     int    `json:"footerRows" doc:"physical lines below the table"`
	Sheet          string `json:"sheet"`
	Cuts           []int  `json:"cuts" doc:"of fixed form: where cells begin after the first, in characters from 0"`
}

// Given is a layout of which only some settings are set by hand; the others
// are nil and will be detected around them.
type Given struct {
	Form          *string `json:"form,omitempty"`
	Encoding      *string `json:"encoding,omitempty"`
	Delimiter     *string `json:"delimiter,omitempty"`
	QuoteChar     *string `json:"quoteChar,omitempty"`
	DoubleQuote   *bool   `json:"doubleQuote,omitempty"`
	CommentPrefix *string `json:"commentPrefix,omitempty"`
	SkipRows      *int    `json:"skipRows,omitempty"`
	HeaderRows    *int    `json:"headerRows,omitempty"`
	FooterRows    *int    `json:"footerRows,omitempty"`
	Cuts          *[]int  `json:"cuts,omitempty"`
}

// Given makes a layout's settings count as set by hand, so that another
// delivery is read alike.
func (l Layout) Given() Given {
	return Given{&l.Form, &l.Encoding, &l.Delimiter, &l.QuoteChar, &l.DoubleQuote, &l.CommentPrefix, &l.SkipRows, &l.HeaderRows, &l.FooterRows, l.cuts()}
}

func (l *Layout) cuts() *[]int {
	if l.Form != "fixed" {
		return nil
	}
	return &l.Cuts
}

// Over gives the settings with those of base where they are not set.
func (g Given) Over(base Given) Given {
	return Given{cmp.Or(g.Form, base.Form), cmp.Or(g.Encoding, base.Encoding), cmp.Or(g.Delimiter, base.Delimiter), cmp.Or(g.QuoteChar, base.QuoteChar),
		cmp.Or(g.DoubleQuote, base.DoubleQuote), cmp.Or(g.CommentPrefix, base.CommentPrefix), cmp.Or(g.SkipRows, base.SkipRows),
		cmp.Or(g.HeaderRows, base.HeaderRows), cmp.Or(g.FooterRows, base.FooterRows), cmp.Or(g.Cuts, base.Cuts)}
}

// Evidence is why one setting of a layout has its value.
type Evidence struct {
	Setting    string  `json:"setting"`
	Value      string  `json:"value"`
	Confidence float64 `json:"confidence" doc:"0 to 1; 1 for a setting made by hand"`
	Why        string  `json:"why"`
}

// Check says what is wrong with the settings.
func (l *Layout) Check() error {
	if l.Form != "delimited" && l.Form != "fixed" {
		return fmt.Errorf("form %q cannot be read: use delimited or fixed", l.Form)
	}
	for i, c := range l.Cuts {
		if c < 1 || i > 0 && c <= l.Cuts[i-1] {
			return fmt.Errorf("cuts %v: they are characters from 1 up, each beyond the one before", l.Cuts)
		}
	}
	if _, err := EncodingOf(l.Encoding); err != nil {
		return err
	}
	for _, mark := range []struct{ setting, value string }{{"delimiter", l.Delimiter}, {"quoteChar", l.QuoteChar}, {"commentPrefix", l.CommentPrefix}} {
		if strings.ContainsAny(mark.value, "\r\n") {
			return fmt.Errorf("%s must not hold a line end", mark.setting)
		}
		if !utf8.ValidString(mark.value) {
			return fmt.Errorf("%s is not valid UTF-8", mark.setting)
		}
	}
	if utf8.RuneCountInString(l.QuoteChar) > 1 {
		return fmt.Errorf("quoteChar %q is more than one character", l.QuoteChar)
	}
	if l.Delimiter != "" && l.Delimiter == l.QuoteChar {
		return fmt.Errorf("delimiter and quoteChar are both %q", l.Delimiter)
	}
	for _, n := range []struct {
		setting string
		value   int
	}{{"skipRows", l.SkipRows}, {"headerRows", l.HeaderRows}, {"footerRows", l.FooterRows}} {
		if n.value < 0 {
			return fmt.Errorf("%s is %d: it counts lines from 0", n.setting, n.value)
		}
	}
	return nil
}

// Dialect gives the grammar of the layout's delimited text.
func (l *Layout) Dialect() delimited.Dialect {
	if l.Form == "fixed" {
		return delimited.Dialect{} // a line is one text, which the cuts divide
	}
	d := delimited.Dialect{Delimiter: l.Delimiter, Quote: l.QuoteChar}
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

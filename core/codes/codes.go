// Package codes reads code lists: the codes that a column may hold, with what they mean.
//
// A list is a table of text (RFC 4180 or with semicolons or tabs, UTF-8) under a header: the
// first column holds the codes, the second, where there is one, their labels. It knows
// nothing of targets.
package codes

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"sieb/core/layout"
	"sieb/core/source"
)

// List is a code list.
type List struct {
	Name  string
	Codes []Code
	Text  []byte // the text that it was read from
	at    map[string]int
	loose map[string]int // without regard to case and blanks; -1 where several codes are the same so
}

// Named returns the list of a name, nil where there is none.
func Named(lists []*List, name string) *List {
	at := slices.IndexFunc(lists, func(l *List) bool { return l.Name == name })
	if at < 0 {
		return nil
	}
	return lists[at]
}

// Code is a code with what it means.
type Code struct {
	Code  string
	Label string // "" for none
}

// Bounds of a list.
const (
	MaxCodes = 1_000_000
	maxCode  = 4096 // bytes of a code or label
	MaxBytes = 64 << 20
)

// Parse reads a list of a name from its text.
func Parse(ctx context.Context, name string, text []byte) (*List, error) {
	if len(text) > MaxBytes {
		return nil, fmt.Errorf("the code list %s is longer than %d MiB", name, MaxBytes>>20)
	}
	if !utf8.Valid(text) {
		return nil, fmt.Errorf("the code list %s is not valid UTF-8: save it as UTF-8", name)
	}
	l := &List{Name: name, Text: text, at: map[string]int{}, loose: map[string]int{}}
	rows, err := source.NewReader(bytes.NewReader(text), layout.Layout{Form: layout.Delimited, Encoding: "utf-8",
		Delimiter: delimiterOf(text), QuoteChar: `"`, DoubleQuote: true, HeaderRows: 1, HeaderNames: layout.Joined,
		SkipBlankRows: true})
	if err != nil {
		return nil, err
	}
	var b source.Batch
	for {
		if err := rows.Next(&b); errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			return nil, fmt.Errorf("the code list %s: %w", name, err)
		}
		b.Split()
		for row := range b.Rows {
			if err := l.add(&b, row); err != nil {
				return nil, fmt.Errorf("the code list %s, line %d: %w", name, b.Rows[row].Line, err)
			}
		}
		if err := ctx.Err(); err != nil {
			return nil, err
		}
	}
	if len(l.Codes) == 0 {
		return nil, fmt.Errorf("the code list %s has no code: below a header stands one in each line, and what "+
			"it means "+
			"behind it", name)
	}
	return l, nil
}

// delimiterOf returns what stands between code and label: what the header has.
func delimiterOf(text []byte) string {
	header, _, _ := bytes.Cut(text, []byte("\n"))
	for _, d := range []string{";", "\t"} {
		if bytes.Contains(header, []byte(d)) {
			return d
		}
	}
	return ","
}

func (l *List) add(b *source.Batch, row int) error {
	cells := b.Cells(row)
	c := Code{Code: strings.TrimSpace(string(b.Text(cells[0])))}
	if len(cells) > 1 {
		c.Label = strings.TrimSpace(string(b.Text(cells[1])))
	}
	switch at, isThere := l.at[c.Code]; {
	case c.Code == "":
		return errors.New("there is no code in the first column")
	case isThere:
		return fmt.Errorf("%q is in the list already, with the label %q", c.Code, l.Codes[at].Label)
	case len(c.Code) > maxCode || len(c.Label) > maxCode:
		return fmt.Errorf("a code or label is longer than %d bytes", maxCode)
	case len(l.Codes) == MaxCodes:
		return fmt.Errorf("there are more than %d codes", MaxCodes)
	}
	l.at[c.Code] = len(l.Codes)
	key := looseKey(c.Code)
	if _, isTwice := l.loose[key]; isTwice {
		l.loose[key] = -1
	} else {
		l.loose[key] = len(l.Codes)
	}
	l.Codes = append(l.Codes, c)
	return nil
}

// looseKey returns a code without regard to letter case and to blanks beyond one.
func looseKey(code string) string { return strings.ToLower(strings.Join(strings.Fields(code), " ")) }

// Has reports whether a text is a code, letter by letter.
func (l *List) Has(text []byte) bool {
	_, is := l.at[string(text)]
	return is
}

// Label returns what a code means: its label, or itself where it has none. It returns false
// where it is no code of the list.
func (l *List) Label(code string) (string, bool) {
	at, is := l.at[code]
	if !is {
		return "", false
	}
	return cmp.Or(l.Codes[at].Label, code), true
}

// Meant returns the code that a text is without regard to letter case and blanks; false
// where there is none, or several are.
func (l *List) Meant(text []byte) (string, bool) {
	if at, is := l.loose[looseKey(string(text))]; is && at >= 0 {
		return l.Codes[at].Code, true
	}
	return "", false
}

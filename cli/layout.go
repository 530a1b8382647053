package cli

import (
	"encoding/json"
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"sieb/core/layout"
	"sieb/core/source"
	"sieb/core/target"
)

// layoutFlags are the flags that set single settings of a layout by hand.
type layoutFlags struct {
	form, encoding, delimiter, quote, comment string
	sheet, names, merged, hidden, member      string
	skip, skipColumns, header, footer, fold   int
	trim, blankRows, closing                  bool
	nameless                                  string
	file                                      string
	cuts                                      []int
	columns                                   int
	cmd                                       *cobra.Command
}

func addLayoutFlags(cmd *cobra.Command) *layoutFlags {
	l := &layoutFlags{cmd: cmd}
	f := cmd.Flags()
	f.StringVar(&l.form, "form", "", "delimited, fixed or workbook")
	f.StringVar(&l.encoding, "encoding", "", "utf-8, windows-1252, utf-16le, … (WHATWG names)")
	f.StringVar(&l.delimiter, "delimiter", "", `cell separator: , ; | tab, or "none" for a single column`)
	f.StringVar(&l.quote, "quote-char", "", `character that encloses cells, or "none"`)
	f.StringVar(&l.comment, "comment-prefix", "", `prefix of comment lines, or "none"`)
	f.IntVar(&l.skip, "skip-rows", 0, "lines above the table")
	f.IntVar(&l.header, "header-rows", 0, "rows that name the columns; 0 for none")
	f.IntVar(&l.footer, "footer-rows", 0, "lines below the table")
	f.StringVar(&l.names, "header-names", "", "with several header rows: joined, or only the first or last")
	f.BoolVar(&l.trim, "trim", false, "strip blanks around cells; --trim=false keeps them")
	f.BoolVar(&l.closing, "closing-delimiter", false, "each row ends with a delimiter that no column follows")
	f.StringVar(&l.nameless, "nameless", "",
		"column without a name, if the header has one name fewer than the rows have cells: first or last")
	f.BoolVar(&l.blankRows, "skip-blank-rows", true,
		"ignore blank lines; --skip-blank-rows=false makes them empty values in a file of one column")
	f.IntVar(&l.fold, "fold", 0, "one value per line: how many lines form a row; 0 for ordinary rows")
	f.StringVar(&l.member, "member", "", "which file to read in a ZIP archive of several")
	f.StringVar(&l.sheet, "sheet", "", "sheet of a workbook, by name or number")
	f.IntVar(&l.skipColumns, "skip-columns", 0, "columns left of the table in a sheet")
	f.StringVar(&l.merged, "merged", "", "merged cells: value in the first cell only (first), or in all (carried)")
	f.StringVar(&l.hidden, "hidden", "", "hidden rows and columns of a sheet: read or skip")
	f.IntSliceVar(&l.cuts, "cuts", nil,
		"fixed width: where each cell after the first begins, in characters from 0: 10,22,31")
	f.IntVar(&l.columns, "max-columns", 16384, "maximum number of columns in a table")
	f.StringVar(&l.file, "layout", "",
		"layout file written by read --save-layout; other flags override it")
	return l
}

// fromFile reads the settings of a layout file; without one there are none.
func (l *layoutFlags) fromFile() (g layout.Given, err error) {
	if l.file == "" {
		return g, nil
	}
	text, err := os.ReadFile(l.file)
	if err != nil {
		return g, fmt.Errorf("the layout cannot be read: %w; sieb read FILE --save-layout writes one", err)
	}
	if err := json.Unmarshal(text, &g); err != nil {
		return g, fmt.Errorf("%s is no layout: %w; sieb read FILE --save-layout writes one", l.file, err)
	}
	if err := g.Check(); err != nil {
		return g, fmt.Errorf("%s: %w", l.file, err)
	}
	return g, nil
}

// saveLayout writes a layout that --layout reads.
func saveLayout(path string, file *source.File) error {
	text, err := json.MarshalIndent(file.Layout, "", "  ")
	if err != nil {
		return err
	}
	return writeText(path, file, append(text, '\n'))
}

// open opens a delivery with the settings that were set, and under them those of a mapping,
// which may be nil.
func (l *layoutFlags) open(path string, mapping *target.Mapping) (*source.File, error) {
	given, err := l.given()
	if err != nil {
		return nil, err
	}
	if mapping != nil && mapping.Layout != nil {
		given = given.Over(*mapping.Layout)
	}
	if l.columns < 1 {
		return nil, usagef("--max-columns %d: it is 1 or more", l.columns)
	}
	return source.Bounds{Columns: l.columns}.Open(l.cmd.Context(), path, given)
}

// given collects the settings that were set; the others are detected.
func (l *layoutFlags) given() (g layout.Given, err error) {
	set := l.cmd.Flags().Changed
	text := func(flag, value string, to **string) {
		if set(flag) {
			value = unescape(value)
			*to = &value
		}
	}
	text("form", l.form, &g.Form)
	text("encoding", layout.EncodingName(l.encoding), &g.Encoding)
	text("delimiter", l.delimiter, &g.Delimiter)
	text("quote-char", l.quote, &g.QuoteChar)
	text("comment-prefix", l.comment, &g.CommentPrefix)
	text("header-names", l.names, &g.HeaderNames)
	text("sheet", l.sheet, &g.Sheet)
	text("member", l.member, &g.Member)
	if set("trim") {
		g.Trim = &l.trim
	}
	text("nameless", l.nameless, &g.Nameless)
	if set("closing-delimiter") {
		g.ClosingDelimiter = &l.closing
	}
	if set("skip-blank-rows") {
		g.SkipBlankRows = &l.blankRows
	}
	text("merged", l.merged, &g.Merged)
	text("hidden", l.hidden, &g.Hidden)
	for _, n := range []struct {
		flag  string
		value *int
		to    **int
	}{{"skip-rows", &l.skip, &g.SkipRows}, {"header-rows", &l.header, &g.HeaderRows},
		{"footer-rows", &l.footer, &g.FooterRows}, {"skip-columns", &l.skipColumns, &g.SkipColumns},
		{"fold", &l.fold, &g.Fold}} {
		if !set(n.flag) {
			continue
		}
		if *n.value < 0 {
			return g, usagef("--%s %d: it counts from 0", n.flag, *n.value)
		}
		*n.to = n.value
	}
	if set("cuts") {
		form := layout.Fixed
		g.Form, g.Cuts = &form, &l.cuts
	}
	saved, err := l.fromFile()
	return g.Over(saved), err
}

// unescape reads the words that stand for characters that are awkward to type.
func unescape(value string) string {
	switch value {
	case "tab", `\t`:
		return "\t"
	case "none":
		return ""
	case "blank":
		return " "
	}
	return value
}

// describe says a layout in one line.
func describe(l layout.Layout) string {
	parts := []string{l.Encoding, layout.Name(l.Delimiter)}
	switch {
	case l.Form == layout.Workbook:
		parts = []string{"sheet " + l.Sheet}
	case l.Form == layout.Fixed:
		parts[1] = fmt.Sprintf("fixed width, %d columns", len(l.Cuts)+1)
	case l.Fold > 0:
		parts[1] = fmt.Sprintf("%d lines to a row", l.Fold)
	case l.Delimiter == "":
		parts[1] = "one column"
	}
	lines := func(n int, one, many string) {
		if n == 1 {
			parts = append(parts, "1 "+one)
		} else if n > 1 {
			parts = append(parts, fmt.Sprintf("%d %s", n, many))
		}
	}
	lines(l.SkipRows, "line above the table", "lines above the table")
	lines(l.HeaderRows, "header row", "header rows")
	if l.HeaderRows == 0 {
		parts = append(parts, "no header")
	}
	lines(l.FooterRows, "line below the table", "lines below the table")
	return strings.Join(parts, ", ")
}

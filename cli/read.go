package cli

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strconv"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"sieb/core/layout"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/value"
	"sieb/core/workbook"
)

// maxHashed is the size up to which read computes a hash: hashing a file of
// many gigabytes would take far longer than looking at its first rows.
const maxHashed = 256 << 20

func (a *app) read() *cobra.Command {
	var rows, save string
	cmd := &cobra.Command{
		Use:   "read FILE",
		Short: "Shows how a file is read: layout with evidence, columns, first rows",
		Long: `Shows the detected layout, setting by setting, with its confidence and the
reason, then the columns and the first rows as read with it. The layout is
guessed from parts of the file; flags set individual settings by hand. Cells
and rows with a problem are marked with !, and the problems are listed below.`,
		Example: `  sieb read weighbridge-ahrensee-2026-07.csv
  sieb read weighbridge-ahrensee-2026-07.csv --skip-rows 2 --rows 50
  sieb read weighbridge-ahrensee-2026-07.csv --save-layout ahrensee.json
  sieb read weighbridge-brunnthal-2026-07.csv --rows all --format json`,
		Args: oneFile,
	}
	layoutFlags := addLayoutFlags(cmd)
	cmd.Flags().StringVar(&rows, "rows", "10", "how many rows to show, or all")
	cmd.Flags().StringVar(&save, "save-layout", "", "file to save the layout to, for --layout")
	cmd.RunE = func(_ *cobra.Command, args []string) error {
		most := int64(-1)
		if rows != "all" {
			var err error
			if most, err = strconv.ParseInt(rows, 10, 64); err != nil || most < 0 {
				return usagef("--rows %q is neither a number nor all", rows)
			}
		}
		file, err := layoutFlags.open(args[0], nil)
		if err != nil {
			return err
		}
		defer file.Close()
		if save != "" {
			if err := saveLayout(save, file); err != nil {
				return err
			}
		}
		if a.format == "json" {
			return a.readJSON(cmd.Context(), file, most)
		}
		return a.readText(cmd.Context(), file, most)
	}
	return cmd
}

// readHead is the document of read up to its rows.
type readHead struct {
	File     readFile          `json:"file"`
	Layout   layout.Layout     `json:"layout"`
	Evidence []layout.Evidence `json:"evidence"`
	Sheets   []workbook.Sheet  `json:"sheets,omitempty"`
	Columns  []string          `json:"columns"`
}

type readFile struct {
	Name   string  `json:"name"`
	Bytes  int64   `json:"bytes"`
	SHA256 *string `json:"sha256"` // null for a file beyond maxHashed
}

// readJSON streams the document, so that all rows of a large file pass
// through without being held.
func (a *app) readJSON(ctx context.Context, file *source.File, most int64) error {
	reader, err := file.Rows(ctx)
	if err != nil {
		return err
	}
	defer source.Close(reader)
	var hash *string
	delivered, bytes, err := file.Delivered()
	if err != nil {
		return err
	}
	if bytes <= maxHashed {
		h := sha256.New()
		if _, err := io.Copy(h, delivered); err != nil {
			return err
		}
		sum := hex.EncodeToString(h.Sum(nil))
		hash = &sum
	}
	head, err := marshal(readHead{readFile{file.Name, bytes, hash}, file.Layout, file.Evidence, file.Sheets(),
		append([]string{}, reader.Header().Names...)})
	if err != nil {
		return err
	}
	out := newStickyWriter(a.out)
	out.put(head[:len(head)-1])
	out.put([]byte(`,"rows":[`))
	problems := []sift.Problem{}
	first := true
	changed, err := sift.Look(reader, file.Layout.Encoding, most, func(seen *sift.ReadRow) error {
		line, err := marshal(append([]string{}, seen.Cells...))
		if err != nil {
			return err
		}
		if !first {
			out.put([]byte{','})
		}
		first = false
		out.put([]byte{'\n'})
		out.put(line)
		problems = append(problems, seen.Problems...)
		return out.err
	})
	if err != nil {
		return err
	}
	if changed != nil {
		problems = append(problems, *changed)
	}
	tail, err := marshal(problems)
	if err != nil {
		return err
	}
	out.put([]byte("],\"problems\":"))
	out.put(tail)
	out.put([]byte("}\n"))
	return out.flush()
}

// marshal makes JSON without escaping what only matters in HTML.
func marshal(v any) ([]byte, error) {
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	err := e.Encode(v)
	return bytes.TrimSuffix(b.Bytes(), []byte{'\n'}), err
}

func (a *app) readText(ctx context.Context, file *source.File, most int64) error {
	reader, err := file.Rows(ctx)
	if err != nil {
		return err
	}
	defer source.Close(reader)
	fmt.Fprintf(a.out, "%s  %s%s\n\n", file.Name, size(file.Size), packed(file))
	settings := make([][]string, 0, len(file.Evidence))
	for _, e := range file.Evidence {
		sure := fmt.Sprintf("%.0f %%", 100*e.Confidence)
		if e.Confidence < 0.75 {
			sure = "? " + sure
		}
		settings = append(settings, []string{e.Setting, visible(e.Value), sure, e.Why})
	}
	a.table([]columnOf{{title: "setting"}, {title: "value", most: 20}, {title: "sure", number: true},
		{title: "why", most: max(30, a.width()-48), wrap: true}}, settings)
	if sheets := file.Sheets(); len(sheets) > 1 {
		var list []string
		for _, s := range sheets {
			list = append(list, sheetSize(s))
		}
		fmt.Fprintf(a.out, "\nsheets: %s\n", joined(list))
	}
	fmt.Fprintln(a.out)

	names := reader.Header().Names
	if len(names) == 0 {
		fmt.Fprintln(a.out, "the file is empty: it has neither a header nor a row")
		return nil
	}
	var rows [][]string
	var problems []sift.Problem
	// Rows are held to measure their width; beyond this many they are shown
	// in tables of their own.
	const held = 1000
	var total int64
	show := func() {
		if len(rows) > 0 || total == 0 {
			a.showRows(names, rows)
		}
		rows = rows[:0]
	}
	changed, err := sift.Look(reader, file.Layout.Encoding, most, func(seen *sift.ReadRow) error {
		row := append(make([]string, 0, len(seen.Cells)+2), strconv.FormatInt(seen.Row, 10),
			strconv.FormatInt(seen.Line, 10))
		for k, c := range seen.Cells {
			c = visible(c)
			if isOdd(seen, k+1) {
				c = "! " + c
			}
			row = append(row, c)
		}
		if isOdd(seen, 0) {
			row[0] = "! " + row[0]
		}
		rows = append(rows, row)
		problems = append(problems, seen.Problems...)
		if total++; len(rows) == held {
			show()
		}
		return nil
	})
	if err != nil {
		return err
	}
	show()
	if changed != nil {
		problems = append(problems, *changed)
	}
	if total == 0 && most != 0 {
		fmt.Fprintln(a.out, "the file has a header and no rows")
	}
	if len(problems) > 0 {
		fmt.Fprintln(a.out)
		var list [][]string
		for _, p := range problems {
			row := ""
			if p.Row > 0 {
				row = strconv.FormatInt(p.Row, 10)
			}
			list = append(list, []string{row, strconv.FormatInt(p.Line, 10), p.Column, p.Code.String(),
				visible(p.Message)})
		}
		a.table([]columnOf{{title: "row", number: true}, {title: "line", number: true}, {title: "column", most: 20},
			{title: "problem"}, {title: "what is wrong", most: max(30, a.width()-60), wrap: true}}, list)
	}
	return nil
}

// sheetSize names a sheet with its size, as far as the workbook tells it.
func sheetSize(s workbook.Sheet) string {
	text := s.Name
	if s.Rows > 0 {
		text += fmt.Sprintf(" (%d × %d)", s.Rows, s.Columns)
	}
	if s.Hidden {
		text += " hidden"
	}
	return text
}

// isOdd reports whether a cell, named by its place from 1, has a problem of its
// own; 0 stands for the row as a whole.
func isOdd(seen *sift.ReadRow, cell int) bool {
	return slices.ContainsFunc(seen.Problems, func(p sift.Problem) bool { return p.Cell == cell })
}

// packed says how a file was compressed.
func packed(file *source.File) string {
	switch {
	case file.Inner != "":
		return fmt.Sprintf(" unpacked from %s, there %s", file.Packing, file.Inner)
	case file.Packing != "":
		return " unpacked from " + file.Packing
	}
	return ""
}

// showRows prints rows of a delivery, each behind its number and its line.
func (a *app) showRows(names []string, rows [][]string) {
	columns := make([]columnOf, len(names))
	for k, name := range names {
		columns[k] = columnOf{title: name}
	}
	a.fitting([]columnOf{{title: "row", number: true}, {title: "line", number: true}}, columns, rows)
}

// fitting prints a table of as many columns as fit beside one another, behind those that lead, and names the others.
func (a *app) fitting(lead, columns []columnOf, rows [][]string) {
	const most = 24
	shown := slices.Clone(lead)
	used := 8 * len(lead)
	for k, c := range columns {
		at := len(lead) + k
		w := text.StringWidthWithoutEscSequences(visible(c.title))
		for _, row := range rows {
			if at < len(row) {
				w = max(w, text.StringWidthWithoutEscSequences(row[at]))
			}
		}
		w = min(w, most)
		if used += w + 2; used > a.width() && k > 0 {
			break
		}
		shown = append(shown, columnOf{title: clip(visible(c.title), most), most: most, number: c.number})
	}
	cells := make([][]string, len(rows))
	for i, row := range rows {
		cells[i] = row[:min(len(row), len(shown))]
	}
	a.table(shown, cells)
	if hidden := columns[len(shown)-len(lead):]; len(hidden) > 0 {
		names := make([]string, len(hidden))
		for i, c := range hidden {
			names[i] = c.title
		}
		fmt.Fprintf(a.out, "and %s: %s\n", value.Count(int64(len(hidden)), "more column", "more columns"),
			clip(joined(names), a.width()-20))
	}
}

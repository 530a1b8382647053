package cli

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"sieb/core/finding"
	"sieb/core/profile"
	"sieb/core/source"
	"sieb/core/typing"
	"sieb/core/value"
	"sieb/paper"
)

func (a *app) profile() *cobra.Command {
	var column, html string
	var share share
	cmd := &cobra.Command{
		Use:   "profile FILE",
		Short: "Shows what every column holds, over the whole file, and what is odd in it",
		Long: `Reads every row and shows what each column holds: how much of it is filled, how
many distinct values it has, their datatype and range. The findings follow, most
serious first; the last column of the table refers to them by number. --column
shows one column in full.

Figures are exact. Where a column has more distinct values than fit in memory,
figures that need all of them are estimates, marked with ≈.`,
		Example: `  sieb profile weighbridge-ahrensee-2026-07.csv
  sieb profile weighbridge-ahrensee-2026-07.csv --column "Moisture %"
  sieb profile weighbridge-ahrensee-2026-07.csv --html ahrensee.html
  sieb profile weighbridge-ahrensee-2026-07.csv --format json`,
		Args: oneFile,
	}
	layoutFlags := addLayoutFlags(cmd)
	share.add(cmd)
	cmd.Flags().StringVar(&column, "column", "", "show this column in full, by name or number")
	cmd.Flags().StringVar(&html, "html", "", "write the whole profile as a page to this file")
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		file, p, err := a.profileOf(cmd.Context(), args[0], layoutFlags, share)
		if err != nil {
			return err
		}
		defer file.Close()
		var one *profile.Column
		if column != "" {
			if one, err = columnNamed(p, column); err != nil {
				return err
			}
		}
		if html != "" {
			if err := writeFile(html, file, func(w *bufio.Writer) error {
				return paper.Profile(w, file.Name,
					describe(file.Layout), p)
			}); err != nil {
				return err
			}
		}
		switch {
		case a.format == "json" && one != nil:
			return a.json(one)
		case a.format == "json":
			return a.json(p)
		case one != nil:
			a.showColumn(p, one)
		default:
			fmt.Fprintf(a.out, "%s  %s\n\n", file.Name, describe(file.Layout))
			a.showProfile(p)
		}
		if html != "" {
			fmt.Fprintf(a.out, "\nwritten: %s\n", html)
		}
		return nil
	}
	return cmd
}

// share is which share of a column's values decides its datatype, as a flag.
type share float64

func (s *share) add(cmd *cobra.Command) {
	*s = typing.DefaultShare
	cmd.Flags().Var(s, "datatype-share",
		"share of a column's values that must fit a datatype before it is assigned, 50% to 100%")
}

func (s *share) String() string { return fmt.Sprintf("%g%%", float64(*s)*100) }

func (*share) Type() string { return "percent" }

func (s *share) Set(text string) error {
	number, isPercent := strings.CutSuffix(strings.TrimSpace(text), "%")
	x, err := strconv.ParseFloat(strings.TrimSpace(number), 64)
	if isPercent {
		x /= 100
	}
	if err != nil || !(x >= typing.LeastShare && x <= 1) {
		return fmt.Errorf("write a share from 50%% to 100%%, such as 95%% or 0.95")
	}
	*s = share(x)
	return nil
}

// profileOf opens a file and makes its profile; the file is to be closed.
func (a *app) profileOf(ctx context.Context, path string, flags *layoutFlags, enough share) (*source.File,
	*profile.Profile, error) {
	file, err := flags.open(path, nil)
	if err != nil {
		return nil, nil, err
	}
	set, done := a.progress("profiling", file.Size)
	p, err := finding.Profile(ctx, file, profile.Options{Share: float64(enough),
		Progress: func(p profile.Progress) { set(p.Bytes) }})
	done()
	if err != nil {
		file.Close()
		return nil, nil, err
	}
	return file, p, nil
}

// columnNamed finds a column by its name or its number.
func columnNamed(p *profile.Profile, name string) (*profile.Column, error) {
	var names []string
	for i := range p.Columns {
		if p.Columns[i].Name == name {
			return &p.Columns[i], nil
		}
		names = append(names, p.Columns[i].Name)
	}
	for i := range p.Columns {
		if strings.EqualFold(p.Columns[i].Name, strings.TrimSpace(name)) {
			return &p.Columns[i], nil
		}
	}
	if n, err := strconv.Atoi(name); err == nil && n >= 1 && n <= len(p.Columns) {
		return &p.Columns[n-1], nil
	}
	return nil, usagef("there is no column %q; the columns are %s", name, clip(joined(names), 300))
}

// showProfile prints the overview: a line for each column, then the findings.
func (a *app) showProfile(p *profile.Profile) {
	fmt.Fprintf(a.out, "%s of %s", value.Count(p.Rows, "row", "rows"), value.Count(int64(len(p.Columns)), "column",
		"columns"))
	if p.Damaged > 0 {
		why := "damaged"
		switch p.Headers.Rows {
		case 0:
		case p.Damaged:
			why = "the header again"
		default:
			why = "damaged or the header again"
		}
		fmt.Fprintf(a.out, "; %s %s, and left out of what follows", value.Count(p.Damaged, "is", "are"), why)
	}
	fmt.Fprint(a.out, "\n\n")
	if p.Rows == 0 {
		fmt.Fprintln(a.out, "there is nothing to profile: the file has no rows")
		return
	}
	of := map[string][]string{}
	for i, f := range p.Findings {
		for _, c := range f.Columns {
			of[c] = append(of[c], strconv.Itoa(i+1))
		}
	}
	rows := make([][]string, len(p.Columns))
	for i := range p.Columns {
		c := &p.Columns[i]
		rows[i] = []string{visible(c.Name), filled(c), distinct(c), datatype(c), spanOf(c),
			strings.Join(of[c.Name], " ")}
	}
	a.table([]columnOf{{title: "column", most: 22}, {title: "filled"}, {title: "distinct", number: true},
		{title: "datatype"}, {title: "range", most: 27}, {title: "finding", most: 14}}, rows)
	a.showHolds(p)
	if len(p.Findings) == 0 {
		fmt.Fprintln(a.out, "\nnothing odd was found")
		return
	}
	first := 0
	for _, group := range findingWords {
		end := first
		for end < len(p.Findings) && p.Findings[end].Weight == group.weight {
			end++
		}
		if end > first {
			fmt.Fprintf(a.out, "\n%s\n", group.words)
			a.showFindings(p.Findings[first:end], func(i int) string { return strconv.Itoa(first + i + 1) })
		}
		first = end
	}
}

// findingWords head the findings of each weight; they come in this order.
var findingWords = []struct{ weight, words string }{
	{"breaks", "what breaks a load"}, {"may", "what may break one"}, {"note", "worth knowing"},
}

// showHolds prints the keys and what holds between columns.
func (a *app) showHolds(p *profile.Profile) {
	var lines []string
	for _, k := range p.Keys {
		if k.Repeats == 0 {
			lines = append(lines, "key      "+joined(k.Columns))
		}
	}
	for _, r := range p.Relations {
		if r.Exceptions > 0 {
			continue // it is a finding
		}
		lines = append(lines, "holds    "+holds(r))
	}
	if len(lines) == 0 {
		return
	}
	fmt.Fprintln(a.out)
	for _, l := range lines {
		fmt.Fprintln(a.out, clip(l, a.width()))
	}
}

// holds says a relation in words.
func holds(r profile.Relation) string {
	shown := make([]string, len(r.Columns))
	for i := range shown {
		shown[i] = visible(r.Columns[i])
	}
	switch r.Kind {
	case "equal":
		return shown[0] + " is the same as " + shown[1]
	case "determines":
		return shown[0] + " tells " + shown[1]
	case "order":
		return shown[0] + " is never after " + shown[1]
	}
	return shown[0] + " = " + strings.Join(shown[1:], " + ")
}

func (a *app) showFindings(all []profile.Finding, mark func(i int) string) {
	for i, f := range all {
		lines := strings.Split(wrap(visible(f.Text), min(a.width(), 100)-5), "\n")
		for k, line := range lines {
			m := ""
			if k == 0 {
				m = mark(i)
			}
			fmt.Fprintf(a.out, "%3s  %s\n", m, strings.TrimRight(line, " "))
		}
		if f.Rule != "" {
			fmt.Fprintf(a.out, "     → %s\n", f.Rule)
		}
	}
}

// bar draws a share as a bar of so many characters, in eighths of them.
func bar(share float64, width int) string {
	eighths := int(share*float64(width)*8 + 0.5)
	if share > 0 {
		eighths = max(eighths, 1)
	}
	s := strings.Repeat("█", eighths/8)
	if rest := eighths % 8; rest > 0 {
		s += string([]rune("▏▎▍▌▋▊▉")[rest-1])
	}
	return s
}

func filled(c *profile.Column) string {
	all := c.Filled + c.Empty
	if all == 0 {
		return ""
	}
	return text.Pad(bar(float64(c.Filled)/float64(all), 6), 7, ' ') + profile.Percent(c.Filled, all)
}

func distinct(c *profile.Column) string {
	if !c.DistinctExact {
		return "≈ " + value.Thousands(c.Distinct)
	}
	return value.Thousands(c.Distinct)
}

func datatype(c *profile.Column) string {
	if c.Filled == 0 {
		return ""
	}
	d := c.Datatype.String()
	if c.Fits < c.Filled {
		d += " " + profile.Percent(c.Fits, c.Filled)
	}
	return d
}

// plain returns a value of the profile as a terminal shows it.
func plain(v json.RawMessage) string { return visible(profile.Plain(v)) }

// spanOf returns the range of a column's values in a few characters.
func spanOf(c *profile.Column) string {
	if c.Filled == 0 {
		return ""
	}
	if c.Datatype == value.Boolean {
		return strings.Join(c.Pair, " / ")
	}
	const most = 27
	low, high := plain(c.Minimum), plain(c.Maximum)
	if low == high {
		return clip(low, most)
	}
	if c.Datatype == value.DateTime { // to the day, within one day to the minute
		const day, minute = len("2026-07-06"), len("2026-07-06T06:18")
		if clipTo(low, day) == clipTo(high, day) {
			low, high = clipTo(low, minute), clipTo(high, minute)[day+1:]
		} else {
			low, high = clipTo(low, day), clipTo(high, day)
		}
	}
	if c.Datatype == value.String {
		low, high = clip(low, 12), clip(high, 12)
	}
	return low + " … " + high
}

func clipTo(s string, n int) string { return s[:min(len(s), n)] }

// showColumn prints all that is known of a column.
func (a *app) showColumn(p *profile.Profile, c *profile.Column) {
	fmt.Fprintf(a.out, "%s  %s\n\n", visible(c.Name), datatype(c))
	line := func(label, format string, args ...any) {
		fmt.Fprintf(a.out, "%-14s%s\n", label, fmt.Sprintf(format, args...))
	}
	all := c.Filled + c.Empty
	line("rows", "%s", value.Thousands(all))
	line("filled", "%s  %s", value.Thousands(c.Filled), profile.Percent(c.Filled, all))
	empty := value.Thousands(c.Empty)
	if c.Blank > 0 {
		empty += fmt.Sprintf(", of which %s nothing but blanks", value.Count(c.Blank, "has", "have"))
	}
	line("empty", "%s", empty)
	d := distinct(c)
	if c.Once != nil {
		d += fmt.Sprintf(", of which %s once", value.Count(*c.Once, "occurs", "occur"))
	} else {
		d += fmt.Sprintf(" ± %.1f %%", 100*c.DistinctError)
	}
	line("distinct", "%s", d)
	if c.Filled > 0 {
		line("length", "%s to %s characters, %.1f on average", value.Thousands(int64(c.MinLength)),
			value.Thousands(int64(c.MaxLength)), c.MeanLength)
	}
	if c.Minimum != nil {
		line("range", "%s … %s", clip(plain(c.Minimum), 40), clip(plain(c.Maximum), 40))
	}
	if c.Deviation != nil {
		unit := ""
		if c.Dates != nil {
			unit = " days"
		}
		line("mean", "%s, standard deviation %s%s", short(plain(c.Mean)), short(fmt.Sprint(*c.Deviation)), unit)
		about := ""
		if c.QuartileError > 0 {
			about = fmt.Sprintf("  ± %.1f %%", 100*c.QuartileError)
		}
		line("quartiles", "%s, %s, %s%s", short(plain(c.Quartiles[0])), short(plain(c.Quartiles[1])),
			short(plain(c.Quartiles[2])), about)
	}
	if c.Sum != nil {
		line("sum", "%s", c.Sum)
	}
	a.showHabits(c, line)

	if len(c.Histogram) > 1 {
		a.section("how the values spread")
		var rows [][]string
		most := int64(1)
		for _, b := range c.Histogram {
			most = max(most, b.Count)
		}
		for i := 0; i < len(c.Histogram); i++ {
			b := c.Histogram[i]
			rows = append(rows, []string{"from " + profile.Edge(b.From), value.Thousands(b.Count),
				bar(float64(b.Count)/float64(most), 40)})
			k := i
			for k < len(c.Histogram) && c.Histogram[k].Count == 0 {
				k++
			}
			if k-i > 2 { // a stretch without a value takes one line more
				rows = append(rows, []string{"…"})
				i = k - 1
			}
		}
		a.columns(rows)
	}
	if len(c.Kinds) > 1 {
		a.section("what the values look like")
		var rows [][]string
		for _, k := range c.Kinds {
			rows = append(rows, []string{k.Form, value.Thousands(k.Count), profile.Percent(k.Count, c.Filled),
				example(k.First)})
		}
		a.columns(rows)
	}
	isUnique := c.Once != nil && *c.Once == c.Distinct
	if isUnique {
		a.showValues("the first values; each occurs once", c.Top[:min(len(c.Top), 5)], 0)
	} else {
		a.showValues("most frequent", c.Top[:min(len(c.Top), 12)], c.Filled)
	}
	if len(c.Rare) > 0 && !isUnique {
		a.showValues("least frequent", c.Rare[:min(len(c.Rare), 5)], 0)
	}
	a.showValues("not of the datatype", c.Against, 0)
	a.showValues("perhaps missing", c.Placeholders, 0)
	if len(c.Shapes) > 1 && len(c.Shapes) < 40 || len(c.Shapes) == 1 {
		a.section("shapes (A capital, a letter, 9 digit)")
		var rows [][]string
		for _, s := range c.Shapes[:min(len(c.Shapes), 8)] {
			rows = append(rows, []string{clip(visible(s.Shape), 40), value.Thousands(s.Count),
				profile.Percent(s.Count, c.Filled), "first in row " + value.Thousands(s.Row)})
		}
		a.columns(rows)
	}
	if len(c.Variants) > 0 {
		a.section("the same, written in different ways")
		for _, g := range c.Variants[:min(len(c.Variants), 8)] {
			var list []string
			for _, v := range g {
				list = append(list, fmt.Sprintf("%s (%s)", visible(v.Value), value.Thousands(v.Count)))
			}
			fmt.Fprintf(a.out, "  %s\n", clip(strings.Join(list, "  "), a.width()-2))
		}
	}
	var own []profile.Finding
	for _, f := range p.Findings {
		if slices.Contains(f.Columns, c.Name) {
			own = append(own, f)
		}
	}
	if len(own) > 0 {
		a.section("findings")
		a.showFindings(own, func(int) string { return "•" })
	}
}

// showHabits prints how numbers and dates are written.
func (a *app) showHabits(c *profile.Column, line func(label, format string, args ...any)) {
	if n := c.Numbers; n != nil && c.Datatype.IsNumber() {
		habit := fmt.Sprintf("up to %s before the point, %d after it", value.Count(int64(n.WholeDigits), "digit",
			"digits"), n.FractionDigits)
		if n.DecimalChar != "" && n.FractionDigits > 0 {
			habit += "; decimals by " + n.DecimalChar
		}
		if n.GroupChar != "" {
			habit += "; thousands by " + n.GroupChar
		}
		if n.Negative > 0 {
			habit += fmt.Sprintf("; %s negative", value.Thousands(n.Negative))
		}
		line("numbers", "%s", habit)
	}
	if d := c.Dates; d != nil {
		var list []string
		for _, f := range d.Formats {
			list = append(list, fmt.Sprintf("%s (%s)", f.Format, value.Thousands(f.Count)))
		}
		line("formats", "%s", strings.Join(list, ", "))
		if d.Order != "" {
			line("order", "%s, decided by %s: %s only so, %s only the other way, %s both ways", d.Order, d.DecidedBy,
				value.Thousands(max(d.DayFirst, d.MonthFirst)), value.Thousands(min(d.DayFirst, d.MonthFirst)),
				value.Thousands(d.Either))
		}
		line("weekdays", "Mo %s  Tu %s  We %s  Th %s  Fr %s  Sa %s  Su %s", thousands(d.Weekdays[:])...)
		for _, g := range d.Gaps[:min(len(d.Gaps), 3)] {
			line("gap", "%s without a date, from %s to %s", value.Count(g.Days, "day", "days"), g.After, g.Before)
		}
	}
}

func thousands(all []int64) (list []any) {
	for _, n := range all {
		list = append(list, value.Thousands(n))
	}
	return list
}

// short shortens a number to six digits.
func short(s string) string {
	if x, err := strconv.ParseFloat(s, 64); err == nil {
		return strconv.FormatFloat(x, 'g', 6, 64)
	}
	return s
}

func (a *app) section(title string) { fmt.Fprintf(a.out, "\n%s\n", title) }

// columns prints rows in columns, counts and shares to the right.
func (a *app) columns(rows [][]string) {
	width := make([]int, 8)
	for _, r := range rows {
		for i, cell := range r {
			width[i] = max(width[i], text.StringWidthWithoutEscSequences(cell))
		}
	}
	for _, r := range rows {
		line := "  "
		for i, cell := range r {
			isNumber := i > 0 && cell != "" && (cell[0] >= '0' && cell[0] <= '9' || cell[0] == '<' || cell[0] == '>')
			if isNumber {
				line += text.AlignRight.Apply(cell, width[i]) + "  "
			} else {
				line += text.Pad(cell, width[i], ' ') + "  "
			}
		}
		fmt.Fprintln(a.out, clip(strings.TrimRight(line, " "), a.width()))
	}
}

func example(first []profile.Value) string {
	if len(first) == 0 {
		return ""
	}
	return fmt.Sprintf("row %s: %s", value.Thousands(first[0].Row), clip(visible(first[0].Value), 30))
}

// showValues prints values with counts, shares and where they stand first.
func (a *app) showValues(title string, all []profile.Value, of int64) {
	if len(all) == 0 {
		return
	}
	a.section(title)
	var rows [][]string
	for _, v := range all {
		row := []string{clip(visible(v.Value), 40)}
		if v.Count > 0 {
			row = append(row, value.Thousands(v.Count))
		}
		if of > 0 {
			row = append(row, profile.Percent(v.Count, of), bar(float64(v.Count)/float64(max(all[0].Count, 1)), 20))
		} else {
			row = append(row, fmt.Sprintf("first in row %s (line %s)", value.Thousands(v.Row),
				value.Thousands(v.Line)))
		}
		rows = append(rows, row)
	}
	a.columns(rows)
}

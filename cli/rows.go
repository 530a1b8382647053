package cli

import (
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"sieb/core/outcome"
	"sieb/core/profile"
	"sieb/core/result"
	"sieb/core/value"
)

// rowsSeen is what rows prints for programs.
type rowsSeen struct {
	Side    string          `json:"side"`
	Columns []result.Column `json:"columns"`
	Total   int64           `json:"total" doc:"rows that pass"`
	Rows    []result.Row    `json:"rows"`
}

// valuesSeen is what rows --count prints for programs.
type valuesSeen struct {
	Side     string           `json:"side"`
	Column   string           `json:"column"`
	Total    int64            `json:"total" doc:"rows that pass"`
	Distinct int              `json:"distinct"`
	Values   []result.Counted `json:"values" doc:"the most frequent first"`
}

// rowsAsked are the flags of rows.
type rowsAsked struct {
	side, count         string
	where, sort         []string
	columns             []string
	head, tail, skipped int
}

func (a *app) rows() *cobra.Command {
	var ask rowsAsked
	cmd := &cobra.Command{
		Use:   "rows DIR",
		Short: "Shows the rows of an outcome: accepted as their table will have them, rejected, excluded",
		Long: `Looks at the rows that sieb sift has written to a folder: the accepted ones under the
target's names and in canonical form, the others as they were delivered. row is a row's
number in the delivery, by which sieb sift --explain tells what was made of it.

A condition is a column, what is asked of it, and a value:

  --where 'crop equals wheat'           as it stands; oneOf takes values with commas between them
  --where 'grower contains hof'         whatever the letter case and the accents
  --where 'net_kg atLeast 20000'        also greater, less, atMost; between takes two values
  --where 'moisture_pct empty'          or filled

Several must all hold. Numbers are compared as numbers, dates and times as moments, all
else by its characters. --sort names a column, with descending behind it for the highest
first; of rows alike in it the next --sort decides. No value stands last.`,
		Example: `  sieb rows out
  sieb rows out --where 'crop equals wheat' --sort 'net_kg descending' --columns ticket_no,net_kg --head 5
  sieb rows out --side rejected --tail 10
  sieb rows out --count crop`,
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) != 1 {
				return usagef("name the folder with the files of a run; sieb sift --out writes one")
			}
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&ask.side, "side", "accepted", "accepted, rejected or excluded")
	f.StringArrayVar(&ask.where, "where", nil, "only rows that pass: 'COLUMN CONDITION VALUE'; may be given several times")
	f.StringArrayVar(&ask.sort, "sort", nil, "'COLUMN' or 'COLUMN descending'; may be given several times")
	f.StringSliceVar(&ask.columns, "columns", nil, "only these columns, in this order")
	f.IntVar(&ask.head, "head", 20, "shows so many of the first rows")
	f.IntVar(&ask.tail, "tail", 0, "shows so many of the last rows instead")
	f.IntVar(&ask.skipped, "skip", 0, "rows in front of them, or behind the last ones, that are not shown")
	f.StringVar(&ask.count, "count", "", "shows how often each value of this column occurs instead")
	cmd.MarkFlagsMutuallyExclusive("head", "tail")
	cmd.MarkFlagsMutuallyExclusive("count", "tail")
	cmd.MarkFlagsMutuallyExclusive("count", "sort")
	cmd.MarkFlagsMutuallyExclusive("count", "columns")
	cmd.MarkFlagsMutuallyExclusive("count", "skip")
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		k := slices.IndexFunc(result.Sides, func(s outcome.Side) bool { return s.String() == ask.side })
		if k < 0 {
			return usagef("--side %q: there are accepted, rejected and excluded rows", ask.side)
		}
		filters, err := ask.filters()
		if err != nil {
			return err
		}
		for _, n := range []int{ask.head, ask.tail, ask.skipped} {
			if n < 0 {
				return usagef("%d rows cannot be shown; a number of rows is 0 or more", n)
			}
		}
		side, err := result.Open(args[0], result.Sides[k])
		if err != nil {
			return err
		}
		if ask.count != "" {
			return a.countValues(cmd, side, &ask, filters)
		}
		return a.showFound(cmd, side, &ask, filters)
	}
	return cmd
}

func (r *rowsAsked) filters() (all []profile.Filter, err error) {
	for _, text := range r.where {
		f, err := result.ParseFilter(text)
		if err != nil {
			return nil, usagef("--where: %w", err)
		}
		all = append(all, f)
	}
	return all, nil
}

// sorted returns what rows are sorted by.
func (r *rowsAsked) sorted(side *result.Side) (all []result.By) {
	for _, text := range r.sort {
		by := result.By{Column: text}
		// A column may be called so itself.
		isColumn := slices.ContainsFunc(side.Columns, func(c result.Column) bool { return c.Name == text })
		if column, is := strings.CutSuffix(text, " descending"); is && !isColumn {
			by = result.By{Column: strings.TrimSpace(column), Descending: true}
		}
		all = append(all, by)
	}
	return all
}

func (a *app) showFound(cmd *cobra.Command, side *result.Side, ask *rowsAsked, filters []profile.Filter) error {
	q := result.Question{Where: filters, Sort: ask.sorted(side), Skip: ask.skipped, Most: ask.head, Columns: ask.columns}
	if cmd.Flags().Changed("tail") {
		q.Last, q.Most = true, ask.tail
	}
	answer, err := side.Find(cmd.Context(), q)
	if err != nil {
		return err
	}
	columns := side.Columns
	if ask.columns != nil {
		columns = nil
		for _, name := range ask.columns {
			columns = append(columns, side.Columns[slices.IndexFunc(side.Columns, func(c result.Column) bool {
				return c.Name == name
			})])
		}
	}
	if a.format == "json" {
		return a.json(rowsSeen{ask.side, columns, answer.Total, append([]result.Row{}, answer.Rows...)})
	}
	passed := value.Count(answer.Total, ask.side+" row", ask.side+" rows")
	if len(filters) > 0 {
		passed = value.Count(answer.Total, ask.side+" row passes", ask.side+" rows pass")
	}
	which := ""
	if n := int64(len(answer.Rows)); n < answer.Total {
		which = fmt.Sprintf("; the %s %s", map[bool]string{false: "first", true: "last"}[q.Last],
			value.Count(n, "is shown", "are shown"))
	}
	fmt.Fprintf(a.out, "%s%s\n", passed, which)
	if len(answer.Rows) == 0 {
		return nil
	}
	fmt.Fprintln(a.out)
	var lead []columnOf
	if ask.side == outcome.Accepted.String() { // of others the number is a column
		lead = []columnOf{{title: "row", number: true}}
	}
	heads := make([]columnOf, len(columns))
	for i, c := range columns {
		heads[i] = columnOf{title: c.Name, number: isNumber(c.Datatype)}
	}
	var cells [][]string
	for _, r := range answer.Rows {
		var row []string
		if lead != nil {
			row = append(row, value.Thousands(r.Row))
		}
		for _, c := range r.Cells {
			row = append(row, cellText(c))
		}
		cells = append(cells, row)
	}
	a.fitting(lead, heads, cells)
	return nil
}

func isNumber(datatype string) bool {
	return slices.Contains([]string{value.Integer.String(), value.Decimal.String(), value.Double.String()}, datatype)
}

// cellText shows a cell: no value as a word in brackets, so that it is no text.
func cellText(cell *string) string {
	switch {
	case cell == nil:
		return "(none)"
	case *cell == "":
		return `""`
	}
	return visible(*cell)
}

func (a *app) countValues(cmd *cobra.Command, side *result.Side, ask *rowsAsked, filters []profile.Filter) error {
	values, distinct, total, err := side.Count(cmd.Context(), ask.count, filters, ask.head)
	if err != nil {
		return err
	}
	if a.format == "json" {
		return a.json(valuesSeen{ask.side, ask.count, total, distinct, append([]result.Counted{}, values...)})
	}
	fmt.Fprintf(a.out, "%s in %s\n\n", value.Count(int64(distinct), "different value", "different values"),
		value.Count(total, ask.side+" row", ask.side+" rows"))
	rows := make([][]string, len(values))
	for i, v := range values {
		rows[i] = []string{cellText(v.Value), value.Thousands(v.Count),
			fmt.Sprintf("%.1f %%", 100*float64(v.Count)/float64(total))}
	}
	a.table([]columnOf{{title: visible(ask.count), most: 60}, {title: "rows", number: true},
		{title: "share", number: true}}, rows)
	return nil
}

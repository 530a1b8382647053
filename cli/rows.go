package cli

import (
	"context"
	"fmt"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"sieb/client"
	"sieb/core/outcome"
	"sieb/core/result"
	"sieb/core/value"
)

// outcomeRows answers questions about the rows of an outcome: a folder's, or a run's on a service.
type outcomeRows interface {
	Rows(ctx context.Context, ask result.Ask) (result.RowsFound, error)
	Values(ctx context.Context, column string, ask result.Ask) (result.ValuesFound, error)
	Compare(ctx context.Context, ask result.Ask) (*result.Compared, error)
}

func (a *app) rows() *cobra.Command {
	var ask result.Ask
	var count string
	var tail int
	cmd := &cobra.Command{
		Use:   "rows RUN|DIR",
		Short: "Shows the rows of an outcome: accepted as their table will have them, rejected, excluded",
		Long: `Looks at the rows of an outcome, which sieb sift has written to a folder, or a run of the
service: the accepted ones under the target's names and in canonical form, the others as
they were delivered. Of the accepted ones --side changed shows those in which a remedy has
changed something, flagged those in which something breaks a rule. row is a row's number in
the delivery, by which sieb sift --explain tells what was made of it.

A condition is a column, what is asked of it, and a value:

  --where 'crop equals wheat'           as it stands; oneOf takes values with commas between them
  --where 'grower contains hof'         whatever the letter case and the accents
  --where 'net_kg atLeast 20000'        also greater, less, atMost; between takes two values
  --where 'moisture_pct empty'          or filled
  --where 'field equals " Breite"'      in quotes where blanks at the ends count

Several must all hold. Numbers are compared as numbers, dates and times as moments, all
else by its characters. --sort names a column, with descending behind it for the highest
first; of rows alike in it the next --sort decides. No value stands last.

With --against, an earlier outcome, it says how many rows differ; --kind shows them: accepted
rows that are new, gone or changed, or rows that moved to the --side. Rows of one delivery
are found again by their numbers, those of two by the target's key, or the columns of --by,
which a folder needs.`,
		Example: `  sieb rows out
  sieb rows out --where 'crop equals wheat' --sort 'net_kg descending' --columns ticket_no,net_kg --head 5
  sieb rows out --side rejected --tail 10
  sieb rows out --count crop
  sieb rows RUN --where 'grower empty'
  sieb rows out --against out-before
  sieb rows out --against out-before --kind changed --differs net_kg`,
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) != 1 {
				return usagef("name the folder with the files of a run, which sieb sift --out writes, or a run of the service, " +
					"which sieb runs list shows")
			}
			return nil
		},
	}
	f := cmd.Flags()
	addAsk(f, &ask)
	f.StringArrayVar(&ask.Sort, "sort", nil, "'COLUMN' or 'COLUMN descending'; may be given several times")
	addColumns(f, &ask)
	f.IntVar(&ask.Limit, "head", 20, "shows so many of the first rows")
	f.IntVar(&tail, "tail", 0, "shows so many of the last rows instead")
	f.IntVar(&ask.Offset, "skip", 0, "rows in front of them, or behind the last ones, that are not shown")
	f.StringVar(&count, "count", "", "shows how often each value of this column occurs instead")
	addService(f)
	cmd.MarkFlagsMutuallyExclusive("head", "tail")
	cmd.MarkFlagsMutuallyExclusive("count", "tail")
	cmd.MarkFlagsMutuallyExclusive("count", "sort")
	cmd.MarkFlagsMutuallyExclusive("count", "columns")
	cmd.MarkFlagsMutuallyExclusive("count", "skip")
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		if err := checkAsk(&ask); err != nil {
			return err
		}
		for _, n := range []int{ask.Limit, tail, ask.Offset} {
			if n < 0 {
				return usagef("%d rows cannot be shown; a number of rows is 0 or more", n)
			}
		}
		if cmd.Flags().Changed("tail") {
			ask.Last, ask.Limit = true, tail
		}
		of := rowsOf(cmd, args[0])
		var err error
		if ask.Against != "" && ask.Kind == "" {
			err = a.showCompared(cmd.Context(), of, ask)
		} else if count != "" {
			err = a.showOccurring(cmd.Context(), of, count, ask)
		} else {
			err = a.showFound(cmd.Context(), of, ask)
		}
		if _, isRun := of.(runRows); isRun && err != nil {
			err = fmt.Errorf("%s is no folder here, and taken for a run: %w", args[0], err)
		}
		return err
	}
	return cmd
}

// addAsk adds the flags that say which rows are meant.
func addAsk(f *pflag.FlagSet, ask *result.Ask) {
	f.StringVar(&ask.Side, "side", "accepted", "accepted, rejected, excluded; or changed, flagged: those accepted ones")
	f.StringArrayVar(&ask.Where, "where", nil, "only rows that pass: 'COLUMN CONDITION VALUE'; may be given several times")
	f.StringVar(&ask.Against, "against", "", "an earlier run or folder, with whose rows these are compared")
	f.StringVar(&ask.Kind, "kind", "", "of the compared rows those that are new, gone, changed, or moved to the side")
	f.StringVar(&ask.Differs, "differs", "", "only changed rows that differ in this column")
	f.StringSliceVar(&ask.By, "by", nil, "columns by which rows of two deliveries are found again")
}

func addColumns(f *pflag.FlagSet, ask *result.Ask) {
	f.StringSliceVar(&ask.Columns, "columns", nil, "only these columns, in this order")
}

// checkAsk reports what is wrong with such flags.
func checkAsk(ask *result.Ask) error {
	if err := result.Known(ask.Side); err != nil {
		return usagef("--side %w", err)
	}
	switch {
	case ask.Kind != "" && !slices.Contains(result.Kinds, ask.Kind):
		return usagef("--kind %q: there are %s", ask.Kind, strings.Join(result.Kinds, ", "))
	case ask.Against == "" && (ask.Kind != "" || ask.Differs != "" || ask.By != nil):
		return usagef("--kind, --differs and --by concern rows that are compared; --against names the earlier outcome")
	case ask.Differs != "" && ask.Kind != result.KindChanged:
		return usagef("--differs narrows changed rows down; write --kind %s", result.KindChanged)
	}
	for _, text := range ask.Where {
		if _, err := result.ParseFilter(text); err != nil {
			return usagef("--where: %w", err)
		}
	}
	return nil
}

// rowsOf returns whose rows an argument names: a folder that there is, or anything with the look of one, and
// otherwise a run.
func rowsOf(cmd *cobra.Command, name string) outcomeRows {
	if _, err := os.Stat(name); err == nil || strings.ContainsAny(name, `/.`) {
		return writtenRows{name}
	}
	return runRows{connect(cmd), name}
}

// writtenRows are those of a folder.
type writtenRows struct{ dir string }

func (w writtenRows) Rows(ctx context.Context, ask result.Ask) (result.RowsFound, error) {
	if err := w.compare(ctx, &ask); err != nil {
		return result.RowsFound{}, err
	}
	return ask.Rows(ctx, w.dir)
}

func (w writtenRows) Values(ctx context.Context, column string, ask result.Ask) (result.ValuesFound, error) {
	if err := w.compare(ctx, &ask); err != nil {
		return result.ValuesFound{}, err
	}
	return ask.Values(ctx, w.dir, column)
}

func (w writtenRows) Compare(ctx context.Context, ask result.Ask) (*result.Compared, error) {
	err := w.compare(ctx, &ask)
	return ask.With, err
}

// compare makes the comparison that is asked for.
func (w writtenRows) compare(ctx context.Context, ask *result.Ask) (err error) {
	if ask.Against != "" {
		ask.With, err = result.Compare(ctx, ask.Against, w.dir, ask.By)
	}
	return err
}

// runRows are those of a run on a service, which gives them page by page.
type runRows struct {
	client *client.Client
	run    string
}

// mostOfPage is how many rows the service gives at once.
const mostOfPage = 1000

func (r runRows) Rows(ctx context.Context, ask result.Ask) (all result.RowsFound, err error) {
	all.Items = []result.Shown{}
	for rest := ask.Limit; ; {
		ask.Limit = min(rest, mostOfPage)
		page, err := r.client.RunRows(ctx, r.run, ask)
		if err != nil {
			return all, err
		}
		if ask.Last {
			page.Items = append(page.Items, all.Items...)
		} else {
			page.Items = append(all.Items, page.Items...)
		}
		got := len(page.Items) - len(all.Items)
		all = page
		ask.Offset, rest = ask.Offset+got, rest-got
		if rest == 0 || got == 0 {
			return all, nil
		}
	}
}

func (r runRows) Values(ctx context.Context, column string, ask result.Ask) (result.ValuesFound, error) {
	ask.Limit = min(ask.Limit, mostOfPage)
	return r.client.RunValues(ctx, r.run, column, ask)
}

func (r runRows) Compare(ctx context.Context, ask result.Ask) (*result.Compared, error) {
	c, err := r.client.CompareRows(ctx, r.run, ask.Against, ask.By)
	return &c, err
}

// showCompared shows how many rows differ.
func (a *app) showCompared(ctx context.Context, of outcomeRows, ask result.Ask) error {
	c, err := of.Compare(ctx, ask)
	if err != nil {
		return err
	}
	if a.format == "json" {
		return a.json(c)
	}
	a.showRowsCompared(c)
	return nil
}

func (a *app) showRowsCompared(c *result.Compared) {
	by := "the number of the row"
	if len(c.By) > 0 {
		by = visible(strings.Join(c.By, ", "))
	}
	fmt.Fprintf(a.out, "accepted rows by %s: %s new, %s gone, %s changed, %s the same\n", by, value.Thousands(c.New),
		value.Thousands(c.Gone), value.Thousands(c.Changed), value.Thousands(c.Same))
	if c.Changed > 0 && len(c.Differing) == 0 {
		fmt.Fprintln(a.out, "  in which columns so many rows differ is not told")
	}
	for _, d := range c.Differing {
		fmt.Fprintf(a.out, "  %s in %s\n", visible(d.Column), value.Count(d.Rows, "row", "rows"))
	}
	for _, m := range c.Moves {
		fmt.Fprintln(a.out, value.Count(m.Rows, "row is "+m.Is+" now, and was "+m.Was+" before",
			"rows are "+m.Is+" now, and were "+m.Was+" before"))
	}
}

func (a *app) showFound(ctx context.Context, of outcomeRows, q result.Ask) error {
	found, err := of.Rows(ctx, q)
	if err != nil {
		return err
	}
	if a.format == "json" {
		return a.json(found)
	}
	passed := rowsThat(found.Total, &q)
	if len(q.Where) > 0 && q.Kind == "" {
		passed = value.Count(found.Total, q.Side+" row passes", q.Side+" rows pass")
	}
	end, beside := "first", "behind"
	if q.Last {
		end, beside = "last", "in front of"
	}
	which := ""
	switch n := int64(len(found.Items)); {
	case n == found.Total:
	case q.Offset > 0:
		which = fmt.Sprintf("; %s %s the %s %s", value.Count(n, "is shown", "are shown"), beside, end,
			value.Thousands(int64(q.Offset)))
	default:
		which = fmt.Sprintf("; the %s %s", end, value.Count(n, "is shown", "are shown"))
	}
	fmt.Fprintf(a.out, "%s%s\n", passed, which)
	if len(found.Items) == 0 {
		return nil
	}
	fmt.Fprintln(a.out)
	var lead []columnOf
	isNumbered := q.Side != outcome.Rejected.String() && q.Side != outcome.Excluded.String() // there it is a column
	if isNumbered {
		lead = []columnOf{{title: "row", number: true}}
	}
	if found.Items[0].Other != "" {
		title := "was"
		if q.Kind == result.KindGone {
			title = "is now"
		}
		lead = append(lead, columnOf{title: title})
	}
	heads := make([]columnOf, len(found.Columns))
	for i, c := range found.Columns {
		heads[i] = columnOf{title: c.Name, number: isNumber(c.Datatype)}
	}
	var cells [][]string
	for _, r := range found.Items {
		var row []string
		if isNumbered {
			row = append(row, value.Thousands(r.Row))
		}
		if r.Other != "" {
			row = append(row, r.Other)
		}
		before := map[string]string{}
		for _, b := range r.Before {
			before[b.Column] = cellText(b.Value) + " → "
		}
		for i, c := range r.Cells {
			row = append(row, before[found.Columns[i].Name]+cellText(c))
		}
		cells = append(cells, row)
	}
	a.fitting(lead, heads, cells)
	return nil
}

// rowsThat counts rows of a side, or of a comparison.
func rowsThat(n int64, q *result.Ask) string {
	end := ""
	switch q.Kind {
	case "":
		return value.Count(n, q.Side+" row", q.Side+" rows")
	case result.KindMoved:
		end = q.Side + " now, and not before"
	case result.KindChanged:
		if end = "other than before"; q.Differs != "" {
			end += " in " + visible(q.Differs)
		}
	default:
		end = q.Kind
	}
	if len(q.Where) > 0 {
		end += " and pass"
	}
	return value.Count(n, "row that is "+end, "rows that are "+end)
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

func (a *app) showOccurring(ctx context.Context, of outcomeRows, column string, q result.Ask) error {
	found, err := of.Values(ctx, column, q)
	if err != nil {
		return err
	}
	if a.format == "json" {
		return a.json(found)
	}
	fmt.Fprintf(a.out, "%s in %s\n\n", value.Count(int64(found.Total), "different value", "different values"),
		rowsThat(found.Rows, &q))
	rows := make([][]string, len(found.Items))
	for i, v := range found.Items {
		rows[i] = []string{cellText(v.Value), value.Thousands(v.Count),
			fmt.Sprintf("%.1f %%", 100*float64(v.Count)/float64(found.Rows))}
	}
	a.table([]columnOf{{title: visible(column), most: 60}, {title: "rows", number: true},
		{title: "share", number: true}}, rows)
	return nil
}

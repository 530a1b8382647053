package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"sieb/core/compare"
	"sieb/core/edit"
	"sieb/core/result"
	"sieb/core/value"
	"sieb/service/api"
)

func (a *app) compareRuns() *cobra.Command {
	return &cobra.Command{
		Use:   "compare RUN [EARLIER]",
		Short: "Shows how a run differs from an earlier one, of the same delivery or of another",
		Long: `Compares two runs, the second of which is by default that of the delivery of the same kind
that arrived before, by the same target and mapping: how their rules differ, which
violations and remedies are more or fewer, and how many rows differ: of one delivery by
their numbers, of two by the target's key. sieb rows RUN --against EARLIER shows the rows.`,
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) < 1 || len(args) > 2 {
				return usagef("name a run, and the earlier one if it is not that of the delivery before; sieb runs list " +
					"shows them")
			}
			return nil
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := connect(cmd).CompareRuns(cmd.Context(), args[0], strings.Join(args[1:], ""))
			if err != nil {
				return err
			}
			if a.format == "json" {
				return a.json(c)
			}
			a.showComparison(&c)
			return nil
		},
	}
}

func (a *app) showComparison(c *api.Comparison) {
	for _, of := range []struct {
		what string
		run  api.RunHead
	}{{"before", c.Before}, {"after", c.After}} {
		by := "no target"
		if of.run.Target != nil {
			by = fmt.Sprintf("%s, version %d", of.run.Target.Name, of.run.Target.Version)
		}
		if of.run.Mapping != nil {
			by += fmt.Sprintf(", by %s, version %d", of.run.Mapping.Name, of.run.Mapping.Version)
		}
		t := of.run.Tally
		if of.what == "before" && c.Before.Delivery != c.After.Delivery {
			by += "; " + visible(c.BeforeName)
		}
		fmt.Fprintf(a.out, "%-7s %s read = %s accepted + %s rejected + %s excluded; %s\n", of.what, value.Thousands(t.Read),
			value.Thousands(t.Accepted),
			value.Thousands(t.Rejected), value.Thousands(t.Excluded), by)
	}
	a.showDifferences("target", c.Target)
	a.showDifferences("mapping", c.Mapping)
	if len(c.NewHeaders)+len(c.GoneOf) > 0 {
		fmt.Fprintf(a.out, "\ncolumns delivered now: %s\nno longer delivered: %s\n",
			visible(strings.Join(c.NewHeaders, ", ")),
			visible(strings.Join(c.GoneOf, ", ")))
	}
	a.showCounts("violation", c.Violations)
	a.showCounts("remedy", c.Remedies)
	if c.Rows != nil {
		fmt.Fprintln(a.out)
		a.showRowsCompared(c.Rows)
		a.showWhereRowsAre(c)
	}
	if c.NotSaid != "" {
		fmt.Fprintf(a.out, "\nrows were not compared: %s\n", c.NotSaid)
	}
}

// showWhereRowsAre says how rows that differ are seen.
func (a *app) showWhereRowsAre(c *api.Comparison) {
	var kinds []string
	for _, k := range []struct {
		name string
		rows int
	}{{result.KindNew, int(c.Rows.New)}, {result.KindGone, int(c.Rows.Gone)}, {result.KindChanged, int(c.Rows.Changed)},
		{result.KindMoved, len(c.Rows.Moves)}} {
		if k.rows > 0 {
			kinds = append(kinds, k.name)
		}
	}
	if len(kinds) > 0 {
		fmt.Fprintf(a.out, "\nThe rows: sieb rows %s --against %s --kind %s\n", c.After.ID, c.Before.ID,
			strings.Join(kinds, "|"))
	}
}

func (a *app) showDifferences(what string, all []edit.Difference) {
	if len(all) == 0 {
		return
	}
	fmt.Fprintf(a.out, "\nthe %s differs:\n", what)
	for _, d := range all {
		fmt.Fprintf(a.out, "  %s\n", visible(strings.TrimSpace(d.Column+" "+d.Words)))
	}
}

func (a *app) showCounts(what string, all []compare.Counts) {
	if len(all) == 0 {
		return
	}
	rows := make([][]string, len(all))
	for i, c := range all {
		rows[i] = []string{visible(c.Column), c.What, value.Thousands(c.Before), value.Thousands(c.After),
			signed(c.After - c.Before)}
	}
	fmt.Fprintln(a.out)
	a.table([]columnOf{{title: "column", most: 30}, {title: what}, {title: "before", number: true},
		{title: "after", number: true},
		{title: "", number: true}}, rows)
}

package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"sieb/core/remedy"
)

func (a *app) remedies() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "remedies [NAME]",
		Short: "Lists the remedies that clean cells, or explains one of them",
		Long: `Lists the remedies that a column of a target or mapping can declare; with a name it
explains one: what it takes, what it leaves, what it is given, and what becomes of
examples.

Remedies stand in the order in which they are done:

  remedies: [trim, {pad: 5}, {prefix: "AH-"}]

Each cell that one changes is counted. A cell that comes to stand for no value is
left as it is by those that follow.`,
		Example: "  sieb remedies\n  sieb remedies number",
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) > 1 {
				return usagef("remedies explains one remedy at a time, and %d are named", len(args))
			}
			return nil
		},
	}
	cmd.RunE = func(_ *cobra.Command, args []string) error {
		if len(args) == 0 {
			return a.listRemedies()
		}
		s := remedy.Find(args[0])
		if s == nil {
			return usagef("there is no remedy %q; there are %s", args[0], strings.Join(remedy.Names(), ", "))
		}
		return a.explainRemedy(s.Help())
	}
	return cmd
}

func (a *app) listRemedies() error {
	all := remedy.AllHelp()
	if a.format == "json" {
		return a.json(map[string]any{"items": all, "total": len(all)})
	}
	var rows [][]string
	for _, h := range all {
		row := []string{h.Name, h.Does, "", ""}
		if e := h.Examples[0]; e.Before != e.After { // one of several rows shows nothing by itself
			row[2], row[3] = shownCell(e.Before), shownCell(e.After)
		}
		rows = append(rows, row)
	}
	a.table([]columnOf{{title: "remedy"}, {title: "what it does", most: max(30, a.width()-60), wrap: true},
		{title: "before", most: 24}, {title: "after", most: 24}}, rows)
	fmt.Fprintln(a.out, "\nsieb remedies NAME explains one")
	return nil
}

func (a *app) explainRemedy(h remedy.Help) error {
	if a.format == "json" {
		return a.json(h)
	}
	leaves := h.Leaves
	if h.Steady {
		leaves += "; what it has changed already"
	}
	a.paragraph(h.Name, h.Does)
	a.paragraph("leaves", leaves)
	if len(h.Parameters) > 0 {
		var rows [][]string
		for i, p := range h.Parameters {
			kind := p.Kind
			if len(p.Choices) > 0 {
				kind = strings.Join(p.Choices, " or ")
			}
			is := ""
			switch {
			case i == 0 && p.Kind != "pairs of texts":
				is = "may stand alone"
			case p.Required:
				is = "needed"
			}
			rows = append(rows, []string{p.Name, kind, is, p.Does})
		}
		fmt.Fprintln(a.out)
		a.table([]columnOf{{title: "is given"}, {title: "a"}, {title: ""}, {title: "which says",
			most: max(30, a.width()-60), wrap: true}}, rows)
	}
	var rows [][]string
	for _, e := range h.Examples {
		after := shownCell(e.After)
		if e.After == e.Before {
			after = "stays"
		}
		rows = append(rows, []string{e.Remedy, shownCell(e.Before), after, e.Why})
	}
	fmt.Fprintln(a.out)
	a.table([]columnOf{{title: "remedy", most: 50}, {title: "before", most: 24}, {title: "after", most: 24},
		{title: "why", most: max(34, a.width()-86), wrap: true}}, rows)
	return nil
}

// paragraph prints a text behind a word, wrapped.
func (a *app) paragraph(word, said string) {
	const room = 11
	lines := strings.Split(wrap(said, max(30, a.width()-room)), "\n")
	for i, line := range lines {
		if i > 0 {
			word = ""
		}
		fmt.Fprintf(a.out, "%-*s%s\n", room, word, strings.TrimSpace(line))
	}
}

// shownCell writes a cell so that blanks at its ends, and what does not show, are seen.
func shownCell(cell string) string { return quotedText(visible(cell)) }

package cli

import (
	"fmt"

	"sieb/core/sift"
	"sieb/core/value"
)

// showChanges prints how remedies changed cells: what stood in them before each remedy, and
// after it.
func (a *app) showChanges(remedies []sift.Remedy) {
	var rows [][]string
	most := max(16, (a.width()-44)/2)
	for _, m := range remedies {
		if m.Changed == 0 {
			continue
		}
		lead := []string{m.Column, m.Remedy}
		put := func(cells int64, before, after string) {
			rows = append(rows, append(lead, value.Thousands(cells), before, after))
			lead = []string{"", ""}
		}
		for _, p := range m.Pairs {
			put(p.Cells, visible(quotedText(p.Before)), visible(quotedText(p.After)))
		}
		switch {
		case m.SampleRows > 0:
			put(m.Others, "in other ways", fmt.Sprintf("a sample: the first %s were looked at, with %s",
				value.Count(m.SampleRows, "row", "rows"), value.Count(m.Ways, "way", "different ways")))
		case m.Others > 0:
			put(m.Others, "in other ways", value.Count(m.Ways-int64(len(m.Pairs)), "less frequent way", "less frequent ways"))
		}
	}
	if len(rows) == 0 {
		fmt.Fprintf(a.out, "\nno remedy changed a cell\n")
		return
	}
	fmt.Fprintln(a.out)
	a.table([]columnOf{{title: "column", most: 20}, {title: "remedy"}, {title: "cells", number: true},
		{title: "before", most: most}, {title: "after", most: most, wrap: true}}, rows)
}

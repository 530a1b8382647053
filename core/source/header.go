package source

import (
	"fmt"

	"sieb/core/layout"
)

// joinHeader makes names of the header's rows, as the layout's headerNames says.
func joinHeader(rows [][]string, how string) []string {
	switch {
	case len(rows) == 0:
		return nil
	case how == layout.First:
		rows = rows[:1]
	case how == layout.Last:
		rows = rows[len(rows)-1:]
	}
	width := 0
	for _, r := range rows {
		width = max(width, len(r))
	}
	names := make([]string, width)
	for _, r := range rows {
		for k, name := range r {
			if names[k] != "" && name != "" && names[k] != name {
				name = names[k] + " " + name
			} else if name == "" {
				name = names[k]
			}
			names[k] = name
		}
	}
	return names
}

// nameColumns names the columns that have no name by their place.
func nameColumns(names []string) {
	for k, name := range names {
		if name == "" {
			names[k] = fmt.Sprintf("column_%d", k+1)
		}
	}
}

package cli

import (
	"fmt"
	"strings"

	"sieb/core/check"
	"sieb/core/value"
)

// showExplanation prints what was made of a row.
func (a *app) showExplanation(e *check.Explanation) error {
	if a.format == "json" {
		return a.json(e)
	}
	fmt.Fprintf(a.out, "row %s, line %s: %s\n", value.Thousands(e.Row), value.Thousands(e.Line), e.Fate)
	if e.Reason != "" {
		fmt.Fprintf(a.out, "  %s\n", visible(e.Reason))
	}
	for _, v := range e.Violations {
		fmt.Fprintf(a.out, "  %s, %s: %s\n", v.Code, v.Action, visible(v.Message))
	}
	rows := make([][]string, len(e.Columns))
	for i, c := range e.Columns {
		rows[i] = []string{c.Column, cellOf(c), valueOf(c), saidOf(c)}
	}
	fmt.Fprintln(a.out)
	rest := max(30, a.width()-84)
	a.table([]columnOf{{title: "column", most: 20}, {title: "as delivered, and after each remedy", most: 36,
		wrap: true},
		{title: "value", most: 24}, {title: "rules", most: rest, wrap: true}}, rows)
	for i, answers := range [][]check.Answer{e.Rules, e.References} {
		if len(answers) == 0 {
			continue
		}
		titles := [][2]string{{"rule", "asks"}, {"columns", "refer to"}}[i]
		rows := make([][]string, len(answers))
		for i, r := range answers {
			rows[i] = []string{visible(r.Name), visible(r.Asks), r.Answer}
		}
		fmt.Fprintln(a.out)
		a.table([]columnOf{{title: titles[0], most: 36, wrap: true}, {title: titles[1], most: 44, wrap: true},
			{title: "answer", most: 40, wrap: true}}, rows)
	}
	return nil
}

// cellOf tells where a value comes from, and what remedies made of it.
func cellOf(c check.Explained) string {
	var parts []string
	switch {
	case c.Delivered != nil:
		parts = append(parts, c.Header+": "+quotedText(*c.Delivered))
	case c.From != "":
		parts = append(parts, c.From)
	}
	for _, s := range c.Steps {
		if s.Changed {
			parts = append(parts, s.Remedy+": "+quotedText(s.Text))
		}
	}
	return visible(strings.Join(parts, "; "))
}

func quotedText(text string) string { return `"` + text + `"` }

func valueOf(c check.Explained) string {
	if c.Value == nil {
		return "none"
	}
	return visible(*c.Value)
}

// saidOf tells what the column demands, and what of it the value breaks.
func saidOf(c check.Explained) string {
	said := c.Datatype
	if len(c.Demands) > 0 {
		said += "; " + strings.Join(c.Demands, "; ")
	}
	if c.Means != "" {
		said += " (" + c.Means + ")"
	}
	for _, v := range c.Violations {
		said += fmt.Sprintf(" ✗ %s (%s): %s", v.Code, v.Action, v.Message)
	}
	return visible(said)
}

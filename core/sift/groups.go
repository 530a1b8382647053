package sift

import (
	"cmp"
	"sieb/core/check"
	"sieb/core/source"
	"sieb/core/violation"
	"slices"
)

// maxSamples is how many violations a group shows, the first ones of the delivery.
const maxSamples = 10

// Counted is how often a rule was broken in one column.
type Counted struct {
	Code   violation.Code   `json:"code"`
	Column string           `json:"column"`
	Action violation.Action `json:"action"`
	Rows   int64            `json:"rows"`
	Cells  int64            `json:"cells" doc:"0 for a violation of whole rows"`
}

// Group is the violations of one code in one column, with the first of them.
type Group struct {
	Counted
	Class   string   `json:"class"`
	Samples []Sample `json:"samples"`

	lastRow int64
}

// Sample is one violation of a group.
type Sample struct {
	Row     int64  `json:"row" doc:"0 for a violation of the delivery as a whole"`
	Line    int64  `json:"line"`
	Value   string `json:"value"`
	Message string `json:"message"`
}

type groupKey struct {
	code   violation.Code
	action violation.Action
	column string
}

// groups are the violations of a run by what is counted together.
type groups struct {
	byKey    map[groupKey]*Group
	byColumn [][]*Group // those of each column of the target
}

// add counts a violation of a row.
func (g *groups) add(plan *check.Plan, b *source.Batch, ruling *check.Ruling, f *check.Found) {
	group := g.near(plan, f)
	row := b.Number(f.Row)
	if group.lastRow != row {
		group.Rows++
		group.lastRow = row
	}
	if f.Cell >= 0 {
		group.Cells++
	}
	if len(group.Samples) < maxSamples {
		group.Samples = append(group.Samples, Sample{row, b.Rows[f.Row].Line, string(ruling.Value(f)),
			string(ruling.Message(f))})
	}
}

// near returns the group of a violation, without looking for it among those of other columns.
func (g *groups) near(plan *check.Plan, f *check.Found) *Group {
	name := plan.ColumnName(f)
	if f.Column < 0 {
		return g.of(f.Code, name, f.Action)
	}
	if g.byColumn == nil {
		g.byColumn = make([][]*Group, len(plan.Names()))
	}
	of := &g.byColumn[f.Column]
	for _, group := range *of {
		if group.Code == f.Code && group.Action == f.Action && group.Column == name {
			return group
		}
	}
	group := g.of(f.Code, name, f.Action)
	*of = append(*of, group)
	return group
}

func (g *groups) of(code violation.Code, column string, action violation.Action) *Group {
	key := groupKey{code, action, column}
	group := g.byKey[key]
	if group == nil {
		group = &Group{Counted: Counted{Code: code, Column: column, Action: action}, Class: code.Class(),
			Samples: []Sample{}}
		g.byKey[key] = group
	}
	return group
}

func (g *groups) addDelivery(f check.Finding) {
	group := g.of(f.Code, f.Column, f.Action)
	group.Samples = append(group.Samples, Sample{0, f.Line, f.Value, f.Message})
}

// sorted returns the groups, most rows first.
func (g *groups) sorted() []Group {
	all := make([]Group, 0, len(g.byKey))
	for _, group := range g.byKey {
		all = append(all, *group)
	}
	slices.SortFunc(all, func(a, b Group) int {
		return cmp.Or(-cmp.Compare(a.Rows, b.Rows), cmp.Compare(a.Code, b.Code), cmp.Compare(a.Column, b.Column),
			cmp.Compare(a.Action, b.Action))
	})
	return all
}

package check

import (
	"errors"
	"slices"

	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/violation"
)

// Fit is how the header of a delivery fits a target, with its mapping where it has one.
type Fit struct {
	Fed     int      // columns of the target that the delivery feeds
	Columns int      // of the target, that a delivery is to feed
	Wanting []string // required columns that nothing feeds
	Unknown []string // headers that feed none and are not left out
}

// FitOf tells how a header fits a target. No row is read, and nothing that the target refers to is asked for. A
// delivery of which one column would feed two of the target does not fit, which the error says.
func FitOf(t *target.Target, header source.Header) (Fit, error) {
	alone := *t
	alone.ForeignKeys, alone.AbsentFrom, alone.Delivery = nil, nil, target.DeliveryRules{}
	alone.Columns = slices.Clone(t.Columns)
	for i := range alone.Columns {
		alone.Columns[i].Codes = nil
		// Remedies may need code lists, and change nothing of what feeds a column.
		alone.Columns[i].Remedies = nil
	}
	of := Delivery{Header: header, Encoding: "utf-8"}
	plan, err := NewPlan(&alone, of)
	if err != nil { // conditions may need code lists, too
		alone.RowRules, alone.Exclude = nil, nil
		if plan, err = NewPlan(&alone, of); err != nil {
			return Fit{}, err
		}
	}
	var f Fit
	for i, m := range plan.Matches() {
		c := &alone.Columns[i]
		if c.Derive != "" || c.Value != nil {
			continue
		}
		f.Columns++
		switch {
		case m.Place > 0:
			f.Fed++
		case c.Required || slices.Contains(t.Key, c.Name):
			f.Wanting = append(f.Wanting, c.Name)
		}
	}
	for _, found := range plan.Delivery {
		if found.Code == violation.HeaderUnknown {
			f.Unknown = append(f.Unknown, found.Value)
		}
	}
	if f.Fed == 0 {
		return f, errors.New("nothing feeds a column of the target")
	}
	return f, nil
}

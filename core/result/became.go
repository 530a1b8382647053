package result

import (
	"context"
	"encoding/json"
	"path/filepath"
	"slices"

	"sieb/core/check"
	"sieb/core/finding"
	"sieb/core/layout"
	"sieb/core/profile"
	"sieb/core/report"
	"sieb/core/source"
)

// Became is what a run has made of the columns of a delivery: what the accepted rows hold, beside what was delivered.
type Became struct {
	Rows      int64          `json:"rows" doc:"that were accepted"`
	Delivered int64          `json:"delivered,omitempty" doc:"rows of the delivery; absent where it has no profile"`
	Columns   []ColumnBecame `json:"columns" doc:"of the target"`
}

// ColumnBecame is what became of a column.
type ColumnBecame struct {
	Column string `json:"column"`
	Header string `json:"header,omitempty" doc:"of the delivery's column that feeds it"`
	Was    *Facts `json:"was,omitempty" doc:"as delivered; absent where no column feeds it, or the delivery has no profile"`
	Is     Facts  `json:"is"`

	Gone  []string `json:"gone,omitempty" doc:"findings of the delivery of which the result shows none of the kind"`
	New   []string `json:"new,omitempty" doc:"findings of a kind that the delivery shows none of"`
	Still []string `json:"still,omitempty" doc:"other findings of the result"`
}

// Facts are what is told of the values of a column.
type Facts struct {
	Datatype      string `json:"datatype" doc:"as the values themselves tell it"`
	Filled        int64  `json:"filled"`
	Distinct      int64  `json:"distinct"`
	DistinctExact bool   `json:"distinctExact"`
	Minimum       string `json:"minimum,omitempty"`
	Maximum       string `json:"maximum,omitempty"`
	Shape         string `json:"shape,omitempty" doc:"the most frequent: A for a capital, a for another letter, 9 for a digit"`
	Shapes        int    `json:"shapes" doc:"how many there are; the most frequent ones where there are many"`
}

// Profile makes the profile of the accepted rows of the outcome whose files stand in a folder.
func Profile(ctx context.Context, dir string, bounds source.Bounds) (*profile.Profile, error) {
	s, err := Open(dir, sides[0].name)
	if err != nil {
		return nil, err
	}
	s.Close()
	form, encoding, delimiter, quote, none, one, double := layout.Delimited, "utf-8", ",", `"`, 0, 1, true
	file, err := bounds.Open(ctx, filepath.Join(dir, report.AcceptedName), layout.Given{Form: &form, Encoding: &encoding,
		Delimiter: &delimiter, QuoteChar: &quote, DoubleQuote: &double, SkipRows: &none, HeaderRows: &one, FooterRows: &none})
	if err != nil {
		return nil, err
	}
	defer file.Close()
	return finding.Profile(ctx, file, profile.Options{})
}

// BecameOf compares the profile of accepted rows with that of the delivery, nil where it has none. The matches say
// which column of the delivery feeds which of the target.
func BecameOf(is, was *profile.Profile, matches []check.Match) Became {
	e := Became{Rows: is.Rows, Columns: []ColumnBecame{}}
	if was != nil {
		e.Delivered = was.Rows
	}
	for i := range is.Columns {
		c := &is.Columns[i]
		one := ColumnBecame{Column: c.Name, Is: factsOf(c)}
		var before []profile.Finding
		k := slices.IndexFunc(matches, func(m check.Match) bool { return m.Column == c.Header && m.Place > 0 })
		if k >= 0 {
			one.Header = matches[k].Header
			if was != nil && matches[k].Place <= len(was.Columns) {
				of := &was.Columns[matches[k].Place-1]
				facts := factsOf(of)
				one.Was, before = &facts, findingsOf(was, of.Name)
			}
		}
		after := findingsOf(is, c.Name)
		for _, f := range before {
			if !hasCode(after, f.Code) {
				one.Gone = append(one.Gone, f.Text)
			}
		}
		for _, f := range after {
			if one.Was != nil && !hasCode(before, f.Code) {
				one.New = append(one.New, f.Text)
			} else {
				one.Still = append(one.Still, f.Text)
			}
		}
		e.Columns = append(e.Columns, one)
	}
	return e
}

// findingsOf returns what is found in a column alone, and breaks a load or may.
func findingsOf(p *profile.Profile, column string) (all []profile.Finding) {
	for _, f := range p.Findings {
		if slices.Equal(f.Columns, []string{column}) && f.Weight != "note" {
			all = append(all, f)
		}
	}
	return all
}

func hasCode(all []profile.Finding, code string) bool {
	return slices.ContainsFunc(all, func(f profile.Finding) bool { return f.Code == code })
}

func factsOf(c *profile.Column) Facts {
	f := Facts{Datatype: c.Datatype.String(), Filled: c.Filled, Distinct: c.Distinct, DistinctExact: c.DistinctExact,
		Minimum: plainOf(c.Minimum), Maximum: plainOf(c.Maximum), Shapes: len(c.Shapes)}
	if len(c.Shapes) > 0 {
		f.Shape = c.Shapes[0].Shape
	}
	return f
}

// plainOf returns a value in JSON as a text.
func plainOf(text []byte) string {
	var s string
	if json.Unmarshal(text, &s) == nil {
		return s
	}
	return string(text)
}

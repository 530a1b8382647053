// Package suggest says what would mend what a run found. So far it looks at columns of
// which no value fits: such a column is fed by the wrong one, or read in the wrong format,
// which is worth one sentence rather than a violation in each row.
package suggest

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"sieb/core/remedy"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/trial"
	"sieb/core/value"
)

// Unfit is a column of the target of which no value fits.
type Unfit struct {
	Column  string `json:"column"`
	Header  string `json:"header" doc:"of the delivery's column that feeds it"`
	Rows    int64  `json:"rows" doc:"values, none of which fits"`
	Message string `json:"message" doc:"what would fit"`
}

const (
	enough = 10  // values that must be wrong before the column is
	most   = 200 // columns that are looked at, and columns of the delivery that each is compared with
	fits   = 0.9 // part of the values with which another format, or another column, fits
)

// suspect is a column of which most rows break a rule.
type suspect struct {
	spec  target.Column // in its place
	place int           // of the delivery's column, from 1
}

// UnfitColumns returns the columns of a delivery that was sifted of which no value fits, with
// what would. It reads the delivery again, and only where something in the result says so.
func UnfitColumns(ctx context.Context, file *source.File, t *target.Target, result *sift.Result) ([]Unfit, error) {
	all, err := confirmed(ctx, file, suspects(t, result))
	if err != nil || len(all) == 0 {
		return nil, err
	}
	if shifted, err := shiftOf(ctx, file, t, result, all); err != nil || shifted != nil {
		return shifted, err
	}
	var out []Unfit
	for _, s := range all {
		message, err := s.whatFits(ctx, file, result)
		if err != nil {
			return nil, err
		}
		out = append(out, Unfit{Column: s.spec.Name, Header: headerOf(result, s.spec.Name), Rows: s.rows,
			Message: message})
	}
	return out, nil
}

type unfit struct {
	suspect
	rows int64
}

// suspects returns the columns that break a rule in more than half of the rows.
func suspects(t *target.Target, result *sift.Result) (all []suspect) {
	broken := map[string]int64{}
	for _, g := range result.Violations {
		if slices.Contains([]string{"type", "date", "pattern", "set", "length"}, g.Class) {
			broken[g.Column] = max(broken[g.Column], g.Rows)
		}
	}
	for i, m := range result.Columns {
		rows := broken[m.Column]
		if m.Place > 0 && rows >= enough && 2*rows > result.Tally.Read-result.Tally.Excluded && len(all) < most {
			c := t.Columns[i]
			c.Position, c.Codes = m.Place, nil
			all = append(all, suspect{c, m.Place})
		}
	}
	return all
}

// confirmed returns those of some suspects of which no value fits, in all rows.
func confirmed(ctx context.Context, file *source.File, suspects []suspect) (all []unfit, err error) {
	if len(suspects) == 0 {
		return nil, nil
	}
	columns := make([]target.Column, len(suspects))
	for i, s := range suspects {
		columns[i] = s.spec
	}
	counted, err := trial.Count(ctx, file, columns, 0)
	if err != nil {
		return nil, err
	}
	for i, f := range counted {
		if f.Fits == 0 && f.Filled >= enough {
			all = append(all, unfit{suspects[i], f.Filled})
		}
	}
	return all, nil
}

// shiftOf tells columns whose values all stand one place further: two or more that stand
// together, each of whose rules fits the next column.
func shiftOf(ctx context.Context, file *source.File, t *target.Target, result *sift.Result, all []unfit) ([]Unfit,
	error) {
	if len(all) < 2 {
		return nil, nil
	}
	width := widthOf(result)
	for _, by := range []int{1, -1} {
		var columns []target.Column
		for _, s := range all {
			if moved := s.place + by; moved >= 1 && moved <= width {
				c := s.spec
				c.Position = moved
				columns = append(columns, c)
			}
		}
		if len(columns) < 2 {
			continue
		}
		counted, err := trial.Count(ctx, file, columns, 0)
		if err != nil {
			return nil, err
		}
		var names []string
		rows := int64(0)
		for i, f := range counted {
			if f.Share() >= fits {
				names = append(names, columns[i].Name)
				rows = max(rows, f.Filled)
			}
		}
		if len(names) >= 2 && 2*len(names) >= len(all) {
			where := "right"
			if by < 0 {
				where = "left"
			}
			first := headerOf(result, names[0])
			return []Unfit{{Column: strings.Join(names, ", "), Header: first, Rows: rows, Message: fmt.Sprintf(
				"from %q on the values stand one place further to the %s than the header says: the header has a "+
					"name too "+
					"few or too many; ask the sender, or give the columns positions", first, where)}}, nil
		}
	}
	return nil, nil
}

func widthOf(result *sift.Result) (width int) {
	for _, m := range result.Columns {
		width = max(width, m.Place)
	}
	return width + 1 // one behind the last that feeds a column
}

func headerOf(result *sift.Result, column string) string {
	for _, m := range result.Columns {
		if m.Column == column {
			return m.Header
		}
	}
	return ""
}

// whatFits looks for a format of the column, then for another column, that fits.
func (u *unfit) whatFits(ctx context.Context, file *source.File, result *sift.Result) (string, error) {
	lead := fmt.Sprintf("none of its %d values fits", u.rows)
	formats := u.formats()
	candidates := slices.Clone(formats)
	for place := 1; place <= min(widthOf(result), most); place++ {
		if place != u.place {
			c := u.spec
			c.Position = place
			candidates = append(candidates, c)
		}
	}
	if len(candidates) == 0 {
		return lead, nil
	}
	counted, err := trial.Count(ctx, file, candidates, 0)
	if err != nil {
		return "", err
	}
	best := -1
	for i, f := range counted {
		isPair := i >= len(formats)
		if f.Share() < fits || isPair && (f.Filled < u.rows/2 || !isTelling(&u.spec)) {
			continue
		}
		if best < 0 || f.Fits > counted[best].Fits {
			best = i
		}
		if !isPair && f.Share() == 1 {
			break
		}
	}
	if best < 0 {
		return lead + ", and no format or other column fits either: ask the sender what it holds", nil
	}
	c, f := &candidates[best], counted[best]
	if best < len(formats) {
		return fmt.Sprintf("%s; with %s %d do", lead, habit(c), f.Fits), nil
	}
	return fmt.Sprintf("%s; of column %d of the delivery %d do: perhaps the two are mixed up", lead, c.Position,
		f.Fits), nil
}

// isTelling reports whether not just any text fits a column.
func isTelling(c *target.Column) bool {
	return !c.Datatype.IsText() || len(c.Formats) > 0 || len(c.OneOf) > 0
}

var datePatterns = []string{"dd.MM.yyyy", "d.M.yyyy", "dd.MM.yy", "yyyy-MM-dd", "MM/dd/yyyy", "M/d/yyyy", "dd/MM/yyyy",
	"d/M/yyyy", "yyyy/MM/dd", "yyyyMMdd", "dd-MM-yyyy", "d. MMMM yyyy", "d MMM yyyy"}

// formats returns the column with other habits of writing its values.
func (u *unfit) formats() (all []target.Column) {
	with := func(change func(c *target.Column)) {
		c := u.spec
		change(&c)
		all = append(all, c)
	}
	switch d := u.spec.Datatype; {
	case d.HasDay():
		for _, p := range datePatterns {
			for _, clock := range map[bool][]string{true: {""}, false: {" HH:mm", " HH:mm:ss", "THH:mm:ss",
				"THH:mm:ssX"}}[d == value.Date] {
				with(func(c *target.Column) { c.Formats = []string{p + clock} })
			}
		}
	case d.IsNumber():
		for _, signs := range [][2]string{{".", ""}, {",", ""}, {",", "."}, {".", ","}, {",", " "}, {".", "'"}} {
			with(func(c *target.Column) { c.Formats, c.DecimalChar, c.GroupChar = nil, signs[0], signs[1] })
		}
	case d == value.Boolean:
		for _, pair := range []string{"true|false", "1|0", "ja|nein", "j|n", "J|N", "yes|no", "y|n", "Y|N", "x|-",
			"T|F", "oui|non"} {
			with(func(c *target.Column) { c.Formats = []string{pair} })
		}
	default:
		for _, name := range []string{"trim", "upper", "lower"} {
			with(func(c *target.Column) {
				c.Remedies = append(slices.Clone(c.Remedies), remedy.Remedy{Name: name})
			})
		}
	}
	return all
}

// habit names how a column's values are written.
func habit(c *target.Column) string {
	switch {
	case c.Datatype.IsNumber():
		text := fmt.Sprintf("decimalChar %q", c.Point())
		if c.GroupChar != "" {
			text += fmt.Sprintf(" and groupChar %q", c.GroupChar)
		}
		return text
	case c.Datatype.IsText():
		return "the remedy " + c.Remedies[len(c.Remedies)-1].Name
	}
	return "the format " + c.Formats[0]
}

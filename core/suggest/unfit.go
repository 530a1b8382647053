// Package suggest says what would mend what a run found. So far it looks at columns of
// which no value fits: such a column is fed by the wrong one, or read in the wrong format,
// which is worth one sentence rather than a violation in each row.
package suggest

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"sieb/core/codes"
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
	enough  = 10   // values that must be wrong before the column is
	most    = 200  // columns that are looked at, and columns of the delivery that each is compared with
	fits    = 0.9  // part of the values with which another format, or another column, fits
	sampled = 1000 // rows that tell which candidates are worth a look at all rows
)

// suspect is a column of which most rows break a rule.
type suspect struct {
	spec  target.Column // in its place
	place int           // of the delivery's column, from 1
	rows  int64         // its values, none of which fits; 0 where one does
}

// candidate is a column that may fit what feeds a suspect, or whose feed may fit it.
type candidate struct {
	target.Column
	of     *suspect
	isPair bool // the suspect's rules, and another column of the delivery
	fit    trial.Fit
}

// UnfitColumns returns the columns of a delivery that was sifted of which no value fits, with
// what would. It reads the delivery again, and only where something in the result says so:
// the first rows for all candidates that there are, then all rows for those that are left.
func UnfitColumns(ctx context.Context, file *source.File, t *target.Target, lists []*codes.List,
	result *sift.Result) ([]Unfit, error) {
	all := suspects(t, result)
	own := make([]*candidate, len(all))
	for i := range all {
		own[i] = &candidate{Column: all[i].spec, of: &all[i]}
	}
	if err := count(ctx, file, own, sampled, lists); err != nil {
		return nil, err
	}
	var unfit []*candidate
	var others []*candidate
	for _, c := range own {
		if c.fit.Fits == 0 {
			unfit = append(unfit, c)
			others = append(others, c.of.candidates(widthOf(result))...)
		}
	}
	if err := count(ctx, file, others, sampled, lists); err != nil {
		return nil, err
	}
	others = slices.DeleteFunc(others, func(c *candidate) bool { return c.fit.Filled > 0 && c.fit.Share() < fits/2 })
	if err := count(ctx, file, append(unfit, others...), 0, lists); err != nil {
		return nil, err
	}
	var confirmed []*suspect
	for _, c := range unfit {
		if c.fit.Fits == 0 && c.fit.Filled >= enough {
			c.of.rows = c.fit.Filled
			confirmed = append(confirmed, c.of)
		}
	}
	if shifted := shiftOf(result, confirmed, others); shifted != nil {
		return shifted, nil
	}
	var out []Unfit
	for _, s := range confirmed {
		out = append(out, Unfit{Column: s.spec.Name, Header: headerOf(result, s.spec.Name), Rows: s.rows,
			Message: s.whatFits(others)})
	}
	return out, nil
}

// count judges candidates over the first rows, or over all where rows is 0.
func count(ctx context.Context, file *source.File, all []*candidate, rows int64, lists []*codes.List) error {
	if len(all) == 0 {
		return nil
	}
	columns := make([]target.Column, len(all))
	for i, c := range all {
		columns[i] = c.Column
	}
	fits, err := trial.Count(ctx, file, columns, rows, lists)
	for i := range fits {
		all[i].fit = fits[i]
	}
	return err
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
			all = append(all, suspect{spec: c, place: m.Place})
		}
	}
	return all
}

// shiftOf tells columns whose values all stand one place further: two or more that stand
// together, each of whose rules fits the next column.
func shiftOf(result *sift.Result, all []*suspect, others []*candidate) []Unfit {
	for _, by := range []int{1, -1} {
		var names []string
		rows := int64(0)
		for _, c := range others {
			if c.of.rows > 0 && c.isPair && c.Position == c.of.place+by && c.fit.Share() >= fits {
				names = append(names, c.Name)
				rows = max(rows, c.fit.Filled)
			}
		}
		if len(names) < 2 || 2*len(names) < len(all) {
			continue
		}
		where := "right"
		if by < 0 {
			where = "left"
		}
		first := headerOf(result, names[0])
		return []Unfit{{Column: strings.Join(names, ", "), Header: first, Rows: rows, Message: fmt.Sprintf("from %q on "+
			"the values stand one place further to the %s than the header says: the header has a name too few or "+
			"too many; ask the sender, or give the columns positions", first, where)}}
	}
	return nil
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

// candidates returns the column with other habits of writing its values, and in other places
// of the delivery: in all that there are where not just any text fits it, else in those beside it.
func (s *suspect) candidates(width int) (all []*candidate) {
	for _, c := range s.formats() {
		all = append(all, &candidate{Column: c, of: s})
	}
	for place := 1; place <= min(width, most); place++ {
		if beside := place == s.place-1 || place == s.place+1; beside || place != s.place && isTelling(&s.spec) {
			c := s.spec
			c.Position = place
			all = append(all, &candidate{Column: c, of: s, isPair: true})
		}
	}
	return all
}

// whatFits says which format of the column, or which other column, fits.
func (s *suspect) whatFits(others []*candidate) string {
	lead := fmt.Sprintf("none of its %d values fits", s.rows)
	var best *candidate
	for _, c := range others {
		if c.of != s || c.fit.Share() < fits || c.isPair && (c.fit.Filled < s.rows/2 || !isTelling(&s.spec)) {
			continue
		}
		if best == nil || c.fit.Fits > best.fit.Fits {
			best = c
		}
		if !c.isPair && c.fit.Share() == 1 {
			break
		}
	}
	switch {
	case best == nil:
		return lead + ", and no format or other column fits either: ask the sender what it holds"
	case best.isPair:
		return fmt.Sprintf("%s; of column %d of the delivery %d do: perhaps the two are mixed up", lead, best.Position,
			best.fit.Fits)
	}
	return fmt.Sprintf("%s; with %s %d do", lead, habit(&best.Column), best.fit.Fits)
}

// isTelling reports whether not just any text fits a column.
func isTelling(c *target.Column) bool {
	return !c.Datatype.IsText() || len(c.Formats) > 0 || len(c.OneOf) > 0
}

var datePatterns = []string{"dd.MM.yyyy", "d.M.yyyy", "dd.MM.yy", "yyyy-MM-dd", "MM/dd/yyyy", "M/d/yyyy", "dd/MM/yyyy",
	"d/M/yyyy", "yyyy/MM/dd", "yyyyMMdd", "dd-MM-yyyy", "d. MMMM yyyy", "d MMM yyyy"}

// formats returns the column with other habits of writing its values.
func (s *suspect) formats() (all []target.Column) {
	with := func(change func(c *target.Column)) {
		c := s.spec
		change(&c)
		all = append(all, c)
	}
	switch d := s.spec.Datatype; {
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

// Package result answers questions about the rows of an outcome, from the files that a run wrote: which rows pass some
// conditions, in what order, and how often each value occurs.
//
// It reads the files of a run and nothing else: what is asked costs a reading of one of them, and as much memory as the
// rows that are shown. Values are compared as what they are, exactly: numbers of any length as numbers, moments as
// moments, all others by their bytes.
package result

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"sieb/core/fault"
	"sieb/core/outcome"
	"sieb/core/report"
	"sieb/core/value"
)

// Field is a column of a side: of accepted rows the target's, of others the delivery's behind the row's line and why
// it is there.
type Field struct {
	Name     string `json:"name"`
	Datatype string `json:"datatype" doc:"of accepted rows as the manifest has it, empty where it is of a version that did not say; cells as delivered are texts"`

	order order
}

// Side is one side of an outcome, as it stands in a folder.
type Side struct {
	Columns []Field

	dir   string
	side  outcome.Side
	total int64 // rows, as the manifest counts them
}

// files names the file of each side.
var files = [...]string{outcome.Accepted: report.AcceptedName, outcome.Rejected: report.RejectedName,
	outcome.Excluded: report.ExcludedName}

// sides are those that can be asked.
var sides = []outcome.Side{outcome.Accepted, outcome.Rejected, outcome.Excluded}

// Open opens a side of the outcome whose files stand in a folder.
func Open(dir string, side outcome.Side) (*Side, error) {
	path := filepath.Join(dir, report.ManifestName)
	text, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, fmt.Errorf("%s holds no run: there is no %s in it; sieb sift --out %s makes one", dir,
			report.ManifestName, dir)
	} else if err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w", path, fault.Cause(err))
	}
	var m report.Manifest
	if err := json.Unmarshal(text, &m); err != nil {
		return nil, fmt.Errorf("%s is damaged (%w); run the delivery again", path, err)
	}
	if !slices.ContainsFunc(m.Outputs, func(o outcome.Proof) bool { return o.Name == files[side] }) {
		return nil, fmt.Errorf("the run in %s has not written %s, in which its rows are looked up; sift again, with csv "+
			"among the forms of --write", dir, files[side])
	}
	s := &Side{dir: dir, side: side, total: [...]int64{m.Tally.Accepted, m.Tally.Rejected, m.Tally.Excluded}[side]}
	rows, err := s.rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	datatypes := map[string]string{}
	if side == outcome.Accepted {
		for _, c := range m.Columns {
			datatypes[c.Name] = c.Datatype
		}
	} else {
		datatypes[outcome.RejectedHeader[0]], datatypes[outcome.RejectedHeader[1]] = "integer", "integer"
	}
	for _, name := range rows.Header().Names {
		d := datatypes[name]
		if isOld := side == outcome.Accepted && m.Columns == nil; d == "" && !isOld {
			d = value.String.String()
		}
		s.Columns = append(s.Columns, Field{name, d, orderOf(d)})
	}
	return s, nil
}

// rows reads the side's file.
func (s *Side) rows() (*report.Rows, error) { return report.OpenRows(s.dir, files[s.side]) }

// fields returns columns by their names; all where none is named.
func (s *Side) fields(names []string) ([]Field, error) {
	places, err := s.places(names)
	if err != nil {
		return nil, err
	}
	fields := make([]Field, len(places))
	for i, k := range places {
		fields[i] = s.Columns[k]
	}
	return fields, nil
}

// place returns the place of a column.
func (s *Side) place(name string) (int, error) {
	k := slices.IndexFunc(s.Columns, func(c Field) bool { return c.Name == name })
	if k >= 0 {
		return k, nil
	}
	names := make([]string, len(s.Columns))
	for i, c := range s.Columns {
		names[i] = c.Name
	}
	return 0, wrongf("the %s rows have no column %q; they have %s", s.side, name, shortList(names))
}

// Wrong says what is wrong with a question.
type Wrong struct{ what string }

func (w *Wrong) Error() string { return w.what }

func wrongf(format string, args ...any) error { return &Wrong{fmt.Sprintf(format, args...)} }

// isOrdered reports as an error that nothing is known of the order of a column's values.
func (c *Field) isOrdered() error {
	if c.Datatype != "" {
		return nil
	}
	return wrongf("the run is of an older version of Sieb, which did not say whether %q holds numbers, dates or texts; "+
		"sift the delivery again to have its rows sorted and compared", c.Name)
}

// shortList lists some names, those behind the first few as their number.
func shortList(names []string) string {
	const few = 12
	if len(names) <= few {
		return strings.Join(names, ", ")
	}
	return fmt.Sprintf("%s and %d more", strings.Join(names[:few], ", "), len(names)-few)
}

// Shown is a row of a side.
type Shown struct {
	At    int64     `json:"at" doc:"its place on its side, from 1"`
	Row   int64     `json:"row" doc:"its number in the delivery"`
	Cells []*string `json:"cells" doc:"of the columns that were asked for, in their order; null for no value"`
}

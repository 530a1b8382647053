// Package result answers questions about the rows of an outcome, from the files that a run wrote: which rows pass some
// conditions, in what order, how often each value occurs, and which differ from those of an earlier outcome.
//
// It reads the files of a run and nothing else: a page of rows in their own order costs the reading of the page, any
// other question a reading of one of the files, and as much memory as the rows that are shown; a comparison reads both
// outcomes, and keeps the places of rows that differ. Values are compared as what they are, exactly: numbers of any
// length as numbers, moments as moments, all others by their bytes.
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
	"sieb/core/rowindex"
	"sieb/core/value"
)

// Field is a column of a side: of accepted rows the target's, of others the delivery's behind the row's line and why
// it is there.
type Field struct {
	Name     string `json:"name"`
	Datatype string `json:"datatype" doc:"of accepted rows as the manifest has it, empty where it is of a version that did not say; cells as delivered are texts"`

	order order
}

// Side is one side of an outcome, as it stands in a folder, or a part of one.
type Side struct {
	Columns []Field

	dir     string
	rowsOf  rowsOf
	which   which
	total   int64           // rows, as the manifest counts them
	index   *rowindex.Index // nil where there is none
	members []int64         // places in the file of the rows that are meant, in order; nil for all
}

// rowsOf is what tells the rows of a delivery: the hash of its bytes, and how many rows were read in them.
type rowsOf struct {
	blake3 string
	read   int64
}

// which says which rows a side has.
type which struct {
	name string
	side outcome.Side
	only rowindex.Fate // which of the accepted rows; 0 for all
	file string
}

// sides are those that can be asked.
var sides = []which{
	{"accepted", outcome.Accepted, 0, report.AcceptedName},
	{"rejected", outcome.Rejected, 0, report.RejectedName},
	{"excluded", outcome.Excluded, 0, report.ExcludedName},
	{"changed", outcome.Accepted, rowindex.Changed, report.AcceptedName},
	{"flagged", outcome.Accepted, rowindex.Flagged, report.AcceptedName},
}

// Known reports as an error that there is no side of a name.
func Known(name string) error {
	_, err := whichOf(name)
	return err
}

func whichOf(name string) (which, error) {
	if k := slices.IndexFunc(sides, func(w which) bool { return w.name == name }); k >= 0 {
		return sides[k], nil
	}
	return which{}, wrongf("%q: there are accepted, rejected and excluded rows, and of the accepted ones those that are "+
		"changed and flagged", name)
}

// opened is a run in a folder, as its manifest tells of it.
type opened struct {
	dir   string
	proof report.Manifest
	index *rowindex.Index // nil where there is none
}

// open opens a run. It is to be closed.
func open(dir string) (*opened, error) {
	path := filepath.Join(dir, report.ManifestName)
	text, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, fmt.Errorf("%s holds no run: there is no %s in it; sieb sift --out %s makes one", dir,
			report.ManifestName, dir)
	} else if err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w", path, fault.Cause(err))
	}
	o := &opened{dir: dir}
	if err := json.Unmarshal(text, &o.proof); err != nil {
		return nil, fmt.Errorf("%s is damaged (%w); run the delivery again", path, err)
	}
	if o.index, err = rowindex.Open(dir, report.IndexedOf(o.proof.Outputs)); err != nil {
		o.index = nil // the files tell the same, more slowly
	}
	return o, nil
}

func (o *opened) close() {
	if o.index != nil {
		o.index.Close()
	}
}

// Open opens a side of the outcome whose files stand in a folder, by its name. It is to be closed.
func Open(dir, name string) (*Side, error) {
	w, err := whichOf(name)
	if err != nil {
		return nil, err
	}
	o, err := open(dir)
	if err != nil {
		return nil, err
	}
	s := &Side{dir: dir, which: w, index: o.index}
	if err := s.begin(&o.proof); err != nil {
		s.Close()
		return nil, err
	}
	return s, nil
}

// Close ends the use of the side.
func (s *Side) Close() {
	if s.index != nil {
		s.index.Close()
	}
}

// withoutIndex goes on without a damaged index: the files tell the same, more slowly.
func (s *Side) withoutIndex() {
	s.Close()
	s.index = nil
}

// begin counts the side's rows, and reads the names of its columns.
func (s *Side) begin(m *report.Manifest) error {
	if !slices.ContainsFunc(m.Outputs, func(o outcome.Proof) bool { return o.Name == s.which.file }) {
		return wrongf("the run has not written %s, in which its rows are looked up; sift again, with csv "+
			"among the forms that it writes", s.which.file)
	}
	s.total = [...]int64{m.Tally.Accepted, m.Tally.Rejected, m.Tally.Excluded}[s.which.side]
	if s.which.only != 0 {
		if s.index == nil {
			return s.noIndex()
		}
		s.total = s.index.Total(s.which.only)
	}
	rows, err := s.rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	s.rowsOf = rowsOf{m.Delivery.BLAKE3, m.Tally.Read}
	datatypes := map[string]string{}
	if s.which.side == outcome.Accepted {
		for _, c := range m.Columns {
			datatypes[c.Name] = c.Datatype
		}
	} else {
		datatypes[outcome.RejectedHeader[0]], datatypes[outcome.RejectedHeader[1]] = "integer", "integer"
	}
	for _, name := range rows.Header().Names {
		d := datatypes[name]
		if isOld := s.which.side == outcome.Accepted && m.Columns == nil; d == "" && !isOld {
			d = value.String.String()
		}
		s.Columns = append(s.Columns, Field{name, d, orderOf(d)})
	}
	return nil
}

// noIndex says that it is not known which of the accepted rows are asked for.
func (s *Side) noIndex() error {
	return wrongf("which rows are %s is not known: the run has no index of its rows, or one that is damaged or not of "+
		"its files; sift the delivery again", s.which.name)
}

// rows reads the side's file.
func (s *Side) rows() (*report.Rows, error) { return report.OpenRows(s.dir, s.which.file) }

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
	return 0, wrongf("the %s rows have no column %q; they have %s", s.which.name, name, shortList(names))
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
	At    int64     `json:"at" doc:"its place among the accepted, rejected or excluded rows, from 1"`
	Row   int64     `json:"row" doc:"its number in the delivery"`
	Cells []*string `json:"cells" doc:"of the columns that were asked for, in their order; null for no value"`

	Other  string   `json:"other,omitempty" doc:"of a row that is compared: on which side the other outcome has it"`
	Before []Before `json:"before,omitempty" doc:"of a row that is compared: what stood in cells that differ"`
}

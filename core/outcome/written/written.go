// Package written lists the forms in which the rows of an outcome can be written. Whoever adds a form adds a package that
// is one, and a line here.
package written

import (
	"fmt"
	"slices"
	"strings"

	"sieb/core/outcome"
	"sieb/core/outcome/csv"
	"sieb/core/outcome/jsonl"
	"sieb/core/outcome/parquet"
	"sieb/core/outcome/xlsx"
	"sieb/core/target"
)

// Form is a form by its name.
type Form struct {
	Name        string
	Title       string // what people call it
	File        string // the name of the file with accepted rows
	Type        string // media type
	Meaning     string
	IsDelimited bool // it takes the settings of delimited text
	IsFixed     bool // it takes no settings at all

	make func(outcome.Settings) (outcome.Form, error)
}

// Forms are all of them.
var Forms = []Form{
	{Name: "csv", Title: "CSV", File: "accepted.csv", Type: "text/csv; charset=utf-8", IsFixed: true,
		Meaning: "RFC 4180, UTF-8, LF, under the names of the columns: what other commands read",
		make:    func(outcome.Settings) (outcome.Form, error) { return csv.Form{}, nil }},
	{Name: "delimited", Title: "Delimited text", File: "accepted-delimited.csv", Type: "text/csv", IsDelimited: true,
		Meaning: "in a dialect and an encoding of your choice",
		make:    func(s outcome.Settings) (outcome.Form, error) { return csv.NewDialect(s) }},
	{Name: "jsonl", Title: "JSON Lines", File: "accepted.jsonl", Type: "application/x-ndjson",
		Meaning: "an object of JSON in each line, numbers with all their digits",
		make:    func(outcome.Settings) (outcome.Form, error) { return jsonl.Form{}, nil }},
	{Name: "parquet", Title: "Parquet", File: "accepted.parquet", Type: "application/vnd.apache.parquet",
		Meaning: "typed columns with nulls, packed with Zstandard",
		make:    func(outcome.Settings) (outcome.Form, error) { return parquet.Form{}, nil }},
	{Name: "xlsx", Title: "Workbook", File: "accepted.xlsx",
		Type:    "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
		Meaning: "XLSX with typed cells, in sheets of a million rows",
		make:    func(outcome.Settings) (outcome.Form, error) { return xlsx.Form{}, nil }},
}

// Named returns the form of a name.
func Named(name string) (*Form, error) {
	at := slices.IndexFunc(Forms, func(f Form) bool { return f.Name == name })
	if at < 0 {
		var names []string
		for _, f := range Forms {
			names = append(names, f.Name)
		}
		return nil, fmt.Errorf("form %q is none of %s", name, strings.Join(names, ", "))
	}
	return &Forms[at], nil
}

// New returns what settings ask for, and the form that it is.
func New(s outcome.Settings) (outcome.Form, *Form, error) {
	of, err := Named(s.Form)
	if err != nil {
		return nil, nil, err
	}
	if err := of.check(s); err != nil {
		return nil, nil, err
	}
	form, err := of.make(s)
	return form, of, err
}

// All returns what several settings ask for. Each form has a file of one name, so that none is there twice.
func All(settings []outcome.Settings) (all []outcome.Writing, err error) {
	for i, s := range settings {
		if slices.ContainsFunc(settings[:i], func(o outcome.Settings) bool { return o.Form == s.Form }) {
			return nil, fmt.Errorf("the form %s is named twice", s.Form)
		}
		form, of, err := New(s)
		if err != nil {
			return nil, err
		}
		all = append(all, outcome.Writing{Settings: s, File: of.File, Form: form})
	}
	return all, nil
}

// Of returns how the accepted rows of a run are written by a mapping: as CSV, and in the forms that it names. The error is
// of type target.Problems. It is nil, for CSV alone, where there is none.
func Of(m *target.Mapping) ([]outcome.Writing, error) {
	if m == nil || len(m.Outputs) == 0 {
		return nil, nil
	}
	settings := []outcome.Settings{{Form: "csv"}}
	for i := range m.Outputs {
		o := &m.Outputs[i]
		if o.Form == "csv" {
			if _, _, err := New(o.Settings); err != nil {
				return nil, o.Wrong(err)
			}
			continue // it is written anyhow
		}
		settings = append(settings, o.Settings)
		if _, err := All(settings); err != nil {
			return nil, o.Wrong(err)
		}
	}
	return All(settings)
}

// check tells of settings that the form does not know.
func (f *Form) check(s outcome.Settings) error {
	if !slices.Contains([]outcome.Heading{"", outcome.ByName, outcome.ByTitle, outcome.NoHead}, s.Header) {
		return fmt.Errorf("header %q is none of names, titles, none", s.Header)
	}
	if !slices.Contains([]outcome.Coding{"", outcome.AsCode, outcome.AsLabel, outcome.AsBoth}, s.Codes) {
		return fmt.Errorf("codes %q is none of code, label, both", s.Codes)
	}
	for _, given := range []struct {
		name string
		is   bool
	}{{"delimiter", s.Delimiter != ""}, {"encoding", s.Encoding != ""}, {"quoting", s.Quoting != ""},
		{"lineTerminator", s.LineTerminator != ""}, {"byteOrderMark", s.ByteOrderMark}} {
		if given.is && !f.IsDelimited {
			return fmt.Errorf("the form %s has no %s; the form delimited does", f.Name, given.name)
		}
	}
	if f.IsFixed && (s.Header != "" && s.Header != outcome.ByName || s.Codes != "" && s.Codes != outcome.AsCode) {
		return fmt.Errorf("the form %s is always the same, under names and with codes; the form delimited takes "+
			"header and codes", f.Name)
	}
	return nil
}

package demo_test

import (
	"encoding/csv"
	"encoding/json"
	"os"
	"path/filepath"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/layout"
	"sieb/core/outcome"
	"sieb/core/reference"
	"sieb/core/report"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/demo"
)

func TestCommittedDeliveriesAreTheGenerated(t *testing.T) {
	for _, m := range demo.All() {
		committed, err := demo.Delivery(m.Name)
		require.NoError(t, err)
		assert.Equal(t, string(m.Bytes), string(committed), "%s: run go generate ./demo", m.Name)
		text, err := demo.Delivery(m.Name + ".truth.json")
		require.NoError(t, err)
		var truth demo.Made
		require.NoError(t, json.Unmarshal(text, &truth))
		assert.Equal(t, m.Planted, truth.Planted)
	}
}

// What was planted is found, all of it, at its row and line, and nothing else.
func TestPlantedTruth(t *testing.T) {
	for _, m := range demo.All() {
		t.Run(m.Name, func(t *testing.T) {
			summary, dir := siftDemo(t, m)
			assert.Equal(t, sift.Tally{Read: m.Read, Accepted: m.Accepted, Rejected: m.Rejected, Excluded: m.Excluded},
				summary.Tally)
			assert.Equal(t, sift.Split, summary.Verdict)
			assert.ElementsMatch(t, m.Planted, violationsIn(t, filepath.Join(dir, report.ViolationsName), summary))
		})
	}
}

func siftDemo(t *testing.T, m demo.Made) (*report.Summary, string) {
	t.Helper()
	dir := t.TempDir()
	path := filepath.Join(dir, m.Name)
	require.NoError(t, os.WriteFile(path, m.Bytes, 0o600))
	text, err := demo.Target(m.Target)
	require.NoError(t, err)
	tg, err := target.Parse(text)
	require.NoError(t, err)
	given := layout.Given{}
	if m.Mapping != "" {
		text, err := demo.Mapping(m.Mapping)
		require.NoError(t, err)
		mapping, err := target.ParseMapping(text)
		require.NoError(t, err)
		if tg, err = tg.With(mapping); mapping.Layout != nil {
			given = *mapping.Layout
		}
		require.NoError(t, err)
	}
	file, err := source.Open(t.Context(), path, given)
	require.NoError(t, err)
	defer file.Close()
	run := report.Run{Delivery: file, Target: tg, Dir: filepath.Join(dir, "out")}
	for _, fk := range tg.ForeignKeys {
		require.Equal(t, "growers", fk.Reference.Resource)
		_, register := siftDemo(t, demo.Register())
		run.Keys = append(run.Keys, keysOf(t, tg, &fk, filepath.Join(register, report.AcceptedName)))
	}
	summary, err := run.Do(t.Context())
	require.NoError(t, err)
	return summary, run.Dir
}

func keysOf(t *testing.T, tg *target.Target, fk *target.ForeignKey, path string) *reference.Keys {
	file, err := source.Open(t.Context(), path, layout.Given{})
	require.NoError(t, err)
	defer file.Close()
	rows, err := file.Rows(t.Context())
	require.NoError(t, err)
	keys, err := reference.Read(t.Context(), "growers", reference.Columns(tg, fk), rows, "utf-8", reference.Room{})
	require.NoError(t, err)
	return keys
}

// violationsIn reads violations.csv; the action comes from the summary.
func violationsIn(t *testing.T, path string, summary *report.Summary) (all []demo.Planted) {
	t.Helper()
	f, err := os.Open(path)
	require.NoError(t, err)
	defer f.Close()
	records, err := csv.NewReader(f).ReadAll()
	require.NoError(t, err)
	require.Equal(t, outcome.ViolationsHeader, records[0])
	for _, r := range records[1:] {
		var v demo.Planted
		require.NoError(t, v.Code.UnmarshalText([]byte(r[3])))
		v.Column = r[2]
		if r[0] != "" {
			v.Row, err = strconv.ParseInt(r[0], 10, 64)
			require.NoError(t, err)
		}
		v.Line, err = strconv.ParseInt(r[1], 10, 64)
		require.NoError(t, err)
		for _, g := range summary.Violations {
			if g.Code == v.Code && g.Column == v.Column {
				v.Action = g.Action
			}
		}
		all = append(all, v)
	}
	return all
}

// Every delivery of the scenario is read right with no setting touched.
func TestReadWithNoSettingTouched(t *testing.T) {
	plain := layout.Layout{SkipBlankRows: true, Form: layout.Delimited, Encoding: "utf-8", QuoteChar: `"`,
		DoubleQuote: true, LineTerminator: "lf", HeaderRows: 1, HeaderNames: layout.Joined, Cuts: []int{}}
	sheet := plain
	sheet.Form, sheet.QuoteChar, sheet.Merged, sheet.Hidden = layout.Workbook, "", layout.First, layout.Read
	for name, change := range map[string]func(l *layout.Layout){
		"weighbridge-ahrensee-2026-07.csv": func(l *layout.Layout) {
			l.Encoding, l.Delimiter, l.LineTerminator, l.SkipRows, l.FooterRows = "windows-1252", ";", "crlf", 2, 1
		},
		"weighbridge-brunnthal-2026-07.csv": func(l *layout.Layout) { l.Delimiter, l.ByteOrderMark = ",", true },
		"weighbridge-colmitz-2026-07.txt": func(l *layout.Layout) {
			l.Encoding, l.ByteOrderMark, l.Delimiter, l.LineTerminator = "utf-16le", true, "\t", "crlf"
		},
		"weighbridge-dornau-2026-07.txt": func(l *layout.Layout) {
			l.Form, l.Encoding, l.QuoteChar, l.LineTerminator, l.SkipRows, l.FooterRows = layout.Fixed, "ibm850", "",
				"crlf", 3, 1
			l.Cuts = []int{11, 23, 30, 46, 56, 66, 76, 84}
		},
		"silo-sensors-2026-07.txt": func(l *layout.Layout) { l.HeaderRows, l.Fold = 0, 7 },
		"driver-survey-2026.csv": func(l *layout.Layout) {
			l.Delimiter, l.HeaderRows, l.HeaderNames = ",", 3,
				layout.First
		},
		"laboratory-2026-07.xlsx": func(l *layout.Layout) {
			*l = sheet
			l.Sheet, l.SkipRows, l.FooterRows, l.Merged = "Results", 3, 2, layout.Carried
		},
		"growers-2026.ods": func(l *layout.Layout) { *l = sheet; l.Sheet, l.SkipRows = "Growers", 2 },
	} {
		t.Run(name, func(t *testing.T) {
			content, err := demo.Delivery(name)
			require.NoError(t, err)
			path := filepath.Join(t.TempDir(), name)
			require.NoError(t, os.WriteFile(path, content, 0o600))
			file, err := source.Open(t.Context(), path, layout.Given{})
			require.NoError(t, err)
			defer file.Close()
			want := plain
			change(&want)
			assert.Equal(t, want, file.Layout)
		})
	}
}

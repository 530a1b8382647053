package agreement_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"sieb/core/csvw"
	"sieb/core/draft"
	"sieb/core/finding"
	"sieb/core/layout"
	"sieb/core/outcome"
	"sieb/core/outcome/outcometest"
	"sieb/core/profile"
	"sieb/core/report"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/suggest"
	"sieb/core/target"
	"sieb/core/violation"
)

// What is told of one row is what the run did with it.
func TestExplanationsAreThoseOfTheRun(t *testing.T) {
	for seed := range deliveries(t, 60) {
		w := draw(seed)
		targetText, mappingText := w.texts(t)
		run, _, sink := w.run(t, joined(t, targetText, mappingText), 1)
		accepted, next := records(t, sink.Accepted.String()), 0
		for i, want := range w.judge().rows {
			var cells []string
			if want.side == "accepted" {
				cells, next = accepted[next], next+1
			}
			if len(w.rows) > 12 && i%7 != int(seed%7) {
				continue
			}
			src, err := run.Again(t.Context())
			require.NoError(t, err)
			run.Source = src
			told, err := run.Explain(t.Context(), int64(i+1))
			require.NoError(t, err)
			about := fmt.Sprintf("delivery %d, row %d %q\n%s%s", seed, i+1, w.rows[i], targetText, mappingText)
			require.Equal(t, want.side, told.Fate, about)
			if want.isOut {
				continue
			}
			var codes, found []string
			for _, v := range told.Violations {
				codes = append(codes, v.Code.String())
			}
			for k, c := range told.Columns {
				for _, v := range c.Violations {
					codes = append(codes, v.Code.String())
				}
				if cells != nil && c.Value != nil {
					require.Equal(t, cells[k], *c.Value, about)
				}
			}
			for _, f := range want.found {
				found = append(found, f[strings.LastIndexByte(f, ' ')+1:])
			}
			require.True(t, equalSets(codes, found), "%s: %q, want %q", about, codes, found)
		}
	}
}

// A workbook with the same texts gives the same, and so it does with numbers as numbers.
func TestWorkbooksAreJudgedAsTexts(t *testing.T) {
	dir := t.TempDir()
	plain := regexp.MustCompile(`^-?(0|[1-9][0-9]{0,8})(\.[0-9]*[1-9])?$`)
	for seed := range deliveries(t, 60) {
		w := draw(seed)
		w.counts = false
		w.rows = slices.DeleteFunc(w.rows, func(cells []string) bool { // what a sheet does not have
			return len(cells) != len(w.headers) || strings.TrimSpace(strings.Join(cells, "")) == ""
		})
		if len(w.rows) == 0 || slices.Contains(w.rows[len(w.rows)-1], "") {
			continue
		}
		book := excelize.NewFile()
		require.NoError(t, book.SetSheetRow("Sheet1", "A1", &w.headers))
		for i, cells := range w.rows {
			for k, cell := range cells {
				at, err := excelize.CoordinatesToCellName(k+1, i+2)
				require.NoError(t, err)
				c := w.columns[slices.IndexFunc(w.columns, func(c *column) bool { return c.header == w.headers[k] })]
				n, err := strconv.ParseFloat(cell, 64)
				switch isNumber := err == nil && plain.MatchString(cell); {
				case cell == "":
				case isNumber && seed%2 == 0 && c.isNumber() && c.separator == "" && c.comma == "" && c.group == "":
					require.NoError(t, book.SetCellFloat("Sheet1", at, n, -1, 64))
				default:
					require.NoError(t, book.SetCellStr("Sheet1", at, cell))
				}
			}
		}
		path := filepath.Join(dir, w.name()+".xlsx")
		require.NoError(t, book.SaveAs(path))
		form, rows, none, merged := "workbook", 1, 0, "first"
		file, err := source.Open(t.Context(), path, layout.Given{Form: &form, HeaderRows: &rows, SkipRows: &none,
			FooterRows: &none, SkipColumns: &none, Merged: &merged})
		require.NoError(t, err)
		targetText, mappingText := w.texts(t)
		tg := joined(t, targetText, mappingText)
		account := &sift.Account{}
		run := report.Run{Delivery: file, Name: w.name(), Target: tg, Keys: keysOf(t, tg),
			Codes: codesOf(t), Dir: filepath.Join(dir, fmt.Sprint(seed))}
		summary, err := run.Do(t.Context())
		require.NoError(t, err)
		_, err = run.Rehearse(t.Context(), account, 0)
		require.NoError(t, err)
		sink := &outcometest.Texts{}
		for name, to := range map[string]*outcometest.Buffer{"accepted.csv": &sink.Accepted,
			"violations.csv": &sink.Violations} {
			text, err := os.ReadFile(filepath.Join(run.Dir, name))
			require.NoError(t, err)
			to.Write(withoutFlags(text))
		}
		if all := w.differences(t, w.judge(), summary.Result, account, sink); len(all) > 0 {
			require.Fail(t, "disagree", "delivery %d:\n%s\n%s%s", seed, strings.Join(all, "\n"), targetText, mappingText)
		}
	}
}

// withoutFlags leaves out what is told of texts that a workbook could hold as numbers.
func withoutFlags(text []byte) []byte {
	lines := strings.SplitAfter(string(text), "\n")
	return []byte(strings.Join(slices.DeleteFunc(lines, func(line string) bool {
		return strings.Contains(line, ",number.text,") || strings.Contains(line, ",date.text,")
	}), ""))
}

// work is the delivery with its texts, as suggestions are looked for in it.
func (w *world) work(t *testing.T, dir string) *suggest.Work {
	text, l := w.file(t)
	path := filepath.Join(dir, w.name())
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	file, err := source.Open(t.Context(), path, layout.Given{Form: &l.Form, Encoding: &l.Encoding, Delimiter: &l.Delimiter,
		QuoteChar: &l.QuoteChar, HeaderRows: &l.HeaderRows, FooterRows: &l.FooterRows, SkipRows: &l.SkipRows})
	require.NoError(t, err)
	targetText, mappingText := w.texts(t)
	s := &suggest.Work{Texts: suggest.Texts{Target: targetText, Mapping: mappingText}, File: file, Lists: codesOf(t),
		Account: &sift.Account{}}
	s.Rehearse = func(ctx context.Context, tg *target.Target) (*sift.Result, *sift.Account, error) {
		account := &sift.Account{}
		run := report.Run{Delivery: file, Name: w.name(), Target: tg, Codes: codesOf(t), Keys: keysOf(t, tg)}
		result, err := run.Rehearse(ctx, account, 0)
		return result, account, err
	}
	s.Result, s.Account, err = s.Rehearse(t.Context(), joined(t, targetText, mappingText))
	require.NoError(t, err)
	s.Profile, err = finding.Profile(t.Context(), file, profile.Options{})
	require.NoError(t, err)
	return s
}

// A suggestion rescues and breaks what a run with it does, alone and in the best order.
func TestSuggestionsDoWhatTheySay(t *testing.T) {
	dir := t.TempDir()
	sides := func(a *sift.Account, rows int64) (all []outcome.Side) {
		for row := range rows {
			all = append(all, a.Side(row+1))
		}
		return all
	}
	for seed := range deliveries(t, 15) {
		w := draw(seed)
		s := w.work(t, dir)
		rows := s.Result.Tally.Read
		before := sides(s.Account, rows)
		all, err := s.Find(t.Context(), suggest.Asked{})
		require.NoError(t, err)
		byID := map[string]suggest.Suggestion{}
		after := func(texts suggest.Texts) (of []outcome.Side, repeated map[int64]bool) {
			tg, err := texts.Parse()
			require.NoError(t, err)
			_, account, err := s.Rehearse(t.Context(), tg)
			require.NoError(t, err)
			repeated = map[int64]bool{}
			for _, g := range account.Broken {
				for _, v := range g.Values {
					repeated[0] = repeated[0] || v.Count > int64(len(v.Rows)) // some are not told
					for _, row := range v.Rows {
						repeated[row] = repeated[row] || g.Code == violation.KeyDuplicate
					}
				}
			}
			return sides(account, rows), repeated
		}
		for i := range all {
			require.NoError(t, s.Judge(t.Context(), &all[i]))
			texts, err := s.With(all[i].Steps)
			require.NoError(t, err)
			var want suggest.Effect
			now, repeated := after(texts)
			for row, is := range now {
				switch was := before[row]; {
				case is == outcome.Excluded && was != is:
					want.Excluded++
				case is == outcome.Rejected && was == outcome.Accepted:
					want.Broken++
					if all[i].Effect.Repeats > 0 {
						require.True(t, repeated[int64(row+1)] || repeated[0], "row %d of delivery %d: %s", row+1, seed, all[i].Words)
						want.Repeats++
					}
				case is == outcome.Accepted && was != is:
					want.Rescued++
				}
			}
			want.Changed = all[i].Effect.Changed
			require.Equal(t, want, *all[i].Effect, "delivery %d: %s\n%s%s", seed, all[i].Words, s.Target, s.Mapping)
			byID[all[i].ID] = all[i]
		}
		together, err := s.Order(t.Context(), all)
		require.NoError(t, err)
		texts := s.Texts
		for _, next := range slices.Concat(together.Taken, together.Losing) {
			texts, err = texts.With(byID[next.ID].Steps)
			require.NoError(t, err)
			mended, broken := int64(0), int64(0)
			now, _ := after(texts)
			for row, is := range now {
				switch {
				case before[row] == outcome.Rejected && is != outcome.Rejected:
					mended++
				case before[row] == outcome.Accepted && is == outcome.Rejected:
					broken++
				}
			}
			require.Equal(t, broken, next.Broken, "delivery %d: %s", seed, byID[next.ID].Words)
			require.Equal(t, mended, next.Rescued, "delivery %d: %s", seed, byID[next.ID].Words)
		}
	}
}

// claims are what a drafted target says of the values that break its rules, by the class of their
// violations.
var claims = []struct {
	class string
	says  *regexp.Regexp
}{
	{"type", regexp.MustCompile(`^    datatype: [a-z]+ +# (\d+) of (\d+) values are`)},
	{"text.format", regexp.MustCompile(`^    format: .* +# (\d+) of (\d+) values look like`)},
}

// What a target that a delivery drafts says of its values is what a run by it finds: so many are
// not of a datatype or a form, and no other rule is broken, but that keys may recur.
func TestDraftsCountAsRuns(t *testing.T) {
	dir := t.TempDir()
	name := regexp.MustCompile(`^  - \{?name: "?([a-z_0-9]+)"?`)
	for seed := range deliveries(t, 80) {
		w := draw(seed)
		w.rows = slices.DeleteFunc(w.rows, func(cells []string) bool { return len(cells) != len(w.headers) })
		if len(w.rows) == 0 {
			continue
		}
		s := w.work(t, dir)
		text := draft.Of(w.name(), s.Profile).YAML()
		tg, err := target.Parse(text)
		require.NoError(t, err, "%s", text)
		result, _, err := s.Rehearse(t.Context(), tg)
		require.NoError(t, err)
		found, said := map[string]int64{}, map[string]int64{}
		for _, g := range result.Violations {
			switch {
			case !g.Action.RejectsRow() || g.Class == "structure":
			case g.Class == "uniqueness": // a row that is rejected holds no key, and blanks are taken off
				assert.True(t, tg.Column(g.Column).Unique || g.Rows == 0, "delivery %d: %s", seed, g.Column)
			case g.Class == "type" || g.Class == "date":
				found[g.Column+" type"] += g.Rows
			default:
				found[g.Column+" "+g.Code.String()] += g.Rows
			}
		}
		at := ""
		for line := range strings.Lines(string(text)) {
			if m := name.FindStringSubmatch(line); m != nil {
				at = m[1]
			}
			for _, c := range claims {
				if m := c.says.FindStringSubmatch(line); m != nil && !strings.Contains(line, "datatype: string") {
					some, _ := strconv.ParseInt(m[1], 10, 64)
					of, _ := strconv.ParseInt(m[2], 10, 64)
					if of > some {
						said[at+" "+c.class] = of - some
					}
				}
			}
		}
		assert.Equal(t, said, found, "delivery %d\n%s", seed, text)
	}
}

// What a target says in CSV on the Web accepts what the target accepts, and nothing that it rejects
// unless it is said what it does not express.
func TestMetadataAcceptTheSame(t *testing.T) {
	for seed := range deliveries(t, 100) {
		w := draw(seed)
		for _, c := range w.columns {
			c.action, c.actions = "", nil
		}
		for i := range w.rules {
			w.rules[i].action = "reject"
		}
		targetText, mappingText := w.texts(t)
		tg := joined(t, targetText, mappingText)
		_, _, sink := w.run(t, tg, 1)
		plain, err := target.Parse(targetText)
		require.NoError(t, err)
		metadata, _, err := csvw.Write(plain, "accepted.csv")
		require.NoError(t, err)
		read, err := csvw.Read(metadata, "")
		require.NoError(t, err, "%s", metadata)
		back, err := target.Parse(read.Target)
		require.NoError(t, err, "%s", read.Target)
		if read.Mapping != nil {
			m, err := target.ParseMapping(read.Mapping)
			require.NoError(t, err)
			back, err = back.With(m)
			require.NoError(t, err)
		}
		back.ForeignKeys, back.AbsentFrom = nil, nil
		l := delimited(",")
		l.SkipBlankRows = false
		src, err := source.NewReader(strings.NewReader(sink.Accepted.String()), l)
		require.NoError(t, err)
		again := &outcometest.Texts{}
		run := sift.Run{Source: src, Encoding: "utf-8", Target: back, Outputs: again.Outputs(), Codes: codesOf(t),
			Again: func(context.Context) (source.Source, error) {
				return source.NewReader(strings.NewReader(sink.Accepted.String()), l)
			}}
		_, err = run.Do(t.Context())
		require.NoError(t, err)
		for _, v := range records(t, again.Violations.String()) {
			if n, _ := strconv.Atoi(v[0]); n > 0 && v[3] != "order.broken" {
				assert.Fail(t, "an accepted row is rejected", "delivery %d: %q\n%s\n%s\n%s", seed, v, targetText,
					read.Target, metadata)
				return
			}
		}
	}
}

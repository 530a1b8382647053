// Package agreement_test holds the program to its documentation: a model of the rules, written from
// docs/targets.md alone, slow and apart from the code, judges deliveries that are drawn with their
// targets and mappings, and has to come to what a run comes to, row for row.
//
// DELIVERIES=10000 draws so many; the suite draws a few hundred. DELIVERY=17 draws only that one.
package agreement_test

import (
	"context"
	"encoding/csv"
	"fmt"
	"iter"
	"math/big"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"sieb/core/codes"
	"sieb/core/layout"
	"sieb/core/outcome/outcometest"
	"sieb/core/reference"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
)

// deliveries yields the seeds of the deliveries that are drawn: in the suite a share of them.
func deliveries(t testing.TB, share uint64) iter.Seq[uint64] {
	from, to := uint64(0), share
	if testing.Short() {
		to = share / 5 // under the race detector
	}
	var err error
	if said := os.Getenv("DELIVERIES"); said != "" {
		to, err = strconv.ParseUint(said, 10, 64)
	}
	if said := os.Getenv("DELIVERY"); said != "" && err == nil {
		from, err = strconv.ParseUint(said, 10, 64)
		to = from + 1
	}
	require.NoError(t, err)
	return func(yield func(uint64) bool) {
		for seed := from; seed < to && yield(seed); seed++ {
		}
	}
}

// delimited is the layout of what these tests write.
func delimited(by string) layout.Layout {
	return layout.Layout{SkipBlankRows: true, Form: layout.Delimited, Encoding: "utf-8", Delimiter: by, QuoteChar: `"`,
		DoubleQuote: true, HeaderRows: 1}
}

// file returns the delivery, semicolons between its cells, and its layout.
func (w *world) file(t require.TestingT) (string, layout.Layout) {
	var b strings.Builder
	out := csv.NewWriter(&b)
	out.Comma = ';'
	require.NoError(t, out.Write(w.headers))
	require.NoError(t, out.WriteAll(w.rows))
	l := delimited(";")
	if w.counts {
		fmt.Fprintf(&b, "Total;%d\n", w.counted)
		l.FooterRows = 1
	}
	return b.String(), l
}

func (w *world) name() string { return "sum" + w.stated + ".csv" }

func joined(t require.TestingT, targetText, mappingText []byte) *target.Target {
	tg, err := target.Parse(targetText)
	require.NoError(t, err, "%s", targetText)
	m, err := target.ParseMapping(mappingText)
	require.NoError(t, err, "%s", mappingText)
	tg, err = tg.With(m)
	require.NoError(t, err, "%s%s", targetText, mappingText)
	return tg
}

func codesOf(t require.TestingT) []*codes.List {
	list, err := codes.Parse(context.Background(), "crops", []byte("code;label\n"+strings.Join(crops, ";x\n")+";x\n"))
	require.NoError(t, err)
	return []*codes.List{list}
}

// keysOf reads what a target refers to.
func keysOf(t require.TestingT, tg *target.Target) (all []*reference.Keys) {
	for _, fk := range tg.Constraints() {
		if fk.Reference.Codes != "" {
			read, err := reference.OfCodes(context.Background(), tg, &fk, codesOf(t)[0])
			require.NoError(t, err)
			all = append(all, read)
			continue
		}
		rows, err := source.NewReader(strings.NewReader("id\n"+strings.Join(growers, "\n")+"\n"), delimited(","))
		require.NoError(t, err)
		read, err := reference.Read(context.Background(), "growers", reference.Columns(tg, &fk), rows, "utf-8",
			reference.Room{Memory: 1 << 20})
		require.NoError(t, err)
		all = append(all, read)
	}
	return all
}

// run does the program's run.
func (w *world) run(t require.TestingT, tg *target.Target, workers int) (*sift.Run, *sift.Result, *outcometest.Texts) {
	text, l := w.file(t)
	sink := &outcometest.Texts{}
	s := &sift.Run{Encoding: l.Encoding, Name: w.name(), Target: tg, Workers: workers, Outputs: sink.Outputs(),
		Codes: codesOf(t), Account: &sift.Account{}}
	s.Again = func(context.Context) (source.Source, error) { return source.NewReader(strings.NewReader(text), l) }
	s.Keys = keysOf(t, tg)
	src, err := s.Again(context.Background())
	require.NoError(t, err)
	s.Source = src
	result, err := s.Do(context.Background())
	require.NoError(t, err)
	return s, result, sink
}

func records(t require.TestingT, text string) [][]string {
	r := csv.NewReader(strings.NewReader(text))
	r.FieldsPerRecord = -1
	all, err := r.ReadAll()
	require.NoError(t, err)
	return all[1:]
}

// same reports whether two cells are the same value: of numbers zeros behind do not count.
func same(a, b string) bool {
	if a == b {
		return true
	}
	if parts := strings.Split(a, "|"); len(parts) > 1 {
		return slices.EqualFunc(parts, strings.Split(b, "|"), same)
	}
	x, isX := new(big.Rat).SetString(a)
	y, isY := new(big.Rat).SetString(b)
	return isX && isY && x.Cmp(y) == 0
}

// differences says in what a run is not what the model says.
func (w *world) differences(t require.TestingT, want *verdict, got *sift.Result, account *sift.Account,
	sink *outcometest.Texts) (
	all []string) {
	say := func(format string, a ...any) { all = append(all, fmt.Sprintf(format, a...)) }
	if string(got.Verdict) != want.verdict {
		say("verdict %s (%s), want %s", got.Verdict, got.Refusal, want.verdict)
	}
	if tally := (sift.Tally{Read: want.read, Accepted: want.accepted, Rejected: want.rejected,
		Excluded: want.excluded}); tally != got.Tally {
		say("tally %+v, want %+v", got.Tally, tally)
	}
	found := map[int][]string{}
	var whole []string
	for _, v := range records(t, sink.Violations.String()) {
		n, _ := strconv.Atoi(v[0])
		if n == 0 {
			whole = append(whole, strings.TrimSpace(v[2]+" "+v[3]))
		} else {
			found[n] = append(found[n], v[2]+" "+v[3])
		}
	}
	if slices.Sort(whole); !slices.Equal(whole, want.whole) {
		say("delivery %q, want %q", whole, want.whole)
	}
	accepted := records(t, sink.Accepted.String())
	for i, r := range want.rows {
		about := fmt.Sprintf("row %d %q", i+1, w.rows[i])
		if got := found[i+1]; !equalSets(got, r.found) {
			say("%s: %q, want %q", about, got, r.found)
		}
		if side := account.Side(int64(i + 1)).String(); side != r.side {
			say("%s is %s, want %s", about, side, r.side)
		}
		if r.side != "accepted" || len(accepted) == 0 {
			continue
		}
		if !slices.EqualFunc(accepted[0], r.cells, same) {
			say("%s became %q, want %q", about, accepted[0], r.cells)
		}
		accepted = accepted[1:]
	}
	changed, reasons, unjudged := map[string]int64{}, map[string]int64{}, map[string]int64{}
	for _, r := range got.Remedies {
		changed[r.Column+" "+r.Remedy] += r.Changed
	}
	for _, x := range got.Excluded {
		reasons[x.Reason] = x.Rows
	}
	for _, u := range got.Unjudged {
		unjudged[u.Rule] = u.Rows
	}
	for what, counts := range map[string][2]map[string]int64{"changed": {changed, want.changed},
		"left out": {reasons, want.reasons}, "not judged": {unjudged, want.unjudged}} {
		for _, side := range counts {
			for name := range side {
				if counts[0][name] != counts[1][name] {
					say("%s %s: %d, want %d", what, name, counts[0][name], counts[1][name])
				}
			}
		}
	}
	slices.Sort(all)
	all = slices.Compact(all)
	return all[:min(len(all), 4)]
}

func equalSets(a, b []string) bool {
	a, b = slices.Clone(a), slices.Clone(b)
	slices.Sort(a)
	slices.Sort(b)
	return slices.Equal(a, b)
}

func TestRunsAreWhatTheDocumentsSay(t *testing.T) {
	disagree := 0
	for seed := range deliveries(t, 300) {
		w := draw(seed)
		targetText, mappingText := w.texts(t)
		tg := joined(t, targetText, mappingText)
		run, result, sink := w.run(t, tg, 1+int(seed%2)*3)
		if all := w.differences(t, w.judge(), result, run.Account, sink); len(all) > 0 {
			text, _ := w.file(t)
			t.Errorf("delivery %d:\n%s\n%s%s%s", seed, strings.Join(all, "\n"), targetText, mappingText, text)
			if disagree++; disagree == 5 {
				t.FailNow()
			}
		}
	}
}

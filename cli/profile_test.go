package cli_test

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/profile"
	"sieb/core/violation"
	"sieb/demo"
)

// profileOf runs sieb profile for its JSON document.
func profileOf(t *testing.T, path string) (p profile.Profile) {
	t.Helper()
	code, out, errs := sieb("profile", path, "--format", "json")
	require.Zero(t, code, errs)
	require.NoError(t, json.Unmarshal([]byte(out), &p))
	return p
}

// What was planted in the demo deliveries, and shows without a target, is named by
// a finding: by its row, or by its value.
func TestProfileFindsWhatWasPlanted(t *testing.T) {
	dir := files(t)
	shows := map[violation.Code]bool{violation.RowShort: true, violation.RowLong: true, violation.QuoteOpen: true,
		violation.QuoteStray: true, violation.QuoteTail: true,
		violation.EncodingInvalid: true, violation.EncodingGarbled: true, violation.EncodingControl: true,
		violation.TypeInteger: true, violation.TypeDecimal: true,
		violation.TypeBoolean: true, violation.DateFormat: true, violation.DateImpossible: true,
		violation.TextFormat: true, violation.KeyDuplicate: true}
	seen := map[violation.Code]int{}
	for _, m := range demo.All() {
		p := profileOf(t, filepath.Join(dir, m.Name))
		require.Equal(t, m.Read, p.Rows, m.Name)
		named := map[int64]bool{}
		for _, f := range p.Findings {
			assert.Positive(t, f.Rows, f.Text)
			for _, v := range f.First {
				named[v.Row] = true
			}
		}
		for _, planted := range m.Planted {
			if shows[planted.Code] {
				seen[planted.Code]++
				assert.True(t, named[planted.Row], "%s: %s in row %d, column %s, is named by no finding", m.Name,
					planted.Code, planted.Row, planted.Column)
			}
		}
	}
	assert.Len(t, seen, len(shows), "each kind was planted: %v", seen)
}

func TestProfileText(t *testing.T) {
	dir := files(t)
	for _, m := range demo.All() {
		code, out, errs := sieb("profile", filepath.Join(dir, m.Name))
		require.Zero(t, code, errs)
		table, _, _ := strings.Cut(out, "\n\nfindings\n")
		for _, line := range strings.Split(table, "\n")[2:] {
			assert.LessOrEqual(t, utf8.RuneCountInString(strings.TrimRight(line, " ")), 100, line)
		}
	}
	code, out, _ := sieb("profile", filepath.Join(dir, "weighbridge-ahrensee-2026-07.csv"))
	require.Zero(t, code)
	for _, want := range []string{"240 rows of 16 columns; 3 are damaged",
		"Moisture %  ██████ 100 %         91  decimal 99.2 %", "3.1 … 45.2",
		"`Moisture %`: 2 of 237 values are not decimals with a comma: feucht, 14.5",
		"`Grower No.` looks like a number, but 235 values start with 0: keep it as text",
		"Date is never after Weighed at", "→ remedies: [trim]"} {
		assert.Contains(t, out, want)
	}
	code, out, _ = sieb("profile", filepath.Join(dir, "weighbridge-ahrensee-2026-07.csv"), "--column", "moisture %")
	require.Zero(t, code)
	for _, want := range []string{"mean          14.2153, standard deviation 3.48193", "sum           3340.6",
		"decimals by ,", "from 10", "decimal with comma  235  99.2 %", "not of the datatype"} {
		assert.Contains(t, out, want)
	}
	code, out, _ = sieb("profile", write(t, dir, "empty.csv", "a,b\n"))
	require.Zero(t, code)
	assert.Contains(t, out, "there is nothing to profile: the file has no rows")
	code, out, _ = sieb("profile", write(t, dir, "plain.csv", "a,b\n1,x\n2,y\n3,x\n"))
	require.Zero(t, code)
	assert.Contains(t, out, "nothing odd was found")
	code, _, errs := sieb("profile", filepath.Join(dir, "plain.csv"), "--column", "c")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, `there is no column "c"; the columns are a, b`)
}

// All that is told of how a column's numbers and dates are written.
func TestProfileOfOneColumn(t *testing.T) {
	var b strings.Builder
	b.WriteString("on;at;kg;share\n")
	for i := range 60 {
		day := 1 + i%12
		if i >= 30 {
			day += 12
		}
		month := 3
		if i >= 45 {
			month = 9
		}
		fmt.Fprintf(&b, "%02d/%02d/2026;%d. Juli 2026;%d.%03d,%d;%d,5 %%\n", day, month, 1+i%28, 1+i, i*7, i%10, i)
	}
	b.WriteString("01/03/2026;31. Juni 2026;-1.000,5;1 %\n")
	path := write(t, t.TempDir(), "loads.csv", b.String())
	for column, want := range map[string][]string{
		"on": {"date", "dd/MM/yyyy (61)",
			"day first, decided by dates: 30 only so, 0 only the other way, 31 both ways", "Mo ",
			"days without a date, from 2026-03-"},
		"at": {"date 98 %", "d. MMM yyyy (60)", "1 date or time that does not exist: 31. Juni 2026",
			"date that no calendar has"},
		"kg": {"decimal", "up to 5 digits before the point, 1 after it; decimals by ,; thousands by .; 1 negative",
			"-1000.5 … 60413.9"},
		"share": {"string", "decimal with comma with percent sign",
			"holds numbers with a percent sign: only without it they are numbers"},
	} {
		code, out, errs := sieb("profile", path, "--column", column)
		require.Zero(t, code, errs)
		for _, text := range want {
			assert.Contains(t, out, text, "%s:\n%s", column, out)
		}
	}
}

// A pipe is read like a file, though it can be read only once.
func TestProfileOfAPipe(t *testing.T) {
	m := demo.Dornau()
	path := filepath.Join(t.TempDir(), "pipe")
	require.NoError(t, syscall.Mkfifo(path, 0o600))
	var done sync.WaitGroup
	done.Go(func() { assert.NoError(t, os.WriteFile(path, m.Bytes, 0o600)) })
	p := profileOf(t, path)
	done.Wait()
	assert.Equal(t, m.Read, p.Rows)
}

func TestProfilePage(t *testing.T) {
	dir := files(t)
	page := filepath.Join(dir, "page.html")
	code, out, errs := sieb("profile", filepath.Join(dir, "weighbridge-brunnthal-2026-07.csv"), "--html", page)
	require.Zero(t, code, errs)
	assert.Contains(t, out, "written: "+page)
	text, err := os.ReadFile(page)
	require.NoError(t, err)
	for _, want := range []string{"<b>weighed_on</b>: 2 of 177 values are not yyyy-MM-dd: 05/08/2026, 2026-02-30",
		"the first is the sum of the others", "<svg", "&#34;clean&#34; load"} {
		assert.Contains(t, string(text), want)
	}
	assert.NotContains(t, string(text), "http")
	assert.NotContains(t, string(text), "ZgotmplZ", "a value stands where the template takes none")
	code, _, errs = sieb("profile", filepath.Join(dir, "weighbridge-brunnthal-2026-07.csv"), "--html",
		filepath.Join(dir, "no", "page.html"))
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "writing ")
}

func TestDraft(t *testing.T) {
	dir := files(t)
	file, out := filepath.Join(dir, "weighbridge-ahrensee-2026-07.csv"), filepath.Join(dir, "draft.yaml")
	code, text, errs := sieb("draft", file, "--out", out, "--sql")
	require.Zero(t, code, errs)
	assert.Contains(t, text, "next: read it, then sieb sift "+file+" --target "+out)
	assert.Contains(t, text, "  moisture_pct numeric(5, 1) not null,\n")
	assert.Contains(t, text, "comment on column weighbridge_ahrensee.moisture_pct is 'Moisture %';")
	draft, err := os.ReadFile(out)
	require.NoError(t, err)
	for _, want := range []string{"target: weighbridge_ahrensee\n", `titles: ["Ticket No."]`,
		`format: "[A-Z]{2}-[0-9]{6}"           # 236 of 237 values look like AA-999999`,
		"remedies: [trim, upper]", `format: "ja|nein"`, `groupChar: "."`,
		"unique: true                          # 1 row repeats an earlier one"} {
		assert.Contains(t, string(draft), want)
	}
	code, _, _ = sieb("sift", file, "--target", out)
	assert.Equal(t, 3, code)
	code, _, errs = sieb("draft", file, "--out", out)
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "--replace writes over it")
	code, text, _ = sieb("draft", file, "--name", "tickets", "--format", "json")
	require.Zero(t, code)
	var document struct{ Target, SQL string }
	require.NoError(t, json.Unmarshal([]byte(text), &document))
	assert.Contains(t, document.Target, "target: tickets\n")
	assert.Contains(t, document.SQL, "create table tickets (")
	code, _, errs = sieb("draft", file, "--name", "no name")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "a name is made of letters, digits, _ and -")
	code, _, errs = sieb("draft", write(t, dir, "empty.csv", "a,b\n"))
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "there is nothing to draw rules from")
}

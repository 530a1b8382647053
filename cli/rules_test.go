package cli_test

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"sieb/demo"
	"sieb/service/api"
	"sieb/service/servicetest"
)

// suggested is the JSON document of suggest as programs read it.
type suggested struct {
	Tally       map[string]int64 `json:"tally"`
	Suggestions []struct {
		Words   string `json:"words"`
		Column  string `json:"column"`
		Changes string `json:"changes"`
		Effect  *struct {
			Rescued  int64 `json:"rescued"`
			Broken   int64 `json:"broken"`
			Excluded int64 `json:"excluded"`
			Changed  int64 `json:"changed"`
		} `json:"effect"`
	} `json:"suggestions"`
	Together struct {
		Rejected int64 `json:"rejected"`
		Taken    []struct {
			ID      string `json:"id"`
			Rescued int64  `json:"rescued"`
		} `json:"taken"`
	} `json:"together"`
}

func suggest(t *testing.T, args ...string) (s suggested) {
	t.Helper()
	code, out, errs := sieb(append(args, "--format", "json")...)
	require.Equal(t, 0, code, errs)
	require.NoError(t, json.Unmarshal([]byte(out), &s))
	return s
}

// Each suggestion, when it is taken, gives on every demo delivery the rows that it promised.
func TestSuggestionsKeepTheirWord(t *testing.T) {
	dir := files(t)
	for _, m := range demo.All() {
		file := filepath.Join(dir, m.Name)
		s := suggest(t, append([]string{"suggest", file}, rulesOf(dir, m)...)...)
		assert.Equal(t, map[string]int64{"read": m.Read, "accepted": m.Accepted, "rejected": m.Rejected,
			"excluded": m.Excluded}, s.Tally, m.Name)
		assert.NotEmpty(t, s.Suggestions, m.Name)
		for i, one := range s.Suggestions {
			require.NotNil(t, one.Effect, one.Words)
			if i > 1 && i%9 != 0 { // the first ones, and some of the others
				continue
			}
			// In copies of the rules, which --take writes to.
			copies := t.TempDir()
			args := rulesOf(dir, m)
			for k, arg := range args {
				if text, err := os.ReadFile(arg); err == nil && strings.HasSuffix(arg, ".yaml") {
					args[k] = write(t, copies, filepath.Base(arg), string(text))
				}
			}
			code, out, errs := sieb(append([]string{"suggest", file, "--take", fmt.Sprint(i + 1)}, args...)...)
			require.Equal(t, 0, code, errs)
			assert.Contains(t, out, "taken     "+one.Words)
			_, out, errs = sieb(append([]string{"sift", file, "--format", "json"}, args...)...)
			var got siftDocument
			require.NoError(t, json.Unmarshal([]byte(out), &got), errs)
			e := one.Effect
			assert.Equal(t, m.Excluded+e.Excluded, got.Tally["excluded"], "%s: %s", m.Name, one.Words)
			moved := got.Tally["accepted"] - m.Accepted
			assert.GreaterOrEqual(t, moved, e.Rescued-e.Broken-e.Excluded, "%s: %s", m.Name, one.Words)
			assert.LessOrEqual(t, moved, e.Rescued-e.Broken, "%s: %s", m.Name, one.Words)
		}
	}
}

// loads is a delivery of a farm with wounds that suggestions know.
func loads(t *testing.T) (dir, csv, rules string) {
	t.Helper()
	dir = t.TempDir()
	var b strings.Builder
	b.WriteString("Beleg;Annahme;Menge kg;Art\n")
	for i := range 40 {
		date, kg, kind := fmt.Sprintf("%02d.07.2026", i%28+1), fmt.Sprint(900+i), "Lieferung"
		switch i {
		case 3, 7:
			date = fmt.Sprintf("2026-07-%02d", i)
		case 9:
			kg = "vielleicht"
		case 20, 21:
			kind = "TEST"
		}
		fmt.Fprintf(&b, "L%d;%s;%s;%s\n", i, date, kg, kind)
	}
	csv = write(t, dir, "loads.csv", b.String())
	rules = write(t, dir, "loads.yaml", "# kept by hand\ntarget: loads\ncolumns:\n"+
		"  - {name: beleg, titles: [Beleg], required: true} # the receipt\n"+
		"  - {name: annahme, titles: [Annahme], datatype: date, format: dd.MM.yyyy}\n"+
		"  - {name: menge_kg, titles: [Menge kg], datatype: integer}\n  - {name: art, titles: [Art]}\n")
	return dir, csv, rules
}

func TestSuggest(t *testing.T) {
	_, csv, rules := loads(t)
	before, err := os.ReadFile(rules)
	require.NoError(t, err)
	code, out, errs := sieb("suggest", csv, "--target", rules)
	require.Equal(t, 0, code, errs)
	for _, want := range []string{"40 read = 37 accepted + 3 rejected + 0 excluded", "also accept the format yyyy-MM-dd",
		"leave out rows in which Art is TEST", "in the best order", "3 of 3 rejected rows", "--take"} {
		assert.Contains(t, out, want)
	}
	after, err := os.ReadFile(rules)
	require.NoError(t, err)
	assert.Equal(t, string(before), string(after), "nothing is written unasked")

	code, out, errs = sieb("suggest", csv, "--target", rules, "--column", "annahme")
	require.Equal(t, 0, code, errs)
	assert.NotContains(t, out, "vielleicht")

	s := suggest(t, "suggest", csv, "--target", rules)
	var format, trial int
	for i, one := range s.Suggestions {
		if strings.HasPrefix(one.Words, "also accept") {
			format = i + 1
		}
		if strings.HasPrefix(one.Words, "leave out") {
			trial = i + 1
		}
	}
	code, out, errs = sieb("suggest", csv, "--target", rules, "--take", fmt.Sprintf("%d,%d", format, trial))
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "40 read = 37 accepted + 1 rejected + 2 excluded")
	after, err = os.ReadFile(rules)
	require.NoError(t, err)
	assert.Contains(t, string(after), "# kept by hand\n")
	assert.Contains(t, string(after), "# the receipt")
	_, out, _ = sieb("sift", csv, "--target", rules)
	assert.Contains(t, out, "40 read = 37 accepted + 1 rejected + 2 excluded")

	// A file that is right needs nothing.
	fine := write(t, t.TempDir(), "fine.csv", "Beleg;Annahme;Menge kg;Art\nL1;01.07.2026;5;Lieferung\n")
	code, out, _ = sieb("suggest", fine, "--target", rules)
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "1 read = 1 accepted + 0 rejected + 0 excluded")

	for _, c := range []struct {
		args []string
		code int
		want string
	}{
		{[]string{"suggest", csv}, 2, "which target?"},
		{[]string{"suggest", csv, "--target", rules, "--take", "99"}, 2, "--take 99: there "},
		{[]string{"suggest", csv, "--target", rules, "--take", "0"}, 2, "--take 0"},
		{[]string{"suggest", csv, "--target", rules, "--column", "nix"}, 2, "the target has no such column"},
		{[]string{"suggest", csv, "--target", rules + ".none"}, 1, "loads.yaml.none"},
		{[]string{"suggest", csv + ".none", "--target", rules}, 1, "loads.csv.none"},
	} {
		code, _, errs := sieb(c.args...)
		assert.Equal(t, c.code, code, "%v: %s", c.args, errs)
		assert.Contains(t, errs, c.want)
	}
}

// What a target says to senders and to databases, and targets that come from elsewhere.
func TestTargetsForSenders(t *testing.T) {
	dir, csv, rules := loads(t)
	book := filepath.Join(dir, "template.xlsx")
	code, out, errs := sieb("targets", "template", "--file", rules, "--out", book)
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "with 4 columns")
	// A sender fills it in with another program, and sends it.
	f, err := excelize.OpenFile(book)
	require.NoError(t, err)
	sheet := f.GetSheetList()[0]
	rows, err := f.GetRows(sheet)
	require.NoError(t, err)
	for k, v := range []any{"L77", "31.07.2026", 900, "Lieferung"} {
		cell, err := excelize.CoordinatesToCellName(k+1, len(rows)+1)
		require.NoError(t, err)
		require.NoError(t, f.SetCellValue(sheet, cell, v))
	}
	require.NoError(t, f.SaveAs(book))
	require.NoError(t, f.Close())
	code, out, errs = sieb("sift", book, "--target", rules)
	assert.Equal(t, 0, code, out+errs)
	assert.Contains(t, out, "1 read = 1 accepted + 0 rejected")

	code, out, errs = sieb("targets", "describe", "--file", rules)
	require.Equal(t, 0, code, errs)
	for _, want := range []string{"Beleg", "mandatory", "a date, written dd.MM.yyyy", "a whole number"} {
		assert.Contains(t, out, want)
	}
	page := filepath.Join(dir, "page.html")
	code, _, errs = sieb("targets", "describe", "--file", rules, "--html", page)
	require.Equal(t, 0, code, errs)
	html, err := os.ReadFile(page)
	require.NoError(t, err)
	assert.Contains(t, string(html), "Menge kg")
	assert.NotContains(t, string(html), "https://", "the page needs nothing from elsewhere")

	for dialect, want := range map[string]string{"standard": "menge_kg ", "postgresql": "comment on column",
		"mariadb": " comment '",
		"sqlite":  "menge_kg integer"} {
		code, out, errs = sieb("targets", "create-table", "--file", rules, "--dialect", dialect)
		require.Equal(t, 0, code, errs)
		assert.Contains(t, out, "create table loads (")
		assert.Contains(t, out, want, dialect)
	}

	doc := filepath.Join(dir, "loads.json")
	code, _, errs = sieb("targets", "csvw", "--file", rules, "--out", doc)
	require.Equal(t, 0, code, errs)
	code, out, errs = sieb("targets", "csvw", "--from", doc)
	require.Equal(t, 0, code, errs)
	back := write(t, dir, "back.yaml", out)
	code, _, errs = sieb("targets", "describe", "--file", back)
	assert.Equal(t, 0, code, errs)
	assert.Contains(t, out, "datatype: date")

	dictionary := write(t, dir, "felder.csv", "Feldname;Typ;Länge;Pflicht;Werte;Bemerkung\nLiefernr;Text;8;ja;;Nummer\n"+
		"Gewicht;Dezimal;;nein;;in kg\nArt;Text;;ja;A|B;\n")
	made := filepath.Join(dir, "felder.yaml")
	code, _, errs = sieb("targets", "from-dictionary", dictionary, "--name", "felder", "--out", made)
	require.Equal(t, 0, code, errs)
	text, err := os.ReadFile(made)
	require.NoError(t, err)
	for _, want := range []string{"target: felder", "name: Liefernr", "maxLength: 8", "datatype: decimal",
		"required: true"} {
		assert.Contains(t, string(text), want)
	}

	for _, c := range []struct {
		args []string
		code int
		want string
	}{
		{[]string{"targets", "template", "--file", rules}, 2, "--out"},
		{[]string{"targets", "create-table", "--file", rules, "--dialect", "db9"}, 2,
			"it is standard, postgresql, mariadb, sqlite"},
		{[]string{"targets", "from-dictionary", csv}, 1, "no heading of the dictionary says how the columns are named"},
		{[]string{"targets", "csvw", "--from", csv}, 1, "loads.csv"},
		{[]string{"targets", "describe", "--file", csv}, 1, "a target is a list of properties"},
	} {
		code, _, errs := sieb(c.args...)
		assert.Equal(t, c.code, code, "%v: %s", c.args, errs)
		assert.Contains(t, errs, c.want)
	}
}

// Versions, uses, copies, new names and retiring, and runs that are compared, on a running service.
func TestShelvesAndRuns(t *testing.T) {
	s := servicetest.Start(t, "", nil)
	on := func(args ...string) (int, string, string) { return sieb(append(args, "--service", s.Address)...) }
	dir, csv, rules := loads(t)
	code, _, errs := on("targets", "add", rules)
	require.Equal(t, 0, code, errs)
	text, err := os.ReadFile(rules)
	require.NoError(t, err)
	second := write(t, dir, "second.yaml", strings.Replace(string(text), "format: dd.MM.yyyy",
		"format: [dd.MM.yyyy, yyyy-MM-dd]", 1))

	d, err := s.Client.AddDelivery(t.Context(), "loads.csv", strings.NewReader(read(t, csv)))
	require.NoError(t, err)
	var runs []string
	for _, add := range []string{"", second} {
		if add != "" {
			code, _, errs = on("targets", "add", add)
			require.Equal(t, 0, code, errs)
		}
		r, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID, Target: "loads"})
		require.NoError(t, err)
		_, err = s.Client.Follow(t.Context(), r.ID, nil)
		require.NoError(t, err)
		runs = append(runs, r.ID)
	}

	code, out, errs := on("targets", "versions", "loads")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "annahme")
	assert.Contains(t, out, "format")
	code, out, errs = on("targets", "uses", "loads")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "loads.csv")
	code, out, errs = on("runs", "compare", runs[1], runs[0])
	require.Equal(t, 0, code, errs)
	for _, want := range []string{"annahme", "2 new, 0 gone",
		"2 rows are accepted now, and were rejected before", "--kind new|moved", "format was dd.MM.yyyy"} {
		assert.Contains(t, out, want)
	}

	code, out, errs = on("rows", runs[1], "--against", runs[0], "--kind", "new")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "2 rows that are new")
	assert.Regexp(t, `(?m)^ +4 +rejected `, out)

	code, _, errs = on("runs", "compare", runs[1])
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "no delivery that arrived before")
	code, _, errs = on("runs", "compare")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "name a run")
	next, err := s.Client.AddDelivery(t.Context(), "loads-2.csv", strings.NewReader(read(t, csv)+"\n"))
	require.NoError(t, err)
	r, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: next.ID, Target: "loads"})
	require.NoError(t, err)
	_, err = s.Client.Follow(t.Context(), r.ID, nil)
	require.NoError(t, err)
	code, out, errs = on("runs", "compare", r.ID)
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "loads, version 2; loads.csv")

	code, _, errs = on("targets", "copy", "loads", "loads_2027")
	require.Equal(t, 0, code, errs)
	code, _, errs = on("targets", "copy", "loads", "loads_2027")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "loads_2027")
	code, _, errs = on("targets", "rename", "loads_2027", "tickets")
	require.Equal(t, 0, code, errs)
	code, _, errs = on("targets", "retire", "tickets")
	require.Equal(t, 0, code, errs)
	_, out, _ = on("targets", "list")
	assert.NotContains(t, out, "tickets")
	assert.Contains(t, out, "loads")
	code, _, errs = on("targets", "retire", "tickets", "--back")
	require.Equal(t, 0, code, errs)
	_, out, _ = on("targets", "list")
	assert.Contains(t, out, "tickets")
	code, _, errs = on("mappings", "versions", "nobody")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "nobody")
	code, _, errs = on("runs", "compare", runs[0], "none")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "none")
}

func read(t *testing.T, path string) string {
	t.Helper()
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	return string(text)
}

// Code lists that the target does not name are suggested where they fit, and are in force once they are taken.
func TestSuggestedCodeLists(t *testing.T) {
	dir := t.TempDir()
	var b strings.Builder
	b.WriteString("no;site;crop\n")
	for i := range 60 {
		site := []string{"Ahrensee", "Dornau", "Elmenau"}[i%3]
		if i == 31 {
			site = "Nirgends"
		}
		fmt.Fprintf(&b, "%d;%s;%s\n", i, site, []string{"wheat", "rye"}[i%2])
	}
	csv := write(t, dir, "tickets.csv", b.String())
	rules := write(t, dir, "tickets.yaml", "target: tickets\ncolumns:\n  - {name: no}\n  - {name: site}\n  - {name: crop}\n")
	sites := write(t, dir, "sites.csv", "code\nAhrensee\nDornau\nElmenau\n")
	lists := "sites=" + sites + ",sorts=" + write(t, dir, "sorts.csv", "code\nmaize\n")
	s := suggest(t, "suggest", csv, "--target", rules, "--codes", lists)
	at := 0
	for i, one := range s.Suggestions {
		assert.NotContains(t, one.Words, "sorts")
		if one.Words == "demand a code of the list sites" {
			at = i + 1
			assert.Equal(t, []any{"site", "target", int64(1)}, []any{one.Column, one.Changes, one.Effect.Broken})
		}
	}
	require.Positive(t, at, "%+v", s.Suggestions)
	code, out, errs := sieb("suggest", csv, "--target", rules, "--codes", lists, "--take", fmt.Sprint(at))
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "60 read = 59 accepted + 1 rejected")
	assert.Contains(t, read(t, rules), "{codes: sites}")
	code, _, errs = sieb("sift", csv, "--target", rules, "--codes", "sites="+sites, "--out", filepath.Join(dir, "out"))
	assert.Equal(t, 3, code, errs)
	assert.Contains(t, read(t, filepath.Join(dir, "out", "violations.csv")), "Nirgends")

	code, _, errs = sieb("suggest", csv, "--target", rules, "--codes", "sites="+sites+",gone=/nowhere")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "the code list gone cannot be read")
	code, _, errs = sieb("sift", csv, "--target", rules, "--codes", lists, "--out", filepath.Join(dir, "out"))
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "the target names no code list of that name")
}

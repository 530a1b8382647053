package cli_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/cli"
	"sieb/core/remedy"
	"sieb/core/sift"
	"sieb/demo"
	"sieb/service/localpg/pgtest"
	"sieb/service/servicetest"
)

// sieb runs the command line.
func sieb(args ...string) (code int, out, errs string) {
	var o, e bytes.Buffer
	code = cli.Main(args, strings.NewReader(""), &o, &e)
	return code, o.String(), e.String()
}

// files puts the demo deliveries and targets into a folder.
func files(t *testing.T) string {
	t.Helper()
	dir := pgtest.Folder(t)
	for _, m := range demo.All() {
		text, err := demo.Target(m.Target)
		require.NoError(t, err)
		write(t, dir, m.Name, string(m.Bytes))
		write(t, dir, m.Target+".yaml", string(text))
		if m.Mapping != "" {
			text, err := demo.Mapping(m.Mapping)
			require.NoError(t, err)
			write(t, dir, m.Mapping+".yaml", string(text))
		}
	}
	code, _, errs := sieb("sift", filepath.Join(dir, "growers-2026.ods"), "--target",
		filepath.Join(dir, "growers.yaml"),
		"--out", filepath.Join(dir, "register"))
	require.Equal(t, 3, code, errs)
	return dir
}

// rulesOf returns the flags by which a demo delivery in a folder is sifted.
func rulesOf(dir string, m demo.Made) []string {
	flags := []string{"--target", filepath.Join(dir, m.Target+".yaml")}
	if m.Mapping != "" {
		flags = append(flags, "--mapping", filepath.Join(dir, m.Mapping+".yaml"),
			"--reference", "growers="+filepath.Join(dir, "register", "accepted.csv"))
	}
	return flags
}

func write(t *testing.T, dir, name, text string) string {
	t.Helper()
	path := filepath.Join(dir, name)
	require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
	return path
}

// siftDocument is the JSON document of sift as programs read it.
type siftDocument struct {
	Verdict    string           `json:"verdict"`
	Tally      map[string]int64 `json:"tally"`
	Violations []struct {
		Code    string `json:"code"`
		Class   string `json:"class"`
		Column  string `json:"column"`
		Action  string `json:"action"`
		Rows    int64  `json:"rows"`
		Cells   int64  `json:"cells"`
		Samples []struct {
			Row     int64  `json:"row"`
			Line    int64  `json:"line"`
			Value   string `json:"value"`
			Message string `json:"message"`
		} `json:"samples"`
	} `json:"violations"`
	Remedies []struct {
		Column, Remedy string
		Changed        int64
	} `json:"remedies"`
	Outputs map[string]string `json:"outputs"`
}

func TestSiftFindsThePlantedTruth(t *testing.T) {
	dir := files(t)
	for _, m := range demo.All() {
		out := filepath.Join(dir, "out", m.Name)
		code, text, errs := sieb(append([]string{"sift", filepath.Join(dir, m.Name), "--out", out, "--format", "json"},
			rulesOf(dir, m)...)...)
		require.Equal(t, 3, code, errs)
		assert.Empty(t, errs, "no progress bar in a pipe")
		var got siftDocument
		require.NoError(t, json.Unmarshal([]byte(text), &got))
		assert.Equal(t, "split", got.Verdict)
		assert.Equal(t, map[string]int64{"read": m.Read, "accepted": m.Accepted, "rejected": m.Rejected,
			"excluded": m.Excluded},
			got.Tally)
		var found []demo.Planted
		for _, g := range got.Violations {
			for _, s := range g.Samples {
				p := demo.Planted{Column: g.Column, Row: s.Row, Line: s.Line}
				require.NoError(t, p.Code.UnmarshalText([]byte(g.Code)))
				require.NoError(t, p.Action.UnmarshalText([]byte(g.Action)))
				found = append(found, p)
				assert.NotEmpty(t, s.Message)
			}
		}
		assert.ElementsMatch(t, m.Planted, found, "each group has fewer violations than it has samples")
		for _, name := range []string{"accepted", "rejected", "excluded", "violations", "manifest"} {
			assert.FileExists(t, got.Outputs[name])
		}

		// Sifted again without a target, the accepted rows are all accepted.
		code, text, _ = sieb("sift", got.Outputs["accepted"], "--format", "json")
		require.Equal(t, 0, code)
		var again siftDocument
		require.NoError(t, json.Unmarshal([]byte(text), &again))
		assert.Equal(t, m.Accepted, again.Tally["accepted"])
		assert.Empty(t, again.Outputs, "nothing is written without --out")
	}
}

func TestSiftText(t *testing.T) {
	dir := files(t)
	m := demo.Ahrensee()
	code, out, _ := sieb(append([]string{"sift", filepath.Join(dir, m.Name)}, rulesOf(dir, m)...)...)
	assert.Equal(t, 3, code)
	for _, want := range []string{"windows-1252, semicolon, 2 lines above the table", "verdict   split",
		"240 read = 219 accepted + 21 rejected + 0 excluded",
		"date.impossible", "row 23, line 26", "crop       recode", "--out DIR writes"} {
		assert.Contains(t, out, want)
	}
}

// Keys that memory does not hold make no difference to the files of a run.
func TestKeysOnDisk(t *testing.T) {
	_, help, _ := sieb("sift", "--help")
	assert.Contains(t, help, fmt.Sprintf(`(default "%dMiB")`, sift.DefaultKeyMemory>>20))
	dir := t.TempDir()
	var text strings.Builder
	text.WriteString("k,v\n")
	for i := range 60_000 {
		fmt.Fprintf(&text, "k%d,%s\n", i%59_990, strings.Repeat("v", 20))
	}
	csv := write(t, dir, "f.csv", text.String())
	target := write(t, dir, "t.yaml", "target: t\ncolumns: [{name: k, unique: true}, {name: v}]\nforeignKeys: "+
		"[{columnReference: k, reference: {resource: tickets, columnReference: k}}]\n")
	var want map[string]string
	for _, memory := range []string{"256MiB", "1MiB", "1"} {
		out := filepath.Join(dir, memory)
		code, said, errs := sieb("sift", csv, "--target", target, "--out", out, "--key-memory", memory, "--sha256",
			"--reference", "tickets="+csv)
		require.Equal(t, 3, code, errs)
		assert.Contains(t, said, "60\u202f000 read = 59\u202f990 accepted + 10 rejected")
		got := map[string]string{}
		left, err := os.ReadDir(out)
		require.NoError(t, err)
		for _, f := range left {
			content, err := os.ReadFile(filepath.Join(out, f.Name()))
			require.NoError(t, err)
			got[f.Name()] = string(content)
		}
		if want == nil {
			want = got
		}
		assert.Equal(t, want, got, memory)
	}
}

func TestExitCodes(t *testing.T) {
	dir := t.TempDir()
	target := write(t, dir, "t.yaml",
		"target: t\ncolumns:\n  - {name: a, datatype: integer, required: true}\ntolerance: {rejected: 50%}\n")
	for text, want := range map[string]int{"a,b\n1,2\n": 0, "a,b\n1,2\nx,3\n": 3, "a,b\nx,2\n": 4, "b,c\n1,2\n": 4,
		"": 4} {
		code, out, errs := sieb("sift", write(t, dir, "f.csv", text), "--target", target)
		assert.Equal(t, want, code, "%q: %s%s", text, out, errs)
	}
}

func TestErrorsSayWhatToDo(t *testing.T) {
	dir := t.TempDir()
	csv := write(t, dir, "a.csv", "a,b\n1,2\n")
	typo := write(t, dir, "typo.yaml", "target: t\ncolumns:\n  - name: a\n    requird: true\n")
	wrong := write(t, dir, "wrong.yaml",
		"target: t\ncolumns:\n  - {name: ticket, titles: [Ticket No.], required: true}\n")
	for _, c := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"sift"}, 2, "which file? name one\nsee sieb sift --help"},
		{[]string{"sift", csv, csv}, 2, "one file at a time"},
		{[]string{"sift", csv, "--outt", "x"}, 2, "unknown flag: --outt"},
		{[]string{"sift", csv, "--format", "xml"}, 2, "neither text nor json"},
		{[]string{"sift", csv, "--skip-rows", "-1"}, 2, "counts from 0"},
		{[]string{"serve", "--database", "postgres://steward:geheim@a/b"}, 2, "--database is not of the form NAME="},
		{[]string{"sift", csv, "--key-memory", "lots"}, 2, `--key-memory "lots" is not a size such as 500MiB`},
		{[]string{"read", csv, "--rows", "many"}, 2, "neither a number nor all"},
		{[]string{"shake"}, 2, `unknown command "shake"`},
		{[]string{"deliveries", "shake"}, 2, `has no command "shake"`},
		{[]string{"sift", filepath.Join(dir, "none.csv")}, 1, "there is no file"},
		{[]string{"sift", dir}, 1, "is a folder; name one file in it"},
		{[]string{"read", write(t, dir, "b.xlsx", "PK\x03\x04")}, 1, "workbook"},
		{[]string{"sift", csv, "--encoding", "ebcdic"}, 1, "these can: big5, euc-jp"},
		{[]string{"sift", csv, "--target", filepath.Join(dir, "none.yaml")}, 1, "--target names a YAML or JSON file"},
		{[]string{"sift", csv, "--target", typo}, 1,
			`line 4, column 5: a column has no property "requird"; did you mean "required"?`},
		{[]string{"sift", csv, "--out", csv}, 1, "making the folder"},
		{[]string{"deliveries", "list", "--service", "127.0.0.1:1"}, 1, "start one with sieb serve"},
		{[]string{"serve", "--log-level", "loud"}, 2, "not debug, info, warn or error"},
		{[]string{"serve", "--listen", "256.0.0.1:1", "--data", filepath.Join(dir, "data")}, 1,
			"choose another with --listen"},
		{[]string{"serve", "--config", write(t, dir, "c.yaml", "lisen: x\n")}, 2, `there is no setting "lisen"`},
	} {
		code, out, errs := sieb(c.args...)
		assert.Equal(t, c.code, code, c.args)
		assert.Contains(t, errs, c.says, c.args)
		assert.Empty(t, out, c.args)
	}
	code, out, _ := sieb("sift", csv, "--target", wrong)
	assert.Equal(t, 4, code)
	assert.Contains(t, out, `no column of the delivery is headed "Ticket No." or "ticket"`)
}

func TestReadJSON(t *testing.T) {
	dir := files(t)
	m := demo.Brunnthal()
	code, out, errs := sieb("read", filepath.Join(dir, m.Name), "--rows", "all", "--format", "json")
	require.Equal(t, 0, code, errs)
	var got struct {
		File struct {
			Name   string
			Bytes  int64
			SHA256 string
		}
		Layout   map[string]any
		Evidence []struct {
			Setting, Value, Why string
			Confidence          float64
		}
		Columns  []string
		Rows     [][]string
		Problems []struct {
			Code, Column, Message string
			Row, Line             int64
		}
	}
	require.NoError(t, json.Unmarshal([]byte(out), &got))
	assert.Equal(t, m.Name, got.File.Name)
	assert.Equal(t, int64(len(m.Bytes)), got.File.Bytes)
	assert.Len(t, got.File.SHA256, 64)
	assert.Equal(t, map[string]any{"form": "delimited", "encoding": "utf-8", "byteOrderMark": true, "delimiter": ",",
		"quoteChar": `"`, "doubleQuote": true,
		"commentPrefix": "", "lineTerminator": "lf", "skipRows": 0.0, "headerRows": 1.0, "footerRows": 0.0, "sheet": "",
		"cuts": []any{}, "headerNames": "joined", "skipColumns": 0.0, "merged": "", "hidden": "", "trim": false,
		"skipBlankRows": true, "closingDelimiter": false, "nameless": "", "fold": 0.0, "member": ""}, got.Layout)
	assert.Len(t, got.Columns, 16)
	assert.Len(t, got.Rows, 180)
	assert.Len(t, got.Problems, 5)
	assert.Equal(t, "encoding.invalid", got.Problems[0].Code)
	assert.NotEmpty(t, got.Evidence)

	_, out, _ = sieb("read", filepath.Join(dir, m.Name), "--rows", "3", "--format", "json")
	require.NoError(t, json.Unmarshal([]byte(out), &got))
	assert.Len(t, got.Rows, 3)

	code, out, _ = sieb("read", write(t, dir, "empty.csv", ""), "--format", "json")
	require.Equal(t, 0, code)
	require.NoError(t, json.Unmarshal([]byte(out), &got))
	assert.Empty(t, got.Rows)
	assert.NotNil(t, got.Columns)
}

func TestSavedLayout(t *testing.T) {
	dir := files(t)
	m := demo.Ahrensee()
	saved := filepath.Join(dir, "ahrensee.json")
	code, _, errs := sieb("read", filepath.Join(dir, m.Name), "--save-layout", saved)
	require.Equal(t, 0, code, errs)
	odd := write(t, dir, "odd.csv", "a,b\nc,d\ne,f\ng,h\n")
	_, out, _ := sieb("read", odd, "--layout", saved, "--format", "json")
	var got struct {
		Layout struct {
			Encoding, Delimiter string
			SkipRows            int
		}
		Rows [][]string
	}
	require.NoError(t, json.Unmarshal([]byte(out), &got))
	assert.Equal(t, "windows-1252", got.Layout.Encoding)
	assert.Equal(t, ";", got.Layout.Delimiter)
	assert.Empty(t, got.Rows, "two lines of titles, the header, and one below the table")
	_, out, _ = sieb("read", odd, "--layout", saved, "--delimiter", ",", "--skip-rows", "0", "--format", "json")
	require.NoError(t, json.Unmarshal([]byte(out), &got))
	assert.Equal(t, [][]string{{"c", "d"}, {"e", "f"}}, got.Rows)
	code, _, errs = sieb("read", odd, "--layout", odd)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "is no layout")
}

func TestReadText(t *testing.T) {
	dir := t.TempDir()
	path := write(t, dir, "a.txt", "x|a long name of a column\n 1|two\nlines\n\"2|3\n")
	code, out, _ := sieb("read", path, "--delimiter", "|", "--header-rows", "1", "--skip-rows", "0")
	require.Equal(t, 0, code)
	for _, want := range []string{"set by hand", "a long name of a column", "·1", "quote.open", "row.short"} {
		assert.Contains(t, out, want)
	}
	_, out, _ = sieb("read", write(t, dir, "empty.csv", ""))
	assert.Contains(t, out, "the file is empty")
	_, out, _ = sieb("read", write(t, dir, "header.csv", "a,b\n"))
	assert.Contains(t, out, "a header and no rows")
}

func TestHelpNamesTheDemo(t *testing.T) {
	for _, args := range [][]string{{"--help"}, {"read", "--help"}, {"sift", "--help"}, {"serve", "--help"},
		{"demo", "--help"}, {"deliveries", "add", "--help"}, {"targets", "add", "--help"}} {
		code, out, _ := sieb(args...)
		assert.Equal(t, 0, code)
		assert.Contains(t, out, "Examples:", args)
	}
	_, out, _ := sieb("--version")
	assert.Contains(t, out, cli.Version)
}

func TestCommandsOnAService(t *testing.T) {
	s := servicetest.Start(t, "", nil)
	dir := files(t)
	on := func(args ...string) (int, string, string) { return sieb(append(args, "--service", s.Address)...) }
	m := demo.Ahrensee()

	_, out, _ := on("deliveries", "list")
	assert.Contains(t, out, "nothing has arrived yet")
	_, out, _ = on("targets", "list")
	assert.Contains(t, out, "there is no target yet")
	_, out, _ = on("runs", "list")
	assert.Contains(t, out, "nothing has been run yet")

	code, out, errs := on("targets", "add", filepath.Join(dir, m.Target+".yaml"))
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "target weighbridge_tickets, version 1")
	_, out, _ = on("targets", "show", m.Target)
	assert.Contains(t, out, "target: weighbridge_tickets")
	_, out, _ = on("targets", "list")
	assert.Contains(t, out, "Weighbridge tickets")
	other := filepath.Join(t.TempDir(), "other.yaml")
	require.NoError(t, os.WriteFile(other, []byte("target: weighbridge_tickets\n"+
		"columns: [{name: ticket_no}, {name: silo}]\n"),
		0o600))
	code, _, errs = on("targets", "add", other)
	assert.Equal(t, 1, code, "a different table under a known name")
	assert.Contains(t, errs, "are not in the new version: ")
	assert.Contains(t, errs, "1 is new")
	assert.Contains(t, errs, "add it with --replace if that is meant")
	_, out, _ = on("targets", "show", m.Target)
	assert.NotContains(t, out, "silo")
	_, out, _ = on("mappings", "list")
	assert.Contains(t, out, "there is no mapping yet")
	code, _, errs = on("targets", "add", filepath.Join(dir, "growers.yaml"))
	require.Equal(t, 0, code, errs)
	code, out, errs = on("mappings", "add", filepath.Join(dir, "ahrensee.yaml"))
	require.Equal(t, 0, code, errs)
	assert.Equal(t, "mapping ahrensee, version 1, for the target weighbridge_tickets\n", out)
	_, out, _ = on("mappings", "show", "ahrensee")
	assert.Contains(t, out, "mapping: ahrensee")
	_, out, _ = on("mappings", "list", "--target", "weighbridge_tickets")
	assert.Contains(t, out, "Weighbridge of Ahrensee")
	_, out, _ = on("mappings", "list", "--target", "growers")
	assert.NotContains(t, out, "Weighbridge of Ahrensee")
	code, _, errs = on("mappings", "add", filepath.Join(dir, "growers.yaml"))
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "line 1, column 1")

	code, out, errs = on("deliveries", "add", filepath.Join(dir, m.Name), "--format", "json")
	require.Equal(t, 0, code, errs)
	var d struct{ ID string }
	require.NoError(t, json.Unmarshal([]byte(out), &d))
	_, _, errs = on("runs", "start", d.ID, "--mapping", m.Mapping)
	assert.Contains(t, errs, "the target refers to growers, and no row of a delivery was accepted by a target of that "+
		"name yet: sift that delivery first")
	code, _, errs = on("deliveries", "add", filepath.Join(dir, "growers-2026.ods"), "--run", "growers")
	require.Equal(t, 3, code, errs)
	_, out, _ = on("deliveries", "show", d.ID)
	assert.Contains(t, out, "sieb runs start "+d.ID)

	code, out, errs = on("runs", "start", d.ID, "--mapping", m.Mapping)
	require.Equal(t, 3, code, errs)
	assert.Contains(t, out, "240 read = 219 accepted + 21 rejected + 0 excluded")
	_, out, _ = on("runs", "list", "--format", "json")
	var runs struct {
		Items []struct{ ID, Verdict string }
		Total int
	}
	require.NoError(t, json.Unmarshal([]byte(out), &runs))
	require.Equal(t, 2, runs.Total)
	lines := filepath.Join(t.TempDir(), "tickets.jsonl")
	code, out, errs = on("runs", "write", runs.Items[0].ID, "--write", "jsonl", "--out", lines)
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "written: "+lines)
	written, err := os.ReadFile(lines)
	require.NoError(t, err)
	assert.Equal(t, 219, strings.Count(string(written), "\n"))
	code, _, errs = on("runs", "write", runs.Items[0].ID, "--write", "jsonl", "--out", lines, "--side", "flagged")
	require.Equal(t, 0, code, errs)
	written, err = os.ReadFile(lines)
	require.NoError(t, err)
	assert.Equal(t, 3, strings.Count(string(written), "\n"))
	for _, wrong := range [][]string{{"--write", "jsonl"}, {"--out", lines}, {"--write", "jsonl,csv", "--out", lines},
		{"--write", "jsonl", "--out", lines, "--side", "lost"}, {"--write", "jsonl", "--out", lines, "--where", "crop"}} {
		code, _, errs = on(append([]string{"runs", "write", runs.Items[0].ID}, wrong...)...)
		assert.Equal(t, 2, code, errs)
	}
	code, out, _ = on("runs", "show", runs.Items[0].ID)
	assert.Zero(t, code)
	assert.Contains(t, out, "read as   windows-1252, semicolon")
	assert.Contains(t, out, "mapping   ahrensee, version 1")
	_, out, _ = on("deliveries", "list")
	assert.Contains(t, out, "split")

	_, changed, _ := on("runs", "show", runs.Items[0].ID, "--changes")
	assert.Contains(t, changed, `"Weizen"      "wheat"`)
	code, _, errs = on("runs", "show", "none")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, `there is no run "none"`)
	code, _, errs = on("runs", "cancel", runs.Items[0].ID)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "has ended already")
	code, out, _ = on("deliveries", "add", filepath.Join(dir, m.Name), "--mapping", m.Mapping)
	assert.Equal(t, 3, code)
	assert.Contains(t, out, "verdict   split")
}

// The remedies are listed, each is explained with examples, and a wrong name is told.
func TestRemedies(t *testing.T) {
	code, out, errs := sieb("remedies")
	require.Equal(t, 0, code, errs)
	for _, name := range remedy.Names() {
		assert.Contains(t, out, "\n"+name+" ")
		code, explained, errs := sieb("remedies", name)
		require.Equal(t, 0, code, errs)
		assert.True(t, strings.HasPrefix(explained, name+" "), explained)
		assert.Contains(t, explained, "leaves")
	}
	assert.Contains(t, out, "sieb remedies NAME explains one")
	code, out, _ = sieb("remedies", "--format", "json")
	require.Equal(t, 0, code)
	var list struct {
		Items []remedy.Help
		Total int
	}
	require.NoError(t, json.Unmarshal([]byte(out), &list))
	assert.Equal(t, len(remedy.Names()), list.Total)
	assert.Equal(t, "trim", list.Items[0].Name)
	code, _, errs = sieb("remedies", "iron")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, `there is no remedy "iron"; there are trim, squeeze`)
	code, _, _ = sieb("remedies", "trim", "upper")
	assert.Equal(t, 2, code)
}

// Remedies that changed nothing are told.
func TestIdleRemedies(t *testing.T) {
	dir := t.TempDir()
	target := write(t, dir, "t.yaml", "target: t\ncolumns: [{name: a, remedies: [trim, upper]}]\n")
	code, out, errs := sieb("sift", write(t, dir, "a.csv", "a,b\nX,1\n Y,2\n"), "--target", target, "--delimiter", ",")
	require.Equal(t, 0, code, errs)
	assert.Contains(t, out, "remedies that changed nothing: a upper\n")
}

// A control value in a companion file is asked for, read and compared.
func TestCompanions(t *testing.T) {
	dir := files(t)
	m := demo.Brunnthal()
	mapping := write(t, dir, "checked.yaml", "mapping: brunnthal\ntarget: weighbridge_tickets\n"+
		"controls: [{count: rows, in: companion, find: 'rows=([0-9]+)'}]\n")
	sift := append([]string{"sift", filepath.Join(dir, m.Name)}, rulesOf(dir, m)...)
	sift = append(sift, "--mapping", mapping)
	code, _, errs := sieb(sift...)
	assert.Equal(t, 2, code)
	assert.Contains(t, errs,
		"a control value stands in a file that comes with the delivery: name it with --companion FILE")
	code, _, errs = sieb(append(sift, "--companion", filepath.Join(dir, "none.ctl"))...)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "the companion file cannot be read")
	large := write(t, dir, "large.ctl", strings.Repeat("x", 1<<20+1))
	code, _, errs = sieb(append(sift, "--companion", large)...)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "large.ctl is longer than 1024 KiB")
	right := write(t, dir, "right.ctl", fmt.Sprintf("rows=%d\n", m.Read))
	code, out, errs := sieb(append(sift, "--companion", right)...)
	assert.NotContains(t, out, "count.differs", errs)
	assert.NotEqual(t, 4, code, out)
	code, out, _ = sieb(append(sift, "--companion", write(t, dir, "wrong.ctl", "rows=1\n"))...)
	assert.Equal(t, 4, code)
	assert.Contains(t, out, "and wrong.ctl says 1")
	code, _, errs = sieb("sift", filepath.Join(dir, m.Name), "--companion", right)
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "no control value of the target stands in a companion file")
}

package outcome_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/layout"
	"sieb/core/outcome"
	"sieb/core/outcome/csv"
	"sieb/core/outcome/outcometest"
	"sieb/core/report"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
)

// pairs is a form that this test adds: a line of name=value for each field that has one.
type pairs struct{}

type pairsEncoder struct{ names []string }

func (pairs) Encoder(t *outcome.Table) outcome.Encoder { return &pairsEncoder{t.Names()} }

func (e *pairsEncoder) Append(dst []byte, row *outcome.Row) []byte {
	for k := range row.Len() {
		name := fmt.Sprintf("surplus %d", k)
		if k < len(e.names) {
			name = e.names[k]
		}
		if field := row.Field(k); field != nil {
			dst = fmt.Appendf(dst, "%s=%q ", name, field)
		}
	}
	return append(dst, '\n')
}

type pairsPacker struct {
	to   io.Writer
	rows int
}

func (pairs) Pack(t *outcome.Table, to io.Writer) (outcome.Packer, error) {
	_, err := fmt.Fprintf(to, "rows of %s, %s, that are %s\n", t.Name, t.Title, t.Side)
	return &pairsPacker{to: to}, err
}

func (p *pairsPacker) Write(rows []byte) (int, error) {
	p.rows += strings.Count(string(rows), "\n")
	return p.to.Write(rows)
}

func (p *pairsPacker) Close() error {
	_, err := fmt.Fprintf(p.to, "%d rows\n", p.rows)
	return err
}

func (*pairsPacker) Abort() {}

// store is a place of objects, as object stores are: an object is there as a whole or not at all, and
// many of them have one name only by a list that is put last.
type store struct{ objects map[string]string }

// parts is a destination that this test adds: an output in parts of a size in a store.
type parts struct {
	store  *store
	name   string
	most   int
	begun  []string // parts that were put, which are of no use until they are listed
	held   []byte
	size   int64
	broken string // the step that fails
}

var errPlanted = errors.New("planted")

func (p *parts) at(step string) error {
	if p.broken == step {
		return errPlanted
	}
	return nil
}

func (p *parts) Begin(context.Context, *outcome.Table) error { return p.at("begin") }

func (p *parts) Write(text []byte) (int, error) {
	p.held = append(p.held, text...)
	for len(p.held) >= p.most {
		p.put(p.most)
	}
	return len(text), p.at("write")
}

func (p *parts) put(n int) {
	name := fmt.Sprintf("%s/part-%03d", p.name, len(p.begun))
	p.store.objects[name] = string(p.held[:n])
	p.begun, p.held, p.size = append(p.begun, name), slices.Clone(p.held[n:]), p.size+int64(n)
}

func (p *parts) drop() {
	for _, name := range p.begun {
		delete(p.store.objects, name)
	}
	p.begun, p.held, p.size = nil, nil, 0
}

func (p *parts) Restart() error {
	p.drop()
	return p.at("restart")
}

func (p *parts) Prepare() (outcome.Proof, error) {
	if len(p.held) > 0 {
		p.put(len(p.held))
	}
	return outcome.Proof{Name: p.name, Bytes: p.size}, p.at("prepare")
}

func (p *parts) Commit() error {
	if err := p.at("commit"); err != nil {
		return err
	}
	p.store.objects[p.name] = strings.Join(p.begun, "\n")
	p.begun = nil
	return nil
}

func (p *parts) Abort() { p.drop() }

// text returns what stands in the store under a name; "" for nothing.
func (s *store) text(name string) string {
	var all strings.Builder
	if list := s.objects[name]; list != "" {
		for part := range strings.Lines(list) {
			all.WriteString(s.objects[strings.TrimSpace(part)])
		}
	}
	return all.String()
}

const tickets = `target: tickets
title: Weighbridge tickets
columns:
  - {name: no, unique: true, required: true}
  - {name: kg, datatype: integer}
  - {name: remark, null: []}
exclude: [{condition: 'cell("no") == "test"', reason: trial weighings}]
`

// runOf returns a run of a delivery into a folder.
func runOf(t *testing.T, text string) *report.Run {
	t.Helper()
	path := filepath.Join(t.TempDir(), "tickets.csv")
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	file, err := source.Open(t.Context(), path, layout.Given{})
	require.NoError(t, err)
	t.Cleanup(func() { file.Close() })
	tg, err := target.Parse([]byte(tickets))
	require.NoError(t, err)
	return &report.Run{Delivery: file, Target: tg, Dir: filepath.Join(t.TempDir(), "out")}
}

const weighed = "no,kg,remark\nA1,20000,dry\nA2,x,\ntest,5,\nA1,18000,again\nA3,17000,\n"

// A form and a destination of others need no change anywhere: any number of them goes beside the files, in the one
// pass, and the manifest proves them.
func TestFormsAndDestinationsOfOthers(t *testing.T) {
	r := runOf(t, weighed)
	s := &store{map[string]string{}}
	for side := outcome.Accepted; side <= outcome.Violations; side++ {
		r.Also = append(r.Also, &outcome.Output{Side: side, Form: pairs{},
			To: &parts{store: s, name: side.String() + ".pairs", most: 50}})
	}
	_, err := r.Do(t.Context())
	require.NoError(t, err)
	assert.Equal(t, `rows of tickets, Weighbridge tickets, that are accepted
no="A1" kg="20000" remark="dry" 
no="A3" kg="17000" remark="" 
2 rows
`, s.text("accepted.pairs"))
	assert.Equal(t, `rows of tickets, Weighbridge tickets, that are rejected
row="2" line="3" reasons="kg: \"x\" is not a whole number [type.integer]" no="A2" kg="x" 
row="4" line="5" reasons="no: \"A1\" is already in row 1 (line 2), which is kept [key.duplicate]" `+
		`no="A1" kg="18000" remark="again" 
2 rows
`, s.text("rejected.pairs"))
	assert.Equal(t, `rows of tickets, Weighbridge tickets, that are excluded
row="3" line="4" reason="trial weighings" no="test" kg="5" 
1 rows
`, s.text("excluded.pairs"))
	assert.Equal(t, `rows of tickets, Weighbridge tickets, that are violations
row="2" line="3" column="kg" code="type.integer" value="x" message="\"x\" is not a whole number" 
row="4" line="5" column="no" code="key.duplicate" value="A1" message="\"A1\" is already in row 1 (line 2), which is kept" 
2 rows
`, s.text("violations.pairs"))
	manifest, err := os.ReadFile(filepath.Join(r.Dir, report.ManifestName))
	require.NoError(t, err)
	assert.Contains(t, string(manifest), `"name": "accepted.pairs"`)
	assert.Greater(t, len(s.objects), 8, "in parts")
}

// Whichever step of a destination fails, the run does, and neither it nor the files show anything.
func TestEachStepOfADestinationFails(t *testing.T) {
	for _, step := range []string{"begin", "write", "restart", "prepare", "commit"} {
		r := runOf(t, weighed)
		if step == "restart" {
			r.KeyMemory = 1
		}
		s := &store{map[string]string{}}
		r.Also = []*outcome.Output{{Side: outcome.Accepted, Form: pairs{},
			To: &parts{store: s, name: "accepted.pairs", most: 50, broken: step}}}
		_, err := r.Do(t.Context())
		require.ErrorIs(t, err, errPlanted, step)
		assert.Empty(t, s.objects, step)
		_, err = os.Stat(filepath.Join(r.Dir, report.ManifestName))
		assert.ErrorIs(t, err, os.ErrNotExist, "%s: nothing proves what is not all there", step)
	}
}

// slowCSV writes rows cell by cell from their fields, as a library does.
type slowCSV struct{}

func (slowCSV) Encoder(*outcome.Table) outcome.Encoder { return slowCSV{} }

func (slowCSV) Append(dst []byte, row *outcome.Row) []byte {
	for k := range row.Len() {
		if k > 0 {
			dst = append(dst, ',')
		}
		field := string(row.Field(k))
		switch {
		case field == "" && row.Table.Side == outcome.Accepted && row.Field(k) != nil:
			dst = append(dst, `""`...)
		case strings.ContainsAny(field, "\",\r\n") || strings.HasPrefix(field, " ") || strings.HasSuffix(field, " "):
			dst = fmt.Appendf(dst, `"%s"`, strings.ReplaceAll(field, `"`, `""`))
		default:
			dst = append(dst, field...)
		}
	}
	return append(dst, '\n')
}

func (slowCSV) Pack(t *outcome.Table, to io.Writer) (outcome.Packer, error) {
	return csv.Form{}.Pack(t, to)
}

func (slowCSV) Close() error { return nil }

// Rows that are copied in one piece, or spliced as the order of rows demands, are those that are put together field by
// field, whatever the cells, the dialect, the rules, the width and the number of workers.
func TestCopiesAreRows(t *testing.T) {
	rules := []string{"", ", datatype: integer", ", datatype: decimal, decimalChar: ','", ", null: [n/a]", ", null: []",
		", maxLength: 6", ", remedies: [trim, squeeze]", ", remedies: [upper]", ", default: 'a, b'", ", unique: true",
		", required: true", ", format: '[A-Z]+'", ", onViolation: flag, datatype: integer",
		", onViolation: blank, maxLength: 3", ", separator: ' '"}
	lenient := []string{"", ", null: [n/a]", ", null: []", ", remedies: [upper]"}
	cell := rapid.OneOf(rapid.SampledFrom([]string{"", " ", "a", "A1", "12", "3,5", "n/a", "x y", " x", "x ", `"q"`, "a\nb",
		"é", "\xff", "a,b", "wheat, dried for two days", "01", "-7", "a  b", "\u00a0"}), rapid.StringN(0, 9, 12))
	rapid.Check(t, func(t *rapid.T) {
		width := rapid.SampledFrom([]int{1, 2, 3, 5, 70}).Draw(t, "width")
		by := rapid.SampledFrom([]rune{',', ';'}).Draw(t, "delimiter")
		var text strings.Builder
		quotesAll := rapid.Bool().Draw(t, "quotes")
		write := func(cells []string) {
			for i, cell := range cells {
				if i > 0 {
					text.WriteRune(by)
				}
				if quotesAll || strings.ContainsAny(cell, "\"\r\n"+string(by)) {
					cell = `"` + strings.ReplaceAll(cell, `"`, `""`) + `"`
				}
				text.WriteString(cell)
			}
			text.WriteByte('\n')
		}
		var columns strings.Builder
		var names []string
		of := rules
		if width == 70 {
			of = lenient // with the others no row of so many columns would be accepted
		}
		for i := range width {
			names = append(names, fmt.Sprintf("c%d", i))
			fmt.Fprintf(&columns, "  - {name: c%d%s}\n", i, rapid.SampledFrom(of).Draw(t, "rule"))
		}
		write(names)
		for range rapid.IntRange(0, 30).Draw(t, "rows") {
			cells := make([]string, width)
			for i := range cells {
				cells[i] = cell.Draw(t, "cell")
			}
			if rapid.IntRange(0, 9).Draw(t, "ragged") == 0 {
				cells = append(cells, "more")
			}
			write(cells)
		}
		more := rapid.SampledFrom([]string{"", "exclude: [{condition: 'cell(\"c0\") == \"a\"', reason: 'a, \"b\"'}]\n",
			"repeated: {rows: true}\n", "repeated: {keep: last}\n"}).Draw(t, "more")
		tg, err := target.Parse([]byte("target: t\ncolumns:\n" + columns.String() + more))
		if err != nil {
			t.Skip(err)
		}
		open := func(context.Context) (source.Source, error) {
			return source.NewReader(strings.NewReader(text.String()), layout.Layout{Form: layout.Delimited, Encoding: "utf-8",
				Delimiter: string(by), QuoteChar: `"`, DoubleQuote: true, HeaderRows: 1})
		}
		rows, err := open(context.Background())
		require.NoError(t, err)
		var fast, slow outcometest.Texts
		slower := slow.Outputs()
		for _, o := range slower {
			o.Form = slowCSV{}
		}
		run := sift.Run{Source: rows, Again: open, Encoding: "utf-8", Target: tg, Outputs: append(fast.Outputs(), slower...),
			Workers: rapid.SampledFrom([]int{1, 8}).Draw(t, "workers")}
		_, err = run.Do(context.Background())
		require.NoError(t, err)
		require.Equal(t, slow.Accepted.String(), fast.Accepted.String())
		require.Equal(t, slow.Rejected.String(), fast.Rejected.String())
		require.Equal(t, slow.Excluded.String(), fast.Excluded.String())
		require.Equal(t, slow.Violations.String(), fast.Violations.String())
	})
}

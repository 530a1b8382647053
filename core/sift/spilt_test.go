package sift_test

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/layout"
	"sieb/core/reference"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/spill"
	"sieb/core/target"
)

// bytesPerKey is what a run reckons for a key in memory.
const bytesPerKey = 48

// long makes rows so long that few of them fill a batch: what happens between batches shows in
// a delivery of some hundred rows.
var long = strings.Repeat("x", 3000)

// known are the keys of a table that do not fit in memory, either.
var known = func() (all []string) {
	for i := range 400 {
		all = append(all, fmt.Sprintf("s%d", i), "s1")
	}
	return all
}()

// Keys that do not fit in memory make no difference: neither to what is found, nor to a byte of what
// is written, whichever of the rows is kept, with one key or several, over rows that are rejected
// and left out, however early memory is full.
func TestSpiltKeys(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		keep := rapid.SampledFrom([]string{"first", "last", "none"}).Draw(t, "keep")
		rule := rapid.SampledFrom([]string{"key: [a]\n", "key: [a, b]\n", "key: [a]\nuniqueKeys: [[b]]\n",
			"uniqueKeys: [[b], [a, v]]\n", "key: [b]\nrepeated: {keep: " + keep + ", rows: true}\n"}).Draw(t, "rule")
		if !strings.Contains(rule, "repeated") {
			rule += "repeated: {keep: " + keep + "}\n"
		}
		rule += rapid.SampledFrom([]string{"", "foreignKeys: [{columnReference: r, reference: {resource: sites, " +
			"columnReference: id}}]\n", "absentFrom: [{columnReference: r, reference: {resource: sites, columnReference: id}}, " +
			"{columnReference: a, reference: {resource: others, columnReference: id}, onViolation: flag}]\n"}).Draw(t, "refers")
		tg := "target: t\ncolumns: [{name: a}, {name: b}, {name: v, datatype: integer}, {name: r}, {name: c}]\n" +
			"exclude: [{condition: v == 9}]\n" + rule
		good, bad := "s1", "none"
		if strings.Contains(rule, "absentFrom") {
			good, bad = bad, good
		}
		broken := rapid.SampledFrom([]int{0, 1, 20}).Draw(t, "per cent that break references")
		var text strings.Builder
		text.WriteString("a;b;v;r;c\n")
		recurs := rapid.IntRange(0, 9)
		some := rapid.Custom(func(t *rapid.T) string {
			return rapid.SampledFrom([]string{"", "p", "q", "r"}).Draw(t, "value")
		})
		rows := rapid.IntRange(1, 400).Draw(t, "rows")
		for i := range rows {
			a, b := fmt.Sprintf("a%d", i), fmt.Sprintf("b%d", i)
			if recurs.Draw(t, "a recurs") == 0 {
				a = some.Draw(t, "a")
			}
			if recurs.Draw(t, "b recurs") == 0 {
				b = some.Draw(t, "b")
			}
			v := rapid.SampledFrom([]string{"1", "1", "1", "2", "x", "9"}).Draw(t, "v")
			r := good
			if rapid.IntRange(1, 100).Draw(t, "reference") <= broken {
				r = bad
			}
			fmt.Fprintf(&text, "%s;%s;%s;%s;%s\n", a, b, v, r, long[:len(long)*(1+i%2)/2])
		}
		o := order{target: tg, text: text.String(), known: known, workers: rapid.SampledFrom([]int{1, 8}).Draw(t, "workers")}
		want, wanted, found := o.sift(t)
		require.Zero(t, wanted.Accepted.Restarts)
		o.keyMemory = bytesPerKey * int64(rapid.IntRange(40, 300).Draw(t, "keys in memory"))
		got, sink, spilt := o.sift(t)
		require.Equal(t, want, got)
		require.Equal(t, found, spilt)
		for name, pair := range map[string][2]string{"accepted": {wanted.Accepted.String(), sink.Accepted.String()},
			"rejected":   {wanted.Rejected.String(), sink.Rejected.String()},
			"excluded":   {wanted.Excluded.String(), sink.Excluded.String()},
			"violations": {wanted.Violations.String(), sink.Violations.String()}} {
			require.Equal(t, pair[0], pair[1], name)
		}
	})
}

// distinctRows is a delivery of rows of which only some repeat an earlier one.
func distinctRows(n int, repeats map[int]int) string {
	var b strings.Builder
	b.WriteString("k;c\n")
	for i := range n {
		k := i
		if of, ok := repeats[i]; ok {
			k = of
		}
		fmt.Fprintf(&b, "k%d;%s\n", k, long)
	}
	return b.String()
}

const oneKey = "target: t\ncolumns: [{name: k, unique: true}, {name: c}]\n"

// Where no key recurs the delivery is read once, also where memory does not hold its keys.
func TestSpiltKeysAreReadOnce(t *testing.T) {
	o := order{target: oneKey, text: distinctRows(600, nil), keyMemory: 50 * bytesPerKey}
	result, sink, _ := o.sift(t)
	assert.EqualValues(t, 600, result.Tally.Accepted)
	assert.Zero(t, sink.Accepted.Restarts)
	o.text = distinctRows(600, map[int]int{599: 3})
	result, sink, found := o.sift(t)
	assert.EqualValues(t, 599, result.Tally.Accepted)
	assert.Equal(t, 1, sink.Accepted.Restarts)
	assert.Equal(t, []string{`600 k key.duplicate reject: "k3" is already in row 4 (line 5), which is kept`}, found)
}

// spiltRun is a run whose keys do not fit in memory.
func spiltRun(t *testing.T, text string) *sift.Run {
	t.Helper()
	tg, err := target.Parse([]byte(oneKey))
	require.NoError(t, err)
	open := func(context.Context) (source.Source, error) {
		return source.NewReader(strings.NewReader(text), layout.Layout{Form: "delimited", Encoding: "utf-8",
			Delimiter: ";", HeaderRows: 1})
	}
	rows, err := open(t.Context())
	require.NoError(t, err)
	return &sift.Run{Source: rows, Again: open, Encoding: "utf-8", Target: tg, Size: int64(len(text)),
		KeyMemory: 50 * bytesPerKey, Temporary: func() (*os.File, error) { return spill.Unnamed(t.TempDir()) }}
}

// A row is explained as it ends, also where its key went to a file.
func TestSpiltKeysAreExplained(t *testing.T) {
	for repeats, want := range map[int]string{3: "rejected", 599: "accepted"} {
		r := spiltRun(t, distinctRows(600, map[int]int{599: repeats}))
		e, err := r.Explain(t.Context(), 600)
		require.NoError(t, err)
		assert.Equal(t, want, e.Fate)
		e, err = spiltRun(t, distinctRows(600, map[int]int{599: repeats})).Explain(t.Context(), 2)
		require.NoError(t, err)
		assert.Equal(t, "accepted", e.Fate, "a row before memory was full")
	}
}

// Progress never goes back, and ends with the delivery.
func TestProgressOfTwoReadings(t *testing.T) {
	text := distinctRows(2000, map[int]int{1990: 3})
	r := spiltRun(t, text)
	var last sift.Progress
	r.Progress = func(p sift.Progress) {
		assert.GreaterOrEqual(t, p.Bytes, last.Bytes)
		assert.GreaterOrEqual(t, p.Rows, last.Rows)
		last = p
	}
	_, err := r.Do(t.Context())
	require.NoError(t, err)
	assert.Equal(t, sift.Progress{Bytes: int64(len(text)), Rows: 2000}, last)
}

// What goes wrong with the file ends the run and is told, at whatever step.
func TestSpillingFails(t *testing.T) {
	// So many that they do not stay in what is gathered before it is written.
	var b strings.Builder
	b.WriteString("k;c\n")
	for i := range 500_000 {
		fmt.Fprintf(&b, "%d;\n", i%499_999)
	}
	text := b.String()
	t.Run("no file", func(t *testing.T) {
		r := spiltRun(t, text)
		r.KeyMemory = 1
		r.Temporary = func() (*os.File, error) { return nil, errors.New("the disk is full") }
		_, err := r.Do(t.Context())
		assert.ErrorContains(t, err, "the disk is full")
	})
	t.Run("a file that takes nothing", func(t *testing.T) {
		r := spiltRun(t, text)
		r.Temporary = func() (*os.File, error) { return os.Open(os.DevNull) }
		_, err := r.Do(t.Context())
		assert.Error(t, err)
	})
	for step := range 4 {
		t.Run(fmt.Sprint("cancelled at ", step), func(t *testing.T) {
			r := spiltRun(t, text)
			ctx, cancel := context.WithCancel(t.Context())
			defer cancel()
			again, temporary := r.Again, r.Temporary
			switch step {
			case 0:
				r.Progress = func(p sift.Progress) {
					if p.Rows > 250_000 {
						cancel()
					}
				}
			case 1: // when keys begin to be written
				r.Temporary = func() (*os.File, error) { cancel(); return temporary() }
			case 2: // before the second reading
				r.Again = func(ctx context.Context) (source.Source, error) { cancel(); return again(ctx) }
			case 3: // in it
				second := false
				r.Again = func(ctx context.Context) (source.Source, error) { second = true; return again(ctx) }
				r.Progress = func(sift.Progress) {
					if second {
						cancel()
					}
				}
			}
			_, err := r.Do(ctx)
			assert.ErrorIs(t, err, context.Canceled)
		})
	}
}

// A run that refers to a table which memory does not hold reads its delivery once where no row
// breaks the reference, and needs to be able to read it again.
func TestSpiltReferences(t *testing.T) {
	tg := "target: t\ncolumns: [{name: k, unique: true}, {name: c}]\nforeignKeys: [{columnReference: k, reference: " +
		"{resource: sites, columnReference: id}}]\n"
	all := func(but int) (keys []string) {
		for i := range 600 {
			if i != but {
				keys = append(keys, fmt.Sprintf("k%d", i))
			}
		}
		return keys
	}
	o := order{target: tg, text: distinctRows(600, nil), known: all(-1), keyMemory: 50 * bytesPerKey}
	result, sink, _ := o.sift(t)
	assert.EqualValues(t, 600, result.Tally.Accepted)
	assert.Zero(t, sink.Accepted.Restarts)
	assert.EqualValues(t, 600, result.References[0].Keys)

	o.known = all(7)
	_, sink, found := o.sift(t)
	assert.Equal(t, 1, sink.Accepted.Restarts)
	assert.Equal(t, []string{`8 k reference.missing reject: "k7" is not in sites`}, found)

	// The row that breaks the reference does not hold its key, which a third reading then tells.
	o.text, o.known = distinctRows(600, map[int]int{590: 7, 599: 590, 595: 3}), all(590)
	_, sink, found = o.sift(t)
	assert.Equal(t, 2, sink.Accepted.Restarts)
	assert.Equal(t, []string{`591 k key.duplicate reject: "k7" is already in row 8 (line 9), which is kept`,
		`596 k key.duplicate reject: "k3" is already in row 4 (line 5), which is kept`,
		`600 k reference.missing reject: "k590" is not in sites`}, found)

	parsed, err := target.Parse([]byte(tg))
	require.NoError(t, err)
	table, err := source.NewReader(strings.NewReader("id\nk1\n"), layout.Layout{Form: "delimited", Encoding: "utf-8",
		Delimiter: ";", HeaderRows: 1})
	require.NoError(t, err)
	keys, err := reference.Read(t.Context(), "sites", reference.Columns(parsed, &parsed.ForeignKeys[0]), table, "utf-8",
		reference.Room{Temporary: unnamed})
	require.NoError(t, err)
	defer keys.Close()
	for step := range 4 {
		r := spiltRun(t, distinctRows(3000, nil))
		r.Target, r.Keys = parsed, []*reference.Keys{keys}
		ctx, cancel := context.WithCancel(t.Context())
		again, want := r.Again, context.Canceled
		switch step {
		case 0:
			r.Again, want = nil, nil
		case 1:
			r.Progress = func(sift.Progress) { cancel() }
		case 2:
			r.Again = func(ctx context.Context) (source.Source, error) { cancel(); return again(ctx) }
		case 3:
			parsed.Repeated.Keep = target.KeepLast // looked up before the run begins
			r.Again = func(ctx context.Context) (source.Source, error) { cancel(); return again(ctx) }
		}
		_, err := r.Do(ctx)
		if cancel(); want != nil {
			assert.ErrorIs(t, err, want, step)
		} else {
			assert.ErrorContains(t, err, "can be read only once")
		}
	}
}

// With several keys it takes the order of rows to tell which is kept: that many repeat one another
// needs room, and where there is too little of it the run says so.
func TestTooManyRepeatsOfSeveralKeys(t *testing.T) {
	var b strings.Builder
	b.WriteString("a;b\n")
	for i := range 1000 {
		fmt.Fprintf(&b, "a%d;b%d%s\n", i%500, i, long)
	}
	o := order{target: "target: t\ncolumns: [{name: a, unique: true}, {name: b, unique: true}]\n", text: b.String()}
	r := spiltRun(t, b.String())
	var err error
	r.Target, err = target.Parse([]byte(o.target))
	require.NoError(t, err)
	r.Source, err = r.Again(t.Context())
	require.NoError(t, err)
	r.KeyMemory = 200 * bytesPerKey
	_, err = r.Do(t.Context())
	assert.ErrorContains(t, err, "more than 200 rows repeat one another in one of several keys")
}

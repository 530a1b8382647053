package reading_test

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"sieb/core/layout"
	"sieb/core/source"
	"sieb/service/reading"
)

func ptr[T any](v T) *T { return &v }

func write(t *testing.T, name, text string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	return path
}

func numbered(rows int) string {
	var b strings.Builder
	b.WriteString("no;name;kg\n")
	for i := 1; i <= rows; i++ {
		fmt.Fprintf(&b, "%d;Lindenhof %d;%d,5\n", i, i%7, i%900)
	}
	return b.String()
}

// More deliveries, and more ways to read them, than may lie open at a time, asked
// for by many at once: each gets the rows that it asked for.
func TestCacheServesMany(t *testing.T) {
	cache := reading.New(source.Bounds{})
	defer cache.Close()
	var paths []string
	rows := 20000
	if testing.Short() {
		rows = 4000 // the race detector makes them as slow
	}
	for k := range 12 {
		paths = append(paths, write(t, fmt.Sprintf("%d.csv", k), numbered(rows+k)))
	}
	settings := []layout.Given{{}, {HeaderRows: ptr(0)}, {Delimiter: ptr(",")}, {FooterRows: ptr(1)},
		{SkipRows: ptr(1), HeaderRows: ptr(0)}, {Trim: ptr(true)}}
	var all sync.WaitGroup
	for k, path := range paths {
		for i, given := range settings {
			all.Go(func() {
				err := cache.Read(t.Context(), path, given, func(r *reading.Reading) error {
					from := int64(rows*3/4 + 100*i)
					w, err := r.Rows(t.Context(), from, 3)
					if errors.Is(err, context.Canceled) {
						return nil // others asked for this delivery in more ways than are kept
					}
					if err != nil {
						return err
					}
					assert.Len(t, w.Rows, 3)
					assert.Equal(t, from, w.Rows[0].Row)
					if i == 0 {
						assert.Equal(t, fmt.Sprint(from), w.Rows[0].Cells[0], "delivery %d", k)
					}
					return nil
				})
				assert.NoError(t, err)
			})
		}
	}
	all.Wait()
}

func TestLastRowsAndProblems(t *testing.T) {
	cache := reading.New(source.Bounds{})
	defer cache.Close()
	path := write(t, "a.csv", numbered(30000)+"30001;short\n30002;\"open;1\n30003;x;2\nSumme;;9\n")
	err := cache.Read(t.Context(), path, layout.Given{}, func(r *reading.Reading) error {
		w, err := r.Rows(t.Context(), 30000, 10)
		require.NoError(t, err)
		require.Len(t, w.Rows, 4)
		last, err := r.Last(t.Context(), 2)
		require.NoError(t, err)
		assert.Equal(t, []string{"30003", "x", "2"}, last.Rows[1].Cells)
		assert.Equal(t, "Summe;;9\n", last.Below[0].Text)
		p := r.Problems()
		for !p.All {
			p = r.Problems()
		}
		require.Len(t, p.Items, 2)
		assert.Equal(t, []any{"row.short", int64(30001), "quote.open", int64(30002)},
			[]any{p.Items[0].Code.String(), p.Items[0].Row, p.Items[1].Code.String(), p.Items[1].Row})
		assert.Equal(t, []any{int64(2), int64(30003)}, []any{p.Total, p.Counted})
		return nil
	})
	require.NoError(t, err)
}

// A look through the wrong settings ends soon, and says what may be wrong.
func TestWrongSettings(t *testing.T) {
	cache := reading.New(source.Bounds{})
	defer cache.Close()
	path := write(t, "a.csv", strings.Repeat("abcdefgh;ijkl\n", 2<<20))
	err := cache.Read(t.Context(), path, layout.Given{Encoding: ptr("utf-16le")}, func(r *reading.Reading) error {
		_, err := r.Rows(t.Context(), 1, 10)
		return err
	})
	assert.ErrorContains(t, err, "the row is longer than 8 MiB; is the encoding, the delimiter or the quote "+
		"character wrong?")
	err = cache.Read(t.Context(), path, layout.Given{Encoding: ptr("no such")},
		func(*reading.Reading) error { return nil })
	assert.Error(t, err)
	err = cache.Read(t.Context(), filepath.Join(t.TempDir(), "none.csv"), layout.Given{},
		func(*reading.Reading) error { return nil })
	assert.ErrorContains(t, err, "there is no file")
}

// Who waits for a row of a reading gets it, however many other ways to read the delivery
// are asked for meanwhile.
func TestWaitingSurvivesOtherReadings(t *testing.T) {
	cache := reading.New(source.Bounds{})
	defer cache.Close()
	rows := 3 << 20
	if testing.Short() {
		rows /= 4 // the race detector makes them as slow
	}
	path := write(t, "a.csv", "a;b\n"+strings.Repeat("1;x\n", rows))
	var waiting sync.WaitGroup
	began := make(chan struct{}, 4)
	for k := range 4 {
		waiting.Go(func() {
			err := cache.Read(t.Context(), path, layout.Given{SkipRows: ptr(0), FooterRows: ptr(k)},
				func(r *reading.Reading) error {
					began <- struct{}{}
					w, err := r.Rows(t.Context(), int64(rows)-5, 1)
					if assert.NoError(t, err) && assert.Len(t, w.Rows, 1) {
						assert.Equal(t, []string{"1", "x"}, w.Rows[0].Cells)
					}
					return err
				})
			assert.NoError(t, err)
		})
	}
	for range 4 {
		<-began
	}
	for k := range 12 {
		require.NoError(t, cache.Read(t.Context(), path, layout.Given{HeaderRows: ptr(k)},
			func(r *reading.Reading) error {
				_, err := r.Rows(t.Context(), 1, 1)
				return err
			}))
	}
	waiting.Wait()
}

// Lines below the table are shown with their numbers, the first of many and how many more;
// those of a workbook, too.
func TestBelow(t *testing.T) {
	cache := reading.New(source.Bounds{})
	defer cache.Close()
	below := func(path string) (all []reading.Line) {
		require.NoError(t, cache.Read(t.Context(), path, layout.Given{}, func(r *reading.Reading) error {
			w, err := r.Last(t.Context(), 5)
			require.NoError(t, err)
			all = w.Below
			return nil
		}))
		return all
	}
	many := below(write(t, "many.csv", numbered(20)+"Total;;210\n"+strings.Repeat(";;\n", 99)))
	require.Len(t, many, 61)
	assert.Equal(t, reading.Line{Line: 22, Kind: "below", Text: "Total;;210\n"}, many[0])
	assert.Equal(t, reading.Line{Line: 0, Kind: "below", Text: "… and 40 more"}, many[60])
	assert.Empty(t, below(write(t, "none.csv", numbered(20))))

	book := excelize.NewFile()
	for i, line := range strings.Split(strings.TrimSpace(numbered(20)), "\n") {
		for k, cell := range strings.Split(line, ";") {
			at, err := excelize.CoordinatesToCellName(k+1, i+1)
			require.NoError(t, err)
			if n, err := strconv.Atoi(cell); err == nil {
				require.NoError(t, book.SetCellValue("Sheet1", at, n))
			} else {
				require.NoError(t, book.SetCellValue("Sheet1", at, cell))
			}
		}
	}
	require.NoError(t, book.SetCellValue("Sheet1", "A22", "Total"))
	require.NoError(t, book.SetCellValue("Sheet1", "C22", 210))
	path := filepath.Join(t.TempDir(), "book.xlsx")
	require.NoError(t, book.SaveAs(path))
	assert.Equal(t, []reading.Line{{Line: 22, Kind: "below", Text: "A: Total · C: 210"}}, below(path))
}

// What rests is closed although nobody asks for anything.
func TestRestingReadingsAreClosed(t *testing.T) {
	defer reading.RestFor(20 * time.Millisecond)()
	cache := reading.New(source.Bounds{})
	defer cache.Close()
	path := write(t, "a.csv", numbered(10))
	require.NoError(t, cache.Read(t.Context(), path, layout.Given{}, func(*reading.Reading) error {
		assert.Equal(t, 1, cache.Open())
		return nil
	}))
	for cache.Open() > 0 {
		time.Sleep(5 * time.Millisecond)
	}
}

package source_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/fault"
	"sieb/core/layout"
	"sieb/core/source"
)

func manyLines(t *testing.T) *source.Reader {
	t.Helper()
	r, err := source.NewReader(strings.NewReader("a,b\n"+strings.Repeat("1,2\n", 1<<18)),
		layout.Layout{SkipBlankRows: true, Form: layout.Delimited, Encoding: "utf-8", Delimiter: ",", QuoteChar: `"`,
			DoubleQuote: true, HeaderRows: 1})
	require.NoError(t, err)
	return r
}

// planted is a source that breaks at its nth batch.
type planted struct {
	source.Source
	n   int
	how func() error
}

func (p *planted) Next(b *source.Batch) error {
	if p.n--; p.n < 0 {
		return p.how()
	}
	return p.Source.Next(b)
}

// Whatever step of a flow breaks, by an error or by a panic, the flow ends with
// that, says where, and no goroutine of it is left behind.
func TestFlowEndsWhereverItBreaks(t *testing.T) {
	gone := errors.New("gone")
	for _, step := range []string{"read", "make", "work", "deliver"} {
		for _, how := range []string{"panic", "error", "cancel"} {
			for _, workers := range []int{1, 2, 8} {
				name := fmt.Sprint(step, how, workers)
				ctx, stop := context.WithCancel(t.Context())
				breaks := func() error {
					switch how {
					case "panic":
						panic(gone)
					case "cancel":
						stop()
						return nil
					}
					return gone
				}
				plain := manyLines(t)
				var src source.Source = plain
				if step == "read" {
					src = &planted{plain, 3, func() error {
						if err := breaks(); err != nil {
							return err
						}
						return plain.Next(&source.Batch{})
					}}
				}
				batches := 0
				newWork := func() func(*source.Batch, *error) {
					if step == "make" && how == "cancel" {
						stop()
					}
					return func(b *source.Batch, result *error) {
						*result = nil
						if step == "work" && b.FirstRow > 100_000 {
							*result = breaks()
						}
					}
				}
				err := source.InOrder(ctx, src, workers, newWork, func(b *source.Batch, result *error) error {
					if batches++; step == "deliver" && batches == 3 {
						return breaks()
					}
					return *result
				})
				stop()
				var crash *fault.Crash
				switch {
				case step == "make" && how != "cancel":
					require.NoError(t, err, name)
				case how == "cancel":
					require.ErrorIs(t, err, context.Canceled, name)
				case how == "error":
					require.ErrorIs(t, err, gone, name)
				default:
					require.ErrorAs(t, err, &crash, name)
					assert.Equal(t, gone, crash.Value, name)
					assert.Contains(t, crash.Doing, "line", "%s: the place in the delivery is told", name)
				}
			}
		}
	}
}

// The lines of a crash are those of the rows that were worked on.
func TestFlowTellsTheLines(t *testing.T) {
	err := source.InOrder(t.Context(), manyLines(t), 2, func() func(*source.Batch, *struct{}) {
		return func(b *source.Batch, _ *struct{}) {
			if first := b.FirstRow; first <= 200_000 && 200_000 < first+int64(len(b.Rows)) {
				panic("planted")
			}
		}
	}, func(*source.Batch, *struct{}) error { return nil })
	var crash *fault.Crash
	require.ErrorAs(t, err, &crash)
	var from, to int
	_, err = fmt.Sscanf(crash.Doing, "working on lines %d to %d", &from, &to)
	require.NoError(t, err, crash.Doing)
	assert.LessOrEqual(t, from, 200_001)
	assert.GreaterOrEqual(t, to, 200_001, "row 200,000 stands on line 200,001")
	assert.False(t, errors.Is(err, io.EOF))
}

// Package compare compares what two runs came to: the rows of their outputs, and what their results count.
// It reads the outputs only; which runs they are of is for its callers to know.
package compare

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"github.com/zeebo/xxh3"

	"sieb/core/outcome"
	"sieb/core/sift"
	"sieb/core/source"
)

// Bounds of a comparison.
const (
	// MostRows is how many rows of one output are held in memory to be compared.
	MostRows = 5_000_000
	// MostShown is how many rows of each kind are named.
	MostShown = 100
)

// Rows is how the accepted rows of one run differ from those of another, by a key.
type Rows struct {
	Key     []string   `json:"key" doc:"columns by which rows are found again"`
	New     int64      `json:"new" doc:"rows whose key the other run does not have"`
	Gone    int64      `json:"gone" doc:"rows of the other run whose key is no longer there"`
	Changed int64      `json:"changed" doc:"rows with the same key and other values"`
	Same    int64      `json:"same"`
	NewKeys [][]string `json:"newKeys" doc:"the first of them"`
	GoneOf  [][]string `json:"goneKeys" doc:"the first of them"`
	Others  [][]string `json:"changedKeys" doc:"the first of them"`
}

// ByKey compares accepted rows by the values of a key. It returns an error that says so where there are too many, or
// where one of the outputs lacks a column of the key.
func ByKey(ctx context.Context, before, after source.Source, key []string) (*Rows, error) {
	out := &Rows{Key: key, NewKeys: [][]string{}, GoneOf: [][]string{}, Others: [][]string{}}
	type known struct {
		row  uint64
		at   int32 // of its key in keys, for those that may be named as gone
		seen bool
	}
	rows := map[xxh3.Uint128]*known{}
	var keys [][]string
	if err := each(ctx, before, key, func(hash xxh3.Uint128, row uint64, values func() []string) error {
		if len(rows) >= MostRows {
			return fmt.Errorf("more than %d rows are not compared one by one", MostRows)
		}
		k := &known{row: row, at: -1}
		if len(keys) < keptKeys {
			k.at = int32(len(keys))
			keys = append(keys, values())
		}
		rows[hash] = k
		return nil
	}); err != nil {
		return nil, err
	}
	if err := each(ctx, after, key, func(hash xxh3.Uint128, row uint64, values func() []string) error {
		k := rows[hash]
		switch {
		case k == nil:
			out.New++
			out.NewKeys = named(out.NewKeys, values)
		case k.row == row:
			out.Same++
			k.seen = true
		default:
			out.Changed++
			out.Others = named(out.Others, values)
			k.seen = true
		}
		return nil
	}); err != nil {
		return nil, err
	}
	var gone []int32
	for _, k := range rows {
		if !k.seen {
			out.Gone++
			if k.at >= 0 {
				gone = append(gone, k.at)
			}
		}
	}
	slices.Sort(gone)
	for _, at := range gone[:min(len(gone), MostShown)] {
		out.GoneOf = append(out.GoneOf, keys[at])
	}
	return out, nil
}

// keptKeys is of how many rows the key is kept, so that it can be named where the row is gone.
const keptKeys = 200_000

func named(all [][]string, values func() []string) [][]string {
	if len(all) < MostShown {
		all = append(all, values())
	}
	return all
}

// each reads rows, and hands on the hash of the key and of the whole of each. Columns count by their names, so that
// their order is none.
func each(ctx context.Context, rows source.Source, key []string,
	see func(hash xxh3.Uint128, row uint64, values func() []string) error) error {
	header := rows.Header().Names
	var places []int
	for _, name := range key {
		k := slices.Index(header, name)
		if k < 0 {
			return fmt.Errorf("one of the runs has no column %q, by which rows are found again", name)
		}
		places = append(places, k)
	}
	order := make([]int, len(header))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return strings.Compare(header[a], header[b]) })
	var b source.Batch
	var text []byte
	for ctx.Err() == nil {
		if err := rows.Next(&b); errors.Is(err, io.EOF) {
			return nil
		} else if err != nil {
			return err
		}
		b.Split()
		for i := range b.Rows {
			cells := b.Cells(i)
			join := func(places []int) []byte {
				text = text[:0]
				for _, k := range places {
					if k < len(cells) {
						cell := b.Text(cells[k])
						text = strconv.AppendInt(text, int64(len(cell)), 10)
						text = append(append(text, ':'), cell...)
					}
				}
				return text
			}
			hash, row := xxh3.Hash128(join(places)), xxh3.Hash(join(order))
			if err := see(hash, row, func() []string {
				values := make([]string, len(places))
				for n, k := range places {
					if k < len(cells) {
						values[n] = strings.ToValidUTF8(string(b.Text(cells[k])), "\uFFFD")
					}
				}
				return values
			}); err != nil {
				return err
			}
		}
	}
	return context.Cause(ctx)
}

// Sides is which rows of one delivery ended elsewhere in another run.
type Sides struct {
	sift.Shift
	Rows []Moved `json:"rows" doc:"the first of them"`
}

// Moved is a row that ended elsewhere.
type Moved struct {
	Row int64  `json:"row"`
	Was string `json:"was" enum:"accepted,rejected,excluded"`
	Is  string `json:"is" enum:"accepted,rejected,excluded"`
}

// Outputs are the rows that a run rejected and left out: their numbers are in the first column.
type Outputs struct{ Rejected, Excluded source.Source }

// BySide tells which rows of a delivery ended elsewhere, from the outputs of two runs of it.
func BySide(ctx context.Context, before, after Outputs) (*Sides, error) {
	was, err := sidesOf(ctx, before)
	if err != nil {
		return nil, err
	}
	is, err := sidesOf(ctx, after)
	if err != nil {
		return nil, err
	}
	out := &Sides{Shift: sift.Shift{SameCount: true}, Rows: []Moved{}}
	note := func(row int64, from, to outcome.Side) {
		if from == to {
			return
		}
		out.Add(from, to)
		out.Rows = append(out.Rows, Moved{row, from.String(), to.String()})
	}
	for row, from := range was {
		note(row, from, is[row])
	}
	for row, to := range is {
		if _, isKnown := was[row]; !isKnown {
			note(row, outcome.Accepted, to)
		}
	}
	slices.SortFunc(out.Rows, func(a, b Moved) int { return int(a.Row - b.Row) })
	out.Rows = out.Rows[:min(len(out.Rows), MostShown)]
	return out, nil
}

// sidesOf returns where the rows ended that were not accepted.
func sidesOf(ctx context.Context, of Outputs) (map[int64]outcome.Side, error) {
	sides := map[int64]outcome.Side{}
	for side, rows := range map[outcome.Side]source.Source{
		outcome.Rejected: of.Rejected, outcome.Excluded: of.Excluded} {
		var b source.Batch
		for {
			if ctx.Err() != nil {
				return nil, context.Cause(ctx)
			}
			if err := rows.Next(&b); errors.Is(err, io.EOF) {
				break
			} else if err != nil {
				return nil, err
			}
			b.Split()
			for i := range b.Rows {
				if len(sides) >= MostRows {
					return nil, fmt.Errorf("more than %d rows that were not accepted are not compared one by one", MostRows)
				}
				row, err := strconv.ParseInt(string(b.Text(b.Cells(i)[0])), 10, 64)
				if err != nil {
					return nil, fmt.Errorf("an output is damaged: %w", err)
				}
				sides[row] = side
			}
		}
	}
	return sides, nil
}

// Counts is how often something was counted in two runs.
type Counts struct {
	Column string `json:"column"`
	What   string `json:"what" doc:"code of a violation, or name of a remedy"`
	Before int64  `json:"before"`
	After  int64  `json:"after"`
}

// Violations compares the rows of each violation, those that differ most first.
func Violations(before, after []sift.Group) []Counts {
	c := counts{}
	for _, g := range before {
		c.at(g.Column, g.Code.String()).Before += max(g.Rows, 1)
	}
	for _, g := range after {
		c.at(g.Column, g.Code.String()).After += max(g.Rows, 1)
	}
	return c.sorted()
}

// Remedies compares the cells that each remedy changed.
func Remedies(before, after []sift.Remedy) []Counts {
	c := counts{}
	for _, r := range before {
		c.at(r.Column, r.Remedy).Before += r.Changed
	}
	for _, r := range after {
		c.at(r.Column, r.Remedy).After += r.Changed
	}
	return c.sorted()
}

type counts map[[2]string]*Counts

func (c counts) at(column, what string) *Counts {
	key := [2]string{column, what}
	if c[key] == nil {
		c[key] = &Counts{Column: column, What: what}
	}
	return c[key]
}

// sorted returns what differs, most first.
func (c counts) sorted() []Counts {
	all := []Counts{}
	for _, one := range c {
		if one.Before != one.After {
			all = append(all, *one)
		}
	}
	apart := func(c Counts) int64 { return max(c.After-c.Before, c.Before-c.After) }
	slices.SortFunc(all, func(a, b Counts) int {
		switch d := apart(b) - apart(a); {
		case d != 0:
			return int(max(-1, min(1, d)))
		case a.Column != b.Column:
			return strings.Compare(a.Column, b.Column)
		}
		return strings.Compare(a.What, b.What)
	})
	return all
}

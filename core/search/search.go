// Package search finds the rows behind what a profile tells: those that pass some filters, in
// a delivery of any size.
//
// It knows how a profile reads a column, so that what the profile counts is what a filter
// finds. It does not know why somebody looks.
package search

import (
	"context"
	"errors"
	"fmt"
	"io"
	"runtime"
	"strings"
	"sync"

	"sieb/core/fault"
	"sieb/core/profile"
	"sieb/core/source"
)

// Match is a row that filters let through.
type Match struct {
	Row, Line int64
	Cells     []string
}

// Rows goes through a delivery for rows that the filters let through, several
// parts at once, and gives them in order: those behind a row, at most limit of
// them. It counts all that it comes past; with a negative limit it goes to the end
// and only counts. It follows an index that is still being built. Of very long rows
// fewer are given.
//
// isAll tells that no row behind the last one passes.
func Rows(ctx context.Context, p *profile.Profile, x *source.Index, filters []profile.Filter, behind int64,
	limit int) (rows []Match, count int64, isAll bool, err error) {
	if _, err := NewFinder(p, filters); err != nil {
		return nil, 0, false, err
	}
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	s := walk{profile: p, index: x, filters: filters, behind: behind, limit: limit}
	first := x.PartOf(behind + 1)
	results := make(chan chan part, 2*runtime.GOMAXPROCS(0))
	work := make(chan job)
	var workers sync.WaitGroup
	defer workers.Wait()
	defer stop()
	for range runtime.GOMAXPROCS(0) {
		workers.Go(func() {
			f, _ := NewFinder(p, filters) // it was made once already
			var scratch scratch
			for j := range work {
				var got part
				got.err = func() (err error) {
					defer fault.Recover(&err, func() string {
						return fmt.Sprintf("looking for rows in part %d of the delivery", j.part+1)
					})
					got = s.part(ctx, f, j.part, &scratch)
					return got.err
				}()
				j.result <- got
			}
		})
	}
	workers.Go(func() {
		defer close(work)
		defer close(results)
		for k := first; ; k++ {
			if is, err := x.AwaitPart(ctx, k); !is {
				if err != nil {
					result := make(chan part, 1)
					result <- part{err: err}
					select {
					case results <- result:
					case <-ctx.Done():
					}
				}
				return
			}
			result := make(chan part, 1)
			select {
			case results <- result:
			case <-ctx.Done():
				return
			}
			select {
			case work <- job{k, result}:
			case <-ctx.Done():
				return
			}
		}
	})
	for result := range results {
		var got part
		select {
		case got = <-result:
		case <-ctx.Done():
			return nil, 0, false, ctx.Err()
		}
		if got.err != nil {
			return nil, 0, false, got.err
		}
		count += got.count
		for _, m := range got.rows {
			if len(rows) == limit {
				return rows, count, false, nil
			}
			rows = append(rows, m)
		}
		if got.isCut {
			return rows, count, false, nil
		}
	}
	return rows, count, ctx.Err() == nil, ctx.Err()
}

type walk struct {
	profile *profile.Profile
	index   *source.Index
	filters []profile.Filter
	behind  int64
	limit   int
}

type job struct {
	part   int
	result chan part
}

// part is what was found in one part of a delivery.
type part struct {
	rows  []Match
	count int64
	isCut bool // there are more rows than were asked for, or than are held
	bytes int
	err   error
}

// maxFound is what the rows of one part may hold of text, in bytes, beyond the last.
const maxFound = 16 << 20

// scratch is what a worker uses again from part to part.
type scratch struct {
	raw   []byte
	batch source.Batch
}

// part goes through one part.
func (s *walk) part(ctx context.Context, f *Finder, k int, scratch *scratch) (p part) {
	if f.rows != nil && !s.index.HasAny(k, f.rows) {
		return p
	}
	var may bool
	if may, p.err = s.index.MayHold(k, f.Needle(), &scratch.raw); p.err != nil || !may {
		return p
	}
	var rows source.Source
	if rows, p.err = s.index.Part(ctx, k); p.err != nil {
		return p
	}
	defer source.Close(rows)
	b := &scratch.batch
	for ctx.Err() == nil && !p.isCut {
		if err := rows.Next(b); errors.Is(err, io.EOF) {
			return p
		} else if err != nil {
			p.err = err
			return p
		}
		if b.FirstRow+int64(len(b.Rows)) <= s.behind {
			continue
		}
		b.Split()
		f.Rows(b, func(row int) bool {
			if b.Number(row) <= s.behind {
				return true
			}
			p.count++
			if s.limit < 0 {
				return true
			}
			if p.isCut = len(p.rows) == s.limit || p.bytes > maxFound; p.isCut {
				return false
			}
			p.bytes += int(b.Rows[row].End - b.Rows[row].Start)
			m := Match{Row: b.Number(row), Line: b.Rows[row].Line}
			for _, c := range b.Cells(row) {
				m.Cells = append(m.Cells, strings.ToValidUTF8(string(b.Text(c)), "\uFFFD"))
			}
			p.rows = append(p.rows, m)
			return true
		})
	}
	if p.err == nil {
		p.err = ctx.Err()
	}
	return p
}

package source

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"sync"

	"sieb/core/fault"
	"sieb/core/layout"
	"sieb/core/lexical"
	"sieb/core/workbook"
)

// place is where a row begins: so many bytes into the delivery's text.
type place struct {
	offset    int64
	row, line int64
}

// Index finds rows of a delivery by number. Building it goes over the delivery
// once, in the background; rows before the place it has come to are found
// meanwhile. Of a text it notes a place every few batches; a sheet, which is
// packed, is read from its top. It is safe for use by several goroutines.
type Index struct {
	file *File

	mu     sync.Mutex
	grown  chan struct{} // closed and made anew when the index has grown
	places []place
	rows   int64 // counted so far
	line   int64 // of the last of them
	whole  bool
	err    error // what ended the building

	once   sync.Once
	top    *Reader // what first gives
	topErr error
}

// spacing is how many bytes lie between two places, at the least.
const spacing = 512 << 10

// NewIndex makes an index, to be built, of a delivery as its layout reads it.
func (d *File) NewIndex() *Index { return &Index{file: d, grown: make(chan struct{})} }

// Build goes over the delivery. It hands each batch, before its cells are
// found, to visit.
func (x *Index) Build(ctx context.Context, visit func(*Batch) error) error {
	err := x.build(ctx, visit)
	x.note(func() { x.err, x.whole = err, err == nil })
	return err
}

func (x *Index) build(ctx context.Context, visit func(*Batch) error) (err error) {
	defer fault.Recover(&err, func() string { return fmt.Sprintf("reading behind row %d", x.rows) })
	rows, err := x.file.Rows(ctx)
	if err != nil {
		return err
	}
	defer Close(rows)
	reader, _ := rows.(*Reader)
	var b Batch
	last := int64(0)
	for ctx.Err() == nil {
		err := rows.Next(&b)
		if errors.Is(err, io.EOF) {
			return nil
		} else if err != nil {
			return err
		}
		if err := visit(&b); err != nil {
			return err
		}
		x.note(func() {
			x.rows = b.FirstRow + int64(len(b.Rows)) - 1
			if n := len(b.Rows); n > 0 {
				x.line = b.Rows[n-1].Line
			}
			if reader != nil && reader.in.base-last >= spacing {
				last = reader.in.base
				x.places = append(x.places, place{last, x.rows + 1, reader.line})
			}
		})
	}
	return ctx.Err()
}

func (x *Index) note(change func()) {
	x.mu.Lock()
	defer x.mu.Unlock()
	change()
	close(x.grown)
	x.grown = make(chan struct{})
}

// Counted returns how many rows were counted so far, and whether they are all.
func (x *Index) Counted() (rows int64, all bool) {
	x.mu.Lock()
	defer x.mu.Unlock()
	return x.rows, x.whole
}

// Wait waits until the row is counted, or all are, and tells how many rows were
// counted by then.
func (x *Index) Wait(ctx context.Context, row int64) (rows int64, err error) {
	return x.wait(ctx, func() bool { return x.rows >= row })
}

func (x *Index) wait(ctx context.Context, isThere func() bool) (rows int64, err error) {
	for {
		x.mu.Lock()
		rows, err = x.rows, x.err
		done, grown := x.whole || err != nil || isThere(), x.grown
		x.mu.Unlock()
		if done {
			return rows, err
		}
		select {
		case <-ctx.Done():
			return rows, ctx.Err()
		case <-grown:
		}
	}
}

// RowAt waits until a line is read, and returns the row that begins there, or last in front of it; 0 for none.
func (x *Index) RowAt(ctx context.Context, line int64) (row int64, err error) {
	if _, err := x.wait(ctx, func() bool { return x.line >= line }); err != nil {
		return 0, err
	}
	rows, at, err := x.from(ctx, func(p *place) bool { return p.line >= line })
	if err != nil {
		return 0, err
	}
	defer Close(rows)
	row = max(0, at.row-1)
	var b Batch
	for ctx.Err() == nil {
		if err := rows.Next(&b); errors.Is(err, io.EOF) {
			return row, nil
		} else if err != nil {
			return 0, err
		}
		for i := range b.Rows {
			if b.Rows[i].Line > line {
				return row, nil
			}
			row = b.Number(i)
		}
	}
	return 0, context.Cause(ctx)
}

// From reads on from a place at or before the row, by its number.
func (x *Index) From(ctx context.Context, row int64) (Source, error) {
	rows, _, err := x.from(ctx, func(p *place) bool { return p.row > row })
	return rows, err
}

// from reads on from the last place that is not behind what is wanted; the zero place is the top.
func (x *Index) from(ctx context.Context, isBehind func(*place) bool) (rows Source, at place, err error) {
	x.mu.Lock()
	for i := range x.places {
		if isBehind(&x.places[i]) {
			break
		}
		at = x.places[i]
	}
	x.mu.Unlock()
	if at.offset == 0 {
		rows, err = x.file.Rows(ctx)
		return rows, at, err
	}
	top, err := x.first() // only texts have places
	if err != nil {
		return nil, at, err
	}
	rows, err = x.file.resume(top, at)
	return rows, at, err
}

// first returns a reader at the first row, whose header those of other places share; nil
// of a workbook.
func (x *Index) first() (*Reader, error) {
	x.once.Do(func() {
		if x.file.book != nil {
			return
		}
		// The reader outlives the request that is the first to need it.
		var rows Source
		if rows, x.topErr = x.file.Rows(context.Background()); x.topErr == nil {
			x.top = rows.(*Reader)
		}
	})
	return x.top, x.topErr
}

// Tail reads the last rows of a large text without going over all of it, from
// a line end within its last bytes on. The rows' numbers and lines are not those
// of the delivery. ok is false where the delivery is read from its top instead.
func (d *File) Tail(ctx context.Context) (rows Source, ok bool, err error) {
	if d.book != nil || d.Layout.Fold > 0 || d.Size < 2*layout.TailBytes {
		return nil, false, nil
	}
	top, err := d.Rows(ctx)
	if err != nil {
		return nil, false, err
	}
	at := (d.Size - layout.TailBytes) / 4 * 4
	tail, err := d.resume(top.(*Reader), place{at, 1, 1})
	if err != nil {
		return nil, false, err
	}
	if err := tail.skipLine(); err != nil {
		return nil, false, err
	}
	return tail, true, nil
}

// resume makes a reader that goes on at a place, with what another read above
// the rows.
func (d *File) resume(top *Reader, at place) (*Reader, error) { return d.resumeUpTo(top, at, d.Size) }

// resumeUpTo is resume for the bytes up to an end; 0 stands for the delivery's.
func (d *File) resumeUpTo(top *Reader, at place, end int64) (*Reader, error) {
	if end == 0 {
		end = d.Size
	}
	e, err := layout.EncodingOf(d.Layout.Encoding)
	if err != nil {
		return nil, err
	}
	r := &Reader{dialect: top.dialect, comment: top.comment, blanks: top.blanks, closing: top.closing, cuts: top.cuts,
		fold: top.fold, header: top.header, footer: top.footer, width: top.width,
		line: at.line, row: at.row - 1, longest: top.longest, widest: top.widest}
	r.in.r = io.NewSectionReader(d.f, at.offset, end-at.offset)
	r.in.codec, r.in.base, r.in.decoded = newCodec(e), at.offset, at.offset
	return r, r.more(batchBytes)
}

// Lines reads the physical lines of a text as they stand, blank ones included,
// from the first on; nil for a workbook.
func (d *File) Lines() (*Reader, error) {
	if d.book != nil {
		return nil, nil
	}
	l := layout.Layout{Form: layout.Delimited, Encoding: d.Layout.Encoding, Fold: 1}
	return NewReader(io.NewSectionReader(d.f, 0, d.Size), l)
}

// Reread returns the same delivery as other settings read it. It shares the open
// file with d, which must be closed after it. The end of ctx ends it.
func (d *File) Reread(ctx context.Context, given layout.Given) (*File, error) {
	again := *d
	if err := again.detect(ctx, given); err != nil {
		return nil, err
	}
	return &again, nil
}

// LastLines returns the last physical lines of a text, at most n, and the number of the
// first of them, 0 where the text is too large to tell; nil for a workbook.
func (d *File) LastLines(n int) (last []string, first int64, err error) {
	lines, err := d.Lines()
	if err != nil || lines == nil {
		return nil, 0, err
	}
	isWhole := d.Size <= 2*layout.TailBytes
	if !isWhole {
		if lines, err = d.resume(lines, place{(d.Size - layout.TailBytes) / 4 * 4, 1, 1}); err != nil {
			return nil, 0, err
		}
	}
	var b Batch
	for {
		if err := lines.Next(&b); errors.Is(err, io.EOF) {
			cut := max(0, len(last)-n)
			if isWhole {
				first = int64(cut) + 1
			}
			return last[cut:], first, nil
		} else if err != nil {
			return nil, 0, err
		}
		for i := range b.Rows {
			last = append(last, string(b.Raw(i)))
		}
	}
}

// Bottom returns the rows of a workbook's sheet that the layout leaves out below the
// table, of those that are filled the last few; nil for a text.
func (d *File) Bottom(ctx context.Context) (lines []workbook.Line, err error) {
	if d.book == nil || d.Layout.FooterRows == 0 {
		return nil, nil
	}
	k, err := layout.FindSheet(d.book, d.Layout.Sheet)
	if err != nil {
		return nil, err
	}
	survey, err := d.book.Survey(ctx, k)
	if err != nil {
		return nil, err
	}
	for _, line := range survey.Last {
		if line.Number > survey.LastRow-d.Layout.FooterRows {
			lines = append(lines, line)
		}
	}
	return lines, nil
}

// Windows reads a batch of rows from the top and from each of n - 1 places that
// are spread over a text, to look at before all of it is read. The rows' numbers
// and lines are those of the delivery in the first batch only, and the first
// rows of a window may be the rest of one that began above it. A workbook, a text
// of one value a line and a small delivery are read from the top on instead.
func (d *File) Windows(ctx context.Context, n int, visit func(*Batch) error) error {
	top, err := d.Rows(ctx)
	if err != nil {
		return err
	}
	defer Close(top)
	var b Batch
	next := func(src Source) error {
		if err := ctx.Err(); err != nil {
			return err
		}
		if err := src.Next(&b); err != nil {
			return err
		}
		return visit(&b)
	}
	reader, isText := top.(*Reader)
	if !isText || d.Layout.Fold > 0 || d.Size < 2*int64(n)*batchBytes {
		for range n * 2 {
			if err := next(top); errors.Is(err, io.EOF) {
				return nil
			} else if err != nil {
				return err
			}
		}
		return nil
	}
	if err := next(top); errors.Is(err, io.EOF) {
		return nil // nothing but blank lines
	} else if err != nil {
		return err
	}
	for i := 1; i < n; i++ {
		window, err := d.resume(reader, place{d.Size * int64(i) / int64(n) / 4 * 4, 1, 1})
		if err != nil {
			return err
		}
		if err := window.skipLine(); err != nil {
			return err
		}
		if err := next(window); err != nil && !errors.Is(err, io.EOF) {
			return err
		}
	}
	return nil
}

// partEnds returns the places at which parts end, all but the last. A text of one value
// a line has one part: where blank lines are values, none of its ends is like that of
// the whole. The index is locked.
func (x *Index) partEnds() []place {
	if x.file.Layout.Fold > 0 {
		return nil
	}
	return x.places
}

// AwaitPart waits until a part can be read; false where the delivery has no such part.
func (x *Index) AwaitPart(ctx context.Context, k int) (bool, error) {
	for {
		x.mu.Lock()
		parts := len(x.partEnds())
		is, last := k < parts, x.whole && k == parts
		ended, err, grown := x.whole || x.err != nil, x.err, x.grown
		x.mu.Unlock()
		if is || last || ended {
			return is || last, err
		}
		select {
		case <-ctx.Done():
			return false, ctx.Err()
		case <-grown:
		}
	}
}

// PartOf returns the part in which a row stands, as far as it is known.
func (x *Index) PartOf(row int64) (k int) {
	x.mu.Lock()
	defer x.mu.Unlock()
	for ends := x.partEnds(); k < len(ends) && ends[k].row <= row; {
		k++
	}
	return k
}

// HasAny reports whether one of some rows, given in order, stands in a part.
func (x *Index) HasAny(k int, rows []int64) bool {
	x.mu.Lock()
	defer x.mu.Unlock()
	at, ends := 0, x.partEnds()
	if k > 0 {
		at, _ = slices.BinarySearch(rows, ends[k-1].row)
	}
	return at < len(rows) && (k >= len(ends) || rows[at] < ends[k].row)
}

// part returns where a part begins and ends; an end of 0 is that of the delivery.
func (x *Index) part(k int) (from place, end int64) {
	x.mu.Lock()
	defer x.mu.Unlock()
	ends := x.partEnds()
	if k > 0 {
		from = ends[k-1]
	}
	if k < len(ends) {
		end = ends[k].offset
	}
	return from, end
}

// MayHold reports whether a part of a text may hold a cell of just these bytes, in
// UTF-8. Where it cannot be told by the bytes, as in packed deliveries and in other
// encodings, it may.
func (x *Index) MayHold(k int, cell []byte, space *[]byte) (bool, error) {
	d := x.file
	l := &d.Layout
	// A cell that holds a quote or an escape may be written otherwise.
	if l.QuoteChar != "" && bytes.Contains(cell, []byte(l.QuoteChar)) ||
		!l.DoubleQuote && bytes.IndexByte(cell, '\\') >= 0 {
		return true, nil
	}
	plain := d.Layout.Encoding == "utf-8" || lexical.IsASCII(cell) && !strings.HasPrefix(d.Layout.Encoding, "utf-")
	if len(cell) == 0 || d.book != nil || !plain {
		return true, nil
	}
	from, end := x.part(k)
	if end == 0 {
		end = d.Size
	}
	if n := int(end - from.offset); cap(*space) < n {
		*space = make([]byte, n)
	}
	raw := (*space)[:end-from.offset]
	if _, err := d.f.ReadAt(raw, from.offset); err != nil && !errors.Is(err, io.EOF) {
		return false, fault.Cause(err)
	}
	for at := 0; ; at++ {
		i := bytes.Index(raw[at:], cell)
		if i < 0 {
			return false, nil
		}
		if at += i; d.isCell(raw, at, at+len(cell)) {
			return true, nil
		}
	}
}

// isCell reports whether a stretch of a text may be a whole cell, by what stands around
// it.
func (d *File) isCell(raw []byte, from, to int) bool {
	if d.Layout.Form != layout.Delimited || d.Layout.Delimiter == "" {
		return true
	}
	isEdge := func(c byte) bool {
		return c == '\n' || c == '\r' || c == ' ' || c == '\t' || strings.IndexByte(d.Layout.Delimiter, c) >= 0 ||
			strings.IndexByte(d.Layout.QuoteChar, c) >= 0
	}
	return (from == 0 || isEdge(raw[from-1])) && (to == len(raw) || isEdge(raw[to]))
}

// Part reads the rows of a part.
func (x *Index) Part(ctx context.Context, k int) (Source, error) {
	from, end := x.part(k)
	top, err := x.first()
	if err != nil {
		return nil, err
	}
	if top == nil || x.file.Layout.Fold > 0 || from.offset == 0 && end == 0 {
		return x.file.Rows(ctx) // packed deliveries have one part
	}
	if from.offset == 0 {
		from = place{top.in.base, 1, top.line} // below the header
	}
	part, err := x.file.resumeUpTo(top, from, end)
	if end > 0 && err == nil {
		part.footer = 0 // the footer is in the last part
	}
	return part, err
}

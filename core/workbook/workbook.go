// Package workbook reads the cells of spreadsheets, sheet by sheet and row by
// row: XLSX (ECMA-376) and ODS (OpenDocument 1.3).
//
// A sheet is streamed; of the workbook only its shared texts and styles are
// held. Cells come as text with the kind of value that the workbook gives them:
// numbers without binary noise, dates, times and durations as ISO 8601, the
// last computed value of a formula. The package does not know where in a sheet
// the table is; that is for package layout.
package workbook

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/klauspost/compress/flate"

	"sieb/core/fault"
)

// Kind is the kind of value that a workbook gives a cell.
type Kind uint8

// The kinds.
const (
	Text Kind = iota
	Number
	Boolean  // true or false
	Date     // 2026-07-01
	Time     // 06:30:00
	DateTime // 2026-07-01T06:30:00
	Duration // PT36H30M
	Error    // as shown: #N/A
	Formula  // =B2*2: a formula that was never computed, so that there is no value
)

// Limits of a sheet (ECMA-376, part 1, 18.3.1.73 and 18.3.1.4).
const (
	MaxRows    = 1 << 20
	MaxColumns = 1 << 14
)

// Book is an open workbook. Several goroutines may read it.
type Book struct {
	Kind   string // XLSX or ODS
	Sheets []Sheet

	zip    *zip.Reader
	packed int64                // bytes of the archive
	parts  map[string]*zip.File // by name, in small letters
	xlsx   *xlsx

	surveying gate
	surveys   map[int]*Survey
}

// Sheet is what is known of a sheet without reading it.
type Sheet struct {
	Name    string `json:"name"`
	Hidden  bool   `json:"hidden"`
	Rows    int    `json:"rows" doc:"up to the last filled cell; 0 where the workbook does not say"`
	Columns int    `json:"columns"`

	part string // of the archive
}

// Row is one row of a sheet that holds a filled cell. Next appends the texts to
// Text and replaces the rest.
type Row struct {
	Number int // in the sheet, from 1
	Hidden bool
	// Misplaced tells that the names of cells contradict one another or the row: to
	// which columns they belong is not certain.
	Misplaced bool
	Cells     []Cell // filled ones, from left to right
	Text      []byte
}

// Cell is a filled cell; its text is at [Start, End) of the row's text.
type Cell struct {
	Start, End uint32
	Column     int32 // from 0
	Kind       Kind
}

// Range is a rectangle of cells: rows from 1 and columns from 0, all inclusive.
type Range struct{ FirstRow, LastRow, FirstColumn, LastColumn int }

// NotReadable says why a file that looks like a workbook cannot be read as one,
// and what to ask for.
type NotReadable struct{ What string }

func (n *NotReadable) Error() string { return n.What }

func notReadable(format string, args ...any) error {
	return &NotReadable{fmt.Sprintf(format, args...)}
}

const askAgain = "ask the sender for it again, or as CSV"

// damaged says that the workbook is damaged, unless the error says already what
// it is.
func damaged(err error) error {
	if isFinal(err) {
		return err
	}
	if errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, io.EOF) {
		err = errors.New("it ends too early")
	}
	return notReadable("the workbook is damaged (%v); "+askAgain, err)
}

// Is reports whether an archive holds a workbook that Open reads.
func Is(z *zip.Reader) bool {
	return has(z, "xl/workbook.xml") || has(z, "_rels/.rels") || has(z, "content.xml")
}

func has(z *zip.Reader, name string) bool {
	for _, f := range z.File {
		if f.Name == name {
			return true
		}
	}
	return false
}

// Open opens the workbook in an archive of so many bytes. The end of ctx ends
// the opening.
func Open(ctx context.Context, z *zip.Reader, packed int64) (*Book, error) {
	z.RegisterDecompressor(zip.Deflate, flate.NewReader)
	b := &Book{zip: z, packed: packed, parts: map[string]*zip.File{}, surveying: newGate(), surveys: map[int]*Survey{}}
	for _, f := range z.File {
		if name := strings.ToLower(f.Name); b.parts[name] == nil {
			b.parts[name] = f
		}
	}
	var err error
	switch {
	case has(z, "xl/workbook.bin"):
		return nil, notReadable("the file is a binary workbook (XLSB), which is not read; ask for it as XLSX or CSV")
	case has(z, "word/document.xml"):
		return nil, notReadable("the file is a text document, not a workbook; ask for its table as XLSX or CSV")
	case has(z, "ppt/presentation.xml"):
		return nil, notReadable("the file is a set of slides, not a workbook; ask for its table as XLSX or CSV")
	case has(z, "content.xml"):
		err = b.openODS(ctx)
	default:
		err = b.openXLSX(ctx)
	}
	if err != nil {
		return nil, err
	}
	if len(b.Sheets) == 0 {
		return nil, notReadable("the workbook holds no sheet of cells; " + askAgain)
	}
	return b, nil
}

// part finds a part of the archive, nil where it has none of the name.
func (b *Book) part(name string) *zip.File {
	return b.parts[strings.ToLower(name)]
}

// open opens a part of the archive. The end of ctx ends its reading.
func (b *Book) open(ctx context.Context, name string) (io.ReadCloser, error) {
	f := b.part(name)
	if f == nil {
		return nil, damaged(fmt.Errorf("its part %s is missing", name))
	}
	if f.Flags&1 != 0 {
		return nil, notReadable("the workbook is protected by a password; ask the sender for it without")
	}
	r, err := f.Open()
	if err != nil {
		return nil, damaged(err)
	}
	most := int64(f.CompressedSize64)*maxRatio + alwaysFits
	text, err := decoded(&limited{fault.Until(ctx, r), most})
	if err != nil {
		r.Close()
		return nil, damaged(err)
	}
	return struct {
		io.Reader
		io.Closer
	}{text, r}, nil
}

// Rows reads one sheet from top to bottom.
type Rows struct {
	sheet  sheetReader
	ahead  *ahead
	size   int64
	budget *budget
}

// sheetReader is a sheet in one of the formats.
type sheetReader interface {
	next(row *Row) error
	hiddenColumns() []Range
	mergedCells() []Range
}

// Read begins to read a sheet, named by its place in Sheets. The end of ctx ends
// the reading.
func (b *Book) Read(ctx context.Context, sheet int) (*Rows, error) {
	name := b.Sheets[sheet].part
	part, err := b.open(ctx, name)
	if err != nil {
		return nil, err
	}
	r := &Rows{ahead: readAhead(part), size: int64(b.part(name).UncompressedSize64), budget: newBudget(b.packed)}
	if b.xlsx != nil {
		r.sheet, err = b.readXLSX(ctx, r.ahead)
	} else {
		r.sheet, err = readODS(r.ahead, sheet)
	}
	if err != nil {
		r.Close()
		return nil, err
	}
	return r, nil
}

// Next reads the next row that holds a filled cell; io.EOF after the last.
func (r *Rows) Next(row *Row) error {
	err := r.sheet.next(row)
	if err == nil {
		return r.budget.charge(row)
	}
	if err != io.EOF {
		return damaged(err)
	}
	return err
}

// Charge counts cells that a reader adds to a row of the sheet: what all cells
// unfold to is bounded.
func (r *Rows) Charge(row *Row) error { return r.budget.charge(row) }

// Taken returns how many bytes of the sheet's markup were read so far.
func (r *Rows) Taken() int64 { return r.ahead.taken }

// Size returns how many bytes the sheet's markup has in all.
func (r *Rows) Size() int64 { return r.size }

// HiddenColumns returns the columns that do not show, known from the start.
func (r *Rows) HiddenColumns() []Range { return r.sheet.hiddenColumns() }

// Close ends the reading.
func (r *Rows) Close() error { return r.ahead.Close() }

// ahead unpacks on a goroutine of its own while the cells are read.
type ahead struct {
	full, free chan []byte
	stop, done chan struct{}
	rest, buf  []byte
	err        error
	taken      int64
}

func readAhead(r io.ReadCloser) *ahead {
	const chunks = 4
	a := &ahead{full: make(chan []byte, chunks), free: make(chan []byte, chunks), stop: make(chan struct{}),
		done: make(chan struct{})}
	for range chunks {
		a.free <- make([]byte, 128<<10)
	}
	go func() {
		defer close(a.done)
		defer close(a.full)
		defer r.Close()
		defer fault.Recover(&a.err, func() string { return "unpacking a sheet" })
		for {
			select {
			case <-a.stop:
				return
			case b := <-a.free:
				n, err := 0, error(nil)
				for b = b[:cap(b)]; n < len(b) && err == nil; {
					var m int
					m, err = r.Read(b[n:])
					n += m
				}
				if n > 0 {
					a.full <- b[:n] // holds all chunks, never blocks
				}
				if err != nil {
					a.err = err
					return
				}
			}
		}
	}()
	return a
}

func (a *ahead) Read(p []byte) (int, error) {
	if len(a.rest) == 0 {
		if a.buf != nil {
			a.free <- a.buf
			a.buf = nil
		}
		b, ok := <-a.full
		if !ok {
			return 0, a.err
		}
		a.buf, a.rest = b, b
	}
	n := copy(p, a.rest)
	a.rest = a.rest[n:]
	a.taken += int64(n)
	return n, nil
}

func (a *ahead) Close() error {
	select {
	case <-a.stop:
	default:
		close(a.stop)
	}
	<-a.done
	return nil
}

// What tells what a file is that begins with the magic of old binary documents.
func What(r io.ReaderAt, size int64) error {
	// Names of streams stand in UTF-16 in a directory anywhere in the file.
	stream := func(name string) []byte {
		var wide []byte
		for i := range len(name) {
			wide = append(wide, name[i], 0)
		}
		return wide
	}
	const window = 1 << 20
	found := map[string]bool{}
	buf := make([]byte, window+64)
	for at := int64(0); at < size; at += window {
		n, _ := r.ReadAt(buf, at)
		for _, name := range []string{"EncryptedPackage", "Workbook", "Book", "WordDocument", "PowerPoint Document"} {
			if bytes.Contains(buf[:n], stream(name)) {
				found[name] = true
			}
		}
	}
	switch {
	case found["EncryptedPackage"]:
		return notReadable("the workbook is protected by a password; ask the sender for it without")
	case found["WordDocument"], found["PowerPoint Document"]:
		return notReadable("the file is an old binary document, not a workbook; ask for its table as XLSX or CSV")
	case found["Workbook"], found["Book"]:
		return notReadable("the file is an old binary workbook (XLS), which is not read; ask for it as XLSX or CSV, " +
			"or save it as such")
	}
	return notReadable("the file is an old binary document; ask for it as XLSX or CSV")
}

package source

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"sieb/core/fault"
	"sieb/core/layout"
	"sieb/core/workbook"
)

// File is a delivery on disk and the layout that it is read by.
type File struct {
	Name     string // without folders
	Size     int64  // of the table's bytes, unpacked where they were compressed
	Packing  string // gzip, zip or zstd; "" for none
	Inner    string // name of the file inside a ZIP archive
	Layout   layout.Layout
	Evidence []layout.Evidence
	Longest  int // bytes that a row may have; 0 stands for 128 MiB

	bounds    Bounds
	f         *os.File
	delivered *os.File       // the file as it came; f, or the compressed one
	book      *workbook.Book // of workbook form
	isProved  bool           // its bytes are those that arrived
}

// Open opens a delivery within the usual bounds; see Bounds.Open.
func Open(ctx context.Context, path string, given layout.Given) (*File, error) {
	return Bounds{}.Open(ctx, path, given)
}

// Open opens a delivery and detects its layout around the given settings. The end
// of ctx ends it.
func (b Bounds) Open(ctx context.Context, path string, given layout.Given) (d *File, err error) {
	defer fault.Recover(&err, func() string { return "finding out how " + filepath.Base(path) + " is read" })
	f, err := b.open(ctx, path)
	if err != nil {
		return nil, err
	}
	d = &File{Name: filepath.Base(path), bounds: b, f: f, delivered: f}
	if err := d.prepare(ctx, given); err != nil {
		d.Close()
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return d, nil
}

func (b Bounds) open(ctx context.Context, path string) (*os.File, error) {
	info, err := os.Stat(path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, fmt.Errorf("there is no file %s; check the name and the folder", path)
	case err != nil:
		return nil, fmt.Errorf("%s cannot be opened: %w", path, fault.Cause(err))
	case info.IsDir():
		return nil, fmt.Errorf("%s is a folder; name one file in it", path)
	}
	f, err := os.Open(path)
	if err != nil {
		if errors.Is(err, fs.ErrPermission) {
			return nil, fmt.Errorf("%s must not be read by this user; ask for permission to read it", path)
		}
		return nil, fmt.Errorf("%s cannot be opened: %w", path, fault.Cause(err))
	}
	if info.Mode().IsRegular() {
		return f, nil
	}
	return b.spool(ctx, f)
}

// spool copies a pipe to a file without a name, since a delivery is read more
// than once.
func (b Bounds) spool(ctx context.Context, pipe *os.File) (*os.File, error) {
	defer pipe.Close()
	// A pipe to which nobody writes is let go by closing it.
	defer context.AfterFunc(ctx, func() { pipe.Close() })()
	f, err := b.Temporary()
	if err != nil {
		return nil, err
	}
	_, err = fault.Copy(f, pipe, unpacking)
	if ctx.Err() != nil {
		err = context.Cause(ctx)
	}
	if err != nil {
		f.Close()
		return nil, err
	}
	return f, nil
}

// prepare unpacks the file where it is compressed, and detects its layout.
func (d *File) prepare(ctx context.Context, given layout.Given) error {
	info, err := d.f.Stat()
	if err != nil {
		return err
	}
	d.Size = info.Size()
	if err := d.bounds.Content.Size(d.Size); err != nil {
		return err
	}
	if d.book, err = openBook(ctx, d.f, d.Size); err != nil {
		return err
	}
	if d.book == nil {
		content, inner, packing, err := d.bounds.unpack(ctx, d.f, d.Size, given.Member)
		if err != nil {
			return err
		}
		if content != nil {
			d.f, d.Inner, d.Packing = content, inner, packing
			if info, err = content.Stat(); err != nil {
				return err
			}
			d.Size = info.Size()
			if d.book, err = openBook(ctx, d.f, d.Size); err != nil {
				return err
			}
		}
	}
	return d.detect(ctx, given)
}

// detect detects the layout around the given settings.
func (d *File) detect(ctx context.Context, given layout.Given) (err error) {
	if err := given.Check(); err != nil {
		return err
	}
	if d.book != nil {
		err = d.detectSheet(ctx, given)
	} else {
		err = d.detectText(ctx, given)
	}
	if err != nil {
		return err
	}
	if given.Member != nil && d.Packing == "zip" {
		d.Layout.Member = *given.Member
	}
	return d.Layout.Check()
}

func (d *File) detectText(ctx context.Context, given layout.Given) error {
	if given.Form != nil && *given.Form == layout.Workbook {
		return errors.New("the file is no workbook; leave the form to be detected")
	}
	sample, err := d.sample()
	if err != nil {
		return err
	}
	if err := notTable(sample.Head); err != nil {
		return err
	}
	if d.Layout, d.Evidence, err = layout.Detect(ctx, sample, given); err != nil {
		return err
	}
	if n := bytes.Count(sample.Head, []byte{0}); n > len(sample.Head)/10 &&
		!strings.HasPrefix(d.Layout.Encoding, "utf-16") && !strings.HasPrefix(d.Layout.Encoding, "utf-32") {
		return fmt.Errorf("%d of the first %d bytes are zero: the file is not text; ask for it as CSV in UTF-8", n,
			len(sample.Head))
	}
	return nil
}

func (d *File) detectSheet(ctx context.Context, given layout.Given) error {
	if given.Form != nil && *given.Form != layout.Workbook {
		return errors.New("the file is a workbook; leave the form to be detected")
	}
	k, why, err := layout.ChooseSheet(ctx, d.book, given)
	if err != nil {
		return err
	}
	survey, err := d.book.Survey(ctx, k)
	if err != nil {
		return err
	}
	d.Layout, d.Evidence = layout.DetectSheet(survey, given, why)
	return nil
}

// openBook opens a workbook; nil where the file is none.
func openBook(ctx context.Context, f *os.File, size int64) (*workbook.Book, error) {
	magic := make([]byte, 8)
	if _, err := f.ReadAt(magic, 0); err != nil {
		return nil, nil // shorter than any workbook
	}
	switch {
	case bytes.HasPrefix(magic, []byte("\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1")):
		return nil, workbook.What(f, size)
	case !bytes.HasPrefix(magic, []byte("PK\x03\x04")):
		return nil, nil
	}
	z, err := readArchive(f, size)
	if err != nil {
		return nil, damaged("zip", err)
	}
	if !workbook.Is(z) {
		return nil, nil
	}
	return workbook.Open(ctx, z, size)
}

// Sheets returns the sheets of a workbook; nil for any other delivery.
func (d *File) Sheets() []workbook.Sheet {
	if d.book == nil {
		return nil
	}
	return d.book.Sheets
}

// Top returns the first filled rows of the workbook's sheet, at most n.
func (d *File) Top(ctx context.Context, n int) ([]workbook.Line, error) {
	k, err := layout.FindSheet(d.book, d.Layout.Sheet)
	if err != nil {
		return nil, err
	}
	return d.book.Top(ctx, k, n)
}

// sample reads head, tail and windows between them, which touch where the file
// is not too large for that. Windows begin at multiples of four bytes, so that
// no character of UTF-16 or UTF-32 is cut.
func (d *File) sample() (s layout.Sample, err error) {
	read := func(at, n int64) []byte {
		b := make([]byte, min(n, max(0, d.Size-at)))
		if _, e := d.f.ReadAt(b, at); e != nil && e != io.EOF && err == nil {
			err = fault.Cause(e)
		}
		return b
	}
	s.Head = read(0, layout.HeadBytes)
	if d.Size <= layout.HeadBytes {
		return s, err
	}
	tail := max(layout.HeadBytes, (d.Size-layout.TailBytes)/4*4)
	s.Tail = read(tail, layout.TailBytes+4)
	between := tail - layout.HeadBytes
	windows := min((between+layout.WindowBytes-1)/layout.WindowBytes, layout.MaxWindows)
	for i := range windows {
		s.Windows = append(s.Windows, read((layout.HeadBytes+between*i/windows)/4*4, min(layout.WindowBytes, between)))
	}
	return s, err
}

// Rows reads the delivery from its start. What passes is copied to each of
// the copies, which sees every byte once the last row is read; a delivery that
// is packed, as workbooks are, is copied as it came before the first row. What
// is not read to its end is to be given to Close. The end of ctx ends the reading.
//
// Where it is known what the bytes are to be, they are proved in the first reading that gets to their
// end: a *Damaged error comes in the place of the last row.
func (d *File) Rows(ctx context.Context, copies ...io.Writer) (Source, error) {
	r := fault.Until(ctx, io.NewSectionReader(d.f, 0, d.Size))
	all := io.MultiWriter(copies...)
	isToProve := d.bounds.Content.SHA256 != "" && !d.isProved
	prove := func(r io.Reader) io.Reader {
		if !isToProve {
			return r
		}
		return d.bounds.Content.Prove(r, func() { d.isProved = true })
	}
	if isPacked := d.Packing != "" || d.book != nil; isPacked && (len(copies) > 0 || isToProve) {
		delivered, _, err := d.Delivered()
		if err != nil {
			return nil, err
		}
		if _, err := io.Copy(all, prove(fault.Until(ctx, delivered))); err != nil {
			return nil, err
		}
	} else if !isPacked {
		if r = prove(r); len(copies) > 0 {
			r = io.TeeReader(r, all)
		}
	}
	if d.book == nil {
		return newReader(r, d.Layout, cmp.Or(d.Longest, maxRow), d.bounds.columns())
	}
	return newSheet(ctx, d.book, d.Layout, d.Size)
}

// Delivered reads the file as it came, and gives its size.
func (d *File) Delivered() (io.Reader, int64, error) {
	info, err := d.delivered.Stat()
	if err != nil {
		return nil, 0, err
	}
	return io.NewSectionReader(d.delivered, 0, info.Size()), info.Size(), nil
}

// Is reports whether a file is the one that is read, under any of its names.
func (d *File) Is(file os.FileInfo) bool {
	info, err := d.delivered.Stat()
	return err == nil && os.SameFile(info, file)
}

// Close closes the file.
func (d *File) Close() error {
	if d.f != d.delivered {
		d.f.Close() // no loss: what was unpacked is only read
	}
	return d.delivered.Close()
}

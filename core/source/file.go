package source

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"

	"sieb/core/layout"
)

// File is a delivery on disk and the layout that it is read by.
type File struct {
	Name     string // without folders
	Size     int64
	Layout   layout.Layout
	Evidence []layout.Evidence

	f *os.File
}

// Open opens a delivery and detects its layout around the given settings.
func Open(path string, given layout.Given) (*File, error) {
	f, err := open(path)
	if err != nil {
		return nil, err
	}
	d := &File{Name: filepath.Base(path), f: f}
	if err := d.detect(given); err != nil {
		f.Close()
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return d, nil
}

func open(path string) (*os.File, error) {
	info, err := os.Stat(path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, fmt.Errorf("there is no file %s; check the name and the folder", path)
	case err != nil:
		return nil, fmt.Errorf("%s cannot be opened: %w", path, cause(err))
	case info.IsDir():
		return nil, fmt.Errorf("%s is a folder; name one file in it", path)
	}
	f, err := os.Open(path)
	if err != nil {
		if errors.Is(err, fs.ErrPermission) {
			return nil, fmt.Errorf("%s must not be read by this user; ask for permission to read it", path)
		}
		return nil, fmt.Errorf("%s cannot be opened: %w", path, cause(err))
	}
	if info.Mode().IsRegular() {
		return f, nil
	}
	return spool(f)
}

// spool copies a pipe to a file without a name, since a delivery is read more
// than once.
func spool(pipe *os.File) (*os.File, error) {
	defer pipe.Close()
	f, err := os.CreateTemp("", "sieb-*")
	if err != nil {
		return nil, err
	}
	if err = os.Remove(f.Name()); err == nil {
		_, err = io.Copy(f, pipe)
	}
	if err != nil {
		f.Close()
		return nil, err
	}
	return f, nil
}

// cause strips the operation and path that package os puts before an error.
func cause(err error) error {
	if path := (*fs.PathError)(nil); errors.As(err, &path) {
		return path.Err
	}
	return err
}

func (d *File) detect(given layout.Given) error {
	info, err := d.f.Stat()
	if err != nil {
		return err
	}
	d.Size = info.Size()
	head := make([]byte, min(d.Size, layout.HeadBytes))
	if _, err := d.f.ReadAt(head, 0); err != nil && err != io.EOF {
		return cause(err)
	}
	var tail []byte
	if d.Size > layout.HeadBytes {
		tail = make([]byte, min(d.Size-layout.HeadBytes, layout.TailBytes))
		if _, err := d.f.ReadAt(tail, d.Size-int64(len(tail))); err != nil && err != io.EOF {
			return cause(err)
		}
	}
	if err := notText(head); err != nil {
		return err
	}
	d.Layout, d.Evidence = layout.Detect(head, tail, given)
	return d.Layout.Check()
}

// notText says what a file is that holds no delimited text.
func notText(head []byte) error {
	for _, kind := range []struct{ magic, what string }{
		{"PK\x03\x04", "a ZIP archive or a workbook (XLSX, ODS)"},
		{"\x1f\x8b", "compressed with gzip"},
		{"\x28\xb5\x2f\xfd", "compressed with zstd"},
		{"\xd0\xcf\x11\xe0", "an old binary workbook or document"},
		{"%PDF-", "a PDF"},
		{"\xff\xfe", "text in UTF-16 or UTF-32"},
		{"\xfe\xff", "text in UTF-16"},
		{"\x00\x00\xfe\xff", "text in UTF-32"},
	} {
		if bytes.HasPrefix(head, []byte(kind.magic)) {
			return fmt.Errorf("the file is %s, not delimited text in UTF-8, Windows-1252 or ISO-8859-1; ask for it as CSV, or save it as such", kind.what)
		}
	}
	if n := bytes.Count(head, []byte{0}); n > len(head)/10 {
		return fmt.Errorf("the file holds %d zero bytes in its first %d: it is not text in an encoding that can be read; ask for it as CSV in UTF-8", n, len(head))
	}
	return nil
}

// Rows reads the delivery from its start. What passes is copied to each of
// the copies, which sees every byte once the last row is read.
func (d *File) Rows(copies ...io.Writer) (*Reader, error) {
	var r io.Reader = io.NewSectionReader(d.f, 0, d.Size)
	if len(copies) > 0 {
		r = io.TeeReader(r, io.MultiWriter(copies...))
	}
	return NewReader(r, d.Layout)
}

// Bytes reads the delivery as it is.
func (d *File) Bytes() io.Reader { return io.NewSectionReader(d.f, 0, d.Size) }

// Close closes the file.
func (d *File) Close() error { return d.f.Close() }

package source

import (
	"archive/zip"
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"strings"

	"github.com/klauspost/compress/zstd"
)

const (
	// maxRatio is how many times its size a compressed delivery may unpack to,
	// beyond what is always allowed. Tables compress to a tenth or a fiftieth;
	// what is made to fill a disk goes far beyond.
	maxRatio    = 300
	alwaysFits  = 64 << 20
	namesListed = 8
)

// unpack replaces a compressed file by its content. It returns nil where the
// file is not compressed.
func unpack(f *os.File, size int64) (content *os.File, inner, packing string, err error) {
	magic := make([]byte, 4)
	if _, err := f.ReadAt(magic, 0); err != nil {
		return nil, "", "", nil // shorter than any compressed file
	}
	all := io.NewSectionReader(f, 0, size)
	var r io.Reader
	switch {
	case bytes.HasPrefix(magic, []byte("\x1f\x8b")):
		packing = "gzip"
		r, err = gzip.NewReader(all)
	case bytes.HasPrefix(magic, []byte("\x28\xb5\x2f\xfd")):
		packing = "zstd"
		var z *zstd.Decoder
		if z, err = zstd.NewReader(all, zstd.WithDecoderMaxMemory(256<<20)); err == nil {
			defer z.Close()
			r = z
		}
	case bytes.HasPrefix(magic, []byte("PK\x03\x04")):
		packing = "zip"
		var z io.ReadCloser
		if z, inner, err = openZIP(all); err == nil {
			defer z.Close()
			r = z
		}
	default:
		return nil, "", "", nil
	}
	var told *unreadable
	if errors.As(err, &told) {
		return nil, "", "", err
	} else if err != nil {
		return nil, "", "", damaged(packing, err)
	}
	content, err = temporary()
	if err != nil {
		return nil, "", "", err
	}
	most := size*maxRatio + alwaysFits
	n, err := io.Copy(content, io.LimitReader(r, most+1))
	switch {
	case err != nil:
		err = damaged(packing, err)
	case n > most:
		err = fmt.Errorf("the %s file unpacks to more than %d times its size, which no table does; ask the sender what it is", packing, maxRatio)
	}
	if err != nil {
		content.Close()
		return nil, "", "", err
	}
	return content, inner, packing, nil
}

func damaged(packing string, err error) error {
	if packing == "zip" {
		return fmt.Errorf("the file is a ZIP archive or a workbook, and damaged (%w); ask the sender for it again, best as CSV", err)
	}
	return fmt.Errorf("the file is compressed with %s and damaged (%w); ask the sender for it again", packing, err)
}

// unreadable is a file that is whole, but not one that can be read.
type unreadable struct{ what string }

func (u *unreadable) Error() string { return u.what }

// openZIP opens the only file of a ZIP archive.
func openZIP(r *io.SectionReader) (io.ReadCloser, string, error) {
	z, err := zip.NewReader(r, r.Size())
	if err != nil {
		return nil, "", err
	}
	var files []*zip.File
	var names []string
	for _, f := range z.File {
		switch {
		case f.FileInfo().IsDir() || strings.HasPrefix(f.Name, "__MACOSX/") || strings.HasPrefix(path.Base(f.Name), "."):
			continue
		}
		files = append(files, f)
		names = append(names, f.Name)
	}
	switch {
	case len(files) == 0:
		return nil, "", &unreadable{"the ZIP archive holds no file"}
	case len(files) > 1:
		list := strings.Join(names[:min(len(names), namesListed)], ", ")
		if len(names) > namesListed {
			list += ", …"
		}
		return nil, "", &unreadable{fmt.Sprintf("the ZIP archive holds %d files (%s); take them out and hand in each", len(files), list)}
	case files[0].Flags&1 != 0:
		return nil, "", &unreadable{"the file in the ZIP archive is protected by a password; ask the sender for it without"}
	}
	content, err := files[0].Open()
	return content, path.Base(files[0].Name), err
}

// temporary makes a file without a name, which goes when it is closed.
func temporary() (*os.File, error) {
	f, err := os.CreateTemp("", "sieb-*")
	if err != nil {
		return nil, err
	}
	if err := os.Remove(f.Name()); err != nil {
		f.Close()
		return nil, err
	}
	return f, nil
}

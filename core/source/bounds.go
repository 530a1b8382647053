package source

import (
	"archive/zip"
	"cmp"
	"errors"
	"fmt"
	"io"
	"os"
	"sieb/core/spill"
	"sync/atomic"
)

// Bounds are what opening and reading a delivery may take. The zero Bounds are
// the usual ones; docs/limits.md lists all.
type Bounds struct {
	Columns int    // of a table, at most; 0 stands for 16,384
	Scratch string // folder for what is unpacked; "" stands for the system's
	Content Content
}

// Of returns the bounds for a delivery that is kept, whose bytes are proved.
func (b Bounds) Of(c Content) Bounds {
	b.Content = c
	return b
}

const (
	batchBytes = 256 << 10
	// maxRow bounds the memory that one row may take.
	maxRow     = 128 << 20
	maxColumns = 1 << 14
	// maxRatio is how many times its size a compressed delivery may unpack to,
	// beyond what is always allowed. Tables compress to a tenth or a fiftieth;
	// what is made to fill a disk goes far beyond.
	maxRatio    = 300
	alwaysFits  = 64 << 20
	namesListed = 8
	unpacking   = "unpacking the delivery"
	// maxDirectory is what the list of files in an archive may take: 64 MiB
	// name about half a million files.
	maxDirectory = 64 << 20
)

func (b Bounds) columns() int { return cmp.Or(b.Columns, maxColumns) }

// checkWidth says that a table is too wide, on a line of the delivery.
func checkWidth(width, most int, line int64) error {
	if width <= most {
		return nil
	}
	return &unreadable{fmt.Sprintf("line %d: the table has more than %d columns, which is the most that are read; "+
		"look at the delimiter, or raise the bound (--max-columns) if the table is meant to be so wide",
		line, most)}
}

// Temporary makes a file without a name, which goes when it is closed.
func (b Bounds) Temporary() (*os.File, error) {
	return spill.Unnamed(b.Scratch)
}

// Temporary makes a file without a name where the delivery is unpacked to.
func (d *File) Temporary() (*os.File, error) { return d.bounds.Temporary() }

// readArchive reads the list of files in a ZIP archive, of bounded size.
func readArchive(f io.ReaderAt, size int64) (*zip.Reader, error) {
	bounded := &directory{r: f}
	bounded.left.Store(maxDirectory)
	z, err := zip.NewReader(bounded, size)
	bounded.left.Store(1 << 62)
	return z, err
}

// directory reads an archive; while its list of files is read, only so much.
type directory struct {
	r    io.ReaderAt
	left atomic.Int64
}

var errDirectory = errors.New("it lists more files than any sender packs together")

func (d *directory) ReadAt(p []byte, at int64) (int, error) {
	if d.left.Add(-int64(len(p))) < 0 {
		return 0, errDirectory
	}
	return d.r.ReadAt(p, at)
}

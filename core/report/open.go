package report

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"

	"sieb/core/outcome"
	"sieb/core/rfc4180"
	"sieb/core/source"
	"sieb/core/spill"
)

// Open opens a file that a run wrote. Runs of versions that left no rows out have no excluded.csv: it
// is as one without a row.
func Open(path string) (*os.File, error) {
	f, err := os.Open(path)
	if !errors.Is(err, fs.ErrNotExist) || filepath.Base(path) != ExcludedName {
		return f, err
	}
	if _, err := os.Stat(filepath.Join(filepath.Dir(path), ManifestName)); err != nil {
		return nil, err
	}
	if f, err = spill.Unnamed(""); err != nil {
		return nil, err
	}
	if _, err = f.Write(rfc4180.AppendRow(nil, outcome.ExcludedHeader...)); err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		f.Close()
		return nil, err
	}
	return f, nil
}

// Rows are the rows of a file that a run wrote.
type Rows struct {
	*source.Reader
	path string
	file *os.File
}

// OpenRows opens one of the CSV files that a run wrote into a folder, and stands before its first row.
func OpenRows(dir, name string) (*Rows, error) {
	path := filepath.Join(dir, name)
	f, err := Open(path)
	if err != nil {
		return nil, fmt.Errorf("the run's file cannot be read: %w", err)
	}
	r, err := source.Written(f)
	if err != nil {
		f.Close()
		return nil, fmt.Errorf("%s is damaged: %w; run the delivery again", path, err)
	}
	return &Rows{r, path, f}, nil
}

// From reads the rows from one on, at whose text the file has so many bytes behind it. The rows are closed with r.
func (r *Rows) From(row, offset int64) (*source.Reader, error) {
	return r.WrittenOn(io.NewSectionReader(r.file, offset, 1<<62-offset), row)
}

// Close ends reading.
func (r *Rows) Close() { r.file.Close() } // no loss: it is only read

package source

import "io"

// First reads only the first rows of a source: batches up to that which holds the last of
// them. What stands below the table is not looked for.
func First(src Source, rows int64) Source { return &first{src, rows} }

type first struct {
	Source
	left int64
}

func (f *first) Next(b *Batch) error {
	if f.left <= 0 {
		return io.EOF
	}
	err := f.Source.Next(b)
	f.left -= int64(len(b.Rows))
	return err
}

func (f *first) limit(rows int) { Limit(f.Source, rows) }

// Close ends the reading.
func (f *first) Close() error {
	Close(f.Source)
	return nil
}

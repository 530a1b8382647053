package spill

import (
	"cmp"
	"os"

	"sieb/core/fault"
)

// Unnamed makes a file without a name in a folder, "" for the system's, which goes when it is
// closed: where the system can, one that never has a name, so that nothing is left of a process
// that is killed.
func Unnamed(dir string) (*os.File, error) {
	dir = cmp.Or(dir, os.TempDir())
	if f := neverNamed(dir); f != nil {
		return f, nil
	}
	f, err := os.CreateTemp(dir, "sieb-*")
	if err != nil {
		return nil, fault.Writing(err, "making room in "+dir)
	}
	if err := os.Remove(f.Name()); err != nil {
		f.Close() // no loss: the file is empty
		return nil, err
	}
	return f, nil
}

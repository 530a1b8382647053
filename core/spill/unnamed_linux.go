package spill

import (
	"os"

	"golang.org/x/sys/unix"
)

// neverNamed makes a file that has no name, nil where the disk knows none.
func neverNamed(dir string) *os.File {
	f, err := os.OpenFile(dir, os.O_RDWR|unix.O_TMPFILE, 0o600)
	if err != nil {
		return nil
	}
	return f
}

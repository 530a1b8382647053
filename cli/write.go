package cli

import (
	"bufio"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"sieb/core/fault"
	"sieb/core/source"
)

// writeFile writes a file whole, or leaves what was there: it is written under
// another name beside its own, which it takes when it is complete. It is never
// written over the delivery that was read (nil for none). What is no ordinary
// file, such as /dev/stdout, is written to as it is.
func writeFile(path string, delivery *source.File, fill func(*bufio.Writer) error) (err error) {
	old, err := os.Stat(path)
	switch {
	case err == nil && delivery != nil && delivery.Is(old):
		return fmt.Errorf("%s is the file that is read, and is not written over; choose another name", path)
	case err == nil && old.IsDir():
		return fmt.Errorf("%s is a folder; name a file in it", path)
	case err == nil && !old.Mode().IsRegular():
		f, err := os.OpenFile(path, os.O_WRONLY, 0)
		if err != nil {
			return fault.Writing(err, "writing "+path)
		}
		return fault.Writing(errors.Join(put(f, fill), f.Close()), "writing "+path)
	}
	f, err := os.CreateTemp(filepath.Dir(path), "."+filepath.Base(path)+".*.partial")
	if err != nil {
		return fault.Writing(err, "writing "+path)
	}
	defer func() {
		if err != nil {
			os.Remove(f.Name())
		}
	}()
	mode := fs.FileMode(0o644)
	if old != nil {
		mode = old.Mode().Perm()
	}
	err = errors.Join(f.Chmod(mode), put(f, fill))
	if err == nil {
		err = f.Sync()
	}
	if err = errors.Join(err, f.Close()); err == nil {
		err = os.Rename(f.Name(), path)
	}
	return fault.Writing(err, "writing "+path)
}

// writeText is writeFile of a text that is at hand.
func writeText(path string, delivery *source.File, text []byte) error {
	return writeFile(path, delivery, func(w *bufio.Writer) error { _, err := w.Write(text); return err })
}

func put(f *os.File, fill func(*bufio.Writer) error) error {
	w := bufio.NewWriter(f)
	if err := fill(w); err != nil {
		return err
	}
	return w.Flush()
}

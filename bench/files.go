package main

import (
	"bufio"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"

	"sieb/demo"
)

// write makes a file by writing to it.
func (b *bench) write(name string, fill func(w io.Writer) error) (string, error) {
	path := filepath.Join(b.dir, name)
	f, err := os.Create(path)
	if err != nil {
		return "", err
	}
	defer f.Close()
	w := bufio.NewWriterSize(f, 1<<20)
	if err := fill(w); err != nil {
		return "", err
	}
	if err := w.Flush(); err != nil {
		return "", err
	}
	return path, f.Sync()
}

// tickets makes the delivery to measure with.
func (b *bench) tickets() (path string, rows int, err error) {
	path, err = b.write(fmt.Sprintf("tickets-%d.csv", b.size), func(w io.Writer) (err error) {
		rows, err = demo.Large(w, b.size)
		return err
	})
	return path, rows, err
}

// recoded writes the delivery in other encodings.
func (b *bench) recoded(csv string) (latin, wide string, err error) {
	in := func(name string, t transform.Transformer) (path string) {
		if err != nil {
			return ""
		}
		path, err = b.write(name, func(w io.Writer) error {
			f, err := os.Open(csv)
			if err != nil {
				return err
			}
			defer f.Close()
			_, err = io.Copy(w, transform.NewReader(f, t))
			return err
		})
		return path
	}
	latin = in("tickets-windows-1252.csv", charmap.Windows1252.NewEncoder())
	wide = in("tickets-utf-16le.csv", unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder())
	return latin, wide, err
}

// workbook makes a sheet of 16 columns: whole numbers, texts, fractions, dates.
func (b *bench) workbook(rows int) (string, error) {
	path := filepath.Join(b.dir, "tickets.xlsx")
	f := excelize.NewFile()
	defer f.Close()
	date, err := f.NewStyle(&excelize.Style{NumFmt: 14})
	if err != nil {
		return "", err
	}
	w, err := f.NewStreamWriter("Sheet1")
	if err != nil {
		return "", err
	}
	row := make([]any, 16)
	for i := range row {
		row[i] = fmt.Sprintf("column %d", i+1)
	}
	for n := 0; ; n++ {
		at, err := excelize.CoordinatesToCellName(1, n+1)
		if err != nil {
			return "", err
		}
		if err := w.SetRow(at, row); err != nil {
			return "", err
		}
		if n == rows {
			break
		}
		for i := range row {
			switch i % 4 {
			case 0:
				row[i] = 9000 + (n*i)%31000
			case 1:
				row[i] = fmt.Sprintf("field %d & meadow", n%5000)
			case 2:
				row[i] = float64(95+n%900) / 10
			case 3:
				row[i] = excelize.Cell{StyleID: date, Value: 46000 + n%300}
			}
		}
	}
	if err := w.Flush(); err != nil {
		return "", err
	}
	return path, f.SaveAs(path)
}

// huge repeats the delivery until the file has so many bytes.
func (b *bench) huge(csv string, size int64) (string, error) {
	path := filepath.Join(b.dir, "huge.csv")
	out, err := os.Create(path)
	if err != nil {
		return "", err
	}
	defer out.Close()
	for n := int64(0); n < size; {
		in, err := os.Open(csv)
		if err != nil {
			return "", err
		}
		k, err := io.Copy(out, in)
		in.Close()
		if err != nil {
			return "", err
		}
		n += k
	}
	return path, out.Close()
}

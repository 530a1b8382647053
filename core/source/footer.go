package source

import (
	"errors"
	"io"
	"strings"
)

// maxFooter is how many bytes of a footer are kept.
const maxFooter = 64 << 10

// Footer returns the text of the lines below the table, which the layout's footerRows
// counts: in UTF-8 and at most 64 KiB of it, the cells of a sheet with tabs between them.
// It is known once Next has returned io.EOF.
func Footer(src Source) (string, error) {
	switch s := src.(type) {
	case *Reader:
		return strings.ToValidUTF8(string(s.buf[:min(len(s.buf), maxFooter)]), "\uFFFD"), nil
	case *sheet:
		return s.footer()
	case *carrying:
		return Footer(s.Source)
	}
	return "", nil
}

// footer reads the rows below the table.
func (s *sheet) footer() (string, error) {
	var lines strings.Builder
	for lines.Len() < maxFooter {
		if err := s.read(); errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			return "", err
		}
		s.hasNext = false
		for i, c := range s.next.Cells {
			if i > 0 {
				lines.WriteByte('\t')
			}
			lines.Write(s.next.Text[c.Start:c.End])
		}
		lines.WriteByte('\n')
	}
	return lines.String(), nil
}

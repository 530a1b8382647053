package delimited

import "unicode/utf8"

// CutLine appends the places of the cells of buf[start:end], a line of fixed
// width: cuts are the places, counted in characters from 0, at which a new cell
// begins, in order. Blanks around a cell are padding and left out. Where the
// line ends before a cell begins, the cell is empty.
func CutLine(cells []Span, buf []byte, start, end int, cuts []int) []Span {
	from, char := start, 0
	at := start
	for _, cut := range cuts {
		for ; char < cut && at < end; char++ {
			if buf[at] < utf8.RuneSelf {
				at++
			} else {
				_, n := utf8.DecodeRune(buf[at:end])
				at += n
			}
		}
		cells = append(cells, unpadded.trimmed(buf, Span{uint32(from), uint32(at)}))
		from = at
	}
	return append(cells, unpadded.trimmed(buf, Span{uint32(from), uint32(end)}))
}

// unpadded is the dialect by which blanks are taken off both ends of a cell.
var unpadded = Dialect{Trim: true}

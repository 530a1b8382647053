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
		cells = append(cells, padded(buf, from, at))
		from = at
	}
	return append(cells, padded(buf, from, end))
}

// padded takes blanks off both ends of a cell.
func padded(buf []byte, from, to int) Span {
	for from < to && (buf[from] == ' ' || buf[from] == '\t') {
		from++
	}
	for to > from && (buf[to-1] == ' ' || buf[to-1] == '\t') {
		to--
	}
	return Span{uint32(from), uint32(to)}
}

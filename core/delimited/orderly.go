package delimited

import (
	"bytes"
	"encoding/binary"
	"math/bits"
)

// IsOrderly reports whether a line is a record by itself that Scan reads without a defect: each
// quote in it encloses a cell or is doubled inside one. It tells so much faster than Scan, and
// leaves the cells for AppendQuoted to find on another goroutine. It knows the dialects in which
// deliveries with every cell quoted come, those of one byte each whose quotes are doubled; of
// any other it reports false, as of a line that takes a closer look.
func (d *Dialect) IsOrderly(line []byte) bool {
	if len(d.Quote) != 1 || len(d.Delimiter) != 1 || d.Trim || d.Escape != "" && d.Escape != d.Quote {
		return false
	}
	if d.Most > 0 && len(line) >= d.Most { // it may have more cells than that
		return false
	}
	quote, delimiter := d.Quote[0], d.Delimiter[0]
	if quote == 0 || delimiter == 0 { // as which the end of a text would count
		return false
	}
	pattern := ones * uint64(quote)
	inside, doubled := false, -1
	for i := 0; i < len(line); i += 8 {
		for hit := zeros(word(line[i:]) ^ pattern); hit != 0; hit &= hit - 1 {
			at := i + bits.TrailingZeros64(hit)>>3
			switch {
			case at == doubled:
			case !inside:
				if at > 0 && line[at-1] != delimiter {
					return false
				}
				inside = true
			case at+1 == len(line) || line[at+1] == delimiter:
				inside = false
			case line[at+1] == quote:
				doubled = at + 1
			default:
				return false
			}
		}
	}
	return !inside
}

// AppendQuoted appends the places of the cells of the line buf[start:end], which is orderly,
// and to escaped which of all cells hold doubled quotes.
func (d *Dialect) AppendQuoted(cells []Span, escaped []int, buf []byte, start, end int) ([]Span, []int) {
	quote, delimiter := d.Quote[0], d.Delimiter[0]
	for i := start; ; i++ {
		from := i
		if i == end || buf[i] != quote {
			if k := indexNear(buf[i:end], delimiter); k >= 0 {
				i += k
			} else {
				i = end
			}
			cells = append(cells, Span{uint32(from), uint32(i)})
		} else {
			isEscaped := false
			for i++; ; i += 2 {
				i += indexNear(buf[i:end], quote)
				if i+1 == end || buf[i+1] != quote {
					break
				}
				isEscaped = true
			}
			if isEscaped {
				escaped = append(escaped, len(cells))
			}
			cells = append(cells, Span{uint32(from + 1), uint32(i)})
			i++
		}
		if i == end {
			return cells, escaped
		}
	}
}

// indexNear is bytes.IndexByte for what is most often found within a few bytes, where a call
// costs more than the search.
func indexNear(text []byte, c byte) int {
	const near = 32
	for i := 0; i < min(near, len(text)); i += 8 {
		if hit := zeros(word(text[i:]) ^ ones*uint64(c)); hit != 0 {
			return i + bits.TrailingZeros64(hit)>>3
		}
	}
	if len(text) > near {
		if k := bytes.IndexByte(text[near:], c); k >= 0 {
			return near + k
		}
	}
	return -1
}

const ones = 0x0101010101010101

// zeros marks the highest bit of each byte of a word that is zero, and no other bit.
func zeros(x uint64) uint64 {
	const low7 = 0x7f * ones
	return ^((x&low7 + low7) | x | low7)
}

// word returns the first eight bytes of a text; behind its end there are bytes of zero.
func word(text []byte) uint64 {
	if len(text) >= 8 {
		return binary.LittleEndian.Uint64(text)
	}
	w := uint64(0)
	for i, c := range text {
		w |= uint64(c) << (8 * i)
	}
	return w
}

package check

import "bytes"

// AppendRow appends a row of the last block in canonical form, as RFC 4180
// with the target's columns. What stands in the batch as it is to be written goes in one piece.
func (j *Judge) AppendRow(dst []byte, row int) []byte {
	const short = 32
	n := len(j.lanes)
	k := row - j.from
	start := len(dst)
	arena := j.batch.Arena
	roomy := arena[:cap(arena)]
	i := 0
	if m := j.plan.leading; m > 1 && !j.moved[k] && j.batch.IsWritten(row) {
		i = m
		dst = append(dst, arena[j.lanes[0].texts[k].Start:j.lanes[m-1].texts[k].End]...)
		if i < n {
			dst = append(dst, ',')
		}
	}
	for i < n {
		// Cells that lie behind one another with a comma between them, as in
		// a delivery that needs no change, go in one piece.
		s := j.lanes[i].texts[k]
		for i++; i < n; i++ {
			next := j.lanes[i].texts[k]
			if next.Start != s.End+1 || arena[s.End] != ',' {
				break
			}
			s.End = next.End
		}
		from, size, end := int(s.Start), int(s.End-s.Start), len(dst)
		if size <= short && from+short <= len(roomy) && end+short < cap(dst) {
			// A copy of fixed length takes a few instructions, without a call.
			dst = dst[:end+short]
			*(*[short]byte)(dst[end:]) = *(*[short]byte)(roomy[from:])
			dst = dst[:end+size]
		} else {
			dst = append(dst, arena[s.Start:s.End]...)
		}
		if i < n {
			dst = append(dst, ',')
		}
	}
	// A lone null is a blank line, as PostgreSQL's COPY reads and writes it; a text
	// without characters is two quotes.
	dst = append(dst, '\n')
	if j.damage[k] {
		dst = append(dst[:start], bytes.ToValidUTF8(dst[start:], []byte("\uFFFD"))...)
	}
	return dst
}

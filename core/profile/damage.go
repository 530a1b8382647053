package profile

import (
	"slices"

	"sieb/core/lexical"
	"sieb/core/source"
	"sieb/core/violation"
)

// IsHeader reports whether a row repeats the header: each cell holds its column's name.
// Without a header, or with one of a single column, none does.
func IsHeader(b *source.Batch, row int, header []string) bool {
	if len(header) < 2 {
		return false
	}
	cells := b.Cells(row)
	if len(cells) < len(header) || b.Rows[row].Broken {
		return false
	}
	for k, name := range header {
		if text := b.Text(cells[k]); string(text) != name && string(lexical.Trim(text)) != name {
			return false
		}
	}
	return true
}

// Damaged reports which rows of a batch have cells that cannot be attributed: a quote
// was left open, or the width is wrong. Where rows leave out their last cells as a
// habit, short ones are whole. So are rows that repeat the header: their cells are no
// values.
func Damaged(dst []bool, b *source.Batch, ragged bool, header []string) []bool {
	dst = slices.Grow(dst[:0], len(b.Rows))[:len(b.Rows)]
	for i := range b.Rows {
		dst[i] = b.Rows[i].Broken || IsHeader(b, i, header)
	}
	for _, d := range b.Defects {
		if d.Row >= 0 && (d.Code == violation.RowLong || d.Code == violation.RowMisplaced ||
			d.Code == violation.RowShort && !ragged) {
			dst[d.Row] = true
		}
	}
	return dst
}

// Package packed carries the fields of rows from the encoders of a form to its packer, for forms that are put together
// from columns, or by a library, on one goroutine.
//
// A row is its fields, one behind the other: nothing, bytes, or why there is no way to write the value. Bytes are as the
// form wants them.
package packed

import (
	"encoding/binary"
	"errors"
	"fmt"

	"sieb/core/outcome"
)

// A field begins with a number: what it is, or the number of its bytes and firstLength.
const (
	isNull = iota
	isUnfit
	firstLength
)

// AppendNull appends a field without a value.
func AppendNull(dst []byte) []byte { return append(dst, isNull) }

// AppendBytes appends the bytes of a field.
func AppendBytes(dst, field []byte) []byte {
	return append(binary.AppendUvarint(dst, uint64(len(field))+firstLength), field...)
}

// AppendNumber appends eight bytes as a field.
func AppendNumber(dst []byte, n uint64) []byte {
	return binary.LittleEndian.AppendUint64(append(dst, 8+firstLength), n)
}

// AppendUnfit appends why a field of a row cannot be written.
func AppendUnfit(dst []byte, row *outcome.Row, column, value, why string) []byte {
	const shown = 60
	if len(value) > shown {
		value = value[:shown] + "…"
	}
	text := fmt.Sprintf("row %d, line %d, column %s: %q %s", row.Number, row.Line, column, value, why)
	return append(binary.AppendUvarint(append(dst, isUnfit), uint64(len(text))), text...)
}

// Next takes a field off the front of packed rows; it is nil for no value, not nil for an empty one. The error is why
// the field cannot be written.
func Next(rows []byte) (field, rest []byte, err error) {
	n, size := binary.Uvarint(rows)
	rows = rows[max(size, 0):]
	switch {
	case size <= 0:
		return nil, nil, errors.New("packed rows end within a field")
	case n == isNull:
		return nil, rows, nil
	case n == isUnfit:
		n, size = binary.Uvarint(rows)
		return nil, nil, errors.New(string(rows[size : size+int(n)]))
	}
	n -= firstLength
	return rows[:n:n], rows[n:], nil
}

// Number returns what AppendNumber has appended.
func Number(field []byte) uint64 { return binary.LittleEndian.Uint64(field) }

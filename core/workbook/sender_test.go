package workbook_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"sieb/core/workbook"
)

// A workbook that was made for senders is known by its first three sheets, also after another
// program has put more behind them.
func TestSenderRows(t *testing.T) {
	for _, c := range []struct {
		sheets []string
		want   int
	}{
		{[]string{"Rows", "Example", "Columns"}, 0},
		{[]string{"Rows", "Example", "Columns", "Lists"}, 0},
		{[]string{"Rows", "Example", "Columns", "Lists", "Sheet1"}, 0},
		{[]string{"Rows", "Columns", "Example"}, -1},
		{[]string{"Cover", "Rows", "Example", "Columns"}, -1},
		{[]string{"rows", "example", "columns"}, -1},
		{[]string{"Rows", "Example"}, -1},
		{nil, -1},
	} {
		book := &workbook.Book{}
		for _, name := range c.sheets {
			book.Sheets = append(book.Sheets, workbook.Sheet{Name: name})
		}
		assert.Equal(t, c.want, book.SenderRows(), "%q", c.sheets)
	}
}

package source_test

import (
	"context"
	"fmt"
	"io"
	"strings"

	"sieb/core/layout"
	"sieb/core/source"
)

// A reader yields batches of rows; the cells of a batch are found by Split, on any
// goroutine.
func ExampleReader() {
	tickets := strings.NewReader("ticket;net kg\nAH-000101;5025\nAH-000102;18505\n")
	r, err := source.NewReader(tickets, layout.Layout{Form: layout.Delimited, Encoding: "utf-8", Delimiter: ";",
		QuoteChar: `"`, DoubleQuote: true, HeaderRows: 1})
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(r.Header().Names)
	var b source.Batch
	for {
		if err := r.Next(&b); err == io.EOF {
			return
		} else if err != nil {
			fmt.Println(err)
			return
		}
		b.Split()
		for row := range b.Rows {
			cells := b.Cells(row)
			fmt.Printf("row %d, line %d: %s, %s\n", b.Number(row), b.Rows[row].Line, b.Text(cells[0]), b.Text(cells[1]))
		}
	}
	// Output:
	// [ticket net kg]
	// row 1, line 2: AH-000101, 5025
	// row 2, line 3: AH-000102, 18505
}

// InOrder works on batches on several goroutines, and delivers what was made of them in the
// order of the delivery.
func ExampleInOrder() {
	tickets := strings.NewReader("net\n5\n7\n11\n")
	r, err := source.NewReader(tickets, layout.Layout{Form: layout.Delimited, Encoding: "utf-8", Delimiter: ",",
		HeaderRows: 1})
	if err != nil {
		fmt.Println(err)
		return
	}
	count := func() func(*source.Batch, *int) {
		return func(b *source.Batch, rows *int) { *rows = len(b.Rows) }
	}
	total := 0
	err = source.InOrder(context.Background(), r, 2, count, func(_ *source.Batch, rows *int) error {
		total += *rows
		return nil
	})
	fmt.Println(total, err)
	// Output: 3 <nil>
}

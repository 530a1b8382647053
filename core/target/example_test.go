package target_test

import (
	"errors"
	"fmt"

	"sieb/core/target"
)

// What is wrong with a target's text is told with its place.
func ExampleParse() {
	_, err := target.Parse([]byte("target: tickets\ncolumns:\n  - {name: net_kg, datatype: integer, requird: true}\n"))
	var problems target.Problems
	if errors.As(err, &problems) {
		fmt.Println(problems[0].Line, problems[0].Column, problems[0].Message)
	}
	// Output: 3 39 a column has no property "requird"; did you mean "required"?
}

// A target says what the table demands, a mapping how one sender writes; joined they are
// what a run sifts by.
func ExampleTarget_With() {
	t, err := target.Parse([]byte("target: tickets\ncolumns:\n  - {name: weighed_on, datatype: date, required: true}\n"))
	if err != nil {
		fmt.Println(err)
		return
	}
	m, err := target.ParseMapping([]byte("mapping: ahrensee\ntarget: tickets\n" +
		"columns: {weighed_on: {from: Date, format: dd.MM.yyyy}}\n"))
	if err != nil {
		fmt.Println(err)
		return
	}
	joined, err := t.With(m)
	if err != nil {
		fmt.Println(err)
		return
	}
	c := joined.Columns[0]
	fmt.Println(c.Name, "from", c.Titles, "as", c.Formats, "required:", c.Required)
	// Output: weighed_on from [Date] as [dd.MM.yyyy] required: true
}

package check_test

import (
	"fmt"
	"strings"

	"sieb/core/check"
	"sieb/core/layout"
	"sieb/core/outcome"
	"sieb/core/source"
	"sieb/core/target"
)

// A plan is compiled for a delivery's header; a judge finds the violations of a block of
// rows, and writes those that are accepted.
func ExampleJudge() {
	t, err := target.Parse([]byte("target: tickets\ncolumns:\n  - {name: no}\n  - {name: kg, datatype: integer, maximum: 60000}\n" +
		"rowRules: [{name: no empty lorries, condition: kg > 0}]\n"))
	if err != nil {
		fmt.Println(err)
		return
	}
	r, err := source.NewReader(strings.NewReader("No,Kg\n1,20000\n2,x\n3,0\n"), layout.Layout{Form: layout.Delimited,
		Encoding: "utf-8", Delimiter: ",", HeaderRows: 1})
	if err != nil {
		fmt.Println(err)
		return
	}
	plan, err := check.NewPlan(t, check.Delivery{Header: r.Header(), Encoding: "utf-8"})
	if err != nil {
		fmt.Println(err)
		return
	}
	judge := plan.NewJudge()
	var b source.Batch
	var ruling check.Ruling
	if err := r.Next(&b); err != nil {
		fmt.Println(err)
		return
	}
	b.Split()
	judge.Start(&b, &ruling)
	judge.Rows(0, len(b.Rows)) // few enough for one block
	for row := range b.Rows {
		if !ruling.Rejected[row] {
			accepted := outcome.Row{Table: plan.Schema().Table(outcome.Accepted, outcome.Shape{}), Block: judge.Block(), At: row}
			fmt.Printf("accepted: %s, %s\n", accepted.Field(0), accepted.Field(1))
		}
	}
	for i := range ruling.Found {
		f := &ruling.Found[i]
		fmt.Printf("row %d: %s in %s: %s\n", b.Number(f.Row), f.Code, plan.ColumnName(f), ruling.Message(f))
	}
	// Output:
	// accepted: 1, 20000
	// row 2: type.integer in kg: "x" is not a whole number
	// row 3: rule.failed in no empty lorries: the rule "no empty lorries" does not hold: kg is 0
}

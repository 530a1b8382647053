package sift_test

import (
	"context"
	"fmt"
	"strings"

	"sieb/core/layout"
	"sieb/core/outcome/outcometest"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
)

// A run reads, checks and splits a delivery, and accounts for every row.
func ExampleRun() {
	t, err := target.Parse([]byte("target: tickets\ncolumns:\n  - {name: no, unique: true}\n  - {name: kg, datatype: integer}\n" +
		"exclude: [{condition: 'cell(\"no\") == \"test\"', reason: trial weighings}]\n"))
	if err != nil {
		fmt.Println(err)
		return
	}
	r, err := source.NewReader(strings.NewReader("no,kg\n1,20000\ntest,5\n1,18000\n"),
		layout.Layout{Form: layout.Delimited,
			Encoding: "utf-8", Delimiter: ",", HeaderRows: 1})
	if err != nil {
		fmt.Println(err)
		return
	}
	var out outcometest.Texts
	run := sift.Run{Source: r, Encoding: "utf-8", Target: t, Outputs: out.Outputs()}
	result, err := run.Do(context.Background())
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Print(out.Accepted.String(), out.Rejected.String())
	fmt.Printf("%s: %d read = %d accepted + %d rejected + %d excluded\n", result.Verdict, result.Tally.Read,
		result.Tally.Accepted, result.Tally.Rejected, result.Tally.Excluded)
	// Output:
	// no,kg
	// 1,20000
	// row,line,reasons,no,kg
	// 3,4,"no: ""1"" is already in row 1 (line 2), which is kept [key.duplicate]",1,18000
	// split: 3 read = 1 accepted + 1 rejected + 1 excluded
}

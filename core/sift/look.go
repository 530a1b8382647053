package sift

import (
	"errors"
	"io"
	"strings"

	"sieb/core/check"
	"sieb/core/source"
	"sieb/core/violation"
)

// Problem is a defect of a row as it was read.
type Problem struct {
	Code    violation.Code `json:"code"`
	Row     int64          `json:"row"`
	Line    int64          `json:"line"`
	Column  string         `json:"column"`
	Message string         `json:"message"`
}

// Look reads rows without a target, on one goroutine: most of them, or all
// where most is negative. It calls row for each, with cells and problems that
// are the callee's to keep.
func Look(src source.Source, encoding string, most int64, row func(number, line int64, cells []string, problems []Problem) error) error {
	plan, err := check.NewPlan(nil, src.Header(), encoding)
	if err != nil {
		return err
	}
	judge := plan.NewJudge()
	var b source.Batch
	var ruling check.Ruling
	for most != 0 {
		if err := src.Next(&b); errors.Is(err, io.EOF) {
			return nil
		} else if err != nil {
			return err
		}
		b.Split()
		judge.Start(&b, &ruling)
		first := 0
		for i := range b.Rows {
			if i%plan.Block() == 0 {
				judge.Rows(i, min(i+plan.Block(), len(b.Rows)))
			}
			places := b.Cells(i)
			cells := make([]string, len(places))
			for k, s := range places {
				cells[k] = strings.ToValidUTF8(string(b.Text(s)), "\uFFFD")
			}
			var problems []Problem
			for ; first < len(ruling.Found) && ruling.Found[first].Row == i; first++ {
				f := &ruling.Found[first]
				problems = append(problems, Problem{f.Code, b.Number(i), b.Rows[i].Line, plan.ColumnName(f), string(ruling.Message(f))})
			}
			if err := row(b.Number(i), b.Rows[i].Line, cells, problems); err != nil {
				return err
			}
			if most--; most == 0 {
				return nil
			}
		}
	}
	return nil
}

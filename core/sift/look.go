package sift

import (
	"errors"
	"io"
	"strings"

	"sieb/core/check"
	"sieb/core/source"
	"sieb/core/violation"
	"sieb/core/workbook"
)

// Problem is a defect of a row as it was read.
type Problem struct {
	Code    violation.Code `json:"code"`
	Row     int64          `json:"row"`
	Line    int64          `json:"line"`
	Column  string         `json:"column"`
	Cell    int            `json:"cell,omitempty" doc:"its place in the row, from 1"`
	Message string         `json:"message"`
}

// Seen is a row as it was read.
type Seen struct {
	Row, Line int64
	Cells     []string
	Kinds     []workbook.Kind // of a workbook's cells; otherwise nil
	Raw       string          // its text as it stands in the delivery, with the line end; "" in a workbook
	Problems  []Problem
}

// Look reads rows without a target, on one goroutine: most of them, or all
// where most is negative. It calls see for each.
func Look(src source.Source, encoding string, most int64, see func(*Seen) error) error {
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
			seen := Seen{Row: b.Number(i), Line: b.Rows[i].Line, Raw: valid(b.Raw(i))}
			for k, s := range b.Cells(i) {
				seen.Cells = append(seen.Cells, valid(b.Text(s)))
				if b.IsTyped() {
					seen.Kinds = append(seen.Kinds, b.Kind(i, k))
				}
			}
			for ; first < len(ruling.Found) && ruling.Found[first].Row == i; first++ {
				f := &ruling.Found[first]
				seen.Problems = append(seen.Problems, Problem{f.Code, b.Number(i), b.Rows[i].Line, plan.ColumnName(f), f.Cell + 1, string(ruling.Message(f))})
			}
			if err := see(&seen); err != nil {
				return err
			}
			if most--; most == 0 {
				return nil
			}
		}
	}
	return nil
}

func valid(text []byte) string { return strings.ToValidUTF8(string(text), "\uFFFD") }

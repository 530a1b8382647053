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

// ReadRow is a row as it was read.
type ReadRow struct {
	Row, Line int64
	Cells     []string
	Kinds     []workbook.Kind // of a workbook's cells; otherwise nil
	Raw       string          // its text as it stands in the delivery, with the line end; "" in a workbook
	Problems  []Problem
}

// Look reads rows without a target, on one goroutine: most of them, or all
// where most is negative. It calls see for each. Where it comes to the end it
// gives what is wrong with the delivery as a whole, nil for nothing.
func Look(src source.Source, encoding string, most int64, see func(*ReadRow) error) (*Problem, error) {
	looker, err := NewLooker(src.Header(), encoding)
	if err != nil {
		return nil, err
	}
	var b source.Batch
	for most != 0 {
		if err := src.Next(&b); errors.Is(err, io.EOF) {
			return looker.Changed(), nil
		} else if err != nil {
			return nil, err
		}
		b.Split()
		looker.Watch(&b)
		var problems []Problem
		for i := range b.Rows {
			// Block by block, since few rows of a batch may be wanted.
			if len(b.Defects) > 0 && i%looker.plan.Block() == 0 {
				problems = append(problems, looker.block(&b, i)...)
			}
			row := ReadRow{Row: b.Number(i), Line: b.Rows[i].Line, Raw: valid(b.Raw(i))}
			for k, s := range b.Cells(i) {
				row.Cells = append(row.Cells, valid(b.Text(s)))
				if b.IsTyped() {
					row.Kinds = append(row.Kinds, b.Kind(i, k))
				}
			}
			for len(problems) > 0 && problems[0].Row == row.Row {
				row.Problems, problems = append(row.Problems, problems[0]), problems[1:]
			}
			if err := see(&row); err != nil {
				return nil, err
			}
			if most--; most == 0 {
				return nil, nil
			}
		}
	}
	return nil, nil
}

// Looker tells the problems of batches that are read without a target.
type Looker struct {
	plan   *check.Plan
	judge  *check.Judge
	ruling check.Ruling
	change source.Change
}

// NewLooker makes a looker for a delivery with this header, whose bytes are in
// this encoding.
func NewLooker(header source.Header, encoding string) (*Looker, error) {
	plan, err := check.NewPlan(nil, check.Delivery{Header: header, Encoding: encoding})
	if err != nil {
		return nil, err
	}
	return &Looker{plan: plan, judge: plan.NewJudge()}, nil
}

// Watch looks at a batch that was split for what concerns the delivery as a
// whole; the batches come in order.
func (l *Looker) Watch(b *source.Batch) { l.change.Add(b) }

// Problems returns the problems of a batch that was split, by row.
func (l *Looker) Problems(b *source.Batch) (all []Problem) {
	for i := 0; i < len(b.Rows) && len(b.Defects) > 0; i += l.plan.Block() {
		all = append(all, l.block(b, i)...)
	}
	return all
}

// Changed returns a change of the encoding that the batches watched show, as a problem of the delivery as a whole; nil
// without one.
func (l *Looker) Changed() *Problem {
	f, ok := check.ChangeFinding(&l.change, l.plan.Encoding())
	if !ok {
		return nil
	}
	return &Problem{Code: f.Code, Line: f.Line, Message: f.Message}
}

// block returns the problems of the rows from one on; the blocks come in order.
func (l *Looker) block(b *source.Batch, from int) (all []Problem) {
	if from == 0 {
		l.judge.Start(b, &l.ruling)
	}
	first := len(l.ruling.Found)
	l.judge.Rows(from, min(from+l.plan.Block(), len(b.Rows)))
	for k := first; k < len(l.ruling.Found); k++ {
		f := &l.ruling.Found[k]
		all = append(all, Problem{f.Code, b.Number(f.Row), b.Rows[f.Row].Line, l.plan.ColumnName(f), f.Cell + 1,
			string(l.ruling.Message(f))})
	}
	return all
}

func valid(text []byte) string { return strings.ToValidUTF8(string(text), "\uFFFD") }

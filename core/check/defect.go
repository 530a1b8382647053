package check

import (
	"sieb/core/source"
	"sieb/core/violation"
)

// defects reports what was wrong with the rows before to as they were read.
// Where a row's cells cannot be given to columns, it is not checked further:
// that would only make noise.
func (j *Judge) defects(to int) {
	all := j.batch.Defects
	for ; j.defect < len(all) && all[j.defect].Row < to; j.defect++ {
		d := &all[j.defect]
		j.row = d.Row
		column, matters := j.minding(d)
		if !matters {
			continue
		}
		action := j.report(d.Cell, column, d.Code, nil, d)
		switch {
		case d.Code.SetsApart():
			j.apart[d.Row-j.from] = true
			j.out.Rejected[d.Row] = true
		case d.Code == violation.EncodingInvalid || d.Code == violation.QuoteTail:
			if action == violation.Flag {
				j.block.Damaged[d.Row-j.from] = true // kept as it is, as far as UTF-8 can hold it
			} else {
				j.spoilt = append(j.spoilt, cellAt{d.Row, d.Cell})
			}
		case d.Code == violation.TypeFormula:
			j.spoilt = append(j.spoilt, cellAt{d.Row, d.Cell}) // there is no value
		case d.Code == violation.TypeError:
			if action == violation.Flag {
				j.asDelivered = append(j.asDelivered, cellAt{d.Row, d.Cell})
			} else {
				j.spoilt = append(j.spoilt, cellAt{d.Row, d.Cell})
			}
		}
	}
}

// minding returns the first column that a defect matters to, -1 for a cell that feeds
// none; false where it matters to nobody.
func (j *Judge) minding(d *source.Defect) (column int, matters bool) {
	if d.Cell < 0 || d.Cell >= len(j.plan.feeds) || len(j.plan.feeds[d.Cell]) == 0 {
		return -1, j.matters(d, -1)
	}
	for _, column = range j.plan.feeds[d.Cell] {
		if j.matters(d, column) {
			return column, true
		}
	}
	return -1, false
}

// matters reports whether a column minds how a workbook stores a cell: an error
// may be declared to stand for no value, and a text that is a number or a date
// is as it should be in a column of texts.
func (j *Judge) matters(d *source.Defect, column int) bool {
	if column < 0 {
		return true
	}
	c := &j.plan.columns[column]
	switch isText := c.spec.ValueType().IsText(); d.Code {
	case violation.TypeError:
		return !c.isNull(j.batch.Text(j.batch.Cells(d.Row)[d.Cell]))
	case violation.NumberText:
		return j.plan.plain || !isText && len(c.dates) == 0
	case violation.DateText:
		return j.plan.plain || !isText && len(c.dates) > 0
	}
	return true
}

package suggest

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"sieb/core/check"
	"sieb/core/codes"
	"sieb/core/edit"
	"sieb/core/remedy"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/value"
	"sieb/core/variants"
	"sieb/core/workbook"
)

// MostTexts is how many different texts of a column are compared with one another.
const MostTexts = 200_000

// Spellings is the texts of a column that are likely one, written in different ways.
type Spellings struct {
	Column   string            `json:"column"`
	Texts    int               `json:"texts" doc:"different ones, as the column's remedies leave them"`
	More     bool              `json:"more,omitempty" doc:"there are more, which were not compared"`
	Families []variants.Family `json:"families"`
}

// Recode makes the steps that put the spellings of some groups in the place of the others. A spelling may be
// another one than was proposed.
func (w *Work) Recode(column string, groups []variants.Family) ([]edit.Step, error) {
	t, err := w.Parse()
	if err != nil {
		return nil, err
	}
	c := t.Column(column)
	if c == nil {
		return nil, fmt.Errorf("the target has no column %q", column)
	}
	pairs := map[string]any{}
	for _, g := range groups {
		for _, o := range g.Others {
			if o.Text.Text != g.Spelling {
				pairs[o.Text.Text] = g.Spelling
			}
		}
	}
	if len(pairs) == 0 {
		return nil, nil
	}
	b := &builder{Work: w}
	return []edit.Step{b.remedy(c, map[string]any{"recode": pairs})}, nil
}

// counted is the texts of a column as its remedies leave them.
type counted struct {
	column *target.Column
	place  int
	chain  *remedy.Chain
	counts map[string]int64
	more   bool
	rows   int64
	isIdle bool // nearly each text is another one: names of things, in which no spelling recurs
}

// Spellings looks for spelling variants in columns of texts; with names only in these. All rows are read.
func (w *Work) Spellings(ctx context.Context, names ...string) ([]Spellings, error) {
	return w.spellings(ctx, names, names == nil)
}

// spellings is Spellings; givesUp says that columns are left out whose texts hardly recur.
func (w *Work) spellings(ctx context.Context, names []string, givesUp bool) ([]Spellings, error) {
	t, err := w.Parse()
	if err != nil {
		return nil, err
	}
	all, err := w.texts(t, names)
	if err != nil || len(all) == 0 {
		return nil, err
	}
	if err := countTexts(ctx, w.File, all, givesUp); err != nil {
		return nil, err
	}
	var found []Spellings
	for _, c := range all {
		if c.isIdle {
			continue
		}
		s := Spellings{Column: c.column.Name, Texts: len(c.counts), More: c.more, Families: []variants.Family{}}
		texts := make([]variants.Text, 0, len(c.counts))
		for text, n := range c.counts {
			texts = append(texts, variants.Text{Text: text, Count: n})
		}
		slices.SortFunc(texts, func(a, b variants.Text) int {
			return cmp.Or(cmp.Compare(b.Count, a.Count), strings.Compare(a.Text, b.Text))
		})
		s.Families = append(s.Families, variants.Find(texts, allowed(c.column, w.Lists))...)
		found = append(found, s)
	}
	return found, nil
}

// texts returns the columns of texts that a column of the delivery feeds.
func (w *Work) texts(t *target.Target, names []string) (all []*counted, err error) {
	for i, m := range w.Result.Columns {
		c := &t.Columns[i]
		if m.Place == 0 || c.Datatype != value.String || names != nil && !slices.Contains(names, c.Name) {
			continue
		}
		of, err := c.Cleaned()
		if err != nil {
			return nil, err
		}
		of.Codes = w.Lists
		chain, err := remedy.NewChain(c.Remedies, of, func(cell []byte) bool { return slices.Contains(c.Null, string(cell)) })
		if err != nil {
			return nil, err
		}
		all = append(all, &counted{column: c, place: m.Place - 1, chain: chain, counts: map[string]int64{}})
	}
	return all, nil
}

// countTexts reads all rows and counts the texts of columns; quickly, it gives those up in which hardly a text
// recurs.
func countTexts(ctx context.Context, file *source.File, all []*counted, quickly bool) error {
	rows, err := file.Rows(ctx)
	if err != nil {
		return err
	}
	defer source.Close(rows)
	plan, err := check.NewPlan(nil, check.Delivery{Header: rows.Header(), Encoding: file.Layout.Encoding})
	if err != nil {
		return err
	}
	work := func() func(*source.Batch, *check.Ruling) { return plan.NewJudge().Silent().Batch }
	return source.InOrder(ctx, rows, 1, work, func(b *source.Batch, ruling *check.Ruling) error {
		for row := range b.Rows {
			if ruling.Rejected[row] {
				continue // its cells may be of other columns
			}
			cells := b.Cells(row)
			for _, c := range all {
				if c.isIdle {
					continue
				}
				if c.rows++; quickly && c.rows%hardly == 0 && int64(2*len(c.counts)) > c.rows {
					c.isIdle, c.counts = true, nil
					continue
				}
				if c.place < len(cells) {
					c.add(bytes.ToValidUTF8(b.Text(cells[c.place]), []byte("\uFFFD")))
				}
			}
		}
		return nil
	})
}

// hardly is after how many rows it is looked whether texts recur.
const hardly = 20_000

func (c *counted) add(cell []byte) {
	text, _, _, _ := c.chain.Apply(cell, workbook.Text)
	if slices.Contains(c.column.Null, string(text)) {
		return
	}
	if _, isKnown := c.counts[string(text)]; !isKnown && len(c.counts) >= MostTexts {
		c.more = true
		return
	}
	c.counts[string(text)]++
}

// allowed returns the values of a column's set, or the codes of its list.
func allowed(c *target.Column, lists []*codes.List) (all []string) {
	if c.Codes == nil {
		return c.OneOf
	}
	if l := codes.Named(lists, c.Codes.Name); l != nil {
		for _, code := range l.Codes {
			all = append(all, code.Code)
		}
	}
	return all
}

package result

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
)

// The rows of a comparison that can be asked.
const (
	KindNew     = "new"
	KindGone    = "gone"
	KindChanged = "changed"
	KindMoved   = "moved" // to the side that is asked
)

// Kinds are those of rows that are compared.
var Kinds = []string{KindNew, KindGone, KindChanged, KindMoved}

// side opens the rows of a kind. Those that are gone stand in the earlier outcome.
func (c *Compared) side(after string, a *Ask) (*Side, *listed, error) {
	dir, of, name := after, (*listed)(nil), sides[0].name
	switch a.Kind {
	case KindNew:
		of = &c.isNew
	case KindGone:
		dir, of = c.before, &c.gone
	case KindChanged:
		of = &c.changed
	case KindMoved:
		name = cmp.Or(a.Side, name)
		k := slices.IndexFunc(sides, func(w which) bool { return w.name == name && w.only == 0 })
		if k < 0 {
			return nil, nil, wrongf("%q: rows move to the accepted, rejected or excluded ones", name)
		}
		of = &c.moved[sides[k].side]
	default:
		return nil, nil, wrongf("%q: of rows that are compared there are %s ones", a.Kind, strings.Join(Kinds, ", "))
	}
	if a.Kind != KindMoved && cmp.Or(a.Side, name) != name {
		return nil, nil, wrongf("%s rows are accepted ones: no other side can be asked for", a.Kind)
	}
	if a.Differs != "" {
		var err error
		if of, err = c.differ(of, a); err != nil {
			return nil, nil, err
		}
	}
	s, err := Open(dir, name)
	if err != nil {
		return nil, nil, err
	}
	s.members, s.total = append([]int64{}, of.at...), int64(len(of.at))
	return s, of, nil
}

// differ returns those of the changed rows that differ in a column.
func (c *Compared) differ(all *listed, a *Ask) (*listed, error) {
	k := slices.Index(c.columns, a.Differs)
	switch {
	case a.Kind != KindChanged:
		return nil, wrongf("only changed rows differ in a column")
	case k < 0:
		return nil, wrongf("the outcomes have no column %q in common; they share %s", a.Differs, shortList(c.columns))
	case c.bits == nil && len(all.at) > 0:
		return nil, wrongf("in which columns so many rows differ is not told")
	}
	of := &listed{}
	for i := range all.at {
		if c.bits[i*c.words()+k/64]&(1<<(k%64)) != 0 {
			of.at, of.before = append(of.at, all.at[i]), append(of.before, all.before[i])
		}
	}
	return of, nil
}

// Before is what stood in a cell of the earlier outcome.
type Before struct {
	Column string  `json:"column"`
	Value  *string `json:"value" doc:"null for no value"`
}

// beside says of rows that are shown what was in the other outcome.
func (c *Compared) beside(ctx context.Context, of *listed, shown []Shown, columns []Field) error {
	places := make([]int64, len(shown))
	for i := range shown {
		k, _ := slices.BinarySearch(of.at, shown[i].At)
		if of.other != nil {
			shown[i].Other = of.other[k].String()
		}
		if of.before != nil {
			places[i] = of.before[k]
		}
	}
	if of.before == nil {
		return nil
	}
	was, err := Open(c.before, sides[0].name)
	if err != nil {
		return err
	}
	defer was.Close()
	mine, theirs := inBoth(columns, was.Columns)
	all, err := was.read(ctx, places, theirs)
	if err != nil {
		return fmt.Errorf("reading what stood in the rows before: %w", err)
	}
	for i := range shown {
		for n, k := range mine {
			was, is := all[i].Cells[n], shown[i].Cells[k]
			if (was == nil) != (is == nil) || was != nil && *was != *is {
				shown[i].Before = append(shown[i].Before, Before{columns[k].Name, was})
			}
		}
	}
	return nil
}

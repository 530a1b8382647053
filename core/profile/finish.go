package profile

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"slices"
	"strconv"

	"sieb/core/distinct"
	"sieb/core/lexical"
	"sieb/core/relation"
	"sieb/core/source"
	"sieb/core/typing"
	"sieb/core/value"
)

// conclude concludes how each column is read, from all rows.
func (p *plan) conclude(all *collector) []typing.Reading {
	counted := make([]typing.Forms, len(all.columns))
	for k := range all.columns {
		c := &all.columns[k]
		counted[k] = formsOf(&c.table)
		if c.sums != nil {
			counted[k].Merge(c.sums.forms)
		}
	}
	h := typing.HintsOf(counted, p.enough)
	types := make([]typing.Reading, len(counted))
	for k, f := range counted {
		c := &all.columns[k]
		known := c.table.Used
		if c.over {
			known = c.pinned
		}
		types[k] = typing.Conclude(f, &c.table, known, h)
	}
	p.concludePairs(all, types)
	return types
}

// concludePairs finds the columns of two values that stand for true and false. Of 0 and
// 1 that is said only where names tell so: the column's own, or that of another one of 0
// and 1 which begins or ends with the same word.
func (p *plan) concludePairs(all *collector, types []typing.Reading) {
	pairs := map[int][2]string{}
	var digits [][]string // the words of the names
	for k := range types {
		if c := &all.columns[k]; !c.over {
			if pair, ok := types[k].PairIn(&c.table, p.enough); ok {
				pairs[k] = pair
				if pair[0] == "1" {
					digits = append(digits, typing.NameWords(p.names[k]))
				}
			}
		}
	}
	for k, pair := range pairs {
		if pair[0] != "1" || typing.SaysYesNo(p.names[k]) || typing.HaveSibling(typing.NameWords(p.names[k]), digits) {
			types[k].Datatype, types[k].Pair = value.Boolean, pair
		}
	}
}

// amend settles anew how columns are read whose values were added up by what
// turned out to be wrong. It reports whether the rows must be gone over again.
func (p *plan) amend(all *collector, types []typing.Reading) (again bool) {
	for k, t := range types {
		if all.columns[k].over && !t.ReadsAs(&p.columns[k].typing) {
			p.columns[k].typing = t
			again = true
		}
	}
	return again
}

// finish makes the profile of what was collected, in columns that are read as the
// types say; repeated are its rows that repeat another.
func (p *plan) finish(ctx context.Context, header source.Header, all *collector, types []typing.Reading,
	repeated repeats) *Profile {
	out := &Profile{Named: header.Named, Rows: all.rows, Damaged: all.damaged, Ragged: p.ragged,
		Columns: make([]Column, len(all.columns)), Problems: []Defect{}}
	names := unlike(header.Names)
	each(ctx, len(all.columns), func(k int) {
		c := &all.columns[k]
		if c.over && !types[k].ReadsAs(&p.columns[k].typing) {
			types[k] = p.columns[k].typing // what was added up was read as the plan says
		}
		out.Columns[k] = c.finish(ctx, &types[k])
		out.Columns[k].Name, out.Columns[k].Header = names[k], header.Names[k]
	})
	for k, n := range all.defects {
		d := Defect{Code: k.code, Count: n.Count, First: valuesOf(n.Sightings)}
		if k.column >= 0 {
			d.Column = names[k.column]
		}
		out.Problems = append(out.Problems, d)
	}
	slices.SortFunc(out.Problems, func(a, b Defect) int {
		return cmp.Or(cmp.Compare(b.Count, a.Count), cmp.Compare(a.Code.String(), b.Code.String()),
			cmp.Compare(a.Column, b.Column))
	})
	out.Repeated = Repeated{Rows: repeated.rows, First: repeated.shown(), Behind: repeated.both()}
	out.Sparse.AtMost = p.sparse
	for _, n := range all.filled[:min(p.sparse+1, len(all.filled))] {
		out.Sparse.Rows += n
	}
	out.Sparse.First = placesOf(all.sparse)
	out.Headers = Headers{all.headers.Count, placesOf(all.headers.Sightings)}
	p.keysOf(out, all, names)
	out.codes()
	out.heads()
	p.relationsOf(out, all, names)
	return out
}

// unlike returns a name of its own for each column: where columns share a header, with
// a number behind it.
func unlike(headers []string) []string {
	names := make([]string, len(headers))
	delivered, taken := map[string]bool{}, map[string]bool{}
	numbers := map[string]int{} // the last one tried behind a header
	for _, header := range headers {
		delivered[header] = true
	}
	for k, header := range headers {
		names[k] = header
		n := max(1, numbers[header])
		for taken[names[k]] || names[k] != header && delivered[names[k]] {
			n++
			names[k] = fmt.Sprintf("%s (%d)", header, n)
		}
		numbers[header] = n
		taken[names[k]] = true
	}
	return names
}

// keysOf reports which sets of columns are keys, or nearly so.
func (p *plan) keysOf(out *Profile, all *collector, names []string) {
	out.Keys = []Key{}
	for k, plan := range p.keys {
		r := all.repeats[k]
		if plan.whole || r.told == 0 || !isNear(r.rows, r.told) || plan.strict && r.rows > 0 {
			continue
		}
		key := Key{Rows: r.told, Repeats: r.rows, First: r.shown(), Behind: r.both()}
		for _, c := range plan.columns {
			key.Columns = append(key.Columns, names[c])
		}
		out.Keys = append(out.Keys, key)
	}
}

// isNear reports whether so few rows repeat others that the columns are a key all the same. Thousands of repeats come
// by chance in very many rows, and say that the columns are none.
func isNear(repeats, rows int64) bool {
	const many = 1000
	return relation.IsFew(repeats, rows) && (repeats <= many || many*repeats <= rows)
}

// codes tells the whole numbers that are measured from those that only name something,
// of which a mean says nothing; and, of these, the columns that only count the rows.
func (p *Profile) codes() {
	for i := range p.Columns {
		c := &p.Columns[i]
		if c.Datatype != value.Integer {
			continue
		}
		c.Counter = p.counts(c)
		if c.Code = c.Counter || typing.SaysCode(c.Name); c.Code {
			c.Mean, c.Deviation, c.Sum = nil, nil, nil
		}
	}
}

// counts reports whether a column only counts the rows, from 0 or 1: all its values
// differ, they begin with the first row and end with the last, and none is left out.
func (p *Profile) counts(c *Column) bool {
	rows := p.Rows - p.Damaged
	isKey := slices.ContainsFunc(p.Keys, func(k Key) bool {
		return len(k.Columns) == 1 && k.Columns[0] == c.Name && k.Repeats == 0
	})
	if !isKey || rows < relation.EnoughRows || c.Fits != rows || c.firstAt != 1 || c.lastAt != p.Rows {
		return false
	}
	low, high := Plain(c.Minimum), Plain(c.Maximum)
	return low == "1" && high == strconv.FormatInt(rows, 10) || low == "0" && high == strconv.FormatInt(rows-1, 10)
}

func (p *plan) relationsOf(out *Profile, all *collector, names []string) {
	out.Relations = []Relation{}
	for _, found := range all.related.Found() {
		r := Relation{Kind: found.Kind.String(), Rows: found.Rows, Exceptions: found.Exceptions,
			First: placesOf(found.First), Behind: found.Behind}
		for _, c := range found.Columns {
			r.Columns = append(r.Columns, names[c])
		}
		out.Relations = append(out.Relations, r)
	}
}

// valuesOf returns sightings as values without counts.
func valuesOf(s distinct.Sightings) []Value {
	all := make([]Value, 0, len(s))
	for _, at := range s {
		all = append(all, valueOf(at, 0))
	}
	return all
}

// placesOf returns where the sightings are.
func placesOf(s distinct.Sightings) (all []Place) {
	for _, at := range s {
		all = append(all, Place{at.Row, at.Line})
	}
	return all
}

func valueOf(s distinct.Sighting, count int64) Value {
	return Value{distinct.Shown(s.Text), count, s.Row, s.Line}
}

// How many values a profile lists.
const (
	maxTop      = 50
	maxRare     = 10
	maxAgainst  = 20
	maxVariants = 20
)

// finish makes the profile of a column. Of one that is held whole everything is
// computed from its different values. Where ctx ends it returns what it has, which is of no use.
func (c *column) finish(ctx context.Context, t *typing.Reading) Column {
	exact := !c.over
	if exact {
		c.sums = newSums(t, nil)
	}
	n := 0
	for e := range c.table.All() {
		if n++; n%askEvery == 0 && ctx.Err() != nil {
			break
		}
		c.addUp(e)
	}
	s := c.sums
	s.settle()
	out := Column{Datatype: t.Datatype, Filled: s.filled, Empty: c.empty + s.blank.Count, Blank: s.blank.Count,
		DistinctExact: exact,
		Kinds:         s.kinds(t), Shapes: []Shape{}, Top: []Value{}}
	out.EmptySparse, out.Stray = c.strays.empty, c.strays.list()
	missing := int64(0)
	for k, n := range s.forms {
		if k.Kind == lexical.Placeholder {
			missing += n.Count
		}
	}
	for _, word := range t.Words {
		if n := s.missing[word]; n != nil {
			missing += n.Count
		}
	}
	out.Fits = s.filled - missing - s.against.Count
	for _, at := range s.blank.Sightings {
		c.gaps.AddRow(distinct.Sighting{Row: at.Row, Line: at.Line})
	}
	out.EmptyFirst = placesOf(c.gaps)
	if c.values(&out, t); ctx.Err() != nil {
		return out
	}
	if s.filled > 0 {
		out.MinLength, out.MaxLength = s.shortest.length, s.longest.length
		out.MeanLength = float64(s.characters) / float64(s.filled)
		shortest, longest := valueOf(s.shortest.Sighting, 0), valueOf(s.longest.Sighting, 0)
		out.Shortest, out.Longest = &shortest, &longest
	}
	out.ASCII = !s.foreign
	out.Letters = Letters{s.cases[upperCase], s.cases[lowerCase], s.cases[titleCase], s.cases[mixedCase]}
	out.Blanks = Blanks{counted(s.around), counted(s.inside), counted(s.invisible)}
	c.listShapes(&out)
	if exact && t.Datatype == value.String && len(out.Shapes) > 1 {
		out.Odd = c.unlike(out.Shapes[0].Shape)
	}
	if ctx.Err() != nil {
		return out
	}
	of := c.scale(t, exact)
	if c.measure(&out, t, of); ctx.Err() != nil {
		return out
	}
	c.placeholders(&out, t, of)
	if t.Datatype == value.String {
		out.Fits = out.Filled
		for _, v := range out.Placeholders {
			out.Fits -= v.Count
		}
	}
	if t.Datatype.IsNumber() || s.forms.Count(func(k typing.FormKey) bool { return k.Kind.IsNumber() }) > 0 {
		out.Numbers = s.numbers(t)
	}
	if t.IsDate() {
		out.Dates = s.dates(t, of)
		out.Dates.FarOff, _ = of.far(t, out.Placeholders, 2*year, maxAgainst)
	} else if far, usual := of.far(t, out.Placeholders, 0, maxFar); 0 < len(far) && len(far) <= maxFar {
		// More belong to a distribution that is wide.
		out.Far, out.Usual = far, usual[:]
	}
	if t.Datatype == value.Boolean {
		out.Pair = t.Pair[:]
	}
	if exact && t.Datatype == value.String {
		out.Variants = c.written()
	}
	return out
}

// askEvery is after how many values of a column it is asked whether the work is still wanted.
const askEvery = 1 << 12

func counted(c typing.FormCount) Counted { return Counted{c.Count, valuesOf(c.Sightings)} }

// values fills in what is told of the different values.
func (c *column) values(out *Column, t *typing.Reading) {
	var all []distinct.Item
	once := int64(0)
	for e := range c.table.All() {
		if e.Count == 0 || len(lexical.Trim(distinct.Start(c.table.Text(e.Entry)))) == 0 {
			continue
		}
		if all = append(all, e); e.Count == 1 {
			once++
		}
	}
	out.Distinct = int64(len(all))
	if out.DistinctExact {
		out.Once = &once
	} else {
		out.Distinct = int64(c.sums.sketch.Estimate())
		out.DistinctError = c.plan.grain.sketchError()
	}
	frequent := func(a, b distinct.Item) int { return cmp.Or(cmp.Compare(b.Count, a.Count), cmp.Compare(a.Row, b.Row)) }
	top := firstOf(all, maxTop, frequent)
	for _, e := range top {
		if !out.DistinctExact && e.Count < 2 {
			break
		}
		out.Top = append(out.Top, c.value(e))
	}
	if out.DistinctExact && len(all) > maxTop {
		rare := func(a, b distinct.Item) int { return cmp.Or(cmp.Compare(a.Count, b.Count), cmp.Compare(a.Row, b.Row)) }
		for _, e := range firstOf(all, maxRare, rare) {
			out.Rare = append(out.Rare, c.value(e))
		}
	}
	out.Category = out.DistinctExact && t.Datatype != value.Boolean && len(all) >= 2 && len(all) <= 60 &&
		out.Filled >= 5*int64(len(all)) && !t.IsDate() && !relation.IsMeasure(t)
	if c.sums.against.Count == 0 {
		return
	}
	if !out.DistinctExact {
		out.Against = valuesOf(c.sums.against.Sightings)
		return
	}
	var l typing.Look
	against := slices.DeleteFunc(all, func(e distinct.Item) bool {
		text := c.table.Text(e.Entry)
		if l = (typing.Look{}); !distinct.IsLong(text) {
			l.Read(lexical.Trim(text), e.Kind())
		}
		if l.Kind == lexical.Placeholder || t.IsWord(lexical.Trim(distinct.Start(text))) {
			return true
		}
		t.Resolve(&l)
		return t.Reads(&l, lexical.Trim(distinct.Start(text)), &c.sums.number)
	})
	for _, e := range firstOf(against, maxAgainst, frequent) {
		out.Against = append(out.Against, c.value(e))
	}
}

func (c *column) value(e distinct.Item) Value {
	return valueOf(distinct.Sighting{Row: e.Row, Line: e.Line, Text: c.table.Text(e.Entry)}, e.Count)
}

// firstOf returns the first n of a list in an order, sorted; the list is left in
// another order.
func firstOf[T any](all []T, n int, order func(a, b T) int) []T {
	var first []T
	for _, x := range all {
		if len(first) == n && order(x, first[n-1]) >= 0 {
			continue
		}
		k, _ := slices.BinarySearchFunc(first, x, order)
		first = slices.Insert(first, k, x)
		first = first[:min(len(first), n)]
	}
	return first
}

func (c *column) listShapes(out *Column) {
	s := c.sums
	var all []distinct.Item
	listed := int64(0)
	for e := range s.shapes.All() {
		if e.Count > 0 && (!s.shapesOver || c.plan.hasShape(s.shapes.Text(e.Entry))) {
			all = append(all, e)
		}
	}
	for _, e := range firstOf(all, maxTop, func(a, b distinct.Item) int {
		return cmp.Or(cmp.Compare(b.Count, a.Count),
			cmp.Compare(a.Row, b.Row))
	}) {
		out.Shapes = append(out.Shapes, Shape{distinct.Shown(s.shapes.Text(e.Entry)), e.Count, e.Row, e.Line})
		listed += e.Count
	}
	out.OtherShapes = s.filled - listed
}

// unlike returns the first values of another shape.
func (c *column) unlike(shape string) (values []Value) {
	var odd []distinct.Item
	var space []byte
	for e := range c.table.All() {
		trimmed := lexical.Trim(distinct.Start(c.table.Text(e.Entry)))
		if e.Count == 0 || len(trimmed) == 0 || lexical.IsPlaceholder(trimmed) {
			continue
		}
		if space = lexical.AppendShape(space[:0], trimmed); string(space) != shape {
			odd = append(odd, e)
		}
	}
	for _, e := range firstOf(odd, maxAgainst, func(a, b distinct.Item) int { return cmp.Compare(a.Row, b.Row) }) {
		values = append(values, c.value(e))
	}
	return values
}

func (p *columnPlan) hasShape(shape []byte) bool {
	return slices.ContainsFunc(p.shapes, func(s []byte) bool { return bytes.Equal(s, shape) })
}

package sift

import (
	"context"
	"encoding/binary"
	"slices"

	"sieb/core/check"
	"sieb/core/outcome"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/violation"
)

// Bounds of an account.
const (
	maxValues  = 100_000 // different values that are counted, of all columns together
	maxMixes   = 20_000  // different mixes of violations that are counted
	shownRows  = 8       // rows that are noted of a value
	messagesOf = 2_000   // values of a group whose message is kept
)

// Account notes what a result does not tell: on which side each row ended, which values
// break which rules, and which violations reject rows together. A run with an account fills it.
//
// It takes two bits for each row, and is bounded otherwise.
type Account struct {
	Rows    int64
	Broken  []Broken // in the order in which they were met
	ByRows  []int64  // for each column of the target the rows in which one of its rules is broken
	Mixes   []Mix    // of violations that reject rows together
	Unmixed int64    // rejected rows that are in none of them, since there were too many

	sides  []uint8 // four to a byte
	groups map[groupKey]int
	mixes  map[string]int
	values int
	last   []int64 // rows in which the columns were met last
	row    []mixed // violations of the row at hand that reject it
}

// Broken is the values that break one rule of a column.
type Broken struct {
	Code   violation.Code
	Action violation.Action
	Column string
	Rows   int64 // violations
	Values []Offender
	Others int64 // violations by values that are not among them, since there were too many

	at map[string]int
}

// Offender is a value that breaks a rule.
type Offender struct {
	Value   string // cut where it is long
	Message string // of its first violation; "" where there are very many values
	Count   int64
	Rows    []int64 // the first
}

// Mix is a set of values that reject rows together, each alone in its group.
type Mix struct {
	Parts []Part
	Rows  int64
}

// Part is one violation of a mix.
type Part struct {
	Broken int // index in the account's Broken
	Value  int // index in its Values, -1 for one that is not among them
}

type mixed struct{ broken, value int32 }

// reset forgets everything, for a reading that begins anew.
func (a *Account) reset(plan *check.Plan) {
	n := len(plan.Names())
	*a = Account{ByRows: make([]int64, n), last: make([]int64, n), groups: map[groupKey]int{}, mixes: map[string]int{}}
}

// violation notes a violation of the row that ends next.
func (a *Account) violation(plan *check.Plan, b *source.Batch, ruling *check.Ruling, f *check.Found) {
	key := groupKey{f.Code, f.Action, plan.ColumnName(f)}
	k, isKnown := a.groups[key]
	if !isKnown {
		k = len(a.Broken)
		a.groups[key] = k
		a.Broken = append(a.Broken, Broken{Code: f.Code, Action: f.Action, Column: key.column, at: map[string]int{}})
	}
	g := &a.Broken[k]
	g.Rows++
	row := b.Number(f.Row)
	if f.Column >= 0 && f.Action != violation.Flag && a.last[f.Column] != row {
		a.last[f.Column] = row
		a.ByRows[f.Column]++
	}
	text := ruling.Value(f)
	at, isKnown := g.at[string(text)]
	switch {
	case isKnown:
	case a.values >= maxValues:
		at = -1
		g.Others++
	default:
		at = len(g.Values)
		a.values++
		value := Offender{Value: string(text)}
		if at < messagesOf {
			value.Message = string(ruling.Message(f))
		}
		g.at[value.Value] = at
		g.Values = append(g.Values, value)
	}
	if at >= 0 {
		v := &g.Values[at]
		if v.Count++; len(v.Rows) < shownRows {
			v.Rows = append(v.Rows, row)
		}
	}
	if f.Action.RejectsRow() {
		a.row = append(a.row, mixed{int32(k), int32(at)})
	}
}

// end notes on which side the next row ends, whose violations were noted.
func (a *Account) end(s outcome.Side) {
	if a.Rows%4 == 0 {
		a.sides = append(a.sides, 0)
	}
	a.sides[a.Rows/4] |= uint8(s) << (a.Rows % 4 * 2)
	a.Rows++
	if s == outcome.Rejected {
		a.mix()
	}
	a.row = a.row[:0]
}

// mix counts the violations that have rejected a row together.
func (a *Account) mix() {
	slices.SortFunc(a.row, func(x, y mixed) int {
		if x.broken != y.broken {
			return int(x.broken - y.broken)
		}
		return int(x.value - y.value)
	})
	a.row = slices.Compact(a.row)
	key := make([]byte, 0, 64)
	for _, m := range a.row {
		key = binary.AppendVarint(binary.AppendVarint(key, int64(m.broken)), int64(m.value))
	}
	at, isKnown := a.mixes[string(key)]
	switch {
	case isKnown:
		a.Mixes[at].Rows++
	case len(a.Mixes) >= maxMixes:
		a.Unmixed++
	default:
		a.mixes[string(key)] = len(a.Mixes)
		mix := Mix{Rows: 1}
		for _, m := range a.row {
			mix.Parts = append(mix.Parts, Part{int(m.broken), int(m.value)})
		}
		a.Mixes = append(a.Mixes, mix)
	}
}

// Side returns where a row ended, counted from 1.
func (a *Account) Side(row int64) outcome.Side {
	return outcome.Side(a.sides[(row-1)/4] >> ((row - 1) % 4 * 2) & 3)
}

// Next returns the first row behind one that ended on a side; 0 where there is none.
func (a *Account) Next(behind int64, s outcome.Side) int64 {
	for row := behind + 1; row <= a.Rows; row++ {
		if a.Side(row) == s {
			return row
		}
	}
	return 0
}

// Bytes returns about how much memory the account takes.
func (a *Account) Bytes() int {
	n := len(a.sides) + 300*len(a.Broken) + 150*len(a.Mixes)
	for i := range a.Broken {
		for k := range a.Broken[i].Values {
			v := &a.Broken[i].Values[k]
			n += 150 + 2*len(v.Value) + len(v.Message)
		}
	}
	return n
}

// Shift is how rows changed sides from one run of a delivery to another.
type Shift struct {
	Gained     int64 `json:"gained" doc:"rows that are accepted now"`
	Lost       int64 `json:"lost" doc:"rows that were accepted, and are rejected"`
	Mended     int64 `json:"mended" doc:"rows that were rejected, and no longer are: accepted now, or left out"`
	Excluded   int64 `json:"excluded" doc:"rows that are left out now"`
	Readmitted int64 `json:"readmitted" doc:"rows that were left out, and are no longer"`
	SameCount  bool  `json:"sameCount" doc:"both have as many rows, so that they can be compared one by one"`
}

// Changed returns how rows changed sides from an earlier account of the same delivery. Where the
// two have different numbers of rows, as by another layout, only the totals are compared.
func (a *Account) Changed(before *Account) Shift {
	s := Shift{SameCount: a.Rows == before.Rows}
	if !s.SameCount {
		return s
	}
	for row := int64(1); row <= a.Rows; row++ {
		if (row-1)%4 == 0 && a.sides[(row-1)/4] == before.sides[(row-1)/4] {
			row += 3
			continue
		}
		s.Add(before.Side(row), a.Side(row))
	}
	return s
}

// Add counts a row by where it was and is.
func (s *Shift) Add(was, is outcome.Side) {
	if was == outcome.Rejected && is != was {
		s.Mended++
	}
	switch {
	case was == is:
	case is == outcome.Excluded:
		s.Excluded++
	case was == outcome.Excluded:
		s.Readmitted++
		if is == outcome.Accepted {
			s.Gained++
		}
	case is == outcome.Accepted:
		s.Gained++
	default:
		s.Lost++
	}
}

// NextChanged returns the first row behind one that changed sides; 0 where there is none.
func (a *Account) NextChanged(behind int64, before *Account) int64 {
	if a.Rows != before.Rows {
		return 0
	}
	for row := behind + 1; row <= a.Rows; row++ {
		if (row-1)%4 == 0 && a.sides[(row-1)/4] == before.sides[(row-1)/4] {
			row += 3
		} else if a.Side(row) != before.Side(row) {
			return row
		}
	}
	return 0
}

// First returns the run over the first rows of its delivery only, about so many, for a first
// look. What concerns the delivery as a whole is not asked of them.
func (r *Run) First(rows int64) *Run {
	one := *r
	one.Source = source.First(r.Source, rows)
	if r.Target != nil {
		t := *r.Target
		none := int64(0)
		t.Rows, t.Tolerance = target.Rows{Minimum: &none}, target.Tolerance{}
		t.Delivery.Controls = nil
		t.Columns = slices.Clone(t.Columns)
		for i := range t.Columns {
			t.Columns[i].Complete = false
		}
		one.Target = &t
	}
	if again := r.Again; again != nil {
		one.Again = func(ctx context.Context) (source.Source, error) {
			src, err := again(ctx)
			if err != nil {
				return nil, err
			}
			return source.First(src, rows), nil
		}
	}
	return &one
}

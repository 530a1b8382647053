// Package profile tells what a delivery holds: of each column what its values
// are, over all rows, and what holds between columns and between rows.
//
// A sample settles how columns are read and which relations are worth a look
// (plan); then every row is collected, by several workers at once (collector),
// and what they have is merged. Figures are exact; where a column has more
// different values than are held, those that need all of them are estimates,
// and say so. The result depends neither on the number of workers nor on the
// order in which what they have is merged.
//
// The package knows no targets and no rules.
package profile

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"runtime"
	"sync"

	"sieb/core/fault"
	"sieb/core/lexical"
	"sieb/core/source"
	"sieb/core/typing"
	"sieb/core/value"
	"sieb/core/violation"
)

// Profile is what a delivery holds.
type Profile struct {
	Named     bool       `json:"named" doc:"the delivery names its columns"`
	Rows      int64      `json:"rows"`
	Damaged   int64      `json:"damaged" doc:"rows whose cells are no values of their columns, since a quote was left open, the width is wrong or they repeat the header; the columns' figures are of the others"`
	Headers   Headers    `json:"repeatedHeaders"`
	Ragged    bool       `json:"ragged,omitempty" doc:"rows leave out their last cells as a habit: what is missing is empty"`
	Columns   []Column   `json:"columns"`
	Problems  []Defect   `json:"problems" doc:"what was wrong with the delivery as it was read"`
	Repeated  Repeated   `json:"repeatedRows"`
	Sparse    Sparse     `json:"sparseRows"`
	Keys      []Key      `json:"keys" doc:"columns that tell rows apart, alone or together, and those that nearly do"`
	Relations []Relation `json:"relations" doc:"what holds between columns in nearly all rows; of those that hold in a sample, at most 12 of each kind; of columns that are equal the first stands for the others"`
	Findings  []Finding  `json:"findings" doc:"what a steward should know, the most serious first"`
}

// Key is columns whose values together tell rows apart.
type Key struct {
	Columns []string `json:"columns"`
	Rows    int64    `json:"rows" doc:"rows in which all of them are filled"`
	Repeats int64    `json:"repeats" doc:"rows that repeat an earlier one; 0 for a key"`
	First   []Pair   `json:"first,omitempty"`

	Behind []int64 `json:"-"` // of First's kind, more of them
}

// Relation is what holds between columns.
type Relation struct {
	Kind       string   `json:"kind" enum:"equal,determines,order,sum" doc:"equal: both hold the same; determines: the first column's value tells the second's; order: the first date is never after the second; sum: the first number is the sum of the others"`
	Columns    []string `json:"columns"`
	Rows       int64    `json:"rows" doc:"rows in which it can be told"`
	Exceptions int64    `json:"exceptions"`
	First      []Place  `json:"first,omitempty" doc:"the first rows that break it"`

	Behind []int64 `json:"-"` // of a column that is determined: more of them
}

// Column is what one column holds. Empty are cells without a character or with
// nothing but blanks; all figures below them are of the filled cells.
type Column struct {
	Name       string         `json:"name" doc:"the header; where several columns share one, with a number behind it"`
	Header     string         `json:"header" doc:"as it was delivered"`
	Datatype   value.Datatype `json:"datatype"`
	Fits       int64          `json:"fits" doc:"values of the datatype"`
	Filled     int64          `json:"filled"`
	Empty      int64          `json:"empty"`
	Blank      int64          `json:"blank" doc:"of the empty ones those with blanks in them"`
	EmptyFirst []Place        `json:"emptyFirst,omitempty" doc:"the first rows in which it is empty"`

	EmptySparse int64   `json:"emptyInSparse,omitempty" doc:"of the empty ones those in rows that are nearly empty, and likely are no rows"`
	Stray       []Value `json:"stray,omitempty" doc:"values in rows that are likely none, nearly empty ones or heads of pages, with how often they stand there; absent where they are many"`

	Distinct      int64   `json:"distinct"`
	DistinctExact bool    `json:"distinctExact"`
	DistinctError float64 `json:"distinctError,omitempty" doc:"how far an estimate can be off, as a share, three times its standard error"`
	Once          *int64  `json:"once,omitempty" doc:"values that occur once; absent where distinct is an estimate"`
	Top           []Value `json:"top" doc:"the most frequent values; where distinct is an estimate those that a sample repeats, counted over all rows"`
	Rare          []Value `json:"rare,omitempty" doc:"the least frequent values, where top does not hold all"`

	MinLength  int     `json:"minLength" doc:"in characters"`
	MaxLength  int     `json:"maxLength"`
	MeanLength float64 `json:"meanLength"`
	Shortest   *Value  `json:"shortest,omitempty"`
	Longest    *Value  `json:"longest,omitempty"`

	Code          bool              `json:"code,omitempty" doc:"whole numbers that only name something: they have no mean and no sum"`
	Counter       bool              `json:"counter,omitempty" doc:"only counts the rows, from 0 or 1"`
	Minimum       json.RawMessage   `json:"minimum,omitempty" doc:"in the column's datatype: a number, or a text in canonical form"`
	Maximum       json.RawMessage   `json:"maximum,omitempty"`
	Mean          json.RawMessage   `json:"mean,omitempty" doc:"of numbers and dates"`
	Deviation     *float64          `json:"deviation,omitempty" doc:"standard deviation of a sample; of dates in days"`
	Sum           json.RawMessage   `json:"sum,omitempty" doc:"exact, of numbers"`
	Quartiles     []json.RawMessage `json:"quartiles,omitempty" doc:"three; Hyndman and Fan's type 7, of dates type 1"`
	QuartileError float64           `json:"quartileError,omitempty" doc:"how far estimates can be off, as a share of the value; 0 where they are exact; those of dates are exact to the day"`
	Histogram     []Bin             `json:"histogram,omitempty"`

	Kinds        []Kind    `json:"kinds" doc:"what the values look like, most first"`
	Against      []Value   `json:"against,omitempty" doc:"values that are not of the datatype"`
	Placeholders []Value   `json:"placeholders,omitempty" doc:"values that look like a missing one"`
	Numbers      *Numbers  `json:"numbers,omitempty"`
	Dates        *Dates    `json:"dates,omitempty"`
	Pair         []string  `json:"pair,omitempty" doc:"of booleans: the texts for true and for false"`
	Shapes       []Shape   `json:"shapes" doc:"A for a capital, a for another letter, 9 for a digit"`
	OtherShapes  int64     `json:"otherShapes,omitempty" doc:"values of shapes that are not counted one by one"`
	Blanks       Blanks    `json:"blanks"`
	Letters      Letters   `json:"letters"`
	ASCII        bool      `json:"ascii" doc:"texts hold no other characters than those of ASCII"`
	Variants     [][]Value `json:"variants,omitempty" doc:"values that differ in nothing but case, blanks or accents"`
	Category     bool      `json:"category" doc:"few values that recur: likely the codes of a category"`
	Usual        []string  `json:"usual,omitempty" doc:"where some numbers lie far from all others: the least and the greatest of those"`

	firstAt, lastAt int64   // rows of the least and the greatest number
	Odd             []Value `json:"-"` // the first values of another shape than the most frequent one
	Far             []Value `json:"-"` // numbers far from all others
}

// Value is a value with how often it occurs and where it stands first.
type Value struct {
	Value string `json:"value"`
	Count int64  `json:"count"`
	Row   int64  `json:"row,omitempty"`
	Line  int64  `json:"line,omitempty"`
}

// Place is a row of the delivery.
type Place struct {
	Row  int64 `json:"row"`
	Line int64 `json:"line,omitempty"`
}

// Bin is a bar of a histogram: values from From up to To, which itself belongs
// to the next bar, or to the last one.
type Bin struct {
	From  json.RawMessage `json:"from"`
	To    json.RawMessage `json:"to"`
	Count int64           `json:"count"`
}

// Kind counts the values that look alike.
type Kind struct {
	Kind  lexical.Kind `json:"kind"`
	Form  string       `json:"form" doc:"how they are written, in words"`
	Count int64        `json:"count"`
	First []Value      `json:"first" doc:"some of them, by row; without counts"`
}

// Shape counts the values of one shape.
type Shape struct {
	Shape string `json:"shape"`
	Count int64  `json:"count"`
	Row   int64  `json:"row" doc:"where it stands first"`
	Line  int64  `json:"line"`
}

// Numbers are the habits of a column's numbers.
type Numbers struct {
	DecimalChar    string `json:"decimalChar,omitempty"`
	GroupChar      string `json:"groupChar,omitempty"`
	Undecided      int64  `json:"undecided,omitempty" doc:"values such as 1.234 where nothing in the file tells whether the character stands before decimals or between thousands"`
	WholeDigits    int    `json:"wholeDigits" doc:"most digits before the point"`
	FractionDigits int    `json:"fractionDigits" doc:"most digits after the point"`
	Negative       int64  `json:"negative"`
	Percent        int64  `json:"percent"`
	Currency       int64  `json:"currency"`
	SignBehind     int64  `json:"signBehind"`
	LeadingZeros   int64  `json:"leadingZeros" doc:"values whose zeros in front a number would lose"`
	Exponent       int64  `json:"exponent"`
	Noughts        int64  `json:"noughts" doc:"values such as 178.0: nothing but zeros after the point"`
	StoredAsText   int64  `json:"storedAsText" doc:"of a workbook: numbers that are texts there"`
}

// Dates are the habits of a column's dates.
type Dates struct {
	Formats       []Format `json:"formats" doc:"LDML patterns that the dates are read by"`
	Order         string   `json:"order,omitempty" enum:"day first,month first" doc:"where the form leaves it open"`
	DecidedBy     string   `json:"decidedBy,omitempty" enum:"dates,other columns,separator,nothing" doc:"what tells the order"`
	DayFirst      int64    `json:"dayFirst" doc:"dates that only make sense with the day first"`
	MonthFirst    int64    `json:"monthFirst"`
	Either        int64    `json:"either" doc:"dates that make sense both ways"`
	Impossible    []Value  `json:"impossible,omitempty" doc:"dates that no calendar has"`
	TwoDigitYears int64    `json:"twoDigitYears"`
	FarOff        []Value  `json:"farOff,omitempty" doc:"dates years away from nearly all others"`
	Weekdays      [7]int64 `json:"weekdays" doc:"from Monday"`
	Gaps          []Gap    `json:"gaps,omitempty" doc:"stretches without a date that are far longer than is usual in the column"`
	IsClose       bool     `json:"-"` // though undecided, the order puts the dates much closer together
}

// Format counts the dates of one format.
type Format struct {
	Format string `json:"format"`
	Count  int64  `json:"count"`
}

// Gap is a stretch of days between two dates.
type Gap struct {
	After  string `json:"after"`
	Before string `json:"before"`
	Days   int64  `json:"days" doc:"without a date"`
}

// Blanks counts values with blanks that do not belong to their words.
type Blanks struct {
	Around    Counted `json:"around" doc:"before or behind the value"`
	Inside    Counted `json:"inside" doc:"more than one between words"`
	Invisible Counted `json:"invisible" doc:"tabs, no-break spaces, zero width characters and their like"`
}

// Counted is a count with the first values behind it.
type Counted struct {
	Count int64   `json:"count"`
	First []Value `json:"first,omitempty"`
}

// Letters counts values by their habit of letter case.
type Letters struct {
	Upper int64 `json:"upper"`
	Lower int64 `json:"lower"`
	Title int64 `json:"title" doc:"each word begins with a capital"`
	Mixed int64 `json:"mixed"`
}

// Defect counts one kind of defect of the rows or of one column's cells.
type Defect struct {
	Code   violation.Code `json:"code"`
	Column string         `json:"column,omitempty"`
	Count  int64          `json:"count"`
	First  []Value        `json:"first"`
}

// Repeated are rows that are like an earlier one in all cells.
type Repeated struct {
	Rows  int64  `json:"rows"`
	First []Pair `json:"first,omitempty"`

	Behind []int64 `json:"-"` // of First's kind, more of them
}

// Headers are rows that hold nothing but the names of the columns, as pages of a printout
// and files that were put together do.
type Headers struct {
	Rows  int64   `json:"rows"`
	First []Place `json:"first,omitempty"`
}

// Pair is a row and the first row that it repeats.
type Pair struct {
	Row     int64 `json:"row"`
	Repeats int64 `json:"repeats"`
}

// Sparse are rows with hardly a filled cell.
type Sparse struct {
	AtMost int     `json:"atMost" doc:"so many filled cells"`
	Rows   int64   `json:"rows"`
	First  []Place `json:"first,omitempty"`
}

// Options are how a profile is made.
type Options struct {
	Workers  int            // 0: one per processor, at most four
	Share    float64        // of a column's values that are of a datatype where it is concluded; 0: DefaultShare
	Progress func(Progress) // called in order, now and then; may be nil
}

// Progress is how far a profile has come.
type Progress struct{ Bytes, Rows int64 }

// Of makes the profile of a delivery. It goes over it once; a second time only
// where the rows show that the sample told a column's datatype wrong, or that
// what it took for a key is none.
//
// The end of ctx ends it. A share of less than a half or more than all values is an
// error.
func Of(ctx context.Context, file *source.File, o Options) (p *Profile, err error) {
	defer fault.Recover(&err, func() string { return "profiling " + file.Name })
	enough := cmp.Or(o.Share, typing.DefaultShare)
	if !(enough >= typing.LeastShare && enough <= 1) {
		return nil, fmt.Errorf("a datatype cannot be concluded from a share of %g of the values: give one from %g to 1",
			enough, typing.LeastShare)
	}
	rows, err := file.Rows(ctx)
	if err != nil {
		return nil, err
	}
	header := rows.Header()
	source.Close(rows)
	s, about, err := takeSample(ctx, file, header)
	if err != nil {
		return nil, err
	}
	plan := newPlan(ctx, s, about, enough)
	for again := true; ctx.Err() == nil; again = false {
		all, err := plan.collect(ctx, file, o, (*collector).add)
		if err != nil {
			return nil, err
		}
		types := plan.conclude(all)
		if again && plan.amend(all, types) {
			continue
		}
		repeated, err := plan.repeated(ctx, file, o, all)
		if err != nil {
			return nil, err
		}
		p := plan.finish(ctx, header, all, types, repeated)
		return p, ctx.Err()
	}
	return nil, ctx.Err()
}

// repeated finds the rows that repeat an earlier one in all cells. There are none
// where a key tells all rows apart; only where no key does, rows are compared.
func (p *plan) repeated(ctx context.Context, file *source.File, o Options, all *collector) (repeats, error) {
	for k, r := range all.repeats {
		if p.keys[k].whole || r.told == all.rows-all.damaged && r.rows == 0 {
			return r, nil
		}
	}
	rows := &plan{columns: make([]columnPlan, len(p.columns)), rows: p.rows, ragged: p.ragged, header: p.header}
	rows.keys = []keyPlan{rows.wholeRow()}
	all, err := rows.collect(ctx, file, o, (*collector).addRows)
	if err != nil {
		return repeats{}, err
	}
	return all.repeats[0], nil
}

// collect goes over all rows; add takes in a batch.
func (p *plan) collect(ctx context.Context, file *source.File, o Options,
	add func(*collector, *source.Batch)) (*collector, error) {
	rows, err := file.Rows(ctx)
	if err != nil {
		return nil, err
	}
	defer source.Close(rows)
	p.openSpills(file)
	if o.Workers <= 0 {
		o.Workers = min(runtime.GOMAXPROCS(0), grainOf(len(p.columns)).workers())
	}
	var all []*collector
	newWork := func() func(*source.Batch, *error) {
		c := p.newCollector()
		all = append(all, c)
		return func(b *source.Batch, err *error) {
			add(c, b)
			*err = c.err
		}
	}
	err = source.InOrder(ctx, rows, o.Workers, newWork, func(b *source.Batch, err *error) error {
		if o.Progress != nil {
			o.Progress(Progress{b.Bytes, b.FirstRow + int64(len(b.Rows)) - 1})
		}
		return *err
	})
	if err != nil {
		p.close()
		return nil, err
	}
	return p.join(ctx, all)
}

// join merges what the workers have.
func (p *plan) join(ctx context.Context, all []*collector) (*collector, error) {
	defer p.close()
	first := all[0]
	first.repeats = make([]repeats, len(p.keys))
	errs := make([]error, len(p.keys))
	var done sync.WaitGroup
	for k := range p.keys {
		done.Go(func() {
			defer fault.Recover(&errs[k], func() string { return "comparing rows by a key" })
			var marks []*prints
			for _, c := range all {
				marks = append(marks, &c.keys[k])
			}
			first.repeats[k], errs[k] = find(ctx, marks)
			for _, c := range all {
				c.keys[k] = prints{}
			}
		})
	}
	for _, c := range all[1:] {
		if ctx.Err() == nil {
			first.merge(c)
		}
	}
	for k := range first.columns {
		c := &first.columns[k]
		if c.settle(); !c.over && c.table.IsFull() {
			c.drain()
		}
	}
	done.Wait()
	return first, errors.Join(errs...)
}

func (p *plan) close() {
	for _, s := range p.spills {
		s.Close()
	}
	p.spills = nil
}

// Finding is a sentence that points out something a steward should know.
type Finding struct {
	Code    string   `json:"code" doc:"what it is about, as words with points: value.against, key.repeated"`
	Columns []string `json:"columns,omitempty"`
	Text    string   `json:"text"`
	Rows    int64    `json:"rows" doc:"rows behind it"`
	First   []Value  `json:"first,omitempty" doc:"the first of them, or the most frequent values"`
	Filters []Filter `json:"filters,omitempty" doc:"what finds all rows behind it; of rows that repeat others and of exceptions to what determines a column, the first thousand, with those that they repeat"`
	Rule    string   `json:"rule,omitempty" doc:"the line of a column rule that deals with it"`

	Weight string `json:"weight" enum:"breaks,may,note" doc:"whether it breaks a load, may break one, or is worth knowing"`
}

// Filter is a condition on the cells of one column, or on a row.
type Filter struct {
	Column  string   `json:"column,omitempty" doc:"none where the condition is on the row"`
	Op      string   `json:"op" enum:"equals,oneOf,contains,empty,filled,against,placeholder,notNumber,shape,notShape,form,habit,greater,atLeast,less,atMost,between,differs,after,notSum,defect,header,sparse,rows" doc:"equals, oneOf: as it stands; contains: whatever the letter case; against: not of the column's datatype; shape, notShape, form, habit: as a profile tells them; greater to between: by the column's datatype; differs, after, notSum: against other columns; defect: the row, or its cell, was read with one; header: the row repeats the header; sparse: at most so many filled cells; rows: by number"`
	Value   string   `json:"value,omitempty" doc:"of numbers and dates in canonical form: 12.5, 2026-07-31"`
	To      string   `json:"to,omitempty" doc:"of between: the last value"`
	Values  []string `json:"values,omitempty" doc:"of oneOf"`
	Columns []string `json:"columns,omitempty" doc:"of differs, after and notSum: the other columns"`
	Rows    []int64  `json:"rows,omitempty" maxItems:"4000" doc:"of rows: their numbers"`
}

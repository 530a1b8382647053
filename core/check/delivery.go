package check

import (
	"fmt"
	"io"
	"regexp"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/shopspring/decimal"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"

	"sieb/core/condition"
	"sieb/core/target"
	"sieb/core/value"
	"sieb/core/violation"
)

// Companion is a file that comes with a delivery and holds control values.
type Companion struct {
	Name string
	Text []byte // in UTF-8, at most MaxCompanion bytes
}

// MaxCompanion is how many bytes a companion file may have.
const MaxCompanion = 1 << 20

// ReadCompanion reads a companion file: by its byte order mark where it has one, else as
// UTF-8, or as windows-1252 where it is none.
func ReadCompanion(name string, from io.Reader) (*Companion, error) {
	text, err := io.ReadAll(io.LimitReader(from, MaxCompanion+1))
	switch {
	case err != nil:
		return nil, fmt.Errorf("%s: %w", name, err)
	case len(text) > MaxCompanion:
		return nil, fmt.Errorf("%s is longer than %d KiB, which no file of control values is", name, MaxCompanion>>10)
	}
	fallback := unicode.UTF8.NewDecoder()
	if !utf8.Valid(text) {
		fallback = charmap.Windows1252.NewDecoder()
	}
	decoded, _, err := transform.Bytes(unicode.BOMOverride(fallback), text)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	return &Companion{Name: name, Text: decoded}, nil
}

// judgeName compares the delivery's name with the form that the target wants, and takes
// the date that it holds.
func (m *matching) judgeName(name string) {
	want := m.target.Delivery.FileName
	if want == nil {
		return
	}
	form := regexp.MustCompile(`^(?:` + want.Format + `)$`)
	found := form.FindStringSubmatch(name)
	fail := func(format string, args ...any) {
		m.add(Finding{Code: violation.FileName, Action: want.OnViolation, Line: 1, Value: name,
			Message: fmt.Sprintf(format, args...)})
	}
	if found == nil {
		fail("the file is named %q, which does not have the form %s; is it the right file?", name, want.Format)
		return
	}
	if want.Date == "" {
		return
	}
	group := 1
	if at := form.SubexpIndex("date"); at > 0 {
		group = at
	}
	var t value.Instant
	f, err := value.NewDateFormat(value.Date, want.Date)
	if err != nil || f.Parse([]byte(found[group]), &t) != value.Matches {
		fail("the name %q holds %q where a date like %s is expected", name, found[group], f.Example())
		return
	}
	m.fileDate = condition.MomentOf(time.Unix(t.Seconds(), 0))
}

// judgeRepeat tells of a delivery whose bytes arrived before.
func (m *matching) judgeRepeat(earlier string) {
	if earlier == "" || m.target.Delivery.Repeat == target.RepeatAccepted {
		return
	}
	f := Finding{Code: violation.DeliveryRepeat, Action: violation.Flag, Line: 1,
		Message: "the same bytes arrived before, as " + earlier}
	if m.target.Delivery.Repeat == target.RepeatRefused {
		f.Action = violation.Refuse
		f.Message += "; ask the sender for the new file"
	}
	m.add(f)
}

// control is a control value, and the column that is added up or counted.
type control struct {
	*target.Control
	column int // -1 where rows are counted
	find   *regexp.Regexp
}

func (m *matching) compileControls() error {
	for i := range m.target.Delivery.Controls {
		c := control{Control: &m.target.Delivery.Controls[i]}
		var err error
		if c.find, err = regexp.Compile(c.Find); err != nil {
			return fmt.Errorf("controls: find: %w", err)
		}
		if c.column = m.place(c.Sum + c.Count); c.column >= 0 {
			m.columns[c.column].isRead = true
		}
		m.controls = append(m.controls, c)
	}
	return nil
}

// Sum is what is added up for a control value. The zero Sum is that of no rows.
type Sum struct {
	Values int64 // how many
	Wrong  int64 // cells that are not of their datatype, were blanked, or stand in rows that are cut wrongly
	total  decimal.Decimal
	units  [8]int64 // of a batch: sums of short numbers, by scale
}

// NewSums makes a sum for each control value.
func (p *Plan) NewSums() []Sum { return make([]Sum, len(p.controls)) }

// Add adds another sum.
func (s *Sum) Add(t *Sum) {
	s.Values, s.Wrong = s.Values+t.Values, s.Wrong+t.Wrong
	s.total = s.total.Add(t.total)
	for scale, units := range t.units {
		if units != 0 {
			s.total = s.total.Add(decimal.New(units, -int32(scale)))
		}
	}
}

// take adds a value of a column. A batch holds too few rows for short numbers to overflow.
func (s *Sum) take(v *condition.Value, isSum bool) {
	switch {
	case v.Kind == condition.Missing:
		return
	case v.Kind == condition.Wrong:
		s.Wrong++
		return
	}
	s.Values++
	const most = 1_000_000_000_000
	switch {
	case !isSum:
	case !v.Long && int(v.Scale) < len(s.units) && v.Units < most && v.Units > -most:
		s.units[v.Scale] += v.Units
	default:
		s.total = s.total.Add(v.Decimal())
	}
}

// control adds the values of a block of rows to the sums. Rows that are left out do not
// count.
func (j *Judge) control(block int) {
	for i := range j.plan.controls {
		c := &j.plan.controls[i]
		if c.column < 0 {
			continue
		}
		l, sum := &j.lanes[c.column], &j.out.Sums[i]
		for k := range block {
			switch {
			case j.out.Excluded[j.from+k] > 0:
			case j.apart[k] || l.blanked[k]:
				sum.Wrong++
			default:
				sum.take(&l.values[k], c.Sum != "")
			}
		}
	}
}

// Control compares the sums and counts of a delivery with the values that the sender
// states. sums are those of all batches, read the number of all rows.
func (p *Plan) Control(sums []Sum, read int64, footer string, companion *Companion) (all []Finding) {
	for i := range p.controls {
		c := &p.controls[i]
		f := Finding{Code: violation.CountDiffers, Action: c.OnViolation, Line: 1}
		sum := Sum{Values: read}
		what := "the number of rows"
		if c.column >= 0 {
			sum, f.Column = sums[i], p.columns[c.column].spec.Name
			what = "the number of values of " + f.Column
		}
		is := decimal.NewFromInt(sum.Values)
		if c.Sum != "" {
			f.Code, is, what = violation.SumDiffers, sum.total, "the sum of "+f.Column
		}
		stated, text, why := c.stated(p, footer, companion)
		f.Value = text
		switch {
		case why != "":
			f.Message = fmt.Sprintf("%s cannot be compared: %s", what, why)
		case is.Equal(stated):
			continue
		default:
			f.Message = fmt.Sprintf("%s is %s, and %s says %s", what, is, c.place(p, companion), stated)
			if sum.Wrong > 0 {
				f.Message += fmt.Sprintf("; %s not in it, since they are wrong",
					count(int(sum.Wrong), "cell is", "cells are"))
			}
			f.Message += "; ask the sender whether rows are missing"
		}
		all = append(all, f)
	}
	return all
}

// place says where a control value stands.
func (c *control) place(p *Plan, companion *Companion) string {
	switch {
	case c.In == target.NameText:
		return fmt.Sprintf("the name %q", p.fileName)
	case c.In == target.CompanionText && companion != nil:
		return companion.Name
	}
	return "the " + c.In
}

// stated finds a control value, and says why where there is none.
func (c *control) stated(p *Plan, footer string, companion *Companion) (n decimal.Decimal, text, why string) {
	in := footer
	switch c.In {
	case target.NameText:
		in = string(p.fileName)
	case target.CompanionText:
		if companion == nil {
			return n, "", "the value stands in a companion file, and none was given"
		}
		in = string(companion.Text)
	default:
		if footer == "" {
			return n, "", "the value stands in the footer, and the layout has none: footerRows says how many lines it has"
		}
	}
	found := c.find.FindStringSubmatch(in)
	if found == nil {
		return n, "", fmt.Sprintf("%s holds nothing like %s", c.place(p, companion), c.Find)
	}
	text = strings.TrimSpace(found[min(1, len(found)-1)])
	if n, ok := c.number(p, text); ok {
		return n, text, ""
	}
	return n, text, fmt.Sprintf("%s says %q, which is not a number as the column has them", c.place(p, companion), text)
}

// number reads a control value: a sum as the column's numbers are written, or plainly.
func (c *control) number(p *Plan, text string) (decimal.Decimal, bool) {
	formats := []*value.NumberFormat{&plainNumbers}
	if c.Sum != "" {
		formats = []*value.NumberFormat{&p.columns[c.column].number, &plainNumbers}
	}
	for _, f := range formats {
		var n value.Number
		if f.Parse([]byte(text), &n) {
			d, err := decimal.NewFromString(string(n.Canonical()))
			return d, err == nil
		}
	}
	return decimal.Decimal{}, false
}

// complete is a column of which each allowed value must occur.
type complete struct {
	column int
	all    []string       // the values, as the target or the code list writes them
	at     map[string]int // their places, in a column of texts
}

func (m *matching) compileComplete() {
	for i := range m.columns {
		c := &m.columns[i]
		if !c.spec.Complete {
			continue
		}
		all := c.spec.OneOf
		if c.codes != nil {
			all = nil
			for _, code := range c.codes.Codes {
				all = append(all, code.Code)
			}
		}
		c.isRead = true
		at := map[string]int{}
		for k, text := range all {
			at[text] = k
		}
		m.complete = append(m.complete, complete{i, all, at})
	}
}

// index returns the place of a value among those that must occur, -1 for any other.
func (p *Plan) index(c *complete, text []byte) int {
	col := &p.columns[c.column]
	if at, ok := c.at[string(text)]; ok {
		return at
	}
	if col.spec.Datatype.IsText() {
		return -1
	}
	v, ok := col.spec.Literal(string(text))
	if !ok {
		return -1
	}
	return slices.IndexFunc(col.set, func(l target.Literal) bool { return l.Compare(v) == 0 })
}

// meet notes which of the values that must occur do so in a block. Rows that are left out
// do not count.
func (j *Judge) meet(block int) {
	for i := range j.plan.complete {
		c := &j.plan.complete[i]
		l := &j.lanes[c.column]
		for k := range block {
			if v := &l.values[k]; j.apart[k] || v.Kind == condition.Missing || v.Kind == condition.Wrong {
				continue
			}
			j.scratch = l.values[k].Append(j.scratch[:0], l.spec.Datatype == value.Date)
			if l.met[string(j.scratch)] {
				continue
			}
			if len(l.met) < 2*len(c.all)+maxSeen {
				l.met[string(j.scratch)] = true
			}
			if at := j.plan.index(c, j.scratch); at >= 0 {
				j.out.Met[i] = append(j.out.Met[i], at)
			}
		}
	}
}

// maxSeen is how many texts are remembered that are none of the values looked for.
const maxSeen = 4096

// Met notes what was seen of the values that must occur.
type Met [][]bool

// NewMet makes room for what will be seen.
func (p *Plan) NewMet() Met {
	s := make(Met, len(p.complete))
	for i := range p.complete {
		s[i] = make([]bool, len(p.complete[i].all))
	}
	return s
}

// Add notes what was seen in a batch.
func (s Met) Add(r *Ruling) {
	for i, places := range r.Met {
		for _, at := range places {
			s[i][at] = true
		}
	}
}

// Absent returns findings of the values that never occurred.
func (p *Plan) Absent(s Met) (all []Finding) {
	for i := range p.complete {
		c := &p.complete[i]
		spec := p.columns[c.column].spec
		var absent []string
		for k, isSeen := range s[i] {
			if !isSeen {
				absent = append(absent, c.all[k])
			}
		}
		if len(absent) == 0 {
			continue
		}
		f := Finding{Code: violation.ValueAbsent, Action: spec.Action(violation.ValueAbsent), Column: spec.Name, Line: 1}
		verb := "do"
		if len(absent) == 1 {
			verb = "does"
		}
		f.Message = fmt.Sprintf("%d of %s %s not occur in the delivery: %s", len(absent),
			count(len(c.all), "value that must be there", "values that must be there"), verb,
			strings.Join(absent[:min(len(absent), maxListed)], ", "))
		if len(absent) > maxListed {
			f.Message += ", …"
		}
		all = append(all, f)
	}
	return all
}

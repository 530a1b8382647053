// Package sift runs a delivery through a target: it reads, cleans, checks and
// splits every row, and keeps the tally.
//
// It decides what needs the order of rows (which row of a key comes first) and
// adds up what the judges found. Where the texts go is left to a Sink; package
// report writes them to files.
package sift

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strconv"
	"time"

	"sieb/core/check"
	"sieb/core/codes"
	"sieb/core/reference"
	"sieb/core/rfc4180"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/violation"
)

// Verdict is the outcome of a run.
type Verdict string

// The verdicts.
const (
	Accepted Verdict = "accepted" // no row was rejected
	Split    Verdict = "split"    // some rows were, within the tolerance
	Refused  Verdict = "refused"  // the delivery as a whole is not taken
)

// Tally accounts for the rows: Read = Accepted + Rejected + Excluded.
type Tally struct {
	Read     int64 `json:"read"`
	Accepted int64 `json:"accepted"`
	Rejected int64 `json:"rejected"`
	Excluded int64 `json:"excluded"`
}

// Progress is how far a run has come.
type Progress struct {
	Bytes int64 `json:"bytes"`
	Rows  int64 `json:"rows"`
}

// Sink takes the texts of a run in order: RFC 4180, UTF-8, LF. Each call hands
// on whole rows; text is reused after it.
type Sink interface {
	Accepted(text []byte) error
	Rejected(text []byte) error
	Excluded(text []byte) error
	Violations(text []byte) error
	// Restart takes back all that was handed on: it comes anew.
	Restart() error
}

// Run is one execution of a target over a delivery.
type Run struct {
	Source    source.Source
	Encoding  string            // of the delivery, for messages
	Name      string            // of the delivery
	Today     time.Time         // the day of the run
	RepeatOf  string            // the earlier delivery of the same bytes, in words; "" for none
	Companion *check.Companion  // the file with control values that came with it; nil for none
	Size      int64             // of the delivery in bytes, 0 where it is not known
	Target    *target.Target    // nil: every row that reads cleanly is accepted
	Codes     []*codes.List     // that the target's columns refer to
	Keys      []*reference.Keys // of the target's Constraints, in their order
	Workers   int               // 0: one per processor
	Progress  func(Progress)    // called in order, now and then; may be nil
	Sink      Sink
	Account   *Account // that the run fills; nil for none

	// Again reads the delivery once more from its start. It is asked for where not the first
	// of rows that repeat one another is kept, and where memory does not hold all keys.
	Again func(context.Context) (source.Source, error)
	// Temporary makes a file without a name, for the keys that memory does not hold.
	Temporary func() (*os.File, error)
	KeyMemory int64 // bytes that keys may take in memory; 0 for DefaultKeyMemory

	explain     int64 // number of a row that is to be explained, 0 for none
	explanation *check.Explanation
}

// Result is what a run found.
type Result struct {
	Verdict    Verdict           `json:"verdict"`
	Refusal    string            `json:"refusal,omitempty" doc:"why the delivery was refused"`
	Tally      Tally             `json:"tally"`
	Tolerance  string            `json:"tolerance,omitempty" doc:"how much may be rejected, as the target says it; absent where no limit is set"`
	BlankLines int64             `json:"blankLines,omitempty" doc:"lines that are no rows, since they hold nothing but blanks"`
	Excluded   []Excluded        `json:"excluded,omitempty" doc:"rows that were left out, by reason"`
	LeftOut    []string          `json:"leftOut,omitempty" doc:"headers of the delivery's columns that are known and not wanted"`
	Unjudged   []Unjudged        `json:"unjudged,omitempty" doc:"row rules that were not judged in all rows"`
	Today      string            `json:"today,omitempty" doc:"the day of the run, where rules depend on it"`
	References []reference.State `json:"references,omitempty" doc:"the tables that the target refers to, as they were read"`
	Violations []Group           `json:"violations"`
	Remedies   []Remedy          `json:"remedies"`
	Columns    []check.Match     `json:"columns" doc:"the target's columns and what feeds them"`
}

// Remedy counts the cells that a remedy changed.
type Remedy struct {
	Column  string `json:"column"`
	Remedy  string `json:"remedy"`
	Changed int64  `json:"changed"`
	Spoilt  int64  `json:"spoilt,omitempty" doc:"of these, cells that were right as delivered and break a rule since; counted at the last remedy that changed them"`

	Ways       int64    `json:"ways,omitempty" doc:"how many different changes there were; with sampleRows in those rows"`
	Pairs      []Change `json:"pairs,omitempty" doc:"the most frequent of them"`
	Others     int64    `json:"others,omitempty" doc:"changed cells that are not among the pairs"`
	SampleRows int64    `json:"sampleRows,omitempty" doc:"where there are too many different changes to count all of them: the first rows, in which they were counted"`
}

// Change is what a remedy made of a cell, and how often.
type Change struct {
	Before string `json:"before" doc:"cut where it is long; so is after"`
	After  string `json:"after"`
	Cells  int64  `json:"cells"`
}

// Excluded counts the rows that were left out for one reason.
type Excluded struct {
	Reason string `json:"reason"`
	Rows   int64  `json:"rows"`
}

// Unjudged counts the rows in which a row rule was not judged, since a value that it needs
// is missing or wrong.
type Unjudged struct {
	Rule string `json:"rule"`
	Rows int64  `json:"rows"`
}

// part is what the judges make of a batch.
type part struct {
	ruling   check.Ruling
	accepted []byte
	rejected []byte
	excluded []byte
	told     []byte // the violations of its rows
	reasons  []byte // scratch
	ends     []end
	failed   error

	explanation *check.Explanation // of the row that is to be explained, where the batch holds it
}

// end is where a row's text ends in accepted, in rejected and in told.
type end struct {
	accepted, rejected, told int
	found                    int
	isRejected               bool
	excluded                 uint16 // by which of the exclusions, from 1, the row is left out
}

// Do runs it. The same delivery and target give the same result and the same
// texts, whatever the number of workers.
func (r *Run) Do(ctx context.Context) (*Result, error) {
	plan, err := check.NewPlan(r.Target, check.Delivery{Header: r.Source.Header(), Encoding: r.Encoding, Name: r.Name,
		Today: r.Today, RepeatOf: r.RepeatOf, Codes: r.Codes, Keys: keysOf(r.Keys)})
	if err != nil {
		return nil, err
	}
	if r.Target != nil {
		for _, name := range r.Target.CodeLists() {
			if codes.Named(r.Codes, name) == nil {
				return nil, fmt.Errorf("the code list %s is not given", name)
			}
		}
	}
	if r.hasSpilt() && (r.Again == nil || r.Temporary == nil) {
		return nil, errors.New("a table that is referred to does not fit in memory, and the delivery can be read only once")
	}
	w := newWriter(r, plan)
	defer func() { w.close() }()
	if w.looksAhead() {
		if err := w.lookAhead(ctx); err != nil {
			return nil, err
		}
	}
	src := r.Source
	for {
		if r.hasSpilt() && !w.knows {
			w.refers = newSpiltKeys(r.Temporary)
		}
		if err := w.begin(); err != nil {
			return nil, err
		}
		if err := source.InOrder(ctx, plan.Rows(src), r.Workers, w.work, w.deliver); err != nil {
			return nil, err
		}
		again, err := w.settle(ctx)
		if err != nil {
			return nil, err
		}
		if again == nil {
			break
		}
		w.close()
		w = again
		if src, err = r.Again(ctx); err != nil {
			return nil, err
		}
		defer source.Close(src)
		if err := r.Sink.Restart(); err != nil {
			return nil, err
		}
	}
	if r.explanation != nil {
		return nil, errExplained
	}
	if err := w.finish(); err != nil {
		return nil, err
	}
	return w.result(r.Target), nil
}

// settle ends a reading of which keys, or what rows refer to, went to a file. It returns nil where
// all is as it was taken to be, and otherwise the writer for another reading, which knows better.
func (w *writer) settle(ctx context.Context) (again *writer, err error) {
	if w.refers == nil && w.spilt == nil {
		return nil, nil
	}
	again = newWriter(w.run, w.plan)
	again.least, again.before, again.ahead = w.shown, w.tally.Read, w.ahead
	if w.refers != nil {
		again.broken, err = w.breaches(ctx)
		if again.knows = true; err != nil || again.broken != nil {
			return again, err
		}
	} else {
		again.broken, again.knows, w.broken = w.broken, w.knows, nil
	}
	if w.spilt != nil {
		again.twins, err = w.spilt.twins(ctx, w.run.Temporary, target.KeepFirst, len(w.keys) > 1)
	}
	if err != nil || again.twins == nil {
		again.close()
		return nil, err
	}
	return again, nil
}

// work makes what judges batches on one goroutine.
func (w *writer) work() func(*source.Batch, *part) {
	judge := w.plan.NewJudge().Watch(w.changes.watch)
	return func(b *source.Batch, p *part) {
		judge.Start(b, &p.ruling)
		p.failed = w.know(judge, b)
		judgeBatch(w.plan, judge, b, p, w.run.explain-b.FirstRow)
	}
}

// keysOf hands on what the target refers to.
func keysOf(all []*reference.Keys) []check.Keys {
	keys := make([]check.Keys, len(all))
	for i := range all {
		keys[i] = all[i]
	}
	return keys
}

// judgeBatch judges the rows of a batch that was begun; one of them may be to be explained.
func judgeBatch(plan *check.Plan, judge *check.Judge, b *source.Batch, p *part, explain int64) {
	p.explanation = nil
	p.accepted, p.rejected, p.excluded, p.told, p.ends = p.accepted[:0], p.rejected[:0], p.excluded[:0], p.told[:0],
		p.ends[:0]
	first := 0
	block := plan.Block()
	for from := 0; from < len(b.Rows); from += block {
		to := min(from+block, len(b.Rows))
		judge.Rows(from, to)
		if explain >= int64(from) && explain < int64(to) {
			p.explanation = judge.Explain(int(explain))
		}
		for row := from; row < to; row++ {
			last := first
			for ; last < len(p.ruling.Found) && p.ruling.Found[last].Row == row; last++ {
				p.told = appendViolation(p.told, plan, b, &p.ruling, &p.ruling.Found[last])
			}
			excluded := p.ruling.Excluded[row]
			rejected := p.ruling.Rejected[row] && excluded == 0
			switch {
			case excluded > 0:
				p.excluded = appendExcluded(p.excluded, plan, b, row, excluded)
			case rejected:
				p.rejected = p.appendRejected(p.rejected, plan, b, row, p.ruling.Found[first:last])
			default:
				p.accepted = judge.AppendRow(p.accepted, row)
			}
			first = last
			p.ends = append(p.ends, end{len(p.accepted), len(p.rejected), len(p.told), first, rejected, excluded})
		}
	}
}

// appendRejected appends a row of rejected.csv: row, line, reasons, and the
// cells as they were delivered.
func (p *part) appendRejected(dst []byte, plan *check.Plan, b *source.Batch, row int, found []check.Found) []byte {
	dst = appendNumbers(dst, b, row)
	reasons := p.reasons[:0]
	for _, f := range plan.Delivery {
		if f.Action == violation.Refuse {
			reasons = appendReason(reasons, "", []byte(f.Message), f.Code)
		}
	}
	for i := range found {
		f := &found[i]
		if f.Action == violation.Flag || f.Action == violation.Blank {
			continue
		}
		title := plan.ColumnName(f)
		if f.Cell >= 0 && f.Column >= 0 {
			title = plan.Title(f.Column)
		}
		reasons = appendReason(reasons, title, p.ruling.Message(f), f.Code)
	}
	p.reasons = reasons
	dst = rfc4180.AppendCell(dst, reasons)
	return appendCells(dst, b, row)
}

// appendExcluded appends a row of excluded.csv: row, line, reason, and the cells as they
// were delivered.
func appendExcluded(dst []byte, plan *check.Plan, b *source.Batch, row int, excluded uint16) []byte {
	dst = appendNumbers(dst, b, row)
	dst = rfc4180.AppendCell(dst, []byte(plan.Reasons()[excluded-1]))
	return appendCells(dst, b, row)
}

// appendNumbers appends the row and line that begin a row which was not accepted.
func appendNumbers(dst []byte, b *source.Batch, row int) []byte {
	dst = strconv.AppendInt(dst, b.Number(row), 10)
	dst = append(dst, ',')
	dst = strconv.AppendInt(dst, b.Rows[row].Line, 10)
	return append(dst, ',')
}

// appendCells appends the cells with which such a row ends.
func appendCells(dst []byte, b *source.Batch, row int) []byte {
	for _, s := range b.Cells(row) {
		dst = append(dst, ',')
		dst = rfc4180.AppendValid(dst, b.Text(s))
	}
	return append(dst, '\n')
}

// appendViolation appends a row of violations.csv.
func appendViolation(dst []byte, plan *check.Plan, b *source.Batch, ruling *check.Ruling, f *check.Found) []byte {
	dst = appendNumbers(dst, b, f.Row)
	dst = rfc4180.AppendCell(dst, []byte(plan.ColumnName(f)))
	dst = append(dst, ',')
	dst = append(dst, f.Code.String()...)
	dst = append(dst, ',')
	dst = rfc4180.AppendCell(dst, ruling.Value(f))
	dst = append(dst, ',')
	dst = rfc4180.AppendCell(dst, ruling.Message(f))
	return append(dst, '\n')
}

func appendReason(dst []byte, title string, message []byte, code violation.Code) []byte {
	if len(dst) > 0 {
		dst = append(dst, " | "...)
	}
	if title != "" {
		dst = append(append(dst, title...), ": "...)
	}
	dst = append(append(dst, message...), " ["...)
	return append(append(dst, code.String()...), ']')
}

// Headers of the texts that accompany accepted rows.
var (
	RejectedHeader   = []string{"row", "line", "reasons"} // then the delivery's own
	ExcludedHeader   = []string{"row", "line", "reason"}  // then the delivery's own
	ViolationsHeader = []string{"row", "line", "column", "code", "value", "message"}
)

func (w *writer) begin() error {
	if w.run.Account != nil {
		w.run.Account.reset(w.plan)
	}
	if err := w.run.Sink.Accepted(rfc4180.AppendRow(nil, w.plan.Names()...)); err != nil {
		return err
	}
	header := append(append([]string{}, RejectedHeader...), w.run.Source.Header().Names...)
	if err := w.run.Sink.Rejected(rfc4180.AppendRow(nil, header...)); err != nil {
		return err
	}
	header = append(append([]string{}, ExcludedHeader...), w.run.Source.Header().Names...)
	if err := w.run.Sink.Excluded(rfc4180.AppendRow(nil, header...)); err != nil {
		return err
	}
	text := rfc4180.AppendRow(nil, ViolationsHeader...)
	for _, f := range w.plan.Delivery {
		text = w.add(text, f)
	}
	for _, d := range w.run.Source.Header().Defects {
		text = w.add(text, check.HeaderFinding(w.run.Source.Header(), &d))
	}
	return w.run.Sink.Violations(text)
}

// add counts a violation of the delivery as a whole, and appends it to the text
// of violations.
func (w *writer) add(text []byte, f check.Finding) []byte {
	w.groups.addDelivery(f)
	return rfc4180.AppendRow(text, "", fmt.Sprint(f.Line), f.Column, f.Code.String(), f.Value, f.Message)
}

// finish reports what only shows once all rows were read.
func (w *writer) finish() error {
	var text []byte
	if f, ok := check.ChangeFinding(&w.change, w.run.Encoding); ok {
		text = w.add(text, f)
	}
	if f, ok := w.rowsFinding(); ok {
		text = w.add(text, f)
		w.refused = true
	}
	footer, err := source.Footer(w.run.Source)
	if err != nil {
		return err
	}
	late := append(w.plan.Absent(w.seen), w.plan.Control(w.sums, w.tally.Read, footer, w.run.Companion)...)
	if w.tally.Read == 0 {
		late = nil // that there is nothing says it all
	}
	for _, f := range late {
		text = w.add(text, f)
		w.refused = w.refused || f.Action == violation.Refuse
	}
	if text == nil {
		return nil
	}
	return w.run.Sink.Violations(text)
}

func rowsWord(n int64) string {
	if n == 1 {
		return "1 row"
	}
	return fmt.Sprintf("%d rows", n)
}

// rowsFinding makes a finding of a delivery that has fewer or more rows than it is to
// have; ok is false where the number is right.
func (w *writer) rowsFinding() (f check.Finding, ok bool) {
	want := target.Rows{}
	if w.run.Target != nil {
		want = w.run.Target.Rows
	}
	header := w.run.Source.Header()
	f = check.Finding{Action: violation.Refuse, Line: max(header.Line, 1)}
	switch read := w.tally.Read; {
	case read == 0 && want.Least() > 0:
		f.Code, f.Message = violation.DeliveryEmpty, "nothing was delivered: the file has neither a header nor a row"
		if header.Named {
			f.Message = "nothing was delivered: the file has a header and no row"
		}
		f.Message += "; ask the sender, or let the target say rows: {minimum: 0} if that is fine"
	case read < want.Least():
		f.Code, f.Message = violation.RowsFew, fmt.Sprintf("the delivery has %s, and at least %d are expected",
			rowsWord(read), want.Least())
	case want.Maximum != nil && read > *want.Maximum:
		f.Code, f.Message = violation.RowsMany, fmt.Sprintf("the delivery has %s, and at most %d are expected",
			rowsWord(read), *want.Maximum)
	default:
		return f, false
	}
	return f, true
}

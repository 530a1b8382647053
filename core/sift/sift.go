// Package sift runs a delivery through a target: it reads, cleans, checks and
// splits every row, and keeps the tally.
//
// It decides what needs the order of rows (which row of a key comes first), and so on
// which side each row ends, and adds up what the judges found. It writes nothing itself:
// what rows are written as, and where to, is a matter of the run's outputs.
package sift

import (
	"context"
	"errors"
	"fmt"
	"os"
	"time"

	"sieb/core/check"
	"sieb/core/codes"
	"sieb/core/outcome"
	"sieb/core/reference"
	"sieb/core/source"
	"sieb/core/target"
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
	Outputs   []*outcome.Output // whose destinations whoever does the run commits, or aborts
	Account   *Account          // that the run fills; nil for none
	Noting    Noting            // where rows end; nil for none

	// Again reads the delivery once more from its start. It is asked for where not the first
	// of rows that repeat one another is kept, and where memory does not hold all keys.
	Again func(context.Context) (source.Source, error)
	// Temporary makes a file without a name, for the keys that memory does not hold.
	Temporary func() (*os.File, error)
	KeyMemory int64 // bytes that keys may take in memory; 0 for DefaultKeyMemory

	explain     int64 // number of a row that is to be explained, 0 for none
	explanation *check.Explanation
}

// Noting notes where rows end, in order.
type Noting interface {
	// Restart forgets what was noted: the rows come anew. The outputs have begun by then.
	Restart() error
	// Row notes the next row: whether something in it was changed, and whether something breaks a rule.
	Row(side outcome.Side, isAltered, isBroken bool)
	// Written says that the rows noted since the last time were handed to the outputs.
	Written() error
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
	ruling check.Ruling
	ends   []end
	texts  []texts // for each output
	failed error

	explanation *check.Explanation // of the row that is to be explained, where the batch holds it
}

// end is where a row ended, as far as its judge knows.
type end struct {
	found    int // of the violations of the batch, those of the row and of the rows before it
	side     outcome.Side
	altered  bool
	excluded uint16 // by which of the exclusions, from 1, the row is left out
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
	w := newSifter(r, plan)
	defer func() { w.close() }()
	schema := plan.Schema()
	for _, o := range r.Outputs {
		defer o.Drop()
		if err := o.Begin(ctx, schema); err != nil {
			return nil, err
		}
	}
	if w.owners.looksAhead() {
		if err := w.lookAhead(ctx); err != nil {
			return nil, err
		}
	}
	src := r.Source
	for {
		if err := w.begin(); err != nil {
			return nil, err
		}
		if err := source.InOrder(ctx, plan.Rows(src), r.Workers, w.judging, w.deliver); err != nil {
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
		for _, o := range r.Outputs {
			if err := o.Restart(); err != nil {
				return nil, err
			}
		}
	}
	if r.explanation != nil {
		return nil, errExplained
	}
	if err := w.finish(); err != nil {
		return nil, err
	}
	return w.tallies.result(r), nil
}

// keysOf hands on what the target refers to.
func keysOf(all []*reference.Keys) []check.Keys {
	keys := make([]check.Keys, len(all))
	for i := range all {
		keys[i] = all[i]
	}
	return keys
}

// judgeBatch judges the rows of a batch that was begun, and lets them leave; one of them may be to be explained.
func judgeBatch(plan *check.Plan, judge *check.Judge, b *source.Batch, p *part, leaving *leaving, explain int64) {
	p.explanation, p.ends = nil, p.ends[:0]
	outputs := 0
	if leaving != nil {
		outputs = len(leaving.encoders)
	}
	if p.texts == nil {
		p.texts = make([]texts, outputs)
	}
	for i := range p.texts {
		p.texts[i].reset()
	}
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
			}
			e := end{found: last, altered: p.ruling.Altered[row], excluded: p.ruling.Excluded[row]}
			reason := ""
			switch {
			case e.excluded > 0:
				e.side, reason = outcome.Excluded, plan.Reasons()[e.excluded-1]
			case p.ruling.Rejected[row]:
				e.side = outcome.Rejected
			}
			p.ends = append(p.ends, e)
			if outputs > 0 {
				leaving.take(judge.Block(), row-from, &p.ruling, p.ruling.Found[first:last], reason)
				leaving.put(p.texts, e.side)
			}
			first = last
		}
	}
}

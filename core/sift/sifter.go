package sift

import (
	"context"
	"errors"
	"slices"

	"sieb/core/check"
	"sieb/core/outcome"
	"sieb/core/source"
	"sieb/core/violation"
)

// sifter takes the judged batches in order. It alone knows which rows came before: it decides on
// which side rows end, counts them, and lets them leave. Each thing that it keeps is a type of its own.
type sifter struct {
	run      *Run
	plan     *check.Plan
	owners   owners     // which rows hold which keys
	lookups  lookups    // what rows refer to in tables that memory does not hold
	last     check.Last // where the columns with an order stand
	tallies  tallies
	progress progress
	splicing *splicing // what leaves; nil where rows are only looked at ahead
}

func newSifter(r *Run, plan *check.Plan) *sifter {
	return &sifter{run: r, plan: plan, owners: owners{run: r, plan: plan, keys: make([]keySet, len(plan.Keys))},
		lookups: lookups{run: r}, tallies: newTallies(plan), progress: progress{size: r.Size}}
}

// close gives up the files that keys went to.
func (w *sifter) close() {
	w.owners.close()
	w.lookups.close()
}

// judging makes what judges batches on one goroutine.
func (w *sifter) judging() func(*source.Batch, *part) {
	judge := w.plan.NewJudge().Watch(w.tallies.changes.watch)
	var leaving *leaving
	if w.splicing != nil {
		leaving = w.run.newLeaving(w.plan)
	}
	return func(b *source.Batch, p *part) {
		judge.Start(b, &p.ruling)
		p.failed = w.lookups.tell(judge, b)
		judgeBatch(w.plan, judge, b, p, leaving, w.run.explain-b.FirstRow)
	}
}

// begin begins a reading whose rows leave.
func (w *sifter) begin() error {
	if w.run.hasSpilt() && !w.lookups.isKnown {
		w.lookups.spilt = newSpiltKeys(w.run.Temporary)
		w.progress.halve()
	}
	w.progress.second = w.owners.ahead != nil
	if w.run.Account != nil {
		w.run.Account.reset(w.plan)
	}
	if w.run.Noting != nil {
		if err := w.run.Noting.Restart(); err != nil {
			return err
		}
	}
	w.splicing = newSplicing(w.run.newLeaving(w.plan))
	all := slices.Clone(w.plan.Delivery)
	for _, d := range w.run.Source.Header().Defects {
		all = append(all, check.HeaderFinding(w.run.Source.Header(), &d))
	}
	return w.tell(all)
}

// tell counts violations of the delivery as a whole, and lets them leave.
func (w *sifter) tell(all []check.Finding) error {
	w.tallies.addDelivery(all)
	return w.splicing.leaving.tell(all)
}

// deliver takes the next batch.
func (w *sifter) deliver(b *source.Batch, p *part) error {
	w.tallies.add(b, &p.ruling)
	if p.failed != nil {
		return p.failed
	}
	if err := w.meet(b, p); err != nil {
		return err
	}
	late := w.last.Follow(w.plan, b, &p.ruling)
	w.splicing.start()
	if len(w.plan.Keys) == 0 && len(p.ruling.Found) == 0 && len(late) == 0 {
		for i := range p.ends {
			w.end(&p.ends[i], p.ends[i].side, false)
		}
	} else if w.decide(b, p, late); w.owners.failed != nil {
		return w.owners.failed
	}
	if p.explanation != nil {
		w.run.explanation = p.explanation
		if !w.mayReadAgain() { // otherwise what comes behind the row may show more of it
			return errExplained
		}
	}
	if err := w.splicing.write(p); err != nil {
		return err
	}
	if w.run.Noting != nil {
		if err := w.run.Noting.Written(); err != nil {
			return err
		}
	}
	if w.run.Progress != nil {
		w.run.Progress(w.progress.behind(b, w.tallies.tally.Read))
	}
	return nil
}

// mayReadAgain reports whether something went to a file that is settled once all rows are read.
func (w *sifter) mayReadAgain() bool { return w.owners.spilt != nil || w.lookups.spilt != nil }

// meet prepares for a batch.
func (w *sifter) meet(b *source.Batch, p *part) error {
	if len(w.plan.Keys) == 0 && w.lookups.spilt == nil || len(p.ends) == 0 {
		return nil
	}
	if b.Number(len(p.ends)) > maxKeys {
		return errors.New("the delivery has more than 4294967294 rows with a key; split it")
	}
	if err := w.lookups.note(b, p); err != nil {
		return err
	}
	hasSpilt, err := w.owners.meet(b, p)
	if hasSpilt {
		w.progress.halve()
	}
	return err
}

// end counts a row where it ended; isBroken says that it has violations.
func (w *sifter) end(e *end, side outcome.Side, isBroken bool) {
	w.tallies.end(e, side)
	if w.run.Noting != nil {
		w.run.Noting.Row(side, e.altered, isBroken)
	}
	if w.run.Account != nil {
		w.run.Account.end(side)
	}
}

// decide goes through the rows in order; late is what only their order shows.
func (w *sifter) decide(b *source.Batch, p *part, late []check.Found) {
	found := p.ruling.Found // later rows' duplicates are added to the ruling's text only
	first := 0
	w.owners.near = w.owners.prepare(b, p)
	for row := range p.ends {
		e := &p.ends[row]
		mine := found[first:e.found]
		first = e.found
		hadFound := len(mine) > 0
		more, others := ofRow(late, row)
		late = others
		side := e.side
		if w.rejects(more) && side == outcome.Accepted {
			side = outcome.Rejected
		}
		if len(w.plan.Keys) > 0 && side != outcome.Excluded {
			more = append(more, w.owners.repeats(b, p, row, side == outcome.Rejected)...)
		}
		if len(more) == 0 {
			w.splicing.pass(side, hadFound)
		} else {
			mine = append(slices.Clone(mine), more...)
			if w.rejects(more) && side == outcome.Accepted {
				side = outcome.Rejected
			}
			w.splicing.change(p, b, row, e.side, side, hadFound, mine)
		}
		for i := range mine {
			if w.run.Account != nil {
				w.run.Account.violation(w.plan, b, &p.ruling, &mine[i])
			}
			w.tallies.groups.add(w.plan, b, &p.ruling, &mine[i])
			if p.explanation != nil && w.run.explain == b.Number(row) {
				p.explanation.AddViolation(w.plan, &p.ruling, &mine[i])
			}
		}
		w.end(e, side, len(mine) > 0)
	}
}

// ofRow takes the violations of a row off the front of some that are in the order of rows.
func ofRow(found []check.Found, row int) (of, others []check.Found) {
	n := 0
	for n < len(found) && found[n].Row == row {
		n++
	}
	return found[:n:n], found[n:]
}

// rejects reports whether one of some violations rejects its row.
func (w *sifter) rejects(found []check.Found) (does bool) {
	for i := range found {
		a := found[i].Action
		w.tallies.refused = w.tallies.refused || a == violation.Refuse
		does = does || a.RejectsRow()
	}
	return does
}

// settle ends a reading of which keys, or what rows refer to, went to a file. It returns nil where
// all is as it was taken to be, and otherwise the sifter for another reading, which knows better.
func (w *sifter) settle(ctx context.Context) (again *sifter, err error) {
	if !w.mayReadAgain() {
		return nil, nil
	}
	again = newSifter(w.run, w.plan)
	again.progress.least, again.progress.before = w.progress.shown, w.tallies.tally.Read
	again.owners.ahead = w.owners.ahead
	if w.lookups.spilt != nil {
		again.lookups.broken, err = w.lookups.breaches(ctx)
		if again.lookups.isKnown = true; err != nil || again.lookups.broken != nil {
			return again, err
		}
	} else {
		again.lookups.broken, again.lookups.isKnown, w.lookups.broken = w.lookups.broken, w.lookups.isKnown, nil
	}
	if w.owners.spilt != nil {
		again.owners.twins, err = w.owners.recurring(ctx)
	}
	if err != nil || again.owners.twins == nil {
		again.close()
		return nil, err
	}
	return again, nil
}

// finish reports what only shows once all rows were read, and ends the outputs.
func (w *sifter) finish() error {
	footer, err := source.Footer(w.run.Source)
	if err != nil {
		return err
	}
	if err := w.tell(w.tallies.findings(w.run, footer)); err != nil {
		return err
	}
	for _, o := range w.run.Outputs {
		if err := o.End(); err != nil {
			return err
		}
	}
	return nil
}

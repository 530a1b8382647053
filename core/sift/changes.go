package sift

import (
	"cmp"
	"slices"

	"sieb/core/check"
)

const (
	// maxWays is how many different changes are counted of a remedy, maxAllWays of all together:
	// where a remedy makes more, as of numbers that are all different, the rows up to there tell.
	maxWays    = 1000
	maxAllWays = 100_000
	// maxPairs is how many of them a result shows, maxAllPairs of all remedies together.
	maxPairs    = 50
	maxAllPairs = 10_000
)

// changes are the ways in which the remedies of a run changed cells.
type changes struct {
	watch *check.Watch
	of    [][]ways // for each column and remedy
	all   int
}

// ways are the ways in which one remedy changed cells.
type ways struct {
	at     map[check.KeyHash]int
	pairs  []Change
	sample int64 // rows in which they were counted, where there are too many; 0 for all
}

func newChanges(plan *check.Plan) changes {
	c := changes{watch: plan.NewWatch(), of: make([][]ways, len(plan.Names()))}
	for i := range c.of {
		c.of[i] = make([]ways, len(plan.Remedies(i)))
	}
	return c
}

// add adds what the remedies did in the next batch, which ends with a row.
func (c *changes) add(ruling *check.Ruling, row int64) {
	for i := range ruling.Pairs {
		p := &ruling.Pairs[i]
		w := &c.of[p.Column][p.Remedy]
		if w.sample > 0 && w.sample < row {
			continue
		}
		at, isKnown := w.at[p.ID]
		switch {
		case isKnown:
			w.pairs[at].Cells += p.Cells
			continue
		case w.at == nil:
			w.at = map[check.KeyHash]int{}
		case (len(w.pairs) >= maxWays || c.all >= maxAllWays) && w.sample == 0:
			w.sample = row // the batch is counted to its end
			c.watch.Stop(p.Column, p.Remedy)
		}
		w.at[p.ID] = len(w.pairs)
		w.pairs = append(w.pairs, Change{string(ruling.Before(p)), string(ruling.After(p)), p.Cells})
		c.all++
	}
}

// tell completes what a result of so many rows says of a remedy, with so many pairs at the most;
// it returns how many there are.
func (w *ways) tell(r *Remedy, rows int64, most int) int {
	r.Ways, r.SampleRows, r.Others = int64(len(w.pairs)), w.sample, r.Changed
	if r.SampleRows >= rows {
		r.SampleRows = 0 // it was no sample after all
	}
	slices.SortStableFunc(w.pairs, func(a, b Change) int { return -cmp.Compare(a.Cells, b.Cells) })
	r.Pairs = slices.Clone(w.pairs[:min(len(w.pairs), most)])
	for _, p := range r.Pairs {
		r.Others -= p.Cells
	}
	return len(r.Pairs)
}

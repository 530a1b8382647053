package sift

import "sieb/core/source"

// Progress is how far a run has come.
type Progress struct {
	Bytes int64 `json:"bytes"`
	Rows  int64 `json:"rows"`
}

// progress tells how far a run has come, though it may read its delivery several times.
type progress struct {
	size   int64 // of the delivery in bytes, 0 where it is not known
	shown  int64 // bytes that were told last
	halves bool  // from over on a reading counts half, since another may follow
	over   int64
	least  int64 // bytes that were told of an earlier reading
	before int64 // rows of an earlier reading
	second bool  // the reading is the second, behind one that looked ahead
}

// halve lets the rest of the reading count half.
func (p *progress) halve() {
	if !p.halves {
		p.halves, p.over = true, p.shown
	}
}

// behind returns how far the run is behind a batch, when so many rows were read.
func (p *progress) behind(b *source.Batch, rows int64) Progress {
	bytes := b.Bytes
	switch {
	case p.second:
		bytes = (p.size + b.Bytes) / 2
	case p.least > 0 && p.size > 0:
		bytes = p.least + int64(float64(p.size-p.least)*float64(b.Bytes)/float64(p.size))
	}
	if p.halves {
		bytes = p.over + (bytes-p.over)/2
	}
	p.shown = max(p.shown, bytes)
	return Progress{p.shown, max(rows, p.before)}
}

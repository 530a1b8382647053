package report

import (
	"sieb/core/outcome"
	"sieb/core/rowindex"
)

// indexing makes the index of a run's rows beside its files.
type indexing struct {
	file  *file
	to    *rowindex.Writer
	files [len(indexed)]*file // whose rows it tells of; nil where the run does not write one
}

// indexed are the files of each side of the rows in which rows are looked up.
var indexed = [...]string{outcome.Accepted: AcceptedName, outcome.Rejected: RejectedName, outcome.Excluded: ExcludedName}

func newIndexing(in *folder, outputs []*outcome.Output) *indexing {
	x := &indexing{file: in.file(rowindex.Name)}
	x.to = rowindex.NewWriter(x.file)
	for _, o := range outputs {
		f, isFile := o.To.(*file)
		if !isFile || o.Side == outcome.Violations {
			continue
		}
		if f.name == indexed[o.Side] {
			x.files[o.Side] = f
		}
	}
	return x
}

// lengths returns how long the files are, with what they were handed.
func (x *indexing) lengths() (lengths [len(indexed)]int64) {
	for k, f := range x.files {
		if f != nil {
			lengths[k] = f.taken
		}
	}
	return lengths
}

// Restart forgets what was noted.
func (x *indexing) Restart() error {
	x.to.Restart(x.lengths())
	return x.file.Restart()
}

// Row notes the next row.
func (x *indexing) Row(side outcome.Side, isAltered, isBroken bool) {
	x.to.Row(side, isAltered, isBroken)
}

// Written ends a stretch of rows.
func (x *indexing) Written() error { return x.to.Written(x.lengths()) }

// end ends the index of files with these proofs.
func (x *indexing) end(proofs []outcome.Proof) error {
	if err := x.to.Close(IndexedOf(proofs)); err != nil {
		return err
	}
	_, err := x.file.Prepare()
	return err
}

// IndexedOf returns the proofs of the files in which rows are looked up, by which their index is known.
func IndexedOf(proofs []outcome.Proof) (of []outcome.Proof) {
	for _, p := range proofs {
		for _, name := range indexed {
			if p.Name == name {
				of = append(of, p)
			}
		}
	}
	return of
}

package check

import (
	"cmp"
	"sieb/core/violation"
	"slices"
)

// isBroken reports whether a value of a key breaks a rule of its own column, so that it is
// hardly looked for in vain.
func (j *Judge) isBroken(key *Key, k int) bool {
	for _, c := range key.Columns {
		if j.lanes[c].broken[k] {
			return true
		}
	}
	return false
}

// refer reports the rows of a block whose keys are not in the table that they refer to, or
// that are there and must not be. A key of which a value is missing or breaks a rule of its
// own refers to nothing.
func (j *Judge) refer(block int) {
	for i := range j.plan.references {
		r := &j.plan.references[i]
		if r.isSpilt {
			j.referLater(i, block)
			continue
		}
		for k := range block {
			if j.apart[k] || j.isBroken(&r.key, k) {
				continue
			}
			if h := j.key(&r.key, k); h != (KeyHash{}) && r.keys.Has(h) == r.isAbsent {
				j.failReference(r, k, h)
			}
		}
	}
}

// referLater does so for a table that memory does not hold: it notes what is to be looked up, or
// reports what is known by then.
func (j *Judge) referLater(reference, block int) {
	r := &j.plan.references[reference]
	for k := range block {
		if j.apart[k] || j.isBroken(&r.key, k) {
			continue
		}
		h := j.key(&r.key, k)
		switch {
		case h == (KeyHash{}):
		case !j.expects:
			j.out.Refers = append(j.out.Refers, Refers{j.from + k, reference, h})
		case j.breaks(Breach{j.batch.Number(j.from + k), reference}):
			j.failReference(r, k, h)
		}
	}
}

// breaks reports whether a row is known to break a reference.
func (j *Judge) breaks(b Breach) bool {
	_, is := slices.BinarySearchFunc(j.breaches, b, func(a, b Breach) int {
		return cmp.Or(cmp.Compare(a.Row, b.Row), cmp.Compare(a.Reference, b.Reference))
	})
	return is
}

func (j *Judge) failReference(r *reference, k int, h KeyHash) {
	out := j.out
	f := Found{Row: j.from + k, Cell: -1, Column: r.key.Columns[0], Code: violation.ReferenceMissing,
		Action: r.OnViolation, value: uint32(len(out.text))}
	if r.isAbsent {
		f.Code = violation.ReferencePresent
	}
	for n, c := range r.key.Columns {
		if n > 0 {
			out.text = append(out.text, ", "...)
		}
		out.text = appendValid(out.text, j.text(&j.lanes[c], k), maxValue)
	}
	out.text = cut(out.text, int(f.value), maxValue)
	if len(r.key.Columns) == 1 {
		f.Cell = j.lanes[r.key.Columns[0]].cell
	} else {
		f.key = &r.key
	}
	f.message = uint32(len(out.text))
	switch {
	case r.Message != "":
		out.text = appendValid(out.text, []byte(r.Message), maxMessage)
	case r.isAbsent:
		out.text = appendQuoted(out.text, out.text[f.value:f.message])
		out.text = append(append(out.text, " is already in "...), r.Reference.Name()...)
	default:
		out.text = appendQuoted(out.text, out.text[f.value:f.message])
		out.text = append(append(out.text, " is not in "...), r.Reference.Name()...)
		if why := r.keys.Why(h); why != "" {
			out.text = append(append(out.text, ": "...), why...)
		}
	}
	f.end = uint32(len(out.text))
	if f.Action.RejectsRow() {
		out.Rejected[f.Row] = true
	}
	out.Found = append(out.Found, f)
}

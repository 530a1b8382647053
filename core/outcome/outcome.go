// Package outcome is what a run makes of rows, and the way on which it leaves the run.
//
// A Block holds rows as they were judged: their cells in canonical form, and as they were
// delivered. A run has any number of outputs, each a side of the rows in one form at one
// destination. A Form writes rows: its encoders, one for each goroutine, append rows in any
// order, and its packer puts what they appended together in the order of rows. A
// Destination takes the bytes, and shows all of them or none.
//
// The package knows neither rules nor the order of rows: package check fills blocks, package
// sift decides on which side each row ends. A new form or destination needs no change in
// either.
package outcome

import "sieb/core/violation"

// Side is where a row ends, or what else an output may hold.
type Side uint8

// The sides of rows, and what was found in them.
const (
	Accepted Side = iota
	Rejected
	Excluded
	Violations // of all rows and of the delivery as a whole, one in each row of the output

	Sides = int(Violations) + 1
)

// String returns the word that a tally has for the side.
func (s Side) String() string {
	return [...]string{"accepted", "rejected", "excluded", "violations"}[s]
}

// Violation is what was found in a row, in words.
type Violation struct {
	Code    violation.Code
	Action  violation.Action
	Column  string // the target's name of the column, or of the rule; "" for the whole row
	Title   string // the name under which the cell was delivered, the same as Column where there is none
	Value   []byte // the cell as delivered, cut where it is very long
	Message []byte
}

// Rejects reports whether the violation is a reason for which its row was rejected.
func (v *Violation) Rejects() bool { return v.Action != violation.Flag && v.Action != violation.Blank }

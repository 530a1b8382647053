// Package api is the documents that the service takes and gives, as a client sees them.
//
// It knows what they say and nothing of how they come about: neither HTTP nor the store. A program that uses the Go
// client links this, and nothing of the service.
package api

import (
	"sieb/core/check"
	"sieb/core/layout"
	"sieb/core/reference"
	"sieb/core/report"
	"sieb/core/sift"
	"sieb/core/suggest"
	"sieb/core/target"
	"sieb/core/violation"
	"sieb/core/workbook"
	"sieb/service/reading"
	"slices"
	"time"
)

// Delivery is a file as it arrived.
type Delivery struct {
	ID        string    `json:"id"`
	Name      string    `json:"name" doc:"file name as delivered, unless it was given another"`
	ArrivedAs string    `json:"arrivedAs,omitempty" doc:"the name with which it arrived, where it was given another"`
	Note      string    `json:"note,omitempty"`
	Bytes     int64     `json:"bytes"`
	SHA256    string    `json:"sha256"`
	ArrivedAt time.Time `json:"arrivedAt"`
	State     string    `json:"state" enum:"arrived,waiting,running,accepted,split,refused,failed,cancelled" doc:"refused where the file is no table; else the verdict of the newest run with a target that came to its end; where there is none, the state of the newest run with a target, or arrived"`
	RepeatOf  string    `json:"repeatOf,omitempty" doc:"the first delivery of the same bytes"`
	Refusal   string    `json:"refusal,omitempty" doc:"what the file is instead of a table, and what to do"`
	Run       *RunHead  `json:"run,omitempty" doc:"the run that the state is of"`
	Newest    *RunHead  `json:"newest,omitempty" doc:"the newest run, where it is another: under way, broken off, or without a target"`

	Layout *layout.Given `json:"layout,omitempty" doc:"settings that were saved, by which runs read it"`
	ByHand []string      `json:"byHand,omitempty" doc:"names of those that were made by hand; the others were detected around them"`
}

// RunHead is what a list shows of a run.
type RunHead struct {
	ID       string        `json:"id"`
	Delivery string        `json:"delivery"`
	Target   *VersionRef   `json:"target,omitempty"`
	Mapping  *VersionRef   `json:"mapping,omitempty"`
	State    string        `json:"state" enum:"waiting,running,done,failed,cancelled"`
	Verdict  string        `json:"verdict,omitempty" enum:"accepted,split,refused"`
	Tally    *sift.Tally   `json:"tally,omitempty"`
	Progress Progress      `json:"progress"`
	Error    string        `json:"error,omitempty" doc:"why the run failed"`
	Trouble  *Trouble      `json:"trouble,omitempty" doc:"what kept the run from its end so far"`
	Layout   *layout.Given `json:"layout,omitempty" doc:"settings made by hand"`

	CreatedAt  time.Time  `json:"createdAt"`
	StartedAt  *time.Time `json:"startedAt,omitempty"`
	FinishedAt *time.Time `json:"finishedAt,omitempty"`
}

// Run is a run with its result.
type Run struct {
	RunHead
	ReadAs     *layout.Layout    `json:"readAs,omitempty" doc:"the layout that the delivery was read by"`
	Refusal    string            `json:"refusal,omitempty" doc:"why the delivery was refused"`
	Columns    []check.Match     `json:"columns,omitempty" doc:"the target's columns and what feeds them"`
	Tolerance  string            `json:"tolerance,omitempty" doc:"how much may be rejected, as the target says it; absent where no limit is set"`
	BlankLines int64             `json:"blankLines,omitempty" doc:"lines that are no rows, since they hold nothing but blanks"`
	Excluded   []sift.Excluded   `json:"excluded,omitempty" doc:"rows that were left out, by reason"`
	LeftOut    []string          `json:"leftOut,omitempty" doc:"headers of the delivery's columns that are known and not wanted"`
	Unjudged   []sift.Unjudged   `json:"unjudged,omitempty" doc:"row rules that were not judged in all rows"`
	Today      string            `json:"today,omitempty" doc:"the day of the run, where rules depend on it"`
	Unfit      []suggest.Unfit   `json:"unfit,omitempty" doc:"columns of which no value fits, with what would"`
	References []reference.State `json:"references,omitempty" doc:"the tables that the target refers to, as they were read"`
	Violations []sift.Group      `json:"violations,omitempty"`
	Remedies   []sift.Remedy     `json:"remedies,omitempty"`
	Outputs    map[string]string `json:"outputs,omitempty" doc:"where each output is, by name"`
}

// Has reports whether a column is one of the run's target, or has violations.
func (r *Run) Has(column string) bool {
	return slices.ContainsFunc(r.Columns, func(m check.Match) bool { return m.Column == column }) ||
		slices.ContainsFunc(r.Violations, func(g sift.Group) bool { return g.Column == column })
}

// Trouble is what broke work off that is tried again.
type Trouble struct {
	Tries  int        `json:"tries" doc:"how often the work was broken off"`
	Deaths int        `json:"deaths" doc:"how often the service died under it"`
	Reason string     `json:"reason,omitempty" doc:"of the last time"`
	NextAt *time.Time `json:"nextAt,omitempty" doc:"when it is tried again"`
}

// VersionRef names a version of a target or a mapping.
type VersionRef struct {
	Name    string `json:"name"`
	Version int    `json:"version"`
}

// Progress is how far a run has come.
type Progress struct {
	Bytes      int64 `json:"bytes"`
	TotalBytes int64 `json:"totalBytes"`
	Rows       int64 `json:"rows"`
}

// Target is one version of a target.
type Target struct {
	Name    string    `json:"name"`
	Version int       `json:"version"`
	Title   string    `json:"title"`
	AddedAt time.Time `json:"addedAt"`
	AddedBy string    `json:"addedBy,omitempty" doc:"who added the version, as they said"`
	Text    string    `json:"text,omitempty" doc:"YAML or JSON, as it was added; not in lists"`

	Retired    bool `json:"retired,omitempty" doc:"lists leave it out; it can be used as before"`
	Deliveries int  `json:"deliveries,omitempty" doc:"that were sifted by it; in lists"`
	Columns    int  `json:"columns,omitempty" doc:"of a target; in lists"`
}

// Mapping is one version of a mapping.
type Mapping struct {
	Target
	For string `json:"for" doc:"name of the target that it is for"`
}

// NewRun asks for a run.
type NewRun struct {
	Delivery       string            `json:"delivery" minLength:"1"`
	Target         string            `json:"target,omitempty" doc:"without one every row that reads cleanly is accepted"`
	TargetVersion  int               `json:"targetVersion,omitempty" minimum:"1" maximum:"2147483647" doc:"the newest where it is left out"`
	Mapping        string            `json:"mapping,omitempty" doc:"how the sender writes; its target is taken where none is named"`
	MappingVersion int               `json:"mappingVersion,omitempty" minimum:"1" maximum:"2147483647" doc:"the newest where it is left out"`
	References     map[string]string `json:"references,omitempty" doc:"for each resource that the target refers to, the run whose accepted rows are meant; where it is left out, the newest run with the target of that name whose rows were accepted"`
	Layout         *layout.Given     `json:"layout,omitempty" doc:"settings made by hand; the others are those saved with the delivery, then those of the mapping, or detected"`
	Companion      string            `json:"companion,omitempty" doc:"the delivery that came with this one and holds its control values"`
	SHA256         bool              `json:"sha256,omitempty" doc:"add the outputs' SHA-256 to the manifest, beside BLAKE3; the run takes longer"`
}

// AskReading asks how settings read a delivery.
type AskReading struct {
	Layout *layout.Given `json:"layout,omitempty" doc:"settings made by hand; the others are detected around them. Without any, those saved with the delivery"`
}

// AskRows asks for rows as settings read them.
type AskRows struct {
	AskReading
	From  int64 `json:"from,omitempty" minimum:"1" default:"1" doc:"number of the first row"`
	Last  bool  `json:"last,omitempty" doc:"the last rows instead"`
	Limit int   `json:"limit,omitempty" minimum:"1" maximum:"1000" default:"100"`
}

// Reading is how settings read a delivery.
type Reading struct {
	Given    layout.Given      `json:"given" doc:"settings made by hand"`
	Layout   *layout.Layout    `json:"layout,omitempty" doc:"absent while a member is to be chosen"`
	Settled  layout.Given      `json:"settled" doc:"all settings of the layout as if made by hand, to be saved"`
	Evidence []layout.Evidence `json:"evidence,omitempty"`
	Columns  []string          `json:"columns,omitempty"`
	Packing  string            `json:"packing,omitempty" doc:"gzip, zstd or zip"`
	Members  []string          `json:"members,omitempty" doc:"the files of a ZIP archive of several"`
	Sheets   []workbook.Sheet  `json:"sheets,omitempty" doc:"of a workbook"`
	Top      *reading.Window   `json:"top,omitempty" doc:"the first rows"`
}

// SavedLayout is a layout that is kept with a delivery.
type SavedLayout struct {
	Delivery string       `json:"delivery"`
	Name     string       `json:"name" doc:"of the delivery"`
	SavedAt  time.Time    `json:"savedAt"`
	Layout   layout.Given `json:"layout"`
}

// Page is a part of a list.
type Page[T any] struct {
	Items []T `json:"items"`
	Total int `json:"total" doc:"of the whole list"`
}

// Rejects is a page of rejected rows.
type Rejects struct {
	Items   []report.Reject `json:"items"`
	Total   int             `json:"total" doc:"rows that fit the filters"`
	Columns []string        `json:"columns" doc:"the delivery's columns, to which the cells belong"`
}

// Violations is a page of a run's violations.
type Violations struct {
	Items []report.Placed `json:"items"`
	Total int             `json:"total" doc:"violations that fit the filters"`
}

// StreamEnd is why a stream of events ends before what it follows.
type StreamEnd struct {
	Reason string `json:"reason"`
}

// Health reports whether the service can work.
type Health struct {
	Status  string `json:"status" enum:"ok"`
	Version string `json:"version"`
}

// IsUnderWay reports whether a run or a profile in a state has not come to its end.
func IsUnderWay(state string) bool { return state == "waiting" || state == "running" }

// ColumnFields are the properties of a column as a form asks for them.
type ColumnFields struct {
	Datatypes []target.Option `json:"datatypes" doc:"that are offered, with what they mean"`
	Demands   []target.Asked  `json:"demands" doc:"what the table demands"`
	Habits    []target.Asked  `json:"habits" doc:"how a sender writes"`
}

// Forms are the forms in which accepted rows can be written.
type Forms struct {
	Items []OutputForm `json:"items"`
	Total int          `json:"total"`
}

// OutputForm is one of them.
type OutputForm struct {
	Name        string `json:"name"`
	Title       string `json:"title" doc:"what people call it"`
	File        string `json:"file" doc:"the name of the file with accepted rows"`
	Type        string `json:"type" doc:"media type"`
	Meaning     string `json:"meaning"`
	IsDelimited bool   `json:"isDelimited" doc:"it takes the settings of delimited text"`
	IsFixed     bool   `json:"isFixed" doc:"it takes no settings at all"`
}

// Vocabulary is what can be wrong with a cell, a row or a delivery, and what becomes of it, in words.
type Vocabulary struct {
	Codes   []violation.CodeHelp   `json:"codes"`
	Actions []violation.ActionHelp `json:"actions"`
}

package api

import (
	"sieb/core/check"
	"sieb/core/edit"
	"sieb/core/sift"
	"sieb/core/suggest"
	"sieb/core/violation"
)

// AskRehearsal says by which texts a delivery is tried.
type AskRehearsal struct {
	Target  string `json:"target,omitempty" maxLength:"4194304" doc:"text of a target, YAML or JSON; left out, the delivery's draft of rules is meant"`
	Mapping string `json:"mapping,omitempty" maxLength:"4194304" doc:"text of a mapping to it"`

	Steps []edit.Step `json:"steps,omitempty" maxItems:"10000" doc:"changes that are tried on top; what is told since is then against the texts without them"`
}

// Rehearsal is what a run would give, without a record.
type Rehearsal struct {
	Whole      bool             `json:"whole" doc:"all rows were counted; otherwise it tells of the first ones"`
	Rows       int64            `json:"rows" doc:"counted so far"`
	Progress   Progress         `json:"progress"`
	Verdict    string           `json:"verdict,omitempty" enum:"accepted,split,refused" doc:"once all rows are counted"`
	Refusal    string           `json:"refusal,omitempty"`
	Tally      sift.Tally       `json:"tally"`
	Tolerance  string           `json:"tolerance,omitempty"`
	Columns    []ColumnFit      `json:"columns" doc:"the target's columns"`
	Header     []string         `json:"header" doc:"the delivery's columns"`
	Named      bool             `json:"named" doc:"the delivery names its columns; without a header they are fed by position"`
	Broken     []BrokenRule     `json:"broken" doc:"rules that are broken, those in most rows first"`
	Remedies   []sift.Remedy    `json:"remedies"`
	Excluded   []sift.Excluded  `json:"excluded,omitempty"`
	LeftOut    []string         `json:"leftOut,omitempty"`
	Unjudged   []sift.Unjudged  `json:"unjudged,omitempty"`
	Unreferred []string         `json:"unreferred,omitempty" doc:"what the target refers to and is not there yet, so that it was not asked"`
	Since      *RehearsalChange `json:"since,omitempty" doc:"against the saved versions; once both were counted"`
}

// RehearsalChange is how a draft differs in its result from what it began with.
type RehearsalChange struct {
	Tally sift.Tally `json:"tally" doc:"by the saved versions"`
	sift.Shift
}

// ColumnFit is a column of the target, what feeds it, and how many rows break its rules.
type ColumnFit struct {
	check.Match
	Wrong int64 `json:"wrong" doc:"rows in which one of its rules is broken"`
}

// BrokenRule is a rule that is broken.
type BrokenRule struct {
	Code     violation.Code   `json:"code"`
	Class    string           `json:"class"`
	Column   string           `json:"column" doc:"of the target, of a key all its columns; of a row rule its name; of a column that feeds none the header"`
	Action   violation.Action `json:"action"`
	Rows     int64            `json:"rows" doc:"0 for a violation of the delivery as a whole"`
	Distinct int              `json:"distinct" doc:"different values that break it"`
	Message  string           `json:"message" doc:"of the first one"`
}

// AskValues asks for the values that break rules of a column.
type AskValues struct {
	AskRehearsal
	Column string `json:"column"`
	Find   string `json:"find,omitempty" maxLength:"200" doc:"only values with this text in them"`
	Only   string `json:"only,omitempty" enum:"wrong,flagged" doc:"wrong: those that are not accepted as they are; flagged: those that are, and are told; left out, both"`
	Offset int    `json:"offset,omitempty" minimum:"0"`
	Limit  int    `json:"limit,omitempty" minimum:"1" maximum:"1000" default:"100"`
}

// WrongValues is a part of the values that break rules of a column.
type WrongValues struct {
	Items []WrongValue `json:"items" doc:"those that reject rows first, then the most frequent"`
	Total int          `json:"total" doc:"different ones"`
	Whole bool         `json:"whole" doc:"counted in all rows; otherwise in the first ones"`
	Rows  int64        `json:"rows" doc:"in which they were counted"`
}

// WrongValue is a value that breaks a rule.
type WrongValue struct {
	Value   string           `json:"value" doc:"as delivered; cut where it is very long"`
	Code    violation.Code   `json:"code"`
	Action  violation.Action `json:"action"`
	Message string           `json:"message,omitempty" doc:"absent where very many values break the rule"`
	Count   int64            `json:"count"`
	Rows    []int64          `json:"rows" doc:"the first rows"`
}

// AskMade asks for rows and what is made of them.
type AskMade struct {
	AskRehearsal
	Side    string   `json:"side,omitempty" enum:"accepted,rejected,excluded,changed" doc:"rows that end there; changed: those that end elsewhere than by the saved versions"`
	Column  string   `json:"column,omitempty" doc:"rows in which one of its rules is broken; the first of each value"`
	Value   *string  `json:"value,omitempty" doc:"of these only those with this value; the first"`
	Behind  int64    `json:"behind,omitempty" minimum:"0" doc:"only rows behind this one"`
	Limit   int      `json:"limit,omitempty" minimum:"1" maximum:"200" default:"25"`
	Columns []string `json:"columns,omitempty" maxItems:"100" doc:"of the target, of which values are told; left out, the first 40"`
}

// MadeRow is a row as delivered, and what is made of it.
type MadeRow struct {
	Row        int64     `json:"row"`
	Line       int64     `json:"line"`
	Side       string    `json:"side" enum:"accepted,rejected,excluded"`
	Was        string    `json:"was,omitempty" doc:"where it ended by the saved versions, where that was counted"`
	Reason     string    `json:"reason,omitempty" doc:"why it is excluded"`
	Cells      []string  `json:"cells" doc:"as delivered, cut where they are long; the first 100"`
	Values     []*string `json:"values" doc:"of the columns asked for, in canonical form; null for none"`
	Violations []MadeBad `json:"violations"`
}

// MadeBad is a violation of a row.
type MadeBad struct {
	Column  string           `json:"column" doc:"empty for the row as a whole"`
	Code    violation.Code   `json:"code"`
	Action  violation.Action `json:"action"`
	Message string           `json:"message"`
}

// MadeRows is a page of rows.
type MadeRows struct {
	Header  []string  `json:"header" doc:"of the cells"`
	Columns []string  `json:"columns" doc:"of the values"`
	Items   []MadeRow `json:"items"`
	More    bool      `json:"more" doc:"there are rows behind the last one"`
	Whole   bool      `json:"whole" doc:"they are of all rows, not only of the first ones"`
}

// AskSuggestions asks what would mend violations.
type AskSuggestions struct {
	AskRehearsal
	Column string   `json:"column,omitempty" doc:"only of this column"`
	Values []string `json:"values,omitempty" maxItems:"200" doc:"only of these of its values"`
	Pairs  bool     `json:"pairs,omitempty" doc:"only what may feed columns that nothing feeds; these are not tried"`
}

// AskSpellings asks for spelling variants of a column.
type AskSpellings struct {
	AskRehearsal
	Column string `json:"column" minLength:"1"`
}

// Suggestions are changes that would mend violations, as far as they were tried.
type Suggestions struct {
	Items    []suggest.Suggestion `json:"items"`
	Tried    int                  `json:"tried"`
	Total    int                  `json:"total"`
	Together *suggest.Together    `json:"together,omitempty" doc:"the best order; where no column is asked for, once all were tried"`
	Done     bool                 `json:"done"`
}

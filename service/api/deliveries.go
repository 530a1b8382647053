package api

import (
	"sieb/core/layout"
	"time"
)

// NewWords are another name and another note for a delivery.
type NewWords struct {
	Name *string `json:"name,omitempty" doc:"left out: it stays"`
	Note *string `json:"note,omitempty" maxLength:"2000" doc:"left out: it stays; empty: there is none"`
}

// Deletion is a delivery that was deleted.
type Deletion struct {
	ID        string    `json:"id" doc:"of the delivery"`
	Name      string    `json:"name"`
	Bytes     int64     `json:"bytes"`
	SHA256    string    `json:"sha256"`
	ArrivedAt time.Time `json:"arrivedAt"`
	DeletedAt time.Time `json:"deletedAt"`
}

// Drafts is the work on a delivery that is not saved yet.
type Drafts struct {
	Layout *LayoutDraft `json:"layout,omitempty"`
	Rules  *RulesHead   `json:"rules,omitempty"`
}

// RulesHead says what a draft of rules is of.
type RulesHead struct {
	Target    string    `json:"target"`
	Mapping   string    `json:"mapping,omitempty"`
	State     string    `json:"state" doc:"of the draft"`
	Newer     bool      `json:"newer,omitempty" doc:"a version of its target or its mapping was saved since it began"`
	Changes   int       `json:"changes" doc:"that are not saved yet; what was drafted and never saved is none"`
	ChangedAt time.Time `json:"changedAt"`
}

// LayoutDraft is settings that are not saved yet, and those before each change.
type LayoutDraft struct {
	Given     layout.Given   `json:"given" doc:"settings made by hand"`
	Before    []layout.Given `json:"before,omitempty" maxItems:"200" doc:"those before each change, the last one at the end"`
	ChangedAt time.Time      `json:"changedAt,omitzero" readOnly:"true"`
	State     string         `json:"state,omitempty" readOnly:"true" doc:"of the draft, for the If-Match of a change; none where there is no draft. It is the answer's ETag"`
}

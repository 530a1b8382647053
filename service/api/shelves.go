package api

import (
	"sieb/core/edit"
	"time"
)

// TextVersion is a version of a text, and how it differs from the one before.
type TextVersion struct {
	Version int               `json:"version"`
	AddedAt time.Time         `json:"addedAt"`
	AddedBy string            `json:"addedBy,omitempty"`
	Differs []edit.Difference `json:"differs" doc:"from the version before; none for the first one"`
}

// TextUse is a delivery that was sifted by a text.
type TextUse struct {
	Delivery string    `json:"delivery"`
	Name     string    `json:"name" doc:"of the delivery"`
	Run      string    `json:"run" doc:"the last one by the text"`
	Version  int       `json:"version" doc:"of the text in that run"`
	Verdict  string    `json:"verdict,omitempty"`
	State    string    `json:"state"`
	At       time.Time `json:"at"`
}

// NewName names a copy, or what was renamed.
type NewName struct {
	Name string `json:"name" minLength:"1" maxLength:"63"`
	By   string `json:"by,omitempty" maxLength:"100" doc:"who does it"`
}

// TextKept is the text of a version that is not saved yet.
type TextKept struct {
	Text      string    `json:"text" maxLength:"4194304"`
	Version   int       `json:"version,omitempty" minimum:"0" doc:"that the text began with"`
	ChangedAt time.Time `json:"changedAt,omitzero" readOnly:"true"`
	State     string    `json:"state,omitempty" readOnly:"true" doc:"of the draft, for the If-Match of a change; none where there is no draft. It is the answer's ETag"`
}

// TextView is a text as it is read.
type TextView struct {
	View  any                 `json:"view" doc:"objects, lists, texts, numbers and truth values"`
	Words map[string][]string `json:"words,omitempty" doc:"what a target demands of each column beside its datatype, rule by rule"`
}

// Retirement says whether lists leave a text out.
type Retirement struct {
	Retired bool `json:"retired"`
}

package api

import (
	"sieb/core/edit"
	"time"
)

// Rules is the draft of rules that a delivery is worked on by: a target, the mapping of its
// sender, and the changes that are not saved yet.
type Rules struct {
	Delivery  string      `json:"delivery"`
	State     string      `json:"state" doc:"of the draft, for the If-Match of a change; it is the answer's ETag"`
	Target    RulesText   `json:"target"`
	Mapping   *RulesText  `json:"mapping,omitempty" doc:"absent where the target stands by itself"`
	Changes   []RuleShift `json:"changes" doc:"not saved yet, the first one first"`
	Undone    []RuleShift `json:"undone" doc:"taken back, the last one last; the next change drops them"`
	ChangedAt time.Time   `json:"changedAt"`
}

// RulesText is a target or a mapping in a draft.
type RulesText struct {
	Name    string `json:"name"`
	Version int    `json:"version" doc:"that it began with; 0 for one that was never saved"`
	Changed bool   `json:"changed" doc:"the draft differs from that version"`
	Text    string `json:"text" doc:"YAML or JSON, with the changes"`
	TextView

	Newest *NewerText `json:"newest,omitempty" doc:"a version that was saved since; absent where the draft began with the newest"`
}

// NewerText is a version that was saved since a draft began.
type NewerText struct {
	Version int       `json:"version"`
	By      string    `json:"by,omitempty" doc:"who saved it"`
	At      time.Time `json:"at"`
}

// RuleShift is a change of a draft.
type RuleShift struct {
	Words string      `json:"words" doc:"what it does"`
	Steps []edit.Step `json:"steps"`
	At    time.Time   `json:"at"`
	Author
	ID string `json:"id,omitempty" doc:"that whoever made it gave it"`
}

// Author is who changes a draft.
type Author struct {
	By   string `json:"by,omitempty" maxLength:"100" doc:"a name, for those who read it"`
	From string `json:"from,omitempty" maxLength:"64" doc:"where it comes from: any text that is always the same there, such as one that a browser keeps"`
}

// IsOther reports whether somebody else made a change, as far as both say who they are.
func (a Author) IsOther(than Author) bool {
	if a.From != "" && than.From != "" {
		return a.From != than.From
	}
	return a.By != "" && than.By != "" && a.By != than.By
}

// NewRules says what a draft begins with.
type NewRules struct {
	Target       string `json:"target,omitempty" doc:"name of a target, whose newest version is taken; without one and without text, one is drafted from the delivery"`
	Text         string `json:"text,omitempty" maxLength:"4194304" doc:"in the place of target: the text of one that is not saved yet"`
	Mapping      string `json:"mapping,omitempty" doc:"name of a mapping to it, whose newest version is taken"`
	DraftMapping bool   `json:"draftMapping,omitempty" doc:"draft a mapping from the delivery"`
	Name         string `json:"name,omitempty" doc:"of what is drafted; made of the delivery's where it is left out"`
}

// NewShift asks for a change of a draft.
type NewShift struct {
	Words string      `json:"words" minLength:"1" maxLength:"500"`
	Steps []edit.Step `json:"steps" minItems:"1" maxItems:"10000"`
	Author
	ID string `json:"id,omitempty" maxLength:"64" doc:"any text that no other change has: one that arrives twice is made once"`
}

// TakeBack asks to take a change back, or to make it again.
type TakeBack struct {
	Author
	Over bool `json:"over,omitempty" doc:"also where the change is somebody else's"`
}

// SaveRules asks to save a draft.
type SaveRules struct {
	Target  string `json:"target,omitempty" doc:"another name for the target"`
	Mapping string `json:"mapping,omitempty" doc:"another name for the mapping"`

	TargetTitle  string `json:"targetTitle,omitempty" maxLength:"500" doc:"title of the target for people"`
	MappingTitle string `json:"mappingTitle,omitempty" maxLength:"500" doc:"title of the mapping for people"`

	By   string `json:"by,omitempty" maxLength:"100" doc:"who saves it, for those who read the versions later"`
	Over bool   `json:"over,omitempty" doc:"save even where another version was saved since the draft began"`
}

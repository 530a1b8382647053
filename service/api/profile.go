package api

import (
	"sieb/core/layout"
	"sieb/core/profile"
	"sieb/service/reading"
	"time"
)

// NewProfile asks for a profile of a delivery.
type NewProfile struct {
	Layout *layout.Given `json:"layout,omitempty" doc:"settings made by hand; without any, those saved with the delivery"`
	Again  bool          `json:"again,omitempty" doc:"make it anew even where there is one by the same settings"`
	Share  float64       `json:"share,omitempty" minimum:"0.5" maximum:"1" doc:"how much of a column's values must be of a datatype to conclude it; 0.9 where it is left out"`
}

// DeliveryProfile is a profile as it is kept with its delivery.
type DeliveryProfile struct {
	ID         string           `json:"id"`
	Delivery   string           `json:"delivery"`
	State      string           `json:"state" enum:"waiting,running,done,failed,cancelled"`
	Progress   Progress         `json:"progress"`
	Given      layout.Given     `json:"given" doc:"settings made by hand"`
	Share      float64          `json:"share" doc:"how much of a column's values must be of a datatype to conclude it"`
	ReadAs     *layout.Layout   `json:"readAs,omitempty" doc:"the whole layout, once done"`
	Looked     []string         `json:"looked" doc:"columns that a steward has looked at"`
	Profile    *profile.Profile `json:"profile,omitempty"`
	Error      string           `json:"error,omitempty"`
	Trouble    *Trouble         `json:"trouble,omitempty" doc:"what kept the profile from its end so far"`
	CreatedAt  time.Time        `json:"createdAt"`
	FinishedAt *time.Time       `json:"finishedAt,omitempty"`
}

// Looked says which columns a steward has looked at.
type Looked struct {
	Columns []string `json:"columns"`
}

// AskFound asks for the rows behind values of a profile.
type AskFound struct {
	Filters []profile.Filter `json:"filters" doc:"a row must pass all of them"`
	Behind  int64            `json:"behind,omitempty" minimum:"0" doc:"only rows behind this one; the last row of a page leads to the next"`
	Limit   int              `json:"limit,omitempty" minimum:"1" maximum:"1000" default:"100"`
	Count   bool             `json:"count,omitempty" doc:"count all of them and give none"`
}

// Found is some of the rows that pass filters.
type Found struct {
	Rows  []reading.Row `json:"rows"`
	All   bool          `json:"all" doc:"no row behind the last one passes"`
	Count *int64        `json:"count,omitempty" doc:"all rows that pass, if they were to be counted"`
}

// MappingDraft is a mapping that was drafted, and is not added yet.
type MappingDraft struct {
	Name string `json:"name"`
	Text string `json:"text" doc:"YAML, with comments"`
}

package api

import "time"

// Matched is a target, with a mapping to it or by itself, that the header of a delivery fits.
type Matched struct {
	Target       string      `json:"target"`
	TargetTitle  string      `json:"targetTitle,omitempty"`
	Mapping      string      `json:"mapping,omitempty" doc:"absent where the target stands by itself"`
	MappingTitle string      `json:"mappingTitle,omitempty"`
	Fed          int         `json:"fed" doc:"columns of the target that the delivery feeds"`
	Columns      int         `json:"columns" doc:"of the target, that a delivery is to feed"`
	Wanting      []string    `json:"wanting" doc:"required columns that nothing feeds"`
	Unknown      []string    `json:"unknown" doc:"headers that feed none and are not left out"`
	Last         *MatchedRun `json:"last,omitempty" doc:"the delivery that was sifted by them last"`
}

// MatchedRun is a delivery that was sifted by a target and a mapping.
type MatchedRun struct {
	Delivery string    `json:"delivery"`
	Name     string    `json:"name"`
	At       time.Time `json:"at"`
}

// Matches are the targets and mappings that the header of a delivery fits.
type Matches struct {
	Items []Matched `json:"items" doc:"the best first"`
}

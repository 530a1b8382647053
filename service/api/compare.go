package api

import (
	"sieb/core/compare"
	"sieb/core/edit"
	"sieb/core/result"
)

// Comparison is how a run differs from another one.
type Comparison struct {
	Before     RunHead           `json:"before"`
	BeforeName string            `json:"beforeName" doc:"of the earlier run's delivery"`
	After      RunHead           `json:"after"`
	Target     []edit.Difference `json:"target" doc:"how the target differs"`
	Mapping    []edit.Difference `json:"mapping" doc:"how the mapping differs"`
	Violations []compare.Counts  `json:"violations" doc:"rows with each violation, those that differ most first"`
	Remedies   []compare.Counts  `json:"remedies" doc:"cells that each remedy changed, where they differ"`
	NewHeaders []string          `json:"newHeaders" doc:"columns that are delivered now"`
	GoneOf     []string          `json:"goneHeaders" doc:"columns that are delivered no longer"`
	Rows       *result.Compared  `json:"rows,omitempty" doc:"how many rows differ; GET /runs/{id}/rows shows them"`
	NotSaid    string            `json:"notSaid,omitempty" doc:"why rows were not compared"`
}

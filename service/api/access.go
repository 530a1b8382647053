package api

import "time"

// Access is what a service asks of those who come.
type Access struct {
	AsksForToken bool       `json:"asksForToken" doc:"whether requests must show a token or a session"`
	SessionEnds  *time.Time `json:"sessionEnds,omitempty" doc:"when the session that this request shows ends"`
}

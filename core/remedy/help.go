package remedy

// Help is what people and programs are told of a remedy.
type Help struct {
	Name       string          `json:"name"`
	Does       string          `json:"does" doc:"what it takes, and what becomes of it"`
	Leaves     string          `json:"leaves" doc:"what it leaves as it is"`
	Steady     bool            `json:"steady" doc:"doing it again changes nothing more"`
	Parameters []HelpParameter `json:"parameters,omitempty" doc:"the first may be given alone"`
	Examples   []HelpExample   `json:"examples"`
}

// HelpParameter is a parameter of a remedy.
type HelpParameter struct {
	Name     string   `json:"name"`
	Kind     string   `json:"kind" enum:"text,whole number,regular expression,list of texts,pairs of texts,date patterns,choice"`
	Required bool     `json:"required,omitempty"`
	Choices  []string `json:"choices,omitempty"`
	Does     string   `json:"does"`
}

// HelpExample is a cell before and after a remedy.
type HelpExample struct {
	Remedy string `json:"remedy" doc:"as a target writes it"`
	Before string `json:"before"`
	After  string `json:"after"`
	Why    string `json:"why,omitempty"`
}

var kindWords = []string{"text", "whole number", "regular expression", "list of texts", "pairs of texts",
	"date patterns",
	"choice"}

// AllHelp returns what is told of all remedies, in the order of the registry.
func AllHelp() (all []Help) {
	for _, s := range Specs() {
		all = append(all, s.Help())
	}
	return all
}

// Help returns what is told of the remedy.
func (s *Spec) Help() Help {
	h := Help{Name: s.Name, Does: s.Does, Leaves: s.Leaves, Steady: s.IsSteady}
	for _, p := range s.Parameters {
		h.Parameters = append(h.Parameters, HelpParameter{p.Name, kindWords[p.Kind], p.Required, p.Choices, p.Does})
	}
	for _, e := range s.Examples {
		h.Examples = append(h.Examples, HelpExample{e.Remedy.String(), e.Before, e.After, e.Why})
	}
	return h
}

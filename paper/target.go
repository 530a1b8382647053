package paper

import (
	_ "embed"
	"html/template"
	"io"

	"sieb/core/brief"
)

//go:embed target.html
var targetPage string

var targetTemplate = template.Must(template.New("target").Parse(targetPage))

// Target writes what senders of a target's rows should know, as a page.
func Target(w io.Writer, p *brief.Page) error { return targetTemplate.Execute(w, p) }

package target

import (
	"fmt"

	"github.com/goccy/go-yaml/ast"

	"sieb/core/outcome"
)

// Output is a form in which accepted rows are to be written, as a mapping says.
type Output struct {
	outcome.Settings
	at ast.Node
}

// Wrong returns what is wrong with the output, at its place in the mapping.
func (o *Output) Wrong(why error) error {
	at := position(o.at)
	return Problems{{at.Line, at.Column, fmt.Sprintf("an entry of outputs: %s", why)}}
}

// maxOutputs is how many entries outputs may have.
const maxOutputs = 20

var outputFields = []field[Output]{
	{"form", textSchema, "csv, delimited, jsonl, parquet or xlsx",
		func(p *reading, n ast.Node, o *Output) { o.Form = p.text(n, "form") }},
	choiceOf("header", "what stands over the columns", []string{"names", "titles", "none"},
		func(o *Output, s string) { o.Header = outcome.Heading(s) }),
	choiceOf("codes", "what stands for the codes of a code list", []string{"code", "label", "both"},
		func(o *Output, s string) { o.Codes = outcome.Coding(s) }),
	{"delimiter", textSchema, "of the form delimited: one character, or tab",
		func(p *reading, n ast.Node, o *Output) { o.Delimiter = p.text(n, "delimiter") }},
	{"encoding", textSchema, "of the form delimited: utf-8, windows-1252, … (WHATWG names)",
		func(p *reading, n ast.Node, o *Output) { o.Encoding = p.text(n, "encoding") }},
	choiceOf("quoting", "which cells of the form delimited stand in quotes", []string{"needed", "all", "texts"},
		func(o *Output, s string) { o.Quoting = s }),
	choiceOf("lineTerminator", "of the form delimited", []string{"lf", "crlf"},
		func(o *Output, s string) { o.LineTerminator = s }),
	{"byteOrderMark", boolSchema, "before text of the form delimited, by which some programs know UTF-8",
		func(p *reading, n ast.Node, o *Output) { o.ByteOrderMark = p.bool(n, "byteOrderMark") }},
}

// choiceOf is a property of an output that is one of some words.
func choiceOf(name, doc string, words []string, set func(*Output, string)) field[Output] {
	return field[Output]{name, choiceSchema(words...), doc, func(p *reading, n ast.Node, o *Output) {
		set(o, words[p.choice(n, name, words)])
	}}
}

func (p *reading) outputs(n ast.Node) (all []Output) {
	nodes := p.sequence(n, "outputs")
	if len(nodes) > maxOutputs {
		p.wrong(n, "outputs has %d entries: at most %d", len(nodes), maxOutputs)
		return nil
	}
	for _, entry := range nodes {
		o := Output{at: entry}
		if fill(p, entry, "an entry of outputs", outputFields, &o)["form"] == nil {
			p.wrong(entry, "the entry does not say in which form: csv, delimited, jsonl, parquet or xlsx")
		}
		all = append(all, o)
	}
	return all
}

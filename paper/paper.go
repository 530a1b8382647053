// Package paper writes what the core found as pages that stand alone: one HTML
// file that needs nothing else, reads well on a screen and prints well on paper.
package paper

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"html/template"
	"io"
	"slices"
	"strings"

	"sieb/core/profile"
	"sieb/core/value"
)

//go:embed profile.html
var profilePage string

var profileTemplate = template.Must(template.New("profile").Funcs(template.FuncMap{
	"n": value.Thousands, "told": told, "isUnique": func(c profile.Column) bool {
		return c.Once != nil &&
			*c.Once == c.Distinct
	}, "plain": profile.Plain, "percent": profile.Percent,
	"width": func(n, of int64) string { return fmt.Sprintf("%.1f%%", 100*float64(n)/float64(max(of, 1))) },
	"bars":  bars, "values": valueBars, "short": short,
	"of":         func(p *profile.Profile, column string) []profile.Finding { return findingsOf(p, column) },
	"isPair":     func(c profile.Column) bool { return c.Datatype == value.Boolean },
	"first":      func(n int, v []profile.Value) []profile.Value { return v[:min(n, len(v))] },
	"number":     func(i int) int { return i + 1 },
	"add":        func(a, b int64) int64 { return a + b },
	"percent100": func(share float64) string { return fmt.Sprintf("%.1f %%", 100*share) },
}).Parse(profilePage))

// Profile writes a profile as a page.
func Profile(w io.Writer, name, layout string, p *profile.Profile) error {
	return profileTemplate.Execute(w, struct {
		Name, Layout string
		*profile.Profile
	}{name, layout, p})
}

func findingsOf(p *profile.Profile, column string) (own []profile.Finding) {
	for _, f := range p.Findings {
		if slices.Contains(f.Columns, column) {
			own = append(own, f)
		}
	}
	return own
}

// told writes a sentence with the names of columns, which stand in backquotes, in
// bold.
func told(sentence string) template.HTML {
	var b strings.Builder
	for i, part := range strings.Split(sentence, "`") {
		if part = template.HTMLEscapeString(part); i%2 == 1 {
			part = "<b>" + part + "</b>"
		}
		b.WriteString(part)
	}
	return template.HTML(b.String()) // every part of it is escaped
}

// short writes a number with six digits.
func short(v any) string {
	if raw, ok := v.(json.RawMessage); ok {
		var x float64
		if json.Unmarshal(raw, &x) != nil {
			return profile.Plain(raw)
		}
		v = x
	}
	if p, ok := v.(*float64); ok {
		v = *p
	}
	return fmt.Sprintf("%.6g", v)
}

// drawn is a bar of a histogram as it is drawn, in units of the picture.
type drawn struct {
	X, Y, Width, Height float64
	Title               string
}

// Size of a histogram's picture.
const (
	chartWidth  = 320.0
	chartHeight = 72.0
)

func bars(bins []profile.Bin) (all []drawn) {
	most := int64(1)
	for _, b := range bins {
		most = max(most, b.Count)
	}
	width := chartWidth / float64(len(bins))
	for i, b := range bins {
		h := chartHeight * float64(b.Count) / float64(most)
		if b.Count > 0 {
			h = max(h, 1)
		}
		all = append(all, drawn{float64(i) * width, chartHeight - h, max(width-1, 0.5), h,
			fmt.Sprintf("%s to %s: %s", profile.Edge(b.From), profile.Edge(b.To), value.Thousands(b.Count))})
	}
	return all
}

// share is a value with the length of its bar, in percent of the longest.
type share struct {
	profile.Value
	Bar float64
}

func valueBars(n int, values []profile.Value) (all []share) {
	for _, v := range values[:min(n, len(values))] {
		all = append(all, share{v, 100 * float64(v.Count) / float64(max(values[0].Count, 1))})
	}
	return all
}

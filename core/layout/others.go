package layout

import (
	"slices"
	"strconv"
)

// mostOthers is how many other values a setting offers.
const mostOthers = 3

// others returns what else a setting could be, the likeliest first, without the
// value that it has.
func (d *detection) others(setting string) (next []string) {
	l := &d.layout
	offer := func(now string, values ...string) {
		for _, v := range values {
			if v != now && !slices.Contains(next, v) && len(next) < mostOthers {
				next = append(next, v)
			}
		}
	}
	toggle := func(now bool) { offer(strconv.FormatBool(now), "true", "false") }
	counted := func(now int, values ...int) {
		for _, v := range values {
			offer(strconv.Itoa(now), strconv.Itoa(v))
		}
	}
	switch setting {
	case "form":
		if l.Form != Workbook {
			offer(l.Form, Delimited, Fixed)
		}
	case "encoding":
		for _, name := range d.rivals[setting] {
			if name != "" {
				offer(l.Encoding, name)
			}
		}
		if l.Encoding != "utf-8" && len(next) == 0 {
			offer(l.Encoding, "utf-8")
		}
	case "delimiter":
		if l.Form == Delimited {
			offer(l.Delimiter, d.rivals[setting]...)
			offer(l.Delimiter, ",", ";", "\t")
		}
	case "quoteChar":
		if l.Form == Delimited {
			offer(l.QuoteChar, `"`, "'", "")
		}
	case "doubleQuote":
		toggle(l.DoubleQuote)
	case "trim":
		toggle(l.Trim)
	case "closingDelimiter":
		toggle(l.ClosingDelimiter)
	case "nameless":
		offer(l.Nameless, First, Last)
	case "skipBlankRows":
		toggle(l.SkipBlankRows)
	case "fold":
		counted(l.Fold, 0)
	case "skipRows":
		counted(l.SkipRows, 0, l.SkipRows+1)
	case "skipColumns":
		counted(l.SkipColumns, 0)
	case "headerRows":
		counted(l.HeaderRows, 1, 0, l.HeaderRows+1)
	case "headerNames":
		offer(l.HeaderNames, First, Joined, Last)
	case "footerRows":
		counted(l.FooterRows, 0, l.FooterRows+1)
	case "merged":
		offer(l.Merged, Carried, First)
	case "hidden":
		offer(l.Hidden, Skip, Read)
	}
	return next
}

package profile

import (
	"encoding/json"
	"fmt"
	"strings"
)

// Percent writes a share so that neither all nor nothing is said falsely.
func Percent(n, of int64) string {
	if of == 0 {
		return ""
	}
	p := 100 * float64(n) / float64(of)
	switch {
	case n == of:
		return "100 %"
	case p >= 99.95:
		return ">99.9 %"
	case n > 0 && p < 0.05:
		return "<0.1 %"
	case p >= 99 || p < 1 && n > 0:
		return fmt.Sprintf("%.1f %%", p)
	}
	return fmt.Sprintf("%.0f %%", p)
}

// Plain returns a value of a profile without the quotes of JSON.
func Plain(v json.RawMessage) string {
	var s string
	if json.Unmarshal(v, &s) == nil {
		return s
	}
	return string(v)
}

// Edge returns the edge of a histogram's bar as text: an instant without what is nought
// of its time of day.
func Edge(v json.RawMessage) string {
	text := Plain(v)
	if day, ok := strings.CutSuffix(text, "T00:00:00"); ok {
		return day
	}
	if len(text) == len("2026-07-06T06:00:00") {
		text = strings.TrimSuffix(text, ":00")
	}
	return text
}

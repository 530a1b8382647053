package agreement_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/stretchr/testify/require"
)

// words are what texts consist of. Some of them are codes of the list "crops".
var words = []string{"wheat", "rye", "oats", "Barley", "AH-000105", "BR-7", "x", "maize silage"}

var crops = []string{"wheat", "rye", "oats", "Barley"}

// growers is the table that columns refer to.
var growers = []string{"wheat", "rye", "AH-000105", "1", "7", "12", "2026-07-04"}

// column is a column of a target with the habits of its sender, as the model understands them.
type column struct {
	name, header, kind                string
	required, unique, ascending, next bool
	needs                             *term
	precision, scale                  int // -1 for none
	shortest, longest                 int // 0 for none
	minimum, maximum                  string
	oneOf                             []string
	complete                          bool
	isList                            bool // oneOf is a code list
	loose                             bool // of which letter case and blanks do not count
	separator, writes                 string
	actions                           map[string]string
	action                            string
	capitals                          bool // the format [A-Z].*
	formats                           []string
	yes, no                           string
	comma, group                      string
	nulls                             []string
	standard, constant                *string
	derives                           *term
	remedies                          []cleaning
	carries                           bool
}

// cleaning is a remedy as docs/targets.md describes it.
type cleaning struct {
	name string
	text any
	of   func(string) string
}

// condition is a row rule or an exclusion.
type condition struct {
	name, action string
	is           term
	isRaw        bool
}

// refer is a reference of columns to another table.
type refer struct {
	columns []string
	absent  bool
	codes   bool
}

// world is a target, a mapping and a delivery.
type world struct {
	columns  []*column
	key      []string
	further  [][]string
	rules    []condition
	leave    []condition
	refers   []refer
	keep     string
	alike    string // what becomes of rows of which all values are the same; "" where that is nothing
	tolerate int    // -1 for any number
	fewest   int
	most     int
	sum      string // column whose sum the file's name states
	stated   string
	counts   bool // the footer states the number of rows
	counted  int
	headers  []string
	rows     [][]string
}

func draw(seed uint64) *world {
	r := rand.New(rand.NewPCG(seed, 22))
	one := func(in int) bool { return r.IntN(in) == 0 }
	w := &world{keep: "first", tolerate: -1, most: -1}
	for i := range 3 + r.IntN(5) {
		w.columns = append(w.columns, drawColumn(r, i))
	}
	if one(3) {
		w.keep = []string{"last", "none"}[r.IntN(2)]
	}
	if one(5) {
		w.alike = []string{"reject", "flag"}[r.IntN(2)]
	}
	known := &conditions{Rand: r}
	for _, c := range w.columns {
		if c.constant == nil {
			known.headers = append(known.headers, c.header)
		}
	}
	if len(known.headers) < 2 { // so that no row is a blank line
		for _, c := range w.columns[:2] {
			c.constant = nil
			known.headers = append(known.headers, c.header)
		}
		slices.Sort(known.headers)
		known.headers = slices.Compact(known.headers)
	}
	for _, c := range w.columns {
		known.all = append(known.all, c.name)
		switch {
		case c.separator != "": // to conditions a list is one text
		case c.isNumber():
			known.numbers = append(known.numbers, c.name)
		case c.kind == "string":
			known.texts = append(known.texts, c.name)
		case c.kind == "boolean":
			known.truths = append(known.truths, c.name)
		case c.kind == "date":
			known.days = append(known.days, c.name)
		}
	}
	if one(3) { // a column that is computed from those before it
		c := &column{name: "made", header: "", kind: "decimal", precision: -1, scale: -1, nulls: []string{""}}
		if one(2) {
			c.maximum = "100"
		}
		t := known.number(2)
		c.derives = &t
		w.columns = append(w.columns, c)
	}
	for _, c := range w.columns {
		if one(8) && !c.required && c.derives == nil {
			// What is needed may not depend on the column that needs it.
			others := *known
			without := func(from []string) []string {
				return slices.DeleteFunc(slices.Clone(from), func(name string) bool { return name == c.name })
			}
			others.numbers, others.texts, others.all = without(known.numbers), without(known.texts), without(known.all)
			others.truths, others.days = without(known.truths), without(known.days)
			t := others.truth(1)
			c.needs = &t
		}
	}
	for i := range r.IntN(4) {
		w.rules = append(w.rules, condition{name: fmt.Sprintf("rule %d", i),
			action: []string{"reject", "flag"}[r.IntN(2)], is: known.truth(3)})
	}
	if one(4) {
		w.leave = append(w.leave, condition{name: "raw", isRaw: true, is: known.rawTruth()})
	}
	if one(4) {
		is := known.truth(1)
		takes := slices.ContainsFunc(w.columns, func(c *column) bool { return strings.Contains(is.text, c.name) })
		w.leave = append(w.leave, condition{name: "typed", is: is, isRaw: !takes})
	}
	pick := func() string { return w.columns[r.IntN(len(w.columns))].name }
	if one(4) {
		w.key = []string{pick()}
		if second := pick(); second != w.key[0] && one(2) {
			w.key = append(w.key, second)
		}
		for _, c := range w.columns {
			if slices.Contains(w.key, c.name) {
				c.needs, c.required = nil, true
			}
		}
	}
	if one(4) {
		w.further = [][]string{{pick()}}
		if second := pick(); second != w.further[0][0] {
			w.further[0] = append(w.further[0], second)
		}
	}
	for _, c := range w.columns { // other targets are refused
		if c.action == "blank" && (c.required || c.unique) {
			c.action = "flag"
		}
	}
	if one(4) {
		w.refers = append(w.refers, refer{columns: []string{pick()}})
	}
	if one(5) {
		w.refers = append(w.refers, refer{columns: []string{pick()}, absent: true})
	}
	if one(5) {
		w.refers = append(w.refers, refer{columns: []string{pick()}, codes: true})
	}
	if one(4) {
		w.tolerate = r.IntN(8)
	}
	w.drawRows(r)
	if one(8) {
		w.fewest = len(w.rows) - 1 + r.IntN(3)
	}
	if one(8) {
		w.most = max(1, w.fewest, len(w.rows)-1+r.IntN(3))
	}
	if one(6) {
		for _, c := range w.columns {
			if c.isNumber() && c.separator == "" && c.comma == "" && c.group == "" {
				w.sum = c.name
			}
		}
	}
	if one(6) {
		w.counts, w.counted = true, len(w.rows)+r.IntN(2)
	}
	if w.sum != "" {
		w.stated = w.judge().sum
		if one(2) {
			w.stated = "17"
		}
	}
	return w
}

func drawColumn(r *rand.Rand, i int) *column {
	one := func(in int) bool { return r.IntN(in) == 0 }
	pick := func(from ...string) string { return from[r.IntN(len(from))] }
	c := &column{name: fmt.Sprintf("c%d", i), header: fmt.Sprintf("Column %d", i), precision: -1, scale: -1,
		nulls: []string{""}, kind: pick("string", "string", "integer", "decimal", "date", "boolean", "short",
			"unsignedByte", "time")}
	c.required, c.unique = one(4), one(6)
	if one(3) {
		c.nulls = append(c.nulls, "n/a")
	}
	if one(12) {
		c.nulls = []string{"n/a"}
	}
	if c.isNumber() {
		if one(3) {
			c.group = pick(".", "'", " ")
		}
		if c.kind == "decimal" && one(2) {
			c.comma = ","
		}
		if c.group == "." && c.kind == "decimal" {
			c.comma = ","
		}
		if c.kind == "decimal" && one(3) {
			c.precision, c.scale = 4, r.IntN(3)
		}
		if one(3) {
			c.minimum = pick("-3", "0", "5")
		}
		if one(3) {
			c.maximum = pick("99", "1000", "123456789012")
		}
		if one(6) {
			c.oneOf = []string{"7", "12"}
			if c.minimum == "" && c.maximum == "" && c.scale < 0 && c.kind != "unsignedByte" {
				c.oneOf = append(c.oneOf, "-1", "1234")
			}
		}
	}
	switch c.kind {
	case "string":
		switch r.IntN(6) {
		case 0:
			c.oneOf = crops[:3]
		case 1:
			c.oneOf, c.isList, c.loose = crops, true, one(2)
		case 2:
			c.capitals = true
		}
		if one(4) {
			c.shortest = 2
		}
		if one(4) {
			c.longest = 5
		}
	case "date":
		c.formats = [][]string{{"yyyy-MM-dd"}, {"dd.MM.yyyy"}, {"dd.MM.yyyy", "yyyy-MM-dd"}, {"MM/dd/yyyy"}}[r.IntN(4)]
		if one(3) {
			c.minimum = "2026-07-03"
		}
		if one(3) {
			c.maximum = "2026-07-20"
		}
	case "boolean":
		c.yes, c.no = "true", "false"
		if one(2) {
			c.yes, c.no = "ja", "nein"
		}
	}
	if !c.isList && c.kind != "boolean" && one(8) {
		c.ascending = true
		if one(2) && c.kind != "decimal" && c.kind != "time" {
			c.ascending, c.next = false, true
		}
	}
	if one(8) && c.comma == "" && c.group == "" && c.kind != "boolean" && !c.ascending && !c.next {
		c.separator, c.writes = "|", pick("|", "/", "+")
		if c.kind == "date" {
			c.writes = "|"
		}
	}
	c.complete = c.oneOf != nil && c.separator == "" && one(6)
	if one(3) && c.separator == "" {
		c.action = pick("flag", "blank", "reject")
	} else if one(4) && c.separator == "" {
		c.actions = map[string]string{pick("range.low", "range.high", "text.long", "key.duplicate", "required.empty",
			"type.integer", "date.format", "value.unknown", "text.format"): pick("flag", "reject")}
	}
	if one(8) {
		text := map[string]string{"string": "rye", "date": "2026-07-04", "boolean": "true", "time": "06:00:00"}[c.kind]
		if c.isNumber() {
			text = "7"
		}
		if c.kind == "string" || c.oneOf == nil { // which the text would not be of
			c.capitals = false
			c.standard = &text
		}
	}
	if one(20) && c.kind == "string" && c.oneOf == nil && !c.capitals {
		c.constant = new(string)
		*c.constant = pick("wheat", "")
	}
	if c.kind == "string" && c.constant == nil && one(2) {
		for range 1 + r.IntN(3) {
			c.remedies = append(c.remedies, cleanings[r.IntN(len(cleanings))])
		}
	} else if c.constant == nil && one(3) {
		c.remedies = append(c.remedies, cleanings[0])
	}
	if c.constant == nil && one(8) {
		c.carries = true
	}
	return c
}

func (c *column) isNumber() bool {
	return slices.Contains([]string{"integer", "decimal", "short", "unsignedByte"}, c.kind)
}

var cleanings = []cleaning{
	{"trim", "trim", strings.TrimSpace},
	{"squeeze", "squeeze", func(s string) string {
		var b strings.Builder
		for i := 0; i < len(s); i++ {
			if s[i] != ' ' || i == 0 || s[i-1] != ' ' {
				b.WriteByte(s[i])
			}
		}
		return b.String()
	}},
	{"upper", "upper", strings.ToUpper},
	{"lower", "lower", strings.ToLower},
	{"replace", map[string]any{"replace": map[string]string{"find": "-", "with": "/"}},
		func(s string) string { return strings.ReplaceAll(s, "-", "/") }},
	{"recode", map[string]any{"recode": map[string]string{"x": "oats", "BR-7": ""}},
		func(s string) string {
			switch s {
			case "x":
				return "oats"
			case "BR-7":
				return ""
			}
			return s
		}},
	{"pad", map[string]int{"pad": 6}, func(s string) string {
		if s == "" || strings.Trim(s, "0123456789") != "" {
			return s
		}
		return strings.Repeat("0", max(0, 6-len(s))) + s
	}},
	{"cut", map[string]int{"cut": 4}, func(s string) string {
		if letters := []rune(s); len(letters) > 4 {
			return string(letters[:4])
		}
		return s
	}},
	{"prefix", map[string]string{"prefix": "AH-"}, func(s string) string {
		if s == "" || strings.HasPrefix(s, "AH-") {
			return s
		}
		return "AH-" + s
	}},
}

// cell draws a cell as the column's sender writes it, now and then as nobody should.
func (c *column) cell(r *rand.Rand, i int) string {
	if r.IntN(12) == 0 {
		odd := []string{"", "", "n/a", " ", "x", "1.5", "1,5", "-7", "99999", "31.02.2026", "2026-07-99", " rye", "RYE",
			"rye  ",
			"7 ", "1.234", "0.500", "12.345.678", "1'234", "012", "+5", "1.", "12345678901234567890", "ja", "1", "true",
			"25:00:00", "é", "a|b", "1|2|x", "wheat|rye", "2026-07-03", "07/04/2026", "4.7.2026"}
		return odd[r.IntN(len(odd))]
	}
	if c.separator != "" {
		var parts []string
		for range 1 + r.IntN(3) {
			parts = append(parts, c.plain(r, i))
		}
		return strings.Join(parts, c.writes)
	}
	return c.plain(r, i)
}

func (c *column) plain(r *rand.Rand, i int) string {
	switch c.kind {
	case "string":
		return words[r.IntN(len(words))]
	case "date":
		day := 1 + r.IntN(28)
		if c.ascending || c.next {
			day = 1 + i%28
		}
		switch c.formats[r.IntN(len(c.formats))] {
		case "dd.MM.yyyy":
			return fmt.Sprintf("%02d.07.2026", day)
		case "MM/dd/yyyy":
			return fmt.Sprintf("07/%02d/2026", day)
		}
		return fmt.Sprintf("2026-07-%02d", day)
	case "boolean":
		return []string{c.yes, c.no}[r.IntN(2)]
	case "time":
		return fmt.Sprintf("%02d:%02d:00", r.IntN(24), r.IntN(60))
	}
	n := []int{0, 1, 7, 12, 99, 100, 1234, 12345, 200}[r.IntN(9)]
	if c.ascending || c.next {
		n = 100 + i
	}
	text := fmt.Sprint(n)
	if c.group != "" && n >= 1000 && r.IntN(2) == 0 {
		text = text[:len(text)-3] + c.group + text[len(text)-3:]
	}
	if c.kind == "decimal" && r.IntN(2) == 0 {
		point := "."
		if c.comma != "" {
			point = c.comma
		}
		text += point + []string{"5", "50", "25", "0"}[r.IntN(4)]
	}
	return text
}

func (w *world) drawRows(r *rand.Rand) {
	var fed []*column
	for _, c := range w.columns {
		if c.header != "" && c.constant == nil {
			fed = append(fed, c)
		}
	}
	r.Shuffle(len(fed), func(i, k int) { fed[i], fed[k] = fed[k], fed[i] })
	for _, c := range fed {
		w.headers = append(w.headers, c.header)
	}
	for i := range 1 + r.IntN(60) {
		var cells []string
		for _, c := range fed {
			cells = append(cells, c.cell(r, i))
		}
		if r.IntN(40) == 0 && len(cells) > 2 {
			cells = cells[:len(cells)-1]
		} else if r.IntN(40) == 0 {
			cells = append(cells, "more")
		}
		w.rows = append(w.rows, cells)
	}
	if r.IntN(4) == 0 { // what is repeated
		for range 1 + r.IntN(4) {
			w.rows = append(w.rows, slices.Clone(w.rows[r.IntN(len(w.rows))]))
		}
	}
}

// texts returns the target and the mapping.
func (w *world) texts(t require.TestingT) (target, mapping []byte) {
	var columns []yaml.MapSlice
	var habits yaml.MapSlice
	for _, c := range w.columns {
		columns = append(columns, c.demands())
		habits = append(habits, yaml.MapItem{Key: c.name, Value: c.habits()})
	}
	tg := yaml.MapSlice{{Key: "target", Value: "t"}, {Key: "columns", Value: columns}}
	put := func(name string, value any) { tg = append(tg, yaml.MapItem{Key: name, Value: value}) }
	if w.key != nil {
		put("key", w.key)
	}
	if w.further != nil {
		put("uniqueKeys", w.further)
	}
	var rules, foreign, absent []yaml.MapSlice
	for _, rule := range w.rules {
		rules = append(rules, yaml.MapSlice{{Key: "name", Value: rule.name}, {Key: "condition", Value: rule.is.text},
			{Key: "onViolation", Value: rule.action}})
	}
	for _, x := range w.refers {
		at := yaml.MapSlice{{Key: "resource", Value: "growers"}, {Key: "columnReference", Value: []string{"id"}}}
		if x.codes {
			at = yaml.MapSlice{{Key: "codes", Value: "crops"}}
		}
		entry := yaml.MapSlice{{Key: "columnReference", Value: x.columns}, {Key: "reference", Value: at}}
		if x.absent {
			absent = append(absent, entry)
		} else {
			foreign = append(foreign, entry)
		}
	}
	if rules != nil {
		put("rowRules", rules)
	}
	if foreign != nil {
		put("foreignKeys", foreign)
	}
	if absent != nil {
		put("absentFrom", absent)
	}
	if w.keep != "first" || w.alike != "" {
		repeated := yaml.MapSlice{{Key: "keep", Value: w.keep}}
		if w.alike != "" {
			repeated = append(repeated, yaml.MapItem{Key: "rows", Value: true},
				yaml.MapItem{Key: "onViolation", Value: w.alike})
		}
		put("repeated", repeated)
	}
	if w.tolerate >= 0 {
		put("tolerance", yaml.MapSlice{{Key: "rejected", Value: w.tolerate}})
	}
	if w.fewest > 0 || w.most >= 0 {
		limits := yaml.MapSlice{}
		if w.fewest > 0 {
			limits = append(limits, yaml.MapItem{Key: "minimum", Value: w.fewest})
		}
		if w.most >= 0 {
			limits = append(limits, yaml.MapItem{Key: "maximum", Value: w.most})
		}
		put("rows", limits)
	}
	var controls []yaml.MapSlice
	if w.sum != "" {
		controls = append(controls, yaml.MapSlice{{Key: "sum", Value: w.sum}, {Key: "in", Value: "fileName"},
			{Key: "find", Value: `sum(-?[0-9.]+)\.csv`}})
	}
	if w.counts {
		controls = append(controls, yaml.MapSlice{{Key: "count", Value: "rows"}, {Key: "in", Value: "footer"},
			{Key: "find", Value: `Total;([0-9]+)`}})
	}
	if controls != nil {
		put("controls", controls)
	}
	target, err := yaml.Marshal(tg)
	require.NoError(t, err)
	m := yaml.MapSlice{{Key: "mapping", Value: "m"}, {Key: "target", Value: "t"}, {Key: "columns", Value: habits}}
	var leave []yaml.MapSlice
	for _, x := range w.leave {
		leave = append(leave, yaml.MapSlice{{Key: "condition", Value: x.is.text}, {Key: "reason", Value: x.name}})
	}
	if leave != nil {
		m = append(m, yaml.MapItem{Key: "exclude", Value: leave})
	}
	mapping, err = yaml.Marshal(m)
	require.NoError(t, err)
	return target, mapping
}

func (c *column) demands() (all yaml.MapSlice) {
	put := func(is bool, name string, value any) {
		if is {
			all = append(all, yaml.MapItem{Key: name, Value: value})
		}
	}
	put(true, "name", c.name)
	put(c.kind != "string", "datatype", c.kind)
	put(c.capitals, "format", "[A-Z].*")
	put(c.required, "required", true)
	put(c.unique, "unique", true)
	put(c.precision >= 0, "precision", c.precision)
	put(c.scale >= 0, "scale", c.scale)
	put(c.shortest > 0, "minLength", c.shortest)
	put(c.longest > 0, "maxLength", c.longest)
	put(c.minimum != "", "minimum", c.minimum)
	put(c.maximum != "", "maximum", c.maximum)
	if c.isList {
		list := yaml.MapSlice{{Key: "codes", Value: "crops"}}
		if c.loose {
			list = append(list, yaml.MapItem{Key: "strict", Value: false})
		}
		put(true, "oneOf", list)
	} else {
		put(c.oneOf != nil, "oneOf", c.oneOf)
	}
	put(c.complete, "complete", true)
	put(c.ascending, "ordered", "ascending")
	put(c.next, "ordered", "consecutive")
	put(c.separator != "", "separator", c.separator)
	put(c.action != "", "onViolation", c.action)
	put(c.actions != nil, "onViolation", c.actions)
	if c.needs != nil {
		put(true, "requiredWhen", c.needs.text)
	}
	return all
}

func (c *column) habits() (all yaml.MapSlice) {
	put := func(is bool, name string, value any) {
		if is {
			all = append(all, yaml.MapItem{Key: name, Value: value})
		}
	}
	if c.derives != nil {
		return yaml.MapSlice{{Key: "derive", Value: c.derives.text}}
	}
	if c.constant != nil {
		return yaml.MapSlice{{Key: "value", Value: *c.constant}}
	}
	put(true, "from", c.header)
	put(len(c.formats) == 1, "format", strings.Join(c.formats, ""))
	put(len(c.formats) > 1, "format", c.formats)
	put(c.yes == "ja", "format", "ja|nein")
	put(c.comma != "", "decimalChar", c.comma)
	put(c.group != "", "groupChar", c.group)
	put(c.separator != c.writes, "separator", c.writes)
	put(!slices.Equal(c.nulls, []string{""}), "null", c.nulls)
	if c.standard != nil {
		put(true, "default", *c.standard)
	}
	var remedies []any
	if c.carries {
		remedies = append(remedies, "carryDown")
	}
	for _, x := range c.remedies {
		remedies = append(remedies, x.text)
	}
	put(remedies != nil, "remedies", remedies)
	return all
}

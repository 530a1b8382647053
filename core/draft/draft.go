// Package draft writes a first target from what a delivery holds: each rule with
// the figures that it was drawn from, and, commented out, the rules that are only
// likely. Package table drafts targets from tables of a database by the same means.
package draft

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"

	"sieb/core/condition"
	"sieb/core/edit"
	"sieb/core/finding"
	"sieb/core/layout"
	"sieb/core/profile"
	"sieb/core/relation"
	"sieb/core/remedy"
	"sieb/core/target"
	"sieb/core/value"
)

// Draft is a first target, drawn from what one delivery holds, or from a table.
type Draft struct {
	target.Target
	head    string   // from what it was drawn
	remarks []string // what concerns no single column
	notes   []Notes  // of the columns
	offered string   // a key, as a line that is commented out
	longest []int    // of the columns: characters of the longest value, or of all of them
}

// New begins a draft; head says in a sentence from what it is drawn.
func New(head string) *Draft { return &Draft{head: head} }

// Add adds a column with what is to be noted of its properties.
func (d *Draft) Add(c target.Column, n Notes) {
	d.Columns, d.notes, d.longest = append(d.Columns, c), append(d.notes, n), append(d.longest, 0)
}

// Note adds a note to a property of a column that was added.
func (d *Draft) Note(column int, property, text string) { d.notes[column].Add(property, text) }

// Remark adds what concerns no single column.
func (d *Draft) Remark(text string) { d.remarks = append(d.remarks, oneLine(text)) }

// Notes say of a property from what it was drawn. Under offers stand the rules that
// are not drafted, since the delivery itself speaks against them or only chance for
// them: as lines of the target that are commented out.
type Notes map[string]string

const offers = "offers"

// Add adds a note to a property.
func (n Notes) Add(property, text string) {
	text = oneLine(text)
	if n[property] != "" {
		text = n[property] + "; " + text
	}
	n[property] = text
}

// offer adds a rule that a steward may take by removing the comment sign before it.
func (n Notes) offer(rule, why string) {
	n[offers] += fmt.Sprintf("# %-34s  # %s\n", rule, why)
}

// Of drafts a target from the profile of a delivery. Columns that the delivery
// does not name are taken by position.
func Of(delivery string, p *profile.Profile) *Draft {
	d := &Draft{head: fmt.Sprintf("Drafted from %s, %s.", oneLine(delivery), value.Count(p.Rows, "row", "rows"))}
	d.Name, d.Title = draftName(delivery), delivery
	taken := map[string]bool{}
	headers := map[string]int{}
	for i := range p.Columns {
		headers[strings.ToLower(headerOf(&p.Columns[i]))]++
	}
	for i := range p.Columns {
		c := &p.Columns[i]
		header := headerOf(c)
		col := target.Column{Name: unlike(Legal(c.Name, i), taken)}
		n := Notes{}
		switch {
		case !p.Named || headers[strings.ToLower(header)] > 1:
			col.Position = i + 1
		case col.Name != header:
			col.Titles = []string{header}
		}
		draftColumn(&col, c, p, n)
		d.Columns = append(d.Columns, col)
		d.notes = append(d.notes, n)
		d.longest = append(d.longest, c.MaxLength)
	}
	d.draftKey(p)
	d.draftRules(p)
	return d
}

// draftRules offers the relations that hold between columns as row rules.
func (d *Draft) draftRules(p *profile.Profile) {
	names := map[string]*target.Column{}
	for i := range p.Columns {
		names[p.Columns[i].Name] = &d.Columns[i]
	}
	var rules []string
	broken := int64(0)
	for _, r := range p.Relations {
		columns := make([]*target.Column, len(r.Columns))
		for i, name := range r.Columns {
			columns[i] = names[name]
		}
		if rule := ruleLine(r.Kind, columns); rule != "" {
			rules = append(rules, rule)
			broken += r.Exceptions
		}
	}
	if len(rules) == 0 {
		return
	}
	why := "they hold in all rows"
	if broken > 0 {
		why = "they hold in nearly all rows, " + value.Count(broken, "row", "rows") + " would be rejected"
	}
	d.offered += fmt.Sprintf("# rowRules: [%s]  # %s\n", strings.Join(rules, ", "), why)
}

// ruleLine writes a relation as a row rule in a line of a target; "" where a condition cannot say it.
func ruleLine(kind string, columns []*target.Column) string {
	name, text := RuleOf(kind, columns)
	if text == "" {
		return ""
	}
	return fmt.Sprintf("{name: %s, condition: %s}", edit.Quote(name), edit.Quote(text))
}

// RuleOf writes a relation between columns as a row rule; "" where a condition cannot say it.
func RuleOf(kind string, columns []*target.Column) (name, text string) {
	var refs, titles []string
	for _, c := range columns {
		if c == nil || kind != "order" && c.Datatype != columns[0].Datatype || c.Datatype == value.Double {
			return "", ""
		}
		refs, titles = append(refs, condition.Ref(c.Name)), append(titles, c.Title())
	}
	switch kind {
	case "equal":
		return titles[0] + " is the same as " + titles[1], refs[0] + " == " + refs[1]
	case "order":
		return titles[0] + " is never after " + titles[1], refs[0] + " <= " + refs[1]
	case "sum":
		return titles[0] + " is the sum of " + strings.Join(titles[1:], " and "), refs[0] + " == " +
			strings.Join(refs[1:], " + ")
	}
	return "", ""
}

// headerOf returns a column's header as delivered; profiles of older versions keep it as
// the name.
func headerOf(c *profile.Column) string { return cmp.Or(c.Header, c.Name) }

// draftName makes a target's name of a delivery's: without its ending, and without
// the date by which one delivery differs from the next.
func draftName(delivery string) string {
	name, _, _ := strings.Cut(delivery, ".")
	words := strings.FieldsFunc(name, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	for len(words) > 1 && strings.Trim(words[len(words)-1], "0123456789") == "" {
		words = words[:len(words)-1]
	}
	return Legal(strings.Join(words, "_"), -1)
}

var spelt = strings.NewReplacer("%", " pct ", "‰", " permille ", "€", " eur ", "$", " usd ", "£", " gbp ", "°", " deg ",
	"#", " no ", "&", " and ", "+", " plus ", "²", "2", "³", "3",
	"ä", "ae", "ö", "oe", "ü", "ue", "Ä", "Ae", "Ö", "Oe", "Ü", "Ue", "ß", "ss", "ø", "o", "Ø", "O", "æ", "ae", "Æ",
	"Ae", "ł", "l", "Ł", "L", "đ", "d")

// Legal makes a name of a header that targets and databases take without quotes:
// lower case letters, digits and underscores, at most 60 characters.
func Legal(header string, at int) string {
	var b strings.Builder
	gap := false
	for _, r := range norm.NFKD.String(spelt.Replace(norm.NFC.String(header))) {
		switch {
		case unicode.Is(unicode.Mn, r):
		case unicode.IsLetter(r) || unicode.IsDigit(r):
			if gap && b.Len() > 0 {
				b.WriteByte('_')
			}
			gap = false
			b.WriteRune(unicode.ToLower(r))
		default:
			gap = true
		}
	}
	name := b.String()
	if name == "" {
		return fmt.Sprintf("column_%d", at+1)
	}
	if unicode.IsDigit([]rune(name)[0]) {
		name = "n_" + name
	}
	if r := []rune(name); len(r) > 60 {
		name = strings.TrimRight(string(r[:60]), "_")
	}
	for len(name) > 60 { // bytes
		_, size := utf8.DecodeLastRuneInString(name)
		name = name[:len(name)-size]
	}
	return name
}

// unlike returns a name that is not taken yet, and takes it.
func unlike(name string, taken map[string]bool) string {
	free := name
	for n := 2; taken[free]; n++ {
		free = fmt.Sprintf("%s_%d", name, n)
	}
	taken[free] = true
	return free
}

// draftColumn draws the rules of a column.
func draftColumn(c *target.Column, from *profile.Column, p *profile.Profile, n Notes) {
	c.Datatype = from.Datatype
	sure, doubtful := from.Missing()
	sure, doubtful = slices.DeleteFunc(sure, from.IsStray), slices.DeleteFunc(doubtful, from.IsStray)
	missing := int64(0)
	for _, v := range sure {
		missing += v.Count
	}
	fit, values := from.Fitting(sure)
	if fit < values {
		n["datatype"] = fmt.Sprintf("%s of %s values are", value.Thousands(fit), value.Thousands(values))
	}
	if from.Counter {
		n["name"] = "only counts the rows: remove its lines to leave it out"
	}
	if from.Filled == 0 {
		n["datatype"] = "the column was empty: nothing is known of it"
	}
	c.Null = []string{""}
	for _, v := range sure {
		c.Null = append(c.Null, v.Value)
	}
	if missing > 0 {
		n["null"] = occurrences(sure)
	}
	if len(doubtful) > 0 {
		texts := slices.Clone(c.Null)
		for _, v := range doubtful {
			texts = append(texts, v.Value)
		}
		n.offer("null: "+list(texts), "perhaps stands for a missing value: "+occurrences(doubtful))
	}
	all := from.Filled + from.Empty
	stray, filledStray := int64(0), int64(0)
	if mostSparse*p.Sparse.Rows <= p.Rows {
		stray, filledStray = from.EmptySparse, p.Sparse.Rows-from.EmptySparse
	}
	if empty := from.Empty + missing; from.Filled > 0 && empty == stray {
		c.Required = true
		n["required"] = "filled in all rows"
		if stray > 0 {
			n["required"] += " that are not nearly empty"
		}
	} else if from.Filled > 0 && relation.IsFew(empty, all) {
		n.offer("required: true", fmt.Sprintf("empty in %s of %s rows, which would be rejected",
			value.Thousands(empty), value.Thousands(all)))
	}
	switch {
	case c.Datatype.IsNumber():
		draftNumber(c, from, n)
	case c.Datatype.HasDay():
		draftDate(c, from, n)
	case c.Datatype == value.Boolean:
		if from.Pair[0] != "true" || from.Pair[1] != "false" {
			c.Formats = []string{from.Pair[0] + "|" + from.Pair[1]}
		}
	default:
		draftText(c, from, values, all, filledStray, n)
	}
	if b := from.Blanks.Around.Count; b > 0 {
		addRemedy(c, "trim")
		n.Add("remedies", "blanks around "+value.Count(b, "value", "values"))
	}
	if from.Blank > 0 {
		addRemedy(c, "trim")
		n.Add("remedies", value.Count(from.Blank, "cell has", "cells have")+" nothing but blanks")
	}
	if b := from.Blanks.Inside.Count; b > 0 && c.Datatype == value.String {
		addRemedy(c, "squeeze")
		n.Add("remedies", "double blanks inside "+value.Count(b, "value", "values"))
	}
	// trim and squeeze come first: the others see the text without blanks.
	slices.SortStableFunc(c.Remedies, func(a, b remedy.Remedy) int {
		return slices.Index(remedy.Names(), a.Name) - slices.Index(remedy.Names(), b.Name)
	})
}

func addRemedy(c *target.Column, name string) {
	if !hasRemedy(c, name) {
		c.Remedies = append(c.Remedies, remedy.Remedy{Name: name})
	}
}

func hasRemedy(c *target.Column, name string) bool {
	return slices.ContainsFunc(c.Remedies, func(r remedy.Remedy) bool { return r.Name == name })
}

func occurrences(values []profile.Value) string {
	var list []string
	for _, v := range values[:min(len(values), 4)] {
		list = append(list, fmt.Sprintf("%s (%s)", oneLine(v.Value), value.Thousands(v.Count)))
	}
	return strings.Join(list, ", ")
}

// oneLine makes a text fit for a comment.
func oneLine(text string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsControl(r) {
			return '␣'
		}
		return r
	}, text)
}

func draftNumber(c *target.Column, from *profile.Column, n Notes) {
	h := from.Numbers
	c.GroupChar = h.GroupChar
	if h.DecimalChar != "." && (c.Datatype != value.Integer || h.GroupChar == ".") {
		c.DecimalChar = h.DecimalChar
	}
	if c.Datatype == value.Decimal {
		scale, precision := h.FractionDigits, h.WholeDigits+h.FractionDigits+2
		c.Scale, c.Precision = &scale, &precision
		n["precision"] = fmt.Sprintf("up to %s before the point, and two more",
			value.Count(int64(h.WholeDigits), "digit", "digits"))
		n["scale"] = fmt.Sprintf("up to %s after the point", value.Count(int64(h.FractionDigits), "digit", "digits"))
	}
	if c.Datatype == value.Integer && from.DistinctExact && from.Distinct > 1 && from.Distinct <= mostOf &&
		from.Filled >= oftenCode*from.Distinct && len(from.Top) == int(from.Distinct) {
		if codes := wholeNumbers(from.Top); len(codes) == len(from.Top) {
			n.offer("oneOf: "+list(codes), fmt.Sprintf("only %d numbers in %s values: perhaps codes",
				from.Distinct, value.Thousands(from.Filled)))
		}
	}
	if h.Undecided > 0 {
		n["decimalChar"] = "nothing tells whether it stands before decimals or between thousands: ask the sender"
		if c.DecimalChar == "" {
			c.DecimalChar = "."
		}
	}
}

// wholeNumbers returns those of some values, in their order, that are whole numbers in
// the form in which a target lists them.
func wholeNumbers(values []profile.Value) (texts []string) {
	var numbers []int64
	for _, v := range values {
		if n, err := strconv.ParseInt(v.Value, 10, 64); err == nil && strconv.FormatInt(n, 10) == v.Value {
			numbers = append(numbers, n)
		}
	}
	slices.Sort(numbers)
	for _, n := range numbers {
		texts = append(texts, strconv.FormatInt(n, 10))
	}
	return texts
}

func draftDate(c *target.Column, from *profile.Column, n Notes) {
	d := from.Dates
	var list []string
	for _, f := range d.Formats {
		c.Formats = append(c.Formats, f.Format)
		list = append(list, fmt.Sprintf("%s (%s)", f.Format, value.Thousands(f.Count)))
	}
	if len(list) > 1 {
		n["format"] = strings.Join(list, ", ")
	}
	switch d.DecidedBy {
	case "nothing":
		n.Add("format", "no date tells whether the day or the month comes first: ask the sender")
	case "other columns":
		n.Add("format", d.Order+", as in other columns")
	}
	if len(c.Formats) == 1 && c.Datatype == value.Date && c.Formats[0] == "yyyy-MM-dd" {
		c.Formats = nil // the form that stands where none is declared
	}
}

// A set lists up to so many different texts, of so many characters.
const (
	mostOf    = 12
	longestOf = 30
	fewCodes  = 6
	// mostSparse: one row in so many may be nearly empty where these are taken for no rows.
	mostSparse = 5
	rareSum    = 20 // times that a word for a sum is rarer than all values, where it is not one of them
	oftenCode  = 20 // times that a whole number occurs, on average, which may be a code
)

// whyOpen says why the texts of a column that occur are hardly all that may: few rows have one, or they are remarks; ""
// where they may be.
func whyOpen(from *profile.Column, rows int64) string {
	if 2*from.Filled < rows {
		return fmt.Sprintf("only %s of %s rows have one, others may follow", value.Thousands(from.Filled),
			value.Thousands(rows))
	}
	words := strings.FieldsFunc(strings.ToLower(headerOf(from)), func(r rune) bool { return !unicode.IsLetter(r) })
	if slices.ContainsFunc(words, func(w string) bool { return slices.Contains(remarks, w) }) {
		return "the header speaks of free text"
	}
	for _, v := range from.Top {
		text := strings.TrimSpace(v.Value)
		if len(strings.Fields(text)) > 3 || strings.ContainsAny(text, ",;!?") || strings.HasSuffix(text, ".") &&
			strings.Contains(text, " ") {
			return fmt.Sprintf("%q reads like free text", oneLine(text))
		}
	}
	return ""
}

// remarks are words by which headers name free text.
var remarks = []string{"remark", "remarks", "comment", "comments", "note", "notes", "description", "text", "bemerkung",
	"bemerkungen", "anmerkung", "anmerkungen", "hinweis", "hinweise", "notiz", "notizen", "kommentar", "kommentare",
	"beschreibung", "freitext", "remarque", "remarques", "commentaire", "commentaires", "observation", "observations",
	"observaciones", "uwagi"}

// draftText draws what holds of texts, of which so many stand for a value, in so many rows; so many texts stand in
// what is likely no row.
func draftText(c *target.Column, from *profile.Column, values, rows, stray int64, n Notes) {
	if from.Filled == 0 {
		return
	}
	if from.DistinctExact && from.Distinct == 1 && from.MaxLength <= longestOf && len(from.Top) == 1 {
		n.offer("oneOf: "+list([]string{strings.TrimSpace(from.Top[0].Value)}), "the only value of this delivery")
	}
	isSet := from.DistinctExact && from.Distinct > 1 && from.Distinct <= mostOf && from.MaxLength <= longestOf &&
		from.Category
	// More than a few codes are hardly all that there are.
	isCode := len(from.Shapes) > 0 && strings.Contains(from.Shapes[0].Shape, "9")
	if isSet && (!isCode || from.Distinct <= fewCodes) {
		if why := whyOpen(from, rows); why == "" {
			draftSet(c, from, n)
			return
		} else if len(from.Top) > 0 {
			var texts []string
			for _, v := range from.Top {
				texts = append(texts, strings.TrimSpace(v.Value))
			}
			n.offer("oneOf: "+list(texts), "all values that occur; "+why)
		}
	}
	if expr, like, ok := expression(c, from, stray); ok {
		c.Formats = []string{expr}
		n["format"] = fmt.Sprintf("%s of %s values look like %s", value.Thousands(like),
			value.Thousands(values), from.Shapes[0].Shape)
		return
	}
	most := headroom(from.MaxLength)
	c.MaxLength = &most
	n["maxLength"] = fmt.Sprintf("the longest has %s", value.Count(int64(from.MaxLength), "character", "characters"))
}

// draftSet lists the values of a set. Those that are written in different ways are
// recoded to the most frequent one.
func draftSet(c *target.Column, from *profile.Column, n Notes) {
	// What trim and squeeze deal with needs no recoding.
	clean := func(text string) string {
		if from.Blanks.Around.Count > 0 {
			text = strings.TrimSpace(text)
		}
		if from.Blanks.Inside.Count > 0 {
			text = strings.Join(strings.Fields(text), " ")
		}
		return text
	}
	recode := map[string]string{}
	for _, group := range from.Variants {
		for _, v := range group[1:] {
			if clean(v.Value) != clean(group[0].Value) {
				recode[clean(v.Value)] = clean(group[0].Value)
			}
		}
	}
	if len(recode) > 0 {
		c.Remedies = append(c.Remedies, remedy.Remedy{Name: "recode", Pairs: recode})
		n.Add("remedies", "the same is written in different ways")
	}
	misspelt := map[string]bool{}
	for _, v := range finding.Misspelt(from) {
		misspelt[v.Value] = true
	}
	var left, sums []profile.Value
	for _, v := range from.Top {
		text := clean(v.Value)
		switch _, is := recode[text]; {
		case is || slices.Contains(c.OneOf, text) || slices.Contains(c.Null, v.Value) || slices.Contains(c.Null, text):
		case from.IsStray(v):
		case layout.IsTotal(text) && rareSum*v.Count <= from.Filled:
			sums = append(sums, profile.Value{Value: v.Value, Count: v.Count})
		case misspelt[v.Value]:
			left = append(left, profile.Value{Value: v.Value, Count: v.Count})
		default:
			c.OneOf = append(c.OneOf, text)
		}
	}
	if n["oneOf"] = "all values that occur"; len(left) > 0 {
		n["oneOf"] = "left out as perhaps misspelt: " + occurrences(left)
	}
	if len(sums) > 0 {
		n["oneOf"] += "; left out as sums between the rows: " + occurrences(sums)
	}
}

// headroom returns a length with room above the longest text.
func headroom(longest int) int {
	for _, n := range []int{10, 20, 30, 40, 50, 60, 80, 100, 150, 200, 250, 500, 1000, 2000, 4000, 10000} {
		if 4*n >= 5*longest {
			return n
		}
	}
	return 2 * longest
}

// expression makes a regular expression of the shape that nearly all values have:
// that of a code, with digits in it. Where values only differ from it by letter
// case the remedy that mends them is added.
func expression(c *target.Column, from *profile.Column, stray int64) (expr string, like int64, ok bool) {
	if len(from.Shapes) == 0 || from.Filled < 20 {
		return "", 0, false
	}
	shape := from.Shapes[0].Shape
	missing := int64(0)
	sure, _ := from.Missing()
	for _, v := range sure {
		missing += v.Count
	}
	like = from.Shapes[0].Count
	if !strings.Contains(shape, "9") || strings.ContainsAny(shape, "… ") || len(shape) < 2 ||
		20*(from.Filled-missing-like-stray) > from.Filled {
		return "", 0, false
	}
	for _, s := range from.Shapes[1:] {
		switch {
		case s.Shape == strings.ToLower(shape) && s.Shape != shape && !strings.Contains(shape, "a"):
			addRemedy(c, "upper")
		case s.Shape == strings.ReplaceAll(shape, "a", "A") && s.Shape != shape && !strings.Contains(shape, "A"):
			addRemedy(c, "lower")
		}
	}
	classes := map[rune]string{'A': `\p{Lu}`, 'a': `[\p{Ll}\p{Lt}\p{Lm}\p{Lo}\p{M}]`, '9': `\p{Nd}`}
	if from.ASCII {
		classes = map[rune]string{'A': "[A-Z]", 'a': "[a-z]", '9': "[0-9]"}
	}
	return PatternOf(shape, classes), like, true
}

// PatternOf makes the regular expression of a shape (lexical.AppendShape): its signs A, a and 9 stand for classes of
// characters, all others for themselves.
func PatternOf(shape string, classes map[rune]string) string {
	var b strings.Builder
	letters := []rune(shape)
	for i := 0; i < len(letters); {
		k := i
		for k < len(letters) && letters[k] == letters[i] {
			k++
		}
		class, is := classes[letters[i]]
		if !is {
			class = regexp.QuoteMeta(string(letters[i]))
		}
		b.WriteString(class)
		if k-i > 1 {
			fmt.Fprintf(&b, "{%d}", k-i)
		}
		i = k
	}
	return b.String()
}

// draftKey chooses what tells rows apart: single columns whose values are given
// rather than measured in time. What does so by chance as well, instants and several
// columns together, is only offered.
func (d *Draft) draftKey(p *profile.Profile) {
	column := func(name string) int {
		return slices.IndexFunc(p.Columns, func(c profile.Column) bool { return c.Name == name })
	}
	var instants []profile.Key
	for _, k := range p.Keys {
		if len(k.Columns) != 1 {
			continue
		}
		if t := p.Columns[column(k.Columns[0])].Datatype; t.HasDay() {
			instants = append(instants, k)
			continue
		}
		d.unique(column(k.Columns[0]), k)
	}
	if slices.ContainsFunc(d.Columns, func(c target.Column) bool { return c.Unique }) {
		return
	}
	for _, k := range instants {
		if k.Repeats == 0 {
			d.notes[column(k.Columns[0])].offer("unique: true", "no value occurs twice, perhaps by chance")
			return
		}
	}
	for _, k := range p.Keys {
		if len(k.Columns) > 1 && k.Repeats == 0 {
			var names []string
			for _, name := range k.Columns {
				names = append(names, d.Columns[column(name)].Name)
			}
			d.offered += fmt.Sprintf("# key: %s  # together they tell all %s apart, perhaps by chance\n", list(names),
				value.Count(p.Rows, "row", "rows"))
			return
		}
	}
}

func (d *Draft) unique(at int, k profile.Key) {
	d.Columns[at].Unique = true
	d.notes[at]["unique"] = "no value occurs twice"
	if hasRemedy(&d.Columns[at], "trim") {
		d.notes[at]["unique"] += ", blanks around them counted"
	}
	if k.Repeats > 0 {
		d.notes[at]["unique"] = value.Count(k.Repeats, "row repeats", "rows repeat") + " an earlier one"
	}
}

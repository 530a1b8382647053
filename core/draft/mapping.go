package draft

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"sieb/core/condition"
	"sieb/core/edit"
	"sieb/core/layout"
	"sieb/core/profile"
	"sieb/core/remedy"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/trial"
	"sieb/core/value"
)

// Mapping is a drafted mapping: how the sender of one delivery writes what a target takes,
// each part with its reason and the share of all rows that it fits.
type Mapping struct {
	Name    string
	target  *target.Target
	profile *profile.Profile
	layout  layout.Layout
	title   string
	pairs   []pair           // of the target's columns; those without a place have none
	taken   map[int]bool     // places of the delivery that feed a column
	byKey   map[string][]int // places of the delivery by their headers
	leftOut []string
	wanting bool        // a required column is not fed: what is left over may be meant for it
	tally   *sift.Tally // of the delivery, sifted by the mapping
}

// pair is a column of the target with the column of the delivery that feeds it.
type pair struct {
	place  int // of the delivery's column, -1 for none
	why    string
	value  string // the value of all rows, in place of a column; "" for none
	habits target.Column
	said   []string // of the habits, what fits how many rows
}

// sampled is how many rows decide which columns may feed which; what is chosen is then
// judged in all rows.
const sampled = 3000

// For drafts the mapping by which a delivery becomes rows of a target. The delivery is read
// a few times: for what fits, and once to tell what the mapping as a whole comes to.
func For(ctx context.Context, t *target.Target, file *source.File, name string, p *profile.Profile) (*Mapping, error) {
	t = withoutLists(t)
	m := &Mapping{Name: draftName(name), target: t, profile: p, layout: file.Layout, title: name,
		pairs: make([]pair, len(t.Columns)), taken: map[int]bool{}, byKey: map[string][]int{}}
	for i := range p.Columns {
		key := target.HeaderKey(headerOf(&p.Columns[i]))
		m.byKey[key] = append(m.byKey[key], i)
	}
	for i := range m.pairs {
		m.pairs[i].place = -1
	}
	m.pairByHeader()
	if err := m.pairByValues(ctx, file); err != nil {
		return nil, err
	}
	m.constants(name)
	if err := m.findHabits(ctx, file); err != nil {
		return nil, err
	}
	m.leaveOut()
	return m, m.prove(ctx, file)
}

// withoutLists returns a target without the code lists that are not at hand.
func withoutLists(t *target.Target) *target.Target {
	if len(t.CodeLists()) == 0 {
		return t
	}
	alone := *t
	alone.Columns = slices.Clone(t.Columns)
	for i := range alone.Columns {
		alone.Columns[i].Codes = nil
	}
	return &alone
}

// free reports whether a column of the target still looks for what feeds it.
func (m *Mapping) free(column int) bool {
	c := &m.target.Columns[column]
	return m.pairs[column].place < 0 && m.pairs[column].value == "" && c.Derive == "" && c.Value == nil
}

func (m *Mapping) isTaken(place int) bool { return m.taken[place] }

// pair lets a column of the delivery feed one of the target, for a reason.
func (m *Mapping) pair(column, place int, why string) {
	m.pairs[column].place, m.pairs[column].why, m.taken[place] = place, why, true
}

// pairByHeader pairs columns whose header is a title or the name.
func (m *Mapping) pairByHeader() {
	if !m.profile.Named {
		return
	}
	for i := range m.target.Columns {
		c := &m.target.Columns[i]
		for _, title := range append(slices.Clone(c.Titles), c.Name) {
			at := m.headed(title)
			if m.free(i) && len(at) == 1 && !m.isTaken(at[0]) {
				m.pair(i, at[0], "the same header")
			}
		}
	}
}

func (m *Mapping) headed(title string) []int { return m.byKey[target.HeaderKey(title)] }

// candidate is a pair that is thought of.
type candidate struct {
	column, place int
	share         float64 // of the values that fit
	similar       string  // why the header may stand for the column
}

// pairByValues pairs what the headers do not: by similar headers whose values fit, then by
// values that fit one column alone.
func (m *Mapping) pairByValues(ctx context.Context, file *source.File) error {
	all, err := m.candidates(ctx, file)
	if err != nil {
		return err
	}
	slices.SortStableFunc(all, func(a, b candidate) int { return -cmp.Compare(a.score(), b.score()) })
	for _, c := range all {
		if c.similar != "" && c.share >= 0.5 && m.free(c.column) && !m.isTaken(c.place) {
			m.pair(c.column, c.place, c.similar)
		}
	}
	m.onlyDates()
	for isNew := true; isNew; {
		isNew = false
		for _, i := range columnsOf(all) {
			if best, ok := m.onlyFit(all, i); ok {
				m.pair(i, best.place, "no other column's values fit so well")
				isNew = true
			}
		}
	}
	return nil
}

// onlyDates pairs the only column of dates that nothing feeds with the only one of the delivery that feeds none.
func (m *Mapping) onlyDates() {
	column, place, n := -1, -1, 0
	for i := range m.target.Columns {
		if m.target.Columns[i].Datatype.HasDay() && m.free(i) {
			column = i
			n++
		}
	}
	if n != 1 {
		return
	}
	for k := range m.profile.Columns {
		if pc := &m.profile.Columns[k]; pc.Datatype.HasDay() && pc.Filled > 0 && !m.isTaken(k) {
			place = k
			n++
		}
	}
	if n == 2 {
		m.pair(column, place, "the only dates that nothing feeds, and the only ones that feed nothing")
	}
}

// columnsOf returns the columns of some candidates, each once.
func columnsOf(all []candidate) (columns []int) {
	for _, c := range all {
		columns = append(columns, c.column)
	}
	slices.Sort(columns)
	return slices.Compact(columns)
}

func (c candidate) score() float64 {
	if c.similar != "" {
		return c.share + 1
	}
	return c.share
}

// candidates judges all pairs that are left on the first rows.
func (m *Mapping) candidates(ctx context.Context, file *source.File) (all []candidate, err error) {
	const most = 4000
	var columns []target.Column
	var left []int // places that feed no column yet
	for k := range m.profile.Columns {
		if !m.isTaken(k) && m.profile.Columns[k].Filled > 0 {
			left = append(left, k)
		}
	}
	for i := range m.target.Columns {
		if !m.free(i) {
			continue
		}
		for _, k := range left {
			if len(columns) == most {
				break
			}
			pc := &m.profile.Columns[k]
			columns = append(columns, m.habitsOf(i, k)[0])
			c := candidate{column: i, place: k}
			for _, title := range append(slices.Clone(m.target.Columns[i].Titles), m.target.Columns[i].Name) {
				if m.profile.Named && c.similar == "" {
					c.similar = target.Similar(headerOf(pc), title)
				}
			}
			all = append(all, c)
		}
	}
	if len(columns) == 0 {
		return nil, nil
	}
	fits, err := trial.Count(ctx, file, columns, sampled, nil)
	for i := range fits {
		all[i].share = fits[i].Share()
	}
	return all, err
}

// onlyFit returns the pair of a column whose values fit far better than those of all
// others that are left.
func (m *Mapping) onlyFit(all []candidate, column int) (best candidate, ok bool) {
	if !m.free(column) {
		return best, false
	}
	second, sum, n := 0.0, 0.0, 0
	for _, c := range all {
		if c.column != column {
			continue
		}
		sum += c.share
		n++
		switch {
		case m.isTaken(c.place):
		case c.share > best.share:
			second, best = best.share, c
		default:
			second = max(second, c.share)
		}
	}
	// Where nearly all columns fit, or any text does, that one fits tells nothing.
	c := &m.target.Columns[column]
	isTelling := c.Datatype != value.String || len(c.OneOf) > 0 || len(c.Formats) > 0
	return best, isTelling && best.share >= 0.9 && best.share-second >= 0.2 && (n == 1 || sum/float64(n) < 0.6)
}

// constants finds columns whose only value the delivery's name says.
func (m *Mapping) constants(name string) {
	words := strings.FieldsFunc(name, func(r rune) bool { return strings.ContainsRune("-_. ", r) })
	for i := range m.target.Columns {
		if !m.free(i) {
			continue
		}
		for _, v := range m.target.Columns[i].OneOf {
			if slices.ContainsFunc(words, func(w string) bool { return target.HeaderKey(w) == target.HeaderKey(v) }) {
				m.pairs[i].value, m.pairs[i].why = v, "the name of the file says so"
			}
		}
	}
}

// habitsOf returns the ways in which a column of the delivery may write the values of a
// column of the target, the likeliest first.
func (m *Mapping) habitsOf(column, place int) (all []target.Column) {
	c, pc := m.target.Columns[column], &m.profile.Columns[place]
	c.Titles, c.Position, c.Null = nil, place+1, slices.Clone(c.Null)
	sure, _ := pc.Missing()
	for _, v := range sure {
		if !slices.Contains(c.Null, v.Value) {
			c.Null = append(c.Null, v.Value)
		}
	}
	add := func(name string) {
		if !slices.ContainsFunc(c.Remedies, func(r remedy.Remedy) bool { return r.Name == name }) {
			c.Remedies = append(slices.Clone(c.Remedies), remedy.Remedy{Name: name})
		}
	}
	if pc.Blanks.Around.Count > 0 || pc.Blank > 0 {
		add("trim")
	}
	if pc.Blanks.Inside.Count > 0 && c.Datatype == value.String {
		add("squeeze")
	}
	switch {
	case c.Datatype.HasDay():
		return dateHabits(c, pc)
	case c.Datatype.IsNumber():
		if n := pc.Numbers; n != nil && len(c.Formats) == 0 {
			c.GroupChar, c.DecimalChar = n.GroupChar, ""
			if n.DecimalChar != "" && n.DecimalChar != c.Point() {
				c.DecimalChar = n.DecimalChar
			}
		}
		return []target.Column{c}
	case c.Datatype == value.Boolean:
		if len(pc.Pair) == 2 && (pc.Pair[0] != "true" || pc.Pair[1] != "false") {
			c.Formats = []string{pc.Pair[0] + "|" + pc.Pair[1]}
		}
		return []target.Column{c}
	}
	return textHabits(c, pc)
}

// dateHabits are the formats that the profile found, each alone and all together, those with
// day and month the other way round, and the one that the target has.
func dateHabits(c target.Column, pc *profile.Column) (all []target.Column) {
	var formats []string
	if pc.Dates != nil {
		for _, f := range pc.Dates.Formats {
			formats = append(formats, f.Format)
		}
	}
	with := func(formats ...string) {
		h := c
		h.Formats = formats
		if !slices.ContainsFunc(all, func(o target.Column) bool { return slices.Equal(o.Formats, formats) }) {
			if _, err := h.DateFormats(); err == nil {
				all = append(all, h)
			}
		}
	}
	for _, f := range formats {
		with(f)
	}
	if len(formats) > 1 {
		with(formats...)
	}
	for _, f := range formats {
		with(swapped(f))
	}
	with(c.Formats...)
	return all
}

// swapped returns a pattern with day and month in each other's place.
func swapped(pattern string) string {
	const hold = "\x00"
	if strings.Count(pattern, "d") == 0 || strings.Contains(pattern, "MMM") {
		return pattern
	}
	pattern = strings.ReplaceAll(pattern, "d", hold)
	return strings.ReplaceAll(strings.ReplaceAll(pattern, "M", "d"), hold, "M")
}

// textHabits are a text as it is, in capitals, in small letters, and recoded to the values
// of a set that it is most likely meant to be.
func textHabits(c target.Column, pc *profile.Column) []target.Column {
	all := []target.Column{c}
	if len(c.OneOf) == 0 && len(c.Formats) == 0 {
		return all
	}
	for _, name := range []string{"upper", "lower"} {
		h := c
		h.Remedies = append(slices.Clone(c.Remedies), remedy.Remedy{Name: name})
		all = append(all, h)
	}
	recode, known := map[string]string{}, 0
	for _, r := range c.Remedies { // those of the target go into the one of the mapping
		if r.Name == "recode" {
			maps.Copy(recode, r.Pairs)
		}
	}
	known = len(recode)
	for _, v := range pc.Top {
		text := strings.TrimSpace(v.Value)
		if slices.Contains(c.OneOf, text) || slices.Contains(c.Null, text) || recode[text] != "" {
			continue
		}
		for _, code := range c.OneOf {
			if target.HeaderKey(text) == target.HeaderKey(code) || isMistyped(text, code) {
				recode[text] = code
				break
			}
		}
	}
	if len(recode) > known {
		h := c
		h.Remedies = slices.DeleteFunc(slices.Clone(c.Remedies), func(r remedy.Remedy) bool { return r.Name == "recode" })
		h.Remedies = append(h.Remedies, remedy.Remedy{Name: "recode", Pairs: recode})
		all = append(all, h)
	}
	return all
}

// isMistyped reports whether a text is a code of at least five letters but for one letter.
func isMistyped(text, code string) bool {
	return len([]rune(code)) >= 5 && strings.EqualFold(text[:min(1, len(text))], code[:1]) &&
		strings.HasPrefix(target.Similar(text, code), "the spelling")
}

// findHabits judges the habits of all pairs in all rows, and takes the best of each.
func (m *Mapping) findHabits(ctx context.Context, file *source.File) error {
	var columns []target.Column
	var of []int
	for i := range m.pairs {
		if m.pairs[i].place < 0 {
			continue
		}
		for _, h := range m.habitsOf(i, m.pairs[i].place) {
			columns, of = append(columns, h), append(of, i)
		}
	}
	if len(columns) == 0 {
		return nil
	}
	fits, err := trial.Count(ctx, file, columns, 0, nil)
	if err != nil {
		return err
	}
	for from := 0; from < len(of); {
		to := from
		for to < len(of) && of[to] == of[from] {
			to++
		}
		m.choose(&m.pairs[of[from]], columns[from:to], fits[from:to])
		from = to
	}
	return nil
}

// choose takes the habits that fit most rows; of those that fit as many, the first.
func (m *Mapping) choose(p *pair, habits []target.Column, fits []trial.Fit) {
	best := 0
	for i := range fits {
		if fits[i].Fits > fits[best].Fits {
			best = i
		}
	}
	p.habits = habits[best]
	p.said = append(p.said, fmt.Sprintf("%s%s of %s", lead(&habits[best], "fits "), value.Thousands(fits[best].Fits),
		value.Thousands(fits[best].Filled)))
	isDate := habits[best].Datatype.HasDay()
	for i := range fits {
		switch {
		case i == best || fits[i].Fits == 0 || len(p.said) == 3:
		case isDate && len(habits[i].Formats) == 1:
			said := lead(&habits[i], "") + value.Thousands(fits[i].Fits)
			if fits[i].Fits == fits[best].Fits {
				said += " too: these dates do not tell which is meant"
			}
			p.said = append(p.said, said)
		case i == 0:
			p.said = append(p.said, "without it "+value.Thousands(fits[i].Fits))
		}
	}
}

// lead names the habits of a date or text before how many rows they fit.
func lead(h *target.Column, verb string) string {
	switch {
	case h.Datatype.HasDay() && len(h.Formats) > 0:
		return strings.Join(h.Formats, " or ") + " " + verb
	case slices.ContainsFunc(h.Remedies, func(r remedy.Remedy) bool { return r.Name != "trim" && r.Name != "squeeze" }):
		return h.Remedies[len(h.Remedies)-1].Name + " " + verb
	}
	return verb
}

// leaveOut names the columns of the delivery that feed none, and that no expression of the target reads.
func (m *Mapping) leaveOut() {
	read := m.readCells()
	for i := range m.target.Columns {
		if m.target.Columns[i].Required && m.free(i) {
			m.wanting = true
		}
	}
	for i := range m.profile.Columns {
		header := headerOf(&m.profile.Columns[i])
		if m.profile.Named && !m.isTaken(i) && !read[target.HeaderKey(header)] {
			m.leftOut = append(m.leftOut, header)
		}
	}
}

// readCells returns the headers, by what counts of them, whose cells expressions of the target read as
// they were delivered.
func (m *Mapping) readCells() map[string]bool {
	var texts []string
	for i := range m.target.Columns {
		texts = append(texts, m.target.Columns[i].Derive, m.target.Columns[i].RequiredWhen)
	}
	for i := range m.target.RowRules {
		texts = append(texts, m.target.RowRules[i].Condition)
	}
	for i := range m.target.Exclude {
		texts = append(texts, m.target.Exclude[i].Condition)
	}
	read, known := map[string]bool{}, target.Known(m.target.Columns)
	for _, text := range texts {
		if text == "" {
			continue
		}
		e, err := condition.Parse(text, known)
		if err != nil {
			continue // which the target tells
		}
		for _, v := range e.Variables {
			if v.Origin == condition.OfCell {
				read[target.HeaderKey(v.Name)] = true
			}
		}
	}
	return read
}

// prove sifts the delivery by the mapping, so that it says what it comes to.
func (m *Mapping) prove(ctx context.Context, file *source.File) error {
	parsed, err := target.ParseMapping(m.YAML())
	if err != nil {
		return fmt.Errorf("the drafted mapping: %w", err)
	}
	joined, err := m.target.With(parsed)
	if err != nil {
		return fmt.Errorf("the drafted mapping: %w", err)
	}
	rows, err := file.Rows(ctx)
	if err != nil {
		return err
	}
	defer source.Close(rows)
	// What it refers to is not at hand, and says nothing of how the sender writes.
	alone := *joined
	alone.ForeignKeys, alone.AbsentFrom = nil, nil
	run := sift.Run{Source: rows, Encoding: file.Layout.Encoding, Size: file.Size, Name: m.title, Target: &alone}
	result, err := run.Rehearse(ctx)
	if err != nil {
		return err
	}
	m.tally = &result.Tally
	return nil
}

// YAML writes the mapping, with a comment on each column that says from what it was drawn.
func (m *Mapping) YAML() []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, "# Drafted from %s, %s, for the target %s. Beside a column stands why.\n", oneLine(m.title),
		value.Count(m.profile.Rows, "row", "rows"), m.target.Name)
	if m.tally != nil {
		fmt.Fprintf(&b, "# By this mapping %s of %s are accepted", value.Thousands(m.tally.Accepted),
			value.Count(m.tally.Read, "row", "rows"))
		if m.tally.Excluded > 0 {
			fmt.Fprintf(&b, ", %s left out", value.Thousands(m.tally.Excluded))
		}
		b.WriteString(".\n")
	}
	fmt.Fprintf(&b, "mapping: %s\ntitle: %s\ntarget: %s\n", plainName(m.Name), edit.Quote(m.title),
		plainName(m.target.Name))
	fmt.Fprintf(&b, "layout: {%s}\n", strings.Join(settings(m.layout), ", "))
	b.WriteString("columns:\n")
	for i := range m.pairs {
		m.writePair(&b, i)
	}
	switch {
	case len(m.leftOut) == 0:
	case m.wanting:
		fmt.Fprintf(&b, "# leftOut: %s  # nothing takes their values yet, and a required column has none\n", list(m.leftOut))
	default:
		fmt.Fprintf(&b, "leftOut: %s  # nothing takes their values\n", list(m.leftOut))
	}
	return b.Bytes()
}

func (m *Mapping) writePair(b *bytes.Buffer, i int) {
	c, p := &m.target.Columns[i], &m.pairs[i]
	name := plainName(c.Name)
	if !target.IsName(c.Name) {
		name = edit.Quote(c.Name)
	}
	switch {
	case p.value != "":
		fmt.Fprintf(b, "  %s: {value: %s}  # %s\n", name, edit.Quote(p.value), p.why)
	case p.place >= 0:
		why := p.why
		if len(p.said) > 0 {
			why += "; " + strings.Join(p.said, ", ")
		}
		line := fmt.Sprintf("  %s: {%s}", name, strings.Join(m.feed(c, p), ", "))
		fmt.Fprintf(b, "%-60s  # %s\n", line, oneLine(why))
		m.writeUnknown(b, c, p)
	case c.Derive != "" || c.Value != nil:
	case c.Required:
		fmt.Fprintf(b, "  # %s: {from: \"\"}  # required, and no column fits: name the header that it comes under\n",
			name)
	default:
		fmt.Fprintf(b, "  %s: {value: \"\"}  # no column fits: it stays empty\n", name)
	}
}

// writeUnknown names values that a set does not allow, which only the steward can recode.
func (m *Mapping) writeUnknown(b *bytes.Buffer, c *target.Column, p *pair) {
	if len(c.OneOf) == 0 {
		return
	}
	var unknown, recode []string
	for _, v := range m.profile.Columns[p.place].Top {
		text := strings.TrimSpace(v.Value)
		known := slices.Contains(c.OneOf, text) || slices.Contains(p.habits.Null, v.Value)
		for _, r := range p.habits.Remedies {
			known = known || r.Name == "upper" && slices.Contains(c.OneOf, strings.ToUpper(text)) ||
				r.Name == "lower" && slices.Contains(c.OneOf, strings.ToLower(text)) || r.Pairs[text] != ""
		}
		if !known && len(unknown) < 8 {
			unknown = append(unknown, fmt.Sprintf("%s (%s)", oneLine(text), value.Thousands(v.Count)))
			recode = append(recode, edit.Quote(text)+`: ""`)
		}
	}
	if len(unknown) == 0 {
		return
	}
	fmt.Fprintf(b, "  #   not among the values allowed: %s; say what they mean, as one of %s:\n",
		strings.Join(unknown, ", "), strings.Join(c.OneOf[:min(len(c.OneOf), 12)], ", "))
	fmt.Fprintf(b, "  #   remedies: [{recode: {%s}}]\n", strings.Join(recode, ", "))
}

// feed writes what a mapping says of a pair, as far as the target does not say the same.
func (m *Mapping) feed(c *target.Column, p *pair) (parts []string) {
	if m.profile.Named && len(m.headed(headerOf(&m.profile.Columns[p.place]))) == 1 {
		parts = append(parts, "from: "+edit.Quote(headerOf(&m.profile.Columns[p.place])))
	} else {
		parts = append(parts, "position: "+strconv.Itoa(p.place+1))
	}
	h := &p.habits
	if len(h.Formats) > 0 && !slices.Equal(h.Formats, c.Formats) {
		if len(h.Formats) == 1 {
			parts = append(parts, "format: "+edit.Quote(h.Formats[0]))
		} else {
			parts = append(parts, "format: "+list(h.Formats))
		}
	}
	joined := *c
	if joined.GroupChar = h.GroupChar; joined.Point() != h.Point() {
		parts = append(parts, "decimalChar: "+edit.Quote(h.Point()))
	}
	if h.GroupChar != c.GroupChar {
		parts = append(parts, "groupChar: "+edit.Quote(h.GroupChar))
	}
	if !slices.Equal(h.Null, c.Null) {
		parts = append(parts, "null: "+list(h.Null))
	}
	if remedies(h.Remedies) != remedies(c.Remedies) {
		parts = append(parts, "remedies: "+remedies(h.Remedies))
	}
	return parts
}

// settings writes a layout as a mapping says it: what a delivery may change (its line ends, a
// byte order mark) is found in each.
func settings(l layout.Layout) (parts []string) {
	text := func(name, value string) {
		parts = append(parts, name+": "+edit.Quote(value))
	}
	number := func(name string, n, usual int) {
		if n != usual {
			parts = append(parts, name+": "+strconv.Itoa(n))
		}
	}
	parts = append(parts, "form: "+l.Form)
	if l.Form == layout.Workbook {
		text("sheet", l.Sheet)
		number("skipColumns", l.SkipColumns, 0)
		if l.Merged != "" {
			parts = append(parts, "merged: "+l.Merged)
		}
	} else {
		parts = append(parts, "encoding: "+l.Encoding)
	}
	switch l.Form {
	case layout.Delimited:
		text("delimiter", l.Delimiter)
		if l.QuoteChar != `"` {
			text("quoteChar", l.QuoteChar)
		}
		if !l.DoubleQuote && l.QuoteChar != "" {
			parts = append(parts, "doubleQuote: false")
		}
		if l.Trim {
			parts = append(parts, "trim: true")
		}
		if l.ClosingDelimiter {
			parts = append(parts, "closingDelimiter: true")
		}
		number("fold", l.Fold, 0)
	case layout.Fixed:
		var cuts []string
		for _, c := range l.Cuts {
			cuts = append(cuts, strconv.Itoa(c))
		}
		parts = append(parts, "cuts: ["+strings.Join(cuts, ", ")+"]")
	}
	if l.CommentPrefix != "" {
		text("commentPrefix", l.CommentPrefix)
	}
	number("skipRows", l.SkipRows, 0)
	number("headerRows", l.HeaderRows, -1)
	if l.HeaderRows > 1 {
		parts = append(parts, "headerNames: "+l.HeaderNames)
	}
	number("footerRows", l.FooterRows, 0)
	return parts
}

// Pairs returns the headers of the delivery by the columns that they feed.
func (m *Mapping) Pairs() map[string]string {
	all := map[string]string{}
	for i := range m.pairs {
		if p := m.pairs[i].place; p >= 0 {
			all[m.target.Columns[i].Name] = headerOf(&m.profile.Columns[p])
		}
	}
	return all
}

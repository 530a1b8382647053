package suggest

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"sieb/core/codes"
	"sieb/core/edit"
	"sieb/core/lexical"
	"sieb/core/remedy"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/trial"
	"sieb/core/value"
	"sieb/core/variants"
	"sieb/core/violation"
	"sieb/core/workbook"
)

// builder collects suggestions.
type builder struct {
	*Work
	target *target.Target // by the texts
	asked  Asked
	known  map[string]bool
	all    []Suggestion
	looks  []look         // at the delivery's columns, once they were asked for
	noRow  map[int64]bool // rows that are known to be none
}

// cure is a suggestion for cells of a column, which its values tell whether it helps.
type cure struct {
	Suggestion
	only  []string // the values that it is for; nil for all
	loses bool     // something of the values
}

// doubt notes that a cure reads a value in one way, and another cure otherwise.
func (c *cure) doubt(text, as, or string) {
	if c.Doubt == "" {
		c.Doubt = fmt.Sprintf("%s is %s by it, and may as well be %s", quoted(text), as, or)
	}
}

// group is the values of a column that break one rule.
type group struct {
	*sift.Broken
	column *target.Column
	values []sift.Offender // the most frequent first
	tries  []cure
	like   likes // of the values that break no rule; nil where they were not looked at
	b      *builder
}

// columns looks for cures of the values that break rules of columns.
func (b *builder) columns(ctx context.Context) error {
	groups := 0
	for k := range b.Account.Broken {
		g := &b.Account.Broken[k]
		c := b.target.Column(g.Column)
		if !g.Action.RejectsRow() || c == nil || b.asked.Column != "" && b.asked.Column != g.Column {
			continue
		}
		if groups++; groups > mostGroups {
			break
		}
		of := &group{Broken: g, column: c, b: b, values: slices.Clone(g.Values)}
		slices.SortStableFunc(of.values, func(x, y sift.Offender) int { return int(y.Count - x.Count) })
		of.values = of.values[:min(len(of.values), probed)]
		if err := of.propose(ctx); err != nil {
			return err
		}
		if err := of.settle(ctx); err != nil {
			return err
		}
	}
	return nil
}

// propose thinks of cures for a group, the likeliest first.
func (g *group) propose(ctx context.Context) error {
	code := g.Code
	switch code {
	case violation.KeyDuplicate, violation.ReferenceMissing, violation.ReferencePresent:
		return nil
	case violation.RequiredEmpty:
		if 5*g.Rows >= g.b.Account.Rows { // what is empty now and then is missing, and not meant to be as above
			of, err := g.look(ctx)
			if err != nil {
				return err
			}
			g.offer("remedy", "take what stands in the last filled cell above (carryDown)", nil, g.remedy("carryDown"))
			if of == nil || of.same > 0 || of.empty < of.filled {
				g.tries[len(g.tries)-1].Doubt = "an empty cell may as well be a missing value: what stands above is not " +
					"written once for all rows of a group only"
			}
		}
		g.weaken("optional", "let the column be empty", g.demand(edit.Drop, nil, "required"))
		return nil
	}
	if slices.ContainsFunc(g.values, func(v sift.Offender) bool { return strings.ContainsAny(v.Value, "0123456789") }) &&
		!isRange(code) {
		of, err := g.likes(ctx)
		if err != nil {
			return err
		}
		g.like = of
		g.letters(of)
		if g.column.Datatype.IsText() {
			g.marks(of)
		}
	}
	g.formats()
	g.units()
	g.remedies()
	g.trials()
	g.sets()
	g.limits()
	g.missing()
	what := wrongWords[code.Class()]
	switch code {
	case violation.RangeLow:
		what = "what is below the minimum"
	case violation.RangeHigh:
		what = "what is above the maximum"
	}
	g.weaken("blank", "blank "+what+" instead of rejecting the row", g.demand(edit.Set, "blank", "onViolation",
		code.String()))
	return nil
}

// isRange reports whether a value that breaks the rule is written as it is meant to be.
func isRange(c violation.Code) bool {
	return c.Class() == "range" || c == violation.NumberPrecision || c == violation.NumberScale || c.Class() == "order"
}

// wrongWords name the cells that break a rule of a class.
var wrongWords = map[string]string{"type": "what is not of the datatype", "date": "what is no such date",
	"length": "what has another length", "pattern": "what is not of the form",
	"set": "what is not allowed", "encoding": "what cannot be decoded", "order": "what is out of order",
	"reference": "what is not in the list", "quoting": "what is quoted wrongly"}

// one returns the values that are looked at one by one.
func (g *group) one() (values []sift.Offender) {
	for _, v := range g.values {
		switch {
		case v.Value == "" || len(v.Value) >= 1000: // those are cut
		case g.b.asked.Values != nil && !slices.Contains(g.b.asked.Values, v.Value):
		case len(values) == mostValues && g.b.asked.Values == nil:
		default:
			values = append(values, v)
		}
	}
	return values
}

// habit makes a step in what is said of how the sender writes the column.
func (g *group) habit(do string, v any, path ...string) edit.Step {
	return g.b.habit(g.column, do, v, path...)
}

// habit makes a step in the mapping, or in the target where there is none.
func (b *builder) habit(c *target.Column, do string, v any, path ...string) edit.Step {
	return edit.Step{In: b.sender(), Do: do, Path: append([]string{"columns", c.Name}, path...), Value: v}
}

// demand makes a step in what the table demands of the column.
func (g *group) demand(do string, v any, path ...string) edit.Step {
	return demand(g.column, do, v, path...)
}

// demand makes a step in what the table demands of a column.
func demand(c *target.Column, do string, v any, path ...string) edit.Step {
	return edit.Step{In: edit.Target, Do: do, Path: append([]string{"columns", c.Name}, path...), Value: v}
}

// remedy makes the step that adds a remedy to those of the column.
func (g *group) remedy(r any) edit.Step { return g.b.remedy(g.column, r) }

// remedy makes the step that adds a remedy to those of a column.
func (b *builder) remedy(c *target.Column, r any) edit.Step {
	s := b.habit(c, edit.Add, r, "remedies")
	s.Base = remediesOf(c)
	return s
}

// remediesOf returns a column's remedies as a text of a mapping has them.
func remediesOf(c *target.Column) (all []any) {
	for i := range c.Remedies {
		var one any
		if view, err := edit.View([]byte("remedies: [" + c.Remedies[i].String() + "]")); err == nil {
			one = view.(map[string]any)["remedies"].([]any)[0]
		}
		all = append(all, one)
	}
	return all
}

// offer proposes a cure for values, or for all where there are none.
func (g *group) offer(kind, words string, values []string, steps ...edit.Step) {
	g.tries = append(g.tries, cure{Suggestion: Suggestion{Kind: kind, Column: g.Column, Code: g.Code.String(),
		Words: words, Steps: steps}, only: values})
}

// lose proposes a cure that costs something of the values; what, is told once it is known which ones it mends.
func (g *group) lose(kind, words string, values []string, steps ...edit.Step) {
	g.offer(kind, words, values, steps...)
	g.tries[len(g.tries)-1].loses = true
}

// weaken proposes to demand less.
func (g *group) weaken(kind, words string, steps ...edit.Step) {
	g.offer(kind, words, nil, steps...)
	g.tries[len(g.tries)-1].Weakens = true
}

// cleaned returns a value as the column's remedies leave it.
func (g *group) cleaned(v string) string { return g.b.cleaned(g.column, v) }

// cleaned returns a value as the remedies of a column leave it.
func (b *builder) cleaned(c *target.Column, v string) string {
	text, _ := b.applied(c, v)
	return text
}

// applied returns a value as the remedies of a column leave it, and what kind of value they made of it.
func (b *builder) applied(c *target.Column, v string) (string, workbook.Kind) {
	of, err := c.Cleaned()
	if err != nil {
		return v, workbook.Text
	}
	of.Codes = b.Lists
	chain, err := remedy.NewChain(c.Remedies, of, func(cell []byte) bool {
		return slices.Contains(c.Null, string(cell))
	})
	if err != nil {
		return v, workbook.Text
	}
	out, _, kind, _ := chain.Apply([]byte(v), workbook.Text)
	return string(out), kind
}

// reads returns a value as a column reads it, in canonical form; "" where it does not.
func (b *builder) reads(c *target.Column, v string) string {
	text, kind := b.applied(c, v)
	plain := *c
	if plain.Remedies = nil; kind != workbook.Text { // it is written plainly by now
		plain.DecimalChar, plain.GroupChar, plain.Formats = "", "", nil
	}
	of := group{column: &plain, b: b}
	read, _ := of.canonical(text)
	return read
}

// formats proposes other ways to read the values.
func (g *group) formats() {
	c := g.column
	switch d := c.Datatype; {
	case d.HasDay() && (g.Code.Class() == "date"):
		formats := c.Formats
		if len(formats) == 0 {
			formats = []string{map[bool]string{true: "yyyy-MM-dd", false: "yyyy-MM-ddTHH:mm:ss"}[d == value.Date]}
		}
		for _, p := range datePatterns {
			for _, clock := range clocks[d] {
				if f := p + clock; !slices.Contains(formats, f) {
					g.offer("format", "also accept the format "+f, nil, g.habit(edit.Set, append(slices.Clone(formats), f),
						"format"))
				}
			}
		}
		g.offer("remedy", "read spreadsheets' day numbers as dates (serial)", nil, g.remedy("serial"))
	case d.IsNumber() && g.Code.Class() == "type":
		for _, signs := range [][2]string{{".", ""}, {",", ""}, {",", "."}, {".", ","}, {",", " "}, {".", "'"}} {
			if signs[0] == c.Point() && signs[1] == c.GroupChar {
				continue
			}
			words := "read numbers with a decimal " + signWords[signs[0]]
			steps := []edit.Step{g.habit(edit.Set, signs[0], "decimalChar")}
			if signs[1] != "" {
				words += " and " + signWords[signs[1]] + " between thousands"
				steps = append(steps, g.habit(edit.Set, signs[1], "groupChar"))
			} else if c.GroupChar != "" {
				steps = append(steps, g.habit(edit.Set, "", "groupChar"))
			}
			g.offer("format", words, nil, steps...)
		}
		g.offer("remedy", "read numbers however they are written (number)", nil, g.remedy("number"))
	case d == value.Boolean:
		g.offer("remedy", "read yes and no however they are written (boolean)", nil,
			g.remedy(map[string]any{"boolean": truths}))
	}
}

// truths are the texts for true and for false that are common in English, German and French.
var truths = []any{"yes|no", "y|n", "true|false", "t|f", "1|0", "ja|nein", "j|n", "wahr|falsch", "oui|non", "o|n"}

var clocks = map[value.Datatype][]string{value.Date: {""}, value.DateTime: {" HH:mm", " HH:mm:ss", "THH:mm:ss",
	"THH:mm:ssX"}}

var signWords = map[string]string{".": "point", ",": "comma", " ": "blanks", "'": "apostrophes"}

// units proposes to take off what stands behind numbers, such as a unit: with a blank before it, or one that is known,
// or any in a column that has digits after the point. A letter that looks like a digit is none of these by itself.
func (g *group) units() {
	if !g.column.Datatype.IsNumber() || g.Code.Class() != "type" {
		return
	}
	behind := map[string]int64{}
	different := map[string]bool{}
	for _, v := range g.values {
		text := strings.TrimRight(v.Value, " ")
		unit := strings.TrimLeft(text, numeric)
		if unit == "" || len(unit) == len(text) || len([]rune(unit)) > mostUnit || strings.ContainsAny(unit, "0123456789") {
			continue
		}
		number := strings.TrimRight(text[:len(text)-len(unit)], " \u00a0\u202f")
		first, size := utf8.DecodeRuneInString(unit)
		isApart := len(number)+len(unit) < len(text)
		isLetter := size == len(unit) && lookAlikes[first] != ""
		if isApart || knownUnits[strings.ToLower(unit)] || g.column.Datatype != value.Integer && !isLetter {
			behind[text[len(number):]] += v.Count
			different[unitOf(text)] = true
		}
	}
	units := slices.SortedFunc(maps.Keys(behind), func(a, b string) int {
		return cmp.Or(cmp.Compare(behind[b], behind[a]), strings.Compare(a, b))
	})
	for _, unit := range units[:min(len(units), mostUnits)] {
		g.offer("remedy", "take off "+quoted(unit)+" (replace)", nil, g.remedy(map[string]any{"replace": map[string]any{
			"find": unit, "with": ""}}))
		g.tries[len(g.tries)-1].Doubt = g.unitsDiffer(different)
	}
}

// numeric are the characters that numbers are written with.
const numeric = "+-0123456789.,'() \u00a0\u202f"

// unitOf returns what stands around a number, in small letters.
func unitOf(text string) string { return strings.ToLower(strings.Trim(text, numeric)) }

// unitsDiffer says that numbers count differently: by the units that stand with them, or by one that is not the
// column's; "" where they do not.
func (g *group) unitsDiffer(units map[string]bool) string {
	all := slices.DeleteFunc(slices.Sorted(maps.Keys(units)), func(u string) bool { return u == "" })
	switch len(all) {
	case 0:
		return ""
	case 1:
		if own := g.unit(); own != "" && own != all[0] && knownUnits[all[0]] {
			return fmt.Sprintf("%s stands behind the numbers, and the column is of %s", quoted(all[0]), own)
		}
		return ""
	}
	return fmt.Sprintf("%s and %s stand with the numbers, which may count differently", quoted(all[0]), quoted(all[1]))
}

// unit returns the unit that the column's name or the header ends with; "" for none.
func (g *group) unit() string {
	for _, name := range append([]string{g.column.Name, g.header()}, g.column.Titles...) {
		words := strings.FieldsFunc(strings.ToLower(name), func(r rune) bool {
			return r != '€' && r != '$' && r != '%' && r != '°' && !unicode.IsLetter(r)
		})
		if len(words) > 1 && knownUnits[words[len(words)-1]] {
			return words[len(words)-1]
		}
	}
	return ""
}

// knownUnits are units in small letters, which may stand right behind a number.
var knownUnits = func() map[string]bool {
	known := map[string]bool{}
	for _, unit := range strings.Fields("mg g kg dt t kt lb lbs oz mm cm dm m km m² m2 qm m³ m3 cbm fm rm a ha km² " +
		"ml cl dl l hl % ‰ ppm °c °f ° k € $ £ eur usd gbp chf pln czk sek dkk nok s sec min h std d w kw mw kwh mwh v " +
		"hz bar mbar pa hpa kpa pcs pc stk st stück g/l mg/l kg/l kg/ha dt/ha t/ha kg/hl mg/kg g/kg km/h m/s €/t €/dt €/kg") {
		known[unit] = true
	}
	return known
}()

const (
	mostUnit  = 8 // characters of a unit
	mostUnits = 3
)

// header returns the header of the delivery's column that feeds the group's; "" where none does.
func (g *group) header() string { return headerOf(g.b.Result, g.Column) }

// trials proposes to leave out rows whose value says that they are trials: TEST17 where a number is wanted.
func (g *group) trials() {
	header := g.header()
	if header == "" {
		return
	}
	seen := map[string]bool{}
	for _, v := range g.one() {
		word := v.Value[:len(v.Value)-len(strings.TrimLeftFunc(v.Value, unicode.IsLetter))]
		if !slices.Contains(trials, strings.ToLower(word)) || seen[word] {
			continue
		}
		seen[word] = true
		g.offer("exclude", fmt.Sprintf("leave out rows in which %s begins with %s", header, word), nil,
			g.b.exclusion(fmt.Sprintf("cell(%s).startsWith(%s)", strconv.Quote(header), strconv.Quote(word)),
				header+" begins with "+word))
		last := &g.tries[len(g.tries)-1]
		for _, o := range g.values {
			if strings.HasPrefix(o.Value, word) {
				last.Values, last.Cells = append(last.Values, o.Value), last.Cells+o.Count
			}
		}
	}
}

// remedies proposes what cleans texts of all kinds.
func (g *group) remedies() {
	if g.Code.Class() == "range" || g.Code == violation.NumberPrecision {
		return
	}
	for _, spec := range remedy.Specs() {
		has := slices.ContainsFunc(g.column.Remedies, func(r remedy.Remedy) bool { return r.Name == spec.Name })
		if spec.Cure != "" && !has {
			g.offer("remedy", cureWords(&spec), nil, g.remedy(spec.Name))
		}
	}
	switch {
	case g.Code == violation.TextShort || g.Code == violation.TextFormat:
		for _, n := range digitsOf(g.column) {
			g.offer("remedy", fmt.Sprintf("put zeros before it, up to %d characters (pad)", n), nil,
				g.remedy(map[string]any{"pad": json.Number(strconv.Itoa(n))}))
		}
	case g.Code == violation.TextLong && g.column.MaxLength != nil:
		n := *g.column.MaxLength
		g.lose("remedy", fmt.Sprintf("keep the first %d characters (cut)", n), nil,
			g.remedy(map[string]any{"cut": json.Number(strconv.Itoa(n))}))
	}
}

// cureWords says what a remedy without parameters does as a cure.
func cureWords(r *remedy.Spec) string { return fmt.Sprintf("%s (%s)", r.Cure, r.Name) }

// digitsOf returns how many digits texts of a column may be meant to have.
func digitsOf(c *target.Column) (all []int) {
	if c.MinLength != nil {
		all = append(all, *c.MinLength)
	}
	for n := 2; n <= 14 && len(c.Formats) == 1; n++ {
		if strings.Contains(c.Formats[0], fmt.Sprintf("[0-9]{%d}", n)) || strings.Contains(c.Formats[0],
			fmt.Sprintf(`\d{%d}`, n)) {
			all = append(all, n)
		}
	}
	return slices.Compact(all)
}

// sets proposes the values of a set that are likely meant, and to allow more of them.
func (g *group) sets() {
	if g.Code != violation.ValueUnknown && g.Code != violation.CodeUnknown {
		return
	}
	allowed, isOwn := g.column.OneOf, true
	if g.column.Codes != nil {
		isOwn = false
		if l := codes.Named(g.b.Lists, g.column.Codes.Name); l != nil {
			for _, c := range l.Codes {
				allowed = append(allowed, c.Code)
				if c.Label != "" {
					allowed = append(allowed, c.Label)
				}
			}
		}
		g.offer("remedy", "take the code that a label stands for (translate)", nil,
			g.remedy(map[string]any{"translate": map[string]any{"codes": g.column.Codes.Name, "to": "code"}}))
	}
	if len(allowed) > 5000 {
		allowed = nil
	}
	recode := map[string]any{}
	var recoded []string
	for _, v := range g.one() {
		text := g.cleaned(v.Value)
		if meant := likeliest(text, allowed, g.b.meantBy(g.column)); meant != "" {
			g.offer("recode", fmt.Sprintf("recode %s to %s", quoted(text), quoted(meant)), []string{v.Value},
				g.remedy(map[string]any{"recode": map[string]any{text: meant}}))
			recode[text] = meant
			recoded = append(recoded, v.Value)
		}
		if isOwn && !lexical.IsPlaceholder([]byte(text)) {
			g.offer("allow", "allow "+quoted(text), []string{v.Value}, g.demand(edit.Add, text, "oneOf"))
			g.tries[len(g.tries)-1].Weakens = true
		}
	}
	if len(recoded) > 1 {
		g.offer("recode", fmt.Sprintf("recode %d values to those that they likely mean", len(recoded)), recoded,
			g.remedy(map[string]any{"recode": recode}))
	}
}

// meantBy returns what recodes of the column make of its values already.
func (b *builder) meantBy(c *target.Column) map[string]string {
	pairs := map[string]string{}
	for i := range c.Remedies {
		for from, to := range c.Remedies[i].Pairs {
			pairs[from] = to
		}
	}
	return pairs
}

// likeliest returns the allowed value that a text is likely meant to be; "" for none. What
// other texts are recoded to helps: Weizn is wheat where Weizen is.
func likeliest(text string, allowed []string, pairs map[string]string) string {
	key := target.HeaderKey(text)
	if key == "" || lexical.IsPlaceholder([]byte(text)) {
		return ""
	}
	best, distance := "", max(1, len([]rune(key))/4)+1
	see := func(candidate, meant string) {
		d := 0
		if k := target.HeaderKey(candidate); k != key {
			if len([]rune(key)) < 4 || isDigits(key) {
				return // one sign more or less is another code
			}
			if d = target.Distance(key, k, distance); d == 0 {
				d = 1
			}
		}
		if d < distance {
			best, distance = meant, d
		}
	}
	for _, a := range allowed {
		see(a, a)
	}
	for from, to := range pairs {
		if slices.Contains(allowed, to) {
			see(from, to)
		}
	}
	if best == text {
		return ""
	}
	return best
}

func isDigits(text string) bool {
	return strings.IndexFunc(text, func(r rune) bool { return !unicode.IsDigit(r) }) < 0
}

// limits proposes limits that the values keep, and to round what has too many digits.
func (g *group) limits() {
	c := g.column
	count := func(n int) json.Number { return json.Number(strconv.Itoa(n)) }
	switch g.Code {
	case violation.RangeHigh, violation.RangeLow:
		property, words, sign := "maximum", "raise the maximum to ", 1
		if g.Code == violation.RangeLow {
			property, words, sign = "minimum", "lower the minimum to ", -1
		}
		var limits []limit
		values := g.Values // all, so that the limit lets all pass
		if g.b.asked.Values != nil {
			values = g.one()
		}
		for _, v := range values {
			if text, ok := g.canonical(v.Value); ok {
				limits = append(limits, limit{text, v.Value, v.Count})
			}
		}
		slices.SortStableFunc(limits, func(a, b limit) int { return compare(c, a.text, b.text) * sign })
		g.limit(words, property, limits)
	case violation.NumberScale:
		if c.Scale != nil {
			words := "round to " + digits(*c.Scale) + " after the point"
			g.lose("round", words, nil, g.remedy(map[string]any{"round": count(*c.Scale)}))
			most := *c.Scale
			for _, v := range g.values {
				if n, ok := g.number(v.Value); ok {
					most = max(most, n.FractionDigits())
				}
			}
			g.weaken("limit", "allow "+digits(most)+" after the point",
				g.demand(edit.Set, count(most), "scale"), g.demand(edit.Set, count(*c.Precision+most-*c.Scale), "precision"))
		}
	case violation.NumberPrecision:
		if c.Precision != nil {
			most, scale := *c.Precision, 0
			if c.Scale != nil {
				scale = *c.Scale
			}
			for _, v := range g.values {
				if n, ok := g.number(v.Value); ok {
					most = max(most, n.IntegerDigits()+scale)
				}
			}
			g.weaken("limit", "allow "+digits(most), g.demand(edit.Set, count(most), "precision"))
		}
	case violation.TextLong, violation.TextShort:
		property, length := "maxLength", 0
		for i, v := range g.values {
			n := len([]rune(g.cleaned(v.Value)))
			if g.Code == violation.TextShort {
				if property = "minLength"; i == 0 || n < length {
					length = n
				}
			} else {
				length = max(length, n)
			}
		}
		words := fmt.Sprintf("allow up to %d characters", length)
		if g.Code == violation.TextShort {
			words = fmt.Sprintf("allow %d characters and more", length)
		}
		g.weaken("limit", words, g.demand(edit.Set, count(length), property))
	}
}

// limit is a value beyond a limit: as the column has it, as it is written, and how often it occurs.
type limit struct {
	text, value string
	count       int64
}

// mostChoices is how many limits are proposed beside the one that lets all values pass.
const mostChoices = 4

// limit proposes one change of a limit: to where it lets pass all values, the nearest of which stand first, with some
// nearer limits to choose from.
func (g *group) limit(words, property string, limits []limit) {
	if len(limits) == 0 {
		return
	}
	c := g.column
	step := func(text string) edit.Step { return g.demand(edit.Set, scalar(c, text), property) }
	last := limits[len(limits)-1]
	g.weaken("limit", words+last.text, step(last.text))
	var all, upTo int64
	for _, l := range limits {
		all += l.count
	}
	one := &g.tries[len(g.tries)-1]
	for i, l := range limits {
		upTo += l.count
		isNext := i+1 < len(limits) && limits[i+1].text != l.text
		if part := int64(len(one.Choices)+1) * all / (mostChoices + 1); isNext && l.text != last.text && upTo >= part &&
			len(one.Choices) < mostChoices {
			one.Choices = append(one.Choices, Choice{Value: l.text, Words: words + l.text, Steps: []edit.Step{step(l.text)},
				Cells: upTo})
		}
	}
}

func digits(n int) string {
	if n == 1 {
		return "1 digit"
	}
	return fmt.Sprintf("%d digits", n)
}

// scalar makes the value of a limit, as a target writes it.
func scalar(c *target.Column, text string) any {
	if c.Datatype.IsNumber() {
		return json.Number(text)
	}
	return text
}

// number reads a value of a column of numbers.
func (g *group) number(v string) (n value.Number, ok bool) {
	f, err := g.column.NumberFormat()
	if err != nil || !g.column.Datatype.IsNumber() {
		return n, false
	}
	ok = f.Parse([]byte(g.cleaned(v)), &n)
	return n, ok
}

// canonical reads a value as the column has it, in canonical form.
func (g *group) canonical(v string) (string, bool) {
	d := g.column.Datatype
	if d.IsNumber() {
		n, ok := g.number(v)
		return string(n.Canonical()), ok && d != value.Double
	}
	formats, err := g.column.DateFormats()
	if err != nil || !d.HasDay() {
		return "", false
	}
	for _, f := range formats {
		var t value.Instant
		if f.Parse([]byte(g.cleaned(v)), &t) == value.Matches {
			if d == value.Date {
				return string(t.AppendDate(nil)), true
			}
			return string(t.AppendDateTime(nil)), true
		}
	}
	return "", false
}

// compare compares two values in canonical form.
func compare(c *target.Column, a, b string) int {
	if !c.Datatype.IsNumber() {
		return strings.Compare(a, b)
	}
	var x, y value.Number
	f, err := value.NewNumberFormat(".", "", "")
	if err == nil && f.Parse([]byte(a), &x) && f.Parse([]byte(b), &y) {
		return x.Compare(&y)
	}
	return 0
}

// missing proposes to take values for none.
func (g *group) missing() {
	if g.column.Required {
		return
	}
	var words []any
	var values []string
	for _, v := range g.one() {
		if g.b.isNoRow(v) {
			continue
		}
		text := g.cleaned(v.Value)
		isPlaceholder := lexical.IsPlaceholder([]byte(text))
		d := g.column.Datatype
		isWord := (d.IsNumber() || d.IsMoment()) && !strings.ContainsAny(text, "0123456789")
		if !isPlaceholder && !isWord {
			continue
		}
		s := g.habit(edit.Add, text, "null")
		s.Base = anyOf(g.column.Null)
		g.lose("missing", "treat "+quoted(text)+" as missing", []string{v.Value}, s)
		if isPlaceholder && len(words) < 90 {
			words, values = append(words, text), append(values, v.Value)
		}
	}
	if len(words) < 2 {
		return
	}
	g.lose("missing", fmt.Sprintf("treat %s as missing", listed(values)), values,
		g.habit(edit.Set, append(anyOf(g.column.Null), words...), "null"))
}

func anyOf(texts []string) (all []any) {
	for _, t := range texts {
		all = append(all, t)
	}
	return all
}

// quoted names a value in a sentence.
func quoted(text string) string {
	if r := []rune(text); len(r) > 40 {
		text = string(r[:40]) + "…"
	}
	return "“" + text + "”"
}

// listed names some values in a sentence.
func listed(values []string) string {
	const most = 3
	var parts []string
	for _, v := range values[:min(len(values), most)] {
		parts = append(parts, quoted(v))
	}
	if n := len(values) - most; n > 0 {
		return strings.Join(parts, ", ") + fmt.Sprintf(" and %d more", n)
	}
	last := len(parts) - 1
	if last == 0 {
		return parts[0]
	}
	return strings.Join(parts[:last], ", ") + " and " + parts[last]
}

// settle keeps the cures that help: whose change makes a target, and lets values pass that did not.
func (g *group) settle(ctx context.Context) error {
	var specs []target.Column
	var able []*cure
	for i := range g.tries {
		c := &g.tries[i]
		if spec := g.b.after(c.Steps, g.Column); spec != nil {
			specs, able = append(specs, *spec), append(able, c)
		}
	}
	if len(able) == 0 {
		return nil
	}
	texts := make([]string, len(g.values))
	for i, v := range g.values {
		texts[i] = v.Value
	}
	rejects, err := trial.Values(ctx, append(specs, *g.column), texts, g.b.Lists)
	if err != nil {
		return err
	}
	before := rejects[len(able)]
	g.doubts(able, specs, before, rejects)
	for i, c := range able {
		if c.Kind == "exclude" {
			g.b.add(c.Suggestion)
			continue
		}
		var mended []sift.Offender
		for k, v := range g.values {
			if (before[k] || isOfRows(g.Code)) && !rejects[i][k] && (c.only == nil || slices.Contains(c.only, v.Value)) {
				mended = append(mended, v)
				c.Cells += v.Count
				if c.only != nil {
					c.Values = append(c.Values, v.Value)
				}
			}
		}
		g.tellLoss(c, &specs[i], mended)
		if c.Cells == 0 && !isOfRows(g.Code) {
			continue
		}
		if c.only == nil {
			c.Values = g.mended(before, rejects[i])
		}
		if isOfRows(g.Code) {
			c.Values, c.Cells = nil, g.Rows
		}
		g.b.add(c.Suggestion)
	}
	return nil
}

// doubts says of cures that read values where others read the same values otherwise, and nothing tells which is right:
// 1,234 is a thousand or one and a bit, 06/07 in June or in July. What reads more values than another, and those as
// well, is right against it; so is one habit for all values against a reading of each by itself.
func (g *group) doubts(able []*cure, specs []target.Column, before []bool, rejects [][]bool) {
	type reading struct {
		of      *cure
		mends   []string // the values in canonical form; "" for those that it does not mend
		isHabit bool
	}
	var all []reading
	for i, c := range able {
		isRead := c.Kind == "format" || c.Kind == "remedy" && slices.ContainsFunc([]string{"(number)", "(serial)"},
			func(name string) bool { return strings.HasSuffix(c.Words, name) })
		if !isRead || !g.column.Datatype.IsNumber() && !g.column.Datatype.HasDay() {
			continue
		}
		r := reading{of: c, mends: make([]string, len(g.values)), isHabit: c.Kind == "format"}
		n := 0
		for k, v := range g.values {
			if before[k] && !rejects[i][k] {
				r.mends[k] = g.b.reads(&specs[i], v.Value)
				n++
			}
		}
		if n > 0 {
			all = append(all, r)
		}
	}
	for i := range all {
		for k := range all[:i] {
			x, y := &all[i], &all[k]
			at, moreX, moreY := -1, x.isHabit && !y.isHabit, y.isHabit && !x.isHabit
			for n := range x.mends {
				switch {
				case x.mends[n] != "" && y.mends[n] != "" && compare(g.column, x.mends[n], y.mends[n]) != 0:
					at = n
				case x.mends[n] != "" && y.mends[n] == "":
					moreX = true
				case x.mends[n] == "" && y.mends[n] != "":
					moreY = true
				}
			}
			if at < 0 {
				continue
			}
			if moreX == moreY || moreY {
				x.of.doubt(g.values[at].Value, x.mends[at], y.mends[at])
			}
			if moreX == moreY || moreX {
				y.of.doubt(g.values[at].Value, y.mends[at], x.mends[at])
			}
		}
	}
}

// tellLoss says what a cure costs of the values that it mends, with examples: what is made missing, what is cut off. A
// value that becomes shorter than all others, which have one length, is told too, since it may have lost a sign that
// was meant.
func (g *group) tellLoss(c *cure, spec *target.Column, mended []sift.Offender) {
	if !c.loses && (c.Kind != "remedy" || c.Weakens) {
		return
	}
	length := g.like.length()
	if slices.ContainsFunc(c.Steps, func(s edit.Step) bool { return s.Value == "number" }) {
		units := map[string]bool{}
		for _, v := range mended {
			units[unitOf(v.Value)] = true
		}
		c.Doubt = cmp.Or(c.Doubt, g.unitsDiffer(units))
	}
	var told []string
	for _, v := range mended {
		to := g.b.cleaned(spec, v.Value)
		switch {
		case len(told) == examples:
		case c.Kind == "missing":
			told = append(told, fmt.Sprintf("%s becomes empty", quoted(v.Value)))
		case c.loses:
			told = append(told, fmt.Sprintf("%s becomes %s", quoted(v.Value), quoted(to)))
		case length > 0 && utf8.RuneCountInString(to) < length && utf8.RuneCountInString(v.Value) >= length:
			told = append(told, fmt.Sprintf("%s becomes %s, shorter than all others", quoted(v.Value), quoted(to)))
		}
	}
	c.Loses = strings.Join(told, "; ")
}

// isOfRows reports whether a violation shows only beside other rows, so that its value alone
// does not tell whether a cure helps.
func isOfRows(c violation.Code) bool {
	return c == violation.KeyDuplicate || c == violation.RequiredEmpty
}

// mended returns the values that pass with a cure for all; nil where all of them do, and they are many.
func (g *group) mended(before, after []bool) (values []string) {
	all := g.Others == 0 && len(g.values) == len(g.Broken.Values)
	for k, v := range g.values {
		if before[k] && !after[k] {
			values = append(values, v.Value)
		} else {
			all = false
		}
	}
	if all && len(values) > mostNamed {
		return nil
	}
	return values
}

// mostNamed is how many values a suggestion names that mends all.
const mostNamed = 100

// add keeps a suggestion that is not there yet.
func (b *builder) add(s Suggestion) {
	if s.ID = idOf(s.Steps); b.known[s.ID] {
		return
	}
	b.known[s.ID] = true
	if s.Changes = edit.Target; s.Steps[0].In == edit.Mapping {
		s.Changes = edit.Mapping
	}
	b.all = append(b.all, s)
}

// after returns a column of the target as steps leave it; nil where they leave no target.
func (b *builder) after(steps []edit.Step, column string) *target.Column {
	texts, err := b.With(steps)
	if err != nil {
		return nil
	}
	t, err := texts.Parse()
	if err != nil {
		return nil
	}
	return t.Column(column)
}

// repeated proposes which of the rows that share a key to keep.
func (b *builder) repeated() {
	for k := range b.Account.Broken {
		g := &b.Account.Broken[k]
		if g.Code == violation.KeyDuplicate && g.Action.RejectsRow() && (b.asked.Column == "" || b.asked.Column == g.Column) {
			b.try(Suggestion{Kind: "keep", Column: g.Column, Code: g.Code.String(), Cells: g.Rows, Weakens: true,
				Words: "of rows that share a key, keep the last instead of the first",
				Steps: []edit.Step{{In: edit.Target, Do: edit.Set, Path: []string{"repeated", "keep"}, Value: "last"}}})
		}
	}
}

// try keeps a suggestion whose change makes a target.
func (b *builder) try(s Suggestion) {
	texts, err := b.With(s.Steps)
	if err != nil {
		return
	}
	if _, err := texts.Parse(); err == nil {
		b.add(s)
	}
}

// spellings proposes to recode what is likely the same, in columns whose texts recur.
func (b *builder) spellings(ctx context.Context) error {
	if b.File == nil {
		return nil
	}
	var names []string
	if b.asked.Column != "" {
		names = []string{b.asked.Column}
	}
	found, err := b.Work.spellings(ctx, names, true)
	if err != nil {
		return err
	}
	for _, s := range found {
		var cells int64
		var others []string
		var families []variants.Family
		for _, g := range s.Families {
			if g.Others = g.Likely(); len(g.Others) > 0 {
				families = append(families, g)
			}
			for _, o := range g.Others {
				cells += o.Count
				others = append(others, o.Text.Text)
			}
		}
		spellings := len(others)
		if spellings == 0 || int64(2*s.Texts) > b.Account.Rows || spellings > mostNamed {
			continue // names that hardly recur are looked at one by one
		}
		steps, err := b.Recode(s.Column, families)
		if err != nil {
			return err
		}
		words := fmt.Sprintf("recode %d spellings to %d", spellings, len(families))
		if spellings == 1 {
			words = fmt.Sprintf("recode %s to %s", quoted(others[0]), quoted(families[0].Spelling))
		}
		b.try(Suggestion{Kind: "recode", Column: s.Column, Values: others, Cells: cells, Words: words, Steps: steps})
	}
	return nil
}

// pairs proposes what may feed the columns that nothing feeds.
func (b *builder) pairs(ctx context.Context) error {
	if b.File == nil {
		return nil
	}
	rows, err := b.File.Rows(ctx)
	if err != nil {
		return err
	}
	header := rows.Header()
	source.Close(rows)
	taken := map[int]bool{}
	for _, m := range b.Result.Columns {
		taken[m.Place] = true
	}
	var all []pair
	var specs []target.Column
	for i, m := range b.Result.Columns {
		c := &b.target.Columns[i]
		if m.Place > 0 || c.Derive != "" || c.Value != nil || b.asked.Column != "" && b.asked.Column != c.Name {
			continue
		}
		for k, name := range header.Names {
			if taken[k+1] || len(specs) >= mostPairs {
				continue
			}
			spec := *c
			spec.Position, spec.Titles, spec.Codes = k+1, nil, nil
			p := pair{column: c, header: name, place: k + 1, isNamed: header.Named}
			if header.Named {
				p.similar = similarity(c, name)
			}
			all, specs = append(all, p), append(specs, spec)
		}
	}
	fits, err := b.count(ctx, specs)
	if err != nil {
		return err
	}
	for i := range all {
		all[i].fit = fits[i]
	}
	if err := b.otherwise(ctx, all, specs); err != nil {
		return err
	}
	onlyDates(all)
	all = slices.DeleteFunc(all, func(p pair) bool { return !p.isTold() })
	told := map[*target.Column]int{}
	for i := range all {
		p := &all[i]
		if p.similar == "" && (isNamed(all, p) || told[p.column] == mostTold) {
			continue
		}
		told[p.column]++
		b.pair(p, rivals(all, p))
	}
	return nil
}

// mostTold is how many columns that only fit by their values are proposed for one of the target.
const mostTold = 5

// rivals says what else fits a column as well, or what else a column of the delivery may feed; "" where nothing does,
// or where the names tell.
func rivals(all []pair, p *pair) string {
	if p.similar != "" {
		return ""
	}
	for i := range all {
		switch o := &all[i]; {
		case o.column == p.column && o.header != p.header:
			return "the values of " + quoted(o.header) + " fit as well"
		case o.header == p.header && o.column != p.column:
			return "its values fit " + o.column.Name + " as well"
		}
	}
	return ""
}

// onlyDates tells the only column of dates that nothing feeds and the only one of the delivery that feeds nothing:
// they are a pair whatever their names are.
func onlyDates(all []pair) {
	var only *pair
	for i := range all {
		p := &all[i]
		if !p.column.Datatype.HasDay() || p.fit.Share() < fits/2 {
			continue
		}
		if only != nil {
			return
		}
		only = p
	}
	for i := range all {
		if only != nil && all[i].column.Datatype.HasDay() && all[i].column != only.column {
			return // another one wants dates too
		}
	}
	if only != nil && only.similar == "" {
		only.similar = "the only dates that nothing feeds, and the only ones that feed nothing"
	}
}

// isNamed reports whether the column or the header of a pair is told by its name to belong to another one: then
// that its values fit says little.
func isNamed(all []pair, p *pair) bool {
	return slices.ContainsFunc(all, func(o pair) bool {
		return o.similar != "" && (o.column == p.column || o.header == p.header)
	})
}

// pair is a column that nothing feeds, and a column of the delivery that may.
type pair struct {
	column  *target.Column
	header  string
	place   int            // of that column, from 1
	isNamed bool           // the delivery has a header
	similar string         // how their names are alike; "" where they are not
	fit     trial.Fit      // of the first rows
	as      *target.Column // in another habit in which the values fit; nil for as the target has it
}

// similarity says how a header is like the names of a column.
func similarity(c *target.Column, header string) (how string) {
	for _, title := range append(slices.Clone(c.Titles), c.Name) {
		if target.HeaderKey(title) == target.HeaderKey(header) {
			return "the same name"
		}
		if how == "" {
			how = target.Similar(header, title)
		}
	}
	return how
}

// isTold reports whether enough speaks for a pair.
func (p *pair) isTold() bool {
	return p.fit.Filled > 0 && (p.similar != "" && p.fit.Share() >= 0.3 ||
		(isTelling(p.column) || p.column.Required) && p.fit.Share() >= fits)
}

// count judges columns that are only thought of over the first rows.
func (b *builder) count(ctx context.Context, specs []target.Column) ([]trial.Fit, error) {
	if len(specs) == 0 {
		return nil, nil
	}
	return trial.Count(ctx, b.File, specs, sampled, b.Lists)
}

// otherwise looks for habits in which the values of columns fit that do not fit as the target has it. specs are
// the pairs as columns.
func (b *builder) otherwise(ctx context.Context, all []pair, specs []target.Column) error {
	var others []target.Column
	var of []int
	for i := range all {
		if c := all[i].column; c.Datatype.IsText() || all[i].fit.Share() >= fits {
			continue // any text fits a text
		}
		s := suspect{spec: specs[i]}
		for _, c := range s.formats() {
			if len(others) < mostPairs {
				others, of = append(others, c), append(of, i)
			}
		}
	}
	found, err := b.count(ctx, others)
	if err != nil {
		return err
	}
	for k, i := range of {
		if p := &all[i]; found[k].Share() >= fits && found[k].Fits > p.fit.Fits {
			p.fit, p.as = found[k], &others[k]
		}
	}
	return nil
}

// pair proposes a pair; doubt says what else fits.
func (b *builder) pair(p *pair, doubt string) {
	c := p.column
	words := fmt.Sprintf("take %s from %s", c.Name, quoted(p.header))
	step := b.habit(c, edit.Set, p.header, "from")
	if b.Mapping == nil {
		step = b.habit(c, edit.Add, p.header, "titles")
		step.Base = anyOf(c.Titles)
	}
	if !p.isNamed {
		words = fmt.Sprintf("take %s from column %d", c.Name, p.place)
		step = b.habit(c, edit.Set, json.Number(strconv.Itoa(p.place)), "position")
	}
	steps := []edit.Step{step}
	switch {
	case p.as == nil:
	case c.Datatype.IsNumber():
		words += ", with " + habit(p.as)
		steps = append(steps, b.habit(c, edit.Set, p.as.Point(), "decimalChar"))
		if p.as.GroupChar != c.GroupChar {
			steps = append(steps, b.habit(c, edit.Set, p.as.GroupChar, "groupChar"))
		}
	default:
		words += ", in " + habit(p.as)
		steps = append(steps, b.habit(c, edit.Set, p.as.Formats[0], "format"))
	}
	if p.similar != "" {
		words += ": " + p.similar
	}
	b.try(Suggestion{Kind: "pair", Column: c.Name, Code: violation.HeaderMissing.String(), Words: words, Cells: p.fit.Fits,
		Header: p.header, Doubt: doubt, Steps: steps})
}

// mostPairs is how many pairs of columns are tried.
const mostPairs = 2000

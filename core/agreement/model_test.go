package agreement_test

import (
	"fmt"
	"math/big"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
)

// value is what a cell has come to.
type value struct {
	text       string // canonical, where it is right
	has, wrong bool
	broken     bool // it breaks a rule of its column
	number     *big.Rat
	shown      string // a number with the zeros that stand behind its point
	coded      bool   // the code list's own form has taken the place
}

// known returns what a condition takes: nil for a value that is missing or wrong.
func (v value) known() answer {
	switch {
	case !v.has || v.wrong:
		return nil
	case v.number != nil:
		return v.number
	}
	return v.text
}

// judged is what the model makes of a row.
type judged struct {
	side   string
	found  []string // column and code
	cells  []string
	values map[string]value
	cannot bool // its cells cannot be attributed
	isOut  bool
}

// verdict is what the model makes of a delivery.
type verdict struct {
	rows                     []judged
	whole                    []string // violations of the delivery
	changed                  map[string]int64
	reasons, unjudged        map[string]int64
	verdict                  string
	read, accepted, rejected int64
	excluded                 int64
	sum                      string
}

// judge goes through the delivery as docs/targets.md says, one row and one rule after the other.
func (w *world) judge() *verdict {
	o := &verdict{changed: map[string]int64{}, reasons: map[string]int64{}, unjudged: map[string]int64{}}
	above := map[string]string{}
	for i, cells := range w.rows {
		o.rows = append(o.rows, w.judgeRow(i+1, cells, above, o))
	}
	w.judgeOrder(o)
	w.judgeKeys(o)
	sum := new(big.Rat)
	for _, r := range o.rows {
		o.read++
		switch r.side {
		case "accepted":
			o.accepted++
		case "rejected":
			o.rejected++
		default:
			o.excluded++
		}
		if v := r.values[w.sum]; !r.isOut && v.known() != nil && v.number != nil {
			sum.Add(sum, v.number)
		}
	}
	o.sum = strings.TrimSuffix(strings.TrimRight(sum.FloatString(6), "0"), ".")
	w.judgeWhole(o)
	return o
}

func (w *world) judgeRow(number int, cells []string, above map[string]string, o *verdict) judged {
	r := &row{number: number, raw: map[string]string{}, values: map[string]value{}}
	j := judged{side: "accepted", values: r.values}
	fail := func(column, code, action string) {
		j.found = append(j.found, column+" "+code)
		if action == "reject" {
			j.side = "rejected"
		}
	}
	if len(cells) != len(w.headers) {
		code := "row.short"
		if len(cells) > len(w.headers) {
			code = "row.long"
		}
		fail("", code, "reject")
		j.cannot = true
		return j
	}
	for i, header := range w.headers {
		r.raw[header] = cells[i]
	}
	for _, c := range w.columns { // in the last row above, be it left out or not
		if cell := r.raw[c.header]; c.carries && !c.isEmpty(cell) {
			defer func() { above[c.name] = cell }()
		}
	}
	leave := func(raw bool) bool {
		for _, x := range w.leave {
			if is, ok := x.is.of(r).(bool); x.isRaw == raw && ok && is {
				o.reasons[x.name]++
				j = judged{side: "excluded", isOut: true, values: r.values}
				return true
			}
		}
		return false
	}
	if leave(true) {
		return j
	}
	for _, c := range w.columns {
		r.values[c.name] = c.judge(r, above, o, fail)
	}
	if leave(false) {
		return j
	}
	for _, c := range w.columns {
		v := r.values[c.name]
		needed := c.required || slices.Contains(w.key, c.name)
		if c.needs != nil {
			is, ok := c.needs.of(r).(bool)
			needed = needed || ok && is
		}
		if needed && (!v.has || strings.TrimSpace(v.text) == "") {
			fail(c.name, "required.empty", c.onViolation("required.empty"))
		}
	}
	for _, rule := range w.rules {
		switch is, ok := rule.is.of(r).(bool); {
		case !ok:
			o.unjudged[rule.name]++
		case !is:
			fail(rule.name, "rule.failed", rule.action)
		}
	}
	for _, x := range w.refers {
		v := r.values[x.columns[0]]
		if !v.has || v.wrong || v.broken {
			continue
		}
		table, code := growers, "reference.missing"
		if x.codes {
			table = crops
		}
		if x.absent {
			code = "reference.present"
		}
		c := w.columns[slices.IndexFunc(w.columns, func(c *column) bool { return c.name == x.columns[0] })]
		if c.among(v, table) == x.absent {
			fail(x.columns[0], code, "reject")
		}
	}
	for _, c := range w.columns {
		j.cells = append(j.cells, r.values[c.name].text)
	}
	return j
}

// among reports whether a table has a value in its column. What is not of the column's datatype there
// is no key.
func (c *column) among(v value, table []string) bool {
	plain := column{kind: c.kind, precision: -1, scale: -1, separator: c.separator, nulls: []string{""}}
	for _, text := range table {
		key := plain.canonical(text, func(string, string, string) {})
		if !key.wrong && (key.text == v.text || c.isNumber() && c.separator == "" && same(key.text, v.text)) {
			return true
		}
	}
	return false
}

func (c *column) onViolation(code string) string {
	switch {
	case c.action == "blank" && (code == "required.empty" || code == "key.duplicate"):
		return "reject" // without its value the cell is no better
	case c.action != "":
		return c.action
	case c.actions[code] != "":
		return c.actions[code]
	}
	return "reject"
}

func (c *column) isNull(text string) bool { return slices.Contains(c.nulls, text) }

// isEmpty reports whether a cell is one that another is carried down to.
func (c *column) isEmpty(cell string) bool { return strings.TrimSpace(cell) == "" || c.isNull(cell) }

// judge makes the column's value of a row.
func (c *column) judge(r *row, above map[string]string, o *verdict, fail failing) value {
	if c.derives != nil {
		n, ok := c.derives.of(r).(*big.Rat)
		if !ok {
			return value{}
		}
		v := value{text: decimal(n), has: true, number: n}
		c.limits(n, "", func(_, code, _ string) {
			v.broken = true
			fail(c.name, code, "reject")
		})
		return v
	}
	if c.constant != nil {
		if *c.constant == "" {
			return value{}
		}
		return c.read(*c.constant, fail)
	}
	cell := r.raw[c.header]
	change := func(name, to string) {
		if to != cell {
			cell = to
			o.changed[c.name+" "+name]++
		}
	}
	if c.carries && c.isEmpty(cell) {
		if from, ok := above[c.name]; ok {
			change("carryDown", from)
		}
	}
	for _, remedy := range c.remedies {
		if !c.isNull(cell) {
			change(remedy.name, remedy.of(cell))
		}
	}
	if c.isNull(cell) {
		if cell != "" {
			o.changed[c.name+" null"]++
		}
		if c.standard == nil {
			return value{}
		}
		o.changed[c.name+" default"]++
		return c.canonical(*c.standard, fail)
	}
	if c.required && strings.TrimSpace(cell) == "" {
		return value{}
	}
	v := c.read(cell, fail)
	if v.coded {
		o.changed[c.name+" codes"]++
	}
	return v
}

type failing func(column, code, action string)

// canonical reads what the target or the mapping states.
func (c *column) canonical(text string, fail failing) value {
	plain := *c
	plain.comma, plain.group, plain.formats, plain.writes = "", "", []string{"yyyy-MM-dd"}, c.separator
	if c.kind == "boolean" {
		plain.yes, plain.no = "true", "false"
	}
	return plain.read(text, fail)
}

// read judges a cell, or the values of a list.
func (c *column) read(cell string, fail failing) value {
	if c.separator == "" {
		return c.one(cell, fail)
	}
	var parts []string
	coded := false
	for _, part := range strings.Split(cell, c.writes) {
		broken := false
		v := c.one(strings.TrimSpace(part), func(_, code, action string) {
			broken = true
			fail(c.name, code, action)
		})
		if broken {
			return value{text: cell, has: true, wrong: v.wrong, broken: true}
		}
		if v.shown == "" {
			v.shown = v.text
		}
		parts = append(parts, v.shown)
		coded = coded || v.coded
	}
	return value{text: strings.Join(parts, c.separator), has: true, coded: coded}
}

// one judges one value.
func (c *column) one(cell string, fail failing) value {
	v := value{text: cell, has: true}
	blank := false
	broken := func(code string) {
		v.broken = true
		action := c.onViolation(code)
		blank = blank || action == "blank"
		fail(c.name, code, action)
	}
	wrong := func(code string) {
		v.wrong = true
		broken(code)
	}
	switch c.kind {
	case "string":
		if c.capitals && !regexp.MustCompile(`^(?s:[A-Z].*)$`).MatchString(cell) {
			broken("text.format")
		}
		letters := len([]rune(cell))
		if letters < c.shortest {
			broken("text.short")
		}
		if c.longest > 0 && letters > c.longest {
			broken("text.long")
		}
	case "date":
		c.date(&v, wrong, broken)
	case "time":
		if !regexp.MustCompile(`^\d\d:\d\d:\d\d$`).MatchString(cell) {
			wrong("time.format")
		} else if _, err := time.Parse(time.TimeOnly, cell); err != nil {
			wrong("date.impossible")
		}
	case "boolean":
		switch {
		case cell == c.yes, c.yes == "true" && cell == "1":
			v.text = "true"
		case cell == c.no, c.yes == "true" && cell == "0":
			v.text = "false"
		default:
			wrong("type.boolean")
		}
	default:
		c.numeral(&v, wrong, broken)
	}
	if c.oneOf != nil && !v.wrong {
		switch {
		case slices.Contains(c.oneOf, v.text):
		case c.loose:
			key := func(s string) string { return strings.ToLower(strings.ReplaceAll(s, " ", "")) }
			at := slices.IndexFunc(c.oneOf, func(code string) bool { return key(code) == key(v.text) })
			if at < 0 {
				broken("code.unknown")
			} else {
				v.text, v.coded = c.oneOf[at], true
			}
		case c.isList:
			broken("code.unknown")
		default:
			broken("value.unknown")
		}
	}
	if blank {
		return value{broken: true, coded: v.coded}
	}
	return v
}

func (c *column) date(v *value, wrong, broken func(string)) {
	impossible := false
	for _, format := range c.formats {
		shape, layout := `^\d{4}-\d\d-\d\d$`, time.DateOnly
		switch format {
		case "dd.MM.yyyy":
			shape, layout = `^\d\d\.\d\d\.\d{4}$`, "02.01.2006"
		case "MM/dd/yyyy":
			shape, layout = `^\d\d/\d\d/\d{4}$`, "01/02/2006"
		}
		if !regexp.MustCompile(shape).MatchString(v.text) {
			continue
		}
		day, err := time.Parse(layout, v.text)
		if err != nil {
			impossible = true
			continue
		}
		v.text = day.Format(time.DateOnly)
		if c.minimum != "" && v.text < c.minimum {
			broken("range.low")
		}
		if c.maximum != "" && v.text > c.maximum {
			broken("range.high")
		}
		return
	}
	if impossible {
		wrong("date.impossible")
	} else {
		wrong("date.format")
	}
}

func (c *column) numeral(v *value, wrong, broken func(string)) {
	shape, code := `[0-9]+`, "type.integer"
	if c.group != "" {
		shape = `([0-9]+|[1-9][0-9]{0,2}(` + regexp.QuoteMeta(c.group) + `[0-9]{3})+)`
	}
	if c.kind == "decimal" {
		point := `\.`
		if c.comma != "" {
			point = ","
		}
		shape, code = shape+`(`+point+`[0-9]*)?`, "type.decimal"
	}
	if !regexp.MustCompile(`^[+-]?` + shape + `$`).MatchString(v.text) {
		wrong(code)
		return
	}
	text := v.text
	if c.group != "" {
		text = strings.ReplaceAll(text, c.group, "")
	}
	if c.comma != "" {
		text = strings.ReplaceAll(text, ",", ".")
	}
	n, ok := new(big.Rat).SetString(strings.TrimSuffix(text, "."))
	if !ok {
		panic("model: " + text)
	}
	v.number = n
	c.limits(n, text, func(_, code, _ string) { broken(code) })
	v.text = decimal(n)
	v.shown = v.text
	if _, behind, _ := strings.Cut(text, "."); behind != "" {
		if c.scale >= 0 && len(behind) > c.scale {
			behind = behind[:c.scale] // zeros, where the value is right
		}
		v.shown = strings.TrimSuffix(n.FloatString(len(behind)), ".")
	}
}

func (c *column) limits(n *big.Rat, text string, fail failing) {
	whole, behind, _ := strings.Cut(strings.TrimLeft(text, "+-"), ".")
	whole, behind = strings.TrimLeft(whole, "0"), strings.TrimRight(behind, "0")
	if c.precision >= 0 && len(whole) > c.precision-max(c.scale, 0) {
		fail(c.name, "number.precision", "reject")
	}
	if c.scale >= 0 && len(behind) > c.scale {
		fail(c.name, "number.scale", "reject")
	}
	low, high := c.minimum, c.maximum
	bound := func(limit string) *big.Rat {
		n, _ := new(big.Rat).SetString(limit)
		return n
	}
	isLow, isHigh := low != "" && n.Cmp(bound(low)) < 0, high != "" && n.Cmp(bound(high)) > 0
	switch c.kind {
	case "short":
		isLow, isHigh = isLow || n.Cmp(bound("-32768")) < 0, isHigh || n.Cmp(bound("32767")) > 0
	case "unsignedByte":
		isLow, isHigh = isLow || n.Sign() < 0, isHigh || n.Cmp(bound("255")) > 0
	}
	if isLow {
		fail(c.name, "range.low", "reject")
	}
	if isHigh {
		fail(c.name, "range.high", "reject")
	}
}

// decimal writes a number with all its digits.
func decimal(n *big.Rat) string {
	if n.IsInt() {
		return n.Num().String()
	}
	return strings.TrimRight(n.FloatString(40), "0")
}

// judgeOrder looks at columns whose values follow one another.
func (w *world) judgeOrder(o *verdict) {
	for _, c := range w.columns {
		if !c.ascending && !c.next {
			continue
		}
		var last value
		for i := range o.rows {
			r := &o.rows[i]
			v := r.values[c.name]
			if r.cannot || r.isOut || !v.has || v.wrong {
				continue
			}
			if last.has && !c.follows(last, v) {
				r.found = append(r.found, c.name+" order.broken") // flags, unless the target says more
			}
			last = v
		}
	}
}

func (c *column) follows(last, v value) bool {
	if c.ascending {
		if v.number != nil {
			return last.number.Cmp(v.number) <= 0
		}
		return last.text <= v.text
	}
	switch {
	case v.number != nil:
		return new(big.Rat).Sub(v.number, last.number).Cmp(big.NewRat(1, 1)) == 0
	case c.kind == "date":
		day, _ := time.Parse(time.DateOnly, last.text)
		return day.AddDate(0, 0, 1).Format(time.DateOnly) == v.text
	}
	next, ok := after(last.text)
	return ok && next == v.text
}

// after returns the text whose number at the end is the next, and false where there is no number.
func after(text string) (string, bool) {
	head := strings.TrimRight(text, "0123456789")
	n, err := strconv.Atoi(text[len(head):])
	if err != nil {
		return "", false
	}
	return head + fmt.Sprintf("%0*d", len(text)-len(head), n+1), true
}

// keys returns the columns that are keys together.
func (w *world) keys() (all [][]string) {
	if w.key != nil {
		all = append(all, w.key)
	}
	all = append(all, w.further...)
	for _, c := range w.columns {
		if c.unique {
			all = append(all, []string{c.name})
		}
	}
	for i := len(all) - 1; i > 0; i-- { // what is said twice is one key
		if slices.ContainsFunc(all[:i], func(other []string) bool { return equalSets(other, all[i]) }) {
			all = slices.Delete(all, i, i+1)
		}
	}
	return all
}

// judgeKeys finds the rows that repeat a key: only accepted rows hold one.
func (w *world) judgeKeys(o *verdict) {
	keys := w.keys()
	if w.alike != "" { // all values together as they are written, the missing ones too
		keys = slices.Insert(keys, 0, nil)
	}
	byThemselves := make([]string, len(o.rows))
	for i := range o.rows {
		byThemselves[i] = o.rows[i].side
	}
	keyOf := func(i, k int) string {
		if o.rows[i].cannot || o.rows[i].isOut || keys[k] == nil && byThemselves[i] != "accepted" {
			return ""
		}
		var key strings.Builder
		if keys[k] == nil {
			for _, c := range w.columns {
				v := o.rows[i].values[c.name]
				if v.shown == "" {
					v.shown = v.text
				}
				fmt.Fprintf(&key, "%v %q", v.has, v.shown)
			}
		}
		for _, name := range keys[k] {
			v := o.rows[i].values[name]
			if !v.has || v.wrong {
				return ""
			}
			fmt.Fprintf(&key, "%q", v.text)
		}
		return key.String()
	}
	action := func(k int) string {
		if keys[k] == nil {
			return w.alike
		}
		if len(keys[k]) > 1 {
			return "reject"
		}
		for _, c := range w.columns {
			if c.name == keys[k][0] {
				return c.onViolation("key.duplicate")
			}
		}
		return "reject"
	}
	said := map[int]bool{}
	repeat := func(i, k int) {
		r := &o.rows[i]
		switch {
		case said[i]: // that all of the row recurs says that its keys do
			return
		case keys[k] == nil:
			r.found = append(r.found, " row.repeated")
			said[i] = w.alike == "reject"
		default:
			r.found = append(r.found, strings.Join(keys[k], ", ")+" key.duplicate")
		}
		if action(k) == "reject" {
			r.side = "rejected"
		}
	}
	held := make([]map[string]int, len(keys)) // the row that is kept
	for k := range keys {
		held[k] = map[string]int{}
	}
	if w.keep == "first" { // only a row that is accepted holds its keys
		for i := range o.rows {
			for k := range keys {
				if _, ok := held[k][keyOf(i, k)]; ok && keyOf(i, k) != "" {
					repeat(i, k)
				}
			}
			for k := range keys {
				if key := keyOf(i, k); o.rows[i].side == "accepted" {
					if _, ok := held[k][key]; !ok {
						held[k][key] = i
					}
				}
			}
		}
		return
	}
	// Rows that are right by themselves hold keys, whether they repeat others or not.
	several := make([]map[string]bool, len(keys))
	for k := range keys {
		several[k] = map[string]bool{}
		for i := range o.rows {
			if key := keyOf(i, k); o.rows[i].side == "accepted" {
				_, several[k][key] = held[k][key]
				held[k][key] = i
			}
		}
	}
	for i := range o.rows {
		for k := range keys {
			key := keyOf(i, k)
			at, ok := held[k][key]
			if key != "" && ok && (at != i || w.keep == "none" && several[k][key]) {
				repeat(i, k)
			}
		}
	}
}

// judgeWhole judges what concerns the delivery as a whole.
func (w *world) judgeWhole(o *verdict) {
	refused := false
	whole := func(code string) {
		o.whole = append(o.whole, code)
		refused = true
	}
	for _, c := range w.columns {
		misses := c.complete && slices.ContainsFunc(c.oneOf, func(code string) bool {
			return !slices.ContainsFunc(o.rows, func(r judged) bool {
				v := r.values[c.name]
				return !r.isOut && v.has && !v.wrong && v.text == code
			})
		})
		if misses {
			whole(c.name + " value.absent")
		}
	}
	if w.fewest > 0 && len(w.rows) < w.fewest {
		whole("rows.few")
	}
	if w.most >= 0 && len(w.rows) > w.most {
		whole("rows.many")
	}
	if w.sum != "" && w.stated != o.sum {
		whole(w.sum + " sum.differs")
	}
	if w.counts && w.counted != len(w.rows) {
		whole("count.differs")
	}
	slices.Sort(o.whole)
	o.verdict = "accepted"
	if o.rejected > 0 {
		o.verdict = "split"
	}
	if o.accepted == 0 && o.read > 0 {
		refused = true
	}
	if refused || w.tolerate >= 0 && o.rejected > int64(w.tolerate) {
		o.verdict = "refused"
	}
}

package suggest

import (
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"sieb/core/check"
	"sieb/core/codes"
	"sieb/core/condition"
	"sieb/core/draft"
	"sieb/core/edit"
	"sieb/core/profile"
	"sieb/core/relation"
	"sieb/core/remedy"
	"sieb/core/target"
	"sieb/core/value"
	"sieb/core/violation"
)

// Table is a table that others can refer to, by a key of one column.
type Table struct {
	Name   string
	Column string
	Titles []string // of the column, as senders write it
}

// fed is a column of the target with the column of the delivery that feeds it.
type fed struct {
	*builder
	target *target.Column
	from   *profile.Column
	drawn  *target.Column // as a target that is drafted from the delivery has it
}

// profiled proposes what the profile of the delivery speaks for.
func (b *builder) profiled() {
	if b.Profile == nil {
		return
	}
	drawn := draft.Of("", b.Profile).Columns
	all := b.fed(drawn)
	for i := range all {
		if b.asked.Column == "" || b.asked.Column == all[i].target.Name {
			all[i].propose()
		}
	}
	if b.asked.Column == "" {
		b.exclusions()
		b.relations(all)
		b.superfluous()
		b.keys(all)
	}
}

// fed returns the columns of the target that columns of the profile feed.
func (b *builder) fed(drawn []target.Column) (all []fed) {
	for i, m := range b.Result.Columns {
		if m.Place > 0 && m.Place <= len(b.Profile.Columns) {
			all = append(all, fed{b, &b.target.Columns[i], &b.Profile.Columns[m.Place-1], &drawn[m.Place-1]})
		}
	}
	return all
}

// fedBy returns the target's column that a column of the delivery feeds; nil where it feeds none.
func fedBy(all []fed, name string) *target.Column {
	at := slices.IndexFunc(all, func(f fed) bool { return f.from.Name == name })
	if at < 0 {
		return nil
	}
	return all[at].target
}

// propose proposes what the statistics of a column speak for.
func (f *fed) propose() {
	f.missing()
	f.clean()
	if has := f.finding("value.empty"); has != nil && !f.target.Required {
		f.strengthen("demand a value in each row", violation.RequiredEmpty, demand(f.target, edit.Set, true, "required"))
	}
	if has := f.finding("number.far"); has != nil && len(f.from.Usual) == 2 {
		f.limits(has)
	}
	if f.target.Datatype == value.String && len(f.target.OneOf) == 0 && f.target.Codes == nil &&
		len(f.target.Formats) == 0 {
		f.sets()
	}
	f.references()
}

// finding returns the first finding of the column that has a code; nil where there is none.
func (f *fed) finding(code string) *profile.Finding {
	for i := range f.Profile.Findings {
		if o := &f.Profile.Findings[i]; o.Code == code && len(o.Columns) == 1 && o.Columns[0] == f.from.Name {
			return o
		}
	}
	return nil
}

// strengthen proposes to demand more of the table.
func (f *fed) strengthen(words string, code violation.Code, steps ...edit.Step) {
	f.try(Suggestion{Kind: "rule", Column: f.target.Name, Code: code.String(), Words: words, Steps: steps})
}

// missing proposes to take for none the texts that look like it.
func (f *fed) missing() {
	if f.target.Required {
		return
	}
	var words []string
	var cells int64
	sure, _ := f.from.Missing()
	sure = slices.DeleteFunc(sure, f.from.IsStray)
	for _, v := range sure {
		if !slices.Contains(f.target.Null, v.Value) && len(words) < mostNamed {
			words, cells = append(words, v.Value), cells+v.Count
		}
	}
	isTold := func(word string) bool {
		return slices.ContainsFunc(f.all, func(s Suggestion) bool {
			return s.Kind == "missing" && s.Column == f.target.Name && slices.Contains(s.Values, word)
		})
	}
	if !slices.ContainsFunc(words, func(w string) bool { return !isTold(w) }) {
		return
	}
	step := f.habit(f.target, edit.Set, append(anyOf(f.target.Null), anyOf(words)...), "null")
	loses := quoted(words[0]) + " becomes empty"
	if len(words) > 1 {
		loses += "; " + quoted(words[1]) + " becomes empty"
	}
	f.try(Suggestion{Kind: "missing", Column: f.target.Name, Values: words, Cells: cells, Steps: []edit.Step{step},
		Words: "treat " + listed(words) + " as missing", Loses: loses})
}

// clean proposes what deals with blanks and with characters that do not show.
func (f *fed) clean() {
	of := func(name string, cells int64) {
		has := func(r remedy.Remedy) bool { return r.Name == name }
		if cells == 0 || slices.ContainsFunc(f.target.Remedies, has) {
			return
		}
		f.try(Suggestion{Kind: "remedy", Column: f.target.Name, Words: cureWords(remedy.Find(name)), Cells: cells,
			Steps: []edit.Step{f.remedy(f.target, name)}})
	}
	of("trim", f.from.Blanks.Around.Count)
	of("squeeze", f.from.Blanks.Inside.Count)
	of("clean", f.from.Blanks.Invisible.Count)
}

// limits proposes limits between which all numbers lie but those that are far from the others.
func (f *fed) limits(far *profile.Finding) {
	if !f.target.Datatype.IsNumber() {
		return
	}
	for side, property := range []string{"minimum", "maximum"} {
		limit, code, sign := f.from.Usual[side], violation.RangeLow, -1
		words := "demand no less than " + limit
		has := f.target.Minimum
		if side == 1 {
			code, sign, has = violation.RangeHigh, 1, f.target.Maximum
			words = "demand no more than " + limit
		}
		isBeyond := func(v profile.Value) bool {
			text, ok := f.canonical(v.Value)
			return ok && compare(f.target, text, limit)*sign > 0
		}
		if has == "" && slices.ContainsFunc(far.First, isBeyond) {
			f.strengthen(words, code, demand(f.target, edit.Set, json.Number(limit), property))
		}
	}
}

// canonical reads a number of the delivery as the target has it.
func (f *fed) canonical(text string) (string, bool) {
	g := group{column: f.target, b: f.builder}
	return g.canonical(text)
}

// sets proposes a code list that has the values of the column, or else the values themselves or the form
// that nearly all of them have.
func (f *fed) sets() {
	for _, l := range f.Codes {
		if f.isOf(l) {
			f.strengthen(fmt.Sprintf("demand a code of the list %s", l.Name), violation.CodeUnknown,
				demand(f.target, edit.Set, map[string]any{"codes": l.Name}, "oneOf"))
			return
		}
	}
	isSentence := func(text string) bool { return len(strings.Fields(text)) > 3 } // not a code
	switch {
	case len(f.drawn.OneOf) > 1 && !slices.ContainsFunc(f.drawn.OneOf, isSentence):
		f.strengthen(fmt.Sprintf("allow only the %d values %s", len(f.drawn.OneOf), listed(f.drawn.OneOf)),
			violation.ValueUnknown, demand(f.target, edit.Set, anyOf(f.drawn.OneOf), "oneOf"))
	case f.drawn.Datatype == value.String && len(f.drawn.Formats) == 1 && f.finding("value.shape") != nil:
		f.strengthen("demand the form "+f.drawn.Formats[0], violation.TextFormat,
			demand(f.target, edit.Set, f.drawn.Formats[0], "format"))
	}
}

// isOf reports whether nearly all values of a category are codes of a list.
func (f *fed) isOf(l *codes.List) bool {
	if !f.from.Category || len(f.from.Top) < 2 {
		return false
	}
	var has, all int64
	for _, v := range f.from.Top {
		text := strings.TrimSpace(v.Value)
		if slices.Contains(f.drawn.Null, v.Value) {
			continue
		}
		if all += v.Count; l.Has([]byte(text)) {
			has += v.Count
		}
	}
	return all > 0 && float64(has) >= fits*float64(all)
}

// references proposes that the values of a column are keys of another table that has a column of its name.
func (f *fed) references() {
	name := f.target.Name
	refers := func(k target.ForeignKey) bool { return slices.Contains(k.Columns, name) }
	if slices.ContainsFunc(slices.Concat(f.builder.target.ForeignKeys, f.builder.target.AbsentFrom), refers) {
		return
	}
	own := append([]string{name, f.from.Name}, f.target.Titles...)
	for _, t := range f.Tables {
		isSame := func(title string) bool {
			return slices.ContainsFunc(own, func(o string) bool { return target.HeaderKey(o) == target.HeaderKey(title) })
		}
		if t.Name == f.builder.target.Name || !slices.ContainsFunc(append([]string{t.Column}, t.Titles...), isSame) {
			continue
		}
		f.strengthen(fmt.Sprintf("demand a row of %s with this %s", t.Name, t.Column), violation.ReferenceMissing, edit.Step{
			In: edit.Target, Do: edit.Add, Path: []string{"foreignKeys"}, Value: map[string]any{
				"columnReference": []any{name},
				"reference":       map[string]any{"resource": t.Name, "columnReference": []any{t.Column}}}})
	}
}

// trials are words for rows that are no data of the sender's business.
var trials = []string{"test", "tests", "testing", "trial", "trials", "preview", "dummy", "sample", "demo",
	"probe", "muster", "training", "example", "essai", "prueba", "prova"}

// exclusions proposes to leave out rows in which a column that tells a state says that they are none
// of the sender's.
func (b *builder) exclusions() {
	if !b.Profile.Named {
		return
	}
	for i := range b.Profile.Columns {
		c := &b.Profile.Columns[i]
		if c.Distinct > 50 || c.Filled == 0 {
			continue
		}
		for _, v := range append(slices.Clone(c.Top), c.Rare...) {
			word := strings.ToLower(strings.TrimSpace(v.Value))
			words := strings.Fields(word)
			isTrial := len(words) <= 2 && slices.ContainsFunc(words, func(w string) bool { return slices.Contains(trials, w) })
			if !isTrial || 4*v.Count > b.Profile.Rows {
				continue
			}
			b.exclude(fmt.Sprintf("cell(%s) == %s", strconv.Quote(c.Header), strconv.Quote(v.Value)),
				fmt.Sprintf("%s is %s", c.Header, v.Value), v.Count)
		}
	}
}

func (b *builder) exclude(text, reason string, rows int64) {
	for _, x := range b.target.Exclude {
		if x.Condition == text {
			return
		}
	}
	b.try(Suggestion{Kind: "exclude", Cells: rows, Steps: []edit.Step{b.exclusion(text, reason)},
		Words: "leave out rows in which " + reason})
}

// exclusion makes the step that leaves rows out by a condition.
func (b *builder) exclusion(text, reason string) edit.Step {
	return edit.Step{In: b.sender(), Do: edit.Add, Path: []string{"exclude"}, Value: map[string]any{"condition": text,
		"reason": reason}}
}

// sender returns the text that says how the sender writes.
func (b *builder) sender() string {
	if b.Mapping == nil {
		return edit.Target
	}
	return edit.Mapping
}

// relations proposes row rules of what holds between columns in the delivery.
func (b *builder) relations(all []fed) {
	for k, r := range b.Profile.Relations {
		columns := make([]*target.Column, len(r.Columns))
		for i, name := range r.Columns {
			columns[i] = fedBy(all, name)
		}
		name, text := draft.RuleOf(r.Kind, columns)
		if text == "" || b.isSaid(text) || b.isDerived(columns) {
			continue
		}
		b.try(Suggestion{Kind: "rule", Words: "demand that " + name, of: &b.Profile.Relations[k], Steps: []edit.Step{{
			In: edit.Target, Do: edit.Add, Path: []string{"rowRules"}, Value: map[string]any{"name": name,
				"condition": text}}}})
	}
}

// isSaid reports whether a row rule is over the same columns as a condition: it says much the same.
func (b *builder) isSaid(text string) bool {
	known := target.Known(b.target.Columns)
	of := func(text string) []string {
		program, err := condition.Compile(text, known, condition.Truth)
		if err != nil {
			return nil
		}
		return slices.Sorted(slices.Values(program.Columns()))
	}
	columns := of(text)
	return slices.ContainsFunc(b.target.RowRules, func(r target.RowRule) bool {
		return slices.Equal(of(r.Condition), columns)
	})
}

// isDerived reports whether one of some columns is computed, and so holds by itself.
func (b *builder) isDerived(columns []*target.Column) bool {
	return slices.ContainsFunc(columns, func(c *target.Column) bool { return c.Derive != "" })
}

// superfluous proposes to leave out columns of the delivery that feed none, and hold nothing or only count.
func (b *builder) superfluous() {
	for i, m := range b.Result.Columns {
		if c := &b.target.Columns[i]; m.Place == 0 && c.Required && c.Derive == "" && c.Value == nil {
			return // what is left over may be meant for it
		}
	}
	for i := range b.Profile.Columns {
		c := &b.Profile.Columns[i]
		isUsed := slices.ContainsFunc(b.Result.Columns, func(m check.Match) bool { return m.Place == i+1 })
		isSame := func(header string) bool { return target.HeaderKey(header) == target.HeaderKey(c.Header) }
		if isUsed || c.Header == "" || c.Filled > 0 && !c.Counter || slices.ContainsFunc(b.Result.LeftOut, isSame) {
			continue
		}
		why := "it only counts the rows"
		if c.Filled == 0 {
			why = "it is always empty"
		}
		b.try(Suggestion{Kind: "leave", Words: fmt.Sprintf("leave the column %s out: %s", quoted(c.Header), why),
			Header: c.Name, Steps: []edit.Step{{In: b.sender(), Do: edit.Add, Path: []string{"leftOut"}, Value: c.Header}}})
	}
}

// keys proposes a key for a target that has none. In a few rows values differ by chance.
func (b *builder) keys(all []fed) {
	if b.Profile.Rows < relation.EnoughRows || len(b.target.Key) > 0 ||
		slices.ContainsFunc(b.target.Columns, func(c target.Column) bool { return c.Unique }) {
		return
	}
	for i := range all {
		if all[i].drawn.Unique {
			all[i].strengthen("demand that no value occurs twice", violation.KeyDuplicate,
				demand(all[i].target, edit.Set, true, "unique"))
		}
	}
	for _, k := range b.Profile.Keys {
		var names []string
		var value []any
		for _, name := range k.Columns {
			if c := fedBy(all, name); c != nil {
				names, value = append(names, c.Name), append(value, c.Name)
			}
		}
		if k.Repeats == 0 || len(names) < 2 || len(names) < len(k.Columns) {
			continue // several columns together tell rows apart by chance
		}
		b.try(Suggestion{Kind: "rule", Column: strings.Join(names, ", "), Code: violation.KeyDuplicate.String(),
			Words: "demand that " + strings.Join(names, " and ") + " together tell rows apart", Header: k.Columns[0],
			Steps: []edit.Step{{In: edit.Target, Do: edit.Set, Path: []string{"key"}, Value: value}}})
	}
}

// answer says of each suggestion which findings of the profile it deals with.
func (b *builder) answer() {
	if b.Profile == nil {
		return
	}
	for i := range b.all {
		s := &b.all[i]
		for k, m := range b.Result.Columns {
			if m.Place > 0 && m.Place <= len(b.Profile.Columns) && b.target.Columns[k].Name == s.Column {
				s.Header = b.Profile.Columns[m.Place-1].Name
			}
		}
		for n := range b.Profile.Findings {
			if s.dealsWith(&b.Profile.Findings[n]) {
				s.Findings = append(s.Findings, n)
			}
		}
	}
}

// dealsWith reports whether a suggestion deals with a finding.
func (s *Suggestion) dealsWith(f *profile.Finding) bool {
	if s.of != nil {
		return s.of.Exceptions > 0 && slices.Equal(f.Columns, s.of.Columns) && f.Code == "columns."+s.of.Kind
	}
	if len(f.Columns) == 0 || f.Columns[0] != s.Header {
		return false
	}
	of, _, _ := strings.Cut(s.Code, ".")
	isRead := of == "type" || of == "date" || of == "time" // by another format, or by a remedy
	switch kind, _, _ := strings.Cut(f.Code, "."); {
	case f.Code == "blank.around":
		return s.adds("trim")
	case f.Code == "blank.inside":
		return s.adds("squeeze")
	case f.Code == "blank.invisible":
		return s.adds("clean")
	case f.Code == "value.placeholder":
		return s.Kind == "missing" && s.meets(f)
	case f.Code == "value.empty":
		return s.Code == violation.RequiredEmpty.String()
	case f.Code == "value.variants" || f.Code == "value.misspelt":
		return s.Kind == "recode" && s.meets(f)
	case f.Code == "value.shape":
		return of == "text" && s.meets(f)
	case f.Code == "key.repeated":
		return s.Code == violation.KeyDuplicate.String()
	case f.Code == "number.far" || f.Code == "date.far":
		return of == "range" && s.meets(f)
	case f.Code == "column.empty" || f.Code == "column.counter":
		return s.Kind == "leave"
	default:
		return isRead && (kind == "number" || kind == "date" || kind == "value") && s.meets(f)
	}
}

// adds reports whether a suggestion adds a remedy.
func (s *Suggestion) adds(name string) bool { return s.Kind == "remedy" && s.Steps[0].Value == name }

// meets reports whether a suggestion is for values that a finding tells of.
func (s *Suggestion) meets(f *profile.Finding) bool {
	return len(s.Values) == 0 || len(f.First) == 0 || slices.ContainsFunc(f.First, func(v profile.Value) bool {
		return slices.Contains(s.Values, v.Value)
	})
}

// Package dictionary makes a target of a data dictionary: a table that describes a table, with a row for
// each of its columns. Which of its own columns says what is told by their headings, in English or German, in
// any order.
package dictionary

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"sieb/core/draft"
	"sieb/core/edit"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/value"
)

// Result is a target that was made of a dictionary.
type Result struct {
	Target []byte            // as YAML
	Taken  map[string]string // what each heading of the dictionary was taken for
	Left   []string          // what was not understood, in words
}

// MostColumns is how many columns a dictionary may describe.
const MostColumns = 1 << 14

// What headings mean.
const (
	name        = "name"
	title       = "title"
	datatype    = "datatype"
	length      = "length"
	scale       = "decimals"
	required    = "required"
	optional    = "optional"
	values      = "values"
	description = "description"
	unique      = "unique"
	key         = "key"
	minimum     = "minimum"
	maximum     = "maximum"
	format      = "format"
	fallback    = "default"
)

// headings are the usual headings for each meaning, without blanks and signs, the likeliest first.
var headings = map[string][]string{
	name: {"name", "columnname", "column", "fieldname", "field", "variable", "attribute", "attributename", "technicalname",
		"feldname", "feld", "spaltenname", "spalte", "attribut", "variablenname", "technischername"},
	title: {"title", "label", "heading", "header", "displayname", "caption", "titel", "uberschrift", "anzeigename",
		"langname",
		"bezeichnung"},
	datatype: {"datatype", "type", "datentyp", "typ", "fieldtype", "feldtyp", "dataformat", "art"},
	length: {"length", "len", "size", "maxlength", "maximumlength", "width", "lange", "laenge", "feldlange", "maxlange",
		"stellen",
		"zeichen", "precision"},
	scale: {"decimals", "scale", "decimalplaces", "nachkommastellen", "dezimalstellen", "kommastellen"},
	required: {"required", "mandatory", "notnull", "must", "obligatory", "pflicht", "pflichtfeld", "muss", "mussfeld",
		"erforderlich"},
	optional: {"nullable", "optional", "null", "emptyallowed", "nullallowed", "leererlaubt", "kannfeld", "nullwerte"},
	values: {"values", "allowedvalues", "validvalues", "domain", "codes", "enum", "codelist", "permittedvalues", "werte",
		"wertebereich",
		"erlaubtewerte", "zulassigewerte", "auspragungen", "schlusselwerte", "wertliste"},
	description: {"description", "meaning", "comment", "definition", "remarks", "notes", "explanation", "beschreibung",
		"bedeutung",
		"bemerkung", "kommentar", "erlauterung", "inhalt", "hinweis", "bezeichnung"},
	unique:   {"unique", "eindeutig", "distinct"},
	key:      {"key", "primarykey", "pk", "primary", "schlussel", "primarschlussel", "schlusselfeld"},
	minimum:  {"minimum", "min", "minvalue", "from", "lowest", "minimalwert", "von", "untergrenze"},
	maximum:  {"maximum", "max", "maxvalue", "to", "highest", "maximalwert", "bis", "obergrenze"},
	format:   {"format", "pattern", "mask", "muster", "maske", "regex", "regularexpression"},
	fallback: {"default", "defaultvalue", "vorgabe", "standardwert", "vorgabewert"},
}

// Read makes a target of a dictionary; called names the target, "" takes the file's name.
func Read(ctx context.Context, file *source.File, called string) (*Result, error) {
	rows, err := file.Rows(ctx)
	if err != nil {
		return nil, err
	}
	defer source.Close(rows)
	d := &reading{at: map[string]int{}, result: Result{Taken: map[string]string{}}, names: map[string]bool{}}
	d.headings(rows.Header().Names)
	if _, has := d.at[name]; !has {
		if k, hasTitle := d.at[title]; hasTitle {
			d.at[name] = k
		} else {
			return nil, fmt.Errorf("no heading of the dictionary says how the columns are named; it has %s, and one of them should "+
				"be Name, Column or Field", strings.Join(rows.Header().Names, ", "))
		}
	}
	base := draft.Legal(cmp.Or(called, strings.Split(file.Name, ".")[0]), -1)
	_, err = sift.Look(rows, file.Layout.Encoding, MostColumns+1, func(seen *sift.ReadRow) error {
		return d.row(seen)
	})
	switch {
	case err != nil:
		return nil, err
	case len(d.names) == 0:
		return nil, errors.New("the dictionary describes no column")
	}
	if len(d.key) > 0 {
		d.steps = append(d.steps, edit.Step{In: edit.Target, Do: edit.Set, Path: []string{"key"}, Value: d.key})
	}
	if d.result.Target, err = edit.Apply([]byte("target: "+edit.Scalar(base)+"\n"), edit.Target, d.steps); err != nil {
		return nil, err
	}
	if _, err := target.Parse(d.result.Target); err != nil {
		return nil, fmt.Errorf("the dictionary makes no target: %w", err)
	}
	return &d.result, nil
}

type reading struct {
	at     map[string]int // places of what is said
	names  map[string]bool
	key    []string
	steps  []edit.Step
	result Result
}

// headings finds what each heading says; of several for the same the likeliest.
func (d *reading) headings(all []string) {
	rank := map[string]int{}
	for k, text := range all {
		plain := strings.Map(func(r rune) rune {
			if strings.ContainsRune("()[]/:?*\"'", r) {
				return -1
			}
			return r
		}, target.HeaderKey(text))
		for meaning, known := range headings {
			at := slices.Index(known, plain)
			if at < 0 {
				continue
			}
			if before, has := rank[meaning]; !has || at < before {
				rank[meaning], d.at[meaning] = at, k
			}
		}
	}
	if k, has := d.at[title]; has && k == d.at[description] {
		delete(d.at, title) // it explains where nothing else does
	}
	used := map[int]bool{}
	for meaning, k := range d.at {
		d.result.Taken[all[k]], used[k] = meaning, true
	}
	for k, text := range all {
		if !used[k] && strings.TrimSpace(text) != "" {
			d.result.Left = append(d.result.Left, "the heading "+text)
		}
	}
}

func (d *reading) row(seen *sift.ReadRow) error {
	of := func(meaning string) string {
		k, has := d.at[meaning]
		if !has || k >= len(seen.Cells) {
			return ""
		}
		return strings.TrimSpace(seen.Cells[k])
	}
	given := of(name)
	if given == "" {
		return nil
	}
	if len(d.names) >= MostColumns {
		return fmt.Errorf("row %d: the dictionary describes more than %d columns", seen.Row, MostColumns)
	}
	c := map[string]any{}
	column := given
	if !target.IsName(column) {
		column = draft.Legal(given, len(d.names))
	}
	if d.names[column] {
		d.result.Left = append(d.result.Left, fmt.Sprintf("row %d: a second column %s", seen.Row, given))
		return nil
	}
	d.names[column] = true
	c["name"] = column
	var titles []string
	for _, t := range []string{of(title), given} {
		if t != "" && t != column && !slices.Contains(titles, t) {
			titles = append(titles, t)
		}
	}
	if len(titles) > 0 {
		c["titles"] = titles
	}
	if text := of(description); text != "" {
		c["description"] = text
	}
	leave := func(format string, args ...any) {
		d.result.Left = append(d.result.Left, fmt.Sprintf("%s: ", column)+fmt.Sprintf(format, args...))
	}
	kind := d.datatype(c, of(datatype), of(length), of(scale), leave)
	d.limits(c, kind, of, leave)
	if isYes(of(required)) || of(optional) != "" && isNo(of(optional)) {
		c["required"] = true
	}
	if isYes(of(unique)) {
		c["unique"] = true
	}
	if isYes(of(key)) || strings.EqualFold(of(key), "pk") || strings.EqualFold(of(key), "primary key") {
		d.key = append(d.key, column)
		delete(c, "unique")
	}
	d.steps = append(d.steps, edit.Step{In: edit.Target, Do: edit.Add, Path: []string{"columns"}, Value: c})
	return nil
}

// limits takes values, limits, forms and defaults.
func (d *reading) limits(c map[string]any, kind value.Datatype, of func(string) string, leave func(string, ...any)) {
	probe := target.Column{Datatype: kind}
	for _, property := range []string{minimum, maximum} {
		text := strings.ReplaceAll(of(property), ",", ".")
		if text == "" {
			continue
		}
		if _, ok := probe.Literal(text); ok && (kind.IsNumber() || kind.IsMoment()) {
			c[property] = scalar(kind, text)
		} else {
			leave("the %s %s", property, of(property))
		}
	}
	if text := of(values); text != "" && kind != value.Boolean && kind != value.Double {
		if all := valuesOf(text, &probe); len(all) > 0 {
			c["oneOf"] = all
		} else {
			leave("the values %q", text)
		}
	}
	switch text := of(format); {
	case text == "":
	case kind.IsMoment():
		pattern := patternOf(text)
		if _, err := value.NewDateFormat(kind, pattern); err == nil {
			c["format"] = pattern
		} else {
			leave("the format %s", text)
		}
	case kind == value.String:
		if _, err := regexp.Compile(text); err == nil && strings.ContainsAny(text, `[\^$(`) {
			c["format"] = text
		} else {
			leave("the format %s", text)
		}
	default:
		leave("the format %s", text)
	}
	if text := of(fallback); text != "" {
		if c["default"] = text; !target.IsColumn(c) {
			delete(c, "default")
			leave("the default %s", text)
		}
	}
}

func scalar(kind value.Datatype, text string) any {
	if kind.IsNumber() {
		return json.Number(text)
	}
	return text
}

// patternOf writes a mask of dates, such as TT.MM.JJJJ or DD/MM/YYYY, as an LDML pattern.
func patternOf(mask string) string {
	mask = strings.NewReplacer("TT", "dd", "T", "d", "JJJJ", "yyyy", "JJ", "yy", "hh", "HH", "mi", "mm", "MI", "mm",
		"SS", "ss").Replace(mask)
	if strings.Contains(mask, "YY") || strings.Contains(mask, "DD") {
		mask = strings.NewReplacer("YYYY", "yyyy", "YY", "yy", "DD", "dd", "D", "d").Replace(mask)
	}
	return mask
}

var sized = regexp.MustCompile(`^([^(\[]*)[(\[]\s*([0-9]+)\s*(?:[,;.]\s*([0-9]+))?\s*[)\]]`)

// types are words for datatypes, without blanks and signs.
var types = []struct {
	kind  value.Datatype
	words []string
}{
	{value.DateTime, []string{"datetime", "timestamp", "zeitstempel", "datumuhrzeit", "datumzeit", "dateandtime",
		"datumunduhrzeit"}},
	{value.Date, []string{"date", "datum", "day", "tag"}},
	{value.Time, []string{"time", "uhrzeit", "zeit"}},
	{value.Boolean, []string{"boolean", "bool", "logical", "flag", "janein", "wahrheitswert", "yesno", "jn", "bit",
		"logisch"}},
	{value.Integer, []string{"integer", "int", "bigint", "smallint", "tinyint", "long", "short", "ganzzahl",
		"wholenumber", "serial", "int4",
		"int8", "int64", "int32"}},
	{value.Double, []string{"double", "float", "real", "gleitkomma", "gleitkommazahl", "doubleprecision"}},
	{value.Decimal, []string{"decimal", "numeric", "number", "dezimal", "dezimalzahl", "zahl", "num", "money",
		"currency", "betrag", "n",
		"numerisch", "kommazahl"}},
	{value.AnyURI, []string{"uri", "url", "anyuri", "link"}},
	{value.String, []string{"string", "text", "varchar", "char", "character", "charactervarying", "nvarchar", "varchar2",
		"clob", "zeichenkette",
		"zeichen", "alphanumeric", "alphanumerisch", "alnum", "an", "a", "c", "memo", "freetext", "freitext", "uuid",
		"enum", "code"}},
}

// datatype takes a type with its size, as people and databases write them.
func (d *reading) datatype(c map[string]any, text, size, decimals string, leave func(string, ...any)) value.Datatype {
	word := text
	if m := sized.FindStringSubmatch(text); m != nil {
		word = m[1]
		size, decimals = cmp.Or(size, m[2]), cmp.Or(decimals, m[3])
	}
	if before, after, has := strings.Cut(strings.ReplaceAll(size, ".", ","), ","); has {
		size, decimals = before, cmp.Or(decimals, after)
	}
	plain := strings.Map(func(r rune) rune {
		if strings.ContainsRune("/&+", r) {
			return -1
		}
		return r
	}, target.HeaderKey(word))
	kind, isKnown := value.String, plain == ""
	for _, t := range types {
		if slices.Contains(t.words, plain) {
			kind, isKnown = t.kind, true
			break
		}
	}
	if !isKnown {
		leave("the type %s, which becomes a text", text)
	}
	digits, hasDigits := count(size)
	places, hasPlaces := count(decimals)
	if kind == value.Decimal && hasPlaces && places == 0 {
		kind = value.Integer
	}
	if kind != value.String {
		c["datatype"] = kind.String()
	}
	switch {
	case !hasDigits || digits == 0:
	case kind == value.String:
		c["maxLength"] = digits
	case kind == value.Integer || kind == value.Decimal:
		c["precision"] = max(digits, places)
		if kind == value.Decimal && hasPlaces {
			c["scale"] = places
		}
	}
	return kind
}

func count(text string) (int, bool) {
	n, err := strconv.Atoi(strings.TrimSpace(text))
	return n, err == nil && n >= 0 && n < 1_000_000
}

// valuesOf reads a list of allowed values; what a value means may stand behind it: W = wheat, B - barley.
func valuesOf(text string, probe *target.Column) (all []any) {
	separator := ","
	for _, s := range []string{"\n", ";", "|"} {
		if strings.Contains(text, s) {
			separator = s
			break
		}
	}
	parts := strings.Split(text, separator)
	if len(parts) == 1 && strings.Contains(text, "/") {
		parts = strings.Split(text, "/")
	}
	seen := map[string]bool{}
	for _, part := range parts {
		for _, sign := range []string{"=", ":", " - ", " – "} {
			if before, _, has := strings.Cut(part, sign); has && strings.TrimSpace(before) != "" {
				part = before
				break
			}
		}
		part = strings.Trim(strings.TrimSpace(part), `"'`)
		if part == "" || seen[part] {
			continue
		}
		if _, ok := probe.Literal(part); !ok && !probe.Datatype.IsText() {
			return nil
		}
		seen[part] = true
		all = append(all, scalar(probe.Datatype, part))
	}
	return all
}

func isYes(text string) bool {
	switch strings.ToLower(strings.TrimSpace(text)) {
	case "y", "yes", "true", "1", "x", "j", "ja", "wahr", "m", "mandatory", "required", "pflicht", "muss", "✓", "not null":
		return true
	}
	return false
}

func isNo(text string) bool {
	switch strings.ToLower(strings.TrimSpace(text)) {
	case "n", "no", "false", "0", "nein", "falsch", "not null", "-", "required", "mandatory":
		return true
	}
	return false
}

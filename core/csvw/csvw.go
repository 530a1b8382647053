// Package csvw reads and writes metadata of CSV on the Web (W3C Recommendation "Metadata Vocabulary
// for Tabular Data", 2015) as targets, and says what one of them cannot express of the other.
package csvw

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"path"
	"regexp"
	"slices"
	"strings"

	"sieb/core/draft"
	"sieb/core/edit"
	"sieb/core/target"
	"sieb/core/value"
	"sieb/core/violation"
)

// context is where the vocabulary is defined.
const context = "http://www.w3.org/ns/csvw"

// MostBytes is how long a metadata document may be.
const MostBytes = 4 << 20

// Metadata is a target that was read.
type Metadata struct {
	Target  []byte   // as YAML
	Mapping []byte   // with the layout, where the document has a dialect; nil where it has none
	Left    []string // what a target cannot express, in words
}

// Read makes a target of a metadata document: of its only table, or of that whose url is named.
func Read(text []byte, url string) (*Metadata, error) {
	if len(text) > MostBytes {
		return nil, fmt.Errorf("the document is longer than %d MiB", MostBytes>>20)
	}
	decoder := json.NewDecoder(bytes.NewReader(text))
	decoder.UseNumber()
	var doc map[string]any
	if err := decoder.Decode(&doc); err != nil {
		return nil, fmt.Errorf("the document is not JSON: %w", err)
	}
	if !isContext(doc["@context"]) {
		return nil, fmt.Errorf("the document is no CSVW metadata: its @context is not %s", context)
	}
	table, err := tableOf(doc, url)
	if err != nil {
		return nil, err
	}
	r := &reader{}
	return r.read(doc, table)
}

func isContext(v any) bool {
	switch v := v.(type) {
	case string:
		return v == context
	case []any:
		return len(v) > 0 && v[0] == context
	}
	return false
}

// tableOf finds the table that is meant.
func tableOf(doc map[string]any, url string) (map[string]any, error) {
	list, isGroup := doc["tables"].([]any)
	if !isGroup {
		if doc["tableSchema"] == nil {
			return nil, errors.New("the document describes no table: it has neither tableSchema nor tables")
		}
		return doc, nil
	}
	var urls []string
	var found map[string]any
	for _, one := range list {
		t, ok := one.(map[string]any)
		if !ok {
			continue
		}
		name := textOf(t["url"])
		urls = append(urls, name)
		if found == nil && (url == "" || name == url || path.Base(name) == url) {
			found = t
		}
	}
	switch {
	case found == nil && len(urls) == 0:
		return nil, errors.New("the document lists no table")
	case found == nil:
		return nil, fmt.Errorf("the document has no table %q; it has %s", url, strings.Join(urls, ", "))
	case url == "" && len(urls) > 1:
		return nil, fmt.Errorf("the document has %d tables: name one of %s", len(urls), strings.Join(urls, ", "))
	}
	return found, nil
}

type reader struct {
	left  []string
	steps []edit.Step
}

func (r *reader) leave(format string, args ...any) {
	r.left = append(r.left, fmt.Sprintf(format, args...))
}

func (r *reader) set(v any, path ...string) {
	r.steps = append(r.steps, edit.Step{In: edit.Target, Do: edit.Set, Path: path, Value: v})
}

func (r *reader) read(doc, table map[string]any) (*Metadata, error) {
	schema, ok := table["tableSchema"].(map[string]any)
	if !ok {
		return nil, errors.New("the table has no tableSchema within the document; one at another address is not fetched")
	}
	columns, ok := schema["columns"].([]any)
	if !ok || len(columns) == 0 {
		return nil, errors.New("the tableSchema has no columns")
	}
	base := path.Base(textOf(table["url"]))
	name := draft.Legal(strings.TrimSuffix(strings.TrimSuffix(base, path.Ext(base)), "."), -1)
	if base == "." || base == "" {
		name = "table"
	}
	title := firstOf(table["dc:title"], table["dcterms:title"], doc["dc:title"])
	if title != "" {
		r.set(title, "title")
	}
	names := map[string]string{} // of the document's columns
	inherited := merged(doc, table, schema)
	for i, one := range columns {
		c, ok := one.(map[string]any)
		if !ok {
			return nil, fmt.Errorf("column %d of the tableSchema is no object", i+1)
		}
		if c["virtual"] == true {
			r.leave("the virtual column %s", textOf(c["name"]))
			continue
		}
		r.column(i, merged(inherited, c), c, names)
	}
	r.keys(schema, names)
	for _, property := range slices.Sorted(maps.Keys(table)) {
		if !slices.Contains([]string{"@context", "@type", "@id", "url", "tableSchema", "dialect", "dc:title",
			"dcterms:title", "tables",
			"null", "lang", "default", "required", "separator", "ordered", "datatype"}, property) {
			r.leave("%s of the table", property)
		}
	}
	text, err := edit.Apply([]byte(fmt.Sprintf("target: %s\n", edit.Scalar(name))), edit.Target, r.steps)
	if err != nil {
		return nil, err
	}
	if _, err := target.Parse(text); err != nil {
		return nil, fmt.Errorf("the metadata makes no target: %w", err)
	}
	m := &Metadata{Target: text, Left: r.left}
	dialect, ok := table["dialect"].(map[string]any)
	if !ok {
		dialect, ok = doc["dialect"].(map[string]any)
	}
	if ok {
		err = r.dialect(m, name, dialect)
	}
	return m, err
}

// inheritable are the properties that a column takes from what holds it.
var inheritable = []string{"null", "default", "required", "separator", "ordered", "datatype", "lang"}

// merged returns the inherited properties of some objects, those of the later ones first.
func merged(all ...map[string]any) map[string]any {
	out := map[string]any{}
	for i, o := range all {
		for k, v := range o {
			if slices.Contains(inheritable, k) || i == len(all)-1 {
				out[k] = v
			}
		}
	}
	return out
}

func (r *reader) column(i int, c, own map[string]any, names map[string]string) {
	titles := textsOf(own["titles"])
	given := textOf(own["name"])
	name := given
	if name == "" && len(titles) > 0 {
		name = titles[0]
	}
	if !target.IsName(name) {
		name = draft.Legal(name, i)
	}
	for n := 2; ; n++ {
		taken := slices.Contains(slices.Collect(maps.Values(names)), name)
		if !taken {
			break
		}
		name = fmt.Sprintf("%s_%d", strings.TrimRight(name, "_0123456789"), n)
	}
	names[firstText(given, name)] = name
	to := map[string]any{"name": name}
	if given != "" && given != name {
		titles = append(titles, given)
	}
	titles = slices.DeleteFunc(titles, func(t string) bool { return t == name })
	if len(titles) > 0 {
		to["titles"] = titles
	}
	if d := firstOf(own["dc:description"], own["dcterms:description"], own["rdfs:comment"]); d != "" {
		to["description"] = d
	}
	r.datatype(to, name, c["datatype"])
	if c["required"] == true {
		to["required"] = true
	}
	if nulls := textsOf(c["null"]); c["null"] != nil && !slices.Equal(nulls, []string{""}) {
		to["null"] = nulls
	}
	if s := textOf(c["separator"]); s != "" {
		to["separator"] = s
	}
	if d := textOf(c["default"]); d != "" {
		if to["default"] = d; !target.IsColumn(to) {
			delete(to, "default")
			r.leave("the default %q of the column %s, which its other properties do not allow", d, name)
		}
	}
	for _, property := range slices.Sorted(maps.Keys(own)) {
		if !slices.Contains(append([]string{"name", "titles", "@type", "@id", "dc:description", "dcterms:description",
			"rdfs:comment",
			"virtual"}, inheritable...), property) {
			r.leave("%s of the column %s", property, name)
		}
	}
	r.steps = append(r.steps, edit.Step{In: edit.Target, Do: edit.Add, Path: []string{"columns"}, Value: to})
}

// datatype takes a datatype: its name, or an object with what it is derived from.
func (r *reader) datatype(to map[string]any, column string, v any) {
	d, isObject := v.(map[string]any)
	base := textOf(v)
	if isObject {
		base = firstText(textOf(d["base"]), "string")
	}
	name, known := baseOf(base)
	if !known {
		r.leave("the datatype %s of the column %s, which becomes a text", base, column)
	}
	if name != "string" {
		to["datatype"] = name
	}
	if !isObject {
		return
	}
	for _, property := range slices.Sorted(maps.Keys(d)) {
		p := d[property]
		switch property {
		case "base", "@id", "dc:title", "dc:description", "@type":
		case "format":
			r.format(to, column, name, p)
		case "minimum", "minInclusive":
			to["minimum"] = p
		case "maximum", "maxInclusive":
			to["maximum"] = p
		case "length":
			to["minLength"], to["maxLength"] = p, p
		case "minLength", "maxLength":
			to[property] = p
		default:
			r.leave("%s of the datatype of the column %s", property, column)
		}
	}
}

// baseOf returns a target's datatype for one of CSVW; false where it has none and a text takes its place.
func baseOf(base string) (name string, known bool) {
	switch base {
	case "", "string", "normalizedString", "token", "Name", "NMTOKEN", "language", "any", "anyAtomicType":
		return "string", true
	case "number":
		return "double", true
	case "float":
		return "double", true
	case "datetime":
		return "dateTime", true
	case "dateTimeStamp":
		return base, true
	}
	if _, _, sized := value.Sized(base); sized {
		return base, true
	}
	var d value.Datatype
	if d.UnmarshalText([]byte(base)) == nil {
		return base, true
	}
	return "string", false
}

func (r *reader) format(to map[string]any, column, datatype string, v any) {
	of, isObject := v.(map[string]any)
	switch {
	case isObject:
		for _, property := range slices.Sorted(maps.Keys(of)) {
			switch text := textOf(of[property]); property {
			case "pattern":
				to["format"] = text
			case "decimalChar", "groupChar":
				if text != "." || property == "groupChar" {
					to[property] = text
				}
			}
		}
	case datatype == "anyURI" || datatype == "duration":
		r.leave("the format of the column %s", column)
	default:
		to["format"] = textOf(v)
	}
}

func (r *reader) keys(schema map[string]any, names map[string]string) {
	known := func(v any) (all []string) {
		for _, n := range textsOf(v) {
			all = append(all, firstText(names[n], n))
		}
		return all
	}
	if key := known(schema["primaryKey"]); len(key) > 0 {
		r.set(key, "key")
	}
	foreign, _ := schema["foreignKeys"].([]any)
	for _, one := range foreign {
		fk, _ := one.(map[string]any)
		to, _ := fk["reference"].(map[string]any)
		resource := path.Base(textOf(to["resource"]))
		if resource == "." {
			r.leave("a foreign key to a schema at another address")
			continue
		}
		name := draft.Legal(strings.TrimSuffix(resource, path.Ext(resource)), -1)
		r.steps = append(r.steps, edit.Step{In: edit.Target, Do: edit.Add, Path: []string{"foreignKeys"},
			Value: map[string]any{
				"columnReference": known(fk["columnReference"]), "reference": map[string]any{"resource": name,
					"columnReference": textsOf(to["columnReference"])}}})
	}
	for _, property := range slices.Sorted(maps.Keys(schema)) {
		if !slices.Contains(append([]string{"columns", "primaryKey", "foreignKeys", "@type", "@id"}, inheritable...),
			property) {
			r.leave("%s of the tableSchema", property)
		}
	}
}

// dialect makes a mapping of how the files are written.
func (r *reader) dialect(m *Metadata, name string, d map[string]any) error {
	layout := map[string]any{}
	for _, property := range slices.Sorted(maps.Keys(d)) {
		v := d[property]
		switch property {
		case "encoding", "delimiter", "quoteChar", "doubleQuote", "commentPrefix", "skipRows":
			if v != nil {
				layout[property] = v
			}
		case "headerRowCount":
			layout["headerRows"] = v
		case "header":
			if v == false && d["headerRowCount"] == nil {
				layout["headerRows"] = json.Number("0")
			}
		case "@type", "@id", "lineTerminators", "trim", "skipBlankRows", "skipInitialSpace":
		default:
			m.Left = append(m.Left, property+" of the dialect")
		}
	}
	if len(layout) == 0 {
		return nil
	}
	text, err := edit.Apply([]byte(fmt.Sprintf("mapping: %s\ntarget: %s\n", edit.Scalar(name), edit.Scalar(name))),
		edit.Mapping,
		[]edit.Step{{In: edit.Mapping, Do: edit.Set, Path: []string{"layout"}, Value: layout}})
	if err != nil {
		return err
	}
	if _, err := target.ParseMapping(text); err != nil {
		m.Left = append(m.Left, "the dialect: "+err.Error())
		return nil
	}
	m.Mapping = text
	return nil
}

// textOf returns a text, a number or the first text of several languages.
func textOf(v any) string {
	switch v := v.(type) {
	case string:
		return v
	case json.Number:
		return v.String()
	}
	if all := textsOf(v); len(all) > 0 {
		return all[0]
	}
	return ""
}

// textsOf returns texts: one, a list, or those of several languages.
func textsOf(v any) (all []string) {
	switch v := v.(type) {
	case string:
		return []string{v}
	case []any:
		for _, one := range v {
			all = append(all, textsOf(one)...)
		}
	case map[string]any:
		if text, ok := v["@value"].(string); ok {
			return []string{text}
		}
		for _, language := range slices.Sorted(maps.Keys(v)) {
			all = append(all, textsOf(v[language])...)
		}
	}
	return all
}

func firstOf(all ...any) string {
	for _, v := range all {
		if text := textOf(v); text != "" {
			return text
		}
	}
	return ""
}

func firstText(all ...string) string {
	for _, text := range all {
		if text != "" {
			return text
		}
	}
	return ""
}

// Write makes the metadata document of a target, for files of its accepted rows; url is the address of such a
// file. It returns what the document does not express, too.
func Write(t *target.Target, url string) (text []byte, left []string, err error) {
	w := &writer{key: keyOf(t)}
	columns := make([]any, len(t.Columns))
	for i := range t.Columns {
		columns[i] = w.column(&t.Columns[i])
	}
	schema := object{{"columns", columns}}
	if len(w.key) > 0 {
		schema = append(schema, property{"primaryKey", w.key})
	}
	w.foreign(&schema, t)
	w.whole(t)
	doc := object{{"@context", context}, {"url", url}}
	if t.Title != "" {
		doc = append(doc, property{"dc:title", t.Title})
	}
	doc = append(doc, property{"dialect", object{{"encoding", "utf-8"}, {"delimiter", ","}, {"header", true},
		{"doubleQuote", true}}},
		property{"tableSchema", schema})
	text, err = json.MarshalIndent(doc, "", "  ")
	return append(text, '\n'), w.left, err
}

// keyOf returns the columns that tell rows apart: without a key the only one that has to be unique, if it is
// required, which is the same.
func keyOf(t *target.Target) []string {
	var unique []string
	for i := range t.Columns {
		if c := &t.Columns[i]; c.Unique {
			unique = append(unique, c.Name)
			if !c.Required {
				unique = append(unique, c.Name) // it may be empty in many rows
			}
		}
	}
	if len(t.Key) == 0 && len(unique) == 1 {
		return unique
	}
	return t.Key
}

type writer struct {
	key  []string
	left []string
}

func (w *writer) leave(format string, args ...any) {
	w.left = append(w.left, fmt.Sprintf(format, args...))
}

// column describes a column of accepted rows, whose values are in canonical form.
func (w *writer) column(c *target.Column) object {
	out := object{{"name", c.Name}, {"titles", c.Name}}
	if c.Description != "" {
		out = append(out, property{"dc:description", c.Description})
	}
	d := object{{"base", baseName(c)}}
	put := func(name string, v any) { d = append(d, property{name, v}) }
	isSet := c.Datatype == value.String && len(c.Formats) == 0 && len(c.OneOf) > 0
	switch {
	case isSet:
		put("format", alternatives(c.OneOf)) // of a string it is a regular expression
	case c.Datatype.IsText() && len(c.Formats) == 1:
		put("format", c.Formats[0])
	}
	if c.MinLength != nil {
		put("minLength", *c.MinLength)
	}
	if c.MaxLength != nil {
		put("maxLength", *c.MaxLength)
	}
	for name, limit := range map[string]string{"minimum": c.Minimum, "maximum": c.Maximum} {
		switch {
		case limit == "":
		case strings.HasPrefix(limit, "today"):
			w.leave("the %s of %s, which depends on the day", name, c.Name)
		default:
			put(name, limit)
		}
	}
	slices.SortStableFunc(d[1:], func(a, b property) int { return strings.Compare(a.name, b.name) })
	if len(d) == 1 {
		out = append(out, property{"datatype", baseName(c)})
	} else {
		out = append(out, property{"datatype", d})
	}
	if c.Required {
		out = append(out, property{"required", true})
	}
	if c.Separator != "" {
		out = append(out, property{"separator", c.Separator})
	}
	w.unsaid(c)
	return out
}

// alternatives makes a regular expression of texts.
func alternatives(texts []string) string {
	quoted := make([]string, len(texts))
	for i, text := range texts {
		quoted[i] = regexp.QuoteMeta(text)
	}
	return strings.Join(quoted, "|")
}

// unsaid lists what the vocabulary has no words for.
func (w *writer) unsaid(c *target.Column) {
	isKey := len(w.key) == 1 && w.key[0] == c.Name
	for i := range target.Rules {
		r := &target.Rules[i]
		isSaid := r.InCSVW != nil && r.InCSVW(c) || r.Name == "unique" && isKey
		if r.IsSet(c) && !isSaid {
			w.left = append(w.left, r.Name+" of the column "+c.Name)
		}
	}
	for what, is := range map[string]bool{"onViolation": c.OnViolation != nil || len(c.OnCode) > 0, "derive": c.Derive != ""} {
		if is {
			w.left = append(w.left, what+" of the column "+c.Name)
		}
	}
	slices.Sort(w.left)
}

// baseName returns the datatype of CSVW that a column has.
func baseName(c *target.Column) string {
	if c.Datatype == value.DateTime && c.Zoned {
		return "dateTimeStamp"
	}
	return c.Datatype.String()
}

func (w *writer) foreign(schema *object, t *target.Target) {
	var all []object
	for _, fk := range t.ForeignKeys {
		if fk.Reference.Resource == "" {
			w.leave("the reference of %s to %s", strings.Join(fk.Columns, ", "), fk.Reference.Name())
			continue
		}
		all = append(all, object{{"columnReference", fk.Columns},
			{"reference", object{{"resource", fk.Reference.Resource + ".csv"},
				{"columnReference", fk.Reference.Columns}}}})
	}
	if len(all) > 0 {
		*schema = append(*schema, property{"foreignKeys", all})
	}
}

// whole lists what concerns rows and deliveries.
func (w *writer) whole(t *target.Target) {
	for _, r := range t.RowRules {
		w.leave("the row rule %s", r.Name)
	}
	for _, key := range t.UniqueKeys {
		w.leave("the unique key %s", strings.Join(key, ", "))
	}
	for what, is := range map[string]bool{"exclude": len(t.Exclude) > 0, "absentFrom": len(t.AbsentFrom) > 0,
		"tolerance": t.Tolerance.IsSet(), "repeated": t.Repeated.Rows || t.Repeated.OnViolation != violation.Reject} {
		if is {
			w.left = append(w.left, what)
		}
	}
}

// object is a JSON object whose properties keep their order.
type object []property

type property struct {
	name  string
	value any
}

// MarshalJSON writes the properties in their order.
func (o object) MarshalJSON() ([]byte, error) {
	var b bytes.Buffer
	b.WriteByte('{')
	for i, p := range o {
		if i > 0 {
			b.WriteByte(',')
		}
		name, err := json.Marshal(p.name)
		if err != nil {
			return nil, err
		}
		text, err := json.Marshal(p.value)
		if err != nil {
			return nil, err
		}
		b.Write(name)
		b.WriteByte(':')
		b.Write(text)
	}
	b.WriteByte('}')
	return b.Bytes(), nil
}

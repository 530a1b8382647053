package target

import (
	"math/big"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"sieb/core/condition"
	"sieb/core/value"
	"sieb/core/violation"
)

// Parse reads a target from YAML or JSON text. The error is of type Problems.
func Parse(text []byte) (*Target, error) {
	body, err := document(text, "target")
	if err != nil {
		return nil, err
	}
	p := &reading{}
	t := p.target(body)
	if err := p.end(); err != nil {
		return nil, err
	}
	t.Text = text
	return t, nil
}

// raw is a target in the making, with the nodes of what can only be checked once all
// of it is read.
type raw struct {
	Target
	columns  []ast.Node
	details  []map[string]ast.Node // of the columns
	rules    []map[string]ast.Node // of the row rules
	excluded []map[string]ast.Node // of the exclusions
	foreign  []map[string]ast.Node // of the foreign keys
	absent   []map[string]ast.Node // of the contrary
	keys     []ast.Node            // of uniqueKeys
	controls []map[string]ast.Node // of the controls
}

var targetFields = append([]field[raw]{
	{"target", textSchema, "name of the target: letters, digits, _ and -",
		func(p *reading, n ast.Node, t *raw) { t.Name = p.name(n, "target") }},
	{"title", textSchema, "what the table is called by people",
		func(p *reading, n ast.Node, t *raw) { t.Title = p.text(n, "title") }},
	{"columns", listSchema(objectSchema(columnFields)), "the columns of the table, in order",
		func(p *reading, n ast.Node, t *raw) { t.columns = p.sequence(n, "columns") }},
	{"key", textsSchema, "the columns whose values together occur only once",
		func(p *reading, n ast.Node, t *raw) { t.Key = p.texts(n, "key", maxKey) }},
	{"uniqueKeys", listSchema(textsSchema),
		"further columns whose values together occur only once; where one of them " +
			"has no value, they may recur",
		func(p *reading, n ast.Node, t *raw) { p.uniqueKeys(n, t) }},
	{"foreignKeys", listSchema(objectSchema(foreignKeyFields)), "columns whose values occur in another table",
		func(p *reading, n ast.Node, t *raw) {
			t.ForeignKeys, t.foreign = p.foreignKeys(n, "foreignKeys", t.foreign)
		}},
	{"absentFrom", listSchema(objectSchema(foreignKeyFields)), "columns whose values do not occur in another table yet",
		func(p *reading, n ast.Node, t *raw) {
			t.AbsentFrom, t.absent = p.foreignKeys(n, "absentFrom", t.absent)
		}},
	{"rowRules", listSchema(objectSchema(ruleFields)), "conditions over several columns of a row",
		func(p *reading, n ast.Node, t *raw) { p.rules(n, t) }},
	{"exclude", listSchema(objectSchema(exclusionFields)), "rows that are left out, and why",
		func(p *reading, n ast.Node, t *raw) { t.Exclude, t.excluded = p.exclusions(n) }},
	{"leftOut", textsSchema, "headers of columns that are known and not wanted",
		func(p *reading, n ast.Node, t *raw) { t.LeftOut = p.texts(n, "leftOut", maxColumns) }},
	{"newColumns", choiceSchema("flag", "refuse"), "what becomes of a delivery with a column that is not known",
		func(p *reading, n ast.Node, t *raw) { t.RefuseNew = p.newColumns(n) }},
	{"rows", objectSchema(rowsFields), "how many rows a delivery is to have",
		func(p *reading, n ast.Node, t *raw) { t.Rows = p.rows(n) }},
	{"tolerance", objectSchema(toleranceFields), "how much may be rejected before the delivery is refused",
		func(p *reading, n ast.Node, t *raw) { fill(p, n, "tolerance", toleranceFields, &t.Tolerance) }},
	{"repeated", objectSchema(repeatedFields), "which of the rows that repeat others are kept",
		func(p *reading, n ast.Node, t *raw) { fill(p, n, "repeated", repeatedFields, &t.Repeated) }},
}, deliveryFields(func(t *raw) *DeliveryRules { return &t.Delivery },
	func(t *raw) *[]map[string]ast.Node { return &t.controls })...)

func (p *reading) target(n ast.Node) *Target {
	t := &raw{}
	at := fill(p, n, "a target", targetFields, t)
	// Where a name is not known, what is missing is most likely mistyped.
	mistyped := p.strange > 0
	if at["target"] == nil && !mistyped {
		p.wrong(n, "the target has no name: add target: NAME")
	}
	if at["columns"] == nil {
		if !mistyped {
			p.wrong(n, "the target has no columns: add columns with at least one name")
		}
		return &t.Target
	}
	if len(t.columns) > maxColumns {
		p.wrong(at["columns"], "the target has %d columns: at most %d", len(t.columns), maxColumns)
		return &t.Target
	}
	if len(t.columns) == 0 {
		p.wrong(at["columns"], "the target has no columns: add at least one name")
	}
	p.columns(t)
	p.key(at["key"], &t.Target)
	for i, key := range t.UniqueKeys {
		p.known(t.keys[i], "uniqueKeys", key, &t.Target)
	}
	for i := range t.ForeignKeys {
		p.known(t.foreign[i]["columnReference"], "columnReference", t.ForeignKeys[i].Columns, &t.Target)
	}
	for i := range t.AbsentFrom {
		p.known(t.absent[i]["columnReference"], "columnReference", t.AbsentFrom[i].Columns, &t.Target)
	}
	p.controlled(t.Delivery.Controls, t.controls, &t.Target)
	if len(p.problems) == 0 {
		p.conditions(t)
	}
	t.labelled = p.labelled
	return &t.Target
}

func (p *reading) columns(t *raw) {
	names := map[string]bool{}
	for _, n := range t.columns {
		c, at := p.column(n)
		if names[c.Name] && c.Name != "" {
			p.wrong(n, "a second column %q", clip(c.Name))
		}
		names[c.Name] = true
		t.Columns, t.details = append(t.Columns, c), append(t.details, at)
	}
}

func (p *reading) key(at ast.Node, t *Target) {
	for i, k := range t.Key {
		c := t.Column(k)
		switch {
		case c == nil:
			p.wrong(at, "the key names %q, which is not a column", k)
		case slices.Contains(t.Key[:i], k):
			p.wrong(at, "the key names %q twice", k)
		case c.blanks():
			p.wrong(at, "%q belongs to the key and cannot be blanked on a violation", k)
		default:
			c.Required = true
		}
	}
}

// known checks that a list of columns names some of the target, each once.
func (p *reading) known(at ast.Node, what string, names []string, t *Target) {
	for i, name := range names {
		switch {
		case t.Column(name) == nil:
			p.wrong(at, "%s names %q, which is not a column", what, clip(name))
		case slices.Contains(names[:i], name):
			p.wrong(at, "%s names %q twice", what, clip(name))
		}
	}
}

func (p *reading) uniqueKeys(n ast.Node, t *raw) {
	all := p.sequence(n, "uniqueKeys")
	if len(all) > maxKey {
		p.wrong(n, "uniqueKeys has %d entries: at most %d", len(all), maxKey)
		return
	}
	for _, key := range all {
		if names := p.texts(key, "a unique key", maxKey); len(names) > 0 {
			t.UniqueKeys, t.keys = append(t.UniqueKeys, names), append(t.keys, key)
		} else {
			p.wrong(key, "the unique key names no column")
		}
	}
}

// conditions checks all expressions of a target, once its columns are known.
func (p *reading) conditions(t *raw) {
	known := Known(t.Columns)
	computed := 0
	for i := range t.Columns {
		c := &t.Columns[i]
		if c.Derive == "" && c.RequiredWhen == "" {
			continue
		}
		if computed++; computed > maxRules {
			p.wrong(t.columns[i], "more than %d columns are computed or required by a condition", maxRules)
			return
		}
		if c.RequiredWhen != "" {
			p.condition(t.details[i]["requiredWhen"], c.RequiredWhen, known, condition.Truth)
		}
	}
	p.derivations(t.Columns, known, t.details)
	for i, r := range t.RowRules {
		p.condition(t.rules[i]["condition"], r.Condition, known, condition.Truth)
	}
	for i, x := range t.Exclude {
		p.condition(t.excluded[i]["condition"], x.Condition, known, condition.Truth)
	}
}

// derivations checks what columns are computed from, and that none of them is computed
// from itself.
func (p *reading) derivations(columns []Column, known []condition.Column, at []map[string]ast.Node) {
	needs := make([][]string, len(columns))
	for i := range columns {
		if columns[i].Derive == "" {
			continue
		}
		if program := p.condition(at[i]["derive"], columns[i].Derive, known,
			resultsFor(columns[i].ValueType())...); program != nil {
			needs[i] = program.Columns()
		}
	}
	if circle := Order(columns, needs); circle == nil {
		for i := range columns {
			if way := circleFrom(columns, needs, i); way != nil {
				p.wrong(at[i]["derive"], "%s is computed from itself: %s", columns[i].Name, strings.Join(way, " from "))
				return
			}
		}
	}
}

// resultsFor returns the kinds of results that a column's values can be computed as; a text
// is read as a cell would be.
func resultsFor(d value.Datatype) []condition.Kind {
	switch {
	case d.IsNumber():
		return []condition.Kind{condition.Number, condition.Text}
	case d == value.Boolean:
		return []condition.Kind{condition.Truth, condition.Text}
	case d.HasDay():
		return []condition.Kind{condition.Moment, condition.Text}
	}
	return nil
}

// Order returns the places of columns in an order in which each stands behind those
// that it is computed from; nil where there is none. needs are the names that each
// column is computed from.
func Order(columns []Column, needs [][]string) []int {
	at := map[string]int{}
	for i := range columns {
		at[columns[i].Name] = i
	}
	order := make([]int, 0, len(columns))
	state := make([]uint8, len(columns)) // 1: being visited, 2: placed
	var visit func(i int) bool
	visit = func(i int) bool {
		if state[i] > 0 {
			return state[i] == 2
		}
		state[i] = 1
		for _, name := range needs[i] {
			if !visit(at[name]) {
				return false
			}
		}
		state[i] = 2
		order = append(order, i)
		return true
	}
	for i := range columns {
		if !visit(i) {
			return nil
		}
	}
	return order
}

// circleFrom returns the names on a way from a column back to it.
func circleFrom(columns []Column, needs [][]string, from int) []string {
	seen := map[string]bool{}
	var walk func(i int, way []string) []string
	walk = func(i int, way []string) []string {
		way = append(way, columns[i].Name)
		for _, name := range needs[i] {
			if name == columns[from].Name {
				return append(way, name)
			}
			if seen[name] {
				continue
			}
			seen[name] = true
			k := slices.IndexFunc(columns, func(c Column) bool { return c.Name == name })
			if found := walk(k, way); found != nil {
				return found
			}
		}
		return nil
	}
	return walk(from, nil)
}

var legalName = regexp.MustCompile(`^[\pL\pN_][\pL\pN_-]{0,62}$`)

// IsName reports whether a target, a mapping or a column can have this name.
func IsName(name string) bool { return legalName.MatchString(name) }

var ruleFields = []field[RowRule]{
	{"name", textSchema, "what the rule says, in words",
		func(p *reading, n ast.Node, r *RowRule) { r.Name = p.text(n, "name") }},
	{"condition", textSchema, "a condition in CEL that holds in each row",
		func(p *reading, n ast.Node, r *RowRule) { r.Condition = p.text(n, "condition") }},
	{"onViolation", choiceSchema("reject", "flag", "refuse"), "what becomes of a row in which it does not",
		func(p *reading, n ast.Node, r *RowRule) { r.OnViolation = p.wholeRow(n) }},
	{"message", textSchema, "what its sender is told, in place of Sieb's own words",
		func(p *reading, n ast.Node, r *RowRule) { r.Message = p.text(n, "message") }},
}

func (p *reading) rules(n ast.Node, t *raw) {
	all := p.sequence(n, "rowRules")
	if len(all) > maxRules {
		p.wrong(n, "the target has %d row rules: at most %d", len(all), maxRules)
		return
	}
	for _, rule := range all {
		var r RowRule
		at := fill(p, rule, "a row rule", ruleFields, &r)
		switch {
		case at["condition"] == nil:
			p.wrong(rule, "the row rule has no condition")
		case r.Name == "":
			r.Name = r.Condition
		}
		if slices.ContainsFunc(t.RowRules, func(o RowRule) bool { return o.Name == r.Name && r.Name != "" }) {
			p.wrong(rule, "a second row rule %q: give each a name of its own", clip(r.Name))
		}
		t.RowRules, t.rules = append(t.RowRules, r), append(t.rules, at)
	}
}

var foreignKeyFields = []field[ForeignKey]{
	{"columnReference", textsSchema, "the columns of this table",
		func(p *reading, n ast.Node, f *ForeignKey) { f.Columns = p.texts(n, "columnReference", maxKey) }},
	{"reference", objectSchema(referenceFields), "the other table",
		func(p *reading, n ast.Node, f *ForeignKey) { fill(p, n, "a reference", referenceFields, &f.Reference) }},
	{"onViolation", choiceSchema("reject", "flag", "refuse"), "what becomes of a row that breaks it",
		func(p *reading, n ast.Node, f *ForeignKey) { f.OnViolation = p.wholeRow(n) }},
	{"message", textSchema, "what its sender is told, in place of Sieb's own words",
		func(p *reading, n ast.Node, f *ForeignKey) { f.Message = p.text(n, "message") }},
}

var referenceFields = []field[Reference]{
	{"resource", textSchema, "name of a file that the run is given, or of a target whose accepted rows are meant",
		func(p *reading, n ast.Node, r *Reference) { r.Resource = p.name(n, "resource") }},
	{"codes", textSchema, "name of a code list, whose codes are meant",
		func(p *reading, n ast.Node, r *Reference) { r.Codes = p.name(n, "codes") }},
	{"database", textSchema, "name of a database that the service's settings name",
		func(p *reading, n ast.Node, r *Reference) { r.Database = p.text(n, "database") }},
	{"table", textSchema, "table of the database: schema.table",
		func(p *reading, n ast.Node, r *Reference) { r.Table = p.text(n, "table") }},
	{"columnReference", textsSchema,
		"the columns of the other table; where they are left out, they have the same names",
		func(p *reading, n ast.Node, r *Reference) { r.Columns = p.texts(n, "columnReference", maxKey) }},
}

func (p *reading) foreignKeys(n ast.Node, what string, at []map[string]ast.Node) ([]ForeignKey, []map[string]ast.Node) {
	nodes := p.sequence(n, what)
	if len(nodes) > maxKey {
		p.wrong(n, "%s has %d entries: at most %d", what, len(nodes), maxKey)
		return nil, nil
	}
	var all []ForeignKey
	for _, entry := range nodes {
		var f ForeignKey
		details := fill(p, entry, "an entry of "+what, foreignKeyFields, &f)
		r := &f.Reference
		if len(r.Columns) == 0 {
			r.Columns = f.Columns
		}
		switch {
		case details["columnReference"] == nil || len(f.Columns) == 0:
			p.wrong(entry, "the entry does not say which columns are meant: add columnReference")
		case details["reference"] == nil:
			p.wrong(entry, "the entry does not say what it refers to: add reference")
		case r.places() != 1:
			p.wrong(details["reference"], "a reference has a resource, or codes, or a database and a table")
		case r.Codes != "" && len(f.Columns) > 1:
			p.wrong(details["columnReference"], "a code list has one column, and %d refer to it", len(f.Columns))
		case (r.Table == "") != (r.Database == ""):
			p.wrong(details["reference"], "a reference to a table names its database, and a database its table")
		case len(r.Columns) != len(f.Columns):
			p.wrong(details["reference"], "%d columns refer to %d: give as many", len(f.Columns), len(r.Columns))
		}
		all, at = append(all, f), append(at, details)
	}
	return all, at
}

// places counts where the other table is said to be.
func (r *Reference) places() (n int) {
	for _, name := range []string{r.Resource, r.Codes, r.Table} {
		if name != "" {
			n++
		}
	}
	return n
}

var exclusionFields = []field[Exclusion]{
	{"condition", textSchema, "a condition in CEL; rows in which it holds are left out",
		func(p *reading, n ast.Node, x *Exclusion) { x.Condition = p.text(n, "condition") }},
	{"reason", textSchema, "why they are left out, for the report",
		func(p *reading, n ast.Node, x *Exclusion) { x.Reason = p.text(n, "reason") }},
}

func (p *reading) exclusions(n ast.Node) (all []Exclusion, at []map[string]ast.Node) {
	nodes := p.sequence(n, "exclude")
	if len(nodes) > maxRules {
		p.wrong(n, "exclude has %d entries: at most %d", len(nodes), maxRules)
		return nil, nil
	}
	for _, entry := range nodes {
		var x Exclusion
		details := fill(p, entry, "an entry of exclude", exclusionFields, &x)
		if details["condition"] == nil {
			p.wrong(entry, "the entry has no condition")
		}
		if x.Reason == "" {
			x.Reason = x.Condition
		}
		all, at = append(all, x), append(at, details)
	}
	return all, at
}

func (p *reading) newColumns(n ast.Node) bool {
	return p.choice(n, "newColumns", []string{"flag", "refuse"}) == 1
}

var rowsFields = []field[Rows]{
	{"minimum", countSchema, "the least number; 1 where it is left out",
		func(p *reading, n ast.Node, r *Rows) { r.Minimum = p.rowCount(n, "minimum") }},
	{"maximum", countSchema, "the greatest number",
		func(p *reading, n ast.Node, r *Rows) { r.Maximum = p.rowCount(n, "maximum") }},
}

func (p *reading) rowCount(n ast.Node, what string) *int64 {
	count := p.count(n, what, 0)
	if count == nil {
		return nil
	}
	rows := int64(*count)
	return &rows
}

func (p *reading) rows(n ast.Node) (r Rows) {
	fill(p, n, "rows", rowsFields, &r)
	if r.Maximum != nil && r.Least() > *r.Maximum {
		p.wrong(n, "rows: the minimum %d is greater than the maximum %d", r.Least(), *r.Maximum)
	}
	return r
}

var toleranceFields = []field[Tolerance]{
	{"rejected", textSchema, "a number of rows such as 100, or a share such as 2%",
		func(p *reading, n ast.Node, t *Tolerance) { p.rejected(n, t) }},
}

func (p *reading) rejected(n ast.Node, t *Tolerance) {
	text := strings.TrimSpace(p.text(n, "rejected"))
	percent, isShare := strings.CutSuffix(text, "%")
	if isShare {
		share, ok := new(big.Rat).SetString(strings.TrimSpace(percent))
		if ok && share.Sign() >= 0 && share.Cmp(big.NewRat(100, 1)) <= 0 && !strings.ContainsAny(percent, "/eE") {
			t.Share = share.Quo(share, big.NewRat(100, 1))
			return
		}
	} else if rows, err := strconv.ParseInt(text, 10, 64); err == nil && rows >= 0 {
		t.Rows = &rows
		return
	}
	p.wrong(n, "rejected: %q is neither a number of rows such as 100 nor a share such as 2%%", text)
}

// wholeRow reads what a violation does that concerns a row rather than a cell.
func (p *reading) wholeRow(n ast.Node) violation.Action {
	a := p.action(n)
	if a == violation.Blank {
		p.wrong(n, "the rule concerns a row, in which no one cell can be blanked: use reject, flag or refuse")
	}
	return a
}

// action reads what a violation does.
func (p *reading) action(n ast.Node) (a violation.Action) {
	if err := a.UnmarshalText([]byte(p.text(n, "onViolation"))); err != nil {
		p.wrong(n, "%v", err)
	}
	return a
}

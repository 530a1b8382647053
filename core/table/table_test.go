package table

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/target"
	"sieb/core/value"
)

// rulesOf draws a target from a table of these columns with one check, and gives
// its YAML without the lines that stand in each.
func rulesOf(t *testing.T, check string, columns ...Column) string {
	t.Helper()
	d := (&Table{Schema: "public", Name: "tickets", Columns: columns, Checks: []string{check}}).Draft()
	text := string(d.YAML())
	_, err := target.Parse([]byte(text))
	require.NoError(t, err, text)
	var rules []string
	for _, line := range strings.Split(strings.TrimSpace(text), "\n")[1:] {
		line = strings.Join(strings.Fields(line), " ")
		if !strings.HasPrefix(line, "target:") && !strings.HasPrefix(line, "title:") && line != "columns:" &&
			!strings.HasPrefix(line, "datatype:") {
			rules = append(rules, strings.TrimPrefix(line, "- "))
		}
	}
	return strings.Join(rules, "; ")
}

func TestChecksBecomeRules(t *testing.T) {
	number := Column{Name: "kg", Type: "numeric(8,2)"}
	whole := Column{Name: "kg", Type: "integer"}
	text := Column{Name: "crop", Type: "character varying(20)"}
	date := Column{Name: "on", Type: "date"}
	for _, c := range []struct {
		check  string
		column Column
		want   string
	}{
		{"((kg >= (5)::numeric) AND (kg <= (40)::numeric))", number,
			"name: kg; precision: 8; scale: 2; minimum: 5; maximum: 40"},
		{"(kg > (0)::numeric)", number, "name: kg; precision: 8; scale: 2; minimum: 0.01"},
		{"((kg > '-5'::integer) AND (kg < 10))", whole, "name: kg; minimum: -4; maximum: 9"},
		{"((0 < kg))", whole, "name: kg; minimum: 1; maximum: 2147483647"},
		{"((crop)::text = ANY ((ARRAY['wheat'::character varying, 'o''ats'::character varying])::text[]))", text,
			`name: crop; maxLength: 20; oneOf: ["wheat", "o'ats"]`},
		{"((length((crop)::text) >= 3) AND (char_length((crop)::text) < 10))", text,
			"name: crop; minLength: 3; maxLength: 9"},
		{"((crop)::text <> ''::text)", text, "name: crop; maxLength: 20"},
		{"((crop)::text ~ '^[A-Z]{2}-[0-9]{6}$'::text)", text,
			`name: crop; format: "[A-Z]{2}-[0-9]{6}"; maxLength: 20`},
		{"(crop IS NOT NULL)", text, "name: crop; maxLength: 20; required: true"},
		{"((\"on\" >= '2026-01-01'::date) AND (\"on\" < '2027-01-01'::date))", date,
			`name: on; minimum: 2026-01-01; rowRules:; {name: "on < date('2027-01-01')", ` +
				`condition: "!has(on) || on < date(\"2027-01-01\")"}`},
		{"((kg > 5) OR (kg = 0))", whole,
			`name: kg; minimum: -2147483648; maximum: 2147483647; rowRules:; {name: "kg > 5 || kg == 0", ` +
				`condition: "(!has(kg) || kg > 5) || (!has(kg) || kg == 0)"}`},
		{"(abs(kg) < 7)", whole, "name: kg # check: (abs(kg) < 7); minimum: -2147483648; maximum: 2147483647"},
		{"((crop)::text ~ 'x'::text)", text, "name: crop # check: ((crop)::text ~ 'x'::text); maxLength: 20"},
		{"(kg <=> 3)", whole, "name: kg # check: (kg <=> 3); minimum: -2147483648; maximum: 2147483647"},
	} {
		got := rulesOf(t, c.check, c.column)
		want := strings.ReplaceAll(c.want, "name: on", `name: "on"`)
		assert.Equal(t, want, got, c.check)
	}
	assert.Contains(t, rulesOf(t, "(gross > tare)", Column{Name: "gross", Type: "bigint"},
		Column{Name: "tare", Type: "bigint"}),
		`rowRules:; {name: "gross > tare", condition: "!has(gross) || !has(tare) || gross > tare"}`)
}

func TestTableBecomesTarget(t *testing.T) {
	d := (&Table{Schema: "intake", Name: "tickets", Comment: "Weighbridge tickets",
		Columns: []Column{
			{Name: "id", Type: "bigint", NotNull: true, Generated: true},
			{Name: "ticket_no", Type: "text", NotNull: true, Comment: "as printed"},
			{Name: "site", Type: "intake.site", Labels: []string{"Ahrensee", "Brunnthal"}, NotNull: true,
				Default: "'Ahrensee'::intake.site"},
			{Name: "Grower No", Type: "character varying(5)"},
			{Name: "organic", Type: "boolean"}, {Name: "at", Type: "timestamp with time zone"},
			{Name: "share", Type: "double precision"},
			{Name: "mark", Type: "uuid"}, {Name: "form", Type: "jsonb"}, {Name: "slot", Type: "time without time zone"},
		},
		Keys: [][]string{{"id"}, {"ticket_no"}, {"site", "at"}, {"mark", "slot"}},
		References: []Reference{{[]string{"Grower No"}, "intake.growers", []string{"grower_no"}},
			{[]string{"site", "at"}, "intake.days", []string{"site", "day"}}}}).Draft()
	yaml := string(d.YAML())
	text := strings.Join(strings.Fields(yaml), " ")
	for _, want := range []string{"# Drawn from the table intake.tickets.",
		"# id is left out: the database gives its values", `uniqueKeys: - ["mark", "slot"]`,
		"# site, at references intake.days (site, day)",
		"- name: ticket_no description: \"as printed\" datatype: string required: true unique: true",
		`- name: site datatype: string oneOf: ["Ahrensee", "Brunnthal"] required: true default: "Ahrensee"`,
		`- name: grower_no # references intake.growers (grower_no) titles: ["Grower No"]`,
		"datatype: string # the table's type is jsonb", `key: ["site", "at"]`, `title: "Weighbridge tickets"`} {
		assert.Contains(t, text, want)
	}
	parsed, err := target.Parse([]byte(yaml))
	require.NoError(t, err, yaml)
	assert.Equal(t, value.DateTime, parsed.Column("at").Datatype)
	assert.True(t, parsed.Column("ticket_no").Unique)
}

func TestMoved(t *testing.T) {
	for _, c := range []struct {
		text  string
		units int64
		scale int
		want  string
	}{{"5", 1, 0, "6"}, {"0", -1, 2, "-0.01"}, {"9.5", 1, 1, "9.6"}, {"-0.01", 1, 2, "0.00"}, {"5.55", 1, 1, ""},
		{"x", 1, 0, ""}} {
		got, ok := moved(c.text, c.units, c.scale)
		assert.Equal(t, c.want != "", ok, c.text)
		if ok {
			assert.Equal(t, c.want, got)
		}
	}
}

// sql writes a condition as a database would, with all its parentheses.
func sql(c clause) string {
	args := make([]string, len(c.args))
	for i := range c.args {
		args[i] = sql(c.args[i])
	}
	switch c.op {
	case "name":
		return `"` + strings.ReplaceAll(c.text, `"`, `""`) + `"`
	case "text":
		return `'` + strings.ReplaceAll(c.text, `'`, `''`) + `'::text`
	case "number":
		return c.text
	case "array":
		return "ARRAY[" + strings.Join(args, ", ") + "]"
	case "is null", "is not null":
		return "(" + args[0] + " " + strings.ToUpper(c.op) + ")"
	case "not":
		return "(NOT " + args[0] + ")"
	case "negative":
		return "(- " + args[0] + ")"
	case "in":
		return "(" + args[0] + " = ANY (" + args[1] + "))"
	case "lower", "length":
		return c.op + "(" + args[0] + ")"
	}
	return "(" + strings.Join(args, " "+strings.ToUpper(c.op)+" ") + ")"
}

// What a database writes is read as it was meant.
func TestConditionsAreReadAsMeant(t *testing.T) {
	leaf := rapid.Custom(func(t *rapid.T) clause {
		c := clause{op: rapid.SampledFrom([]string{"name", "text", "number"}).Draw(t, "leaf")}
		if c.op == "number" {
			c.text = rapid.SampledFrom([]string{"0", "-1", "2.5", "1e6"}).Draw(t, "number")
		} else {
			c.text = rapid.StringMatching(`[a-zé'" (\[:=-]{0,6}`).Draw(t, "text")
		}
		return c
	})
	var term func(depth int) *rapid.Generator[clause]
	term = func(depth int) *rapid.Generator[clause] {
		if depth == 0 {
			return leaf
		}
		return rapid.Custom(func(t *rapid.T) clause {
			part := func() clause { return term(rapid.IntRange(0, depth-1).Draw(t, "depth")).Draw(t, "part") }
			c := clause{op: rapid.SampledFrom([]string{"and", "or", "not", "is null", "is not null", "in", "array",
				"lower", "length", "negative", "=", "<>", "<=", ">", "~~*", "!~", "+", "||", "-"}).Draw(t, "op")}
			switch c.op {
			case "not", "is null", "is not null", "lower", "length":
				c.args = []clause{part()}
			case "negative": // of a number it is the number's sign
				c.args = []clause{{op: "name", text: "a"}}
			case "in":
				c.args = []clause{part(), {op: "array", args: []clause{part()}}}
			case "and", "or": // of the same on its left it is one list
				for range rapid.IntRange(2, 4).Draw(t, "parts") {
					c.args = append(c.args, part())
				}
				if c.args[0].op == c.op {
					c.args[0] = clause{op: "name", text: "a"}
				}
			default:
				c.args = []clause{part(), part()}
			}
			return c
		})
	}
	rapid.Check(t, func(t *rapid.T) {
		want := term(4).Draw(t, "condition")
		got, err := parseClause(sql(want))
		require.NoError(t, err, sql(want))
		assert.Equal(t, want, got, sql(want))
	})
}

// Whatever else stands there is read to its end, or is an error; what is read can be
// written and read again.
func TestConditionsEnd(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.StringMatching(`([(]|[)]|a|'x'|"y"|1|<=|=|::text|array|\[|\]|,|any|and|or|not|is| null|-|~)*`).Draw(t,
			"text")
		c, err := parseClause(text)
		if err != nil {
			assert.NotEmpty(t, err.Error())
			return
		}
		assert.NotEmpty(t, c.op, "%q is a clause of nothing", text)
	})
	for _, deep := range []string{"(", "not ", "-", "lower(", "array[", "a = any (("} {
		_, err := parseClause(strings.Repeat(deep, 1_000_000))
		assert.ErrorContains(t, err, "more than 200 deep", deep)
	}
	for text, says := range map[string]string{
		"": "ends too early", "a = 'x": "a quote is not closed", "a b": `"b" is not expected`, "(a": `")" is expected`,
		"a is 1": `"null" is expected`, "a = ?": `"?" is not understood`,
	} {
		_, err := parseClause(text)
		assert.ErrorContains(t, err, says, text)
	}
}

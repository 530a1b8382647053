package target_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/target"
	"sieb/core/value"
)

// given is a value for each rule, by which a column has it, and what goes with it.
var given = map[string]string{"minimum": "minimum: 3", "maximum": "maximum: 9", "precision": "precision: 9",
	"scale": "precision: 9, scale: 2", "minLength": "minLength: 2", "maxLength": "maxLength: 9", "format": "format: '[A-Z]+'",
	"oneOf": "oneOf: ['4', '5']", "required": "required: true", "requiredWhen": "requiredWhen: 'has(other)'",
	"unique": "unique: true", "complete": "oneOf: ['4', '5'], complete: true", "ordered": "ordered: ascending"}

// columnOf returns a column of a datatype with what is given, and what is wrong with it.
func columnOf(datatype, given string) (*target.Column, error) {
	t, err := target.Parse(fmt.Appendf(nil, "target: t\ncolumns:\n  - {name: v, datatype: %s, %s}\n  - {name: other}\n", datatype,
		given))
	if err != nil {
		return nil, err
	}
	return &t.Columns[0], nil
}

// What the registry says of a rule holds of targets, for each datatype: with which it goes, whether a column has it,
// and what people are told of it.
func TestRules(t *testing.T) {
	fit := 0
	for i := range target.Rules {
		r := &target.Rules[i]
		require.Contains(t, given, r.Name, "a value for the rule is missing in this test")
		assert.NotEmpty(t, r.Meaning, r.Name)
		assert.NotEmpty(t, r.Codes, r.Name)
		for _, code := range r.Codes {
			assert.True(t, code.IsOfColumn(), "%s", code)
		}
		told := false
		for _, d := range value.Datatypes() {
			var of value.Datatype
			require.NoError(t, of.UnmarshalText([]byte(d)))
			if r.Name == "format" && !of.IsText() || of == value.Date || of.IsMoment() && r.Name != "required" {
				continue // other habits of the name; the values given are numbers
			}
			c, err := columnOf(d, given[r.Name])
			if r.Fits != nil && !r.Fits(of) {
				assert.ErrorContains(t, err, "goes with "+r.Goes, "%s of %s", r.Name, d)
				continue
			}
			require.NoError(t, err, "%s of %s", r.Name, d)
			fit++
			assert.True(t, r.IsSet(c), "%s of %s", r.Name, d)
			without, err := columnOf(d, "description: plain")
			require.NoError(t, err)
			assert.False(t, r.IsSet(without), "%s of %s", r.Name, d)
			assert.Empty(t, without.Demands())
			told = told || len(c.Demands()) > 0
		}
		assert.True(t, told, "people are told of %s", r.Name)
	}
	assert.Greater(t, fit, 50)
}

func TestDemandsInWords(t *testing.T) {
	for given, want := range map[string][]string{
		"datatype: integer, minimum: 3, maximum: 9":   {"from 3 to 9"},
		"datatype: integer, minimum: 3, unique: true": {"3 or more", "no value occurs twice"},
		"datatype: integer, maximum: 9, precision: 1": {"9 or less", "at most 1 digit"},
		"datatype: decimal, precision: 9, scale: 2":   {"at most 7 digits before the point and 2 behind it"},
		"minLength: 1, maxLength: 1":                  {"exactly 1 character"},
		"minLength: 2, maxLength: 5, required: true":  {"2 to 5 characters", "mandatory"},
		"minLength: 2": {"at least 2 characters"},
		"maxLength: 5, format: '[A-Z]{2}-[0-9]{3}'":         {"at most 5 characters", "two capitals, a hyphen, three digits"},
		"oneOf: [a, b], complete: true, ordered: ascending": {"one of a, b", "each allowed value occurs", "ascending from row to row"},
		"oneOf: {codes: sites}, requiredWhen: 'has(other)'": {"a code of the list sites", "mandatory where has(other)"},
		"oneOf: [a, b, c, d, e, f, g, h, i, j, k, l, m]":    {"one of 13 values"},
	} {
		parsed, err := target.Parse([]byte("target: t\ncolumns: [{name: v, " + given + "}, {name: other}]\n"))
		require.NoError(t, err, given)
		assert.Equal(t, want, parsed.Columns[0].Demands(), given)
	}
}

// Forms ask for properties that targets know, each with datatypes that a target takes it with, and offer only such values.
func TestWhatFormsAskFor(t *testing.T) {
	demands, habits := target.Asks()
	text := string(target.Schema())
	names := map[string]bool{}
	for _, a := range append(demands, habits...) {
		assert.True(t, strings.Contains(text, `"`+a.Name+`"`), a.Name)
		assert.NotEmpty(t, a.Label)
		assert.NotEmpty(t, a.Meaning)
		assert.Equal(t, a.Kind == "choice", len(a.Choices) > 0, a.Name)
		names[a.Name] = true
		for _, choice := range a.Choices {
			if choice.Value == "" || a.Name == "datatype" {
				continue
			}
			datatype := "string"
			if len(a.Datatypes) > 0 {
				datatype = a.Datatypes[0]
			}
			property := fmt.Sprintf("%s: %q", a.Name, choice.Value)
			if a.Name == "groupChar" && choice.Value != "," {
				property += ", decimalChar: ','" // a point is no sign between thousands beside a point
				if choice.Value == "." {
					property = `groupChar: ".", decimalChar: ","`
				}
			}
			_, err := columnOf(datatype, property)
			assert.NoError(t, err, "%s: %s", a.Name, choice.Value)
		}
	}
	for _, o := range target.Datatypes {
		_, err := columnOf(o.Value, "description: d")
		assert.NoError(t, err)
	}
	for i := range target.Rules {
		if r := &target.Rules[i]; r.Ask.Label != "" {
			assert.True(t, names[r.Name], r.Name)
		}
	}
}

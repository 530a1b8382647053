package sift_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/sift"
	"sieb/core/target"
)

// What stands in a target is written in canonical form, whatever the column's format.
func TestConstantsAreCanonical(t *testing.T) {
	for column, want := range map[string]string{
		"datatype: time, format: 'HH.mm', default: '14:05:00'":                           "14:05:00",
		"datatype: time, format: 'HH.mm', value: '14:05:00'":                             "14:05:00",
		"datatype: time, value: '24:00:00'":                                              "00:00:00",
		"datatype: date, format: dd.MM.yyyy, default: 2026-07-31":                        "2026-07-31",
		"datatype: dateTime, format: 'dd.MM.yyyy HH:mm', default: '2026-07-31T14:05:00'": "2026-07-31T14:05:00",
		"datatype: dateTime, value: '2026-07-31T24:00:00'":                               "2026-08-01T00:00:00",
		"datatype: dateTimeStamp, default: '2026-07-31T14:05:00Z'":                       "2026-07-31T14:05:00Z",
		"datatype: dateTimeStamp, value: '2026-07-31T14:05:00.5+02:00'":                  "2026-07-31T14:05:00.5+02:00",
		"datatype: decimal, decimalChar: ',', default: 1.5":                              "1.5",
		"datatype: boolean, format: ja|nein, default: 'false'":                           "false",
		"datatype: boolean, format: ja|nein, default: 'true'":                            "true",
	} {
		result, sink := run(t, "target: t\ncolumns:\n  - {name: id}\n  - {name: v, "+column+"}\n", "id,v\n1,\n", 1)
		assert.Equal(t, sift.Accepted, result.Verdict, "%s: %+v", column, result.Violations)
		assert.Equal(t, "id,v\n1,"+want+"\n", sink.Accepted.String(), column)
	}
}

// A constant that its own column forbids is a problem of the target, which names it.
func TestConstantsThatNoRowCouldHave(t *testing.T) {
	for column, says := range map[string]string{
		"datatype: integer, maximum: 50, default: 99":              "is above the column's maximum 50",
		"datatype: integer, minimum: 1, value: 0":                  "is below the column's minimum 1",
		"datatype: integer, oneOf: [1, 2], default: 3":             "is not among the column's oneOf",
		"datatype: integer, default: 5.0":                          "is not a whole number",
		"datatype: integer, precision: 2, default: 100":            "more digits before the point",
		"datatype: decimal, precision: 4, scale: 1, default: 1.25": "more digits after the point",
		"datatype: short, default: 40000":                          "is above the column's maximum 32767",
		"datatype: date, minimum: 2026-01-01, default: 2025-12-31": "is below the column's minimum 2026-01-01",
		"datatype: dateTimeStamp, default: '2026-07-31T14:05:00'":  "says no zone",
		"datatype: boolean, default: maybe":                        "is neither true nor false",
		"maxLength: 2, default: long":                              "is longer than the column's maxLength 2",
		"minLength: 3, value: ab":                                  "is shorter than the column's minLength 3",
		"format: '[0-9]+', default: x":                             "does not have the column's format",
		"oneOf: [a, b], default: c":                                "is not among the column's oneOf",
		"oneOf: [a, b], separator: ';', default: 'a;c'":            "is not among the column's oneOf",
		"datatype: anyURI, default: '::'":                          "is not a URI",
		"datatype: duration, default: P":                           "is not a duration",
		"datatype: date, default: 31.12.2026":                      "is not of datatype date",
	} {
		_, err := target.Parse([]byte("target: t\ncolumns:\n  - {name: v, " + column + "}\n"))
		assert.ErrorContains(t, err, says, column)
	}
	of, err := target.Parse([]byte("target: t\ncolumns:\n  - {name: v, datatype: integer, maximum: 50}\n"))
	require.NoError(t, err)
	m, err := target.ParseMapping([]byte("mapping: m\ntarget: t\ncolumns:\n  v: {value: 99}\n"))
	require.NoError(t, err)
	_, err = of.With(m)
	assert.ErrorContains(t, err, "is above the column's maximum 50", "what a mapping gives is asked as well")
}

// The limits of a sized whole number hold, whatever its own say.
func TestSizedNumbers(t *testing.T) {
	for _, c := range []struct{ column, accepted, rejected string }{
		{"datatype: short, maximum: 99999999999999", "32767 -32768 0", "32768 1000000 -32769"},
		{"datatype: short, minimum: -99999, maximum: 5", "5 -32768", "6 -32769"},
		{"datatype: positiveInteger, minimum: -5", "1 2", "0 -5"},
		{"datatype: nonPositiveInteger, maximum: 7", "0 -1", "1 7"},
		{"datatype: unsignedByte, minimum: 10, maximum: 20", "10 20", "9 21 256"},
		{"datatype: long", "9223372036854775807 -9223372036854775808", "9223372036854775808"},
	} {
		text := "v\n" + strings.ReplaceAll(c.accepted+" "+c.rejected, " ", "\n") + "\n"
		_, sink := run(t, "target: t\ncolumns: [{name: v, "+c.column+"}]\n", text, 1)
		assert.Equal(t, "v\n"+strings.ReplaceAll(c.accepted, " ", "\n")+"\n", sink.Accepted.String(), c.column)
	}
}

// An instant without a zone is not one with Z; two with zones are one where they are the same moment.
func TestZonesInKeys(t *testing.T) {
	result, sink := run(t, "target: t\ncolumns: [{name: at, datatype: dateTime, unique: true}]\n",
		"at\n2026-07-31T12:00:00\n2026-07-31T12:00:00Z\n2026-07-31T14:00:00+02:00\n"+
			"2026-07-30T24:00:00\n2026-07-31T00:00:00\n", 1)
	assert.Equal(t, sift.Tally{Read: 5, Accepted: 3, Rejected: 2}, result.Tally)
	assert.Equal(t, "at\n2026-07-31T12:00:00\n2026-07-31T12:00:00Z\n2026-07-31T00:00:00\n", sink.Accepted.String())
	result, _ = run(t, "target: t\ncolumns: [{name: at, datatype: dateTime, oneOf: ['2026-07-31T12:00:00Z']}]\n",
		"at\n2026-07-31T12:00:00\n2026-07-31T12:00:00Z\n2026-07-31T14:00:00+02:00\n", 1)
	assert.Equal(t, int64(2), result.Tally.Accepted)
}

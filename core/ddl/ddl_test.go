package ddl_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/ddl"
	"sieb/core/target"
)

const text = `target: order
title: "It's the orders"
columns:
  - {name: no, required: true, format: '[A-Z]{2}', description: "the buyer's number"}
  - {name: day, datatype: date, minimum: 2026-01-01, maximum: today}
  - {name: at, datatype: dateTime, maximum: 2026-12-31T00:00:00}
  - {name: small, datatype: integer, minimum: 0, maximum: 99}
  - {name: big, datatype: long}
  - {name: amount, datatype: decimal, precision: 8, scale: 2, default: "1.50"}
  - {name: share, datatype: double}
  - {name: paid, datatype: boolean, required: true}
  - {name: crop, oneOf: [wheat, "o'ats"], maxLength: 6, minLength: 3}
  - {name: note, maxLength: 20000}
  - {name: Straße, titles: [Street], unique: true}
  - {name: list, separator: "|"}
  - {name: site, oneOf: {codes: sites}}
key: [no]
uniqueKeys: [[day, crop]]
rowRules:
  - {name: Small is not big!, condition: small <= big && crop != "rye"}
  - {name: weekday, condition: day.getDayOfWeek() != 0}
  - {name: only flagged, condition: small < 5, onViolation: flag}
foreignKeys:
  - {columnReference: [no, day], reference: {resource: buyers, columnReference: [buyer_no, since]}}
  - {columnReference: [site], reference: {codes: sites}}
`

func TestDialects(t *testing.T) {
	of, err := target.Parse([]byte(text))
	require.NoError(t, err)
	for dialect, want := range map[ddl.Dialect][]string{
		ddl.Standard: {`create table "order" (`, "no varchar(4000) not null",
			"\"day\" date check (\"day\" >= date '2026-01-01')",
			"at timestamp check (at <= timestamp '2026-12-31 00:00:00')", "small smallint check (small >= 0 and small <= 99)",
			"big bigint", "amount numeric(8, 2) default 1.50", "share double precision", "paid boolean not null",
			"crop varchar(6) check (crop in ('wheat', 'o''ats') and char_length(crop) >= 3)", `"Straße" varchar(4000) unique`,
			"primary key (no)", `unique ("day", crop)`, "constraint rule_small_is_not_big check (small <= big and crop <> 'rye')",
			`foreign key (no, "day") references buyers (buyer_no, since)`,
			"-- not said in the table: no is of the form [A-Z]{2}",
			"-- not said in the table: row rule: weekday: day.getDayOfWeek() != 0",
			"-- not said in the table: row rule: only flagged",
			"-- not said in the table: day <= today", "-- not said in the table: site is a code of the list sites",
			"  -- the buyer's number\n  no varchar(4000)"},
		ddl.PostgreSQL: {"no text not null check (no ~ '^([A-Z]{2})$')", `comment on table "order" is 'It''s the orders';`,
			`comment on column "order".no is 'the buyer''s number';`, "list text",
			"note text check (char_length(note) <= 20000)"},
		ddl.MariaDB: {"create table `order` (", "at datetime", "share double", "no regexp", "comment 'the buyer''s number'",
			"comment = 'It''s the orders';", "`Straße` text unique comment 'Street'"},
		ddl.SQLite: {"  -- Street\n  \"Straße\" text unique", "paid integer not null check (paid in (0, 1))", "\"day\" text check (\"day\" >= '2026-01-01')",
			"amount numeric default 1.50",
			"crop text check (crop in ('wheat', 'o''ats') and length(crop) >= 3 and length(crop) <= 6)"},
	} {
		sql, err := ddl.Create(of, dialect)
		require.NoError(t, err)
		for _, part := range want {
			assert.Contains(t, sql, part, dialect)
		}
		assert.Equal(t, strings.Count(sql, "("), strings.Count(sql, ")"), dialect)
	}
	_, err = ddl.Create(of, "cobol")
	assert.ErrorContains(t, err, `there is no dialect "cobol"`)
}

// A rule that SQL has no words for is told above the table in words, and never left out.
func TestRulesThatSQLDoesNotExpress(t *testing.T) {
	of, err := target.Parse([]byte(`target: t
columns:
  - {name: a, oneOf: [x, y], complete: true}
  - {name: b, datatype: integer, ordered: consecutive}
  - {name: c, requiredWhen: has(a)}
`))
	require.NoError(t, err)
	for _, dialect := range []ddl.Dialect{ddl.Standard, ddl.PostgreSQL, ddl.MariaDB, ddl.SQLite} {
		sql, err := ddl.Create(of, dialect)
		require.NoError(t, err)
		for _, want := range []string{"a: each allowed value occurs", "b: consecutive from row to row",
			"c: mandatory where has(a)"} {
			assert.Contains(t, sql, "-- not said in the table: "+want, dialect)
		}
	}
}

// Package reference reads the keys of tables that others refer to: a file, the accepted
// rows of another delivery, what a database holds. It knows rows as sources yield them, and
// not where they come from.
package reference

import (
	"bytes"
	"context"
	"encoding/hex"
	"fmt"
	"slices"

	"github.com/zeebo/xxh3"

	"sieb/core/check"
	"sieb/core/codes"
	"sieb/core/layout"
	"sieb/core/rfc4180"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/violation"
)

// MaxKeys is how many keys a table may have that others refer to; they are held in memory,
// 16 bytes each and what a table of them takes besides.
const MaxKeys = 20_000_000

// Keys are the keys of one table. They are not changed once they are read, and serve any
// number of goroutines.
type Keys struct {
	State    State
	keys     map[check.KeyHash]struct{}
	rejected map[check.KeyHash]struct{}
}

// State proves what was read.
type State struct {
	Name   string `json:"name" doc:"of the resource, or of the table"`
	Keys   int64  `json:"keys" doc:"different ones"`
	Digest string `json:"digest" doc:"of the keys, in whatever order: the sum of their XXH3 hashes, 128 bits"`
}

// Has reports whether a key is in the table.
func (k *Keys) Has(h check.KeyHash) bool {
	_, is := k.keys[h]
	return is
}

// Why says why a key is not in the table, where that is known.
func (k *Keys) Why(h check.KeyHash) string {
	if _, is := k.rejected[h]; is {
		return "its row there was rejected, so that this one is withheld"
	}
	return ""
}

// Columns returns the columns of the other table as a target describes them: with the names
// that the reference gives, and the datatypes of the columns that refer to them.
func Columns(t *target.Target, fk *target.ForeignKey) []target.Column {
	all := make([]target.Column, len(fk.Columns))
	for i, name := range fk.Columns {
		all[i] = target.Column{Name: fk.Reference.Columns[i], Datatype: t.Column(name).ValueType(), Null: []string{""}}
	}
	return all
}

// Read reads the keys of a table from rows. Each column is found by its header; one that is
// not there is an error. A row with a value that is not of its column's datatype has no key.
func Read(ctx context.Context, name string, columns []target.Column, rows source.Source, encoding string) (*Keys,
	error) {
	k := &Keys{State: State{Name: name}}
	var err error
	k.keys, err = read(ctx, name, &target.Target{Columns: columns, Key: namesOf(columns)}, rows, encoding, nil)
	if err != nil {
		return nil, err
	}
	var sum xxh3.Uint128
	for h := range k.keys {
		low := sum.Lo + h.Lo
		carry := uint64(0)
		if low < sum.Lo {
			carry = 1
		}
		sum = xxh3.Uint128{Hi: sum.Hi + h.Hi + carry, Lo: low}
	}
	bytes := sum.Bytes()
	k.State.Keys, k.State.Digest = int64(len(k.keys)), hex.EncodeToString(bytes[:])
	return k, nil
}

// OfCodes returns the codes of a list as keys of the only column of a foreign key.
func OfCodes(ctx context.Context, t *target.Target, fk *target.ForeignKey, list *codes.List) (*Keys, error) {
	columns := Columns(t, fk)
	text := rfc4180.AppendRow(nil, columns[0].Name)
	for _, c := range list.Codes {
		text = rfc4180.AppendRow(text, c.Code)
	}
	rows, err := source.NewReader(bytes.NewReader(text), layout.Layout{Form: layout.Delimited, Encoding: "utf-8",
		Delimiter: ",", QuoteChar: `"`, DoubleQuote: true, HeaderRows: 1, HeaderNames: layout.Joined})
	if err != nil {
		return nil, err
	}
	return Read(ctx, list.Name, columns, rows, "utf-8")
}

// before is how many columns stand before the cells: row, line and reasons.
const before = 3

// AddRejected reads the keys of rows that were rejected, so that a row that refers to one of
// them can be told why it is withheld. They are the rows of rejected.csv; by is the target
// that rejected them, joined with its mapping, lists the code lists that it names.
func (k *Keys) AddRejected(ctx context.Context, by *target.Target, lists []*codes.List, columns []string,
	rows source.Source) error {
	t := *by
	t.Columns = slices.Clone(by.Columns)
	for i := range t.Columns {
		if t.Columns[i].Position > 0 {
			t.Columns[i].Position += before
		}
		t.Columns[i].Required, t.Columns[i].RequiredWhen, t.Columns[i].Unique = false, "", false
		t.Columns[i].Codes, t.Columns[i].Complete, t.Columns[i].Ordered = nil, false, target.AnyOrder
	}
	t.Key, t.UniqueKeys, t.ForeignKeys, t.AbsentFrom, t.RowRules, t.Exclude = columns, nil, nil, nil, nil, nil
	t.RefuseNew, t.Repeated, t.Delivery = false, target.Repeated{}, target.DeliveryRules{}
	for _, name := range columns {
		if t.Column(name) == nil {
			return nil // the other target has no such column
		}
	}
	var err error
	k.rejected, err = read(ctx, k.State.Name, &t, rejectedRows{rows}, "utf-8", lists)
	for h := range k.keys {
		delete(k.rejected, h)
	}
	return err
}

// rejectedRows are the rows of rejected.csv, of whose columns the first three are no
// delivery's: their names stand for nothing.
type rejectedRows struct{ source.Source }

func (r rejectedRows) Header() source.Header {
	h := r.Source.Header()
	h.Names = slices.Clone(h.Names)
	for i := range min(before, len(h.Names)) {
		h.Names[i] = fmt.Sprintf("\x00%d", i)
	}
	return h
}

func namesOf(columns []target.Column) (names []string) {
	for i := range columns {
		names = append(names, columns[i].Name)
	}
	return names
}

// read returns the hashes of a target's key in all rows.
func read(ctx context.Context, name string, t *target.Target, rows source.Source, encoding string,
	lists []*codes.List) (map[check.KeyHash]struct{}, error) {
	plan, err := check.NewPlan(t, check.Delivery{Header: rows.Header(), Encoding: encoding,
		Codes: lists})
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	for _, f := range plan.Delivery {
		if f.Code != violation.HeaderUnknown && slices.Contains(t.Key, f.Column) {
			return nil, fmt.Errorf("%s, to which the target refers: %s", name, f.Message)
		}
	}
	keys := map[check.KeyHash]struct{}{}
	work := func() func(*source.Batch, *check.Ruling) {
		return plan.NewJudge().Batch
	}
	deliver := func(_ *source.Batch, ruling *check.Ruling) error {
		for _, h := range ruling.Keys {
			if h != (check.KeyHash{}) {
				keys[h] = struct{}{}
			}
		}
		if len(keys) > MaxKeys {
			return fmt.Errorf("%s has more than %d keys, which is more than can be referred to", name, MaxKeys)
		}
		return nil
	}
	return keys, source.InOrder(ctx, plan.Rows(rows), 0, work, deliver)
}

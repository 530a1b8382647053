// Package reference reads the keys of tables that others refer to: a file, the accepted
// rows of another delivery, what a database holds. It knows rows as sources yield them, and
// not where they come from.
package reference

import (
	"bytes"
	"cmp"
	"context"
	"encoding/binary"
	"encoding/hex"
	"fmt"
	"os"
	"slices"

	"github.com/zeebo/xxh3"

	"sieb/core/check"
	"sieb/core/codes"
	"sieb/core/layout"
	"sieb/core/rfc4180"
	"sieb/core/source"
	"sieb/core/spill"
	"sieb/core/target"
	"sieb/core/violation"
)

// MaxKeys is how many keys of a table are held in memory where there is no room elsewhere, and
// how many keys of rejected rows are.
const MaxKeys = 20_000_000

// Room is what the keys of a table may take. In the zero Room there are up to MaxKeys, in memory.
type Room struct {
	Memory    int64                    // bytes
	Temporary func() (*os.File, error) // makes a file without a name for the keys that memory does not hold
}

// bytesPerKey is what a key takes in memory.
const bytesPerKey = 40

func (r Room) most() int {
	if r.Temporary == nil {
		return MaxKeys
	}
	return int(r.Memory / bytesPerKey)
}

// Keys are the keys of one table. They are not changed once they are read, and serve any
// number of goroutines.
type Keys struct {
	State    State
	keys     set
	spilt    *spill.File                // in their place, where memory does not hold them
	rejected map[check.KeyHash]struct{} // that are not among them
}

// Parts is into how many parts keys fall that memory does not hold.
const Parts = 512

// PartOf returns the part of a key.
func PartOf(h check.KeyHash) int { return int(h.Hi >> 55) }

// IsSpilt reports whether memory does not hold the keys: then Has knows none of them, and
// Part returns them.
func (k *Keys) IsSpilt() bool { return k.spilt != nil }

// Part returns the keys of a part in their order, each once, in the space of dst.
func (k *Keys) Part(dst []check.KeyHash, part int) ([]check.KeyHash, error) {
	text, err := k.spilt.Read(nil, part)
	if err != nil {
		return nil, err
	}
	dst = dst[:0]
	for ; len(text) >= 16; text = text[16:] {
		dst = append(dst, check.KeyHash{Hi: binary.LittleEndian.Uint64(text), Lo: binary.LittleEndian.Uint64(text[8:])})
	}
	slices.SortFunc(dst, Compare)
	return slices.Compact(dst), nil
}

// Compare tells which of two keys comes first in a part.
func Compare(a, b check.KeyHash) int { return cmp.Or(cmp.Compare(a.Hi, b.Hi), cmp.Compare(a.Lo, b.Lo)) }

// Close gives the room on the disk back.
func (k *Keys) Close() { k.spilt.Close() }

// add adds a key.
func (k *Keys) add(h check.KeyHash, room Room) error {
	if k.spilt == nil {
		k.keys.add(h)
		switch {
		case k.keys.used <= room.most():
			return nil
		case room.Temporary == nil:
			return fmt.Errorf("%s has more than %d keys, which is more than can be referred to", k.State.Name, MaxKeys)
		}
		k.spilt = spill.New(Parts, room.Temporary, "keeping the keys of "+k.State.Name)
		for h := range k.keys.all() {
			if err := k.spill(h); err != nil {
				return err
			}
		}
		k.keys = set{}
		return nil
	}
	return k.spill(h)
}

func (k *Keys) spill(h check.KeyHash) error {
	var b [16]byte
	binary.LittleEndian.PutUint64(b[:], h.Hi)
	binary.LittleEndian.PutUint64(b[8:], h.Lo)
	return k.spilt.Add(PartOf(h), b[:])
}

// all calls see for each key, once.
func (k *Keys) all(see func(check.KeyHash)) error {
	for h := range k.keys.all() {
		see(h)
	}
	if k.spilt == nil {
		return nil
	}
	var keys []check.KeyHash
	for part := range Parts {
		var err error
		if keys, err = k.Part(keys, part); err != nil {
			return err
		}
		for _, h := range keys {
			see(h)
		}
	}
	return nil
}

// State proves what was read.
type State struct {
	Name   string `json:"name" doc:"of the resource, or of the table"`
	Keys   int64  `json:"keys" doc:"different ones"`
	Digest string `json:"digest" doc:"of the keys, in whatever order: the sum of their XXH3 hashes, 128 bits"`
}

// Has reports whether a key is in the table.
func (k *Keys) Has(h check.KeyHash) bool { return k.keys.has(h) }

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
// What memory has no room for goes to a file, so that the keys are to be closed.
func Read(ctx context.Context, name string, columns []target.Column, rows source.Source, encoding string,
	room Room) (*Keys, error) {
	k := &Keys{State: State{Name: name}}
	add := func(h check.KeyHash) error { return k.add(h, room) }
	if err := read(ctx, name, &target.Target{Columns: columns, Key: namesOf(columns)}, rows, encoding, nil,
		add); err != nil {
		k.Close()
		return nil, err
	}
	var sum xxh3.Uint128
	err := k.all(func(h check.KeyHash) {
		k.State.Keys++
		low := sum.Lo + h.Lo
		carry := uint64(0)
		if low < sum.Lo {
			carry = 1
		}
		sum = xxh3.Uint128{Hi: sum.Hi + h.Hi + carry, Lo: low}
	})
	if err != nil {
		k.Close()
		return nil, err
	}
	bytes := sum.Bytes()
	k.State.Digest = hex.EncodeToString(bytes[:])
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
	return Read(ctx, list.Name, columns, rows, "utf-8", Room{})
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
	rejected := map[check.KeyHash]struct{}{}
	err := read(ctx, k.State.Name, &t, rejectedRows{rows}, "utf-8", lists, func(h check.KeyHash) error {
		if rejected[h] = struct{}{}; len(rejected) > MaxKeys {
			return fmt.Errorf("%s has more than %d rejected rows, which is more than can be told apart", k.State.Name,
				MaxKeys)
		}
		return nil
	})
	if err != nil {
		return err
	}
	k.rejected = rejected
	return k.all(func(h check.KeyHash) { delete(k.rejected, h) })
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

// read hands on the hashes of a target's key in all rows.
func read(ctx context.Context, name string, t *target.Target, rows source.Source, encoding string,
	lists []*codes.List, add func(check.KeyHash) error) error {
	plan, err := check.NewPlan(t, check.Delivery{Header: rows.Header(), Encoding: encoding,
		Codes: lists})
	if err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	for _, f := range plan.Delivery {
		if f.Code != violation.HeaderUnknown && slices.Contains(t.Key, f.Column) {
			return fmt.Errorf("%s, to which the target refers: %s", name, f.Message)
		}
	}
	work := func() func(*source.Batch, *check.Ruling) {
		return plan.NewJudge().Silent().Batch
	}
	deliver := func(_ *source.Batch, ruling *check.Ruling) error {
		for _, h := range ruling.Keys {
			if h == (check.KeyHash{}) {
				continue
			}
			if err := add(h); err != nil {
				return err
			}
		}
		return nil
	}
	return source.InOrder(ctx, plan.Rows(rows), 0, work, deliver)
}

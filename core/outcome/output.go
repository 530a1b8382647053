package outcome

import (
	"context"
	"io"
)

// Form is a way of writing rows.
type Form interface {
	// Encoder returns an encoder of a table's rows, for one goroutine.
	Encoder(t *Table) Encoder
	// Pack begins to write a table to a destination: with a header, for one.
	Pack(t *Table, to io.Writer) (Packer, error)
}

// Encoder writes rows one by one. It does not see their order: rows that repeat others, for one, are taken out of
// what it appended.
type Encoder interface {
	// Append appends a row. Nothing of it may be kept.
	Append(dst []byte, row *Row) []byte
}

// Packer puts together what encoders have appended, on one goroutine, in the order of rows.
type Packer interface {
	// Write takes whole rows. The text is reused after it.
	io.Writer
	// Close writes what stands behind the last row. It does not end the destination.
	Close() error
	// Abort gives up what is held where the rows do not come to their end.
	Abort()
}

// Destination takes the bytes of an output. Nothing of them is to be seen before Commit, and
// nothing stays behind Abort. It is used by one goroutine at a time.
type Destination interface {
	// Begin makes ready for the bytes.
	Begin(ctx context.Context, t *Table) error
	io.Writer
	// Restart takes back all that was written: it comes anew.
	Restart() error
	// Prepare sees to it that Commit can hardly fail, and proves what was written.
	Prepare() (Proof, error)
	// Commit lets the output appear. It follows Prepare.
	Commit() error
	// Abort gives up what was not committed; after Commit it only ends the use of what it held.
	Abort()
}

// Proof identifies what an output holds.
type Proof struct {
	Name   string `json:"name"`
	Bytes  int64  `json:"bytes"`
	BLAKE3 string `json:"blake3"`
	SHA256 string `json:"sha256,omitempty" doc:"where it was asked for"`
}

// Output is one side of an outcome, in one form, at one destination.
type Output struct {
	Side  Side
	Shape Shape
	Form  Form
	To    Destination

	table  *Table
	packer Packer
}

// Begin begins the output.
func (o *Output) Begin(ctx context.Context, s *Schema) (err error) {
	o.table = s.Table(o.Side, o.Shape)
	if err := o.To.Begin(ctx, o.table); err != nil {
		return err
	}
	o.packer, err = o.Form.Pack(o.table, o.To)
	return err
}

// Table returns what the output holds, once it was begun.
func (o *Output) Table() *Table { return o.table }

// Encoder returns an encoder for one goroutine.
func (o *Output) Encoder() Encoder { return o.Form.Encoder(o.table) }

// Write takes whole rows, as encoders have appended them.
func (o *Output) Write(text []byte) error {
	if len(text) == 0 {
		return nil
	}
	_, err := o.packer.Write(text)
	return err
}

// Restart begins anew.
func (o *Output) Restart() (err error) {
	o.Drop()
	if err := o.To.Restart(); err != nil {
		return err
	}
	o.packer, err = o.Form.Pack(o.table, o.To)
	return err
}

// End writes what stands behind the last row.
func (o *Output) End() error {
	err := o.packer.Close()
	if err == nil {
		o.packer = nil
	}
	return err
}

// Drop gives up what was not ended. The destination is whoever's who committed it, or will not.
func (o *Output) Drop() {
	if o.packer != nil {
		o.packer.Abort()
		o.packer = nil
	}
}

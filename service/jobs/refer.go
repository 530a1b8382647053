package jobs

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"

	"sieb/core/check"
	"sieb/core/codes"
	"sieb/core/reference"
	"sieb/core/report"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/value"
	"sieb/service/store"
)

// refer reads what a run's target refers to: the keys of other tables, and control values.
func (q *Queue) refer(ctx context.Context, run store.Run, r *report.Run) error {
	if r.Target == nil {
		return nil
	}
	if err := q.companion(ctx, run.Companion, r); err != nil {
		return err
	}
	runs := map[string]string{}
	if err := json.Unmarshal(run.RefersTo, &runs); err != nil {
		return err
	}
	constraints := r.Target.Constraints()
	for i := range constraints {
		fk := &constraints[i]
		read := q.fromDatabase
		switch {
		case fk.Reference.Codes != "":
			read = func(ctx context.Context, t *target.Target, fk *target.ForeignKey) (*reference.Keys, error) {
				return reference.OfCodes(ctx, t, fk, codes.Named(r.Codes, fk.Reference.Codes))
			}
		case fk.Reference.Resource != "":
			read = func(ctx context.Context, t *target.Target, fk *target.ForeignKey) (*reference.Keys, error) {
				return q.fromRun(ctx, t, fk, runs[fk.Reference.Resource])
			}
		}
		keys, err := read(ctx, r.Target, fk)
		if err != nil {
			return err
		}
		r.Keys = append(r.Keys, keys)
	}
	return nil
}

// room is what the keys of a table that is referred to may take: half as much as those of a delivery.
func (q *Queue) room() reference.Room {
	return reference.Room{Memory: cmp.Or(q.KeyMemory, sift.DefaultKeyMemory) / 2, Temporary: q.Bounds.Temporary}
}

// closeKeys gives the room on the disk back that the keys of a run take.
func closeKeys(r *report.Run) {
	for _, k := range r.Keys {
		k.Close()
	}
}

// Gone says that something was deleted to which a run refers.
type Gone struct{ what string }

func (g *Gone) Error() string { return g.what + ", which was deleted; sift again" }

// companion reads the delivery that holds the control values of a run's delivery.
func (q *Queue) companion(ctx context.Context, id string, r *report.Run) error {
	if id == "" {
		return nil
	}
	d, err := q.Store.Delivery(ctx, id)
	if errors.Is(err, store.ErrNone) {
		return &Gone{fmt.Sprintf("the control values stand in the delivery %s", id)}
	} else if err != nil {
		return err
	}
	f, err := os.Open(q.Area.Path(d.SHA256))
	if err != nil {
		return err
	}
	defer f.Close()
	r.Companion, err = check.ReadCompanion(d.Name, f)
	return err
}

// fromRun reads the keys of the rows that a run accepted, and of those that it rejected.
func (q *Queue) fromRun(ctx context.Context, t *target.Target, fk *target.ForeignKey, id string) (*reference.Keys,
	error) {
	other, err := q.Store.Run(ctx, id)
	if errors.Is(err, store.ErrNone) {
		return nil, &Gone{fmt.Sprintf("the target refers to the rows of the run %s", id)}
	} else if err != nil {
		return nil, err
	}
	name := fk.Reference.Resource
	var keys *reference.Keys
	err = q.output(id, report.AcceptedName, func(rows source.Source) error {
		keys, err = reference.Read(ctx, name, reference.Columns(t, fk), rows, "utf-8", q.room())
		return err
	})
	if err != nil {
		return nil, err
	}
	var by report.Run
	if err := q.rules(ctx, other, &by); err != nil || by.Target == nil {
		return keys, err
	}
	return keys, q.output(id, report.RejectedName, func(rows source.Source) error {
		return keys.AddRejected(ctx, by.Target, by.Codes, fk.Reference.Columns, rows)
	})
}

// output reads a file that a run wrote.
func (q *Queue) output(run, name string, use func(source.Source) error) error {
	rows, err := report.OpenRows(q.Area.RunDir(run), name)
	if err != nil {
		return err
	}
	defer rows.Close()
	return use(rows)
}

// fromDatabase reads the keys of a table, as it is at this moment.
func (q *Queue) fromDatabase(ctx context.Context, t *target.Target, fk *target.ForeignKey) (*reference.Keys, error) {
	out, in := io.Pipe()
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	go func() {
		in.CloseWithError(q.Tables.Copy(ctx, fk.Reference.Database, fk.Reference.Table, fk.Reference.Columns, in))
	}()
	defer out.Close()
	rows, err := source.Written(out)
	if err != nil {
		return nil, err
	}
	columns := reference.Columns(t, fk)
	for i := range columns {
		if columns[i].Datatype == value.Boolean {
			columns[i].Formats = []string{"t|f"} // as the database writes them
		}
	}
	return reference.Read(ctx, fk.Reference.Name(), columns, rows, "utf-8", q.room())
}

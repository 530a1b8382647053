package jobs

import (
	"context"
	"encoding/json"
	"time"

	"sieb/core/layout"
	"sieb/core/report"
	"sieb/core/sift"
	"sieb/core/target"
	"sieb/service/rehearsal"
	"sieb/service/store"
)

// Trial is what a delivery is sifted by without a record: a target that may not be saved.
type Trial struct {
	Delivery  store.Delivery
	Layout    layout.Given
	Target    *target.Target
	RefersTo  map[string]string // for each resource the run that is meant
	Codes     map[string]int    // versions of code lists
	Companion string            // the delivery with control values; "" for none
	RepeatOf  string
}

// Open makes the run of a trial. It is to be closed by the function that comes with it.
func (q *Queue) Open(ctx context.Context, t *Trial) (r *report.Run, done func(), err error) {
	r = &report.Run{Name: t.Delivery.Name, SHA256: t.Delivery.SHA256, Version: q.Version, KeyMemory: q.KeyMemory,
		Today: time.Now().Local(), RepeatOf: t.RepeatOf, Target: t.Target}
	if r.Codes, err = q.CodeLists(ctx, t.Codes); err != nil {
		return nil, nil, err
	}
	refersTo, err := json.Marshal(t.RefersTo)
	if err != nil {
		return nil, nil, err
	}
	if err := q.refer(ctx, store.Run{Companion: t.Companion, RefersTo: refersTo}, r); err != nil {
		closeKeys(r)
		return nil, nil, err
	}
	if r.Delivery, err = q.OpenDelivery(ctx, t.Delivery, t.Layout); err != nil {
		closeKeys(r)
		return nil, nil, err
	}
	return r, func() {
		r.Delivery.Close()
		closeKeys(r)
	}, nil
}

// Rehearsal makes the work that counts a trial: its first rows, then all.
func (q *Queue) Rehearsal(t *Trial) rehearsal.Work {
	return func(ctx context.Context, tell func(rehearsal.Seen)) error {
		r, done, err := q.Open(ctx, t)
		if err != nil {
			return err
		}
		defer done()
		return Rehearse(ctx, r, tell)
	}
}

// Rehearse counts a run: its first rows, where there are many, then all.
func Rehearse(ctx context.Context, r *report.Run, tell func(rehearsal.Seen)) (err error) {
	const small = 4 << 20 // bytes that are counted at once
	first := &sift.Account{}
	var result *sift.Result
	if r.Delivery.Size > small {
		if result, err = r.Rehearse(ctx, first, rehearsal.FirstRows); err != nil {
			return err
		}
		tell(rehearsal.Seen{Result: result, Account: first, Rows: first.Rows})
	}
	last := time.Now()
	one, whole := *r, &sift.Account{}
	one.Progress = func(p sift.Progress) {
		if now := time.Now(); now.Sub(last) > progressEvery {
			last = now
			tell(rehearsal.Seen{Result: result, Account: first, Rows: p.Rows, Bytes: p.Bytes})
		}
	}
	if result, err = one.Rehearse(ctx, whole, 0); err != nil {
		return err
	}
	tell(rehearsal.Seen{Result: result, Account: whole, Rows: whole.Rows, Bytes: r.Delivery.Size, IsWhole: true})
	return nil
}

package routes

import (
	"context"
	"errors"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/layout"
	"sieb/core/report"
	"sieb/service/api"
	"sieb/service/jobs"
	"sieb/service/rehearsal"
	"sieb/service/store"
)

// shown is what a run, or a rehearsal, has made of the rows of a delivery.
type shown struct {
	dir      string // of its files
	delivery store.Delivery
	layout   layout.Given
	run      api.Run

	// open does it once more, to look at what is made of rows: refers says that what its target refers to is
	// read; otherwise it is left out of the target.
	open func(ctx context.Context, refers bool) (*report.Run, func(), error)
}

// shown returns the outcome of an identifier, of which rows are there to show.
func (s *Server) shown(ctx context.Context, id string) (*shown, error) {
	if rehearsal.IsRehearsed(id) {
		x := s.rehearsed.Get(id)
		if x == nil {
			return nil, huma.Error404NotFound("the rows of this rehearsal are not kept any more; rehearse again")
		}
		o := x.Of
		o.dir = x.Dir
		return &o, nil
	}
	r, err := s.run(ctx, id)
	if err != nil {
		return nil, err
	}
	if r.State != store.Done {
		return nil, huma.Error409Conflict("the run has no rows to show: it is " + r.State)
	}
	d, err := s.delivery(ctx, r.DeliveryID)
	if err != nil {
		return nil, err
	}
	run, err := s.runOf(r)
	if err != nil {
		return nil, err
	}
	return &shown{dir: s.Area.RunDir(r.ID), delivery: d, layout: givenOf(r.Layout), run: run,
		open: func(ctx context.Context, refers bool) (*report.Run, func(), error) {
			return s.Queue.Reopen(ctx, r, refers)
		}}, nil
}

// notOpened says why what was made of rows cannot be looked at; doing says what for.
func (s *Server) notOpened(err error, doing string) error {
	var gone *jobs.Gone
	if errors.As(err, &gone) {
		return huma.Error409Conflict(gone.Error())
	}
	return s.failure(doing, err)
}

func (s *Server) outcomeRoutes(to huma.API) {
	huma.Register(to, op("rehearseOutcome", http.MethodPost, "/deliveries/{id}/rehearsals/outcome",
		"Makes the rows of a draft's outcome, without a record: its identifier stands for a run's where rows are asked for",
		"rules", 404, 409, 422), s.rehearseOutcome)
}

func (s *Server) rehearseOutcome(ctx context.Context, in *struct {
	ID   string `path:"id"`
	Body api.AskRehearsal
}) (*answer[api.Run], error) {
	t, err := s.try(ctx, in.ID, in.Body)
	if err != nil {
		return nil, err
	}
	var x *rehearsal.Outcome[shown]
	err = s.Desk.Alone(ctx, func(ctx context.Context) (err error) {
		x, err = s.rehearsed.Make(ctx, t.key, func(ctx context.Context, dir string) (shown, error) {
			return s.outcomeOf(ctx, t, dir)
		})
		return err
	})
	if err != nil {
		return nil, s.unreadable(t, err)
	}
	run := x.Of.run
	run.ID = x.ID
	return &answer[api.Run]{run}, nil
}

// outcomeOf writes the outcome of what is tried to a folder.
func (s *Server) outcomeOf(ctx context.Context, t *tried, dir string) (o shown, err error) {
	r, done, err := s.Queue.Open(ctx, t.Trial)
	if err != nil {
		return o, err
	}
	defer done()
	r.Dir = dir
	summary, err := r.Do(ctx)
	if err != nil {
		return o, err
	}
	now := time.Now().UTC()
	head := api.RunHead{Delivery: t.Delivery.ID, State: store.Done, Verdict: string(summary.Verdict),
		Tally: &summary.Tally, CreatedAt: now, FinishedAt: &now, Target: &api.VersionRef{Name: r.Target.Name}}
	if m := r.Target.Mapping; m != nil {
		head.Mapping = &api.VersionRef{Name: m.Name}
	}
	trial := *t.Trial
	return shown{delivery: t.Delivery, layout: t.Layout, run: api.Run{RunHead: head, Refusal: summary.Refusal,
		Columns: summary.Columns, Violations: summary.Violations, Remedies: summary.Remedies, ReadAs: &r.Delivery.Layout,
		Excluded: summary.Excluded, LeftOut: summary.LeftOut, Unjudged: summary.Unjudged},
		open: func(ctx context.Context, refers bool) (*report.Run, func(), error) {
			again := trial
			if !refers {
				again.Target = trial.Target.Alone()
			}
			return s.Queue.Open(ctx, &again)
		}}, nil
}

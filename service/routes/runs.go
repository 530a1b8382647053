package routes

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/check"
	"sieb/core/report"
	"sieb/core/sift"
	"sieb/core/violation"
	"sieb/service/api"
	"sieb/service/store"
)

func (s *Server) listRuns(ctx context.Context, in *struct {
	Paging
	Delivery string `query:"delivery" doc:"only those of this delivery"`
}) (*answer[api.Page[api.RunHead]], error) {
	if in.Delivery != "" {
		if _, err := s.delivery(ctx, in.Delivery); err != nil {
			return nil, err
		}
	}
	found, total, err := s.Store.Runs(ctx, in.Delivery, in.Offset, in.Limit)
	if err != nil {
		return nil, s.failure("listing runs", err)
	}
	return pageOf(found, total, headOf), nil
}

func (s *Server) run(ctx context.Context, id string) (store.Run, error) {
	r, err := s.Store.Run(ctx, id)
	if errors.Is(err, store.ErrNone) {
		return r, huma.Error404NotFound(fmt.Sprintf("there is no run %q", id))
	} else if err != nil {
		return r, s.failure("looking for a run", err)
	}
	return r, nil
}

func (s *Server) runOf(r store.Run) (api.Run, error) {
	out, err := runOf(r)
	if err != nil {
		return out, s.failure("reading the result of a run", err)
	}
	return out, nil
}

func (s *Server) showRun(ctx context.Context, in *byID) (*answer[api.Run], error) {
	r, err := s.run(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	out, err := s.runOf(r)
	if err != nil {
		return nil, err
	}
	return &answer[api.Run]{out}, nil
}

func (s *Server) runEvents(ctx context.Context, in *byID) (*huma.StreamResponse, error) {
	if _, err := s.run(ctx, in.ID); err != nil {
		return nil, err
	}
	return &huma.StreamResponse{Body: func(hctx huma.Context) {
		events := startEvents(hctx)
		if events.isHead {
			return
		}
		last := ""
		for {
			run, err := s.Store.Run(events.ctx, in.ID)
			if errors.Is(err, store.ErrNone) {
				events.ended("the run is no longer there")
				return
			} else if err != nil {
				events.ended(s.failure("following a run", err).Error())
				return
			}
			out, err := s.runOf(run)
			if err != nil {
				events.ended(err.Error())
				return
			}
			text, err := json.Marshal(out)
			if err != nil {
				events.ended(s.failure("following a run", err).Error())
				return
			}
			if string(text) != last {
				last = string(text)
				err = events.text("run", text)
			} else {
				err = events.still()
			}
			if err != nil || run.Ended() {
				return
			}
			select {
			case <-events.ctx.Done():
				return
			case <-s.Closing:
				events.ended("the service stops; the run goes on when it is started again")
				return
			case <-time.After(eventsEvery):
			}
		}
	}}, nil
}

func (s *Server) cancelRun(ctx context.Context, in *byID) (*answer[api.Run], error) {
	r, err := s.run(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	cancelled, err := s.Queue.Cancel(ctx, store.Runs, r.ID, r.JobID)
	if err != nil {
		return nil, s.failure("cancelling a run", err)
	}
	if !cancelled {
		return nil, huma.Error409Conflict("the run has ended already")
	}
	return s.showRun(ctx, in)
}

// AskViolations narrows what is shown of a run down to some violations.
type AskViolations struct {
	ID string `path:"id"`
	Paging
	Column string `query:"column" doc:"only violations in this column of the target"`
	Code   string `query:"code" doc:"only violations of this code, such as date.format"`
}

// doneRun returns a run that is done, and the filter that is asked for.
func (s *Server) doneRun(ctx context.Context, ask *AskViolations, what string) (r store.Run, f report.Filter,
	err error) {
	if r, err = s.run(ctx, ask.ID); err != nil {
		return r, f, err
	}
	if r.State != store.Done {
		return r, f, huma.Error409Conflict("the run has no " + what + " to show: it is " + r.State)
	}
	if ask.Code != "" {
		if err := new(violation.Code).UnmarshalText([]byte(ask.Code)); err != nil {
			return r, f, huma.Error422UnprocessableEntity(err.Error())
		}
	}
	if ask.Column != "" {
		if out, err := s.runOf(r); err != nil {
			return r, f, err
		} else if !out.Has(ask.Column) {
			return r, f, huma.Error404NotFound(fmt.Sprintf("the run has no column %q and no violation in one of "+
				"that name", ask.Column))
		}
	}
	return r, report.Filter{Column: ask.Column, Code: ask.Code}, nil
}

func (s *Server) runRejects(ctx context.Context, in *AskViolations) (*answer[api.Rejects], error) {
	r, filter, err := s.doneRun(ctx, in, "rejected rows")
	if err != nil {
		return nil, err
	}
	columns, page, total, err := report.Rejects(ctx, s.Area.RunDir(r.ID), filter, in.Offset, in.Limit)
	if err != nil {
		return nil, s.failure("reading the rejected rows", err)
	}
	return &answer[api.Rejects]{api.Rejects{Items: page, Total: total, Columns: columns}}, nil
}

func (s *Server) explainRow(ctx context.Context, in *struct {
	ID  string `path:"id"`
	Row int64  `path:"row" minimum:"1" doc:"number of the row, from 1"`
}) (*answer[check.Explanation], error) {
	o, err := s.shown(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	var e *check.Explanation
	err = s.Desk.Alone(ctx, func(ctx context.Context) (err error) {
		run, done, err := o.open(ctx, true)
		if err != nil {
			return err
		}
		defer done()
		e, err = run.Explain(ctx, in.Row)
		return err
	})
	var none *sift.NoRow
	switch {
	case errors.As(err, &none):
		return nil, huma.Error404NotFound(none.Error())
	case err != nil:
		return nil, s.notOpened(err, "explaining a row")
	}
	return &answer[check.Explanation]{*e}, nil
}

func (s *Server) runViolations(ctx context.Context, in *AskViolations) (*answer[api.Violations], error) {
	r, filter, err := s.doneRun(ctx, in, "violations")
	if err != nil {
		return nil, err
	}
	page, total, err := report.Violations(ctx, s.Area.RunDir(r.ID), filter, in.Offset, in.Limit)
	if err != nil {
		return nil, s.failure("reading the violations", err)
	}
	return &answer[api.Violations]{api.Violations{Items: page, Total: total}}, nil
}

package routes

import (
	"context"
	"errors"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/result"
	"sieb/service/store"
)

// AskSide is which rows of a run are asked for.
type AskSide struct {
	ID    string   `path:"id"`
	Side  string   `query:"side" enum:"accepted,rejected,excluded" default:"accepted"`
	Where []string `query:"where,explode" maxItems:"50" doc:"conditions that rows pass, each a column, what is asked of it, and a value: net_kg atLeast 20000; crop oneOf wheat,rye; grower empty. There are equals, oneOf, contains, empty, filled, greater, atLeast, less, atMost, between"`
}

// AskRows is which rows are shown.
type AskRows struct {
	AskSide
	Sort    []string `query:"sort,explode" maxItems:"20" doc:"columns that rows are sorted by, each with descending behind it or not; no value stands last"`
	Offset  int      `query:"offset" minimum:"0" doc:"rows in front of those shown; behind them with last"`
	Limit   int      `query:"limit" minimum:"0" maximum:"1000" default:"100"`
	Last    bool     `query:"last" doc:"shows the last rows, in their order, in place of the first"`
	Columns []string `query:"columns,explode" maxItems:"16384" doc:"whose cells are shown, in this order; all where none is named"`
}

// AskValues is of which column values are counted.
type AskValues struct {
	AskSide
	Column string `query:"column" required:"true"`
	Limit  int    `query:"limit" minimum:"0" maximum:"1000" default:"100"`
}

func (s *Server) rowRoutes(to huma.API) {
	huma.Register(to, op("runRows", http.MethodGet, "/runs/{id}/rows",
		"Rows of an outcome: accepted as their table will have them, the others as delivered", "runs", 404, 409, 422),
		s.runRows)
	huma.Register(to, op("runValues", http.MethodGet, "/runs/{id}/values",
		"How often each value of a column occurs in rows of an outcome, the most frequent first", "runs", 404, 409, 422),
		s.runValues)
}

// asked does what is asked of the rows of a run, which stand in a folder.
func asked[T any](ctx context.Context, s *Server, id string, do func(ctx context.Context, dir string) (T, error)) (
	*answer[T], error) {
	r, err := s.run(ctx, id)
	if err != nil {
		return nil, err
	}
	if r.State != store.Done {
		return nil, huma.Error409Conflict("the run has no rows to show: it is " + r.State)
	}
	var out answer[T]
	err = s.Desk.Alone(ctx, func(ctx context.Context) (err error) {
		out.Body, err = do(ctx, s.Area.RunDir(r.ID))
		return err
	})
	var wrong *result.Wrong
	switch {
	case errors.As(err, &wrong):
		return nil, huma.Error422UnprocessableEntity(wrong.Error())
	case err != nil:
		return nil, s.failure("looking for rows of a run", err)
	}
	return &out, nil
}

func (s *Server) runRows(ctx context.Context, in *AskRows) (*answer[result.RowsFound], error) {
	ask := result.Ask{Side: in.Side, Where: in.Where, Sort: in.Sort, Columns: in.Columns, Offset: in.Offset,
		Limit: in.Limit, Last: in.Last}
	return asked(ctx, s, in.ID, ask.Rows)
}

func (s *Server) runValues(ctx context.Context, in *AskValues) (*answer[result.ValuesFound], error) {
	ask := result.Ask{Side: in.Side, Where: in.Where, Limit: in.Limit}
	return asked(ctx, s, in.ID, func(ctx context.Context, dir string) (result.ValuesFound, error) {
		return ask.Values(ctx, dir, in.Column)
	})
}

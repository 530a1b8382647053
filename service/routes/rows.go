package routes

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/outcome"
	"sieb/core/profile"
	"sieb/core/result"
	"sieb/service/api"
	"sieb/service/desk"
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

// asked does what is asked of a side of a run. A question that is asked again while its answer is kept costs nothing.
func asked[T any](ctx context.Context, s *Server, in *AskSide, key any,
	do func(context.Context, *result.Side, []profile.Filter) (T, error)) (out T, err error) {
	r, err := s.run(ctx, in.ID)
	if err != nil {
		return out, err
	}
	if r.State != store.Done {
		return out, huma.Error409Conflict("the run has no rows to show: it is " + r.State)
	}
	var filters []profile.Filter
	for _, text := range in.Where {
		f, err := result.ParseFilter(text)
		if err != nil {
			return out, huma.Error422UnprocessableEntity(err.Error())
		}
		filters = append(filters, f)
	}
	text, err := json.Marshal(key)
	if err != nil {
		return out, err
	}
	out, err = desk.Do(ctx, s.Desk, fmt.Sprintf("%T %s", key, text), func(ctx context.Context) (none T, err error) {
		k := slices.IndexFunc(result.Sides, func(side outcome.Side) bool { return side.String() == in.Side })
		side, err := result.Open(s.Area.RunDir(r.ID), result.Sides[k])
		if err != nil {
			return none, err
		}
		return do(ctx, side, filters)
	})
	var wrong *result.Wrong
	switch {
	case errors.As(err, &wrong):
		err = huma.Error422UnprocessableEntity(wrong.Error())
	case err != nil:
		err = s.failure("looking for rows of a run", err)
	}
	return out, err
}

func (s *Server) runRows(ctx context.Context, in *AskRows) (*answer[api.ResultRows], error) {
	rows, err := asked(ctx, s, &in.AskSide, in, func(ctx context.Context, side *result.Side,
		filters []profile.Filter) (*api.ResultRows, error) {
		q := result.Question{Where: filters, Skip: in.Offset, Most: in.Limit, Last: in.Last, Columns: in.Columns}
		for _, text := range in.Sort {
			q.Sort = append(q.Sort, side.ParseBy(text))
		}
		found, err := side.Find(ctx, q)
		if err != nil {
			return nil, err
		}
		columns, err := side.Fields(in.Columns)
		return &api.ResultRows{Side: in.Side, Columns: columns, Items: append([]result.Shown{}, found.Rows...),
			Total: found.Total}, err
	})
	if err != nil {
		return nil, err
	}
	return &answer[api.ResultRows]{*rows}, nil
}

func (s *Server) runValues(ctx context.Context, in *AskValues) (*answer[api.ResultValues], error) {
	values, err := asked(ctx, s, &in.AskSide, in, func(ctx context.Context, side *result.Side,
		filters []profile.Filter) (*api.ResultValues, error) {
		found, distinct, rows, err := side.Count(ctx, in.Column, filters, in.Limit)
		return &api.ResultValues{Side: in.Side, Column: in.Column, Items: append([]result.Occurring{}, found...),
			Total: distinct, Rows: rows}, err
	})
	if err != nil {
		return nil, err
	}
	return &answer[api.ResultValues]{*values}, nil
}

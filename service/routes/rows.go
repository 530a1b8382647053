package routes

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"reflect"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/check"
	"sieb/core/profile"
	"sieb/core/result"
	"sieb/core/sift"
	"sieb/core/violation"
	"sieb/service/api"
	"sieb/service/desk"
	"sieb/service/reading"
	"sieb/service/store"
)

// AskSide is which rows of a run are asked for.
type AskSide struct {
	ID    string   `path:"id"`
	Side  string   `query:"side" enum:"accepted,rejected,excluded,changed,flagged" default:"accepted" doc:"changed and flagged rows are accepted ones in which a remedy has changed something, or something breaks a rule"`
	Where []string `query:"where,explode" maxItems:"50" doc:"conditions that rows pass, each a column, what is asked of it, and a value: net_kg atLeast 20000; crop oneOf wheat,rye; grower empty. There are equals, oneOf, contains, empty, filled, greater, atLeast, less, atMost, between"`
	AskCompared
	Kind    string `query:"kind" enum:"new,gone,changed,moved" doc:"with a run to compare with: accepted rows that are new, gone or changed, or rows that moved to the side; gone rows are those of the earlier run"`
	Differs string `query:"differs" doc:"only changed rows that differ in this column"`
}

// ask returns the question without what is shown of the rows. What they are compared with is compared.
func (s *Server) ask(ctx context.Context, in *AskSide) (ask result.Ask, err error) {
	ask = result.Ask{Side: in.Side, Where: in.Where, Kind: in.Kind, Differs: in.Differs}
	if in.With != "" {
		ask.With, err = s.compared(ctx, in.ID, &in.AskCompared)
	} else if in.Kind != "" {
		err = huma.Error422UnprocessableEntity(fmt.Sprintf("%s rows are those of a comparison: say with which run", in.Kind))
	}
	return ask, err
}

// AskRows is which rows are shown.
type AskRows struct {
	AskSide
	Sort    []string `query:"sort,explode" maxItems:"20" doc:"columns that rows are sorted by, each with descending behind it or not; no value stands last"`
	Offset  int      `query:"offset" minimum:"0" doc:"rows in front of those shown; behind them with last. The rows of an outcome do not change, so that an offset holds"`
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
	huma.Register(to, op("runBecame", http.MethodGet, "/runs/{id}/became",
		"What the accepted rows hold, column by column, beside what was delivered", "runs", 404, 409, 422), s.runBecame)
	huma.Register(to, op("placeOfRow", http.MethodGet, "/runs/{id}/rows/{row}/place",
		"On which side a row of the delivery ended, and at which place there", "runs", 404, 409, 422), s.placeOfRow)
	huma.Register(to, op("placeOfLine", http.MethodGet, "/runs/{id}/lines/{line}/place",
		"On which side the row ended that stands at a line of the delivery, or last in front of it", "runs", 404, 409, 422),
		s.placeOfLine)
	huma.Register(to, op("runMarks", http.MethodGet, "/runs/{id}/marks",
		"What was changed in the cells of some rows, and which of them break a rule", "runs", 404, 409, 422), s.runMarks)
}

// asked does what is asked of the rows of an outcome, which stand in a folder.
func asked[T any](ctx context.Context, s *Server, id string, do func(ctx context.Context, dir string) (T, error)) (
	*answer[T], error) {
	o, err := s.shown(ctx, id)
	if err != nil {
		return nil, err
	}
	var out answer[T]
	err = s.Desk.Alone(ctx, func(ctx context.Context) (err error) {
		out.Body, err = do(ctx, o.dir)
		return err
	})
	if err != nil {
		return nil, s.notAsked(err)
	}
	return &out, nil
}

// notAsked says why rows of a run cannot be told of.
func (s *Server) notAsked(err error) error {
	var wrong *result.Wrong
	if errors.As(err, &wrong) {
		return huma.Error422UnprocessableEntity(wrong.Error())
	}
	return s.notOpened(err, "looking for rows of a run")
}

func (s *Server) runRows(ctx context.Context, in *AskRows) (*answer[result.RowsFound], error) {
	ask, err := s.ask(ctx, &in.AskSide)
	if err != nil {
		return nil, err
	}
	ask.Sort, ask.Columns, ask.Offset, ask.Limit, ask.Last = in.Sort, in.Columns, in.Offset, in.Limit, in.Last
	return asked(ctx, s, in.ID, ask.Rows)
}

func (s *Server) runValues(ctx context.Context, in *AskValues) (*answer[result.ValuesFound], error) {
	ask, err := s.ask(ctx, &in.AskSide)
	if err != nil {
		return nil, err
	}
	ask.Limit = in.Limit
	return asked(ctx, s, in.ID, func(ctx context.Context, dir string) (result.ValuesFound, error) {
		return ask.Values(ctx, dir, in.Column)
	})
}

func (s *Server) placeOfRow(ctx context.Context, in *struct {
	ID  string `path:"id"`
	Row int64  `path:"row" minimum:"1"`
}) (*answer[result.Ended], error) {
	return asked(ctx, s, in.ID, func(_ context.Context, dir string) (result.Ended, error) {
		return result.PlaceOf(dir, in.Row)
	})
}

func (s *Server) placeOfLine(ctx context.Context, in *struct {
	ID   string `path:"id"`
	Line int64  `path:"line" minimum:"1"`
}) (*answer[result.Ended], error) {
	o, err := s.shown(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	var row int64
	err = s.Cache.Read(ctx, s.Area.Path(o.delivery.SHA256), o.layout, func(read *reading.Reading) (err error) {
		row, err = read.RowAt(ctx, in.Line)
		return err
	})
	switch {
	case err != nil:
		return nil, s.failure("looking for a line", err)
	case row == 0:
		return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("line %d stands above the first row", in.Line))
	}
	return asked(ctx, s, in.ID, func(_ context.Context, dir string) (result.Ended, error) {
		return result.PlaceOf(dir, row)
	})
}

// AskMarks is of which rows marks are told.
type AskMarks struct {
	ID      string   `path:"id"`
	Rows    []int64  `query:"rows,explode" required:"true" minItems:"1" maxItems:"200" doc:"numbers of rows in the delivery"`
	Columns []string `query:"columns,explode" maxItems:"16384" doc:"of the target; all where none is named"`
}

func (s *Server) runMarks(ctx context.Context, in *AskMarks) (*answer[api.Marks], error) {
	o, err := s.shown(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	rows := slices.Compact(slices.Sorted(slices.Values(in.Rows)))
	out := api.Marks{Items: []api.MarkedRow{}}
	run, done, err := o.open(ctx, false)
	if err != nil {
		return nil, s.notOpened(err, "opening a run once more")
	}
	defer done()
	err = s.Cache.Read(ctx, s.Area.Path(o.delivery.SHA256), o.layout, func(read *reading.Reading) error {
		return run.MadeOf(ctx, rows, read.From, func(m *sift.Made) {
			if row := markedOf(m.Explanation, in.Columns); len(row.Cells) > 0 {
				out.Items = append(out.Items, row)
			}
		})
	})
	if err != nil {
		return nil, s.failure("looking at what was changed in rows", err)
	}
	return &answer[api.Marks]{out}, nil
}

// markedOf tells of the cells of a row that were changed, or break a rule, in some columns; nil for all.
func markedOf(e *check.Explanation, columns []string) api.MarkedRow {
	row := api.MarkedRow{Row: e.Row, Cells: []api.MarkedCell{}}
	for i := range e.Columns {
		c := &e.Columns[i]
		cell := api.MarkedCell{Column: c.Column}
		for _, step := range c.Steps {
			if step.Changed {
				cell.By = append(cell.By, step.Remedy)
			}
		}
		for _, v := range c.Violations {
			cell.Breaks = append(cell.Breaks, v.Message)
			if v.Action == violation.Blank {
				cell.By = append(cell.By, v.Action.String())
			}
		}
		if len(cell.By) > 0 && c.Delivered != nil {
			text := cutText(*c.Delivered)
			cell.Was = &text
		}
		if isAsked := columns == nil || slices.Contains(columns, c.Column); isAsked && len(cell.By)+len(cell.Breaks) > 0 {
			row.Cells = append(row.Cells, cell)
		}
	}
	return row
}

// runBecame profiles the accepted rows, once for all who ask.
func (s *Server) runBecame(ctx context.Context, in *byID) (*answer[result.Became], error) {
	o, err := s.shown(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	var was *profile.Profile
	last, err := s.Store.LastProfile(ctx, o.delivery.ID)
	switch {
	case err == nil:
		of, err := s.profileOf(last)
		if err != nil {
			return nil, err
		}
		// A profile of another layout has other columns.
		if of.Profile != nil && reflect.DeepEqual(of.ReadAs, o.run.ReadAs) {
			was = of.Profile
		}
	case !errors.Is(err, store.ErrNone):
		return nil, s.failure("looking for a profile", err)
	}
	profiled := func(ctx context.Context) (*profile.Profile, error) { return result.Profile(ctx, o.dir, s.Bounds) }
	is, err := desk.Do(ctx, s.Desk, "profile of the result of "+in.ID, profiled)
	if err != nil {
		return nil, s.notAsked(err)
	}
	return &answer[result.Became]{result.BecameOf(is, was, o.run.Columns)}, nil
}

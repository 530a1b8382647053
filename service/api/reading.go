package api

import (
	"archive/zip"
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"path"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/layout"
	"sieb/core/source"
	"sieb/service/reading"
	"sieb/service/staging"
	"sieb/service/store"
)

func (s *Server) readingRoutes(api huma.API, op func(id, method, path, summary, tag string, errs ...int) huma.Operation) {
	huma.Register(api, op("readDelivery", http.MethodPost, "/deliveries/{id}/reading", "How settings read a delivery, with the first rows", "reading", 404, 422), s.readDelivery)
	huma.Register(api, op("readRows", http.MethodPost, "/deliveries/{id}/reading/rows", "Rows of a delivery by number, as settings read them", "reading", 404, 409, 422), s.readRows)
	huma.Register(api, op("readProblems", http.MethodPost, "/deliveries/{id}/reading/problems", "What is wrong with the rows as settings read them, as far as they were looked at", "reading", 404, 422), s.readProblems)
	save := op("saveLayout", http.MethodPut, "/deliveries/{id}/layout", "Keeps settings with a delivery; runs read it by them", "reading", 404, 422)
	huma.Register(api, save, s.saveLayout)
	forget := op("forgetLayout", http.MethodDelete, "/deliveries/{id}/layout", "Takes the kept settings away", "reading", 404)
	forget.DefaultStatus = http.StatusOK
	huma.Register(api, forget, s.forgetLayout)
	huma.Register(api, op("listLayouts", http.MethodGet, "/layouts", "Settings kept with deliveries, the last saved first", "reading"), s.listLayouts)
	take := op("takeMembers", http.MethodPost, "/deliveries/{id}/members", "Makes a delivery of each file in a ZIP archive", "deliveries", 404, 422)
	take.DefaultStatus = http.StatusCreated
	huma.Register(api, take, s.takeMembers)
}

// use finds the delivery and how the settings read it.
func (s *Server) use(ctx context.Context, id string, ask *layout.Given, do func(layout.Given, *reading.Reading) error) error {
	d, err := s.delivery(ctx, id)
	if err != nil {
		return err
	}
	given := givenOf(d.Layout)
	if ask != nil {
		given = *ask
	}
	err = s.Desk.Read(ctx, s.Area.Path(d.SHA256), given, func(r *reading.Reading) error { return do(given, r) })
	var status huma.StatusError
	switch {
	case err == nil, errors.As(err, &status), errors.As(err, new(*source.Several)):
		return err
	case errors.Is(err, context.Canceled) && ctx.Err() == nil:
		return huma.Error409Conflict("the delivery was read in other ways meanwhile; ask again")
	}
	return huma.Error422UnprocessableEntity(staging.Rename(err, s.Area.Path(d.SHA256), d.Name).Error())
}

// topRows is how many rows come along with a reading.
const topRows = 100

func (s *Server) readDelivery(ctx context.Context, in *struct {
	ID   string `path:"id"`
	Body AskReading
}) (*answer[Reading], error) {
	out := Reading{}
	err := s.use(ctx, in.ID, in.Body.Layout, func(given layout.Given, r *reading.Reading) (err error) {
		out.Given, out.Layout, out.Evidence, out.Packing, out.Sheets = given, &r.File.Layout, r.File.Evidence, r.File.Packing, r.File.Sheets()
		out.Columns, out.Settled = r.Columns, r.File.Layout.Given()
		out.Top, err = r.Rows(ctx, 1, topRows)
		return err
	})
	var several *source.Several
	if err != nil && !errors.As(err, &several) {
		return nil, err
	}
	if several != nil {
		out.Packing = "zip"
	}
	if out.Packing == "zip" {
		if out.Members, err = s.members(ctx, in.ID); err != nil {
			return nil, err
		}
	}
	return &answer[Reading]{out}, nil
}

// members names the files of an archive of several.
func (s *Server) members(ctx context.Context, id string) ([]string, error) {
	d, err := s.delivery(ctx, id)
	if err != nil {
		return nil, err
	}
	z, err := zip.OpenReader(s.Area.Path(d.SHA256))
	if err != nil {
		return nil, s.failure("opening an archive", err)
	}
	defer z.Close()
	names := source.Members(&z.Reader)
	if len(names) < 2 {
		return nil, nil
	}
	return names, nil
}

func (s *Server) readRows(ctx context.Context, in *struct {
	ID   string `path:"id"`
	Body AskRows
}) (out *answer[reading.Window], err error) {
	err = s.use(ctx, in.ID, in.Body.Layout, func(_ layout.Given, r *reading.Reading) error {
		var w *reading.Window
		if in.Body.Last {
			w, err = r.Last(ctx, in.Body.Limit)
		} else {
			w, err = r.Rows(ctx, in.Body.From, in.Body.Limit)
		}
		if err != nil {
			return err
		}
		out = &answer[reading.Window]{*w}
		return nil
	})
	return out, chosen(err)
}

func (s *Server) readProblems(ctx context.Context, in *struct {
	ID   string `path:"id"`
	Body AskReading
}) (out *answer[reading.Problems], err error) {
	err = s.use(ctx, in.ID, in.Body.Layout, func(_ layout.Given, r *reading.Reading) error {
		out = &answer[reading.Problems]{r.Problems()}
		return nil
	})
	return out, chosen(err)
}

// chosen turns the need of choosing a member into the answer's error.
func chosen(err error) error {
	if errors.As(err, new(*source.Several)) {
		return huma.Error422UnprocessableEntity(err.Error())
	}
	return err
}

func (s *Server) saveLayout(ctx context.Context, in *struct {
	ID   string `path:"id"`
	Body layout.Given
}) (*answer[Delivery], error) {
	// Settings that cannot read the delivery are not kept.
	if err := s.use(ctx, in.ID, &in.Body, func(layout.Given, *reading.Reading) error { return nil }); err != nil {
		return nil, chosen(err)
	}
	text, err := json.Marshal(in.Body)
	if err != nil {
		return nil, err
	}
	return s.keepLayout(ctx, in.ID, text)
}

func (s *Server) forgetLayout(ctx context.Context, in *byID) (*answer[Delivery], error) {
	return s.keepLayout(ctx, in.ID, nil)
}

func (s *Server) keepLayout(ctx context.Context, id string, text []byte) (*answer[Delivery], error) {
	if err := s.Store.SaveLayout(ctx, id, text); err != nil && !errors.Is(err, store.ErrNone) {
		return nil, s.failure("saving a layout", err)
	}
	return s.showDelivery(ctx, &byID{id})
}

func (s *Server) listLayouts(ctx context.Context, in *Paging) (*answer[Page[SavedLayout]], error) {
	found, total, err := s.Store.Layouts(ctx, in.Offset, in.Limit)
	if err != nil {
		return nil, s.failure("listing layouts", err)
	}
	return pageOf(found, total, func(d store.Delivery) SavedLayout {
		return SavedLayout{d.ID, d.Name, d.LayoutSavedAt.Time.UTC().Truncate(time.Second), givenOf(d.Layout)}
	}), nil
}

func (s *Server) takeMembers(ctx context.Context, in *byID) (*answer[Page[Delivery]], error) {
	d, err := s.delivery(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	names, err := s.members(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	if names == nil {
		return nil, huma.Error422UnprocessableEntity(d.Name + " is no ZIP archive of several files")
	}
	out := Page[Delivery]{Items: []Delivery{}, Total: len(names)}
	for _, name := range names {
		file := path.Base(name)
		if err := staging.CheckName(file); err != nil {
			return nil, huma.Error422UnprocessableEntity(err.Error())
		}
		content, err := source.OpenMember(ctx, s.Area.Path(d.SHA256), name)
		if err != nil {
			return nil, huma.Error422UnprocessableEntity(staging.Rename(err, s.Area.Path(d.SHA256), d.Name).Error())
		}
		bytes, sum, err := s.Area.Take(ctx, content)
		content.Close()
		if err != nil {
			return nil, s.failure("storing "+file, err)
		}
		added, _, err := s.Store.AddDelivery(ctx, file, bytes, sum, "")
		if err != nil {
			return nil, s.failure("recording "+file, err)
		}
		s.Log.Info("delivery taken out of an archive", "delivery", added.ID, "name", file, "archive", d.ID)
		out.Items = append(out.Items, deliveryOf(added))
	}
	return &answer[Page[Delivery]]{out}, nil
}

package routes

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"path"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/fault"
	"sieb/core/layout"
	"sieb/core/source"
	"sieb/service/api"
	"sieb/service/jobs"
	"sieb/service/reading"
	"sieb/service/staging"
	"sieb/service/store"
)

func (s *Server) readingRoutes(to huma.API) {
	huma.Register(to, op("readDelivery", http.MethodPost, "/deliveries/{id}/reading",
		"How settings read a delivery, with the first rows", "reading", 404, 422), s.readDelivery)
	huma.Register(to, op("readRows", http.MethodPost, "/deliveries/{id}/reading/rows",
		"Rows of a delivery by number, as settings read them", "reading", 404, 409, 422), s.readRows)
	huma.Register(to, op("readProblems", http.MethodPost, "/deliveries/{id}/reading/problems",
		"What is wrong with the rows as settings read them, as far as they were looked at", "reading", 404, 422),
		s.readProblems)
	save := op("saveLayout", http.MethodPut, "/deliveries/{id}/layout",
		"Saves settings with a delivery; runs read it by them", "reading", 404, 412, 422)
	huma.Register(to, save, s.saveLayout)
	forget := op("forgetLayout", http.MethodDelete, "/deliveries/{id}/layout", "Removes the saved settings",
		"reading", 404, 412)
	forget.DefaultStatus = http.StatusOK
	huma.Register(to, forget, s.forgetLayout)
	huma.Register(to, op("listLayouts", http.MethodGet, "/layouts",
		"Settings saved with deliveries, the last saved first", "reading"), s.listLayouts)
	take := op("takeMembers", http.MethodPost, "/deliveries/{id}/members",
		"Makes a delivery of each file in a ZIP archive", "deliveries", 404, 422)
	take.DefaultStatus = http.StatusCreated
	huma.Register(to, take, s.takeMembers)
}

// checked refuses settings that cannot be, with all that is wrong with them. The
// place is that of the settings in the request.
func checked(given layout.Given, place string) error {
	var faults layout.Faults
	if !errors.As(given.Check(), &faults) {
		return nil
	}
	details := make([]error, len(faults))
	for i, f := range faults {
		details[i] = &huma.ErrorDetail{Location: place + f.Setting, Message: f.Message}
	}
	return huma.Error422UnprocessableEntity("the layout cannot be used: "+faults.Error(), details...)
}

// use finds the delivery and how the settings read it.
func (s *Server) use(ctx context.Context, id string, ask *layout.Given,
	do func(layout.Given, *reading.Reading) error) error {
	d, err := s.delivery(ctx, id)
	if err != nil {
		return err
	}
	given := givenOf(d.Layout)
	if ask != nil {
		if err := checked(*ask, "layout."); err != nil {
			return err
		}
		given = *ask
	}
	err = s.Cache.Read(ctx, s.Area.Path(d.SHA256), given, func(r *reading.Reading) error { return do(given, r) })
	var status huma.StatusError
	switch {
	case err == nil, errors.As(err, &status), errors.As(err, new(*source.Several)):
		return err
	case fault.IsDisk(err):
		return s.failure("unpacking the delivery", err)
	case errors.Is(err, context.Canceled) && ctx.Err() == nil:
		return huma.Error409Conflict("the delivery was read in other ways meanwhile; ask again")
	}
	return huma.Error422UnprocessableEntity(s.Area.Conceal(err, d.SHA256, d.Name))
}

// topRows is how many rows come along with a reading.
const topRows = 100

func (s *Server) readDelivery(ctx context.Context, in *struct {
	ID   string `path:"id"`
	Body api.AskReading
}) (*answer[api.Reading], error) {
	out := api.Reading{}
	err := s.use(ctx, in.ID, in.Body.Layout, func(given layout.Given, r *reading.Reading) (err error) {
		out.Given, out.Layout, out.Evidence, out.Packing, out.Sheets = given, &r.File.Layout, r.File.Evidence,
			r.File.Packing, r.File.Sheets()
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
		members, err := s.members(ctx, in.ID)
		if err != nil {
			return nil, err
		}
		for _, m := range members {
			out.Members = append(out.Members, m.Name)
		}
	}
	return &answer[api.Reading]{out}, nil
}

// members lists the files of an archive of several; nil for anything else.
func (s *Server) members(ctx context.Context, id string) ([]source.Member, error) {
	d, err := s.delivery(ctx, id)
	if err != nil {
		return nil, err
	}
	members, err := source.Members(s.Area.Path(d.SHA256))
	if err != nil {
		return nil, s.failure("opening an archive", err)
	}
	if len(members) < 2 {
		return nil, nil
	}
	return members, nil
}

func (s *Server) readRows(ctx context.Context, in *struct {
	ID   string `path:"id"`
	Body api.AskRows
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
	Body api.AskReading
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
	ID     string `path:"id"`
	Settle bool   `query:"settle" doc:"keep all settings of the layout, those that are detected around the given ones too"`
	OfState
	Body layout.Given
}) (*answer[api.Delivery], error) {
	kept := in.Body
	// Settings that cannot read the delivery are not kept.
	if err := s.use(ctx, in.ID, &in.Body, func(_ layout.Given, r *reading.Reading) error {
		if in.Settle {
			kept = r.File.Layout.Given()
		}
		return nil
	}); err != nil {
		return nil, chosen(err)
	}
	text, err := json.Marshal(kept)
	if err != nil {
		return nil, err
	}
	names, err := json.Marshal(namesOf(in.Body))
	if err != nil {
		return nil, err
	}
	return s.keepLayout(ctx, in.ID, text, names, in.OfState)
}

// namesOf returns the names of the settings that are given, in order.
func namesOf(given layout.Given) []string {
	text, err := json.Marshal(given)
	settings := map[string]any{}
	if err != nil || json.Unmarshal(text, &settings) != nil {
		return nil
	}
	return slices.Sorted(maps.Keys(settings))
}

func (s *Server) forgetLayout(ctx context.Context, in *struct {
	ID string `path:"id"`
	OfState
}) (*answer[api.Delivery], error) {
	return s.keepLayout(ctx, in.ID, nil, nil, in.OfState)
}

// keepLayout saves settings in the place of the draft of them.
func (s *Server) keepLayout(ctx context.Context, id string, text, names []byte, on OfState) (*answer[api.Delivery],
	error) {
	if err := s.Store.SaveLayout(ctx, id, text, names, on.ofDraft()); err != nil && !errors.Is(err, store.ErrNone) {
		return nil, s.failure("saving a layout", err)
	}
	return s.showDelivery(ctx, &byID{id})
}

func (s *Server) listLayouts(ctx context.Context, in *Paging) (*answer[api.Page[api.SavedLayout]], error) {
	found, total, err := s.Store.Layouts(ctx, in.Offset, in.Limit)
	if err != nil {
		return nil, s.failure("listing layouts", err)
	}
	return pageOf(found, total, func(d store.Delivery) api.SavedLayout {
		return api.SavedLayout{Delivery: d.ID, Name: d.Name,
			SavedAt: d.LayoutSavedAt.Time.UTC().Truncate(time.Second), Layout: givenOf(d.Layout)}
	}), nil
}

// mostMembers is how many files of an archive become deliveries at once.
const mostMembers = 1000

func (s *Server) takeMembers(ctx context.Context, in *byID) (*answer[api.Page[api.Delivery]], error) {
	d, err := s.delivery(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	members, err := s.members(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	most := source.MostUnpacked(d.Bytes)
	if s.Guard.MaxUpload > 0 {
		most = min(most, s.Guard.MaxUpload)
	}
	if err := checkMembers(d, members, most); err != nil {
		return nil, err
	}
	var arrivals []store.Arrival
	var held []staging.Taken
	recorded := false
	defer func() {
		for _, t := range held {
			s.Area.LetGo(t, recorded)
		}
	}()
	for _, m := range members {
		taken, err := s.takeMember(ctx, d, m.Name)
		if err != nil {
			return nil, err
		}
		held = append(held, taken)
		if most -= taken.Bytes; most < 0 {
			return nil, tooMuch(d)
		}
		arrivals = append(arrivals, store.Arrival{Name: path.Base(m.Name), Bytes: taken.Bytes, SHA256: taken.SHA256,
			Refusal: jobs.Refusal(ctx, s.Area, taken.SHA256)})
	}
	added, err := s.Store.AddDeliveries(ctx, arrivals)
	recorded = err == nil || !store.WasNotSent(err)
	if err != nil {
		return nil, s.failure("recording the files of "+d.Name, err)
	}
	s.Log.Info("deliveries taken out of an archive", "archive", d.ID, "files", len(added))
	return pageOf(added, len(added), deliveryOf), nil
}

// checkMembers says what is wrong with the files of an archive, before any of
// them is unpacked.
func checkMembers(d store.Delivery, members []source.Member, most int64) error {
	switch {
	case members == nil:
		return huma.Error422UnprocessableEntity(d.Name + " is no ZIP archive of several files")
	case len(members) > mostMembers:
		return huma.Error422UnprocessableEntity(fmt.Sprintf("%s holds %d files; at most %d are taken out at once, "+
			"and none was: unpack it and send the files that are deliveries",
			d.Name, len(members), mostMembers))
	}
	for _, m := range members {
		if err := staging.CheckName(path.Base(m.Name)); err != nil {
			return huma.Error422UnprocessableEntity(fmt.Sprintf("none of the files was taken: %v", err))
		}
		if most -= int64(min(m.Bytes, 1<<62)); most < 0 {
			return tooMuch(d)
		}
	}
	return nil
}

func tooMuch(d store.Delivery) error {
	return huma.NewError(http.StatusRequestEntityTooLarge,
		fmt.Sprintf("the files of %s unpack to more than is taken; none was taken: unpack it and send the files "+
			"that are deliveries", d.Name))
}

// takeMember stores one file of an archive.
func (s *Server) takeMember(ctx context.Context, d store.Delivery, name string) (t staging.Taken, err error) {
	content, err := s.Bounds.OpenMember(ctx, s.Area.Path(d.SHA256), name)
	if err != nil {
		return t, huma.Error422UnprocessableEntity(s.Area.Conceal(err, d.SHA256, d.Name) +
			"; none of the files was taken")
	}
	defer content.Close()
	if t, err = s.Area.Take(ctx, content, 0); err != nil {
		return t, s.failure("storing "+path.Base(name), err)
	}
	return t, nil
}

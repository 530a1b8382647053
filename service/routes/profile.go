package routes

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"reflect"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/draft"
	"sieb/core/layout"
	"sieb/core/profile"
	"sieb/core/search"
	"sieb/core/target"
	"sieb/core/typing"
	"sieb/service/api"
	"sieb/service/jobs"
	"sieb/service/reading"
	"sieb/service/store"
)

func (s *Server) profileRoutes(to huma.API) {
	start := op("startProfile", http.MethodPost, "/deliveries/{id}/profile",
		"Makes the profile of a delivery; returns the existing one if it was made, or is being made, with the same "+
			"settings",
		"profiles", 404, 422)
	start.DefaultStatus = http.StatusAccepted
	huma.Register(to, start, s.startProfile)
	huma.Register(to, op("showProfile", http.MethodGet, "/deliveries/{id}/profile", "The newest profile of a delivery",
		"profiles", 404), s.showProfile)
	huma.Register(to, op("cancelProfile", http.MethodPost, "/deliveries/{id}/profile/cancel",
		"Cancels a profile that is being made", "profiles", 404, 409), s.cancelProfile)
	huma.Register(to, op("lookAt", http.MethodPut, "/deliveries/{id}/profile/looked",
		"Notes which columns of the newest profile were looked at", "profiles", 404, 409, 422), s.lookAt)
	huma.Register(to, op("findRows", http.MethodPost, "/deliveries/{id}/profile/rows",
		"The rows behind values of the newest profile, from the whole delivery, in order", "profiles", 404, 409, 422),
		s.findRows)
	huma.Register(to, op("draftMapping", http.MethodGet, "/deliveries/{id}/mapping",
		"The mapping of a delivery to a target, drafted from its newest profile and its rows, without adding it",
		"profiles", 404, 409, 422), s.draftMapping)
	huma.Register(to, op("draftTarget", http.MethodGet, "/deliveries/{id}/draft",
		"A first target, drafted from the newest profile, without adding it", "profiles", 404, 409, 422), s.draftTarget)
}

func (s *Server) profileOf(p store.Profile) (api.DeliveryProfile, error) {
	out := api.DeliveryProfile{ID: p.ID, Delivery: p.DeliveryID, State: p.State,
		Progress: api.Progress{Bytes: p.BytesDone, TotalBytes: p.TotalBytes, Rows: p.RowsDone},
		Given:    givenOf(p.Layout), Share: shareOf(p), Looked: []string{}, Error: p.Error.String,
		Trouble: troubleOf(p.Trouble), CreatedAt: p.CreatedAt.UTC()}
	if p.FinishedAt.Valid {
		at := p.FinishedAt.Time.UTC()
		out.FinishedAt = &at
	}
	if err := json.Unmarshal(p.Looked, &out.Looked); err != nil {
		return out, s.failure("reading which columns were looked at", err)
	}
	if p.Result != nil {
		var found jobs.Profiled
		if err := json.Unmarshal(p.Result, &found); err != nil {
			return out, s.failure("reading a profile", err)
		}
		out.Profile, out.ReadAs = found.Profile, &found.ReadAs
	}
	return out, nil
}

// shareOf returns the share of values that decides a datatype in a profile.
func shareOf(p store.Profile) float64 {
	if p.Share.Valid {
		return p.Share.Float64
	}
	return typing.DefaultShare
}

// lastProfile returns the newest profile of a delivery that is there.
func (s *Server) lastProfile(ctx context.Context, delivery string) (store.Profile, error) {
	if _, err := s.delivery(ctx, delivery); err != nil {
		return store.Profile{}, err
	}
	p, err := s.Store.LastProfile(ctx, delivery)
	if errors.Is(err, store.ErrNone) {
		return p, huma.Error404NotFound("the delivery has no profile yet; POST makes one")
	} else if err != nil {
		return p, s.failure("looking for a profile", err)
	}
	return p, nil
}

// doneProfile returns the newest profile of a delivery where it is done; what says what
// it is wanted for.
func (s *Server) doneProfile(ctx context.Context, delivery, what string) (out api.DeliveryProfile, err error) {
	p, err := s.lastProfile(ctx, delivery)
	if err != nil {
		return out, err
	}
	if out, err = s.profileOf(p); err == nil && out.Profile == nil {
		err = huma.Error409Conflict(fmt.Sprintf("the profile is %s: %s once it is done", p.State, what))
	}
	return out, err
}

func (s *Server) startProfile(ctx context.Context, in *struct {
	ID   string `path:"id"`
	Body api.NewProfile
}) (*created[api.DeliveryProfile], error) {
	d, err := s.delivery(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	if err := s.isTable(d); err != nil {
		return nil, err
	}
	given := givenOf(d.Layout)
	if in.Body.Layout != nil {
		given = *in.Body.Layout
	}
	p, err := s.Store.LastProfile(ctx, d.ID)
	isSame := err == nil && reflect.DeepEqual(given, givenOf(p.Layout)) &&
		shareOf(p) == cmp.Or(in.Body.Share, typing.DefaultShare) &&
		p.State != store.Failed && p.State != store.Cancelled
	if err != nil && !errors.Is(err, store.ErrNone) {
		return nil, s.failure("looking for a profile", err)
	}
	if !isSame || in.Body.Again && p.State == store.Done {
		if p, err = s.Store.AddProfile(ctx, d.ID, given, in.Body.Share,
			s.Queue.Enqueue(ctx, store.Profiles, d)); err != nil {
			return nil, s.failure("recording a profile", err)
		}
	}
	out, err := s.profileOf(p)
	if err != nil {
		return nil, err
	}
	return &created[api.DeliveryProfile]{http.StatusAccepted, "/api/v1/deliveries/" + d.ID + "/profile", out}, nil
}

func (s *Server) showProfile(ctx context.Context, in *byID) (*answer[api.DeliveryProfile], error) {
	p, err := s.lastProfile(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	out, err := s.profileOf(p)
	return &answer[api.DeliveryProfile]{out}, err
}

func (s *Server) cancelProfile(ctx context.Context, in *byID) (*answer[api.DeliveryProfile], error) {
	p, err := s.lastProfile(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	cancelled, err := s.Queue.Cancel(ctx, store.Profiles, p.ID, p.JobID)
	if err != nil {
		return nil, s.failure("stopping a profile", err)
	}
	if !cancelled {
		return nil, huma.Error409Conflict(fmt.Sprintf("the profile is %s and cannot be stopped any more", p.State))
	}
	return s.showProfile(ctx, in)
}

func (s *Server) lookAt(ctx context.Context, in *struct {
	ID   string `path:"id"`
	Body api.Looked
}) (*answer[api.DeliveryProfile], error) {
	out, err := s.doneProfile(ctx, in.ID, "its columns can be looked at")
	if err != nil {
		return nil, err
	}
	out.Looked = []string{}
	for _, name := range in.Body.Columns {
		if !slices.ContainsFunc(out.Profile.Columns, func(c profile.Column) bool { return c.Name == name }) {
			return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("the delivery has no column %q", name))
		}
		if !slices.Contains(out.Looked, name) {
			out.Looked = append(out.Looked, name)
		}
	}
	if err := s.Store.LookedAt(ctx, out.ID, out.Looked); err != nil {
		return nil, s.failure("noting what was looked at", err)
	}
	return &answer[api.DeliveryProfile]{out}, nil
}

func (s *Server) findRows(ctx context.Context, in *struct {
	ID   string `path:"id"`
	Body api.AskFound
}) (*answer[api.Found], error) {
	found, err := s.doneProfile(ctx, in.ID, "its rows can be looked for")
	if err != nil {
		return nil, err
	}
	if _, err := search.NewFinder(found.Profile, in.Body.Filters); err != nil {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	limit := in.Body.Limit
	if in.Body.Count {
		limit = -1
	}
	out := api.Found{Rows: []reading.Row{}}
	err = s.use(ctx, in.ID, &found.Given, func(_ layout.Given, r *reading.Reading) error {
		rows, count, isAll, err := r.Find(ctx, found.Profile, in.Body.Filters, in.Body.Behind, limit)
		if out.All = isAll; in.Body.Count {
			out.Count = &count
		}
		out.Rows = append(out.Rows, rows...)
		return err
	})
	if err != nil {
		return nil, err
	}
	return &answer[api.Found]{out}, nil
}

func (s *Server) draftTarget(ctx context.Context, in *struct {
	ID   string `path:"id"`
	Name string `query:"name" doc:"of the target; made of the delivery's where it is left out"`
}) (*answer[api.TargetDraft], error) {
	if in.Name != "" && !target.IsName(in.Name) {
		return nil, badName
	}
	found, err := s.doneProfile(ctx, in.ID, "a target can be drafted")
	if err != nil {
		return nil, err
	}
	if found.Profile.Rows == 0 {
		return nil, huma.Error409Conflict("the delivery has no rows: there is nothing to draw rules from")
	}
	d, err := s.delivery(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	drafted := draft.Of(d.Name, found.Profile)
	if in.Name != "" {
		drafted.Name = in.Name
	}
	return &answer[api.TargetDraft]{api.TargetDraft{Name: drafted.Name, Text: string(drafted.YAML()),
		SQL: string(drafted.SQL())}}, nil
}

func (s *Server) draftMapping(ctx context.Context, in *struct {
	ID     string `path:"id"`
	Target string `query:"target" required:"true" doc:"name of the target, whose newest version is taken"`
	Name   string `query:"name" doc:"of the mapping; made of the delivery's where it is left out"`
}) (*answer[api.MappingDraft], error) {
	if in.Name != "" && !target.IsName(in.Name) {
		return nil, badName
	}
	d, err := s.delivery(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	found, err := s.doneProfile(ctx, in.ID, "a mapping can be drafted")
	if err != nil {
		return nil, err
	}
	text, err := s.text(ctx, store.Targets, in.Target, 0)
	if err != nil {
		return nil, err
	}
	t, err := target.Parse([]byte(text.Text))
	if err != nil {
		return nil, unusable("target", err)
	}
	versions, err := s.codesOf(ctx, t)
	if err != nil {
		return nil, err
	}
	lists, err := s.Queue.CodeLists(ctx, versions)
	if err != nil {
		return nil, s.failure("reading code lists", err)
	}
	t = t.WithCodes(lists)
	file, err := s.Queue.OpenDelivery(ctx, d, found.ReadAs.Given())
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(s.Area.Conceal(err, d.SHA256, d.Name))
	}
	defer file.Close()
	var m *draft.Mapping
	err = s.Desk.Alone(ctx, func(ctx context.Context) (err error) {
		m, err = draft.For(ctx, t, file, d.Name, found.Profile)
		return err
	})
	if err != nil {
		return nil, s.failure("drafting a mapping", err)
	}
	if in.Name != "" {
		m.Name = in.Name
	}
	return &answer[api.MappingDraft]{api.MappingDraft{Name: m.Name, Text: string(m.YAML())}}, nil
}

package routes

import (
	"context"
	"errors"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/target"
	"sieb/service/api"
	"sieb/service/store"
)

// rules are what a run is asked to sift by.
type rules struct {
	target, mapping store.VersionOf
	refersTo        map[string]string
	codes           map[string]int
	layout          *target.Mapping // whose layout stands below the settings of the delivery; nil for none
	companion       string          // the delivery that holds the control values; "" for none
}

// rulesOf looks the target and the mapping of an order up, and whether they go together.
func (s *Server) rulesOf(ctx context.Context, in *api.NewRun) (r rules, err error) {
	var m store.Text
	switch {
	case in.Mapping != "":
		if m, err = s.text(ctx, store.Mappings, in.Mapping, in.MappingVersion); err != nil {
			return r, err
		}
		if in.Target == "" {
			in.Target = m.Target
		}
	case in.MappingVersion > 0:
		return r, huma.Error422UnprocessableEntity("mappingVersion stands without a mapping")
	}
	if in.Target == "" {
		if in.TargetVersion > 0 {
			return r, huma.Error422UnprocessableEntity("targetVersion stands without a target")
		}
		if in.Companion != "" {
			return r, huma.Error422UnprocessableEntity("companion stands without a target")
		}
		return r, nil
	}
	t, err := s.text(ctx, store.Targets, in.Target, in.TargetVersion)
	if err != nil {
		return r, err
	}
	r.target = store.VersionOf{Name: t.Name, Version: t.Version}
	parsed, err := target.Parse([]byte(t.Text))
	if err != nil {
		return r, unusable("target", err)
	}
	if r.refersTo, err = s.refersTo(ctx, parsed, in.References); err != nil {
		return r, err
	}
	if in.Mapping != "" {
		r.mapping = store.VersionOf{Name: m.Name, Version: m.Version}
		if r.layout, err = target.ParseMapping([]byte(m.Text)); err != nil {
			return r, unusable("mapping", err)
		}
		if parsed, err = parsed.With(r.layout); err != nil {
			return r, unusable("mapping", err)
		}
	}
	if r.codes, err = s.codesOf(ctx, parsed); err != nil {
		return r, err
	}
	r.companion, err = s.companionOf(ctx, parsed, in.Companion)
	return r, err
}

// companionOf finds the delivery that holds the control values which a target asks for.
func (s *Server) companionOf(ctx context.Context, t *target.Target, id string) (string, error) {
	switch {
	case id == "" && t.NeedsCompanion():
		return "", huma.Error422UnprocessableEntity("a control value stands in a file that comes with the delivery: "+
			"deliver that file too, and name it", &huma.ErrorDetail{Location: "body.companion",
			Message: "no delivery is named"})
	case id == "":
		return "", nil
	case !t.NeedsCompanion():
		return "", huma.Error422UnprocessableEntity("no control value of the target stands in a companion file")
	}
	d, err := s.delivery(ctx, id)
	if err != nil {
		return "", err
	}
	return d.ID, nil
}

// repeatOf names the earlier delivery of the same bytes; "" where there is none.
func (s *Server) repeatOf(ctx context.Context, d store.Delivery) (string, error) {
	if !d.RepeatOf.Valid {
		return "", nil
	}
	first, err := s.Store.Delivery(ctx, d.RepeatOf.String)
	if errors.Is(err, store.ErrNone) {
		return "", nil
	} else if err != nil {
		return "", s.failure("looking for the earlier delivery", err)
	}
	return fmt.Sprintf("%s on %s", first.Name, first.ArrivedAt.UTC().Format("2006-01-02 at 15:04 UTC")), nil
}

// codesOf finds the newest versions of the code lists that a target names.
func (s *Server) codesOf(ctx context.Context, t *target.Target) (map[string]int, error) {
	versions := map[string]int{}
	for _, name := range t.CodeLists() {
		l, err := s.Store.Text(ctx, store.Codes, name, 0)
		if errors.Is(err, store.ErrNone) {
			return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("there is no code list %q, which the "+
				"target names: add it first", name))
		} else if err != nil {
			return nil, s.failure("looking for a code list", err)
		}
		versions[name] = l.Version
	}
	return versions, nil
}

// refersTo finds the runs whose accepted rows a target refers to.
func (s *Server) refersTo(ctx context.Context, t *target.Target, asked map[string]string) (
	runs map[string]string, err error) {
	runs = map[string]string{}
	for _, fk := range t.Constraints() {
		name := fk.Reference.Resource
		if name == "" || runs[name] != "" {
			continue
		}
		var r store.Run
		if id := asked[name]; id != "" {
			r, err = s.run(ctx, id)
		} else if r, err = s.Store.NewestOf(ctx, name); errors.Is(err, store.ErrNone) {
			return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("the target refers to %s, and no row of a "+
				"delivery was accepted by a target of that name yet: sift that delivery first", name))
		}
		if err != nil {
			return nil, s.failure("looking for what the target refers to", err)
		}
		if r.State != store.Done {
			return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("the run %s, which %s is to mean, is %s", r.ID,
				name, r.State))
		}
		runs[name] = r.ID
	}
	for name := range asked {
		if runs[name] == "" {
			return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("the target refers to nothing named %q", name))
		}
	}
	return runs, nil
}

func (s *Server) startRun(ctx context.Context, in *struct{ Body api.NewRun }) (*created[api.Run], error) {
	d, err := s.delivery(ctx, in.Body.Delivery)
	if err != nil {
		return nil, err
	}
	if err := s.isTable(d); err != nil {
		return nil, err
	}
	by, err := s.rulesOf(ctx, &in.Body)
	if err != nil {
		return nil, err
	}
	given := givenOf(d.Layout)
	if by.layout != nil && by.layout.Layout != nil {
		given = given.Over(*by.layout.Layout)
	}
	if in.Body.Layout != nil {
		given = in.Body.Layout.Over(given)
		if err := checked(given, "body.layout."); err != nil {
			return nil, err
		}
	}
	repeatOf, err := s.repeatOf(ctx, d)
	if err != nil {
		return nil, err
	}
	run, err := s.Store.AddRun(ctx, store.NewRun{Delivery: d.ID, Target: by.target, Mapping: by.mapping, Layout: given,
		RefersTo: by.refersTo, Codes: by.codes, Companion: by.companion, RepeatOf: repeatOf, Sums: in.Body.SHA256},
		s.Queue.Enqueue(ctx, store.Runs, d))
	if err != nil {
		return nil, s.failure("recording a run", err)
	}
	out, err := s.runOf(run)
	if err != nil {
		return nil, err
	}
	return &created[api.Run]{http.StatusAccepted, "/api/v1/runs/" + run.ID, out}, nil
}

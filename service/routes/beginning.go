package routes

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/draft"
	"sieb/core/finding"
	"sieb/core/layout"
	"sieb/core/profile"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/service/api"
	"sieb/service/desk"
	"sieb/service/store"
)

func (s *Server) beginRules(ctx context.Context, in *struct {
	ID string `path:"id"`
	OfState
	Body api.NewRules
}) (*RulesAnswer, error) {
	d, err := s.delivery(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	if err := s.isTable(d); err != nil {
		return nil, err
	}
	ask := in.Body
	switch {
	case ask.Name != "" && !target.IsName(ask.Name):
		return nil, badName
	case ask.Target != "" && ask.Text != "":
		return nil, huma.Error422UnprocessableEntity("target and text each say which target is meant: keep one of them")
	case ask.Text != "" && ask.Mapping != "":
		return nil, huma.Error422UnprocessableEntity("a mapping that is saved leads to a target that is: name it")
	case ask.Target == "" && ask.Text == "" && (ask.Mapping != "" || ask.DraftMapping):
		return nil, huma.Error422UnprocessableEntity("a mapping leads to a target: name it")
	case ask.Mapping != "" && ask.DraftMapping:
		return nil, huma.Error422UnprocessableEntity("mapping and draftMapping each say which mapping is meant: keep one of " +
			"them")
	}
	k := &kept{}
	if ask.Target == "" && ask.Text == "" {
		if k.Target, err = s.draftedTarget(ctx, d, ask.Name); err != nil {
			return nil, err
		}
		return s.keepRules(ctx, in.ID, k, in.OfState)
	}
	t, err := s.begunTarget(ctx, &ask)
	if err != nil {
		return nil, err
	}
	k.Target = keptText{Name: t.Name, Version: t.Version, Text: t.Text}
	switch {
	case ask.Mapping != "":
		m, err := s.text(ctx, store.Mappings, ask.Mapping, 0)
		if err != nil {
			return nil, err
		}
		if m.Target != t.Name {
			return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("the mapping %s is for the target %s, not for %s", m.Name,
				m.Target, t.Name))
		}
		k.Mapping = &keptText{Name: m.Name, Version: m.Version, Text: m.Text}
	case ask.DraftMapping:
		m, err := s.draftedMapping(ctx, d, t, ask.Name)
		if err != nil {
			return nil, err
		}
		k.Mapping = &m
	}
	texts := k.begun()
	if _, err := texts.Parse(); err != nil {
		return nil, unusable("draft", err)
	}
	return s.keepRules(ctx, in.ID, k, in.OfState)
}

// begunTarget returns the target with which a draft begins: one that is saved, or one that is given.
func (s *Server) begunTarget(ctx context.Context, ask *api.NewRules) (store.Text, error) {
	if ask.Text == "" {
		return s.text(ctx, store.Targets, ask.Target, 0)
	}
	parsed, err := target.Parse([]byte(ask.Text))
	if err != nil {
		return store.Text{}, unusable("target", err)
	}
	return store.Text{Name: parsed.Name, Text: ask.Text}, nil
}

// profiled opens a delivery, and returns its profile: the newest, or one that is made for this.
func (s *Server) profiled(ctx context.Context, d store.Delivery) (*source.File, *profile.Profile, error) {
	file, err := s.Queue.OpenDelivery(ctx, d, givenOf(d.Layout))
	if err != nil {
		return nil, nil, huma.Error422UnprocessableEntity(s.Area.Conceal(err, d.SHA256, d.Name))
	}
	found, err := s.knownProfile(ctx, d.ID, file.Layout)
	if err != nil {
		file.Close()
		return nil, nil, err
	}
	if found == nil {
		if found, err = s.madeProfile(ctx, d, file.Layout); err != nil {
			file.Close()
			return nil, nil, huma.Error422UnprocessableEntity(s.Area.Conceal(err, d.SHA256, d.Name))
		}
	}
	if found.Rows == 0 {
		file.Close()
		return nil, nil, huma.Error422UnprocessableEntity("the delivery has no rows: there is nothing to draw rules from")
	}
	return file, found, nil
}

// madeProfile makes the profile of a delivery as a layout reads it, once for all who need it now.
func (s *Server) madeProfile(ctx context.Context, d store.Delivery, readAs layout.Layout) (*profile.Profile, error) {
	given := readAs.Given()
	text, err := json.Marshal(given)
	if err != nil {
		return nil, err
	}
	return desk.Do(ctx, s.Desk, "profile "+d.SHA256+" "+string(text), func(ctx context.Context) (*profile.Profile, error) {
		if found, err := s.awaitedProfile(ctx, d, readAs); found != nil || err != nil {
			return found, err
		}
		file, err := s.Queue.OpenDelivery(ctx, d, given)
		if err != nil {
			return nil, err
		}
		defer file.Close()
		return finding.Profile(ctx, file, profile.Options{})
	})
}

// awaitedProfile waits for the profile of a delivery that is being made in the background, if it is one
// by a layout; nil where none is.
func (s *Server) awaitedProfile(ctx context.Context, d store.Delivery, readAs layout.Layout) (*profile.Profile,
	error) {
	for {
		p, err := s.Store.LastProfile(ctx, d.ID)
		if errors.Is(err, store.ErrNone) {
			return nil, nil
		} else if err != nil {
			return nil, s.failure("looking for a profile", err)
		}
		if p.State != store.Running || !isSame(givenOf(p.Layout), givenOf(d.Layout)) {
			return s.knownProfile(ctx, d.ID, readAs)
		}
		select {
		case <-ctx.Done():
			return nil, context.Cause(ctx)
		case <-time.After(eventsEvery):
		}
	}
}

// knownProfile returns the newest profile of a delivery if it was read by a layout; nil where there is none.
func (s *Server) knownProfile(ctx context.Context, delivery string, readAs layout.Layout) (*profile.Profile, error) {
	p, err := s.Store.LastProfile(ctx, delivery)
	switch {
	case errors.Is(err, store.ErrNone):
		return nil, nil
	case err != nil:
		return nil, s.failure("looking for a profile", err)
	case p.State != store.Done:
		return nil, nil
	}
	out, err := s.profileOf(p)
	if err != nil || !isSame(out.ReadAs.Given(), readAs.Given()) {
		return nil, err
	}
	return out.Profile, nil
}

// isSame reports whether two layouts are written alike.
func isSame(a, b layout.Given) bool {
	one, err := json.Marshal(a)
	if err != nil {
		return false
	}
	other, err := json.Marshal(b)
	return err == nil && string(one) == string(other)
}

// draftedTarget drafts a target from a delivery, under a name that is free.
func (s *Server) draftedTarget(ctx context.Context, d store.Delivery, name string) (t keptText, err error) {
	file, found, err := s.profiled(ctx, d)
	if err != nil {
		return t, err
	}
	defer file.Close()
	drafted := draft.Of(d.Name, found)
	if name != "" {
		drafted.Name = name
	} else if drafted.Name, err = s.freeName(ctx, store.Targets, drafted.Name); err != nil {
		return t, err
	}
	return keptText{Name: drafted.Name, Text: string(drafted.YAML())}, nil
}

// draftedMapping drafts the mapping of a delivery to a target, under a name that is free.
func (s *Server) draftedMapping(ctx context.Context, d store.Delivery, text store.Text, name string) (m keptText,
	err error) {
	t, err := target.Parse([]byte(text.Text))
	if err != nil {
		return m, unusable("target", err)
	}
	versions, err := s.codesOf(ctx, t)
	if err != nil {
		return m, err
	}
	lists, err := s.Queue.CodeLists(ctx, versions)
	if err != nil {
		return m, s.failure("reading code lists", err)
	}
	file, found, err := s.profiled(ctx, d)
	if err != nil {
		return m, err
	}
	defer file.Close()
	var drafted *draft.Mapping
	err = s.Desk.Alone(ctx, func(ctx context.Context) (err error) {
		drafted, err = draft.For(ctx, t.WithCodes(lists), file, d.Name, found)
		return err
	})
	if err != nil {
		return m, s.failure("drafting a mapping", err)
	}
	if name != "" {
		drafted.Name = name
	} else if drafted.Name, err = s.freeName(ctx, store.Mappings, drafted.Name); err != nil {
		return m, err
	}
	return keptText{Name: drafted.Name, Text: string(drafted.YAML())}, nil
}

// freeName returns a name that no text of a library has, made of one.
func (s *Server) freeName(ctx context.Context, l store.Library, name string) (string, error) {
	free := name
	for n := 2; ; n++ {
		_, err := s.Store.Text(ctx, l, free, 0)
		if errors.Is(err, store.ErrNone) {
			return free, nil
		} else if err != nil {
			return "", s.failure("looking for a free name", err)
		}
		free = fmt.Sprintf("%s_%d", name, n)
	}
}

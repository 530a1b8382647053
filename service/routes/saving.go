package routes

import (
	"context"
	"encoding/json"
	"fmt"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/edit"
	"sieb/service/api"
	"sieb/service/store"
)

func (s *Server) rebaseRules(ctx context.Context, in *struct {
	ID string `path:"id"`
	OfState
}) (*RulesAnswer, error) {
	k, err := s.keptRules(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	newest := func(l store.Library, t *keptText) error {
		if t == nil || t.Version == 0 {
			return nil
		}
		found, err := s.text(ctx, l, t.Name, 0)
		if err == nil {
			t.Version, t.Text = found.Version, found.Text
		}
		return err
	}
	target, mapping := k.Target, k.Mapping
	if err := newest(store.Targets, &target); err != nil {
		return nil, err
	}
	if err := newest(store.Mappings, mapping); err != nil {
		return nil, err
	}
	return s.reviseRules(ctx, in.ID, in.OfState, func(k *kept) error {
		k.Target, k.Mapping, k.Undone = target, mapping, nil
		if failed, err := k.replay(); err != nil {
			return huma.Error409Conflict(fmt.Sprintf("the change “%s” does not go with the newest version: %s; "+
				"take it back, or save over that version", failed.Words, err))
		}
		if _, err := k.texts().Parse(); err != nil {
			return huma.Error409Conflict(fmt.Sprintf("the changes do not go with the newest version: %s; take some back, or "+
				"save over that version", err))
		}
		return nil
	})
}

func (s *Server) saveRules(ctx context.Context, in *struct {
	ID string `path:"id"`
	OfState
	Body api.SaveRules
}) (*RulesAnswer, error) {
	k, err := s.keptRules(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	if err := k.is(in.OfState); err != nil {
		return nil, err
	}
	made := len(k.Changes)
	reading, err := s.readByHand(ctx, in.ID, k)
	if err != nil {
		return nil, err
	}
	texts, err := k.texts().With(append(reading, renaming(k, in.Body)...))
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	joined, err := texts.Parse()
	if err != nil {
		return nil, unusable("draft", err)
	}
	saved := &kept{Target: k.Target, Mapping: k.Mapping, Began: k.Began}
	var all []store.Saving
	var places []*keptText
	add := func(l store.Library, text store.Text, from keptText, to *keptText) {
		text.AddedBy = in.Body.By
		all, places = append(all, saving(l, text, from, in.Body.Over)), append(places, to)
	}
	if string(texts.Target) != k.Target.Text || k.Target.Version == 0 {
		add(store.Targets, store.Text{Name: joined.Name, Title: joined.Title, Text: string(texts.Target)}, k.Target,
			&saved.Target)
	}
	if k.Mapping != nil && (string(texts.Mapping) != k.Mapping.Text || k.Mapping.Version == 0) {
		m := joined.Mapping
		saved.Mapping = &keptText{}
		add(store.Mappings, store.Text{Name: m.Name, Title: m.Title, Target: m.Target, Text: string(texts.Mapping)},
			*k.Mapping, saved.Mapping)
	}
	added, err := s.Store.SaveTexts(ctx, all)
	if err != nil {
		return nil, s.failure("saving the draft", err)
	}
	for i, t := range added {
		*places[i] = keptText{Name: t.Name, Version: t.Version, Text: t.Text}
		s.Log.Info("text saved", "to", all[i].Library, "name", t.Name, "version", t.Version)
	}
	return s.reviseRules(ctx, in.ID, OfState{}, func(k *kept) error {
		meanwhile := k.Changes[min(made, len(k.Changes)):] // these go on
		saved.Count = k.Count
		*k = *saved
		for i := range meanwhile {
			if _, err := k.change(meanwhile[i].RuleShift); err != nil {
				return err
			}
		}
		return nil
	})
}

// readByHand makes the steps by which a mapping says how the delivery is read, as far as that was settled by hand: the
// sender's next delivery is read so too. A target that stands by itself is given a mapping for it.
func (s *Server) readByHand(ctx context.Context, id string, k *kept) (steps []edit.Step, err error) {
	d, err := s.delivery(ctx, id)
	if err != nil || d.Layout == nil {
		return nil, err
	}
	given := givenOf(d.Layout)
	text, err := json.Marshal(given)
	if err != nil {
		return nil, err
	}
	var settings map[string]any
	if err := json.Unmarshal(text, &settings); err != nil {
		return nil, err
	}
	for _, name := range byHandOf(d.ByHand, given) {
		if v, is := settings[name]; is {
			steps = append(steps, edit.Step{In: edit.Mapping, Do: edit.Set, Path: []string{"layout", name}, Value: v})
		}
	}
	if len(steps) == 0 || k.Mapping != nil {
		return steps, nil
	}
	name, err := s.freeName(ctx, store.Mappings, k.Target.Name)
	if err != nil {
		return nil, err
	}
	k.Mapping = &keptText{Name: name, Text: fmt.Sprintf("mapping: %s\ntitle: %s\ntarget: %s\n", name, edit.Quote(d.Name),
		k.Target.Name)}
	return steps, nil
}

// renaming makes the steps by which what was drafted is saved under other names and titles.
func renaming(k *kept, ask api.SaveRules) (steps []edit.Step) {
	set := func(in, property, name string) {
		steps = append(steps, edit.Step{In: in, Do: edit.Set, Path: []string{property}, Value: name})
	}
	if ask.Target != "" && ask.Target != k.Target.Name {
		set(edit.Target, "target", ask.Target)
		if k.Mapping != nil {
			set(edit.Mapping, "target", ask.Target)
		}
	}
	if k.Mapping != nil && ask.Mapping != "" && ask.Mapping != k.Mapping.Name {
		set(edit.Mapping, "mapping", ask.Mapping)
	}
	if ask.TargetTitle != "" {
		set(edit.Target, "title", ask.TargetTitle)
	}
	if k.Mapping != nil && ask.MappingTitle != "" {
		set(edit.Mapping, "title", ask.MappingTitle)
	}
	return steps
}

// saving is a version of a text that began from another one. A name that others took, and a version
// that others saved meanwhile, are told instead.
func saving(l store.Library, t store.Text, from keptText, over bool) store.Saving {
	return store.Saving{Library: l, Text: t, May: func(newest *store.Text) error {
		switch {
		case newest == nil || over:
			return nil
		case from.Version == 0 || from.Name != t.Name:
			return huma.Error409Conflict(fmt.Sprintf("there is a %s %q already: choose another name", words[l], t.Name))
		case newest.Version != from.Version && newest.Text != t.Text:
			return huma.Error409Conflict(fmt.Sprintf(
				"version %d of the %s %s was saved meanwhile%s; the draft began "+
					"from version %d: look at what differs, and save over it or begin anew", newest.Version, words[l], t.Name,
				by(newest.AddedBy), from.Version))
		}
		return nil
	}}
}

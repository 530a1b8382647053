package routes

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/draft"
	"sieb/core/edit"
	"sieb/core/finding"
	"sieb/core/layout"
	"sieb/core/profile"
	"sieb/core/source"
	"sieb/core/suggest"
	"sieb/core/target"
	"sieb/service/api"
	"sieb/service/desk"
	"sieb/service/jobs"
	"sieb/service/store"
)

// OfState is the state of a draft that a change is made on.
type OfState struct {
	IfMatch string `header:"If-Match" doc:"state of the draft that the change is made on, as its ETag said it; 412 where it has another one by now. Without it the change is made on whatever the draft is"`
}

// RulesAnswer is a draft of rules with its state.
type RulesAnswer struct {
	ETag string `header:"ETag"`
	Body api.Rules
}

func (s *Server) rulesRoutes(to huma.API) {
	huma.Register(to, op("showRules", http.MethodGet, "/deliveries/{id}/rules",
		"The draft of rules by which a delivery is worked on", "rules", 404), s.showRules)
	begin := op("beginRules", http.MethodPut, "/deliveries/{id}/rules",
		"Begins a draft of rules, in the place of the one before", "rules", 404, 422)
	begin.MaxBodyBytes = 2 * maxTargetBytes
	huma.Register(to, begin, s.beginRules)
	drop := op("dropRules", http.MethodDelete, "/deliveries/{id}/rules", "Throws the draft of rules away", "rules", 404)
	drop.DefaultStatus = http.StatusNoContent
	huma.Register(to, drop, s.dropRules)
	change := op("changeRules", http.MethodPost, "/deliveries/{id}/rules/changes", "Changes the draft of rules", "rules",
		404, 412, 422)
	change.MaxBodyBytes = 2 * maxTargetBytes
	huma.Register(to, change, s.changeRules)
	huma.Register(to, op("undoRules", http.MethodPost, "/deliveries/{id}/rules/undo",
		"Takes the last change of the draft back; 409 where it is somebody else's", "rules", 404, 409, 412), s.undoRules)
	huma.Register(to, op("redoRules", http.MethodPost, "/deliveries/{id}/rules/redo",
		"Makes the change again that was taken back last", "rules", 404, 409, 412), s.redoRules)
	huma.Register(to, op("rebaseRules", http.MethodPost, "/deliveries/{id}/rules/rebase",
		"Puts the changes of the draft on the newest versions of its target and mapping; 409 where one does not go with them",
		"rules", 404, 409, 412), s.rebaseRules)
	huma.Register(to, op("saveRules", http.MethodPost, "/deliveries/{id}/rules/save",
		"Saves the draft as versions of its target and its mapping", "rules", 404, 409, 412, 422), s.saveRules)
	s.rehearsalRoutes(to)
	s.matchRoutes(to)
}

// keptRules returns the draft of rules of a delivery.
func (s *Server) keptRules(ctx context.Context, id string) (*kept, error) {
	if _, err := s.delivery(ctx, id); err != nil {
		return nil, err
	}
	all, err := s.Store.Drafts(ctx, id)
	if err != nil {
		return nil, s.failure("looking for a draft of rules", err)
	}
	at := slices.IndexFunc(all, func(d store.Draft) bool { return d.Kind == store.RulesDraft })
	if at < 0 {
		return nil, noRules
	}
	k, err := readKept(all[at].Content)
	if err != nil {
		return nil, s.failure("reading a draft of rules", err)
	}
	k.at = all[at].ChangedAt.UTC()
	return k, nil
}

// keepRules keeps a draft that begins, and answers with it.
func (s *Server) keepRules(ctx context.Context, id string, k *kept, on OfState) (*RulesAnswer, error) {
	k.Began = rand.Text()[:8]
	out, err := k.view(id)
	if err != nil {
		return nil, err
	}
	d, err := s.keepDraft(ctx, id, store.RulesDraft, k, on.ofRules())
	if err != nil {
		return nil, err
	}
	out.ChangedAt = d.ChangedAt
	return s.answerRules(ctx, out)
}

// answerRules answers with a draft, and what was saved since it began.
func (s *Server) answerRules(ctx context.Context, out *api.Rules) (*RulesAnswer, error) {
	var err error
	if out.Target.Newest, err = s.newer(ctx, store.Targets, out.Target.Name, out.Target.Version); err != nil {
		return nil, err
	}
	if m := out.Mapping; m != nil {
		if m.Newest, err = s.newer(ctx, store.Mappings, m.Name, m.Version); err != nil {
			return nil, err
		}
	}
	return &RulesAnswer{`"` + out.State + `"`, *out}, nil
}

// newer returns the newest version of a text where it is another one than a draft began with; nil where it is the same,
// or there is none.
func (s *Server) newer(ctx context.Context, l store.Library, name string, version int) (*api.NewerText, error) {
	if version == 0 {
		return nil, nil
	}
	newest, err := s.Store.Text(ctx, l, name, 0)
	switch {
	case errors.Is(err, store.ErrNone): // deleted meanwhile
		return nil, nil
	case err != nil:
		return nil, s.failure("looking for newer versions", err)
	case newest.Version == version:
		return nil, nil
	}
	return &api.NewerText{Version: newest.Version, By: newest.AddedBy, At: newest.AddedAt.UTC()}, nil
}

var noRules = huma.Error404NotFound("the delivery has no draft of rules yet; PUT begins one")

// reviseRules changes a draft while nobody else does, so that no change is lost, and answers with it. The draft has
// the state that the change is made on, or the change is not made.
func (s *Server) reviseRules(ctx context.Context, id string, on OfState, revise func(*kept) error) (*RulesAnswer,
	error) {
	if _, err := s.delivery(ctx, id); err != nil {
		return nil, err
	}
	var out *api.Rules
	d, err := s.Store.ReviseDraft(ctx, id, store.RulesDraft, func(content []byte) (revised []byte, err error) {
		k, err := readKept(content)
		if err != nil {
			return nil, err
		}
		if err := k.is(on); err != nil {
			return nil, err
		}
		if err := revise(k); err != nil {
			return nil, err
		}
		k.Count++
		if out, err = k.view(id); err != nil {
			return nil, err
		}
		return json.Marshal(k)
	})
	switch {
	case errors.Is(err, store.ErrNone):
		return nil, noRules
	case errors.Is(err, errMade):
		return nil, err
	case err != nil:
		return nil, s.failure("changing a draft of rules", err)
	}
	out.ChangedAt = d.ChangedAt.UTC()
	return s.answerRules(ctx, out)
}

func (s *Server) showRules(ctx context.Context, in *byID) (*RulesAnswer, error) {
	k, err := s.keptRules(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	out, err := k.view(in.ID)
	if err != nil {
		return nil, err
	}
	return s.answerRules(ctx, out)
}

func (s *Server) dropRules(ctx context.Context, in *struct {
	ID string `path:"id"`
	OfState
}) (*struct{}, error) {
	return s.dropDraft(ctx, in.ID, store.RulesDraft, in.ofRules())
}

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

func (s *Server) changeRules(ctx context.Context, in *struct {
	ID string `path:"id"`
	OfState
	Body api.NewShift
}) (*RulesAnswer, error) {
	out, err := s.reviseRules(ctx, in.ID, OfState{}, func(k *kept) error {
		if in.Body.ID != "" && k.has(in.Body.ID) {
			return errMade // it has arrived before, and the answer was lost
		}
		if err := k.is(in.OfState); err != nil {
			return err
		}
		if len(k.Changes) >= mostChanges {
			return huma.Error422UnprocessableEntity(fmt.Sprintf("the draft has %d changes: save it, and go on from there",
				mostChanges))
		}
		shift := api.RuleShift{Words: in.Body.Words, Steps: in.Body.Steps, At: time.Now().UTC().Truncate(time.Second),
			Author: in.Body.Author, ID: in.Body.ID}
		did, err := k.change(shift)
		if err != nil || !did {
			return err // or it says so already
		}
		k.Undone = nil
		if _, err := k.texts().Parse(); err != nil {
			return refused(in.Body.Steps, err)
		}
		if bytes := k.bytes(); bytes > maxDraftBytes {
			return huma.Error422UnprocessableEntity(fmt.Sprintf("the draft would take %d bytes, and at most %d: save what "+
				"it holds, and go on from there", bytes, maxDraftBytes))
		}
		return nil
	})
	if errors.Is(err, errMade) {
		return s.showRules(ctx, &byID{in.ID})
	}
	return out, err
}

var errMade = errors.New("the change was made already")

// refused says why a change makes no rules: of what it is, and not in which line of a text that nobody sees.
func refused(steps []edit.Step, err error) error {
	var problems target.Problems
	if !errors.As(err, &problems) {
		return huma.Error422UnprocessableEntity(err.Error())
	}
	var of []string
	for _, s := range steps {
		words := s.Path
		if len(words) > 1 && words[0] == "columns" {
			words = words[1:]
		}
		if named := strings.Join(words, ", "); !slices.Contains(of, named) && named != "" {
			of = append(of, named)
		}
	}
	if len(of) == 0 {
		return unusable("text", err) // which is seen as a whole
	}
	const most = 3
	if len(of) > most {
		of = append(of[:most], "and others")
	}
	var why []string
	for _, p := range problems[:min(len(problems), most)] {
		why = append(why, p.Message)
	}
	return huma.Error422UnprocessableEntity(fmt.Sprintf("%s: %s; nothing was changed", strings.Join(of, "; "),
		strings.Join(why, "; ")))
}

func (s *Server) undoRules(ctx context.Context, in *struct {
	ID string `path:"id"`
	OfState
	Body *api.TakeBack
}) (*RulesAnswer, error) {
	return s.reviseRules(ctx, in.ID, in.OfState, func(k *kept) error {
		last := len(k.Changes) - 1
		if last >= 0 && in.Body != nil && !in.Body.Over && k.Changes[last].IsOther(in.Body.Author) {
			c := &k.Changes[last]
			return huma.Error409Conflict(fmt.Sprintf(
				"the last change is not yours: “%s”%s; it can be taken back all the same", c.Words, by(c.By)))
		}
		if !k.undo() {
			return huma.Error409Conflict("there is no change that could be taken back")
		}
		return nil
	})
}

func (s *Server) redoRules(ctx context.Context, in *struct {
	ID string `path:"id"`
	OfState
	Body *api.TakeBack
}) (*RulesAnswer, error) {
	return s.reviseRules(ctx, in.ID, in.OfState, func(k *kept) error {
		last := len(k.Undone) - 1
		if last < 0 {
			return huma.Error409Conflict("no change was taken back")
		}
		shift := k.Undone[last]
		k.Undone = k.Undone[:last]
		_, err := k.change(shift)
		return err
	})
}

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

// by names who has done something.
func by(who string) string {
	if who == "" {
		return ""
	}
	return " by " + who
}

// trial puts together what a delivery is sifted by: the texts that a request gives, or the draft. What the
// target refers to and is not there, is left out and named.
func (s *Server) trial(ctx context.Context, id string, texts suggest.Texts) (t *jobs.Trial, unreferred []string,
	err error) {
	d, err := s.delivery(ctx, id)
	if err != nil {
		return nil, nil, err
	}
	if err := s.isTable(d); err != nil {
		return nil, nil, err
	}
	parsed, err := texts.Parse()
	if err != nil {
		return nil, nil, unusable("draft", err)
	}
	t = &jobs.Trial{Delivery: d, Layout: layoutOf(d, parsed.Mapping), Target: parsed}
	if unreferred, err = s.referTrial(ctx, t); err != nil {
		return nil, nil, err
	}
	if t.Codes, err = s.codesOf(ctx, parsed); err != nil {
		return nil, nil, err
	}
	t.RepeatOf, err = s.repeatOf(ctx, d)
	return t, unreferred, err
}

// referTrial finds what a target refers to. References to tables of which there are no rows yet are taken
// out of it, and so are control values in a file that comes with the delivery.
func (s *Server) referTrial(ctx context.Context, t *jobs.Trial) (missing []string, err error) {
	t.RefersTo = map[string]string{}
	alone := *t.Target
	keep := func(all []target.ForeignKey) (some []target.ForeignKey, err error) {
		for _, fk := range all {
			name := fk.Reference.Resource
			if name == "" || t.RefersTo[name] != "" {
				some = append(some, fk)
				continue
			}
			r, err := s.Store.NewestOf(ctx, name)
			switch {
			case errors.Is(err, store.ErrNone):
				missing = append(missing, name)
			case err != nil:
				return nil, s.failure("looking for what the target refers to", err)
			default:
				t.RefersTo[name] = r.ID
				some = append(some, fk)
			}
		}
		return some, nil
	}
	if alone.ForeignKeys, err = keep(t.Target.ForeignKeys); err != nil {
		return nil, err
	}
	if alone.AbsentFrom, err = keep(t.Target.AbsentFrom); err != nil {
		return nil, err
	}
	if alone.NeedsCompanion() {
		alone.Delivery.Controls = slices.DeleteFunc(slices.Clone(alone.Delivery.Controls), func(c target.Control) bool {
			return c.In == target.CompanionText
		})
		missing = append(missing, "the file with control values")
	}
	t.Target = &alone
	return missing, nil
}

// layoutOf returns the settings by which a delivery is read: those saved with it, then those of a mapping.
func layoutOf(d store.Delivery, m *target.Mapping) layout.Given {
	given := givenOf(d.Layout)
	if m != nil && m.Layout != nil {
		given = given.Over(*m.Layout)
	}
	return given
}

package routes

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/codes"
	"sieb/core/edit"
	"sieb/core/target"
	"sieb/service/api"
	"sieb/service/store"
)

// DraftAnswer is a draft of a text with its state.
type DraftAnswer struct {
	ETag string `header:"ETag"`
	Body api.TextKept
}

func answerDraft(d store.TextDraft) *DraftAnswer {
	state := stateOf([]byte(d.Text))
	return &DraftAnswer{`"` + state + `"`, api.TextKept{Text: d.Text, Version: d.Version, ChangedAt: d.At.UTC(),
		State: state}}
}

type differing struct {
	ByName
	From int `query:"from" required:"true" minimum:"1" maximum:"2147483647"`
	To   int `query:"to" required:"true" minimum:"1" maximum:"2147483647"`
}

// shelfRoutes registers what is done with a text as a whole, whatever its version; one names the operations.
func (s *Server) shelfRoutes(to huma.API, l store.Library, one string) {
	tag, path := string(l), "/"+string(l)+"/{name}"
	what := words[l]
	huma.Register(to, op("list"+one+"Versions", http.MethodGet, path+"/versions",
		"The versions of a "+what+", the newest first: who, when, and what differs", tag, 404),
		func(ctx context.Context, in *struct {
			ByName
			Paging
		}) (*answer[api.Page[api.TextVersion]], error) {
			return s.versions(ctx, l, in.Name, in.Paging)
		})
	huma.Register(to, op("compare"+one, http.MethodGet, path+"/differences", "How two versions of a "+what+" differ",
		tag, 404,
		422), func(ctx context.Context, in *differing) (*answer[api.Page[edit.Difference]], error) {
		from, err := s.text(ctx, l, in.Name, in.From)
		if err != nil {
			return nil, err
		}
		to, err := s.text(ctx, l, in.Name, in.To)
		if err != nil {
			return nil, err
		}
		all, err := differences(ctx, l, from, to)
		return pageOf(all, len(all), func(d edit.Difference) edit.Difference { return d }), err
	})
	if l != store.Codes {
		huma.Register(to, op("view"+one, http.MethodGet, path+"/view", "A "+what+
			" as objects, lists, texts, numbers and truth values",
			tag, 404), func(ctx context.Context, in *struct {
			ByName
			Version int `query:"version" minimum:"0" maximum:"2147483647" doc:"0 for the newest"`
		}) (*answer[api.TextView], error) {
			t, err := s.text(ctx, l, in.Name, in.Version)
			if err != nil {
				return nil, err
			}
			view, err := viewOf(l, t.Text)
			return &answer[api.TextView]{view}, err
		})
	}
	huma.Register(to, op("list"+one+"Uses", http.MethodGet, path+"/uses", "The deliveries that were sifted by a "+what,
		tag,
		404), func(ctx context.Context, in *struct {
		ByName
		Paging
	}) (*answer[api.Page[api.TextUse]], error) {
		if _, err := s.text(ctx, l, in.Name, 0); err != nil {
			return nil, err
		}
		found, total, err := s.Store.UsedBy(ctx, l, in.Name, in.Offset, in.Limit)
		if err != nil {
			return nil, s.failure("looking for what used a "+what, err)
		}
		return pageOf(found, total, func(u store.Use) api.TextUse {
			return api.TextUse{Delivery: u.DeliveryID, Name: u.Name, Run: u.RunID, Version: u.Version,
				Verdict: u.Verdict, State: u.State, At: u.CreatedAt.UTC()}
		}), nil
	})
	huma.Register(to, op("retire"+one, http.MethodPut, path+"/retired", "Takes a "+what+
		" out of lists, or puts it back", tag,
		404), func(ctx context.Context, in *struct {
		ByName
		Body api.Retirement
	}) (*answer[api.Retirement], error) {
		if _, err := s.text(ctx, l, in.Name, 0); err != nil {
			return nil, err
		}
		if err := s.Store.Retire(ctx, l, in.Name, in.Body.Retired); err != nil {
			return nil, s.failure("retiring a "+what, err)
		}
		return &answer[api.Retirement]{in.Body}, nil
	})
	huma.Register(to, op("showDraftOf"+one, http.MethodGet, path+"/draft", "The text of a version of a "+what+
		" that is not saved yet", tag, 404), func(ctx context.Context, in *ByName) (*DraftAnswer, error) {
		d, err := s.Store.TextDraft(ctx, l, in.Name)
		if errors.Is(err, store.ErrNone) {
			return nil, huma.Error404NotFound("no draft is kept")
		} else if err != nil {
			return nil, s.failure("looking for a draft", err)
		}
		return answerDraft(d), nil
	})
	keeping := op("keepDraftOf"+one, http.MethodPut, path+"/draft", "Keeps the text of a version that is not saved yet",
		tag, 404, 412, 422)
	keeping.MaxBodyBytes = 2 * maxTargetBytes
	huma.Register(to, keeping, func(ctx context.Context, in *struct {
		ByName
		OfState
		Body api.TextKept
	}) (*DraftAnswer, error) {
		if _, err := s.text(ctx, l, in.Name, 0); err != nil {
			return nil, err
		}
		d, err := s.Store.KeepTextDraft(ctx, l, in.Name, &in.Body.Text, in.Body.Version, in.ofDraft())
		if err != nil {
			return nil, s.failure("keeping a draft", err)
		}
		return answerDraft(d), nil
	})
	dropping := op("dropDraftOf"+one, http.MethodDelete, path+"/draft", "Throws the draft away", tag, 404, 412)
	dropping.DefaultStatus = http.StatusNoContent
	huma.Register(to, dropping, func(ctx context.Context, in *struct {
		ByName
		OfState
	}) (*struct{}, error) {
		if _, err := s.text(ctx, l, in.Name, 0); err != nil {
			return nil, err
		}
		if _, err := s.Store.KeepTextDraft(ctx, l, in.Name, nil, 0, in.ofDraft()); err != nil {
			return nil, s.failure("throwing a draft away", err)
		}
		return &struct{}{}, nil
	})
	copying := op("copy"+one, http.MethodPost, path+"/copy", "Makes a copy of a "+what+" under another name", tag, 404,
		409, 422)
	copying.DefaultStatus = http.StatusCreated
	huma.Register(to, copying, func(ctx context.Context, in *struct {
		ByName
		Body api.NewName
	}) (*answer[api.Target], error) {
		copied, err := s.copyText(ctx, l, in.Name, in.Body)
		return &answer[api.Target]{targetOf(copied)}, err
	})
	renaming := op("rename"+one, http.MethodPost, path+"/rename",
		"Renames a "+what+": a copy takes its place, and it is retired", tag, 404, 409, 422)
	huma.Register(to, renaming, func(ctx context.Context, in *struct {
		ByName
		Body api.NewName
	}) (*answer[api.Target], error) {
		renamed, err := s.renameText(ctx, l, in.Name, in.Body)
		return &answer[api.Target]{targetOf(renamed)}, err
	})
}

func (s *Server) versions(ctx context.Context, l store.Library, name string, in Paging) (
	*answer[api.Page[api.TextVersion]], error) {
	// One more tells from what the last one differs.
	found, total, err := s.Store.Versions(ctx, l, name, in.Offset, in.Limit+1)
	if err != nil {
		return nil, s.failure("listing versions", err)
	}
	if total == 0 {
		return nil, huma.Error404NotFound(fmt.Sprintf("there is no %s %q", words[l], name))
	}
	out := api.Page[api.TextVersion]{Items: []api.TextVersion{}, Total: total}
	for i, t := range found[:min(len(found), in.Limit)] {
		v := api.TextVersion{Version: t.Version, AddedAt: t.AddedAt.UTC(), AddedBy: t.AddedBy, Differs: []edit.Difference{}}
		if i+1 < len(found) {
			all, err := differences(ctx, l, found[i+1], t)
			if err != nil {
				return nil, err
			}
			v.Differs = append(v.Differs, all...)
		}
		out.Items = append(out.Items, v)
	}
	return &answer[api.Page[api.TextVersion]]{out}, nil
}

// differences tells how a version differs from another one. Versions that Sieb of today cannot read differ by
// their whole text.
func differences(ctx context.Context, l store.Library, before, after store.Text) ([]edit.Difference, error) {
	if before.Text == after.Text {
		return nil, nil
	}
	if l == store.Codes {
		return codeDifferences(ctx, before, after), nil
	}
	all, err := edit.Differences([]byte(before.Text), []byte(after.Text))
	if err != nil {
		return []edit.Difference{{Words: "the text is another one"}}, nil
	}
	if len(all) == 0 {
		return []edit.Difference{{Words: "only comments, or how it is written"}}, nil
	}
	return all, nil
}

// codeDifferences tells which codes two versions of a list do not have in common, and whose labels differ.
func codeDifferences(ctx context.Context, before, after store.Text) (all []edit.Difference) {
	was, errWas := codes.Parse(ctx, before.Name, []byte(before.Text))
	is, errIs := codes.Parse(ctx, after.Name, []byte(after.Text))
	if errWas != nil || errIs != nil {
		return []edit.Difference{{Words: "the text is another one"}}
	}
	const most = 100
	say := func(format string, args ...any) {
		if len(all) < most {
			all = append(all, edit.Difference{Words: fmt.Sprintf(format, args...)})
		}
	}
	for _, c := range is.Codes {
		label, has := was.Label(c.Code)
		switch {
		case !was.Has([]byte(c.Code)):
			say("%s is new%s", c.Code, labelled(c.Label))
		case has && label != c.Label:
			say("%s was %q and is %q", c.Code, label, c.Label)
		}
	}
	for _, c := range was.Codes {
		if !is.Has([]byte(c.Code)) {
			say("%s is gone%s", c.Code, labelled(c.Label))
		}
	}
	if len(all) == most {
		all = append(all, edit.Difference{Words: "and more"})
	}
	return all
}

func labelled(label string) string {
	if label == "" {
		return ""
	}
	return ": " + label
}

// named returns a text under another name. Its first property names it; code lists are named beside.
func named(l store.Library, t store.Text, name string) (store.Text, error) {
	t.Name = name
	if l == store.Codes {
		return t, nil
	}
	in, property := edit.Target, "target"
	if l == store.Mappings {
		in, property = edit.Mapping, "mapping"
	}
	text, err := edit.Apply([]byte(t.Text), in, []edit.Step{{In: in, Do: edit.Set, Path: []string{property}, Value: name}})
	t.Text = string(text)
	return t, err
}

// copyText makes a copy of the newest version of a text.
func (s *Server) copyText(ctx context.Context, l store.Library, name string, to api.NewName) (copied store.Text,
	err error) {
	t, err := s.text(ctx, l, name, 0)
	if err != nil {
		return copied, err
	}
	if !target.IsName(to.Name) {
		return copied, huma.Error422UnprocessableEntity("a name is made of letters, digits, _ and -, " +
			"and begins with none of the last")
	}
	if _, err := s.Store.Text(ctx, l, to.Name, 0); err == nil {
		return copied, huma.Error409Conflict(fmt.Sprintf("there is a %s %q already: choose another name", words[l], to.Name))
	} else if !errors.Is(err, store.ErrNone) {
		return copied, s.failure("looking for a name", err)
	}
	if t, err = named(l, t, to.Name); err != nil {
		return copied, huma.Error422UnprocessableEntity(err.Error())
	}
	t.AddedBy = to.By
	return s.addText(ctx, l, t, true)
}

// renameText lets a copy take the place of a text, which is retired: runs that were made by it go on to name
// it. Mappings of a target, and targets that refer to it or to a code list, get versions that name the copy.
func (s *Server) renameText(ctx context.Context, l store.Library, name string, to api.NewName) (store.Text, error) {
	copied, err := s.copyText(ctx, l, name, to)
	if err != nil {
		return copied, err
	}
	follow := map[store.Library][]store.Library{store.Targets: {store.Targets, store.Mappings},
		store.Codes: {store.Targets, store.Mappings}}[l]
	for _, other := range follow {
		if err := s.renameIn(ctx, l, other, name, to); err != nil {
			return copied, err
		}
	}
	if err := s.Store.Retire(ctx, l, name, true); err != nil {
		return copied, s.failure("retiring a "+words[l], err)
	}
	return copied, nil
}

// renameIn adds versions to the texts of a library that name what was renamed: to all of them, or to none.
func (s *Server) renameIn(ctx context.Context, l, other store.Library, name string, to api.NewName) error {
	var saves []store.Saving
	for offset := 0; ; offset += maxPage {
		all, total, err := s.Store.Texts(ctx, other, store.Shelf{}, offset, maxPage)
		if err != nil {
			return s.failure("looking for what names it", err)
		}
		for _, t := range all {
			text, err := renamedIn(l, other, t.Text.Text, name, to.Name)
			if err != nil || text == t.Text.Text || t.Name == to.Name {
				continue
			}
			next := t.Text
			if next.Text, next.AddedBy = text, to.By; next.Target == name {
				next.Target = to.Name
			}
			saves = append(saves, store.Saving{Library: other, Text: next, May: func(*store.Text) error { return nil }})
		}
		if offset+maxPage >= total {
			break
		}
	}
	if _, err := s.Store.SaveTexts(ctx, saves); err != nil {
		return s.failure("renaming it where it is named", err)
	}
	return nil
}

const maxPage = 1000

// viewOf reads a text as it stands, and of a target that holds together says what it demands.
func viewOf(l store.Library, text string) (view api.TextView, err error) {
	if view.View, err = edit.View([]byte(text)); err != nil {
		return view, huma.Error422UnprocessableEntity(err.Error())
	}
	if l != store.Targets {
		return view, nil
	}
	t, err := target.Parse([]byte(text))
	if err != nil {
		return view, nil // a draft that is not finished
	}
	view.Words = map[string][]string{}
	for i := range t.Columns {
		if words := t.Columns[i].Demands(); len(words) > 0 {
			view.Words[t.Columns[i].Name] = words
		}
	}
	return view, nil
}

// renamedIn changes the places of a text in which something is named that was renamed.
func renamedIn(l, other store.Library, text, from, to string) (string, error) {
	in := edit.Target
	if other == store.Mappings {
		in = edit.Mapping
	}
	view, err := edit.View([]byte(text))
	if err != nil || !strings.Contains(text, from) {
		return text, err
	}
	property := "resource"
	if l == store.Codes {
		property = "codes"
	}
	var steps []edit.Step
	if v, _ := view.(map[string]any)["target"].(string); l == store.Targets && other == store.Mappings && v == from {
		steps = append(steps, edit.Step{In: in, Do: edit.Set, Path: []string{"target"}, Value: to})
	}
	find(view, nil, func(path []string, v any) {
		if path[len(path)-1] == property && v == from {
			steps = append(steps, edit.Step{In: in, Do: edit.Set, Path: path, Value: to})
		}
	})
	after, err := edit.Apply([]byte(text), in, steps)
	return string(after), err
}

// find goes through all values of a text.
func find(v any, path []string, see func(path []string, v any)) {
	switch v := v.(type) {
	case map[string]any:
		for key, part := range v {
			find(part, append(path[:len(path):len(path)], key), see)
		}
	case []any:
		for i, part := range v {
			find(part, append(path[:len(path):len(path)], fmt.Sprint(i)), see)
		}
	default:
		if len(path) > 0 {
			see(path, v)
		}
	}
}

package routes

import (
	"context"
	"errors"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/codes"
	"sieb/core/outcome/written"
	"sieb/core/remedy"
	"sieb/core/target"
	"sieb/core/violation"
	"sieb/service/api"
	"sieb/service/store"
)

// textRoutes are the routes of targets and mappings.
func (s *Server) textRoutes(to huma.API) {
	add := op("addTarget", http.MethodPost, "/targets", "Adds a target, or a version of one", "targets", 400, 422)
	add.DefaultStatus, add.MaxBodyBytes = http.StatusCreated, maxTargetBytes
	huma.Register(to, add, s.addTarget)
	huma.Register(to, op("draftFromTable", http.MethodPost, "/targets/from-table",
		"Draws a target from a table of a PostgreSQL database, without adding it", "targets", 422), s.draftFromTable)
	huma.Register(to, op("listDatabases", http.MethodGet, "/databases",
		"Databases that the service's settings name, from which targets can be drawn", "targets"), s.listDatabases)
	huma.Register(to, op("listTargets", http.MethodGet, "/targets", "Targets in their newest versions, by name",
		"targets"), func(ctx context.Context, in *TextsAsked) (*answer[api.Page[api.Target]], error) {
		return list(ctx, s, store.Targets, *in, "", targetListed)
	})
	registerLibrary(s, to, store.Targets, "Target", wholeTarget)

	huma.Register(to, op("listRemedies", http.MethodGet, "/remedies", "The remedies that columns can declare", "targets"),
		func(context.Context, *struct{}) (*answer[api.Page[remedy.Help]], error) {
			all := remedy.AllHelp()
			return &answer[api.Page[remedy.Help]]{api.Page[remedy.Help]{Items: all, Total: len(all)}}, nil
		})
	huma.Register(to, op("listViolations", http.MethodGet, "/violations", "What can be wrong, and what becomes of it, "+
		"in words", "targets"), func(context.Context, *struct{}) (*answer[api.Vocabulary], error) {
		return &answer[api.Vocabulary]{
			Body: api.Vocabulary{Codes: violation.AllCodes(), Actions: violation.AllActions()}}, nil
	})
	huma.Register(to, op("columnFields", http.MethodGet, "/column-fields", "The properties of a column, as a form asks for "+
		"them", "targets"), func(context.Context, *struct{}) (*answer[api.ColumnFields], error) {
		demands, habits := target.Asks()
		return &answer[api.ColumnFields]{
			Body: api.ColumnFields{Datatypes: target.Datatypes, Demands: demands, Habits: habits}}, nil
	})

	add = op("addMapping", http.MethodPost, "/mappings", "Adds a mapping, or a version of one", "mappings", 400, 422)
	add.DefaultStatus, add.MaxBodyBytes = http.StatusCreated, maxTargetBytes
	huma.Register(to, add, s.addMapping)
	huma.Register(to, op("listMappings", http.MethodGet, "/mappings", "Mappings in their newest versions, by name",
		"mappings"), func(ctx context.Context, in *mappingsAsked) (*answer[api.Page[api.Mapping]], error) {
		return list(ctx, s, store.Mappings, in.TextsAsked, in.Target, func(t store.Listed) api.Mapping {
			return api.Mapping{Target: targetListed(t), For: t.Target}
		})
	})
	registerLibrary(s, to, store.Mappings, "Mapping", wholeMapping)

	add = op("addCodes", http.MethodPost, "/codes", "Adds a code list, or a version of one", "codes", 400, 422)
	add.DefaultStatus, add.MaxBodyBytes = http.StatusCreated, codes.MaxBytes
	huma.Register(to, add, s.addCodes)
	huma.Register(to, op("listCodes", http.MethodGet, "/codes", "Code lists in their newest versions, by name",
		"codes"), func(ctx context.Context, in *TextsAsked) (*answer[api.Page[api.Target]], error) {
		return list(ctx, s, store.Codes, *in, "", targetListed)
	})
	registerLibrary(s, to, store.Codes, "Codes", wholeTarget)
}

// registerLibrary registers what shows the texts of a library; one names the operations.
func registerLibrary[T any](s *Server, to huma.API, l store.Library, one string,
	view func(t store.Listed) T) {
	tag := string(l)
	show := func(ctx context.Context, in *version) (*answer[T], error) {
		t, err := s.text(ctx, l, in.Name, in.Version)
		if err != nil {
			return nil, err
		}
		at, err := s.Store.RetiredAt(ctx, l, in.Name)
		if err != nil {
			return nil, s.failure("reading the "+words[l], err)
		}
		return &answer[T]{view(store.Listed{Text: t, RetiredAt: at})}, nil
	}
	huma.Register(to, op("show"+one, http.MethodGet, "/"+tag+"/{name}", "The newest version of a "+words[l], tag, 404),
		func(ctx context.Context, in *ByName) (*answer[T], error) { return show(ctx, &version{ByName: *in}) })
	s.shelfRoutes(to, l, one)
	huma.Register(to, op("show"+one+"Version", http.MethodGet, "/"+tag+"/{name}/versions/{version}",
		"One version of a "+words[l], tag, 404), show)
}

// words are what people call the texts of the libraries.
var words = map[store.Library]string{store.Targets: "target", store.Mappings: "mapping", store.Codes: "code list"}

// list answers with a page of a library.
func list[T any](ctx context.Context, s *Server, l store.Library, in TextsAsked, target string,
	view func(store.Listed) T) (*answer[api.Page[T]], error) {
	found, total, err := s.Store.Texts(ctx, l, store.Shelf{Target: target, Find: in.Find, Retired: in.Retired}, in.Offset,
		in.Limit)
	if err != nil {
		return nil, s.failure("listing "+string(l), err)
	}
	return pageOf(found, total, view), nil
}

// targetListed shows a text as a list does.
func targetListed(t store.Listed) api.Target {
	out := targetOf(t.Text)
	out.Retired, out.Deliveries = t.RetiredAt.Valid, t.Deliveries
	if parsed, err := target.Parse([]byte(t.Text.Text)); err == nil {
		out.Columns = len(parsed.Columns)
	}
	return out
}

// TextsAsked asks for texts of a library.
type TextsAsked struct {
	Paging
	Find    string `query:"find" maxLength:"200" doc:"only those with this text in their name or title, whatever the letter case"`
	Retired bool   `query:"retired" doc:"those that are retired, too"`
}

// mappingsAsked asks for mappings.
type mappingsAsked struct {
	TextsAsked
	Target string `query:"target" doc:"only those for this target"`
}

type codesText struct {
	AddedBy
	Name    string `query:"name" required:"true" doc:"of the list"`
	Title   string `query:"title" maxLength:"200" doc:"what people call it"`
	RawBody []byte `contentType:"text/csv" doc:"the list: under a header a code in each line, and what it means behind it"`
}

func (s *Server) addCodes(ctx context.Context, in *codesText) (*created[api.Target], error) {
	if !target.IsName(in.Name) {
		return nil, huma.Error422UnprocessableEntity("a code list's name is made of letters, digits, _ and -, " +
			"and begins with none of the last")
	}
	if _, err := codes.Parse(ctx, in.Name, in.RawBody); err != nil {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	added, err := s.addText(ctx, store.Codes, store.Text{Name: in.Name, Title: in.Title, Text: string(in.RawBody),
		AddedBy: in.By}, in.Newest)
	if err != nil {
		return nil, err
	}
	return &created[api.Target]{http.StatusCreated, locationOf(store.Codes, added), targetOf(added)}, nil
}

// AddedBy says who adds a version.
type AddedBy struct {
	By     string `query:"by" maxLength:"100" doc:"who adds it, for those who read the versions later"`
	Newest bool   `query:"newest" doc:"the text becomes the newest version, even if that of an older one is the same; otherwise that one is named"`
}

type targetText struct {
	AddedBy
	RawBody []byte `contentType:"application/yaml" doc:"the target, YAML or JSON"`
}

type mappingText struct {
	AddedBy
	RawBody []byte `contentType:"application/yaml" doc:"the mapping, YAML or JSON"`
}

// ByName names a target or a mapping.
type ByName struct {
	Name string `path:"name"`
}

type version struct {
	ByName
	Version int `path:"version" minimum:"1" maximum:"2147483647"`
}

// unusable makes an answer of what is wrong with a text ("target" or "mapping").
func unusable(what string, err error) error {
	var problems target.Problems
	if !errors.As(err, &problems) {
		return huma.Error422UnprocessableEntity(err.Error())
	}
	if len(problems) == 1 {
		return huma.Error422UnprocessableEntity("the " + what + " cannot be used: " + problems[0].Error())
	}
	details := make([]error, len(problems))
	for i, p := range problems {
		details[i] = &huma.ErrorDetail{Message: p.Message, Location: fmt.Sprintf("line %d, column %d", p.Line,
			p.Column)}
	}
	return huma.Error422UnprocessableEntity("the "+what+" cannot be used: "+problems[0].Error(), details...)
}

func (s *Server) addTarget(ctx context.Context, in *targetText) (*created[api.Target], error) {
	t, err := target.Parse(in.RawBody)
	if err != nil {
		return nil, unusable("target", err)
	}
	added, err := s.addText(ctx, store.Targets, store.Text{Name: t.Name, Title: t.Title, Text: string(in.RawBody),
		AddedBy: in.By}, in.Newest)
	if err != nil {
		return nil, err
	}
	return &created[api.Target]{http.StatusCreated, locationOf(store.Targets, added), targetOf(added)}, nil
}

// addMapping adds a mapping, which must fit the newest version of its target.
func (s *Server) addMapping(ctx context.Context, in *mappingText) (*created[api.Mapping], error) {
	m, err := target.ParseMapping(in.RawBody)
	if err != nil {
		return nil, unusable("mapping", err)
	}
	t, err := s.Store.Text(ctx, store.Targets, m.Target, 0)
	if errors.Is(err, store.ErrNone) {
		return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("there is no target %q, which the mapping is for: "+
			"add the target first", m.Target))
	} else if err != nil {
		return nil, s.failure("looking for a target", err)
	}
	if parsed, err := target.Parse([]byte(t.Text)); err != nil {
		return nil, unusable("target", err)
	} else if _, err := parsed.With(m); err != nil {
		return nil, unusable("mapping", err)
	} else if _, err := written.Of(m); err != nil {
		return nil, unusable("mapping", err)
	}
	added, err := s.addText(ctx, store.Mappings, store.Text{Name: m.Name, Title: m.Title, Target: m.Target,
		Text: string(in.RawBody), AddedBy: in.By}, in.Newest)
	if err != nil {
		return nil, err
	}
	return &created[api.Mapping]{http.StatusCreated, locationOf(store.Mappings, added), mappingOf(added)}, nil
}

func locationOf(l store.Library, t store.Text) string {
	return fmt.Sprintf("/api/v1/%s/%s/versions/%d", l, t.Name, t.Version)
}

// addText records a text; isNewest says that it is to be the newest version.
func (s *Server) addText(ctx context.Context, l store.Library, t store.Text, isNewest bool) (store.Text, error) {
	add := s.Store.AddText
	if isNewest {
		add = s.Store.SaveText
	}
	added, isNew, err := add(ctx, l, t)
	if err != nil {
		return added, s.failure("recording one of the "+string(l), err)
	}
	if isNew {
		s.Log.Info("text added", "to", l, "name", added.Name, "version", added.Version)
	}
	return added, nil
}

// text returns a version of a target or mapping, the newest for version 0.
func (s *Server) text(ctx context.Context, l store.Library, name string, version int) (store.Text, error) {
	what := words[l]
	t, err := s.Store.Text(ctx, l, name, version)
	switch {
	case errors.Is(err, store.ErrNone) && version > 0:
		return t, huma.Error404NotFound(fmt.Sprintf("there is no version %d of a %s %q", version, what, name))
	case errors.Is(err, store.ErrNone):
		return t, huma.Error404NotFound(fmt.Sprintf("there is no %s %q", what, name))
	case err != nil:
		return t, s.failure("looking for a "+what, err)
	}
	return t, nil
}

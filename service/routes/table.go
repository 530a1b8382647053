package routes

import (
	"context"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/target"
	"sieb/service/api"
)

var badName = huma.Error422UnprocessableEntity("a target's name is made of letters, digits, _ and -, and begins " +
	"with none of the last")

func (s *Server) draftFromTable(ctx context.Context, in *struct{ Body api.AskTable }) (
	*answer[api.TargetDraft], error) {
	if in.Body.Name != "" && !target.IsName(in.Body.Name) {
		return nil, badName
	}
	if strings.ContainsRune(in.Body.Database+in.Body.Table, 0) {
		return nil, huma.Error422UnprocessableEntity("the name of the database or table holds a NUL character")
	}
	t, err := s.Tables.Read(ctx, in.Body.Database, in.Body.Table)
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	if slices.Contains(s.Tables.Names(), in.Body.Database) {
		t.Database = in.Body.Database
	}
	d := t.Draft()
	if in.Body.Name != "" {
		d.Name = in.Body.Name
	}
	return &answer[api.TargetDraft]{api.TargetDraft{Name: d.Name, Text: string(d.YAML())}}, nil
}

// listDatabases names the databases that tables can be taken from.
func (s *Server) listDatabases(context.Context, *struct{}) (*answer[api.Page[api.Database]], error) {
	return pageOf(s.Tables.Names(), len(s.Tables.Named), func(name string) api.Database {
		return api.Database{Name: name}
	}), nil
}

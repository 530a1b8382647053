package routes

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"sieb/core/brief"
	"sieb/core/codes"
	"sieb/core/csvw"
	"sieb/core/ddl"
	"sieb/core/dictionary"
	"sieb/core/layout"
	"sieb/core/rfc4180"
	"sieb/core/suggest"
	"sieb/core/table"
	"sieb/core/target"
	"sieb/paper"
	"sieb/service/api"
	"sieb/service/staging"
	"sieb/service/store"
)

func (s *Server) senderRoutes(to huma.API) {
	huma.Register(to, file(op("targetTemplate", http.MethodGet, "/targets/{name}/template",
		"An empty workbook for senders to fill in", "targets", 404)), s.targetTemplate)
	huma.Register(to, op("targetWords", http.MethodGet, "/targets/{name}/words", "The target's columns in words",
		"targets", 404),
		func(ctx context.Context, in *ByName) (*answer[brief.Page], error) {
			page, err := s.page(ctx, in.Name)
			if err != nil {
				return nil, err
			}
			return &answer[brief.Page]{*page}, nil
		})
	huma.Register(to, file(op("targetPage", http.MethodGet, "/targets/{name}/page",
		"The target's columns in words, as a page to print",
		"targets", 404)), s.targetPage)
	huma.Register(to, file(op("targetSQL", http.MethodGet, "/targets/{name}/sql",
		"The statement that creates the target's table",
		"targets", 404, 422)), s.targetSQL)
	huma.Register(to, file(op("targetCSVW", http.MethodGet, "/targets/{name}/csvw",
		"CSVW metadata of files of accepted rows",
		"targets", 404)), s.targetCSVW)
	from := op("targetFromDictionary", http.MethodPost, "/targets/from-dictionary",
		"Makes a target of a data dictionary, a CSV file or a workbook, without adding it", "targets", 422)
	from.MaxBodyBytes = mostDictionary
	huma.Register(to, from, s.targetFromDictionary)
	read := op("targetFromCSVW", http.MethodPost, "/targets/from-csvw",
		"Makes a target of CSVW metadata, without adding it",
		"targets", 422)
	read.MaxBodyBytes = csvw.MostBytes
	huma.Register(to, read, s.targetFromCSVW)
	huma.Register(to, op("listTables", http.MethodGet, "/databases/{name}/tables",
		"The tables of a database that the service's settings name, with their columns and about how many rows", "targets",
		404, 422),
		s.listTables)
	making := op("makeCodes", http.MethodPost, "/codes/from",
		"Makes a code list of a column of a delivery, or of a table of a database",
		"codes", 404, 422)
	making.DefaultStatus = http.StatusCreated
	huma.Register(to, making, s.makeCodes)
}

// mostDictionary is how long a data dictionary may be.
const mostDictionary = 16 << 20

// page explains the newest version of a target.
func (s *Server) page(ctx context.Context, name string) (*brief.Page, error) {
	t, lists, err := s.known(ctx, name)
	if err != nil {
		return nil, err
	}
	return brief.Of(t, lists), nil
}

// known returns the newest version of a target, with the code lists that it names and that there are.
func (s *Server) known(ctx context.Context, name string) (*target.Target, []*codes.List, error) {
	text, err := s.text(ctx, store.Targets, name, 0)
	if err != nil {
		return nil, nil, err
	}
	t, err := target.Parse([]byte(text.Text))
	if err != nil {
		return nil, nil, unusable("target", err)
	}
	versions, err := s.codesOf(ctx, t)
	if err != nil {
		return nil, nil, err
	}
	lists, err := s.Queue.CodeLists(ctx, versions)
	if err != nil {
		return nil, nil, s.failure("reading code lists", err)
	}
	return t, lists, nil
}

func (s *Server) targetTemplate(ctx context.Context, in *ByName) (*huma.StreamResponse, error) {
	page, err := s.page(ctx, in.Name)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	if err := page.Workbook(&b); err != nil {
		return nil, s.failure("writing a workbook", err)
	}
	return send(in.Name+".xlsx", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", b.Bytes()), nil
}

func (s *Server) targetPage(ctx context.Context, in *ByName) (*huma.StreamResponse, error) {
	page, err := s.page(ctx, in.Name)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	if err := paper.Target(&b, page); err != nil {
		return nil, s.failure("writing a page", err)
	}
	return send(in.Name+".html", "text/html; charset=utf-8", b.Bytes()), nil
}

// send answers with a file that is at hand.
func send(name, kind string, content []byte) *huma.StreamResponse {
	return &huma.StreamResponse{Body: func(ctx huma.Context) {
		_, w := humachi.Unwrap(ctx)
		attach(w, name, kind)
		_, _ = w.Write(content)
	}}
}

func (s *Server) targetSQL(ctx context.Context, in *struct {
	ByName
	Dialect string `query:"dialect" enum:"standard,postgresql,mariadb,sqlite" default:"standard"`
}) (*huma.StreamResponse, error) {
	t, _, err := s.known(ctx, in.Name)
	if err != nil {
		return nil, err
	}
	text, err := ddl.Create(t, ddl.Dialect(in.Dialect))
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	return send(in.Name+"."+in.Dialect+".sql", "text/plain; charset=utf-8", []byte(text)), nil
}

func (s *Server) targetCSVW(ctx context.Context, in *struct {
	ByName
	URL string `query:"url" maxLength:"1000" default:"accepted.csv" doc:"of the file that is described"`
}) (*huma.StreamResponse, error) {
	t, _, err := s.known(ctx, in.Name)
	if err != nil {
		return nil, err
	}
	text, _, err := csvw.Write(t, in.URL)
	if err != nil {
		return nil, s.failure("writing metadata", err)
	}
	return send(in.Name+".csv-metadata.json", "application/csvm+json", text), nil
}

func (s *Server) targetFromDictionary(ctx context.Context, in *struct {
	File    string `query:"file" required:"true" doc:"the dictionary's file name"`
	Name    string `query:"name" doc:"of the target; the file's where it is left out"`
	RawBody []byte `contentType:"application/octet-stream" doc:"the dictionary: CSV or a workbook"`
}) (*answer[api.MadeText], error) {
	if err := staging.CheckName(in.File); err != nil {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	if in.Name != "" && !target.IsName(in.Name) {
		return nil, badName
	}
	f, err := s.Bounds.Temporary()
	if err != nil {
		return nil, s.failure("reading a dictionary", err)
	}
	defer f.Close()
	if _, err := f.Write(in.RawBody); err != nil {
		return nil, s.failure("reading a dictionary", err)
	}
	opened, err := s.Bounds.Open(ctx, fmt.Sprintf("/proc/self/fd/%d", f.Fd()), layout.Given{})
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(in.File + ": " + withoutPath(err.Error()))
	}
	defer opened.Close()
	r, err := dictionary.Read(ctx, opened, cmp.Or(in.Name, strings.Split(in.File, ".")[0]))
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(in.File + ": " + err.Error())
	}
	t, err := target.Parse(r.Target)
	if err != nil {
		return nil, unusable("target", err)
	}
	return &answer[api.MadeText]{api.MadeText{Name: t.Name, Text: string(r.Target), Left: append([]string{}, r.Left...),
		Taken: r.Taken}}, nil
}

// withoutPath takes the name of a file without a name out of a message.
func withoutPath(message string) string {
	if _, rest, has := strings.Cut(message, ": "); has && strings.HasPrefix(message, "/proc/") {
		return rest
	}
	return message
}

func (s *Server) targetFromCSVW(_ context.Context, in *struct {
	Table   string `query:"table" doc:"url of the table, where the document has several"`
	RawBody []byte `contentType:"application/octet-stream" doc:"the metadata document, JSON"`
}) (*answer[api.MadeText], error) {
	m, err := csvw.Read(in.RawBody, in.Table)
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	t, err := target.Parse(m.Target)
	if err != nil {
		return nil, unusable("target", err)
	}
	return &answer[api.MadeText]{api.MadeText{Name: t.Name, Text: string(m.Target), Mapping: string(m.Mapping),
		Left: append([]string{}, m.Left...)}}, nil
}

func (s *Server) listTables(ctx context.Context, in *struct {
	Name string `path:"name"`
	Find string `query:"find" maxLength:"200" doc:"only those with this text in schema.table"`
}) (*answer[api.TablesFound], error) {
	if !slices.Contains(s.Tables.Names(), in.Name) {
		return nil, huma.Error404NotFound(fmt.Sprintf("the service's settings name no database %q", in.Name))
	}
	all, more, err := s.Tables.Tables(ctx, in.Name, in.Find)
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	return &answer[api.TablesFound]{api.TablesFound{Items: append([]table.Listed{}, all...), More: more}}, nil
}

// makeCodes makes a code list of what stands elsewhere.
func (s *Server) makeCodes(ctx context.Context, in *struct{ Body api.CodesFrom }) (*created[api.Target], error) {
	if !target.IsName(in.Body.Name) {
		return nil, huma.Error422UnprocessableEntity("a code list's name is made of letters, digits, _ and -, and begins with " +
			"none of the last")
	}
	var text []byte
	var err error
	switch ask := &in.Body; {
	case ask.Delivery != "" && ask.Database == "":
		text, err = s.codesOfColumn(ctx, ask)
	case ask.Database != "" && ask.Delivery == "" && ask.Code != "":
		var b bytes.Buffer
		columns := []string{ask.Code}
		if ask.Label != "" {
			columns = append(columns, ask.Label)
		}
		if err = s.Tables.Copy(ctx, ask.Database, ask.Table, columns, &limited{&b}); err != nil {
			err = huma.Error422UnprocessableEntity(err.Error())
		}
		text = b.Bytes()
	default:
		err = huma.Error422UnprocessableEntity("name a column of a delivery, or a database with its table and the column code")
	}
	if err != nil {
		return nil, err
	}
	if _, err := codes.Parse(ctx, in.Body.Name, text); err != nil {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	added, err := s.addText(ctx, store.Codes, store.Text{Name: in.Body.Name, Title: in.Body.Title, Text: string(text),
		AddedBy: in.Body.By}, true)
	if err != nil {
		return nil, err
	}
	return &created[api.Target]{http.StatusCreated, locationOf(store.Codes, added), targetOf(added)}, nil
}

// limited takes as much as a code list may have.
type limited struct{ *bytes.Buffer }

func (l *limited) Write(p []byte) (int, error) {
	if l.Len()+len(p) > codes.MaxBytes {
		return 0, fmt.Errorf("the table is longer than a code list may be, %d MiB", codes.MaxBytes>>20)
	}
	return l.Buffer.Write(p)
}

// codesOfColumn makes a code list of the values of a column: each once, in their order.
func (s *Server) codesOfColumn(ctx context.Context, ask *api.CodesFrom) ([]byte, error) {
	d, err := s.delivery(ctx, ask.Delivery)
	if err != nil {
		return nil, err
	}
	if err := s.isTable(d); err != nil {
		return nil, err
	}
	opened, err := s.Queue.OpenDelivery(ctx, d, givenOf(d.Layout))
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(s.Area.Conceal(err, d.SHA256, d.Name))
	}
	defer opened.Close()
	pairs, err := suggest.Pairs(ctx, opened, ask.Column, ask.Label)
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(s.Area.Conceal(err, d.SHA256, d.Name))
	}
	header := []string{"code"}
	if ask.Label != "" {
		header = append(header, "label")
	}
	text := rfc4180.AppendRow(nil, header...)
	for _, p := range pairs {
		text = rfc4180.AppendRow(text, p[:len(header)]...)
	}
	return text, nil
}

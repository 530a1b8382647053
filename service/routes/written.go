package routes

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"path/filepath"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"sieb/core/fault"
	"sieb/core/outcome"
	"sieb/core/outcome/csv"
	"sieb/core/outcome/written"
	"sieb/core/report"
	"sieb/core/source"
	"sieb/core/spill"
	"sieb/service/api"
	"sieb/service/jobs"
	"sieb/service/store"
)

// describeForms adds what concerns the forms of accepted rows.
func (s *Server) describeForms(to huma.API) {
	huma.Register(to, op("listForms", http.MethodGet, "/forms", "The forms in which accepted rows can be written", "runs"),
		func(context.Context, *struct{}) (*answer[api.Forms], error) {
			out := api.Forms{Items: []api.OutputForm{}, Total: len(written.Forms)}
			for _, f := range written.Forms {
				out.Items = append(out.Items, api.OutputForm{Name: f.Name, Title: f.Title, File: f.File, Type: f.Type,
					Meaning: f.Meaning, IsDelimited: f.IsDelimited, IsFixed: f.IsFixed})
			}
			return &answer[api.Forms]{Body: out}, nil
		})
	huma.Register(to, file(op("writeRows", http.MethodGet, "/runs/{id}/rows/written",
		"Rows of an outcome, written in a form, in their own order", "runs", 404, 409, 422)), s.writeRows)
}

// AskWritten asks for rows in a form.
type AskWritten struct {
	AskSide
	Columns        []string `query:"columns,explode" maxItems:"16384" doc:"that are written, in this order; all where none is named"`
	Form           string   `query:"form" required:"true" maxLength:"20" doc:"csv, delimited, jsonl, parquet or xlsx"`
	Header         string   `query:"header" enum:"names,titles,none" doc:"what stands over the columns"`
	Codes          string   `query:"codes" enum:"code,label,both" doc:"what stands for the codes of a code list"`
	Delimiter      string   `query:"delimiter" maxLength:"4" doc:"of the form delimited: one character, or tab"`
	Encoding       string   `query:"encoding" maxLength:"40" doc:"of the form delimited, by its WHATWG name"`
	Quoting        string   `query:"quoting" enum:"needed,all,texts" doc:"of the form delimited"`
	LineTerminator string   `query:"lineTerminator" enum:"lf,crlf" doc:"of the form delimited"`
	ByteOrderMark  bool     `query:"byteOrderMark" doc:"of the form delimited"`
}

// writeRows answers with rows in a form. They are written to a file without a name first: whether a form can
// hold them shows only at the last of them.
func (s *Server) writeRows(ctx context.Context, in *AskWritten) (*huma.StreamResponse, error) {
	all, err := written.All([]outcome.Settings{{Form: in.Form, Header: outcome.Heading(in.Header),
		Codes: outcome.Coding(in.Codes), Delimiter: in.Delimiter, Encoding: in.Encoding, Quoting: in.Quoting,
		LineTerminator: in.LineTerminator, ByteOrderMark: in.ByteOrderMark}})
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	of, err := written.Named(in.Form)
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	o, err := s.shown(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	run, done, err := o.open(ctx, false)
	if err != nil {
		return nil, s.notOpened(err, "opening a run once more")
	}
	defer done()
	ask, err := s.ask(ctx, &in.AskSide)
	if err != nil {
		return nil, err
	}
	ask.Columns = in.Columns
	f, err := spill.Unnamed(o.dir)
	if err != nil {
		return nil, s.failure("making room for "+of.File, err)
	}
	if err := ask.Write(ctx, o.dir, run.Target, run.Codes, all[0], f); err != nil {
		f.Close()
		if ctx.Err() != nil || fault.IsDisk(err) {
			return nil, s.failure("writing "+of.File, err)
		}
		return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("%s cannot be written: %s", of.File, err))
	}
	size, err := f.Seek(0, io.SeekEnd)
	if err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		f.Close()
		return nil, s.failure("writing "+of.File, err)
	}
	return &huma.StreamResponse{Body: func(ctx huma.Context) {
		defer f.Close()
		r, w := humachi.Unwrap(ctx)
		attach(w, stem(o.delivery.Name)+"."+strings.Replace(of.File, "accepted", in.Side, 1), of.Type)
		w.Header().Set("Content-Length", fmt.Sprint(size))
		if r.Method == http.MethodHead {
			return
		}
		if _, err := io.Copy(w, fault.Until(r.Context(), f)); err != nil {
			s.Log.Warn("a download broke off", "file", of.File, "error", err)
			panic(http.ErrAbortHandler) // so that it does not look whole
		}
	}}, nil
}

func (s *Server) runOutput(ctx context.Context, in *struct {
	ID   string `path:"id"`
	Name string `path:"name"`
	For  string `query:"for" enum:"spreadsheet,spreadsheet-semicolon" doc:"with a byte order mark, and guarded against cells that a spreadsheet would run as formulas; the second with semicolons between the cells, as spreadsheets expect them where decimals have a comma"`
}) (*huma.StreamResponse, error) {
	r, err := s.run(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	kind, names := "text/csv; charset=utf-8", outputNames
	if r.Result != nil {
		var result jobs.Result
		if err := json.Unmarshal(r.Result, &result); err != nil {
			return nil, s.failure("reading a run's result", err)
		}
		names = slices.Concat(names, result.Written)
	}
	switch {
	case !slices.Contains(names, in.Name):
		return nil, huma.Error404NotFound(fmt.Sprintf("the run has no output %q; it has %s", in.Name,
			strings.Join(names, ", ")))
	case r.State != store.Done:
		return nil, huma.Error404NotFound("the run has no outputs: it is " + r.State)
	case in.Name == report.ManifestName:
		kind = "application/json"
	}
	for _, f := range written.Forms {
		if f.File == in.Name {
			kind = f.Type
		}
	}
	d, err := s.delivery(ctx, r.DeliveryID)
	if err != nil {
		return nil, err
	}
	path, name := filepath.Join(s.Area.RunDir(r.ID), in.Name), stem(d.Name)+"."+in.Name
	switch {
	case !strings.HasSuffix(in.Name, ".csv") || in.For == "":
		return s.sendFile(path, name, kind, source.Content{})
	case in.For == "spreadsheet":
		return s.sendSpreadsheet(path, name, ',')
	}
	return s.sendSpreadsheet(path, name, ';')
}

// sendSpreadsheet answers with a file of a run as a spreadsheet opens it.
func (s *Server) sendSpreadsheet(path, name string, delimiter byte) (*huma.StreamResponse, error) {
	f, err := report.Open(path)
	if err != nil {
		return nil, s.failure("opening "+name, err)
	}
	return &huma.StreamResponse{Body: func(ctx huma.Context) {
		defer f.Close()
		r, w := humachi.Unwrap(ctx)
		attach(w, name, "text/csv; charset=utf-8")
		if r.Method == http.MethodHead {
			return // how long it is would take making all of it
		}
		if err := csv.Spreadsheet(r.Context(), w, f, delimiter); err != nil {
			s.Log.Warn("a download broke off", "file", name, "error", err)
			panic(http.ErrAbortHandler) // so that it does not look whole
		}
	}}, nil
}

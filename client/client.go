// Package client calls a Sieb service.
//
//	c := client.New("http://127.0.0.1:8466", "")
//	d, err := c.AddDelivery(ctx, "tickets.csv", file)
//	run, err := c.StartRun(ctx, api.NewRun{Delivery: d.ID, Mapping: "ahrensee"})
//	run, err = c.Follow(ctx, run.ID, nil)
//
// Errors of the service are of type *Error and carry its words.
package client

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"sieb/core/check"
	"sieb/core/outcome"
	"sieb/core/remedy"
	"sieb/core/result"
	"sieb/service/api"
)

// Client calls one service. It may be used by several goroutines.
type Client struct {
	base  string
	token string
	state string // that changes are made on; "" for any
	http  *http.Client
}

// New makes a client of the service at a base URL. Token is what the service asks
// for, "" where it asks for none.
func New(base, token string) *Client {
	return &Client{base: strings.TrimRight(base, "/"), token: token, http: &http.Client{}}
}

// On returns a client whose changes are made on one state of what they change, as its document tells it; the service
// refuses them (412) where that has changed since.
func (c *Client) On(state string) *Client {
	on := *c
	on.state = state
	return &on
}

// Error is an answer of the service that is no success (RFC 9457).
type Error struct {
	Status int    `json:"status"`
	Title  string `json:"title"`
	Detail string `json:"detail"`
	Errors []struct {
		Message  string `json:"message"`
		Location string `json:"location"`
	} `json:"errors"`
}

func (e *Error) Error() string {
	text := e.Detail
	if text == "" {
		text = fmt.Sprintf("the service answered %d %s", e.Status, e.Title)
	}
	for _, d := range e.Errors {
		text += fmt.Sprintf("\n  %s: %s", d.Location, d.Message)
	}
	return text
}

// do sends a request and gives the open answer of a success.
func (c *Client) do(ctx context.Context, method, path string, body io.Reader, kind string) (*http.Response, error) {
	req, err := http.NewRequestWithContext(ctx, method, c.base+path, body)
	if err != nil {
		return nil, err
	}
	if kind != "" {
		req.Header.Set("Content-Type", kind)
	}
	if c.token != "" {
		req.Header.Set("Authorization", "Bearer "+c.token)
	}
	if c.state != "" && method != http.MethodGet {
		req.Header.Set("If-Match", strconv.Quote(c.state))
	}
	resp, err := c.http.Do(req)
	if err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		var call *url.Error
		if errors.As(err, &call) {
			err = call.Err
		}
		return nil, fmt.Errorf("no service answers at %s (%w); start one with sieb serve, or name another with "+
			"--service", c.base, err)
	}
	if resp.StatusCode/100 == 2 {
		return resp, nil
	}
	defer resp.Body.Close()
	failed := &Error{}
	text, _ := io.ReadAll(io.LimitReader(resp.Body, 1<<20))
	if json.Unmarshal(text, failed) != nil || failed.Status == 0 {
		failed = &Error{Status: resp.StatusCode, Title: http.StatusText(resp.StatusCode)}
	}
	return nil, failed
}

func (c *Client) get(ctx context.Context, path string, into any) error {
	return c.call(ctx, http.MethodGet, path, nil, "", into)
}

func (c *Client) call(ctx context.Context, method, path string, body io.Reader, kind string, into any) error {
	resp, err := c.do(ctx, method, path, body, kind)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	if resp.StatusCode == http.StatusNoContent {
		return nil
	}
	return json.NewDecoder(resp.Body).Decode(into)
}

// send calls with a document as the body.
func (c *Client) send(ctx context.Context, method, path string, document, into any) error {
	text, err := json.Marshal(document)
	if err != nil {
		return err
	}
	return c.call(ctx, method, path, bytes.NewReader(text), "application/json", into)
}

func page(offset, limit int) url.Values {
	v := url.Values{}
	if offset > 0 {
		v.Set("offset", strconv.Itoa(offset))
	}
	if limit > 0 {
		v.Set("limit", strconv.Itoa(limit))
	}
	return v
}

// put sets a parameter that is not empty.
func put(v url.Values, name, value string) {
	if value != "" {
		v.Set(name, value)
	}
}

const v1 = "/api/v1"

// AddDelivery takes in a file as a stream.
func (c *Client) AddDelivery(ctx context.Context, name string, r io.Reader) (d api.Delivery, err error) {
	return d, c.call(ctx, http.MethodPost, v1+"/deliveries?name="+url.QueryEscape(name), r, "application/octet-stream",
		&d)
}

// Deliveries lists deliveries, newest first: those with a text in their name or note and
// in a state, "" for any.
func (c *Client) Deliveries(ctx context.Context, find, state string, offset, limit int) (p api.Page[api.Delivery],
	err error) {
	v := page(offset, limit)
	put(v, "find", find)
	put(v, "state", state)
	return p, c.get(ctx, v1+"/deliveries?"+v.Encode(), &p)
}

// Describe gives a delivery another name or note, and returns it as it is then.
func (c *Client) Describe(ctx context.Context, id string, w api.NewWords) (d api.Delivery, err error) {
	return d, c.send(ctx, http.MethodPatch, v1+"/deliveries/"+url.PathEscape(id), w, &d)
}

// DeleteDelivery deletes a delivery with all that belongs to it.
func (c *Client) DeleteDelivery(ctx context.Context, id string) error {
	resp, err := c.do(ctx, http.MethodDelete, v1+"/deliveries/"+url.PathEscape(id), nil, "")
	if err != nil {
		return err
	}
	return resp.Body.Close()
}

// Deletions lists deliveries that were deleted, the last first.
func (c *Client) Deletions(ctx context.Context, offset, limit int) (p api.Page[api.Deletion], err error) {
	return p, c.get(ctx, v1+"/deletions?"+page(offset, limit).Encode(), &p)
}

// Delivery returns one delivery.
func (c *Client) Delivery(ctx context.Context, id string) (d api.Delivery, err error) {
	return d, c.get(ctx, v1+"/deliveries/"+url.PathEscape(id), &d)
}

// AddTarget adds a target, or a version of one, from YAML or JSON text.
func (c *Client) AddTarget(ctx context.Context, text []byte) (t api.Target, err error) {
	return t, c.call(ctx, http.MethodPost, v1+"/targets", bytes.NewReader(text), "application/yaml", &t)
}

// DraftFromTable draws a target from a table of a database, without adding it.
func (c *Client) DraftFromTable(ctx context.Context, ask api.AskTable) (d api.TargetDraft, err error) {
	return d, c.send(ctx, http.MethodPost, v1+"/targets/from-table", ask, &d)
}

// Shelf narrows a list of texts down.
type Shelf struct {
	Find    string // only those with this text in their name or title
	Retired bool   // those that are retired, too
}

func (s Shelf) put(v url.Values) string {
	put(v, "find", s.Find)
	if s.Retired {
		v.Set("retired", "true")
	}
	return v.Encode()
}

// Targets lists targets by name.
func (c *Client) Targets(ctx context.Context, of Shelf, offset, limit int) (p api.Page[api.Target], err error) {
	return p, c.get(ctx, v1+"/targets?"+of.put(page(offset, limit)), &p)
}

// Target returns a version of a target with its text, the newest for version 0.
func (c *Client) Target(ctx context.Context, name string, version int) (t api.Target, err error) {
	return t, c.get(ctx, versionPath("targets", name, version), &t)
}

// AddMapping adds a mapping, or a version of one, from YAML or JSON text.
func (c *Client) AddMapping(ctx context.Context, text []byte) (m api.Mapping, err error) {
	return m, c.call(ctx, http.MethodPost, v1+"/mappings", bytes.NewReader(text), "application/yaml", &m)
}

// Mappings lists mappings by name: those for one target, or all for "".
func (c *Client) Mappings(ctx context.Context, target string, of Shelf, offset, limit int) (p api.Page[api.Mapping],
	err error) {
	v := page(offset, limit)
	put(v, "target", target)
	return p, c.get(ctx, v1+"/mappings?"+of.put(v), &p)
}

// Mapping returns a version of a mapping with its text, the newest for version 0.
func (c *Client) Mapping(ctx context.Context, name string, version int) (m api.Mapping, err error) {
	return m, c.get(ctx, versionPath("mappings", name, version), &m)
}

// AddCodes adds a code list, or a version of one, from its text.
func (c *Client) AddCodes(ctx context.Context, name, title string, text []byte) (t api.Target, err error) {
	v := url.Values{"name": {name}}
	put(v, "title", title)
	return t, c.call(ctx, http.MethodPost, v1+"/codes?"+v.Encode(), bytes.NewReader(text), "text/csv", &t)
}

// CodeLists lists code lists by name.
func (c *Client) CodeLists(ctx context.Context, of Shelf, offset, limit int) (p api.Page[api.Target], err error) {
	return p, c.get(ctx, v1+"/codes?"+of.put(page(offset, limit)), &p)
}

// Codes returns a version of a code list with its text, the newest for version 0.
func (c *Client) Codes(ctx context.Context, name string, version int) (t api.Target, err error) {
	return t, c.get(ctx, versionPath("codes", name, version), &t)
}

// Remedies lists the remedies that columns can declare.
func (c *Client) Remedies(ctx context.Context) (page api.Page[remedy.Help], err error) {
	return page, c.get(ctx, v1+"/remedies", &page)
}

// Vocabulary returns what can be wrong, and what becomes of it, in words.
func (c *Client) Vocabulary(ctx context.Context) (v api.Vocabulary, err error) {
	return v, c.get(ctx, v1+"/violations", &v)
}

// versionPath returns the address of a version of a text, of the newest for version 0.
func versionPath(library, name string, version int) string {
	path := v1 + "/" + library + "/" + url.PathEscape(name)
	if version > 0 {
		path += "/versions/" + strconv.Itoa(version)
	}
	return path
}

// StartRun sifts a delivery.
func (c *Client) StartRun(ctx context.Context, r api.NewRun) (run api.Run, err error) {
	return run, c.send(ctx, http.MethodPost, v1+"/runs", r, &run)
}

// Runs lists runs, newest first: of one delivery, or all for "".
func (c *Client) Runs(ctx context.Context, delivery string, offset, limit int) (p api.Page[api.RunHead], err error) {
	v := page(offset, limit)
	put(v, "delivery", delivery)
	return p, c.get(ctx, v1+"/runs?"+v.Encode(), &p)
}

// Run returns one run.
func (c *Client) Run(ctx context.Context, id string) (r api.Run, err error) {
	return r, c.get(ctx, v1+"/runs/"+url.PathEscape(id), &r)
}

// Follow waits for the end of a run and calls each, which may be nil, with
// the run whenever it has changed.
func (c *Client) Follow(ctx context.Context, id string, each func(api.Run)) (r api.Run, err error) {
	resp, err := c.do(ctx, http.MethodGet, v1+"/runs/"+url.PathEscape(id)+"/events", nil, "")
	if err != nil {
		return r, err
	}
	reason, err := follow(ctx, resp.Body, func(data []byte) error {
		r = api.Run{}
		if err := json.Unmarshal(data, &r); err != nil {
			return err
		}
		if each != nil {
			each(r)
		}
		return nil
	})
	if err == nil && r.FinishedAt == nil {
		err = fmt.Errorf("the run could not be followed to its end: %s; see sieb runs show %s", reason, id)
	}
	return r, err
}

// follow reads events to the end of a stream, and hands each document on. It returns why the stream
// has ended, as far as that was said.
func follow(ctx context.Context, stream io.ReadCloser, each func(data []byte) error) (reason string, err error) {
	defer stream.Close()
	events := bufio.NewReader(stream)
	event, reason := "", "the service closed the connection"
	for {
		line, err := events.ReadBytes('\n')
		if name, has := bytes.CutPrefix(line, []byte("event: ")); has {
			event = string(bytes.TrimSpace(name))
		}
		if data, has := bytes.CutPrefix(line, []byte("data: ")); has && event == "ended" {
			var end api.StreamEnd
			if json.Unmarshal(data, &end) == nil && end.Reason != "" {
				reason = end.Reason
			}
		} else if has {
			if err := each(data); err != nil {
				return reason, err
			}
		}
		switch {
		case errors.Is(err, io.EOF):
			return reason, nil
		case err != nil && ctx.Err() != nil:
			return reason, ctx.Err()
		case err != nil:
			return reason, nil
		}
	}
}

// CancelRun stops a run.
func (c *Client) CancelRun(ctx context.Context, id string) (r api.Run, err error) {
	return r, c.call(ctx, http.MethodPost, v1+"/runs/"+url.PathEscape(id)+"/cancel", nil, "", &r)
}

// Rejects returns a page of a run's rejected rows; column and code narrow it down.
func (c *Client) Rejects(ctx context.Context, id, column, code string, offset, limit int) (p api.Rejects, err error) {
	v := page(offset, limit)
	put(v, "column", column)
	put(v, "code", code)
	return p, c.get(ctx, v1+"/runs/"+url.PathEscape(id)+"/rejects?"+v.Encode(), &p)
}

// RunRows returns rows of a run's outcome.
func (c *Client) RunRows(ctx context.Context, id string, ask result.Ask) (p result.RowsFound, err error) {
	v := sideOf(ask)
	v["sort"], v["columns"] = ask.Sort, ask.Columns
	v.Set("limit", strconv.Itoa(ask.Limit))
	v.Set("offset", strconv.Itoa(ask.Offset))
	v.Set("last", strconv.FormatBool(ask.Last))
	return p, c.get(ctx, v1+"/runs/"+url.PathEscape(id)+"/rows?"+v.Encode(), &p)
}

// RunValues returns how often the values of a column occur in the rows of a run's outcome that pass the conditions, the
// most frequent first.
func (c *Client) RunValues(ctx context.Context, id, column string, ask result.Ask) (p result.ValuesFound, err error) {
	v := sideOf(ask)
	v.Set("column", column)
	v.Set("limit", strconv.Itoa(ask.Limit))
	return p, c.get(ctx, v1+"/runs/"+url.PathEscape(id)+"/values?"+v.Encode(), &p)
}

// RehearseOutcome makes the rows of a draft's outcome; its identifier stands for a run's where rows are asked for.
func (c *Client) RehearseOutcome(ctx context.Context, delivery string, ask api.AskRehearsal) (r api.Run, err error) {
	return r, c.send(ctx, http.MethodPost, ofDelivery(delivery, "/rehearsals/outcome"), ask, &r)
}

// CompareRows returns how many rows of an outcome differ from those of an earlier one. Accepted rows of another
// delivery are found again by some columns; none stands for the target's key.
func (c *Client) CompareRows(ctx context.Context, id, with string, by []string) (out result.Compared, err error) {
	v := url.Values{"with": {with}, "by": by}
	return out, c.get(ctx, v1+"/runs/"+url.PathEscape(id)+"/rows/compared?"+v.Encode(), &out)
}

// RunPlaceOfLine returns where the row ended in a run that stands at a line of the delivery, or last in front of it.
func (c *Client) RunPlaceOfLine(ctx context.Context, id string, line int64) (p result.Ended, err error) {
	return p, c.get(ctx, fmt.Sprintf("%s/runs/%s/lines/%d/place", v1, url.PathEscape(id), line), &p)
}

// RunPlace returns where a row of the delivery ended in a run.
func (c *Client) RunPlace(ctx context.Context, id string, row int64) (p result.Ended, err error) {
	return p, c.get(ctx, v1+"/runs/"+url.PathEscape(id)+"/rows/"+strconv.FormatInt(row, 10)+"/place", &p)
}

// RunBecame returns what the accepted rows of a run hold, column by column, beside what was delivered.
func (c *Client) RunBecame(ctx context.Context, id string) (e result.Became, err error) {
	return e, c.get(ctx, v1+"/runs/"+url.PathEscape(id)+"/became", &e)
}

// RunMarks returns what was changed in the cells of some rows of a run, and which of them break a rule.
func (c *Client) RunMarks(ctx context.Context, id string, rows []int64, columns []string) (m api.Marks, err error) {
	texts := make([]string, len(rows))
	for i, row := range rows {
		texts[i] = strconv.FormatInt(row, 10)
	}
	v := url.Values{"rows": texts, "columns": columns}
	return m, c.get(ctx, v1+"/runs/"+url.PathEscape(id)+"/marks?"+v.Encode(), &m)
}

func sideOf(ask result.Ask) url.Values {
	v := url.Values{"where": ask.Where, "by": ask.By}
	put(v, "side", ask.Side)
	put(v, "with", ask.Against)
	put(v, "kind", ask.Kind)
	put(v, "differs", ask.Differs)
	return v
}

// Violations returns a page of a run's violations one by one; column and code narrow it
// down.
func (c *Client) Violations(ctx context.Context, id, column, code string, offset, limit int) (p api.Violations,
	err error) {
	v := page(offset, limit)
	put(v, "column", column)
	put(v, "code", code)
	return p, c.get(ctx, v1+"/runs/"+url.PathEscape(id)+"/violations?"+v.Encode(), &p)
}

// ExplainRow says what a run made of one row of its delivery.
func (c *Client) ExplainRow(ctx context.Context, id string, row int64) (e check.Explanation, err error) {
	return e, c.get(ctx, v1+"/runs/"+url.PathEscape(id)+"/rows/"+strconv.FormatInt(row, 10), &e)
}

// Output opens a file that a run wrote.
func (c *Client) Output(ctx context.Context, id, name string) (io.ReadCloser, error) {
	return c.open(ctx, v1+"/runs/"+url.PathEscape(id)+"/outputs/"+url.PathEscape(name))
}

// WrittenRows opens rows of a run's outcome, those that pass, written as settings say.
func (c *Client) WrittenRows(ctx context.Context, id string, of result.Ask, as outcome.Settings) (io.ReadCloser,
	error) {
	ask := sideOf(of)
	ask.Set("form", as.Form)
	ask["columns"] = of.Columns
	for name, text := range map[string]string{"header": string(as.Header), "codes": string(as.Codes),
		"delimiter": as.Delimiter, "encoding": as.Encoding, "quoting": as.Quoting, "lineTerminator": as.LineTerminator} {
		if text != "" {
			ask.Set(name, text)
		}
	}
	if as.ByteOrderMark {
		ask.Set("byteOrderMark", "true")
	}
	return c.open(ctx, v1+"/runs/"+url.PathEscape(id)+"/rows/written?"+ask.Encode())
}

// Forms returns the forms in which accepted rows can be written.
func (c *Client) Forms(ctx context.Context) (out api.Forms, err error) {
	return out, c.get(ctx, v1+"/forms", &out)
}

// Content opens the bytes of a delivery.
func (c *Client) Content(ctx context.Context, id string) (io.ReadCloser, error) {
	return c.open(ctx, v1+"/deliveries/"+url.PathEscape(id)+"/content")
}

func (c *Client) open(ctx context.Context, path string) (io.ReadCloser, error) {
	resp, err := c.do(ctx, http.MethodGet, path, nil, "")
	if err != nil {
		return nil, err
	}
	return resp.Body, nil
}

// Drafts returns the work on a delivery that is not saved yet.
func (c *Client) Drafts(ctx context.Context, id string) (d api.Drafts, err error) {
	return d, c.get(ctx, ofDelivery(id, "/drafts"), &d)
}

// KeepLayoutDraft keeps settings that are not saved yet.
func (c *Client) KeepLayoutDraft(ctx context.Context, id string, d api.LayoutDraft) (kept api.LayoutDraft, err error) {
	return kept, c.send(ctx, http.MethodPut, ofDelivery(id, "/drafts/layout"), d, &kept)
}

// CompareRuns tells how a run differs from an earlier one: "" stands for that of the delivery of the same kind that
// arrived before.
func (c *Client) CompareRuns(ctx context.Context, id, with string) (out api.Comparison, err error) {
	v := url.Values{}
	put(v, "with", with)
	return out, c.get(ctx, v1+"/runs/"+url.PathEscape(id)+"/comparison?"+v.Encode(), &out)
}

package client

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"net/http"

	"sieb/core/suggest"
	"sieb/service/api"
)

// Rules returns the draft of rules by which a delivery is worked on.
func (c *Client) Rules(ctx context.Context, id string) (r api.Rules, err error) {
	return r, c.get(ctx, ofDelivery(id, "/rules"), &r)
}

// BeginRules begins a draft of rules, in the place of the one before.
func (c *Client) BeginRules(ctx context.Context, id string, n api.NewRules) (r api.Rules, err error) {
	return r, c.send(ctx, http.MethodPut, ofDelivery(id, "/rules"), n, &r)
}

// ChangeRules changes a draft of rules.
func (c *Client) ChangeRules(ctx context.Context, id string, n api.NewShift) (r api.Rules, err error) {
	return r, c.send(ctx, http.MethodPost, ofDelivery(id, "/rules/changes"), n, &r)
}

// UndoRules takes the last change of a draft back, unless it is somebody else's.
func (c *Client) UndoRules(ctx context.Context, id string, how api.TakeBack) (r api.Rules, err error) {
	return r, c.send(ctx, http.MethodPost, ofDelivery(id, "/rules/undo"), how, &r)
}

// RedoRules makes the change again that was taken back last.
func (c *Client) RedoRules(ctx context.Context, id string, how api.TakeBack) (r api.Rules, err error) {
	return r, c.send(ctx, http.MethodPost, ofDelivery(id, "/rules/redo"), how, &r)
}

// RebaseRules puts the changes of a draft on the newest versions of its target and mapping.
func (c *Client) RebaseRules(ctx context.Context, id string) (r api.Rules, err error) {
	return r, c.call(ctx, http.MethodPost, ofDelivery(id, "/rules/rebase"), nil, "", &r)
}

// SaveRules saves a draft as versions of its target and its mapping.
func (c *Client) SaveRules(ctx context.Context, id string, n api.SaveRules) (r api.Rules, err error) {
	return r, c.send(ctx, http.MethodPost, ofDelivery(id, "/rules/save"), n, &r)
}

// DropRules throws a draft of rules away.
func (c *Client) DropRules(ctx context.Context, id string) error {
	return c.call(ctx, http.MethodDelete, ofDelivery(id, "/rules"), nil, "", nil)
}

// Matches returns the targets and mappings that the header of a delivery fits, the best first.
func (c *Client) Matches(ctx context.Context, id string) (m api.Matches, err error) {
	return m, c.get(ctx, ofDelivery(id, "/matches"), &m)
}

// Rehearse tries a target on a delivery, and calls each, which may be nil, with what is known so
// far. It returns what is known of all rows.
func (c *Client) Rehearse(ctx context.Context, id string, ask api.AskRehearsal, each func(api.Rehearsal)) (
	r api.Rehearsal, err error) {
	err = c.stream(ctx, ofDelivery(id, "/rehearsals"), ask, func(data []byte) (bool, error) {
		r = api.Rehearsal{}
		err := json.Unmarshal(data, &r)
		if err == nil && each != nil {
			each(r)
		}
		return r.Whole, err
	})
	return r, err
}

// Suggest looks for changes that would mend violations of a delivery, and calls each, which may be nil, with
// those that were tried so far. It returns all of them.
func (c *Client) Suggest(ctx context.Context, id string, ask api.AskSuggestions, each func(api.Suggestions)) (
	s api.Suggestions, err error) {
	err = c.stream(ctx, ofDelivery(id, "/rehearsals/suggestions"), ask, func(data []byte) (bool, error) {
		s = api.Suggestions{}
		err := json.Unmarshal(data, &s)
		if err == nil && each != nil {
			each(s)
		}
		return s.Done, err
	})
	return s, err
}

// stream asks for events, and hands each document on. One of them must say that it is the last one.
func (c *Client) stream(ctx context.Context, path string, ask any,
	each func(data []byte) (isLast bool, err error)) error {
	body, err := json.Marshal(ask)
	if err != nil {
		return err
	}
	resp, err := c.do(ctx, http.MethodPost, path, bytes.NewReader(body), "application/json")
	if err != nil {
		return err
	}
	isWhole := false
	reason, err := follow(ctx, resp.Body, func(data []byte) (err error) {
		isWhole, err = each(data)
		return err
	})
	if err == nil && !isWhole {
		err = errors.New(reason)
	}
	return err
}

// RehearsalValues returns the values that break rules of a column, those that reject rows first.
func (c *Client) RehearsalValues(ctx context.Context, id string, ask api.AskValues) (p api.WrongValues, err error) {
	return p, c.send(ctx, http.MethodPost, ofDelivery(id, "/rehearsals/values"), ask, &p)
}

// RehearsalSpellings returns the texts of a column that are likely one, written in different ways.
func (c *Client) RehearsalSpellings(ctx context.Context, id string, ask api.AskSpellings) (s suggest.Spellings,
	err error) {
	return s, c.send(ctx, http.MethodPost, ofDelivery(id, "/rehearsals/spellings"), ask, &s)
}

// RehearsalRows returns rows as delivered, as cleaned and as typed.
func (c *Client) RehearsalRows(ctx context.Context, id string, ask api.AskMade) (r api.MadeRows, err error) {
	return r, c.send(ctx, http.MethodPost, ofDelivery(id, "/rehearsals/rows"), ask, &r)
}

package client

import (
	"context"
	"net/http"
	"net/url"

	"sieb/core/layout"
	"sieb/service/api"
	"sieb/service/reading"
)

func ofDelivery(id, rest string) string { return v1 + "/deliveries/" + url.PathEscape(id) + rest }

// Read tells how settings read a delivery; nil stands for those saved with it.
func (c *Client) Read(ctx context.Context, id string, given *layout.Given) (r api.Reading, err error) {
	return r, c.send(ctx, http.MethodPost, ofDelivery(id, "/reading"), api.AskReading{Layout: given}, &r)
}

// Rows returns rows of a delivery as settings read them.
func (c *Client) Rows(ctx context.Context, id string, ask api.AskRows) (w reading.Window, err error) {
	return w, c.send(ctx, http.MethodPost, ofDelivery(id, "/reading/rows"), ask, &w)
}

// Problems tells what is wrong with the rows as settings read them.
func (c *Client) Problems(ctx context.Context, id string, given *layout.Given) (p reading.Problems, err error) {
	return p, c.send(ctx, http.MethodPost, ofDelivery(id, "/reading/problems"), api.AskReading{Layout: given}, &p)
}

// SaveLayout keeps settings with a delivery.
func (c *Client) SaveLayout(ctx context.Context, id string, given layout.Given) (d api.Delivery, err error) {
	return d, c.send(ctx, http.MethodPut, ofDelivery(id, "/layout"), given, &d)
}

// ForgetLayout takes the kept settings away.
func (c *Client) ForgetLayout(ctx context.Context, id string) (d api.Delivery, err error) {
	return d, c.call(ctx, http.MethodDelete, ofDelivery(id, "/layout"), nil, "", &d)
}

// Layouts lists the settings kept with deliveries, the last saved first.
func (c *Client) Layouts(ctx context.Context, offset, limit int) (p api.Page[api.SavedLayout], err error) {
	return p, c.get(ctx, v1+"/layouts?"+page(offset, limit).Encode(), &p)
}

// TakeMembers makes a delivery of each file in a ZIP archive.
func (c *Client) TakeMembers(ctx context.Context, id string) (p api.Page[api.Delivery], err error) {
	return p, c.call(ctx, http.MethodPost, ofDelivery(id, "/members"), nil, "", &p)
}

package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	"sieb/core/edit"
	"sieb/service/api"
)

// Library is a kind of texts that are kept in versions.
type Library string

// The libraries.
const (
	Targets  Library = "targets"
	Mappings Library = "mappings"
	Codes    Library = "codes"
)

func (l Library) of(name, rest string) string {
	return v1 + "/" + string(l) + "/" + url.PathEscape(name) + rest
}

// Versions lists the versions of a text, the newest first.
func (c *Client) Versions(ctx context.Context, l Library, name string, offset, limit int) (p api.Page[api.TextVersion],
	err error) {
	return p, c.get(ctx, l.of(name, "/versions?"+page(offset, limit).Encode()), &p)
}

// Differences tells how two versions of a text differ.
func (c *Client) Differences(ctx context.Context, l Library, name string, from, to int) (p api.Page[edit.Difference],
	err error) {
	v := url.Values{"from": {strconv.Itoa(from)}, "to": {strconv.Itoa(to)}}
	return p, c.get(ctx, l.of(name, "/differences?"+v.Encode()), &p)
}

// Uses lists the deliveries that were sifted by a text, the last one first.
func (c *Client) Uses(ctx context.Context, l Library, name string, offset, limit int) (p api.Page[api.TextUse],
	err error) {
	return p, c.get(ctx, l.of(name, "/uses?"+page(offset, limit).Encode()), &p)
}

// Retire takes a text out of lists, or puts it back.
func (c *Client) Retire(ctx context.Context, l Library, name string, retired bool) error {
	var out api.Retirement
	return c.send(ctx, http.MethodPut, l.of(name, "/retired"), api.Retirement{Retired: retired}, &out)
}

// Copy makes a copy of a text under another name.
func (c *Client) Copy(ctx context.Context, l Library, name string, to api.NewName) (t api.Target, err error) {
	return t, c.send(ctx, http.MethodPost, l.of(name, "/copy"), to, &t)
}

// Rename lets a copy take the place of a text, which is retired.
func (c *Client) Rename(ctx context.Context, l Library, name string, to api.NewName) (t api.Target, err error) {
	return t, c.send(ctx, http.MethodPost, l.of(name, "/rename"), to, &t)
}

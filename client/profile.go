package client

import (
	"context"
	"net/http"
	"net/url"
	"time"

	"sieb/service/api"
)

// StartProfile has the profile of a delivery made.
func (c *Client) StartProfile(ctx context.Context, id string, ask api.NewProfile) (p api.DeliveryProfile, err error) {
	return p, c.send(ctx, http.MethodPost, ofDelivery(id, "/profile"), ask, &p)
}

// Profile returns the newest profile of a delivery.
func (c *Client) Profile(ctx context.Context, id string) (p api.DeliveryProfile, err error) {
	return p, c.get(ctx, ofDelivery(id, "/profile"), &p)
}

// AwaitProfile waits until the newest profile of a delivery has come to its end.
func (c *Client) AwaitProfile(ctx context.Context, id string) (api.DeliveryProfile, error) {
	for {
		p, err := c.Profile(ctx, id)
		if err != nil || !api.IsUnderWay(p.State) {
			return p, err
		}
		select {
		case <-ctx.Done():
			return p, ctx.Err()
		case <-time.After(100 * time.Millisecond):
		}
	}
}

// CancelProfile stops the making of a profile.
func (c *Client) CancelProfile(ctx context.Context, id string) (p api.DeliveryProfile, err error) {
	return p, c.call(ctx, http.MethodPost, ofDelivery(id, "/profile/cancel"), nil, "", &p)
}

// LookAt notes which columns of a profile were looked at.
func (c *Client) LookAt(ctx context.Context, id string, columns []string) (p api.DeliveryProfile, err error) {
	return p, c.send(ctx, http.MethodPut, ofDelivery(id, "/profile/looked"), api.Looked{Columns: columns}, &p)
}

// Find returns the rows behind values of the newest profile of a delivery.
func (c *Client) Find(ctx context.Context, id string, ask api.AskFound) (f api.Found, err error) {
	return f, c.send(ctx, http.MethodPost, ofDelivery(id, "/profile/rows"), ask, &f)
}

// Draft drafts a target from the newest profile of a delivery.
func (c *Client) Draft(ctx context.Context, id, name string) (d api.TargetDraft, err error) {
	return d, c.get(ctx, ofDelivery(id, "/draft?name="+url.QueryEscape(name)), &d)
}

// DraftMapping drafts the mapping of a delivery to a target, without adding it; a name of ""
// is made of the delivery's.
func (c *Client) DraftMapping(ctx context.Context, id, target, name string) (d api.MappingDraft, err error) {
	v := url.Values{"target": {target}}
	put(v, "name", name)
	return d, c.get(ctx, v1+"/deliveries/"+url.PathEscape(id)+"/mapping?"+v.Encode(), &d)
}

package routes

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"path"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/fault"
	"sieb/core/source"
	"sieb/service/api"
	"sieb/service/jobs"
	"sieb/service/staging"
	"sieb/service/store"
)

func (s *Server) deliveryRoutes(to huma.API) {
	octets := &huma.RequestBody{Required: true, Description: "the file's bytes as they are",
		Content: map[string]*huma.MediaType{"application/octet-stream": {Schema: &huma.Schema{Type: "string",
			Format: "binary"}}}}
	add := op("addDelivery", http.MethodPost, "/deliveries", "Receives a file", "deliveries", 400, 408, 413, 415, 503,
		507)
	add.RequestBody, add.DefaultStatus = octets, http.StatusCreated
	huma.Register(to, add, s.addDelivery)
	huma.Register(to, op("listDeliveries", http.MethodGet, "/deliveries", "Deliveries, newest first", "deliveries",
		422), s.listDeliveries)
	huma.Register(to, op("showDelivery", http.MethodGet, "/deliveries/{id}", "One delivery", "deliveries", 404),
		s.showDelivery)
	huma.Register(to, file(op("deliveryContent", http.MethodGet, "/deliveries/{id}/content", "The bytes of a delivery",
		"deliveries", 404)), s.deliveryContent)
	huma.Register(to, op("describeDelivery", http.MethodPatch, "/deliveries/{id}",
		"Gives a delivery another name, or a note", "deliveries", 404, 422), s.describeDelivery)
	gone := op("deleteDelivery", http.MethodDelete, "/deliveries/{id}",
		"Deletes a delivery with its runs, profiles and drafts; work under way is cancelled first", "deliveries", 404,
		409)
	gone.DefaultStatus = http.StatusNoContent
	huma.Register(to, gone, s.deleteDelivery)
	huma.Register(to, op("listDeletions", http.MethodGet, "/deletions", "Deliveries that were deleted, the last first",
		"deliveries"), s.listDeletions)

	huma.Register(to, op("showDrafts", http.MethodGet, "/deliveries/{id}/drafts",
		"Work on a delivery that is not saved yet", "drafts", 404), s.showDrafts)
	huma.Register(to, op("keepLayoutDraft", http.MethodPut, "/deliveries/{id}/drafts/layout",
		"Keeps settings that are not saved yet", "drafts", 404, 412, 422), s.keepLayoutDraft)
	drop := op("dropLayoutDraft", http.MethodDelete, "/deliveries/{id}/drafts/layout",
		"Throws away settings that are not saved yet", "drafts", 404, 412)
	drop.DefaultStatus = http.StatusNoContent
	huma.Register(to, drop, s.dropLayoutDraft)
}

// upload hands the body on as a stream: a delivery may be larger than memory.
type upload struct {
	Name   string `query:"name" required:"true" doc:"the file's name"`
	body   io.Reader
	length string
}

// Resolve takes the body, unless it is an envelope around a file's bytes: that would
// be kept as if it were rows.
func (u *upload) Resolve(ctx huma.Context) []error {
	u.body, u.length = ctx.BodyReader(), ctx.Header("Content-Length")
	const how = "send the file's bytes as they are, with Content-Type: application/octet-stream"
	kind, _, _ := mime.ParseMediaType(ctx.Header("Content-Type"))
	if strings.HasPrefix(kind, "multipart/") || kind == "application/x-www-form-urlencoded" {
		return []error{huma.Error415UnsupportedMediaType("the body is a form (" + kind + "); " + how)}
	}
	if coding := ctx.Header("Content-Encoding"); coding != "" && !strings.EqualFold(coding, "identity") {
		return []error{huma.Error415UnsupportedMediaType(
			fmt.Sprintf("the body is encoded (Content-Encoding: %s); %s. A packed file (gzip, zstd, ZIP) is one too",
				coding, how))}
	}
	return nil
}

func (s *Server) addDelivery(ctx context.Context, in *upload) (*created[api.Delivery], error) {
	if err := staging.CheckName(in.Name); err != nil {
		return nil, huma.Error400BadRequest(err.Error())
	}
	// Where it could not be recorded, it need not be sent.
	if err := s.Store.Ping(ctx); err != nil && ctx.Err() == nil {
		return nil, s.failure("recording a delivery", err)
	}
	taken, err := s.Area.Take(ctx, in.body, s.Guard.MaxUpload)
	var large *staging.TooLarge
	var disk *fault.Disk
	switch {
	case errors.As(err, &large):
		return nil, huma.NewError(http.StatusRequestEntityTooLarge, large.Error())
	case errors.As(err, &disk):
		return nil, s.failure("storing a delivery", err)
	case errors.Is(err, errSlow):
		return nil, huma.NewError(http.StatusRequestTimeout,
			fmt.Sprintf("the file came at less than %d bytes a second, or nothing came for %s; nothing of it was kept",
				minRate, s.Guard.BodyWait))
	case err != nil && (ctx.Err() != nil || errors.Is(err, errBroken)):
		return nil, huma.Error400BadRequest("the file did not arrive whole; nothing of it was kept")
	case err != nil:
		return nil, s.failure("storing a delivery", err)
	}
	d, _, err := s.Store.AddDelivery(ctx, store.Arrival{Name: in.Name, Bytes: taken.Bytes, SHA256: taken.SHA256,
		Refusal: jobs.Refusal(ctx, s.Area, taken.SHA256)})
	s.Area.LetGo(taken, err == nil || !store.WasNotSent(err))
	if err != nil {
		return nil, s.failure("recording a delivery", err)
	}
	s.Log.Info("delivery arrived", "delivery", d.ID, "name", d.Name, "bytes", d.Bytes)
	return &created[api.Delivery]{http.StatusCreated, "/api/v1/deliveries/" + d.ID, deliveryOf(d)}, nil
}

func (s *Server) listDeliveries(ctx context.Context, in *struct {
	Paging
	Find  string `query:"find" maxLength:"200" doc:"only those with this text in their name or note, whatever the letter case"`
	State string `query:"state" enum:"arrived,waiting,running,accepted,split,refused,failed,cancelled" doc:"only those in this state"`
}) (*answer[api.Page[api.Delivery]], error) {
	found, total, err := s.Store.Deliveries(ctx, store.Wanted{Text: in.Find, State: in.State}, in.Offset, in.Limit)
	if err != nil {
		return nil, s.failure("listing deliveries", err)
	}
	return pageOf(found, total, deliveryOf), nil
}

func (s *Server) delivery(ctx context.Context, id string) (store.Delivery, error) {
	d, err := s.Store.Delivery(ctx, id)
	if errors.Is(err, store.ErrNone) {
		return d, huma.Error404NotFound(fmt.Sprintf("there is no delivery %q", id))
	} else if err != nil {
		return d, s.failure("looking for a delivery", err)
	}
	return d, nil
}

// isTable refuses work on a file that is no table.
func (s *Server) isTable(d store.Delivery) error {
	if !d.Refusal.Valid {
		return nil
	}
	return huma.Error422UnprocessableEntity(d.Name + ": " + d.Refusal.String)
}

func (s *Server) showDelivery(ctx context.Context, in *byID) (*answer[api.Delivery], error) {
	d, err := s.delivery(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	return &answer[api.Delivery]{deliveryOf(d)}, nil
}

func (s *Server) deliveryContent(ctx context.Context, in *byID) (*huma.StreamResponse, error) {
	d, err := s.delivery(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	return s.sendFile(s.Area.Path(d.SHA256), d.Name, "application/octet-stream",
		source.Content{SHA256: d.SHA256, Bytes: d.Bytes})
}

func (s *Server) describeDelivery(ctx context.Context, in *struct {
	ID   string `path:"id"`
	Body api.NewWords
}) (*answer[api.Delivery], error) {
	if in.Body.Name != nil {
		if err := staging.CheckName(*in.Body.Name); err != nil {
			return nil, huma.Error422UnprocessableEntity(err.Error())
		}
	}
	if err := s.Store.Describe(ctx, in.ID, in.Body.Name, in.Body.Note); err != nil && !errors.Is(err, store.ErrNone) {
		return nil, s.failure("describing a delivery", err)
	}
	return s.showDelivery(ctx, &byID{in.ID})
}

// deleteTries is how often a delivery is looked at for work that was ordered meanwhile.
const deleteTries = 5

func (s *Server) deleteDelivery(ctx context.Context, in *byID) (*struct{}, error) {
	for range deleteTries {
		under, err := s.Store.UnderWay(ctx, in.ID)
		if err != nil {
			return nil, s.failure("deleting a delivery", err)
		}
		for _, o := range under {
			if _, err := s.Queue.Cancel(ctx, o.Work, o.ID, o.JobID); err != nil {
				return nil, s.failure("cancelling work", err)
			}
		}
		d, runs, err := s.Store.Delete(ctx, in.ID)
		switch {
		case errors.Is(err, store.ErrBusy):
			continue
		case errors.Is(err, store.ErrNone):
			return nil, huma.Error404NotFound(fmt.Sprintf("there is no delivery %q", in.ID))
		case err != nil:
			return nil, s.failure("deleting a delivery", err)
		}
		s.rehearsed.Drop(func(o shown) bool { return o.delivery.ID == d.ID })
		// The records are gone: what cannot be removed now is swept at the next start.
		known := func(sum string) (bool, error) {
			all, err := s.Store.Known(ctx, []string{sum})
			return len(all) > 0, err
		}
		if err := s.Area.Remove(d.SHA256, runs, known); err != nil {
			s.Log.Warn("files of a deleted delivery stay for now", "delivery", d.ID, "error", err)
		}
		s.Log.Info("delivery deleted", "delivery", d.ID, "name", d.Name, "runs", len(runs))
		return &struct{}{}, nil
	}
	return nil, huma.Error409Conflict("new work for the delivery is ordered again and again; ask again once that " +
		"has ended")
}

func (s *Server) listDeletions(ctx context.Context, in *Paging) (*answer[api.Page[api.Deletion]], error) {
	found, total, err := s.Store.Deletions(ctx, in.Offset, in.Limit)
	if err != nil {
		return nil, s.failure("listing deletions", err)
	}
	return pageOf(found, total, func(d store.Deletion) api.Deletion {
		return api.Deletion{ID: d.ID, Name: d.Name, Bytes: d.Bytes, SHA256: d.SHA256, ArrivedAt: d.ArrivedAt.UTC(),
			DeletedAt: d.DeletedAt.UTC()}
	}), nil
}

// maxSteps is how many settings before the present ones a draft keeps.
const maxSteps = 200

// LayoutKept is a draft of a layout with its state.
type LayoutKept struct {
	ETag string `header:"ETag"`
	Body api.LayoutDraft
}

func (s *Server) showDrafts(ctx context.Context, in *byID) (*answer[api.Drafts], error) {
	if _, err := s.delivery(ctx, in.ID); err != nil {
		return nil, err
	}
	all, err := s.Store.Drafts(ctx, in.ID)
	if err != nil {
		return nil, s.failure("looking for drafts", err)
	}
	out := api.Drafts{}
	for _, d := range all {
		switch d.Kind {
		case store.LayoutDraft:
			out.Layout = &api.LayoutDraft{}
			err = json.Unmarshal(d.Content, out.Layout)
			out.Layout.ChangedAt, out.Layout.State = d.ChangedAt.UTC(), stateOf(d.Content)
		case store.RulesDraft:
			k := kept{at: d.ChangedAt.UTC()}
			err = json.Unmarshal(d.Content, &k)
			out.Rules = k.head()
			if err == nil {
				out.Rules.Newer, err = s.isNewer(ctx, &k)
			}
		}
		if err != nil {
			return nil, s.failure("reading a draft", err)
		}
	}
	return &answer[api.Drafts]{out}, nil
}

// isNewer reports whether a version of a draft's target or mapping was saved since it began.
func (s *Server) isNewer(ctx context.Context, k *kept) (bool, error) {
	newest, err := s.newer(ctx, store.Targets, k.Target.Name, k.Target.Version)
	if newest != nil || err != nil || k.Mapping == nil {
		return newest != nil, err
	}
	newest, err = s.newer(ctx, store.Mappings, k.Mapping.Name, k.Mapping.Version)
	return newest != nil, err
}

// keepDraft keeps a draft, and returns when.
func (s *Server) keepDraft(ctx context.Context, id string, kind store.Kind, draft any, met store.Met,
) (d store.Draft, err error) {
	text, err := json.Marshal(draft)
	if err != nil {
		return d, err
	}
	d, err = s.Store.KeepDraft(ctx, id, kind, text, met)
	d.ChangedAt = d.ChangedAt.UTC()
	if errors.Is(err, store.ErrNone) {
		return d, huma.Error404NotFound(fmt.Sprintf("there is no delivery %q", id))
	} else if err != nil {
		return d, s.failure("keeping a draft", err)
	}
	return d, nil
}

func (s *Server) keepLayoutDraft(ctx context.Context, in *struct {
	ID string `path:"id"`
	OfState
	Body api.LayoutDraft
}) (*LayoutKept, error) {
	draft := in.Body
	draft.Before = draft.Before[max(0, len(draft.Before)-maxSteps):]
	draft.ChangedAt, draft.State = time.Time{}, ""
	d, err := s.keepDraft(ctx, in.ID, store.LayoutDraft, draft, in.ofDraft())
	if err != nil {
		return nil, err
	}
	draft.ChangedAt, draft.State = d.ChangedAt, stateOf(d.Content)
	return &LayoutKept{`"` + draft.State + `"`, draft}, nil
}

func (s *Server) dropLayoutDraft(ctx context.Context, in *struct {
	ID string `path:"id"`
	OfState
}) (*struct{}, error) {
	return s.dropDraft(ctx, in.ID, store.LayoutDraft, in.ofDraft())
}

func (s *Server) dropDraft(ctx context.Context, id string, kind store.Kind, met store.Met) (*struct{}, error) {
	if _, err := s.Store.KeepDraft(ctx, id, kind, nil, met); errors.Is(err, store.ErrNone) {
		return nil, huma.Error404NotFound(fmt.Sprintf("there is no delivery %q", id))
	} else if err != nil {
		return nil, s.failure("throwing a draft away", err)
	}
	return &struct{}{}, nil
}

// stem returns a delivery's name without the endings that tell its form, to be put
// before the names of what was made of it.
func stem(name string) string {
	for {
		end := path.Ext(name)
		switch strings.ToLower(end) {
		case ".csv", ".tsv", ".tab", ".txt", ".dat", ".prn", ".xlsx", ".xls", ".xlsm", ".ods", ".gz", ".zip", ".zst":
			if name = strings.TrimSuffix(name, end); name == "" {
				return "delivery"
			}
		default:
			return name
		}
	}
}

package routes

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"sieb/service/api"
	"sieb/service/doors"
)

// events is an answer that goes on: server-sent events.
type events struct {
	ctx    context.Context // of the request
	isHead bool            // only the header is asked for
	w      io.Writer
	send   *http.ResponseController
	quiet  time.Time // since nothing was sent
}

func startEvents(hctx huma.Context) *events {
	r, w := humachi.Unwrap(hctx)
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	send := http.NewResponseController(w)
	_ = send.SetWriteDeadline(time.Time{})
	return &events{r.Context(), r.Method == http.MethodHead, w, send, time.Now()}
}

// text sends an event whose document is at hand as JSON.
func (e *events) text(name string, text []byte) error {
	e.quiet = time.Now()
	if _, err := fmt.Fprintf(e.w, "event: %s\ndata: %s\n\n", name, text); err != nil {
		return err
	}
	return e.send.Flush()
}

// event sends an event.
func (e *events) event(name string, document any) error {
	text, err := json.Marshal(document)
	if err != nil {
		return err
	}
	return e.text(name, text)
}

// still keeps a stream alive on which nothing has happened for a while.
func (e *events) still() error {
	if time.Since(e.quiet) < 15*time.Second {
		return nil
	}
	e.quiet = time.Now()
	if _, err := io.WriteString(e.w, ": still there\n\n"); err != nil {
		return err
	}
	return e.send.Flush()
}

// ended says why a stream ends before what it follows.
func (e *events) ended(reason string) { _ = e.event("ended", api.StreamEnd{Reason: reason}) }

// streaming describes a route that sends events, of which there are only so many at a time; schema
// is that of their documents.
func (s *Server) streaming(to huma.API, o huma.Operation, what string, schema *huma.Schema) huma.Operation {
	o.Responses = map[string]*huma.Response{"200": {Description: what,
		Content: map[string]*huma.MediaType{"text/event-stream": {Schema: schema}}}}
	o.Errors = append(o.Errors, http.StatusServiceUnavailable)
	o.Middlewares = append(o.Middlewares, func(ctx huma.Context, next func(huma.Context)) {
		address := doors.AddressOf(ctx.RemoteAddr())
		if !s.Streams.Take(address) {
			ctx.SetHeader("Retry-After", "5")
			_ = huma.WriteErr(to, ctx, http.StatusServiceUnavailable, "as many event streams are open as the service "+
				"keeps, or keeps for one address: close some, or ask again in a moment")
			return
		}
		defer s.Streams.Give(address)
		next(ctx)
	})
	return o
}

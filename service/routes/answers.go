package routes

import (
	"context"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"io"
	"io/fs"
	"mime"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"sieb/core/fault"
	"sieb/core/report"
	"sieb/core/source"
	"sieb/service/api"
	"sieb/service/store"
)

// failure logs an error that is the service's own, and keeps its text from the
// answer, unless it says what the asker can do.
func (s *Server) failure(doing string, err error) error {
	var disk *fault.Disk
	var damaged *source.Damaged
	var status huma.StatusError
	switch {
	case errors.As(err, &status):
		return err
	case store.IsGone(err):
		return huma.Error404NotFound("what this belongs to was deleted meanwhile")
	case store.IsBadValue(err):
		return huma.Error422UnprocessableEntity("the request holds a character that cannot be kept (NUL), or a " +
			"number that is too large")
	case store.IsAway(err):
		s.Log.Warn("the database is away", "doing", doing, "error", err)
		return huma.ErrorWithHeaders(huma.Error503ServiceUnavailable("the database does not answer; "+doing+
			" was not possible, and nothing was changed: ask again in a moment"),
			http.Header{"Retry-After": {"5"}})
	case errors.Is(err, context.Canceled): // whoever asked is gone
		s.Log.Debug("a request was given up", "doing", doing)
		return huma.Error503ServiceUnavailable(doing + " was given up")
	case errors.As(err, &damaged):
		s.Log.Error("a delivery is damaged", "doing", doing, "error", err)
		return huma.Error500InternalServerError(damaged.Error())
	case errors.As(err, &disk):
		s.Log.Error("the disk takes no more", "doing", doing, "error", err)
		return huma.NewError(http.StatusInsufficientStorage, s.Area.Conceal(disk, "", ""))
	case fault.IsDisk(err):
		s.Log.Error("the disk takes no more", "doing", doing, "error", err)
		return huma.NewError(http.StatusInsufficientStorage, s.Area.Conceal(&fault.Disk{Doing: doing, Err: err}, "", ""))
	case errors.Is(err, fs.ErrNotExist):
		s.Log.Error("a file is missing", "doing", doing, "error", err)
		return huma.Error500InternalServerError(doing + " failed: a file is missing in the service's data folder, " +
			"which its " +
			"log names; bring it back from a copy, or run the delivery again")
	}
	s.Log.Error("a request failed", "doing", doing, "error", err)
	return huma.Error500InternalServerError(doing + " failed; the service's log says more")
}

func pageOf[T, U any](found []T, total int, turn func(T) U) *answer[api.Page[U]] {
	items := make([]U, len(found))
	for i := range found {
		items[i] = turn(found[i])
	}
	return &answer[api.Page[U]]{api.Page[U]{Items: items, Total: total}}
}

// sendFile answers with a file, or a part of it where the request asks so. Where it is known what the
// file holds, that is proved: the answer to a request for all of a damaged file breaks off.
func (s *Server) sendFile(path, name, kind string, of source.Content) (*huma.StreamResponse, error) {
	f, err := report.Open(path)
	if err != nil {
		return nil, s.failure("opening "+name, err)
	}
	info, err := f.Stat()
	if err != nil {
		f.Close()
		return nil, s.failure("opening "+name, err)
	}
	if err := of.Size(info.Size()); err != nil {
		f.Close()
		return nil, s.failure("sending "+name, err)
	}
	return &huma.StreamResponse{Body: func(ctx huma.Context) {
		defer f.Close()
		r, w := humachi.Unwrap(ctx)
		attach(w, name, kind)
		if strings.Contains(r.Header.Get("Want-Repr-Digest"), "sha-256") { // RFC 9530
			sum := sha256.New()
			if _, err := io.Copy(sum, fault.Until(r.Context(), f)); err != nil {
				s.Log.Warn("a file's SHA-256 could not be computed", "file", name, "error", err)
			} else {
				w.Header().Set("Repr-Digest", "sha-256=:"+base64.StdEncoding.EncodeToString(sum.Sum(nil))+":")
			}
			if _, err := f.Seek(0, io.SeekStart); err != nil {
				s.Log.Error("a download broke off", "file", name, "error", err)
				panic(http.ErrAbortHandler)
			}
		}
		if of.SHA256 == "" || r.Method != http.MethodGet || r.Header.Get("Range") != "" {
			http.ServeContent(w, r, "", info.ModTime(), f)
			return
		}
		w.Header().Set("Accept-Ranges", "bytes")
		w.Header().Set("Last-Modified", info.ModTime().UTC().Format(http.TimeFormat))
		w.Header().Set("Content-Length", strconv.FormatInt(info.Size(), 10))
		if _, err := io.Copy(w, of.Prove(&held{r: fault.Until(r.Context(), f)}, func() {})); err != nil {
			s.Log.Error("a download broke off", "file", name, "error", err)
			panic(http.ErrAbortHandler) // so that it does not look whole
		}
	}}, nil
}

// held reads with its last byte held back until it is known to be the last, so that what is proved at
// the end is not sent whole before.
type held struct {
	r    io.Reader
	last []byte
}

func (h *held) Read(p []byte) (int, error) {
	if len(p) < 2 {
		return 0, io.ErrShortBuffer
	}
	n := copy(p, h.last)
	k, err := h.r.Read(p[n:])
	n += k
	if err == io.EOF {
		h.last = h.last[:0]
		return n, err
	}
	if n > 0 {
		h.last, n = append(h.last[:0], p[n-1]), n-1
	}
	return n, err
}

func attach(w http.ResponseWriter, name, kind string) {
	w.Header().Set("Content-Type", kind)
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": name}))
}

func (s *Server) health(ctx context.Context, _ *struct{}) (*answer[api.Health], error) {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	if err := s.Store.Ping(ctx); err != nil {
		return nil, huma.Error503ServiceUnavailable("the database does not answer")
	}
	return &answer[api.Health]{api.Health{Status: "ok", Version: s.Version}}, nil
}

package routes

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/edit"
	"sieb/core/target"
	"sieb/service/api"
	"sieb/service/store"
)

// OfState is the state of a draft that a change is made on.
type OfState struct {
	IfMatch string `header:"If-Match" doc:"state of the draft that the change is made on, as its ETag said it; 412 where it has another one by now. Without it the change is made on whatever the draft is"`
}

// RulesAnswer is a draft of rules with its state.
type RulesAnswer struct {
	ETag string `header:"ETag"`
	Body api.Rules
}

func (s *Server) rulesRoutes(to huma.API) {
	huma.Register(to, op("showRules", http.MethodGet, "/deliveries/{id}/rules",
		"The draft of rules by which a delivery is worked on", "rules", 404), s.showRules)
	begin := op("beginRules", http.MethodPut, "/deliveries/{id}/rules",
		"Begins a draft of rules, in the place of the one before", "rules", 404, 422)
	begin.MaxBodyBytes = 2 * maxTargetBytes
	huma.Register(to, begin, s.beginRules)
	drop := op("dropRules", http.MethodDelete, "/deliveries/{id}/rules", "Throws the draft of rules away", "rules", 404)
	drop.DefaultStatus = http.StatusNoContent
	huma.Register(to, drop, s.dropRules)
	change := op("changeRules", http.MethodPost, "/deliveries/{id}/rules/changes", "Changes the draft of rules", "rules",
		404, 412, 422)
	change.MaxBodyBytes = 2 * maxTargetBytes
	huma.Register(to, change, s.changeRules)
	huma.Register(to, op("undoRules", http.MethodPost, "/deliveries/{id}/rules/undo",
		"Takes the last change of the draft back; 409 where it is somebody else's", "rules", 404, 409, 412), s.undoRules)
	huma.Register(to, op("redoRules", http.MethodPost, "/deliveries/{id}/rules/redo",
		"Makes the change again that was taken back last", "rules", 404, 409, 412), s.redoRules)
	huma.Register(to, op("rebaseRules", http.MethodPost, "/deliveries/{id}/rules/rebase",
		"Puts the changes of the draft on the newest versions of its target and mapping; 409 where one does not go with them",
		"rules", 404, 409, 412), s.rebaseRules)
	huma.Register(to, op("saveRules", http.MethodPost, "/deliveries/{id}/rules/save",
		"Saves the draft as versions of its target and its mapping", "rules", 404, 409, 412, 422), s.saveRules)
	s.rehearsalRoutes(to)
	s.matchRoutes(to)
}

// keptRules returns the draft of rules of a delivery.
func (s *Server) keptRules(ctx context.Context, id string) (*kept, error) {
	if _, err := s.delivery(ctx, id); err != nil {
		return nil, err
	}
	all, err := s.Store.Drafts(ctx, id)
	if err != nil {
		return nil, s.failure("looking for a draft of rules", err)
	}
	at := slices.IndexFunc(all, func(d store.Draft) bool { return d.Kind == store.RulesDraft })
	if at < 0 {
		return nil, noRules
	}
	k, err := readKept(all[at].Content)
	if err != nil {
		return nil, s.failure("reading a draft of rules", err)
	}
	k.at = all[at].ChangedAt.UTC()
	return k, nil
}

// keepRules keeps a draft that begins, and answers with it.
func (s *Server) keepRules(ctx context.Context, id string, k *kept, on OfState) (*RulesAnswer, error) {
	k.Began = rand.Text()[:8]
	out, err := k.view(id)
	if err != nil {
		return nil, err
	}
	d, err := s.keepDraft(ctx, id, store.RulesDraft, k, on.ofRules())
	if err != nil {
		return nil, err
	}
	out.ChangedAt = d.ChangedAt
	return s.answerRules(ctx, out)
}

// answerRules answers with a draft, and what was saved since it began.
func (s *Server) answerRules(ctx context.Context, out *api.Rules) (*RulesAnswer, error) {
	var err error
	if out.Target.Newest, err = s.newer(ctx, store.Targets, out.Target.Name, out.Target.Version); err != nil {
		return nil, err
	}
	if m := out.Mapping; m != nil {
		if m.Newest, err = s.newer(ctx, store.Mappings, m.Name, m.Version); err != nil {
			return nil, err
		}
	}
	return &RulesAnswer{`"` + out.State + `"`, *out}, nil
}

// newer returns the newest version of a text where it is another one than a draft began with; nil where it is the same,
// or there is none.
func (s *Server) newer(ctx context.Context, l store.Library, name string, version int) (*api.NewerText, error) {
	if version == 0 {
		return nil, nil
	}
	newest, err := s.Store.Text(ctx, l, name, 0)
	switch {
	case errors.Is(err, store.ErrNone): // deleted meanwhile
		return nil, nil
	case err != nil:
		return nil, s.failure("looking for newer versions", err)
	case newest.Version == version:
		return nil, nil
	}
	return &api.NewerText{Version: newest.Version, By: newest.AddedBy, At: newest.AddedAt.UTC()}, nil
}

var noRules = huma.Error404NotFound("the delivery has no draft of rules yet; PUT begins one")

// reviseRules changes a draft while nobody else does, so that no change is lost, and answers with it. The draft has
// the state that the change is made on, or the change is not made.
func (s *Server) reviseRules(ctx context.Context, id string, on OfState, revise func(*kept) error) (*RulesAnswer,
	error) {
	if _, err := s.delivery(ctx, id); err != nil {
		return nil, err
	}
	var out *api.Rules
	d, err := s.Store.ReviseDraft(ctx, id, store.RulesDraft, func(content []byte) (revised []byte, err error) {
		k, err := readKept(content)
		if err != nil {
			return nil, err
		}
		if err := k.is(on); err != nil {
			return nil, err
		}
		if err := revise(k); err != nil {
			return nil, err
		}
		k.Count++
		if out, err = k.view(id); err != nil {
			return nil, err
		}
		return json.Marshal(k)
	})
	switch {
	case errors.Is(err, store.ErrNone):
		return nil, noRules
	case errors.Is(err, errMade):
		return nil, err
	case err != nil:
		return nil, s.failure("changing a draft of rules", err)
	}
	out.ChangedAt = d.ChangedAt.UTC()
	return s.answerRules(ctx, out)
}

func (s *Server) showRules(ctx context.Context, in *byID) (*RulesAnswer, error) {
	k, err := s.keptRules(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	out, err := k.view(in.ID)
	if err != nil {
		return nil, err
	}
	return s.answerRules(ctx, out)
}

func (s *Server) dropRules(ctx context.Context, in *struct {
	ID string `path:"id"`
	OfState
}) (*struct{}, error) {
	return s.dropDraft(ctx, in.ID, store.RulesDraft, in.ofRules())
}

func (s *Server) changeRules(ctx context.Context, in *struct {
	ID string `path:"id"`
	OfState
	Body api.NewShift
}) (*RulesAnswer, error) {
	out, err := s.reviseRules(ctx, in.ID, OfState{}, func(k *kept) error {
		if in.Body.ID != "" && k.has(in.Body.ID) {
			return errMade // it has arrived before, and the answer was lost
		}
		if err := k.is(in.OfState); err != nil {
			return err
		}
		if len(k.Changes) >= mostChanges {
			return huma.Error422UnprocessableEntity(fmt.Sprintf("the draft has %d changes: save it, and go on from there",
				mostChanges))
		}
		shift := api.RuleShift{Words: in.Body.Words, Steps: in.Body.Steps, At: time.Now().UTC().Truncate(time.Second),
			Author: in.Body.Author, ID: in.Body.ID}
		did, err := k.change(shift)
		if err != nil || !did {
			return err // or it says so already
		}
		k.Undone = nil
		if _, err := k.texts().Parse(); err != nil {
			return refused(in.Body.Steps, err)
		}
		if bytes := k.bytes(); bytes > maxDraftBytes {
			return huma.Error422UnprocessableEntity(fmt.Sprintf("the draft would take %d bytes, and at most %d: save what "+
				"it holds, and go on from there", bytes, maxDraftBytes))
		}
		return nil
	})
	if errors.Is(err, errMade) {
		return s.showRules(ctx, &byID{in.ID})
	}
	return out, err
}

var errMade = errors.New("the change was made already")

// refused says why a change makes no rules: of what it is, and not in which line of a text that nobody sees.
func refused(steps []edit.Step, err error) error {
	var problems target.Problems
	if !errors.As(err, &problems) {
		return huma.Error422UnprocessableEntity(err.Error())
	}
	var of []string
	for _, s := range steps {
		words := s.Path
		if len(words) > 1 && words[0] == "columns" {
			words = words[1:]
		}
		if named := strings.Join(words, ", "); !slices.Contains(of, named) && named != "" {
			of = append(of, named)
		}
	}
	if len(of) == 0 {
		return unusable("text", err) // which is seen as a whole
	}
	const most = 3
	if len(of) > most {
		of = append(of[:most], "and others")
	}
	var why []string
	for _, p := range problems[:min(len(problems), most)] {
		why = append(why, p.Message)
	}
	return huma.Error422UnprocessableEntity(fmt.Sprintf("%s: %s; nothing was changed", strings.Join(of, "; "),
		strings.Join(why, "; ")))
}

func (s *Server) undoRules(ctx context.Context, in *struct {
	ID string `path:"id"`
	OfState
	Body *api.TakeBack
}) (*RulesAnswer, error) {
	return s.reviseRules(ctx, in.ID, in.OfState, func(k *kept) error {
		last := len(k.Changes) - 1
		if last >= 0 && in.Body != nil && !in.Body.Over && k.Changes[last].IsOther(in.Body.Author) {
			c := &k.Changes[last]
			return huma.Error409Conflict(fmt.Sprintf(
				"the last change is not yours: “%s”%s; it can be taken back all the same", c.Words, by(c.By)))
		}
		if !k.undo() {
			return huma.Error409Conflict("there is no change that could be taken back")
		}
		return nil
	})
}

func (s *Server) redoRules(ctx context.Context, in *struct {
	ID string `path:"id"`
	OfState
	Body *api.TakeBack
}) (*RulesAnswer, error) {
	return s.reviseRules(ctx, in.ID, in.OfState, func(k *kept) error {
		last := len(k.Undone) - 1
		if last < 0 {
			return huma.Error409Conflict("no change was taken back")
		}
		shift := k.Undone[last]
		k.Undone = k.Undone[:last]
		_, err := k.change(shift)
		return err
	})
}

// by names who has done something.
func by(who string) string {
	if who == "" {
		return ""
	}
	return " by " + who
}

package routes

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"sieb/core/layout"
	"sieb/core/suggest"
	"sieb/core/target"
	"sieb/service/api"
	"sieb/service/jobs"
	"sieb/service/store"
)

// tried is a delivery that is tried by some texts.
type tried struct {
	*jobs.Trial
	texts      suggest.Texts
	unreferred []string
	key        string
	draft      *kept          // where the texts are those of the draft
	before     *suggest.Texts // without the steps that are tried on top; nil where there are none
}

// try puts together what a request tries.
func (s *Server) try(ctx context.Context, id string, ask api.AskRehearsal) (*tried, error) {
	t := &tried{}
	var err error
	switch {
	case ask.Target != "":
		t.texts.Target = []byte(ask.Target)
		if ask.Mapping != "" {
			t.texts.Mapping = []byte(ask.Mapping)
		}
	case ask.Mapping != "":
		return nil, huma.Error422UnprocessableEntity("a mapping is tried with its target: send both texts")
	default:
		if t.draft, err = s.keptRules(ctx, id); err != nil {
			return nil, err
		}
		t.texts = t.draft.texts()
	}
	if len(ask.Steps) > 0 {
		without := t.texts
		if t.texts, err = without.With(ask.Steps); err != nil {
			return nil, huma.Error422UnprocessableEntity(err.Error())
		}
		t.before = &without
	}
	return t, s.complete(ctx, id, t)
}

// complete finds what the texts refer to, and makes the key under which the rehearsal is kept.
func (s *Server) complete(ctx context.Context, id string, t *tried) (err error) {
	if t.Trial, t.unreferred, err = s.trial(ctx, id, t.texts); err != nil {
		return err
	}
	t.key, err = keyOf(t.Trial, t.texts)
	return err
}

// keyOf names a rehearsal: what is the same for all that decides its result.
func keyOf(t *jobs.Trial, texts suggest.Texts) (string, error) {
	text, err := json.Marshal([]any{t.Delivery.SHA256, t.Delivery.Name, t.Layout, texts.Target, texts.Mapping, t.RefersTo,
		t.Codes, t.RepeatOf, time.Now().Local().Format(time.DateOnly)})
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:]), err
}

// trial puts together what a delivery is sifted by: the texts that a request gives, or the draft. What the
// target refers to and is not there, is left out and named.
func (s *Server) trial(ctx context.Context, id string, texts suggest.Texts) (t *jobs.Trial, unreferred []string,
	err error) {
	d, err := s.delivery(ctx, id)
	if err != nil {
		return nil, nil, err
	}
	if err := s.isTable(d); err != nil {
		return nil, nil, err
	}
	parsed, err := texts.Parse()
	if err != nil {
		return nil, nil, unusable("draft", err)
	}
	t = &jobs.Trial{Delivery: d, Layout: layoutOf(d, parsed.Mapping), Target: parsed}
	if unreferred, err = s.referTrial(ctx, t); err != nil {
		return nil, nil, err
	}
	if t.Codes, err = s.codesOf(ctx, parsed); err != nil {
		return nil, nil, err
	}
	t.RepeatOf, err = s.repeatOf(ctx, d)
	return t, unreferred, err
}

// referTrial finds what a target refers to. References to tables of which there are no rows yet are taken
// out of it, and so are control values in a file that comes with the delivery.
func (s *Server) referTrial(ctx context.Context, t *jobs.Trial) (missing []string, err error) {
	t.RefersTo = map[string]string{}
	alone := *t.Target
	keep := func(all []target.ForeignKey) (some []target.ForeignKey, err error) {
		for _, fk := range all {
			name := fk.Reference.Resource
			if name == "" || t.RefersTo[name] != "" {
				some = append(some, fk)
				continue
			}
			r, err := s.Store.NewestOf(ctx, name)
			switch {
			case errors.Is(err, store.ErrNone):
				missing = append(missing, name)
			case err != nil:
				return nil, s.failure("looking for what the target refers to", err)
			default:
				t.RefersTo[name] = r.ID
				some = append(some, fk)
			}
		}
		return some, nil
	}
	if alone.ForeignKeys, err = keep(t.Target.ForeignKeys); err != nil {
		return nil, err
	}
	if alone.AbsentFrom, err = keep(t.Target.AbsentFrom); err != nil {
		return nil, err
	}
	if alone.NeedsCompanion() {
		alone.Delivery.Controls = slices.DeleteFunc(slices.Clone(alone.Delivery.Controls), func(c target.Control) bool {
			return c.In == target.CompanionText
		})
		missing = append(missing, "the file with control values")
	}
	t.Target = &alone
	return missing, nil
}

// layoutOf returns the settings by which a delivery is read: those saved with it, then those of a mapping.
func layoutOf(d store.Delivery, m *target.Mapping) layout.Given {
	given := givenOf(d.Layout)
	if m != nil && m.Layout != nil {
		given = given.Over(*m.Layout)
	}
	return given
}

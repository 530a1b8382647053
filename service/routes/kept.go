package routes

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/danielgtaylor/huma/v2"
	"github.com/zeebo/xxh3"

	"sieb/core/suggest"
	"sieb/service/api"
	"sieb/service/store"
)

// kept is a draft of rules as the store keeps it: what it began with, what it says now, and the
// changes between. What one more change costs does not depend on those before it.
type kept struct {
	Target  keptText        `json:"target"`
	Mapping *keptText       `json:"mapping,omitempty"`
	Changes []keptShift     `json:"changes,omitempty"`
	Undone  []api.RuleShift `json:"undone,omitempty"`
	Began   string          `json:"began,omitempty"` // tells it from the draft before it
	Count   int             `json:"count,omitempty"` // of the changes, and of those that were taken back
	at      time.Time
}

// state tells one state of the draft from all others that it has had.
func (k *kept) state() string { return fmt.Sprintf("%s-%d", k.Began, k.Count) }

// isMet reports whether a draft in a state may be changed.
func (on OfState) isMet(state string) bool {
	return on.IfMatch == "" || on.IfMatch == "*" && state != none ||
		strings.Trim(strings.TrimPrefix(on.IfMatch, "W/"), `"`) == state
}

// none is the state of a draft that is not there.
const none = "none"

// stateOf returns the state of a draft that is kept in the place of the one before, by what it says.
func stateOf(content []byte) string {
	if content == nil {
		return none
	}
	return fmt.Sprintf("%016x", xxh3.Hash(content))
}

// ofRules returns an error unless a draft of rules has the state.
func (on OfState) ofRules() store.Met {
	if on.IfMatch == "" {
		return nil
	}
	return func(before []byte) error {
		if before == nil {
			return noRules
		}
		k, err := readKept(before)
		if err != nil {
			return err
		}
		return k.is(on)
	}
}

// ofDraft returns an error unless a draft that is kept in the place of the one before has the state.
func (on OfState) ofDraft() store.Met {
	return func(before []byte) error {
		if on.isMet(stateOf(before)) {
			return nil
		}
		return huma.Error412PreconditionFailed(
			"somebody else changed the draft since, and this was not done: look at it, and do it again")
	}
}

// is returns an error unless the draft has the state that a change is made on.
func (k *kept) is(on OfState) error {
	if on.isMet(k.state()) {
		return nil
	}
	text := "the draft has changed since, and this was not done"
	if last := len(k.Changes) - 1; last >= 0 {
		text += fmt.Sprintf("; its last change is “%s”%s", k.Changes[last].Words, by(k.Changes[last].By))
	}
	return huma.Error412PreconditionFailed(text + ": look at it, and do it again")
}

// has reports whether a change was made, or made and taken back.
func (k *kept) has(id string) bool {
	return slices.ContainsFunc(k.Changes, func(c keptShift) bool { return c.ID == id }) ||
		slices.ContainsFunc(k.Undone, func(c api.RuleShift) bool { return c.ID == id })
}

type keptText struct {
	Name    string  `json:"name"`
	Version int     `json:"version"`
	Text    string  `json:"text"`          // that it began with
	Now     *string `json:"now,omitempty"` // with the changes; nil where there are none
}

// keptShift is a change that was made, and what takes it back.
type keptShift struct {
	api.RuleShift
	Back *backShift `json:"back,omitempty"` // nil in drafts of earlier versions
}

// backShift takes a change back.
type backShift struct {
	Target  patch `json:"target,omitzero"`
	Mapping patch `json:"mapping,omitzero"`
}

// patch puts a text in the place of a part of another one. The zero patch changes nothing.
type patch struct {
	At     int    `json:"at,omitempty"`     // byte at which the part begins
	Length int    `json:"length,omitempty"` // of the part
	Text   string `json:"text,omitempty"`
}

const (
	// mostChanges is how many changes a draft keeps before it is to be saved.
	mostChanges = 2000
	// maxDraftBytes is how long what a draft keeps beside its texts may be.
	maxDraftBytes = 8 << 20
)

// patchFrom returns what makes one text of another: what lies between their common ends.
func patchFrom(from, to string) patch {
	short := min(len(from), len(to))
	head := 0
	for head < short && from[head] == to[head] {
		head++
	}
	tail := 0
	for tail < short-head && from[len(from)-1-tail] == to[len(to)-1-tail] {
		tail++
	}
	// Kept as JSON, which has whole characters only.
	for head > 0 && (head < len(from) && !utf8.RuneStart(from[head]) || head < len(to) && !utf8.RuneStart(to[head])) {
		head--
	}
	for tail > 0 && !utf8.RuneStart(from[len(from)-tail]) {
		tail--
	}
	return patch{head, len(from) - head - tail, to[head : len(to)-tail]}
}

func (p patch) on(text string) string { return text[:p.At] + p.Text + text[p.At+p.Length:] }

// readKept reads a draft. One of an earlier version is brought to what it says now.
func readKept(content []byte) (*kept, error) {
	k := &kept{}
	if err := json.Unmarshal(content, k); err != nil {
		return nil, err
	}
	for i := range k.Changes {
		if k.Changes[i].Back == nil {
			_, err := k.replay()
			return k, err
		}
	}
	return k, nil
}

// replay makes all changes anew, on what the draft begins with by now. The change that cannot be made is returned with
// the error.
func (k *kept) replay() (failed api.RuleShift, err error) {
	changes := k.Changes
	k.Changes, k.Target.Now = nil, nil
	if k.Mapping != nil {
		k.Mapping.Now = nil
	}
	for i := range changes {
		if _, err := k.change(changes[i].RuleShift); err != nil {
			return changes[i].RuleShift, err
		}
	}
	return failed, nil
}

// change makes a change; did is false where the draft says so already.
func (k *kept) change(shift api.RuleShift) (did bool, err error) {
	before := k.texts()
	after, err := before.With(shift.Steps)
	if err != nil {
		return false, huma.Error422UnprocessableEntity(err.Error())
	}
	if string(after.Target) == string(before.Target) && string(after.Mapping) == string(before.Mapping) {
		return false, nil
	}
	back := &backShift{Target: patchFrom(string(after.Target), string(before.Target))}
	k.Target.set(string(after.Target))
	if k.Mapping != nil {
		back.Mapping = patchFrom(string(after.Mapping), string(before.Mapping))
		k.Mapping.set(string(after.Mapping))
	}
	k.Changes = append(k.Changes, keptShift{shift, back})
	return true, nil
}

// undo takes the last change back; false where there is none.
func (k *kept) undo() bool {
	last := len(k.Changes) - 1
	if last < 0 {
		return false
	}
	c := k.Changes[last]
	k.Target.set(c.Back.Target.on(k.Target.now()))
	if k.Mapping != nil {
		k.Mapping.set(c.Back.Mapping.on(k.Mapping.now()))
	}
	k.Changes, k.Undone = k.Changes[:last], append(k.Undone, c.RuleShift)
	return true
}

// bytes returns how much the draft keeps beside its texts.
func (k *kept) bytes() int {
	text, err := json.Marshal([]any{k.Changes, k.Undone})
	if err != nil {
		return maxDraftBytes + 1 // it came as JSON
	}
	return len(text)
}

func (t *keptText) now() string {
	if t.Now == nil {
		return t.Text
	}
	return *t.Now
}

func (t *keptText) set(text string) {
	if t.Now = &text; text == t.Text {
		t.Now = nil
	}
}

// head says what the draft is of.
func (k *kept) head() *api.RulesHead {
	h := &api.RulesHead{Target: k.Target.Name, State: k.state(), Changes: len(k.Changes), ChangedAt: k.at}
	if k.Mapping != nil {
		h.Mapping = k.Mapping.Name
	}
	return h
}

// begun returns the texts that the draft began with.
func (k *kept) begun() suggest.Texts {
	t := suggest.Texts{Target: []byte(k.Target.Text)}
	if k.Mapping != nil {
		t.Mapping = []byte(k.Mapping.Text)
	}
	return t
}

// texts returns the texts with all changes.
func (k *kept) texts() suggest.Texts {
	t := suggest.Texts{Target: []byte(k.Target.now())}
	if k.Mapping != nil {
		t.Mapping = []byte(k.Mapping.now())
	}
	return t
}

// view shows the draft with its changes.
func (k *kept) view(delivery string) (out *api.Rules, err error) {
	out = &api.Rules{Delivery: delivery, State: k.state(), Changes: []api.RuleShift{},
		Undone: append([]api.RuleShift{}, k.Undone...), ChangedAt: k.at}
	for i := range k.Changes {
		out.Changes = append(out.Changes, k.Changes[i].RuleShift)
	}
	if out.Target, err = k.Target.view(store.Targets); err == nil && k.Mapping != nil {
		var m api.RulesText
		m, err = k.Mapping.view(store.Mappings)
		out.Mapping = &m
	}
	return out, err
}

func (t *keptText) view(l store.Library) (api.RulesText, error) {
	out := api.RulesText{Name: t.Name, Version: t.Version, Text: t.now(), Changed: t.Version == 0 || t.Now != nil}
	var err error
	out.TextView, err = viewOf(l, out.Text)
	return out, err
}

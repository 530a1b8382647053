package service_test

import (
	"fmt"
	"net"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/client"
	"sieb/core/edit"
	"sieb/service/api"
	"sieb/service/servicetest"
)

// Whatever is done to a draft names the state that it is done on; on another one nothing is done, and what has changed
// is told.
func TestChangesOnAState(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	deeds := map[string]func(c *client.Client, id string) error{}
	deeds["change"] = func(c *client.Client, id string) error {
		_, err := c.ChangeRules(ctx, id, shift("Mine"))
		return err
	}
	deeds["undo"] = func(c *client.Client, id string) error {
		_, err := c.UndoRules(ctx, id, api.TakeBack{})
		return err
	}
	deeds["redo"] = func(c *client.Client, id string) error {
		_, err := c.RedoRules(ctx, id, api.TakeBack{})
		return err
	}
	deeds["rebase"] = func(c *client.Client, id string) error {
		_, err := c.RebaseRules(ctx, id)
		return err
	}
	deeds["save"] = func(c *client.Client, id string) error {
		_, err := c.SaveRules(ctx, id, api.SaveRules{})
		return err
	}
	deeds["begin"] = func(c *client.Client, id string) error {
		_, err := c.BeginRules(ctx, id, api.NewRules{Target: "tickets"})
		return err
	}
	deeds["drop"] = func(c *client.Client, id string) error { return c.DropRules(ctx, id) }
	for name, do := range deeds {
		t.Run(name, func(t *testing.T) {
			id, first := begin(t, s, ticketsFile+"X"+name+",,,\n")
			_, err := s.Client.ChangeRules(ctx, id, shift("Base"))
			require.NoError(t, err)
			_, err = s.Client.ChangeRules(ctx, id, shift("More"))
			require.NoError(t, err)
			known, err := s.Client.UndoRules(ctx, id, api.TakeBack{})
			require.NoError(t, err)
			states := []string{first.State, known.State}
			theirs := shift("Theirs")
			theirs.By = "Wiebke"
			now, err := s.Client.ChangeRules(ctx, id, theirs)
			require.NoError(t, err)
			for _, state := range append(states, "nonsense") {
				err := do(s.Client.On(state), id)
				require.Equal(t, 412, servicetest.Status(err), "%v", err)
				assert.ErrorContains(t, err, "“title Theirs” by Wiebke")
			}
			r, err := s.Client.Rules(ctx, id)
			require.NoError(t, err)
			assert.Equal(t, now, r, "nothing was done")
			if name == "redo" {
				now, err = s.Client.UndoRules(ctx, id, api.TakeBack{})
				require.NoError(t, err)
			}
			require.NoError(t, do(s.Client.On(now.State), id))
			after, err := s.Client.Rules(ctx, id)
			if name == "drop" {
				assert.Equal(t, 404, servicetest.Status(err))
				return
			}
			require.NoError(t, err)
			assert.NotContains(t, append(states, now.State), after.State)
		})
	}
	// The state is the answer's ETag, and any will do for *.
	id, r := begin(t, s, ticketsFile+"ETag,,,\n")
	resp, err := http.Get(s.Address + "/api/v1/deliveries/" + id + "/rules")
	require.NoError(t, err)
	assert.NoError(t, resp.Body.Close())
	assert.Equal(t, `"`+r.State+`"`, resp.Header.Get("ETag"))
	_, err = s.Client.On("*").ChangeRules(ctx, id, shift("Any"))
	assert.Equal(t, 412, servicetest.Status(err), "a quoted star is a state like others")
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, s.Address+"/api/v1/deliveries/"+id+"/rules/undo", nil)
	require.NoError(t, err)
	req.Header.Set("If-Match", "*")
	resp, err = http.DefaultClient.Do(req)
	require.NoError(t, err)
	assert.NoError(t, resp.Body.Close())
	assert.Equal(t, 409, resp.StatusCode, "there is nothing to take back")
	drafts, err := s.Client.Drafts(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, r.State, drafts.Rules.State, "what a page looks at from time to time tells the state too")
}

// Two stewards at one draft: each takes back only what is his, unless he says so; a change that arrives twice is made
// once.
func TestTwoStewardsAtOneDraft(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	id, _ := begin(t, s, ticketsFile)
	anna, bela := api.Author{By: "Anna", From: "browser 1"}, api.Author{By: "Bela", From: "browser 2"}
	of := func(title string, who api.Author) api.NewShift {
		n := shift(title)
		n.Author, n.ID = who, "id of "+title
		return n
	}
	_, err := s.Client.ChangeRules(ctx, id, of("A", anna))
	require.NoError(t, err)
	r, err := s.Client.ChangeRules(ctx, id, of("B", bela))
	require.NoError(t, err)
	assert.Equal(t, []string{"Anna", "Bela"}, []string{r.Changes[0].By, r.Changes[1].By})

	again, err := s.Client.On("an old state").ChangeRules(ctx, id, of("A", anna))
	require.NoError(t, err, "it was made, whatever the state is by now")
	assert.Equal(t, r, again)

	tests := []struct {
		who  api.TakeBack
		done bool
	}{
		{api.TakeBack{Author: anna}, false},
		{api.TakeBack{Author: api.Author{By: "Bela", From: "browser 1"}}, false}, // where it comes from counts more than the name
		{api.TakeBack{Author: api.Author{By: "Anna"}}, false},
		{api.TakeBack{Author: anna, Over: true}, true},
		{api.TakeBack{Author: bela}, true},
		{api.TakeBack{Author: api.Author{From: "browser 2"}}, true},
		{api.TakeBack{Author: api.Author{By: "Bela"}}, true},
		{api.TakeBack{}, true}, // who does not say who he is, is nobody else
	}
	for _, test := range tests {
		r, err := s.Client.UndoRules(ctx, id, test.who)
		if !test.done {
			assert.Equal(t, 409, servicetest.Status(err), "%+v", test.who)
			assert.ErrorContains(t, err, "the last change is not yours: “title B” by Bela")
			continue
		}
		require.NoError(t, err, "%+v", test.who)
		assert.Len(t, r.Changes, 1)
		again, err := s.Client.ChangeRules(ctx, id, of("B", bela))
		require.NoError(t, err)
		assert.Equal(t, r, again, "what was taken back is not made again by an answer that was lost")
		_, err = s.Client.RedoRules(ctx, id, api.TakeBack{Author: bela})
		require.NoError(t, err)
	}
}

// What others saved since a draft began is told with it; the changes are put on it, or it is said which one does not
// go with it.
func TestDraftsOnNewerVersions(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	id, r := begin(t, s, ticketsFile)
	assert.Nil(t, r.Target.Newest)
	change := func(words string, steps ...edit.Step) api.Rules {
		r, err := s.Client.ChangeRules(ctx, id, api.NewShift{Words: words, Steps: steps})
		require.NoError(t, err)
		return r
	}
	change("raise", step("target", "set", "columns kg maximum", 70000))
	change("blank n/a", step("mapping", "add", "columns kg null", "n/a"))
	_, err := s.Client.AddTarget(ctx, []byte(strings.Replace(ticketsTarget, "title: Tickets", "title: Theirs", 1)))
	require.NoError(t, err)
	_, err = s.Client.AddMapping(ctx, []byte(ticketsMapping+"  no: {remedies: [upper]}\n"))
	require.NoError(t, err)
	r, err = s.Client.Rules(ctx, id)
	require.NoError(t, err)
	require.NotNil(t, r.Target.Newest)
	require.NotNil(t, r.Mapping.Newest)
	assert.Equal(t, []int{1, 2, 1, 2}, []int{r.Target.Version, r.Target.Newest.Version, r.Mapping.Version,
		r.Mapping.Newest.Version})
	r, err = s.Client.RebaseRules(ctx, id)
	require.NoError(t, err)
	assert.Nil(t, r.Target.Newest)
	assert.Equal(t, []int{2, 2, 2}, []int{r.Target.Version, r.Mapping.Version, len(r.Changes)})
	for _, text := range []string{"title: Theirs", "maximum: 70000"} {
		assert.Contains(t, r.Target.Text, text)
	}
	for _, text := range []string{"remedies: [upper]", "null: [n/a]"} {
		assert.Contains(t, r.Mapping.Text, text)
	}
	for range 2 {
		r, err = s.Client.UndoRules(ctx, id, api.TakeBack{})
		require.NoError(t, err)
	}
	assert.False(t, r.Target.Changed || r.Mapping.Changed, "they are taken back to the newest versions")

	// A change of a column that is no longer there goes with nothing.
	change("lower", step("target", "set", "columns kg maximum", 50000))
	without := strings.Replace(ticketsTarget, "  - {name: kg, datatype: integer, maximum: 60000}\n", "", 1)
	_, err = s.Client.AddTarget(ctx, []byte(without))
	require.NoError(t, err)
	before, err := s.Client.Rules(ctx, id)
	require.NoError(t, err)
	_, err = s.Client.RebaseRules(ctx, id)
	assert.Equal(t, 409, servicetest.Status(err), "%v", err)
	assert.ErrorContains(t, err, "“lower” does not go with the newest version")
	after, err := s.Client.Rules(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, before, after, "the draft stays as it was")
	assert.Equal(t, 3, after.Target.Newest.Version)
	saved, err := s.Client.SaveRules(ctx, id, api.SaveRules{Over: true})
	require.NoError(t, err)
	assert.Equal(t, 4, saved.Target.Version)
	assert.Nil(t, saved.Target.Newest)

	// What was rehearsed is what runs: versions are named.
	run, err := s.Client.StartRun(ctx, api.NewRun{Delivery: id, Target: "tickets", TargetVersion: 1, Mapping: "north",
		MappingVersion: 1})
	require.NoError(t, err)
	run, err = s.Client.Follow(ctx, run.ID, nil)
	require.NoError(t, err)
	assert.Equal(t, []int{1, 1}, []int{run.Target.Version, run.Mapping.Version})
}

// A change is carried out though whoever sent it is gone at once, as a page that is left or loaded anew.
func TestChangesOutlastWhoeverSentThem(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	id, _ := begin(t, s, ticketsFile)
	host := strings.TrimPrefix(s.Address, "http://")
	for i := range 15 {
		body := fmt.Sprintf(`{"words":"title %d","steps":[{"in":"target","do":"set","path":["title"],"value":"%d"}]}`, i, i)
		conn, err := net.Dial("tcp", host)
		require.NoError(t, err)
		_, err = fmt.Fprintf(conn, "POST /api/v1/deliveries/%s/rules/changes HTTP/1.1\r\nHost: %s\r\n"+
			"Content-Type: application/json\r\nContent-Length: %d\r\n\r\n%s", id, host, len(body), body)
		require.NoError(t, err)
		require.NoError(t, conn.(*net.TCPConn).SetLinger(0))
		require.NoError(t, conn.Close())
		servicetest.Await(t, "the change was made", func() bool {
			r, err := s.Client.Rules(ctx, id)
			return err == nil && len(r.Changes) == i+1
		})
	}
}

// Saving gives what is drafted a title for people, if one is said.
func TestSavingWithTitles(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	d, err := s.Client.AddDelivery(ctx, "tickets.csv", strings.NewReader(ticketsFile))
	require.NoError(t, err)
	_, err = s.Client.BeginRules(ctx, d.ID, api.NewRules{})
	require.NoError(t, err)
	r, err := s.Client.SaveRules(ctx, d.ID, api.SaveRules{Target: "slips", TargetTitle: "Slips: “all” of them", By: "Anna"})
	require.NoError(t, err)
	assert.Contains(t, r.Target.Text, "title: \"Slips: “all” of them\"")
	page, err := s.Client.Targets(ctx, client.Shelf{}, 0, 10)
	require.NoError(t, err)
	require.Len(t, page.Items, 1)
	assert.Equal(t, "Slips: “all” of them", page.Items[0].Title)
	_, err = s.Client.BeginRules(ctx, d.ID, api.NewRules{Target: "slips", DraftMapping: true})
	require.NoError(t, err)
	r, err = s.Client.SaveRules(ctx, d.ID, api.SaveRules{Mapping: "north", MappingTitle: "The northern sites"})
	require.NoError(t, err)
	assert.Contains(t, r.Mapping.Text, "title: The northern sites")
	assert.Equal(t, 1, r.Target.Version, "the target is as it was")
}

package console_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/console"
	"sieb/core/edit"
	"sieb/service"
	"sieb/service/api"
	"sieb/service/servicetest"
)

// finding is the entry of a profile that tells of something.
func finding(tells string) string {
	return fmt.Sprintf(`//section[@aria-label="Profile"]//li[contains(., %q)]`, tells)
}

// What a profile finds offers its cures with what each does on all rows; one click takes one into the draft of
// rules, and the account follows.
func TestWhatAProfileFindsIsMendedThere(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	d, err := s.Client.AddDelivery(t.Context(), "hof.csv", strings.NewReader(string(farm())))
	require.NoError(t, err)
	_, err = s.Client.AddTarget(t.Context(), []byte("target: other\ncolumns:\n  - {name: no}\n"))
	require.NoError(t, err)
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + d.ID + "/profile"))
	p.shows("80 rows of 6 columns")

	// Without rules there is a way to them, on the page.
	p.do(chromedp.Click(finding("values are not dd.MM.yyyy") + `//button[normalize-space()="mend…"]`))
	p.shows("Which table are these rows meant for?")
	assert.Contains(t, p.address(), "draft=open")
	p.accessible("a profile where rules are begun")
	p.do(chromedp.Reload())
	p.do(chromedp.Click(button("Draft a target from this file")))
	p.tally(75, 5, 0)
	assert.NotContains(t, p.address(), "draft=open")
	p.shows("into hof not saved yet")

	// A cure is taken, taken back, and taken again; the finding says so.
	dates := finding("3 of 80 values are not dd.MM.yyyy")
	p.do(chromedp.Click(dates + button("also accept the format yyyy-MM-dd +3")))
	p.tally(78, 2, 0)
	p.shows("+3 accepted since the draft")
	p.do(chromedp.WaitVisible(dates + `//span[contains(., "the rules deal with it")]`))
	p.accessible("a profile with cures")
	p.do(chromedp.Click(`//section[@aria-label="Draft of rules"]` + button("Undo")))
	p.tally(75, 5, 0)
	p.do(chromedp.WaitVisible(dates + button("also accept the format yyyy-MM-dd +3")))
	p.do(chromedp.Click(`//section[@aria-label="Draft of rules"]` + button("Redo")))
	p.tally(78, 2, 0)

	// The same of one column, whose rule is one click away; so are the rows that changed sides.
	p.do(chromedp.Click(`//section[@aria-label="Overview of the columns"]` + button("Sorte")))
	p.shows("all findings")
	p.do(chromedp.Click(`//section[@aria-label="Profile"]//a[contains(., "its rule")]`))
	p.until(`document.querySelector('section[aria-label="Rule of sorte"]') !== null`)
	p.do(chromedp.NavigateBack())
	p.do(chromedp.Click(`//section[@aria-label="Draft of rules"]` + button("the 3 rows")))
	p.until(`document.querySelectorAll('section[aria-label="Rows"] tbody tr').length === 3`)
	p.do(chromedp.NavigateBack())
	p.do(chromedp.EmulateViewport(400, 800))
	p.tally(78, 2, 0)
	p.fits("a narrow profile with cures")

	// What is demanded of the table alone stands by what speaks for it.
	rules, err := s.Client.Rules(t.Context(), d.ID)
	require.NoError(t, err)
	assert.Len(t, rules.Changes, 1)
	assert.Contains(t, rules.Target.Text, "yyyy-MM-dd")
	_, err = s.Client.BeginRules(t.Context(), d.ID, api.NewRules{Text: "target: t\ncolumns:\n  - {name: sorte}\n"})
	require.NoError(t, err)
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + d.ID + "/profile?column=Sorte"))
	p.shows("also suggested")
	p.do(chromedp.Click(button("allow only the 4 values") + `[contains(., "−1")]`))
	p.tally(79, 1, 0)
}

// What a run rejects offers its cures beside the rows; what is taken is told as mended, and not saved yet.
func TestWhatARunRejectsIsMendedThere(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	_, err := s.Client.AddTarget(t.Context(), []byte(`target: tickets
columns:
  - {name: no, unique: true}
  - {name: crop, oneOf: [wheat, rye]}
  - {name: kg, datatype: integer, maximum: 60000}
rowRules:
  - {name: rye is light, condition: 'crop != "rye" || kg < 900'}
`))
	require.NoError(t, err)
	_, err = s.Client.AddMapping(t.Context(), []byte("mapping: north\ntarget: tickets\n"))
	require.NoError(t, err)
	d, err := s.Client.AddDelivery(t.Context(), "tickets.csv", strings.NewReader(
		"no,crop,kg\nA1,wheat,500\nA2,rye,n/a\nA3,weat,700\nA1,rye,5\nA5,rye,901\nA6,rye\n"))
	require.NoError(t, err)
	sift := func(target, mapping string) string {
		r, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID, Target: target, Mapping: mapping})
		require.NoError(t, err)
		_, err = s.Client.Follow(t.Context(), r.ID, nil)
		require.NoError(t, err)
		return r.ID
	}
	plain := sift("", "")
	run := sift("tickets", "north")
	at := s.Address + "/deliveries/" + d.ID
	open := func(of, code, column string) {
		p.do(chromedp.Navigate(fmt.Sprintf("%s?run=%s&code=%s&column=%s", at, of, code, column)))
		p.until(`document.querySelector('li.chosen') !== null`)
	}
	open(plain, "row.short", "")
	p.shows("the row has 2 cells, the table has 3 columns")
	assert.Equal(t, "true", p.js(`String(document.querySelector('.cures') === null)`),
		"without a target nothing is mended")

	open(run, "value.unknown", "crop")
	p.shows("recode “weat” to “wheat” +1")
	p.accessible("a violation with cures")
	p.do(chromedp.Click(button("recode “weat” to “wheat”")))
	p.shows("mended in the draft of rules, which is not saved yet")
	p.tally(2, 4, 0)
	p.do(chromedp.WaitVisible(`//nav[contains(@class, "stations")]//a[contains(., "Rules") and contains(., "not saved")]`))
	p.accessible("a violation that is mended")
	p.do(chromedp.Click(`//section[@aria-label="Draft of rules"]` + button("Undo")))
	p.shows("recode “weat” to “wheat” +1")

	// What no change of rules mends says so, and each leads to its rule.
	open(run, "rule.failed", "rye+is+light")
	p.shows("No cure is known: ask the sender.")
	p.do(chromedp.Click(`//div[@aria-label="Cures"]//a`))
	p.until(`location.search.includes('over=rules')`)
	open(run, "key.duplicate", "no")
	p.shows("No cure is known") // keeping the last would break as many rows as it rescues
	p.do(chromedp.Click(`//div[@aria-label="Cures"]//a`))
	p.until(`document.querySelector('section[aria-label="Rule of no"]') !== null`)
	open(run, "row.short", "")
	p.shows("No cure is known")

	// A draft that is of another target is not changed for this run's sake.
	_, err = s.Client.AddTarget(t.Context(), []byte("target: other\ncolumns:\n  - {name: no}\n"))
	require.NoError(t, err)
	_, err = s.Client.BeginRules(t.Context(), d.ID, api.NewRules{Target: "other"})
	require.NoError(t, err)
	open(run, "value.unknown", "crop")
	p.shows("The delivery is worked on by other rules meanwhile.")

	// The saved rules have become better since the run: that is told.
	_, err = s.Client.BeginRules(t.Context(), d.ID, api.NewRules{Target: "tickets", Mapping: "north"})
	require.NoError(t, err)
	_, err = s.Client.ChangeRules(t.Context(), d.ID, api.NewShift{Words: "recode", Steps: []edit.Step{{In: edit.Mapping,
		Do: edit.Add, Path: []string{"columns", "crop", "remedies"},
		Value: map[string]any{"recode": map[string]any{"weat": "wheat"}}}}})
	require.NoError(t, err)
	_, err = s.Client.SaveRules(t.Context(), d.ID, api.SaveRules{})
	require.NoError(t, err)
	open(run, "value.unknown", "crop")
	p.shows("the rules as they stand now do not find it any more")
}

// Headers and values of any kind are names: they are shown as they are, run nothing, widen nothing, and what is
// mended is theirs.
func TestHostileNamesAreMended(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	headers := []string{`<img src=x onerror="window.hacked=1">`, strings.Repeat("ein sehr langer Name ", 14), "a: {b}",
		"\u202egnp.", "Menge", "menge", "columns", "${7*7}{{7*7}}"}
	var b strings.Builder
	b.WriteString(`"` + strings.Join(quoted(headers), `";"`) + "\"\n")
	for i := range 60 {
		cells := []string{fmt.Sprint(1000 + i), fmt.Sprintf("%02d.07.2026", 1+i%28), fmt.Sprint(i), "x" + fmt.Sprint(i),
			fmt.Sprint(i * 3), fmt.Sprint(i * 5), []string{"ja", "nein"}[i%2], fmt.Sprint(i)}
		if i%20 == 7 {
			cells[0], cells[1], cells[2] = `<b>n/a</b>`, "2026-07-01", `"; drop table deliveries; --`
		}
		b.WriteString(`"` + strings.Join(quoted(cells), `";"`) + "\"\n")
	}
	d, err := s.Client.AddDelivery(t.Context(), "namen.csv", strings.NewReader(b.String()))
	require.NoError(t, err)
	_, err = s.Client.BeginRules(t.Context(), d.ID, api.NewRules{Text: "target: namen\ncolumns:\n" +
		"  - {name: a, position: 1, datatype: integer}\n  - {name: b, position: 2, datatype: date}\n" +
		"  - {name: c, position: 3, datatype: integer}\n"})
	require.NoError(t, err)
	at := s.Address + "/deliveries/" + d.ID
	p.do(chromedp.Navigate(at + "/profile"))
	p.tally(0, 60, 0)
	p.do(chromedp.WaitVisible(`(//section[@aria-label="Profile"]//button[contains(@class, "cure")])[1]`))
	p.accessible("a profile of hostile names")
	for taken := range 8 { // one after the other, whatever stands first
		p.until(`document.querySelector('.strip.old') === null && document.querySelector('.searching') === null`)
		if p.js(`String(document.querySelectorAll('section[aria-label="Profile"] button.cure').length)`) == "0" {
			break
		}
		p.do(chromedp.Click(`(//section[@aria-label="Profile"]//button[contains(@class, "cure")])[1]`))
		title := ""
		servicetest.Await(t, "the service has the change", func() bool {
			rules, err := s.Client.Rules(t.Context(), d.ID)
			require.NoError(t, err)
			if len(rules.Changes) > taken {
				title = "Take back: " + rules.Changes[taken].Words
			}
			return title != ""
		})
		p.until(fmt.Sprintf("[...document.querySelectorAll('button')].some(b => b.title === %q)", title))
	}
	rules, err := s.Client.Rules(t.Context(), d.ID)
	require.NoError(t, err)
	assert.NotEmpty(t, rules.Changes)
	tried, err := s.Client.Rehearse(t.Context(), d.ID, api.AskRehearsal{}, nil)
	require.NoError(t, err)
	assert.Greater(t, tried.Tally.Accepted, int64(56), "what is taken is what was meant: %s", rules.Target.Text)
	for _, page := range []string{"/profile", "/rules", "/rules?view=text", "/rules?suggest=open"} {
		p.do(chromedp.EmulateViewport(400, 800), chromedp.Navigate(at+page))
		p.tallied()
		p.fits("hostile names at " + page)
	}
	assert.Equal(t, "undefined", p.js(`String(window.hacked)`))
}

// quoted doubles the quotes of cells.
func quoted(cells []string) (all []string) {
	for _, c := range cells {
		all = append(all, strings.ReplaceAll(c, `"`, `""`))
	}
	return all
}

// tallied waits until all rows are counted.
func (p *page) tallied() {
	p.t.Helper()
	p.shows("all rows counted")
}

// A cure that is clicked while the service is away is not lost in silence: what became of it is told, and afterwards
// the page shows what the server has.
func TestMendingWhileTheServiceIsAway(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	d, err := s.Client.AddDelivery(t.Context(), "hof.csv", strings.NewReader(string(farm())))
	require.NoError(t, err)
	_, err = s.Client.BeginRules(t.Context(), d.ID, api.NewRules{})
	require.NoError(t, err)
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + d.ID + "/profile"))
	p.tally(75, 5, 0)
	p.do(chromedp.WaitVisible(button("also accept the format yyyy-MM-dd +3")))
	require.NoError(t, s.Stop())
	p.do(chromedp.Click(button("also accept the format yyyy-MM-dd +3")))
	p.shows("The service does not answer.")
	again := servicetest.StartWith(t, s.Data, func(c *service.Config) {
		c.Console, c.Listen = console.Handler(), strings.TrimPrefix(s.Address, "http://")
	})
	p.until(`!document.body.innerText.includes('The service does not answer.')`)
	p.until(`document.querySelector('section[aria-label="Draft of rules"]').innerText.match(/78 accepted|did not answer/) !== null`)
	rules, err := again.Client.Rules(t.Context(), d.ID)
	require.NoError(t, err)
	p.do(chromedp.Reload())
	if len(rules.Changes) == 1 {
		p.tally(78, 2, 0)
	} else {
		p.tally(75, 5, 0)
		p.do(chromedp.Click(button("also accept the format yyyy-MM-dd +3")))
		p.tally(78, 2, 0)
	}
}

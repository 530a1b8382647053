package console_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/client"
	"sieb/console"
	"sieb/core/edit"
	"sieb/core/target"
	"sieb/demo"
	"sieb/service/api"
	"sieb/service/servicetest"
)

// farm is a delivery of 80 rows that a farm wrote by hand, with wounds that are known: three
// dates in another format, four cells without a value, a number in words, a misspelt sort, two
// trial rows.
func farm() []byte {
	var b strings.Builder
	b.WriteString("Beleg;Hof;Annahme;Menge kg;Sorte;Art\n")
	sorts := []string{"Dinkel", "Weizen", "Roggen", "Hafer"}
	for i := 1; i <= 80; i++ {
		day := time.Date(2026, 7, 1+i/4, 0, 0, 0, 0, time.UTC)
		date, kg, sort, kind := day.Format("02.01.2006"), fmt.Sprint(4000+i*37), sorts[i%4], "Lieferung"
		switch i {
		case 11, 23, 37:
			date = day.Format(time.DateOnly)
		case 15, 31, 47, 63:
			kg = "k. A."
		case 52:
			kg = "vielleicht"
		case 40:
			sort = "Dinkle"
		case 5, 66:
			kind = "TEST"
		}
		fmt.Fprintf(&b, "L-%04d;Hof %d;%s;%s;%s;%s\n", i, i%9+1, date, kg, sort, kind)
	}
	return []byte(b.String())
}

// button is a button of the page by what it says.
func button(says string) string { return fmt.Sprintf(`//button[contains(., %q)]`, says) }

// tally waits until all rows are counted, and as many are accepted, rejected and excluded.
func (p *page) tally(accepted, rejected, excluded int) {
	p.t.Helper()
	p.shows("all rows counted")
	p.until(fmt.Sprintf(`document.querySelector('.strip:not(.old) .line')?.innerText.replace(/\s+/g, ' ')
		.includes('read = %d accepted + %d rejected + %d excluded all rows counted')`, accepted, rejected, excluded))
}

// retype puts a text in the place of what stands in an input.
func (p *page) retype(input, text string) {
	p.t.Helper()
	p.do(chromedp.WaitVisible(input))
	p.js(fmt.Sprintf(`(document.querySelector(%q).select(), '')`, input))
	p.do(chromedp.SendKeys(input, text))
}

// fits reports that nothing widens the page beyond the window.
func (p *page) fits(what string) {
	p.t.Helper()
	assert.Equal(p.t, "false", p.js(`String(document.documentElement.scrollWidth > innerWidth)`), what)
}

// A new steward, a new sender, and no target: from the file to saved rules with nothing but what
// is truly wrong rejected, by clicks alone.
func TestFromFileToRules(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	d, err := s.Client.AddDelivery(t.Context(), "hof.csv", strings.NewReader(string(farm())))
	require.NoError(t, err)
	station := s.Address + "/deliveries/" + d.ID + "/rules"

	p.do(chromedp.Navigate(station))
	p.shows("No target is known yet")
	p.accessible("a delivery without rules")
	p.do(chromedp.Click(button("Draft a target from this file")))
	p.tally(75, 5, 0)
	p.shows("not saved yet")
	p.shows("also accept the format yyyy-MM-dd +3") // the worst column is open, and its cure stands by
	p.accessible("the Rules station")

	// One click takes a cure, another takes it back, and both outlast the page.
	p.do(chromedp.Click(`//section[@aria-label="Values that do not fit"]` + button("yyyy-MM-dd")))
	p.tally(78, 2, 0)
	p.shows("+3 accepted since the draft")
	p.shows("all fit")
	p.do(chromedp.Click(button("the 3 rows")))
	p.until(`document.querySelectorAll('section[aria-label="Rows"] tbody tr').length === 3`)
	assert.Contains(t, p.address(), "rows=changed")
	p.do(chromedp.Click(button("Undo")))
	p.tally(75, 5, 0)
	p.do(chromedp.Reload())
	p.tally(75, 5, 0)
	p.do(chromedp.Click(button("Redo")))
	p.tally(78, 2, 0)
	p.js(`(document.activeElement.blur(), '')`)
	p.do(chromedp.KeyEvent("z", chromedp.KeyModifiers(2)))
	p.tally(75, 5, 0)
	p.do(chromedp.KeyEvent("z", chromedp.KeyModifiers(2|8)))
	p.tally(78, 2, 0)

	// What is suggested says what it does, and does it.
	p.do(chromedp.Click(button("Suggestions")))
	p.shows("Each was tried on all rows")
	p.shows("One mends 1 of 2 rejected rows, and breaks none.")
	p.shows("One mends 1 more of 2 rejected rows")
	p.shows("loses: rows 5 and 66 do not reach the table")
	p.accessible("suggestions")
	p.do(chromedp.Click(`//div[@role="dialog"]` + button("leave out rows in which Art is TEST")))
	p.tally(76, 2, 2)
	p.shows("Each was tried on all rows")
	p.do(chromedp.Click(`//div[@role="dialog"]` + button("Close")))
	p.rests()

	// A value is recoded by hand.
	p.do(chromedp.Navigate(station + "?column=sorte"))
	p.shows("Dinkle")
	p.do(chromedp.Click(button("recode…")), chromedp.SendKeys(`input[aria-label="Recode Dinkle to"]`, "Dinkel"+kb.Enter))
	p.tally(77, 1, 2)
	p.do(chromedp.Click(`.chain .link`))
	p.until(`document.querySelector('.chain .pairs')?.innerText.replace(/\s+/g, ' ') === 'Dinkle → Dinkel 1'`)

	// What is typed into the form is taken when the field is left, and taken back with the rest.
	p.do(chromedp.Navigate(station + "?column=menge_kg"))
	p.tally(77, 1, 2)
	p.do(chromedp.SendKeys("#field-maximum", "6850"+kb.Tab))
	p.tally(74, 4, 2)
	assert.Equal(t, "6850", p.js(`document.querySelector('#field-maximum').value`))
	p.shows("raise the maximum")
	p.do(chromedp.Click(button("Undo")))
	p.tally(77, 1, 2)
	p.until(`document.querySelector('#field-maximum').value === ''`)

	// A rule over rows: names are completed, the answer stands there before it counts.
	p.do(chromedp.Click(button("Row rules")))
	const condition = `input[aria-label="Condition"]`
	p.do(chromedp.SendKeys(condition, "men"))
	const completion = `//div[contains(@class,"el-popper")]//li[contains(., "menge_kg")]`
	p.do(chromedp.WaitVisible(completion))
	p.rests()
	p.do(chromedp.Click(completion))
	p.do(chromedp.SendKeys(condition, " < "))
	p.until(`document.querySelector('section[aria-label="rules"] [role="alert"]') !== null`)
	p.accessible("a rule that is half typed")
	p.do(chromedp.SendKeys(condition, "6850"))
	p.until(`/It does not hold in 3 of all 80 rows/.test(document.querySelector('section[aria-label="rules"]').innerText)`)
	p.do(chromedp.SendKeys(`input[aria-label="Name of the rule"]`, "a cart holds no more"))
	p.do(chromedp.Click(button("Add the rule")))
	p.tally(74, 4, 2)
	p.shows("3 rows break it")
	p.do(chromedp.Click(`button[aria-label="Remove a cart holds no more"]`))
	p.tally(77, 1, 2)

	// Saved under a name of one's own, and sifted: what is left is truly wrong.
	p.do(chromedp.Click(button("Save…")), chromedp.WaitVisible("#save-target"))
	p.rests()
	p.retype("#save-target", "Farm Loads")
	p.until(`document.querySelector('.el-dialog [role="alert"]') !== null`)
	p.accessible("saving under a name that is none")
	p.retype("#save-target", "farm_loads")
	p.until(`document.querySelector('.el-dialog [role="alert"]') === null`)
	p.do(chromedp.SendKeys("#save-by", "Wiebke"), chromedp.Click(button("Save and sift")))
	p.shows("80 read")
	assert.Contains(t, p.text(".sum"), "77 accepted")
	assert.Contains(t, p.text(".sum"), "1 rejected")
	p.shows("2 excluded")
	versions, err := s.Client.Versions(t.Context(), client.Targets, "farm_loads", 0, 10)
	require.NoError(t, err)
	require.Equal(t, 1, versions.Total)
	assert.Equal(t, "Wiebke", versions.Items[0].AddedBy)

	// What was saved is what the station goes on with.
	p.do(chromedp.Navigate(station))
	p.tally(77, 1, 2)
	p.shows("version 1")
	assert.NotContains(t, p.text(".by"), "changed")
}

// The station narrow and dark, as text, with an address that names nothing, and while the
// service is away.
func TestRulesStates(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	d, err := s.Client.AddDelivery(t.Context(), "hof.csv", strings.NewReader(string(farm())))
	require.NoError(t, err)
	_, err = s.Client.BeginRules(t.Context(), d.ID, api.NewRules{})
	require.NoError(t, err)
	station := s.Address + "/deliveries/" + d.ID + "/rules"

	p.do(chromedp.EmulateViewport(400, 800), chromedp.Navigate(station))
	p.tally(75, 5, 0)
	p.shows("also accept the format")
	p.fits("the Rules station in a narrow window")
	p.accessible("the Rules station in a narrow window")
	p.do(chromedp.EmulateViewport(1280, 800), chromedp.Click(".theme"))
	p.accessible("the Rules station in the dark")

	p.do(chromedp.Navigate(station + "?column=gewicht"))
	p.shows("The target has no column “gewicht”.")
	for _, over := range []string{"rules", "exclude", "key", "references", "delivery"} {
		p.do(chromedp.Navigate(station + "?over=" + over))
		p.tally(75, 5, 0)
		p.accessible("the Rules station over " + over)
	}

	// Several columns at once.
	p.do(chromedp.Navigate(station))
	p.tally(75, 5, 0)
	p.do(chromedp.Click(button("select several")), chromedp.Click(button("all 6")))
	p.shows("6 columns together")
	p.accessible("several columns")
	p.choose(`#many-onViolation`, "flag")
	p.tally(80, 0, 0)
	p.do(chromedp.Click(button("Undo")))
	p.tally(75, 5, 0)

	// As text: what is wrong is said, what is right is taken.
	p.do(chromedp.Navigate(station + "?view=text"))
	const text = `section[aria-label="Target as text"] textarea`
	p.do(chromedp.WaitVisible(text), chromedp.SendKeys(text, "colums: []\n"), chromedp.Click(button("Use the text")))
	p.shows(`a target has no property "colums"`)
	p.accessible("a text that is none")
	p.do(chromedp.Click(button("Discard")))

	// Without the service nothing is taken, and that is said.
	p.do(chromedp.Navigate(station))
	p.tally(75, 5, 0)
	p.shows("also accept the format yyyy-MM-dd +3")
	require.NoError(t, s.Stop())
	p.do(chromedp.Click(`//section[@aria-label="Values that do not fit"]` + button("yyyy-MM-dd")))
	p.shows("The service does not answer.")
	p.until(`!document.querySelector('.strip').innerText.includes('78')`)
}

// A known target and a sender who is new: columns are paired, spelling variants recoded, and
// what this sender's habits are becomes its mapping alone.
func TestPairing(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	_, err := s.Client.AddTarget(t.Context(), []byte(`target: loads
columns:
  - {name: no, titles: [Ticket], required: true}
  - {name: place, titles: [Village]}
  - {name: kg, titles: [Weight], datatype: integer}
`))
	require.NoError(t, err)
	var b strings.Builder
	b.WriteString("Ticket;Herkunft;Gewicht;Bemerkung\n")
	places := []string{"Ahrensee", "Colmitz", "Barnow", "ahrensee", "Colmtiz"}
	for i := range 60 {
		place := places[i%3]
		if i == 40 || i == 41 {
			place = places[i-37]
		}
		fmt.Fprintf(&b, "T%d;%s;%d;\n", i, place, 900+i)
	}
	d, err := s.Client.AddDelivery(t.Context(), "new sender.csv", strings.NewReader(b.String()))
	require.NoError(t, err)
	station := s.Address + "/deliveries/" + d.ID + "/rules"
	p.do(chromedp.Navigate(station))
	p.shows("Which table are these rows meant for?")
	p.accessible("beginning with a target")
	p.do(chromedp.Click(button("Work on its rules")))
	p.shows("by mapping")
	p.tally(60, 0, 0)

	// By hand, by choice in the form, with the first values of the delivery's columns in sight.
	for _, pair := range [][2]string{{"place", "Herkunft"}, {"kg", "Gewicht"}} {
		p.do(chromedp.Navigate(station+"?column="+pair[0]), chromedp.WaitVisible(`.two`))
		p.tally(60, 0, 0)
		if p.js(`String(document.querySelector('.rail li.here').innerText.includes('←'))`) == "false" {
			p.choose(`//div[contains(@class,"field")][.//*[text()="From"]]//div[contains(@class,"el-select")]`, pair[1])
		}
		p.until(fmt.Sprintf(`document.querySelector('.rail li.here').innerText.includes(%q)`, pair[1]))
		p.tally(60, 0, 0)
	}
	p.shows("such as 900 · 901 · 902")
	p.shows("left out") // what nothing takes; the draft says so
	p.do(chromedp.Click(`button[aria-label="Bemerkung is left out"]`))
	p.do(chromedp.Click(`button[aria-label="leave out Bemerkung"]`),
		chromedp.WaitVisible(`button[aria-label="Bemerkung is left out"]`))
	p.accessible("columns that are paired")

	p.do(chromedp.Navigate(station + "?column=place"))
	p.do(chromedp.WaitVisible(button("Look for them")), chromedp.Click(button("Look for them")))
	p.shows("2 words among 5 texts")
	p.accessible("spelling variants")
	p.do(chromedp.Click(button("decline all")))
	p.until(`[...document.querySelectorAll('button')].some(b => b.innerText.includes('Recode 0') && b.disabled)`)
	p.do(chromedp.Click(button("take all again")), chromedp.Click(button("Recode 2 spellings")))
	p.shows("none among 3 texts")

	p.do(chromedp.Click(button("Save…")), chromedp.WaitVisible("#save-mapping"))
	p.rests()
	p.retype("#save-mapping", "new_sender")
	p.do(chromedp.Click(`//div[contains(@class,"el-dialog")]//button[normalize-space()="Save"]`))
	p.until(`/mapping new_sender version 1/.test(document.querySelector('.by')?.innerText)`)
	m, err := s.Client.Mapping(t.Context(), "new_sender", 0)
	require.NoError(t, err)
	assert.Contains(t, m.Text, "from: Herkunft")
	assert.Contains(t, m.Text, "Colmtiz: Colmitz")
	assert.Contains(t, m.Text, "leftOut:")
	versions, err := s.Client.Versions(t.Context(), client.Targets, "loads", 0, 10)
	require.NoError(t, err)
	assert.Equal(t, 1, versions.Total, "the habits of a sender do not touch the target")
}

// A target of 2,000 columns and a column with 100,000 values that do not fit stay quick to use.
func TestWideAndLong(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	var head, row, rules strings.Builder
	rules.WriteString("target: wide\ncolumns:\n")
	for i := range 2000 {
		fmt.Fprintf(&head, "column_%d,", i)
		fmt.Fprintf(&row, "%d,", i)
		fmt.Fprintf(&rules, "  - {name: column_%d, datatype: integer}\n", i)
	}
	wide := strings.TrimSuffix(head.String(), ",") + "\n" + strings.Repeat(strings.TrimSuffix(row.String(), ",")+"\n", 5)
	_, err := s.Client.AddTarget(t.Context(), []byte(rules.String()))
	require.NoError(t, err)
	d, err := s.Client.AddDelivery(t.Context(), "wide.csv", strings.NewReader(wide))
	require.NoError(t, err)
	_, err = s.Client.BeginRules(t.Context(), d.ID, api.NewRules{Target: "wide"})
	require.NoError(t, err)
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + d.ID + "/rules"))
	p.tally(5, 0, 0)
	p.do(chromedp.SendKeys(`input[aria-label="Search columns"]`, "column_1999"))
	p.until(`document.querySelectorAll('.rail .list li').length === 1`)
	p.do(chromedp.Click(`.rail .list li button`))
	p.until(`document.querySelector('.middle h2')?.innerText === 'column_1999'`)

	var long strings.Builder
	long.WriteString("no,kg\n")
	for i := range 100_000 {
		fmt.Fprintf(&long, "%d,etwa %d\n", i, i)
	}
	_, err = s.Client.AddTarget(t.Context(), []byte("target: long\ncolumns: [{name: no}, {name: kg, datatype: integer}]\n"))
	require.NoError(t, err)
	d, err = s.Client.AddDelivery(t.Context(), "long.csv", strings.NewReader(long.String()))
	require.NoError(t, err)
	_, err = s.Client.BeginRules(t.Context(), d.ID, api.NewRules{Target: "long"})
	require.NoError(t, err)
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + d.ID + "/rules?column=kg"))
	p.shows("all rows counted")
	p.until(`document.querySelector('.strip .line').innerText.replace(/[\s]/g, '').includes('100000rejected')`)
	p.until(`document.querySelector('section[aria-label="Values that do not fit"] .head').innerText.replace(/[\s]/g, '').includes('100000values')`)
	assert.Equal(t, "12", p.js(`String(document.querySelectorAll('section[aria-label="Values that do not fit"] tbody tr').length)`))
	p.do(chromedp.SendKeys(`input[aria-label="Search values"]`, "etwa 99999"+kb.Enter))
	p.until(`document.querySelectorAll('section[aria-label="Values that do not fit"] tbody tr').length === 1`)
}

// Targets, mappings and code lists are places of their own.
func TestShelves(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	for _, library := range []string{"targets", "mappings", "codes"} {
		p.do(chromedp.Navigate(s.Address + "/" + library))
		p.shows("There is no")
		p.accessible("no " + library)
	}
	text, err := demo.Target("growers")
	require.NoError(t, err)
	for _, version := range []string{string(text), strings.Replace(string(text), "required: true", "required: false", 1)} {
		_, err := s.Client.AddTarget(t.Context(), []byte(version))
		require.NoError(t, err)
	}
	first, err := target.Parse(text)
	require.NoError(t, err)

	p.do(chromedp.Navigate(s.Address+"/targets"), chromedp.Click(`//a[contains(., "growers")]`))
	p.shows(first.Columns[0].Name)
	p.accessible("a target")
	p.do(chromedp.Click(button("Versions")))
	p.shows("the first one")
	p.shows("required")
	p.do(chromedp.EmulateViewport(400, 800))
	p.fits("the versions of a target in a narrow window")
	p.accessible("versions")
	p.do(chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.Address+"/targets/growers?view=versions&from=1&to=2"))
	p.do(chromedp.WaitVisible(`div[aria-label="What differs"] dt`))

	// A draft of its text is kept until it is saved or thrown away.
	p.do(chromedp.Navigate(s.Address + "/targets/growers?view=text"))
	const area = `textarea[aria-label="Text of the target"]`
	p.do(chromedp.WaitVisible(area), chromedp.SendKeys(area, "# by hand\n"))
	p.shows("kept on the service")
	p.do(chromedp.Reload(), chromedp.WaitVisible(area))
	p.until(`document.querySelector('` + area + `').value.includes('# by hand')`)
	p.do(chromedp.Click(button("Save as a version")))
	p.shows("as it is saved")
	p.shows("version 3")

	// A name that is taken is said while it is typed; rename and retire.
	p.do(chromedp.Click(button("Copy…")), chromedp.WaitVisible("#text-name"))
	p.rests()
	p.retype("#text-name", "growers")
	p.until(`document.querySelector('.el-dialog [role="alert"]')?.innerText.includes('of this name already')`)
	p.accessible("a name that is taken")
	p.do(chromedp.SendKeys("#text-name", "_2027"), chromedp.Click(
		`//div[contains(@class,"el-dialog")]//button[normalize-space()="Copy"]`))
	p.until(`location.pathname === '/targets/growers_2027'`)
	p.shows("version 1")
	p.rests()
	p.do(chromedp.Click(button("Retire")))
	p.shows("retired")
	p.do(chromedp.Navigate(s.Address + "/targets"))
	p.until(`document.querySelectorAll('tbody tr').length === 1`)
	p.do(chromedp.Click(`.flag .el-switch__core`))
	p.until(`document.querySelectorAll('tbody tr').length === 2`)
	assert.Contains(t, p.address(), "retired=shown")

	// A code list by hand.
	p.do(chromedp.Navigate(s.Address+"/codes"), chromedp.Click(button("By hand…")),
		chromedp.WaitVisible(`input[aria-label="Title"]`))
	p.rests()
	p.do(chromedp.SendKeys(`.codes input[aria-label="Name"]`, "sorts"),
		chromedp.SendKeys(`textarea[aria-label="Codes"]`, "01,Dinkel\n02,\"Hafer, nackt\"\n"))
	p.accessible("a code list by hand")
	p.do(chromedp.Click(button("Add the list")))
	p.until(`location.pathname === '/codes/sorts'`)
	p.shows("2 codes")
	p.do(chromedp.Navigate(s.Address + "/codes/none"))
	p.shows("there is no code list")

	// A data dictionary of another program becomes a target, which one may change first.
	p.do(chromedp.Navigate(s.Address+"/targets"), chromedp.SetUploadFiles(`input[type=file]`,
		[]string{write(t, "felder.csv",
			[]byte("Feldname;Typ;Länge;Pflicht;Werte;Bemerkung\nLiefernr;Text;8;ja;;Nummer des Scheins\nGewicht;Dezimal;;nein;;in kg\n"))}))
	p.do(chromedp.WaitVisible(`.el-dialog textarea`))
	p.accessible("a target made of a dictionary")
	p.do(chromedp.Click(button("Add the target")))
	p.until(`location.pathname === '/targets/felder'`)
	p.shows("Liefernr")
}

// Two runs of a delivery are compared: which rows changed sides, and which rules differ.
func TestRunsCompared(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	ctx := t.Context()
	d, err := s.Client.AddDelivery(ctx, "loads.csv", strings.NewReader("no,kg\n1,5\n2,seven\n3,9\n"))
	require.NoError(t, err)
	var last api.Run
	for _, datatype := range []string{"integer", "string"} {
		_, err := s.Client.AddTarget(ctx, []byte("target: loads\ncolumns: [{name: no}, {name: kg, datatype: "+datatype+
			"}]\n"))
		require.NoError(t, err)
		last, err = s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID, Target: "loads"})
		require.NoError(t, err)
		_, err = s.Client.Follow(ctx, last.ID, nil)
		require.NoError(t, err)
	}
	runs, err := s.Client.Runs(ctx, d.ID, 0, 10)
	require.NoError(t, err)
	var other string
	for _, r := range runs.Items {
		if r.ID != last.ID {
			other = r.ID
		}
	}
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + d.ID + "?run=" + last.ID + "&with=" + other))
	p.shows("1 accepted now")
	p.shows("0 accepted no longer")
	p.until(`document.querySelector('.comparison').innerText.includes('datatype')`)
	p.accessible("runs compared")
	p.do(chromedp.Click(`//section[contains(@class,"comparison")]` + button("Close")))
	p.until(`document.querySelector('.comparison .parts') === null`)
	assert.NotContains(t, p.address(), "with=")

	// The next one of its kind finds it by itself.
	next, err := s.Client.AddDelivery(ctx, "loads-02.csv", strings.NewReader("no,kg\n1,5\n2,7\n4,9\n"))
	require.NoError(t, err)
	run, err := s.Client.StartRun(ctx, api.NewRun{Delivery: next.ID, Target: "loads"})
	require.NoError(t, err)
	_, err = s.Client.Follow(ctx, run.ID, nil)
	require.NoError(t, err)
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + next.ID))
	p.do(chromedp.Click(button("with the delivery before: loads.csv")))
	p.shows("there is no key by which rows could be found again")
	assert.Contains(t, p.address(), "with=")
}

// Columns are gone through by arrow keys, paired by drag, searched; a change made in another
// window is there after the next one here, and neither loses the other.
func TestRulesByHand(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	_, err := s.Client.AddTarget(t.Context(), []byte("target: stock\ncolumns:\n"+
		"  - {name: silo}\n  - {name: filled, datatype: date}\n  - {name: tons, datatype: decimal, required: true}\n"))
	require.NoError(t, err)
	d, err := s.Client.AddDelivery(t.Context(), "stock.csv",
		strings.NewReader("silo;stand;menge\nS1;2026-07-01;12.5\nS2;2026-07-02;7\nS3;2026-07-03;viel\n"))
	require.NoError(t, err)
	_, err = s.Client.BeginRules(t.Context(), d.ID, api.NewRules{Target: "stock"})
	require.NoError(t, err)
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + d.ID + "/rules?column=silo"))
	p.tally(0, 3, 0)
	p.shows("refused: no column of the delivery is headed")

	// By arrow keys, in the order that is shown.
	p.do(chromedp.Click(button("worst first")))
	p.shows("in the table’s order")
	p.js(`(document.querySelector('.rail button.column').focus(), '')`)
	for _, c := range []struct{ key, column string }{{kb.ArrowDown, "filled"}, {kb.ArrowDown, "tons"},
		{kb.ArrowDown, "tons"},
		{kb.ArrowUp, "filled"}} {
		p.do(chromedp.KeyEvent(c.key))
		p.until(fmt.Sprintf(`document.querySelector('.middle h2')?.innerText === %q`, c.column))
		assert.Equal(t, c.column, p.js(`document.activeElement.querySelector('.name b').innerText`))
	}

	// A header is drawn onto the column that it feeds; its first values stand beside it.
	p.until(`document.querySelector('.rail .below').innerText.includes('2026-07-01 · 2026-07-02 · 2026-07-03')`)
	for header, column := range map[string]string{"menge": "tons", "stand": "filled"} {
		p.js(fmt.Sprintf(`((from, to) => {
			const data = new DataTransfer();
			from.dispatchEvent(new DragEvent('dragstart', {bubbles: true, dataTransfer: data}));
			to.dispatchEvent(new DragEvent('dragover', {bubbles: true, cancelable: true, dataTransfer: data}));
			to.dispatchEvent(new DragEvent('drop', {bubbles: true, cancelable: true, dataTransfer: data}));
			return '';
		})([...document.querySelectorAll('.rail .chip')].find(c => c.innerText.includes(%q)),
			[...document.querySelectorAll('.rail .list li')].find(c => c.innerText.startsWith(%q)))`, header, column))
		p.until(fmt.Sprintf(`[...document.querySelectorAll('.rail .list li')].some(c => c.innerText.replace(/\s+/g, ' ').includes(%q))`,
			column+" ← "+header))
	}
	p.tally(2, 1, 0)
	p.until(`document.querySelector('.rail .chip') === null`)

	// Another steward, another window.
	_, err = s.Client.ChangeRules(t.Context(), d.ID, api.NewShift{Words: "silo is unique", Steps: []edit.Step{
		{In: edit.Target, Do: edit.Set, Path: []string{"columns", "silo", "unique"}, Value: true}}})
	require.NoError(t, err)
	p.do(chromedp.Click(`.rail .list li:nth-child(3) button.column`))
	p.shows("viel")
	p.do(chromedp.Click(button("recode…")), chromedp.SendKeys(`input[aria-label="Recode viel to"]`, "3"))
	p.accessible("recoding a value")
	p.do(chromedp.SendKeys(`input[aria-label="Recode viel to"]`, kb.Escape))
	p.until(`document.querySelector('input[aria-label="Recode viel to"]') === null`)
	p.do(chromedp.Click(button("recode…")), chromedp.SendKeys(`input[aria-label="Recode viel to"]`, "3"+kb.Enter))
	p.tally(3, 0, 0)
	p.shows("+3 accepted since version 1")
	r, err := s.Client.Rules(t.Context(), d.ID)
	require.NoError(t, err)
	assert.Len(t, r.Changes, 4)
	assert.Contains(t, r.Target.Text, "unique: true")
	p.until(`document.querySelector('.rail .list li').innerText.includes('no value occurs twice')`)
}

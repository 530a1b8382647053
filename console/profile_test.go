package console_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"log/slog"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/console"
	"sieb/demo"
	"sieb/service"
	"sieb/service/catalogue"
	"sieb/service/localpg"
	"sieb/service/localpg/pgtest"
	"sieb/service/servicetest"
)

// profile opens the Profile station of a delivery.
func (p *page) profile(s *servicetest.Service, name string, content []byte) (id string) {
	p.t.Helper()
	d, err := s.Client.AddDelivery(p.t.Context(), name, bytes.NewReader(content))
	require.NoError(p.t, err)
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + d.ID + "/profile"))
	return d.ID
}

const behind = `[...document.querySelectorAll('.behind tbody tr')].map(r => r.cells[0].innerText).join()`

// A steward reads the findings, looks at a column, sees the rows behind a value and
// a bar, combines filters, and adds the target that is drafted.
func TestProfileStation(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	m := demo.Ahrensee()
	id := p.profile(s, m.Name, m.Bytes)
	p.shows("240 rows of 16 columns")
	p.shows("Gross kg = Tare kg + Net kg, save in 2 rows")
	p.accessible("the findings of a profile")

	p.do(chromedp.Click(`//li[contains(., "nearly tells rows apart")]//button[@class="link"]`))
	p.until(behind + ` === '20,66'`)
	p.shows("row is one of 20, 66")
	p.shows("2 rows")
	p.do(chromedp.Click(`//li[contains(., "is the sum of")]//button[@class="link"]`))
	p.shows("Gross kg is not the sum of Tare kg and Net kg")
	p.until(`document.querySelector('.behind [role=status]').innerText === '2 rows'`)
	p.do(chromedp.Click(`//ul[@aria-label="Columns"]//button[contains(., "Moisture %")]`),
		chromedp.WaitVisible(".chart canvas"))
	p.shows("decimal with comma")
	p.shows("14.2153, deviation 3.48193")
	p.do(chromedp.Click(`//h3[contains(., "Not of the datatype")]/following-sibling::ul//button[contains(., "feucht")]`))
	p.until(behind + ` === '142'`)
	p.shows("Moisture % is feucht")
	p.accessible("a column of a profile with rows")
	p.do(chromedp.Click(`//button[contains(., "all rows with such a value")]`))
	p.until(behind + ` === '142,143'`)
	p.do(chromedp.SendKeys(`input[aria-label="Value of the filter"]`, "ah-000242"),
		chromedp.Click(`//button[contains(., "Add filter")]`))
	p.shows("Ticket No. contains ah-000242")
	p.until(`document.querySelectorAll('.chips li').length === 2`)
	p.until(`document.querySelector('.behind [role=status]').innerText === '1 row'`)
	p.do(chromedp.Click(`[aria-label^="Take away: Ticket No."]`))
	p.until(behind + ` === '142,143'`)

	// A bar of the histogram, by its button for the keyboard.
	p.js(`(document.querySelector('.keys button').click(), '')`)
	p.shows("Moisture % is at least 2")
	p.until(behind + `.split(',').length === 1`)

	kept, err := s.Client.Profile(t.Context(), id)
	require.NoError(t, err)
	assert.Equal(t, []string{"Moisture %"}, kept.Looked)
	p.shows("only unchecked ones (15)")

	// A column has an address of its own, and the way back is the browser's.
	p.do(chromedp.Reload())
	p.shows("14.2153, deviation 3.48193")
	p.shows("Moisture % is at least 2")
	p.do(chromedp.NavigateBack())
	p.shows("Moisture % is not of its datatype")
	p.until(behind + ` === '142,143'`)
	p.do(chromedp.NavigateForward())
	p.shows("Moisture % is at least 2")
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + id +
		"/profile?column=Weight&rows=%5B%7B%22op%22%3A%22odd%22%7D%5D"))
	p.shows("The delivery has no column “Weight”; all findings are shown.")
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + id + "/profile?column=Moisture+%25&rows=nonsense"))
	p.shows("The address asks for rows in a way that is not understood.")
}

// Three hundred columns, none, a file that is no text, and a narrow window.
func TestProfileStates(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	var wide strings.Builder
	for row := range 40 {
		for k := range 300 {
			if k > 0 {
				wide.WriteByte(';')
			}
			switch {
			case row == 0:
				fmt.Fprintf(&wide, "reading %03d", k+1)
			case k == 211 && row == 7:
				wide.WriteString("wet")
			default:
				fmt.Fprint(&wide, 10+(row*k)%17)
			}
		}
		wide.WriteByte('\n')
	}
	p.profile(s, "wide.csv", []byte(wide.String()))
	p.shows("39 rows of 300 columns")
	p.do(chromedp.SendKeys(`[aria-label="Find a column"]`, "212"))
	p.until(`document.querySelectorAll('.columns .list li').length === 1`)
	p.do(chromedp.Click(`//ul[@aria-label="Columns"]//button[contains(., "reading 212")]`))
	p.shows("1 of 39 values is not a whole number")

	p.profile(s, "empty.csv", []byte("a;b\n"))
	p.shows("There is nothing to profile: the delivery has no rows.")
	p.profile(s, "plain.csv", []byte("a;b\n1;x\n2;y\n3;x\n"))
	p.shows("Nothing odd was found.")
	p.profile(s, "zero.bin", make([]byte, 4000))
	p.shows("the file is not text")
	p.accessible("a profile that failed")

	p.do(chromedp.EmulateViewport(420, 800))
	p.profile(s, demo.Brunnthal().Name, demo.Brunnthal().Bytes)
	p.shows("180 rows of 16 columns")
	p.until(`document.documentElement.scrollWidth <= 421`)
	p.accessible("a narrow profile")
}

// A target is drawn from a table of a database, read and added.
func TestTargetFromTable(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	db, err := localpg.Start(ctx, filepath.Join(pgtest.Folder(t), "tables"),
		slog.New(slog.NewTextHandler(io.Discard, nil)))
	require.NoError(t, err)
	defer db.Stop()
	conn, err := pgx.Connect(ctx, db.URL())
	require.NoError(t, err)
	_, err = conn.Exec(ctx, `create table public.tickets (ticket_no char(9) primary key, gross_kg integer not null check (gross_kg > 0))`)
	require.NoError(t, err)
	require.NoError(t, conn.Close(ctx))

	s := servicetest.StartWith(t, "", func(c *service.Config) {
		c.Console = console.Handler()
		c.Databases = catalogue.Databases{Named: map[string]string{"intake": db.URL()}}
	})
	p := open(t)
	d, err := s.Client.AddDelivery(ctx, "a.csv", strings.NewReader("ticket_no;gross_kg\nBR-000001;5\n"))
	require.NoError(t, err)
	p.do(chromedp.Navigate(s.Address+"/deliveries/"+d.ID),
		chromedp.Click(`//a[contains(., "the Rules station")]`), chromedp.Click(button("From a database table")))
	// the only one is chosen
	p.shows("public.tickets")
	p.rests()
	p.accessible("the choice of a table")
	p.do(chromedp.SendKeys(`input[aria-label="Find a table"]`, "tickets2"))
	p.shows("No table that the service may read has this in its name.")
	p.do(chromedp.SendKeys(`input[aria-label="Find a table"]`, kb.Backspace))
	p.do(chromedp.Click(`//ul[@aria-label="Tables"]` + button("public.tickets")))
	p.do(chromedp.Click(button("Draw the target from public.tickets")))
	p.tally(1, 0, 0)
	p.shows("not saved yet")
	p.rests()
	p.do(chromedp.Click(button("Save…")))
	p.shows("Save the rules")
	p.rests()
	p.do(chromedp.Click(`//div[@role="dialog"]//button[normalize-space()="Save"]`))
	p.shows("into tickets version 1")
	added, err := s.Client.Target(ctx, "tickets", 1)
	require.NoError(t, err)
	assert.Contains(t, added.Text, "unique: true")
}

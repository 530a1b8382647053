// Command shots takes the pictures of docs/screenshots from the demo data: it
// runs the service on a free port, drives the console in headless Chromium,
// and shows the command line in a terminal window.
package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"

	"sieb/client"
	"sieb/console"
	"sieb/core/edit"
	"sieb/demo"
	"sieb/service"
	"sieb/service/api"
)

func main() {
	if len(os.Args) != 2 {
		fmt.Fprintln(os.Stderr, "usage: shots FOLDER")
		os.Exit(2)
	}
	if err := run(os.Args[1]); err != nil {
		fmt.Fprintln(os.Stderr, "shots:", err)
		os.Exit(1)
	}
}

func run(out string) error {
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	data, err := os.MkdirTemp("", "sieb-shots-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(data)
	if err := os.Chmod(data, 0o755); err != nil {
		return err
	}
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	ready := make(chan string, 1)
	go func() {
		ended <- service.Run(ctx, service.Config{Listen: "127.0.0.1:0", Data: data, Parallel: 1, Version: "demo",
			Console: console.Handler(),
			Log:     slog.New(slog.NewTextHandler(io.Discard, nil)), Ready: func(a string) { ready <- a }})
	}()
	defer func() {
		stop()
		<-ended
	}()
	var address string
	select {
	case address = <-ready:
	case err := <-ended:
		ended <- nil
		return err
	}
	deliveries, err := fill(ctx, client.New(address, ""))
	if err != nil {
		return err
	}
	if err := pages(ctx, address, deliveries, out); err != nil {
		return err
	}
	return terminal(data, out)
}

// fill runs the demo deliveries; one more only arrives. It gives the deliveries by name.
func fill(ctx context.Context, c *client.Client) (map[string]string, error) {
	ids := map[string]string{}
	for _, m := range demo.All() {
		text, err := demo.Target(m.Target)
		if err != nil {
			return nil, err
		}
		if _, err := c.AddTarget(ctx, text); err != nil {
			return nil, err
		}
		if m.Mapping != "" {
			if text, err = demo.Mapping(m.Mapping); err != nil {
				return nil, err
			}
			if _, err := c.AddMapping(ctx, text); err != nil {
				return nil, err
			}
		}
		d, err := c.AddDelivery(ctx, m.Name, strings.NewReader(string(m.Bytes)))
		if err != nil {
			return nil, err
		}
		r, err := c.StartRun(ctx, api.NewRun{Delivery: d.ID, Target: m.Target, Mapping: m.Mapping})
		if err != nil {
			return nil, err
		}
		if r, err = c.Follow(ctx, r.ID, nil); err != nil {
			return nil, err
		}
		if r.Tally == nil {
			return nil, errors.New(m.Name + ": " + r.Error)
		}
		ids[m.Name] = d.ID
	}
	d, err := c.AddDelivery(ctx, again, strings.NewReader(string(demo.Ahrensee().Bytes)))
	if err != nil {
		return nil, err
	}
	ids[again] = d.ID
	// Its rules are worked on without a mapping, so that columns are to be paired; and the target
	// has a second version.
	m := demo.Ahrensee()
	if _, err := c.BeginRules(ctx, d.ID, api.NewRules{Target: m.Target}); err != nil {
		return nil, err
	}
	text, err := demo.Target(m.Target)
	if err != nil {
		return nil, err
	}
	edited, err := edit.Apply(text, "target", []edit.Step{
		{In: "target", Do: "set", Path: []string{"columns", "moisture_pct", "maximum"}, Value: 20},
		{In: "target", Do: "set", Path: []string{"columns", "remarks", "maxLength"}, Value: 200},
		{In: "target", Do: "set", Path: []string{"tolerance", "rejected"}, Value: "15%"}})
	if err != nil {
		return nil, err
	}
	_, err = c.AddTarget(ctx, edited)
	return ids, err
}

// again is a delivery that was not sifted yet.
const again = "weighbridge-ahrensee-2026-07-again.csv"

func pages(ctx context.Context, address string, deliveries map[string]string, out string) error {
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath("/usr/bin/chromium"),
		chromedp.NoSandbox, chromedp.WindowSize(1280, 800))
	ctx, stop := chromedp.NewExecAllocator(ctx, options...)
	defer stop()
	ctx, stop = chromedp.NewContext(ctx)
	defer stop()
	ctx, stop = context.WithTimeout(ctx, 2*time.Minute)
	defer stop()
	type action = chromedp.Action[chromedp.Void]
	media := func(scheme string) action {
		return chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
			_, err := cdp.Call(ctx, t, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{
				Features: []*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: scheme}}})
			return err
		})
	}
	papers, err := os.MkdirTemp("", "sieb-paper-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(papers)
	sheet, err := paperPages(papers)
	if err != nil {
		return err
	}
	defer sheet.Close()
	onPaper := chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		_, err := cdp.Call(ctx, t, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{Media: "print"})
		return err
	})
	page := address + "/deliveries/" + deliveries[demo.Ahrensee().Name]
	reading := func(m demo.Made) action {
		return chromedp.Navigate(address + "/deliveries/" + deliveries[m.Name] + "/reading")
	}
	counted := chromedp.WaitVisible(`//span[contains(., "rows,") and not(contains(., "so far"))]`)
	tried := chromedp.WaitVisible(`//span[contains(., "each cure was tried on all rows")]`)
	for _, shot := range []struct {
		name string
		do   []action
	}{
		{"deliveries", []action{chromedp.EmulateViewport(1280, 800), media("light"), chromedp.Navigate(address),
			chromedp.WaitVisible("tbody tr")}},
		{"delivery", []action{chromedp.Navigate(page), chromedp.WaitVisible(".reasons")}},
		{"result", []action{chromedp.Navigate(page + "/result?sort=net_kg&order=descending&count=variety&where=" +
			url.QueryEscape(`[{"column":"crop","op":"equals","value":"wheat"}]`) + "&columns=" +
			url.QueryEscape(`["ticket_no","weighed_on","crop","net_kg","gross_kg","grower","moisture_pct"]`)),
			chromedp.WaitVisible(`//p[contains(., "different values in")]`), chromedp.WaitVisible(".rows td.changed")}},
		{"reading", []action{reading(demo.Ahrensee()), counted, chromedp.Click(".tools .el-switch__core"),
			chromedp.WaitVisible(".row .under")}},
		{"reading-fixed", []action{reading(demo.Dornau()), counted, chromedp.WaitVisible(".ruler .cut")}},
		// It begins the draft of rules by which findings are mended.
		{"rules", []action{chromedp.Navigate(page + "/rules?column=moisture_pct"), tried}},
		{"station-profile", []action{chromedp.Navigate(page + "/profile"), chromedp.WaitVisible(".group button.cure"),
			chromedp.WaitNotPresent(".searching")}},
		{"result-profile", []action{chromedp.Navigate(page + "/result?view=profile"),
			chromedp.WaitVisible(`//p[contains(., "beside the")]`)}},
		{"rules-suggestions", []action{chromedp.Navigate(page + "/rules?suggest=open"),
			chromedp.WaitVisible(`//p[contains(., "Each was tried on all rows")]`)}},
		{"rules-pairing", []action{
			chromedp.Navigate(address + "/deliveries/" + deliveries[again] + "/rules?column=weighed_on"),
			chromedp.WaitVisible(".rail .chip"),
			chromedp.WaitVisible(`//p[contains(., "No row")] | //section[@aria-label="Rows"]//tbody/tr`)}},
		{"target-versions", []action{
			chromedp.Navigate(address + "/targets/" + demo.Ahrensee().Target + "?view=versions&from=1&to=2"),
			chromedp.WaitVisible(`div[aria-label="What differs"] dt`)}},
		{"station-column", []action{chromedp.Navigate(page + "/profile"), chromedp.WaitVisible(".group li"),
			chromedp.Click(`//ul[@aria-label="Columns"]//button[contains(., "Moisture %")]`),
			chromedp.WaitVisible(".chart canvas"),
			chromedp.Click(`//h3[contains(., "Not of the datatype")]/following-sibling::ul//button`),
			chromedp.WaitVisible(".behind tbody tr"),
			chromedp.WaitVisible(`//section[@aria-label="Rows"]//span[text()="1 row"]`)}},
		{"profile-paper", []action{media("light"), onPaper, chromedp.EmulateViewport(794, 1123),
			chromedp.Navigate(sheet.URL + "/profile.html"),
			chromedp.WaitReady("section.column"),
			chromedp.Evaluate[chromedp.Void](`void (document.body.style.padding = "60px")`)}},
		{"target-page", []action{
			chromedp.Navigate(sheet.URL + "/target.html"), chromedp.WaitReady("table"),
			chromedp.Evaluate[chromedp.Void](`void (document.body.style.padding = "60px")`)}},
	} {
		if err := chromedp.Do(ctx, shot.do...); err != nil {
			return fmt.Errorf("%s: %w", shot.name, err)
		}
		if _, err := chromedp.Run(ctx, chromedp.Poll[bool](`document.getAnimations().length === 0`)); err != nil {
			return fmt.Errorf("%s: %w", shot.name, err)
		}
		png, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
		if err != nil {
			return fmt.Errorf("%s: %w", shot.name, err)
		}
		if err := os.WriteFile(filepath.Join(out, shot.name+".png"), png, 0o644); err != nil {
			return err
		}
	}
	return nil
}

// paperPages serves what is printed: a profile, and what a target asks of its senders.
func paperPages(dir string) (*httptest.Server, error) {
	m, asked := demo.Dornau(), demo.Ahrensee().Target
	text, err := demo.Target(asked)
	if err != nil {
		return nil, err
	}
	from, target := filepath.Join(dir, m.Name), filepath.Join(dir, asked+".yaml")
	for path, text := range map[string][]byte{from: m.Bytes, target: text} {
		if err := os.WriteFile(path, text, 0o644); err != nil {
			return nil, err
		}
	}
	for _, args := range [][]string{{"profile", from, "--html", filepath.Join(dir, "profile.html")},
		{"targets", "describe", "--file", target, "--html", filepath.Join(dir, "target.html")}} {
		if text, err := exec.Command("bin/sieb", args...).CombinedOutput(); err != nil {
			return nil, fmt.Errorf("%w: %s", err, text)
		}
	}
	return httptest.NewServer(http.FileServer(http.Dir(dir))), nil
}

// terminal shows commands in a terminal window under a virtual screen.
func terminal(work, out string) error {
	for _, need := range []string{"Xvfb", "xterm", "import"} {
		if _, err := exec.LookPath(need); err != nil {
			return fmt.Errorf("%s is missing: install Debian's packages xvfb, xterm and imagemagick", need)
		}
	}
	sieb, err := filepath.Abs("bin/sieb")
	if err != nil {
		return err
	}
	if out, err = filepath.Abs(out); err != nil {
		return err
	}
	bin := filepath.Join(work, "bin")
	if err := os.MkdirAll(bin, 0o755); err != nil {
		return err
	}
	if err := os.Symlink(sieb, filepath.Join(bin, "sieb")); err != nil {
		return err
	}
	m, d, c, register := demo.Ahrensee(), demo.Dornau(), demo.Colmitz(), demo.Register()
	target, err := demo.Target(m.Target)
	if err != nil {
		return err
	}
	mapping, err := demo.Mapping(m.Mapping)
	if err != nil {
		return err
	}
	short, err := demo.Mapping(c.Mapping)
	if err != nil {
		return err
	}
	for name, text := range map[string][]byte{c.Name: c.Bytes, c.Mapping + ".yaml": short, m.Name: m.Bytes,
		m.Target + ".yaml": target, m.Mapping + ".yaml": mapping,
		d.Name: d.Bytes, register.Name: register.Bytes} {
		if err := os.WriteFile(filepath.Join(work, name), text, 0o644); err != nil {
			return err
		}
	}
	const display = ":97"
	screen := exec.Command("Xvfb", display, "-screen", "0", "1280x800x24")
	if err := screen.Start(); err != nil {
		return err
	}
	defer func() {
		_ = screen.Process.Signal(syscall.SIGTERM) // so that it takes its socket away
		_ = screen.Wait()
	}()
	for end := time.Now().Add(10 * time.Second); ; time.Sleep(50 * time.Millisecond) {
		if _, err := os.Stat("/tmp/.X11-unix/X" + display[1:]); err == nil {
			break
		}
		if time.Now().After(end) {
			return errors.New("the virtual screen did not start")
		}
	}
	sifted := "sieb sift " + c.Name + " --target " + c.Target + ".yaml --mapping " + c.Mapping +
		".yaml --reference growers=" + register.Name
	for name, command := range map[string]string{
		"read":    "sieb read " + m.Name,
		"profile": "sieb profile " + d.Name,
		"suggest": "sieb suggest " + m.Name + " --target " + m.Target + ".yaml --mapping " + m.Mapping +
			".yaml --reference growers=" + register.Name,
		"sift":    sifted + " --out sifted",
		"explain": sifted + " --explain 67",
	} {
		if err := window(display, bin, work, command, filepath.Join(out, name+".png")); err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
	}
	return nil
}

func window(display, bin, work, command, png string) error {
	done := filepath.Join(work, "done")
	os.Remove(done)
	script := fmt.Sprintf("printf '$ %s\\n'; %s; touch %s; sleep 30", command, command, done)
	term := exec.Command("xterm", "-u8", "-fa", "DejaVu Sans Mono", "-fs", "10", "-geometry", "158x48+0+0", "-bg",
		"#fbfaf7", "-fg", "#22201c", "-e", "bash", "-c", script)
	term.Dir = work
	term.Env = append(os.Environ(), "DISPLAY="+display, "PATH="+bin+":"+os.Getenv("PATH"))
	if err := term.Start(); err != nil {
		return err
	}
	defer func() {
		_ = term.Process.Kill()
		_ = term.Wait()
	}()
	for end := time.Now().Add(20 * time.Second); ; time.Sleep(50 * time.Millisecond) {
		if _, err := os.Stat(done); err == nil {
			break
		}
		if time.Now().After(end) {
			return errors.New("the command did not end")
		}
	}
	time.Sleep(500 * time.Millisecond) // the window has no word for "drawn"
	shot := exec.Command("import", "-window", "root", png)
	shot.Env = append(os.Environ(), "DISPLAY="+display)
	text, err := shot.CombinedOutput()
	if err != nil {
		return fmt.Errorf("%w: %s", err, text)
	}
	return nil
}

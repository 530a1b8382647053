package service_test

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/client"
	"sieb/demo"
	"sieb/service"
	"sieb/service/api"
	"sieb/service/localpg"
	"sieb/service/localpg/pgtest"
	"sieb/service/servicetest"
	"sieb/service/servicetest/hostile"
	"sieb/service/store"
)

// program is the service as a process of its own.
type program struct {
	t       *testing.T
	path    string
	data    string
	address string
	cmd     *exec.Cmd
	log     *bytes.Buffer
	client  *client.Client
}

func newProgram(t *testing.T) *program {
	t.Helper()
	ownProcess(t)
	data := pgtest.Folder(t)
	path := filepath.Join(data, "sieb")
	out, err := exec.Command("go", "build", "-o", path, "sieb/cmd/sieb").CombinedOutput()
	require.NoError(t, err, string(out))
	address := freeAddress(t)
	p := &program{t: t, path: path, data: data, address: address, client: client.New("http://"+address, "")}
	t.Cleanup(func() {
		p.kill()
		if pid := servicetest.Postmaster(data); pid > 0 {
			_ = syscall.Kill(pid, syscall.SIGQUIT)
			servicetest.Await(t, "PostgreSQL has ended", func() bool { return syscall.Kill(pid, 0) != nil })
		}
		if t.Failed() {
			t.Log(p.log.String())
		}
	})
	return p
}

func (p *program) start(flags ...string) {
	p.t.Helper()
	p.cmd = exec.Command(p.path, append([]string{"serve", "--data", p.data, "--listen", p.address}, flags...)...)
	if p.log == nil {
		p.log = &bytes.Buffer{}
	}
	p.cmd.Stderr = p.log
	require.NoError(p.t, p.cmd.Start())
	servicetest.Await(p.t, "the service answers", func() bool {
		_, err := p.client.Deliveries(p.t.Context(), "", "", 0,
			1)
		return err == nil
	})
}

func (p *program) kill() {
	if p.cmd != nil && p.cmd.ProcessState == nil {
		_ = p.cmd.Process.Kill()
		_ = p.cmd.Wait()
	}
}

// memory returns the most memory that the service has had so far, in bytes.
func (p *program) memory() int64 {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", p.cmd.Process.Pid))
	require.NoError(p.t, err)
	_, after, _ := strings.Cut(string(text), "VmHWM:")
	kib, err := strconv.ParseInt(strings.Fields(after)[0], 10, 64)
	require.NoError(p.t, err)
	return kib << 10
}

// each does something for each of a list, so many at a time.
func each[T any](all []T, together int, do func(T)) {
	var workers sync.WaitGroup
	next := make(chan T)
	for range together {
		workers.Go(func() {
			for one := range next {
				do(one)
			}
		})
	}
	for _, one := range all {
		next <- one
	}
	close(next)
	workers.Wait()
}

// All hostile files go through the service: read, run and profiled at once. Each ends,
// with words where it fails; the service stays up, within its memory, and answers
// meanwhile.
func TestHostileDeliveries(t *testing.T) {
	p := newProgram(t)
	p.start("--parallel", "2")
	ctx := t.Context()
	var slowest time.Duration
	watched, stop := context.WithCancel(ctx)
	var watching sync.WaitGroup
	watching.Go(func() {
		for watched.Err() == nil {
			began := time.Now()
			if resp, err := http.Get("http://" + p.address + "/healthz"); assert.NoError(t, err) {
				resp.Body.Close()
				assert.Equal(t, 200, resp.StatusCode)
			}
			slowest = max(slowest, time.Since(began))
			time.Sleep(20 * time.Millisecond) // between two questions
		}
	})
	each(hostile.Files(), 6, func(f hostile.File) {
		d, err := p.client.AddDelivery(ctx, f.Name, bytes.NewReader(f.Bytes))
		require.NoError(t, err, f.Name)
		run, err := p.client.StartRun(ctx, api.NewRun{Delivery: d.ID})
		if d.Refusal != "" { // told when it arrived: nothing is begun on it
			assert.Equal(t, "refused", d.State, f.Name)
			assert.Equal(t, 422, statusOf(err), f.Name)
			assert.ErrorContains(t, err, d.Refusal, f.Name)
			_, err = p.client.StartProfile(ctx, d.ID, api.NewProfile{})
			assert.Equal(t, 422, statusOf(err), f.Name)
			_, err = p.client.Read(ctx, d.ID, nil)
			assert.Equal(t, 422, statusOf(err), f.Name)
			return
		}
		require.NoError(t, err, f.Name)
		_, err = p.client.StartProfile(ctx, d.ID, api.NewProfile{})
		require.NoError(t, err, f.Name)

		bounded, enough := context.WithTimeout(ctx, 40*time.Second)
		_, err = p.client.Read(bounded, d.ID, nil)
		assert.Contains(t, []int{0, 422}, statusOf(err), "%s: %v", f.Name, err)
		if err == nil {
			_, err = p.client.Rows(bounded, d.ID, api.AskRows{Last: true, Limit: 10})
			assert.Contains(t, []int{0, 422, 500}, statusOf(err), "%s: %v", f.Name, err)
		}
		run, err = p.client.Follow(bounded, run.ID, nil)
		require.NoError(t, err, f.Name)
		assert.Contains(t, []string{store.Done, store.Failed}, run.State, f.Name)
		if run.State == store.Failed {
			assert.Greater(t, len(run.Error), 30, "%s: %s", f.Name, run.Error)
			assert.NotContains(t, run.Error, p.data, f.Name)
			assert.NotContains(t, run.Error, "Sieb itself failed", f.Name)
		}
		assert.Nil(t, run.Trouble, "%s: work is not tried again for what stays", f.Name)
		profile, err := p.client.AwaitProfile(bounded, d.ID)
		require.NoError(t, err, f.Name)
		assert.Contains(t, []string{store.Done, store.Failed}, profile.State, f.Name)
		assert.NotContains(t, profile.Error, "Sieb itself failed", f.Name)
		enough()
	})
	for _, f := range hostile.Targets() {
		_, err := p.client.AddTarget(ctx, f.Bytes)
		assert.Contains(t, []int{400, 413, 422}, statusOf(err), "%s: %v", f.Name, err)
	}
	rows := "text\n" + strings.Repeat(strings.Repeat("a", 40)+"\n", 3) + "b\n"
	greed, err := p.client.AddDelivery(ctx, "greed.csv", strings.NewReader(rows))
	require.NoError(t, err)
	each(hostile.Greedy(), 4, func(f hostile.File) {
		added, err := p.client.AddTarget(ctx, f.Bytes)
		require.NoError(t, err, f.Name)
		bounded, enough := context.WithTimeout(ctx, 40*time.Second)
		defer enough()
		tried, err := p.client.Rehearse(bounded, greed.ID, api.AskRehearsal{Target: string(f.Bytes)}, nil)
		require.NoError(t, err, f.Name)
		assert.Equal(t, int64(4), tried.Tally.Read, f.Name)
		run, err := p.client.StartRun(ctx, api.NewRun{Delivery: greed.ID, Target: added.Name})
		require.NoError(t, err, f.Name)
		run, err = p.client.Follow(bounded, run.ID, nil)
		require.NoError(t, err, f.Name)
		assert.Equal(t, store.Done, run.State, "%s: %s", f.Name, run.Error)
		assert.Equal(t, int64(4), run.Tally.Read, f.Name)
	})
	stop()
	watching.Wait()
	assert.Less(t, slowest, 2*time.Second, "other requests are answered meanwhile")
	assert.Less(t, p.memory(), int64(1<<30), "all of it within the memory of one")
	d, err := p.client.AddDelivery(ctx, "good.csv", strings.NewReader("a,b\n1,2\n"))
	require.NoError(t, err)
	run, err := p.client.StartRun(ctx, api.NewRun{Delivery: d.ID})
	require.NoError(t, err)
	run, err = p.client.Follow(ctx, run.ID, nil)
	require.NoError(t, err)
	assert.Equal(t, "accepted", run.Verdict)
}

// A NUL in a cell, a name or a header makes a result like any other.
func TestTextsThatTheDatabaseRefuses(t *testing.T) {
	s := servicetest.Start(t, "", nil)
	files := hostile.Files()
	for name, shows := range map[string]string{"nul-cells.csv": "x␀y", "nul-name.zip": "x␀", "nul-header.csv": "",
		"control.csv": "", "nul-texts.xlsx": ""} {
		f := files[slices.IndexFunc(files, func(f hostile.File) bool { return f.Name == name })]
		d, err := s.Client.AddDelivery(t.Context(), f.Name, bytes.NewReader(f.Bytes))
		require.NoError(t, err)
		run, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID})
		require.NoError(t, err)
		run, err = s.Client.Follow(t.Context(), run.ID, nil)
		require.NoError(t, err)
		assert.Equal(t, store.Done, run.State, "%s: %s", name, run.Error)
		assert.Nil(t, run.Trouble, name)
		if shows != "" {
			require.NotEmpty(t, run.Violations, name)
			assert.Contains(t, run.Violations[0].Samples[0].Value, shows, name)
		}
	}
}

// A run that ends the service is failed after the third time, and the others are done.
func TestAPoisonousJob(t *testing.T) {
	p := newProgram(t)
	p.start()
	s := &kit{&servicetest.Service{Address: "http://" + p.address, Client: p.client, Data: p.data}}
	s.register(t)
	text, err := demo.Target("weighbridge_tickets")
	require.NoError(t, err)
	_, err = p.client.AddTarget(t.Context(), text)
	require.NoError(t, err)
	large := s.large(t, 120e6)
	poison, err := p.client.StartRun(t.Context(), api.NewRun{Delivery: large.ID, Target: "weighbridge_tickets"})
	require.NoError(t, err)
	small, err := p.client.AddDelivery(t.Context(), "a.csv", strings.NewReader("a\n1\n"))
	require.NoError(t, err)
	other, err := p.client.StartRun(t.Context(), api.NewRun{Delivery: small.ID})
	require.NoError(t, err)
	var began time.Time
	for n := range 3 {
		servicetest.Await(t, "the run is under way", func() bool {
			r, err := p.client.Run(t.Context(), poison.ID)
			require.NoError(t, err)
			require.NotEqual(t, store.Done, r.State, "the delivery is too small to end the service under way")
			if r.State != store.Running || r.Progress.Rows == 0 || r.StartedAt.Equal(began) {
				return false // or still as the last kill left it
			}
			began = *r.StartedAt
			return true
		})
		p.kill() // as a file might that is made to
		p.start()
		r, err := p.client.Run(t.Context(), poison.ID)
		require.NoError(t, err)
		require.NotNil(t, r.Trouble)
		assert.Equal(t, n+1, r.Trouble.Deaths)
	}
	failed, err := p.client.Follow(t.Context(), poison.ID, nil)
	require.NoError(t, err)
	assert.Equal(t, store.Failed, failed.State)
	assert.Contains(t, failed.Error, "it ended the service three times")
	assert.Contains(t, failed.Error, "or the target weighbridge_tickets (version 1)")
	done, err := p.client.Follow(t.Context(), other.ID, nil)
	require.NoError(t, err)
	assert.Equal(t, "accepted", done.Verdict)
	assert.Zero(t, count(t, filepath.Join(p.data, "runs", poison.ID)), "nothing half-written is left")
	metrics := read(t, func() (r *http.Response) {
		r, err = http.Get("http://" + p.address +
			"/metrics")
		return
	}().Body, err)
	assert.Contains(t, metrics, "sieb_work_orphaned_total")
}

// The service and its PostgreSQL are killed at moments that nobody chose, while files
// arrive and are run: what was acknowledged is there, whole, and is run to its end.
func TestKilledAtAnyMoment(t *testing.T) {
	p := newProgram(t)
	p.start()
	seed := rand.Uint64()
	t.Logf("seed %d", seed)
	random := rand.New(rand.NewPCG(seed, 1))
	type kept struct{ id, content string }
	var mu sync.Mutex
	var deliveries []kept
	var runs []string
	for range 4 {
		ctx, stop := context.WithCancel(t.Context())
		var senders sync.WaitGroup
		for k := range 3 {
			senders.Go(func() {
				for i := 0; i < 8 && ctx.Err() == nil; i++ {
					content := fmt.Sprintf("a,b\n%d,%d\n", k, time.Now().UnixNano()) + strings.Repeat("1,2\n", 2_000)
					d, err := p.client.AddDelivery(ctx, "a.csv", strings.NewReader(content))
					if err != nil {
						continue
					}
					mu.Lock()
					deliveries = append(deliveries, kept{d.ID, content})
					mu.Unlock()
					if run, err := p.client.StartRun(ctx, api.NewRun{Delivery: d.ID}); err == nil {
						mu.Lock()
						runs = append(runs, run.ID)
						mu.Unlock()
					}
				}
			})
		}
		time.Sleep(time.Duration(100+random.IntN(700)) * time.Millisecond) // the moment is what is tested
		if pid := servicetest.Postmaster(p.data); random.IntN(2) == 0 && pid > 0 {
			require.NoError(t, syscall.Kill(pid, syscall.SIGKILL))
		}
		p.kill()
		stop()
		senders.Wait()
		p.start()
	}
	require.NotEmpty(t, deliveries)
	t.Logf("%d deliveries, %d runs", len(deliveries), len(runs))
	for _, d := range deliveries {
		r, err := p.client.Content(t.Context(), d.id)
		assert.Equal(t, d.content, read(t, r, err))
	}
	for _, id := range runs {
		var run api.Run
		servicetest.Await(t, "the run has ended", func() bool {
			var err error
			run, err = p.client.Run(t.Context(), id)
			require.NoError(t, err)
			return run.FinishedAt != nil
		})
		if run.State == store.Failed {
			assert.Contains(t, run.Error, "three times")
			continue
		}
		assert.Equal(t, "accepted", run.Verdict)
		assert.Equal(t, int64(2_001), run.Tally.Read)
	}
	page, err := p.client.Deliveries(t.Context(), "", "", 0, 1)
	require.NoError(t, err)
	assert.Equal(t, page.Total, contents(t, p.data), "no bytes are left without a delivery")
	assert.Zero(t, count(t, filepath.Join(p.data, "arriving")))
	require.NoError(t, filepath.WalkDir(p.data, func(path string, d fs.DirEntry, err error) error {
		if err != nil || path == p.path {
			return err
		}
		info, err := d.Info()
		if assert.NoError(t, err) {
			assert.Zero(t, info.Mode().Perm()&0o077, "%s is open to others: %s", path, info.Mode())
		}
		return nil
	}))
}

// contents counts the stored contents.
func contents(t *testing.T, data string) (n int) {
	t.Helper()
	all, err := filepath.Glob(filepath.Join(data, "deliveries", "*", "*"))
	require.NoError(t, err)
	return len(all)
}

// While the database is away uploads are refused, with nothing left of them, and
// everything goes on when it is back.
func TestUploadsWhileTheDatabaseIsAway(t *testing.T) {
	dir := pgtest.Folder(t)
	db, err := localpg.Start(t.Context(), filepath.Join(dir, "postgres"), quiet)
	require.NoError(t, err)
	url := db.URL()
	s := servicetest.StartWith(t, filepath.Join(dir, "data"), func(c *service.Config) { c.DatabaseURL = url })
	require.NoError(t, db.Stop())
	for _, name := range []string{"a.csv", "b.csv"} {
		_, err = s.Client.AddDelivery(t.Context(), name, strings.NewReader(name))
		assert.Equal(t, 503, statusOf(err), "%v", err)
		assert.ErrorContains(t, err, "the database does not answer")
	}
	resp, _ := ask(t, s, "GET", "/api/v1/deliveries", "")
	assert.Equal(t, 503, resp.StatusCode)
	assert.Equal(t, "5", resp.Header.Get("Retry-After"))
	resp, _ = ask(t, s, "GET", "/healthz", "")
	assert.Equal(t, 503, resp.StatusCode)
	assert.Zero(t, contents(t, s.Data))
	assert.Zero(t, count(t, filepath.Join(s.Data, "arriving")))
	require.NoError(t, os.WriteFile(filepath.Join(s.Inbox, "c.csv"), []byte("a\n1\n"), 0o600),
		"a file comes to the inbox meanwhile")

	// It comes back at the same address.
	cmd := restartOn(t, filepath.Join(dir, "postgres"), url)
	defer cmd()
	servicetest.Await(t, "the file of the inbox is taken", func() bool {
		page, err := s.Client.Deliveries(t.Context(), "", "", 0, 1)
		return err == nil && page.Total == 1
	})
	_, err = s.Client.AddDelivery(t.Context(), "a.csv", strings.NewReader("a\n1\n"))
	require.NoError(t, err)
	require.NoError(t, s.Stop())
}

// What a killed service left between storing and recording is swept at the next start.
func TestOrphansAreSwept(t *testing.T) {
	first := servicetest.Start(t, "", nil)
	d, err := first.Client.AddDelivery(t.Context(), "a.csv", strings.NewReader("a\n1\n"))
	require.NoError(t, err)
	require.NoError(t, first.Stop())
	orphan := filepath.Join(first.Data, "deliveries", "00", strings.Repeat("00", 32))
	require.NoError(t, os.MkdirAll(filepath.Dir(orphan), 0o700))
	require.NoError(t, os.WriteFile(orphan, []byte("x"), 0o400))
	require.NoError(t, os.MkdirAll(filepath.Join(first.Data, "runs", "unknown"), 0o700))
	second := servicetest.Start(t, first.Data, nil)
	assert.NoFileExists(t, orphan)
	assert.NoDirExists(t, filepath.Join(first.Data, "runs", "unknown"))
	r, err := second.Client.Content(t.Context(), d.ID)
	assert.Equal(t, "a\n1\n", read(t, r, err))
}

// Two data folders on one database are refused, and the first keeps working.
func TestTwoFoldersOnOneDatabase(t *testing.T) {
	dir := pgtest.Folder(t)
	db := pgtest.Start(t, filepath.Join(dir, "postgres"))
	one := servicetest.StartWith(t, filepath.Join(dir, "one"), func(c *service.Config) { c.DatabaseURL = db.URL() })
	d, err := one.Client.AddDelivery(t.Context(), "a.csv", strings.NewReader("a\n1\n"))
	require.NoError(t, err)
	err = service.Run(t.Context(), service.Config{Listen: "127.0.0.1:0", Data: filepath.Join(dir, "two"),
		DatabaseURL: db.URL(), Parallel: 1, Log: quiet})
	require.ErrorContains(t, err, "belongs to another data folder (last known as "+filepath.Join(dir, "one"))
	require.NoError(t, one.Stop())

	// The folder may move: what counts is what is in it.
	require.NoError(t, os.Rename(filepath.Join(dir, "one"), filepath.Join(dir, "moved")))
	moved := servicetest.StartWith(t, filepath.Join(dir, "moved"), func(c *service.Config) { c.DatabaseURL = db.URL() })
	r, err := moved.Client.Content(t.Context(), d.ID)
	assert.Equal(t, "a\n1\n", read(t, r, err))
}

// packed writes a ZIP archive of names and contents by turns.
func packed(t *testing.T, parts ...string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for i := 0; i < len(parts); i += 2 {
		w, err := z.Create(parts[i])
		require.NoError(t, err)
		_, err = w.Write([]byte(parts[i+1]))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

// The files of an archive become deliveries all together, or none of them does.
func TestMembersAreTakenTogether(t *testing.T) {
	s := servicetest.StartWith(t, "", func(c *service.Config) { c.MaxUpload = 10 << 20 })
	add := func(content []byte) string {
		d, err := s.Client.AddDelivery(t.Context(), "a.zip", bytes.NewReader(content))
		require.NoError(t, err)
		return d.ID
	}
	var many []string
	for i := range 1001 {
		many = append(many, fmt.Sprintf("f%d.csv", i), fmt.Sprintf("a\n%d\n", i))
	}
	broken := packed(t, "a.csv", "a\n1\n", "b.csv", strings.Repeat("b\n2\n", 5000))
	broken[bytes.Index(broken, []byte("b.csv"))+10] ^= 0xFF // in its packed bytes
	for _, c := range []struct {
		what    string
		archive []byte
		status  int
		says    string
	}{
		{"one name is bad", packed(t, "a.csv", "a\n1\n", "b\u202Ec.csv", "b\n2\n"), 422, "none of the files was taken"},
		{"a NUL", packed(t, "a.csv", "a\n1\n", "b\x00c.csv", "b\n2\n"), 422, "none of the files was taken"},
		{"too many", packed(t, many...), 422, "holds 1001 files; at most 1000"},
		{"too much", packed(t, "a.csv", strings.Repeat("x", 6<<20), "b.csv", strings.Repeat("y", 6<<20)), 413,
			"none was taken"},
		{"one is damaged", broken, 422, "none of the files was taken"},
		{"no archive of several", packed(t, "a.csv", "a\n1\n"), 422, "no ZIP archive of several"},
	} {
		id := add(c.archive)
		before, err := s.Client.Deliveries(t.Context(), "", "", 0, 1)
		require.NoError(t, err)
		stored := contents(t, s.Data)
		_, err = s.Client.TakeMembers(t.Context(), id)
		assert.Equal(t, c.status, statusOf(err), "%s: %v", c.what, err)
		assert.ErrorContains(t, err, c.says, c.what)
		after, err := s.Client.Deliveries(t.Context(), "", "", 0, 1)
		require.NoError(t, err)
		assert.Equal(t, before.Total, after.Total, c.what)
		assert.Equal(t, stored, contents(t, s.Data), "%s: no bytes are left", c.what)
	}
	taken, err := s.Client.TakeMembers(t.Context(), add(packed(t, many[:2000]...)))
	require.NoError(t, err)
	assert.Equal(t, 1000, taken.Total)
}

// Cancelling reaches every step of work on a workbook and of a profile within a second.
func TestCancelReachesEveryLoop(t *testing.T) {
	s := servicetest.Start(t, "", nil)
	var sheet strings.Builder
	sheet.WriteString(`<worksheet><sheetData>`)
	for i := range 60_000 {
		fmt.Fprintf(&sheet, `<row r="%d">%s</row>`, i+1, strings.Repeat(fmt.Sprintf(`<c><v>%d.5</v></c>`, i), 20))
	}
	sheet.WriteString(`</sheetData></worksheet>`)
	const rels = `<Relationships>`
	book := packed(t,
		"_rels/.rels", rels+`<Relationship Id="r1" Type="x/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
		"xl/workbook.xml", `<workbook><sheets><sheet name="a" r:id="r1"/></sheets></workbook>`,
		"xl/_rels/workbook.xml.rels", rels+`<Relationship Id="r1" Type="x/worksheet" Target="s.xml"/></Relationships>`,
		"xl/s.xml", sheet.String())
	d, err := s.Client.AddDelivery(t.Context(), "a.xlsx", bytes.NewReader(book))
	require.NoError(t, err)
	for _, after := range []time.Duration{0, 50, 200, 500} {
		run, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID})
		require.NoError(t, err)
		profile, err := s.Client.StartProfile(t.Context(), d.ID, api.NewProfile{})
		require.NoError(t, err)
		servicetest.Await(t, "the run is under way", func() bool {
			r, err := s.Client.Run(t.Context(), run.ID)
			require.NoError(t, err)
			return r.State != store.Waiting
		})
		time.Sleep(after * time.Millisecond) // into the survey, and beyond it
		_, err = s.Client.CancelRun(t.Context(), run.ID)
		require.Contains(t, []int{0, 409}, statusOf(err))
		_, err = s.Client.CancelProfile(t.Context(), d.ID)
		require.Contains(t, []int{0, 409}, statusOf(err))
		_ = profile
		// What comes next begins at once.
		began := time.Now()
		small, err := s.Client.AddDelivery(t.Context(), "a.csv", strings.NewReader("a\n1\n"))
		require.NoError(t, err)
		next, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: small.ID})
		require.NoError(t, err)
		next, err = s.Client.Follow(t.Context(), next.ID, nil)
		require.NoError(t, err)
		assert.Equal(t, "accepted", next.Verdict)
		assert.Less(t, time.Since(began), 4*time.Second, "after %d ms", after)
	}
	// A closed request ends the survey that it waits for.
	for range 3 {
		ctx, stop := context.WithTimeout(t.Context(), 100*time.Millisecond)
		_, _ = s.Client.Read(ctx, d.ID, nil)
		stop()
	}
	began := time.Now()
	require.NoError(t, s.Stop())
	assert.Less(t, time.Since(began), 8*time.Second, "the service stops with its work at hand")
}

// ownProcess leaves a test out of the short ones, which are for the race detector: it does
// not see into a service that runs in a process of its own.
func ownProcess(t *testing.T) {
	t.Helper()
	if testing.Short() {
		t.Skip("its service runs in a process of its own")
	}
}

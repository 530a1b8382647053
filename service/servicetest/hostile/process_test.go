package hostile_test

import (
	"bytes"
	"context"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/client"
	"sieb/core/report"
	"sieb/demo"
	"sieb/service/api"
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
	address := servicetest.FreeAddress(t)
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
	answers := 0
	watched, stop := context.WithCancel(ctx)
	var watching sync.WaitGroup
	watching.Go(func() {
		for watched.Err() == nil {
			if resp, err := http.Get("http://" + p.address + "/healthz"); assert.NoError(t, err) {
				resp.Body.Close()
				assert.Equal(t, 200, resp.StatusCode)
			}
			answers++
			time.Sleep(20 * time.Millisecond) // between two questions
		}
	})
	each(hostile.Files(), 6, func(f hostile.File) {
		d, err := p.client.AddDelivery(ctx, f.Name, bytes.NewReader(f.Bytes))
		require.NoError(t, err, f.Name)
		run, err := p.client.StartRun(ctx, api.NewRun{Delivery: d.ID})
		if d.Refusal != "" { // told when it arrived: nothing is begun on it
			assert.Equal(t, "refused", d.State, f.Name)
			assert.Equal(t, 422, servicetest.Status(err), f.Name)
			assert.ErrorContains(t, err, d.Refusal, f.Name)
			_, err = p.client.StartProfile(ctx, d.ID, api.NewProfile{})
			assert.Equal(t, 422, servicetest.Status(err), f.Name)
			_, err = p.client.Read(ctx, d.ID, nil)
			assert.Equal(t, 422, servicetest.Status(err), f.Name)
			return
		}
		require.NoError(t, err, f.Name)
		_, err = p.client.StartProfile(ctx, d.ID, api.NewProfile{})
		require.NoError(t, err, f.Name)

		bounded, enough := context.WithTimeout(ctx, 5*time.Minute)
		_, err = p.client.Read(bounded, d.ID, nil)
		assert.Contains(t, []int{0, 422}, servicetest.Status(err), "%s: %v", f.Name, err)
		if err == nil {
			_, err = p.client.Rows(bounded, d.ID, api.AskRows{Last: true, Limit: 10})
			assert.Contains(t, []int{0, 422, 500}, servicetest.Status(err), "%s: %v", f.Name, err)
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
		assert.Contains(t, []int{400, 413, 422}, servicetest.Status(err), "%s: %v", f.Name, err)
	}
	rows := "text\n" + strings.Repeat(strings.Repeat("a", 40)+"\n", 3) + "b\n"
	greed, err := p.client.AddDelivery(ctx, "greed.csv", strings.NewReader(rows))
	require.NoError(t, err)
	each(hostile.Greedy(), 4, func(f hostile.File) {
		added, err := p.client.AddTarget(ctx, f.Bytes)
		require.NoError(t, err, f.Name)
		bounded, enough := context.WithTimeout(ctx, 5*time.Minute)
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
	assert.Greater(t, answers, len(hostile.Files()), "other requests are answered meanwhile")
	assert.Less(t, p.memory(), int64(1<<30), "all of it within the memory of one")
	d, err := p.client.AddDelivery(ctx, "good.csv", strings.NewReader("a,b\n1,2\n"))
	require.NoError(t, err)
	run, err := p.client.StartRun(ctx, api.NewRun{Delivery: d.ID})
	require.NoError(t, err)
	run, err = p.client.Follow(ctx, run.ID, nil)
	require.NoError(t, err)
	assert.Equal(t, "accepted", run.Verdict)
}

// A run that ends the service is failed after the third time, and the others are done.
func TestAPoisonousJob(t *testing.T) {
	p := newProgram(t)
	p.start()
	s := &servicetest.Service{Address: "http://" + p.address, Client: p.client, Data: p.data}
	s.Register(t)
	text, err := demo.Target("weighbridge_tickets")
	require.NoError(t, err)
	_, err = p.client.AddTarget(t.Context(), text)
	require.NoError(t, err)
	large := s.Large(t, 120e6)
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
	assert.Zero(t, servicetest.Entries(t, filepath.Join(p.data, "runs", poison.ID)), "nothing half-written is left")
	metrics := servicetest.Read(t, func() (r *http.Response) {
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
		assert.Equal(t, d.content, servicetest.Read(t, r, err))
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
	assert.Equal(t, page.Total, servicetest.Deliveries(t, p.data), "no bytes are left without a delivery")
	assert.Zero(t, servicetest.Entries(t, filepath.Join(p.data, "arriving")))
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

// ownProcess leaves a test out of the short ones, which are for the race detector: it does
// not see into a service that runs in a process of its own.
func ownProcess(t *testing.T) {
	t.Helper()
	if testing.Short() {
		t.Skip("its service runs in a process of its own")
	}
}

// A service that is killed in the middle of a run comes back, takes the run up
// at once, and gives the same files as one that is not disturbed.
func TestKilledService(t *testing.T) {
	ownProcess(t)
	data := pgtest.Folder(t)
	program := filepath.Join(data, "sieb")
	out, err := exec.Command("go", "build", "-o", program, "sieb/cmd/sieb").CombinedOutput()
	require.NoError(t, err, string(out))
	address := servicetest.FreeAddress(t)
	start := func() *exec.Cmd {
		cmd := exec.Command(program, "serve", "--data", data, "--listen", address)
		cmd.Stderr = os.Stderr
		require.NoError(t, cmd.Start())
		c := client.New("http://"+address, "")
		servicetest.Await(t, "the service answers", func() bool {
			_, err := c.Deliveries(t.Context(), "", "", 0,
				1)
			return err == nil
		})
		return cmd
	}
	s := &servicetest.Service{Address: "http://" + address, Client: client.New("http://"+address, ""), Data: data}
	first := start()
	d := s.Large(t, 100e6)
	s.Register(t)
	text, err := demo.Target("weighbridge_tickets")
	require.NoError(t, err)
	_, err = s.Client.AddTarget(t.Context(), text)
	require.NoError(t, err)
	r, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID, Target: "weighbridge_tickets"})
	require.NoError(t, err)
	servicetest.Await(t, "the run is under way", func() bool {
		r, err = s.Client.Run(t.Context(), r.ID)
		require.NoError(t, err)
		require.NotEqual(t, "done", r.State, "the delivery is too small to be killed under way")
		return r.Progress.Rows > 0
	})
	require.NoError(t, first.Process.Kill())
	_ = first.Wait()
	assert.Positive(t, servicetest.Postmaster(data), "the killed service leaves its PostgreSQL running")

	second := start()
	r, err = s.Client.Follow(t.Context(), r.ID, nil)
	require.NoError(t, err)
	assert.Equal(t, "done", r.State)
	assert.Equal(t, 6, servicetest.Entries(t, filepath.Join(data, "runs", r.ID)), "nothing half-written is left")

	undisturbed, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID, Target: "weighbridge_tickets"})
	require.NoError(t, err)
	undisturbed, err = s.Client.Follow(t.Context(), undisturbed.ID, nil)
	require.NoError(t, err)
	for _, name := range []string{report.AcceptedName, report.RejectedName, report.ViolationsName,
		report.ManifestName} {
		assert.True(t, s.Output(t, r.ID, name) == s.Output(t, undisturbed.ID, name), name)
	}
	require.NoError(t, second.Process.Signal(os.Interrupt))
	require.NoError(t, second.Wait())
	assert.Zero(t, servicetest.Postmaster(data))
}

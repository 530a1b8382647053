// Package jobs does the service's background work: runs and profiles.
//
// Jobs are kept by River in the service's database. A run's job is added in
// the transaction that records the run, so that neither is without the other.
// A run may be worked for any number of times, and gives the same files each
// time. River's own care for jobs of dead workers waits an hour; here each
// instance shows that it lives by holding a lock in the database, and jobs of
// instances that do not are put back within seconds.
package jobs

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/promauto"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivertype"

	"sieb/core/codes"
	"sieb/core/fault"
	"sieb/core/finding"
	"sieb/core/layout"
	"sieb/core/outcome/written"
	"sieb/core/profile"
	"sieb/core/report"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/suggest"
	"sieb/core/target"
	"sieb/service/catalogue"
	"sieb/service/staging"
	"sieb/service/store"
)

// SiftArgs is the job of a run.
type SiftArgs struct {
	Run string `json:"run"`
}

// Kind is the job's name in the queue.
func (SiftArgs) Kind() string { return "sift" }

// InsertOpts leaves it to this package how often work is tried.
func (SiftArgs) InsertOpts() river.InsertOpts { return untiring }

// ProfileArgs is the job of a profile.
type ProfileArgs struct {
	Profile string `json:"profile"`
}

// Kind is the job's name in the queue.
func (ProfileArgs) Kind() string { return "profile" }

// InsertOpts is as that of runs.
func (ProfileArgs) InsertOpts() river.InsertOpts { return untiring }

var untiring = river.InsertOpts{MaxAttempts: 1<<15 - 1}

// Result is what the store keeps of a run.
type Result struct {
	*sift.Result
	Unfit   []suggest.Unfit `json:"unfit,omitempty"`
	ReadAs  layout.Layout   `json:"readAs"`
	Written []string        `json:"written,omitempty"` // files with accepted rows beside accepted.csv
}

// Config is what a queue works with.
type Config struct {
	Store     *store.Store
	Area      *staging.Area
	Tables    *catalogue.Databases // that targets may refer to
	Bounds    source.Bounds
	Parallel  int           // orders worked on at a time
	KeyMemory int64         // bytes that the keys of a delivery may take in memory; 0 stands for 256 MiB
	RetryFor  time.Duration // how long troubles that may pass are waited for
	Version   string
	Log       *slog.Logger
}

// Queue does the work of one instance.
type Queue struct {
	Config

	workers *river.Client[pgx.Tx]
	id      string
	stop    context.CancelFunc
	done    sync.WaitGroup

	mu       sync.Mutex
	active   map[int64]bool // jobs that this instance works on
	stopping bool
}

const (
	// forever stands for "never" where River wants a time.
	forever = 100 * 365 * 24 * time.Hour
	// rescueEvery is how often jobs of dead instances are looked for.
	rescueEvery = 2 * time.Second
	// settle is how long a job may stand in the queue as running before its
	// instance must know of it.
	settle = 5 * time.Second
	// progressEvery is how often a run's progress is recorded.
	progressEvery = 300 * time.Millisecond
	// mostDeaths is how often the service may die under a piece of work before
	// the work is taken to be what kills it.
	mostDeaths = 3
	// Retries wait twice as long each time, from the first to the longest.
	firstWait, longestWait = time.Second, time.Minute
)

var (
	runsEnded = promauto.NewCounterVec(prometheus.CounterOpts{Name: "sieb_runs_ended_total",
		Help: "Runs that came to an end."}, []string{"outcome"})
	retries = promauto.NewCounterVec(prometheus.CounterOpts{Name: "sieb_work_retried_total",
		Help: "Work that was broken off by a trouble that may pass, and is tried again."}, []string{"of"})
	deaths = promauto.NewCounterVec(prometheus.CounterOpts{Name: "sieb_work_orphaned_total",
		Help: "Work under which the service died."}, []string{"of"})
	rowsRead = promauto.NewCounter(prometheus.CounterOpts{Name: "sieb_rows_read_total",
		Help: "Rows read by runs that were done."})
)

// Start begins to work.
func Start(ctx context.Context, c Config) (*Queue, error) {
	q := &Queue{Config: c, active: map[int64]bool{}}
	q.id = fmt.Sprintf("sieb-%d", time.Now().UnixNano())
	workers := river.NewWorkers()
	river.AddWorker(workers, &sifter{queue: q})
	river.AddWorker(workers, &profiler{queue: q})
	quiet := slog.New(quietHandler{q.Log.Handler()})
	var err error
	q.workers, err = river.NewClient(riverpgxv5.New(q.Store.Pool), &river.Config{
		ID: q.id,
		Queues: map[string]river.QueueConfig{river.QueueDefault: {MaxWorkers: q.Parallel},
			shortLane: {MaxWorkers: 1}},
		Workers:              workers,
		JobTimeout:           -1,
		RescueStuckJobsAfter: forever,
		FetchPollInterval:    500 * time.Millisecond,
		Logger:               quiet,
	})
	if err != nil {
		return nil, err
	}
	ctx, q.stop = context.WithCancel(context.WithoutCancel(ctx))
	life, err := hold(ctx, q.Store.Pool, q.id)
	if err != nil {
		return nil, err
	}
	if err := q.rescue(ctx); err != nil {
		life.Release()
		return nil, err
	}
	q.done.Go(func() { q.live(ctx, life) })
	return q, q.workers.Start(context.WithoutCancel(ctx))
}

// quietHandler leaves out River's reports of its own comings and goings.
type quietHandler struct{ slog.Handler }

func (h quietHandler) Enabled(_ context.Context, level slog.Level) bool {
	return level >= slog.LevelWarn
}

// shortLane is the queue of small deliveries, one at a time, so that they need not wait for large ones.
const shortLane = "short"

// laneOf returns the queue in which a delivery of so many bytes waits. Packed ones may be larger than
// they look.
func laneOf(d store.Delivery) string {
	const small, smallPacked = 8 << 20, 256 << 10
	switch strings.ToLower(path.Ext(d.Name)) {
	case ".csv", ".tsv", ".tab", ".txt", ".dat", ".prn":
		if d.Bytes <= small {
			return shortLane
		}
	default:
		if d.Bytes <= smallPacked {
			return shortLane
		}
	}
	return river.QueueDefault
}

// Enqueue adds the job that works for an order of a delivery, in the transaction that records it.
func (q *Queue) Enqueue(ctx context.Context, w store.Work, d store.Delivery) store.Enqueue {
	return func(tx pgx.Tx, id string) (int64, error) {
		var args river.JobArgs = SiftArgs{Run: id}
		if w == store.Profiles {
			args = ProfileArgs{Profile: id}
		}
		job, err := q.workers.InsertTx(ctx, tx, args, &river.InsertOpts{Queue: laneOf(d)})
		if err != nil {
			return 0, err
		}
		return job.Job.ID, nil
	}
}

// Cancel stops the work for an order, wherever it is done. It returns false where
// it had ended already.
func (q *Queue) Cancel(ctx context.Context, w store.Work, id string, job sql.NullInt64) (bool, error) {
	cancelled, err := q.Store.Cancel(ctx, w, id)
	if err != nil || !cancelled || !job.Valid {
		return cancelled, err
	}
	_, err = q.workers.JobCancel(ctx, job.Int64)
	if errors.Is(err, rivertype.ErrNotFound) {
		err = nil
	}
	return true, err
}

// Stop ends the work: runs at hand are broken off and put back.
func (q *Queue) Stop(ctx context.Context) error {
	q.mu.Lock()
	q.stopping = true
	q.mu.Unlock()
	err := q.workers.StopAndCancel(ctx)
	q.stop()
	q.done.Wait()
	return err
}

// hold takes the lock that shows that an instance lives, on a connection of its own.
func hold(ctx context.Context, pool *pgxpool.Pool, id string) (*pgxpool.Conn, error) {
	conn, err := pool.Acquire(ctx)
	if err != nil {
		return nil, err
	}
	if _, err := conn.Exec(ctx, `select pg_advisory_lock(hashtextextended($1, 0))`, id); err != nil {
		conn.Release()
		return nil, err
	}
	return conn, nil
}

// live keeps the lock, and looks for jobs of instances that have lost theirs.
func (q *Queue) live(ctx context.Context, life *pgxpool.Conn) {
	tick := time.NewTicker(rescueEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			// Closing the connection gives the lock back.
			life.Conn().Close(context.WithoutCancel(ctx))
			life.Release()
			return
		case <-tick.C:
		}
		if life.Ping(ctx) != nil {
			// The server was started again: the lock went with the connection.
			life.Release()
			var err error
			for life, err = hold(ctx, q.Store.Pool, q.id); err != nil; life, err = hold(ctx, q.Store.Pool, q.id) {
				select {
				case <-ctx.Done():
					return
				case <-time.After(200 * time.Millisecond):
				}
			}
		}
		if err := q.rescue(ctx); err != nil && ctx.Err() == nil {
			q.Log.Warn("jobs of dead instances could not be looked for", "error", err)
		}
	}
}

// rescue puts jobs back that nobody works on: those of instances whose lock
// is free, and those that this instance has lost from sight, as happens when
// the database dies under a job.
func (q *Queue) rescue(ctx context.Context) error {
	rows, err := q.Store.Pool.Query(ctx, `
		select id, kind, attempted_by[array_upper(attempted_by, 1)], attempted_at < now() - $1::interval
		from river_job where state = 'running' and kind = any($2)`, settle, []string{SiftArgs{}.Kind(), ProfileArgs{}.Kind()})
	if err != nil {
		return err
	}
	type job struct {
		ID     int64
		Kind   string
		By     string
		IsOld  bool
		IsLost bool
	}
	jobs, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (j job, err error) {
		return j, row.Scan(&j.ID, &j.Kind, &j.By, &j.IsOld)
	})
	if err != nil {
		return err
	}
	for _, j := range jobs {
		switch q.mu.Lock(); {
		case j.By == q.id:
			j.IsLost = j.IsOld && !q.active[j.ID]
			q.mu.Unlock()
		default:
			q.mu.Unlock()
			if err := q.Store.Pool.QueryRow(ctx, `
				select free and pg_advisory_unlock(hashtextextended($1, 0))
				from (select pg_try_advisory_lock(hashtextextended($1, 0)) as free offset 0) as t`, j.By).Scan(&j.IsLost); err != nil {
				return err
			}
		}
		if !j.IsLost {
			continue
		}
		if j.By != q.id {
			if err := q.bury(ctx, workOf[j.Kind], j.ID, j.By); err != nil {
				return err
			}
		}
		tag, err := q.Store.Pool.Exec(ctx, `
			update river_job set state = 'available', scheduled_at = now()
			where id = $1 and state = 'running' and attempted_by[array_upper(attempted_by, 1)] = $2`, j.ID, j.By)
		if err != nil {
			return err
		}
		if tag.RowsAffected() > 0 {
			q.Log.Info("work whose instance is gone is taken up again", "job", j.ID, "instance", j.By)
		}
	}
	return nil
}

// workOf tells the kind of work by the kind of its jobs.
var workOf = map[string]store.Work{SiftArgs{}.Kind(): store.Runs, ProfileArgs{}.Kind(): store.Profiles}

// bury counts a death of the service under the work of a job. Work that ended it
// several times is failed: its job finds that when it is taken up again.
func (q *Queue) bury(ctx context.Context, w store.Work, job int64, instance string) error {
	id, n, err := q.Store.Died(ctx, w, job)
	if errors.Is(err, store.ErrNone) {
		return nil // its order is gone
	} else if err != nil {
		return err
	}
	deaths.WithLabelValues(string(w)).Inc()
	q.Log.Warn("the service died under work", "of", w, "id", id, "instance", instance, "times", n)
	if n < mostDeaths {
		return nil
	}
	suspects, err := q.suspects(ctx, w, id)
	if err != nil {
		return err
	}
	return q.fail(ctx, w, id, store.Delivery{},
		fmt.Errorf("it ended the service three times, and is not tried again; %s", suspects))
}

// suspects says what may have ended the service: the delivery of an order, and the target and the
// mapping that it was to be run with.
func (q *Queue) suspects(ctx context.Context, w store.Work, id string) (string, error) {
	var run store.Run
	var delivery string
	if w == store.Runs {
		var err error
		if run, err = q.Store.Run(ctx, id); err != nil {
			return "", err
		}
		delivery = run.DeliveryID
	} else {
		order, err := q.Store.Profile(ctx, id)
		if err != nil {
			return "", err
		}
		delivery = order.DeliveryID
	}
	d, err := q.Store.Delivery(ctx, delivery)
	if err != nil {
		return "", err
	}
	if !run.TargetName.Valid {
		return fmt.Sprintf("the file %q may be made to do so: ask the sender what it is", d.Name), nil
	}
	with := fmt.Sprintf("the target %s (version %d)", run.TargetName.String, run.TargetVersion.Int32)
	if run.MappingName.Valid {
		with += fmt.Sprintf(", the mapping %s (version %d)", run.MappingName.String, run.MappingVersion.Int32)
	}
	return fmt.Sprintf("the file %q may do so, or %s, which it was run with: run it without a target to tell which, "+
		"and ask the sender what the file is", d.Name, with), nil
}

// patient is what the workers for all kinds of jobs have in common: work takes as
// long as it takes. River tries again by itself only where the database could not
// even be told of the trouble.
type patient[A river.JobArgs] struct{ river.WorkerDefaults[A] }

func (patient[A]) Timeout(*river.Job[A]) time.Duration { return -1 }

func (patient[A]) NextRetry(*river.Job[A]) time.Time { return time.Now().Add(2 * time.Second) }

type sifter struct {
	patient[SiftArgs]
	queue *Queue
}

func (w *sifter) Work(ctx context.Context, job *river.Job[SiftArgs]) error {
	return w.queue.attend(ctx, job.ID, store.Runs, job.Args.Run, w.queue.sift)
}

type profiler struct {
	patient[ProfileArgs]
	queue *Queue
}

func (w *profiler) Work(ctx context.Context, job *river.Job[ProfileArgs]) error {
	return w.queue.attend(ctx, job.ID, store.Profiles, job.Args.Profile, w.queue.profile)
}

// attend works for one order. Trouble that may pass (the database is away, the
// disk is full) makes the order wait and the job come again; anything else fails
// the order at once, with its reason, and the job is done.
func (q *Queue) attend(ctx context.Context, job int64, w store.Work, id string,
	work func(context.Context, string) error) error {
	q.mu.Lock()
	q.active[job] = true
	q.mu.Unlock()
	defer func() {
		q.mu.Lock()
		delete(q.active, job)
		q.mu.Unlock()
	}()
	isOpen, err := q.Store.Begin(ctx, w, id)
	if err == nil && isOpen {
		err = guarded(ctx, id, work)
	}
	if ctx.Err() != nil {
		return q.brokenOff(context.WithoutCancel(ctx), w, id)
	}
	if err == nil {
		return nil
	}
	if store.IsAway(err) || fault.IsDisk(err) {
		return q.again(ctx, w, id, err)
	}
	return q.fail(ctx, w, id, store.Delivery{}, err)
}

// guarded works; a panic fails the work, and the service goes on.
func guarded(ctx context.Context, id string, work func(context.Context, string) error) (err error) {
	defer fault.Recover(&err, func() string { return "working" })
	return work(ctx, id)
}

// brokenOff ends work whose context has ended: the service stops, or the order was
// cancelled, which says so already.
func (q *Queue) brokenOff(ctx context.Context, w store.Work, id string) error {
	q.mu.Lock()
	stopping := q.stopping
	q.mu.Unlock()
	if stopping {
		if err := q.Store.PutBack(ctx, w, id); err != nil {
			return err
		}
		return river.JobSnooze(0)
	}
	if w == store.Runs {
		runsEnded.WithLabelValues(store.Cancelled).Inc()
	}
	return nil
}

// again makes an order wait for trouble to pass, longer each time. Where it has
// not passed for long, the order fails.
func (q *Queue) again(ctx context.Context, w store.Work, id string, why error) error {
	trouble, err := q.Store.Trouble(ctx, w, id)
	if err != nil {
		return err // the database is away: River comes again
	}
	if trouble.Since.Valid && time.Since(trouble.Since.Time) > q.RetryFor {
		return q.record(ctx, w, id, store.Delivery{},
			fmt.Errorf("given up after %d tries in %s: %w", trouble.Tries+1, q.RetryFor, why))
	}
	wait := min(firstWait<<min(trouble.Tries, 10), longestWait)
	if trouble, err = q.Store.Retry(ctx, w, id, q.Area.Conceal(why, "", ""), wait); errors.Is(err, store.ErrNone) {
		return nil // it was cancelled meanwhile
	} else if err != nil {
		return err
	}
	retries.WithLabelValues(string(w)).Inc()
	q.Log.Warn("work is tried again", "of", w, "id", id, "tries", trouble.Tries, "in", wait, "error", why)
	return river.JobSnooze(wait)
}

// open opens a delivery as settings made by hand read it.
func (q *Queue) open(ctx context.Context, d store.Delivery, settings []byte) (*source.File, error) {
	var given layout.Given
	if err := json.Unmarshal(settings, &given); err != nil {
		return nil, fmt.Errorf("the layout: %w", err)
	}
	return q.OpenDelivery(ctx, d, given)
}

// OpenDelivery opens a delivery around given settings; its bytes are proved when they are read.
func (q *Queue) OpenDelivery(ctx context.Context, d store.Delivery, given layout.Given) (*source.File, error) {
	return q.Bounds.Of(source.Content{SHA256: d.SHA256, Bytes: d.Bytes}).Open(ctx, q.Area.Path(d.SHA256), given)
}

// progress makes what records how far the work has come, now and then. Of a
// compressed delivery it tells the part of its own bytes.
func (q *Queue) progress(ctx context.Context, w store.Work, id string, d store.Delivery,
	file *source.File) func(bytes, rows int64) {
	noted := time.Now()
	return func(bytes, rows int64) {
		if time.Since(noted) < progressEvery {
			return
		}
		noted = time.Now()
		if file.Size > 0 {
			bytes = int64(float64(bytes) / float64(file.Size) * float64(d.Bytes))
		}
		if err := q.Store.Progress(ctx, w, id, bytes, rows); err != nil && ctx.Err() == nil {
			q.Log.Warn("progress could not be recorded", "of", w, "id", id, "error", err)
		}
	}
}

// Reopen opens a run that is done once more, with its delivery, to look at what it made of rows. What its target
// refers to is read, too, or else left out of the target. It is to be closed by the function that comes with it.
func (q *Queue) Reopen(ctx context.Context, run store.Run, refers bool) (r *report.Run, done func(), err error) {
	delivery, err := q.Store.Delivery(ctx, run.DeliveryID)
	if err != nil {
		return nil, nil, err
	}
	r = &report.Run{Name: delivery.Name, KeyMemory: q.KeyMemory, Today: run.CreatedAt.Local(), RepeatOf: run.RepeatOf}
	if err := q.rules(ctx, run, r); err != nil {
		return nil, nil, err
	}
	if refers {
		if err := q.refer(ctx, run, r); err != nil {
			closeKeys(r)
			return nil, nil, err
		}
	} else if r.Target != nil {
		r.Target = r.Target.Alone()
	}
	if r.Delivery, err = q.open(ctx, delivery, run.Layout); err != nil {
		closeKeys(r)
		return nil, nil, err
	}
	return r, func() {
		r.Delivery.Close()
		closeKeys(r)
	}, nil
}

func (q *Queue) sift(ctx context.Context, id string) error {
	run, err := q.Store.Run(ctx, id)
	if err != nil {
		return err
	}
	delivery, err := q.Store.Delivery(ctx, run.DeliveryID)
	if err != nil {
		return err
	}
	r := report.Run{Name: delivery.Name, SHA256: delivery.SHA256, Dir: q.Area.RunDir(id), Version: q.Version,
		SHA256Outputs: run.Sums, KeyMemory: q.KeyMemory, Today: run.CreatedAt.Local(), RepeatOf: run.RepeatOf}
	if err := q.rules(ctx, run, &r); err != nil {
		return q.fail(ctx, store.Runs, id, delivery, err)
	}
	if r.Target != nil {
		if r.Write, err = written.Of(r.Target.Mapping); err != nil {
			return q.fail(ctx, store.Runs, id, delivery, fmt.Errorf("mapping %s, version %d: %w", run.MappingName.String,
				run.MappingVersion.Int32, err))
		}
	}
	defer closeKeys(&r)
	if err := q.refer(ctx, run, &r); err != nil {
		return q.fail(ctx, store.Runs, id, delivery, err)
	}
	if r.Delivery, err = q.open(ctx, delivery, run.Layout); err != nil {
		return q.fail(ctx, store.Runs, id, delivery, err)
	}
	defer r.Delivery.Close()
	var last sift.Progress
	note := q.progress(ctx, store.Runs, id, delivery, r.Delivery)
	r.Progress = func(p sift.Progress) {
		last = p
		note(p.Bytes, p.Rows)
	}
	summary, err := r.Do(ctx)
	if err != nil {
		return q.fail(ctx, store.Runs, id, delivery, err)
	}
	kept := Result{Result: summary.Result, Unfit: summary.Unfit, ReadAs: r.Delivery.Layout}
	for _, path := range summary.Outputs.Also {
		kept.Written = append(kept.Written, filepath.Base(path))
	}
	result, err := json.Marshal(kept)
	if err != nil {
		return err
	}
	if done, err := q.Store.Finish(ctx, id, string(summary.Verdict), result, delivery.Bytes, last.Rows); err != nil {
		return err
	} else if !done { // cancelled at the last moment: what was written goes
		return os.RemoveAll(q.Area.RunDir(id))
	}
	runsEnded.WithLabelValues(string(summary.Verdict)).Inc()
	rowsRead.Add(float64(summary.Tally.Read))
	q.Log.Info("run done", "run", id, "delivery", delivery.Name, "verdict", summary.Verdict, "read", summary.Tally.Read,
		"accepted", summary.Tally.Accepted, "rejected", summary.Tally.Rejected)
	return nil
}

// rules puts the target of a run together, with its mapping where it has one.
func (q *Queue) rules(ctx context.Context, run store.Run, r *report.Run) error {
	if !run.TargetName.Valid {
		return nil
	}
	t, err := q.Store.Text(ctx, store.Targets, run.TargetName.String, int(run.TargetVersion.Int32))
	if err != nil {
		return err
	}
	r.TargetVersion = t.Version
	if err = json.Unmarshal(run.Codes, &r.CodesVersions); err != nil {
		return err
	}
	if r.Codes, err = q.CodeLists(ctx, r.CodesVersions); err != nil {
		return err
	}
	if r.Target, err = target.Parse([]byte(t.Text)); err != nil {
		return fmt.Errorf("target %s, version %d: %w", t.Name, t.Version, err)
	}
	if !run.MappingName.Valid {
		return nil
	}
	if t, err = q.Store.Text(ctx, store.Mappings, run.MappingName.String, int(run.MappingVersion.Int32)); err != nil {
		return err
	}
	r.MappingVersion = t.Version
	m, err := target.ParseMapping([]byte(t.Text))
	if err == nil {
		r.Target, err = r.Target.With(m)
	}
	if err != nil {
		return fmt.Errorf("mapping %s, version %d: %w", t.Name, t.Version, err)
	}
	return nil
}

// CodeLists reads versions of code lists, in the order of their names.
func (q *Queue) CodeLists(ctx context.Context, versions map[string]int) (all []*codes.List, err error) {
	for _, name := range slices.Sorted(maps.Keys(versions)) {
		t, err := q.Store.Text(ctx, store.Codes, name, versions[name])
		if err != nil {
			return nil, err
		}
		l, err := codes.Parse(ctx, name, []byte(t.Text))
		if err != nil {
			return nil, err
		}
		all = append(all, l)
	}
	return all, nil
}

// Refusal says why a content of the staging area cannot be read as a table; "" where it
// may be one, or where that is not told at once.
func Refusal(ctx context.Context, area *staging.Area, sum string) string {
	const patience = 2 * time.Second
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	return source.Refusal(ctx, area.Path(sum))
}

// Profiled is what the store keeps of a profile.
type Profiled struct {
	Profile *profile.Profile `json:"profile"`
	ReadAs  layout.Layout    `json:"readAs"`
}

func (q *Queue) profile(ctx context.Context, id string) error {
	order, err := q.Store.Profile(ctx, id)
	if err != nil {
		return err
	}
	delivery, err := q.Store.Delivery(ctx, order.DeliveryID)
	if err != nil {
		return err
	}
	file, err := q.open(ctx, delivery, order.Layout)
	if err != nil {
		return q.fail(ctx, store.Profiles, id, delivery, err)
	}
	defer file.Close()
	note := q.progress(ctx, store.Profiles, id, delivery, file)
	p, err := finding.Profile(ctx, file, profile.Options{Share: order.Share.Float64,
		Progress: func(p profile.Progress) { note(p.Bytes, p.Rows) }})
	if err != nil {
		return q.fail(ctx, store.Profiles, id, delivery, err)
	}
	result, err := json.Marshal(Profiled{p, file.Layout})
	if err != nil {
		return err
	}
	if err := q.Store.FinishProfile(ctx, id, result, delivery.Bytes, p.Rows); err != nil {
		return err
	}
	q.Log.Info("profile done", "profile", id, "delivery", delivery.Name, "rows", p.Rows, "columns", len(p.Columns),
		"findings", len(p.Findings))
	return nil
}

// fail records why an order cannot be done; the job itself is then done. Work that
// was broken off has not failed, and a full disk may have room again later.
func (q *Queue) fail(ctx context.Context, w store.Work, id string, d store.Delivery, why error) error {
	if ctx.Err() != nil {
		return ctx.Err()
	}
	if fault.IsDisk(why) {
		return why
	}
	return q.record(ctx, w, id, d, why)
}

// record records that an order has failed.
func (q *Queue) record(ctx context.Context, w store.Work, id string, d store.Delivery, why error) error {
	var crash *fault.Crash
	if errors.As(why, &crash) {
		q.Log.Error("work failed by a defect of the program", "of", w, "id", id, "error", why, "stack",
			string(crash.Stack))
	} else {
		q.Log.Warn("work failed", "of", w, "id", id, "error", why)
	}
	if err := q.Store.Fail(ctx, w, id, q.Area.Conceal(why, d.SHA256, d.Name)); err != nil {
		return err
	}
	if w == store.Runs {
		// An instance that died under it may have left files half-written.
		if err := os.RemoveAll(q.Area.RunDir(id)); err != nil {
			q.Log.Warn("the files of a failed run could not be removed", "run", id, "error", err)
		}
		runsEnded.WithLabelValues(store.Failed).Inc()
	}
	return nil
}

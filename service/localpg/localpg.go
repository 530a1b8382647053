// Package localpg runs a private PostgreSQL for one service.
//
// The server comes from Debian's package. Its cluster is made once, belongs to
// this service alone, listens on loopback only, on a port of its own, and is
// stopped with the service. A server that an earlier service left running,
// because it was killed, is taken over; one that dies is started again.
package localpg

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"

	"sieb/core/fault"
)

// Server is a running private PostgreSQL.
type Server struct {
	dir      string // the service's own: password and log
	home     string // where the cluster stands; the server's user's own
	bin      string
	port     int
	password string
	account  *account
	log      *slog.Logger

	mu      sync.Mutex
	stopped bool
	pid     int
	died    chan struct{}
	done    chan struct{}
}

// account is the user that the server runs as, nil for the service's own.
type account struct{ uid, gid uint32 }

const startTimeout = 60 * time.Second

// Start starts the cluster in a folder, and makes it where it is missing. What the environment says for
// PostgreSQL's programs and drivers (PGSERVICE, PGOPTIONS and their like) is meant for other servers: it
// is taken from this process, whose only server of that kind this one is.
func Start(ctx context.Context, dir string, log *slog.Logger) (*Server, error) {
	for _, variable := range os.Environ() {
		if name, _, _ := strings.Cut(variable, "="); strings.HasPrefix(name, "PG") {
			os.Unsetenv(name)
		}
	}
	bin, err := findBinaries()
	if err != nil {
		return nil, err
	}
	dir, err = filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	s := &Server{dir: dir, home: dir, bin: bin, log: log, done: make(chan struct{})}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fault.Writing(err, "making the folder of the database, "+dir)
	}
	if err := s.chooseAccount(); err != nil {
		return nil, err
	}
	if err := s.initialise(ctx); err != nil {
		return nil, err
	}
	if err := s.launch(ctx); err != nil {
		return nil, err
	}
	go s.watch()
	return s, nil
}

// findBinaries finds the newest server of Debian's packages, or one on the path.
func findBinaries() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/postgres")
	slices.SortFunc(found, func(a, b string) int { return version(b) - version(a) })
	if len(found) > 0 {
		return filepath.Dir(found[0]), nil
	}
	if path, err := exec.LookPath("postgres"); err == nil {
		return filepath.Dir(path), nil
	}
	return "", errors.New("PostgreSQL is not installed: install Debian's package postgresql, or name a server with " +
		"--database-url")
}

func version(path string) int {
	n, _ := strconv.Atoi(filepath.Base(filepath.Dir(filepath.Dir(path))))
	return n
}

// chooseAccount picks the user to run as. PostgreSQL refuses to run as root; then it
// is Debian's user postgres.
//
// That user can reach nothing in the data folder, which is root's alone. So the
// cluster stands where Debian keeps clusters, in a folder that postgres makes and
// owns. As root nothing is made, opened for writing or removed in there, by any
// path: postgres could have put a link in its way.
func (s *Server) chooseAccount() error {
	if os.Getuid() != 0 {
		return nil
	}
	u, err := user.Lookup("postgres")
	if err != nil {
		return errors.New("PostgreSQL does not run as root, and there is no user postgres: install Debian's package " +
			"postgresql")
	}
	uid, _ := strconv.ParseUint(u.Uid, 10, 32)
	gid, _ := strconv.ParseUint(u.Gid, 10, 32)
	s.account = &account{uint32(uid), uint32(gid)}
	if s.home, err = s.place(u.HomeDir); err != nil {
		return err
	}
	if err := s.run("mkdir", "-p", "-m", "700", s.home); err != nil {
		return fmt.Errorf("the user postgres cannot make %s for the database: %w", s.home, err)
	}
	return s.moveOut()
}

// place returns the cluster's folder in the home of the user postgres. It is written
// down, so that it is found again when the data folder has moved.
func (s *Server) place(home string) (string, error) {
	where := filepath.Join(s.dir, "where")
	if text, err := os.ReadFile(where); err == nil {
		return strings.TrimSpace(string(text)), nil
	}
	sum := sha256.Sum256([]byte(s.dir + rand.Text()))
	place := filepath.Join(home, "sieb-"+hex.EncodeToString(sum[:6]))
	s.log.Info("the data folder is root's alone; the database cluster stands with the user postgres", "data", s.dir,
		"cluster", place)
	return place, fault.Writing(os.WriteFile(where, []byte(place+"\n"), 0o600),
		"writing down where the database stands")
}

// moveOut moves a cluster that an earlier version made in the data folder, which
// then had to be open to the user postgres.
func (s *Server) moveOut() error {
	old := filepath.Join(s.dir, "cluster")
	info, err := os.Lstat(old)
	if err != nil || !info.IsDir() {
		return nil
	}
	if err := errors.Join(os.Chown(s.dir, 0, 0), os.Chmod(s.dir, 0o700)); err != nil {
		return err
	}
	if err := os.Rename(old, s.cluster()); err != nil {
		return fmt.Errorf("the database cluster cannot be moved out of the data folder by itself (%w): move %s to "+
			"%s, owned by postgres, and start again", fault.Cause(err), old, s.cluster())
	}
	return nil
}

// run runs a small program as the server's user.
func (s *Server) run(name string, args ...string) error {
	out, err := s.command(context.Background(), name, args...).CombinedOutput()
	if err != nil && len(out) > 0 {
		return errors.New(strings.TrimSpace(string(out)))
	}
	return err
}

// command prepares a program that runs as the server's user, in a process
// group of its own, so that Ctrl-C reaches the service first.
func (s *Server) command(ctx context.Context, name string, args ...string) *exec.Cmd {
	cmd := exec.CommandContext(ctx, name, args...)
	cmd.Dir = "/"
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	if s.account != nil {
		cmd.SysProcAttr.Credential = &syscall.Credential{Uid: s.account.uid, Gid: s.account.gid}
	}
	cmd.Env = append(os.Environ(), "LC_ALL=C.UTF-8", "TZ=UTC")
	return cmd
}

func (s *Server) cluster() string { return filepath.Join(s.home, "cluster") }

// initialise makes the cluster once: in a temporary folder that is renamed
// when it is complete, so that a half-made one is never taken for a cluster.
func (s *Server) initialise(ctx context.Context) error {
	secret := filepath.Join(s.dir, "password")
	if _, err := os.Lstat(filepath.Join(s.cluster(), "PG_VERSION")); err == nil {
		text, err := readPlain(secret)
		s.password = strings.TrimSpace(string(text))
		if err != nil {
			return fmt.Errorf("the password of the private PostgreSQL cannot be read: %w", err)
		}
		return nil
	}
	s.log.Info("making the database cluster", "folder", s.cluster())
	s.password = rand.Text()
	if err := os.Remove(secret); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	if err := os.WriteFile(secret, []byte(s.password+"\n"), 0o600); err != nil {
		return fault.Writing(err, "keeping the password of the database")
	}
	// All of the rest is done by the server's user, in its own folder.
	fresh, shown := s.cluster()+".new", filepath.Join(s.home, "password.new")
	tell := s.command(ctx, "/bin/sh", "-c", `umask 077; rm -rf "$1" "$2"; cat > "$2"`, "sh", fresh, shown)
	tell.Stdin = strings.NewReader(s.password + "\n")
	if out, err := tell.CombinedOutput(); err != nil {
		return fmt.Errorf("the folder %s of the database cannot be written to: %w %s", s.home, err,
			strings.TrimSpace(string(out)))
	}
	cmd := s.command(ctx, filepath.Join(s.bin, "initdb"), "--pgdata", fresh, "--username", "sieb", "--pwfile", shown,
		"--auth", "scram-sha-256", "--encoding", "UTF8", "--locale", "C.UTF-8")
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("initdb failed: %w\n%s", err, strings.TrimSpace(string(out)))
	}
	return s.run("/bin/sh", "-c", `rm -f "$2" && mv "$1" "$3"`, "sh", fresh, shown, s.cluster())
}

// readPlain reads a small file of the server's user: an ordinary one, never a link
// or a pipe in its place.
func readPlain(path string) ([]byte, error) {
	f, err := os.OpenFile(path, os.O_RDONLY|syscall.O_NOFOLLOW|syscall.O_NONBLOCK, 0)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	if info, err := f.Stat(); err != nil || !info.Mode().IsRegular() {
		return nil, errors.Join(err, fmt.Errorf("%s is no ordinary file", path))
	}
	return io.ReadAll(io.LimitReader(f, 4096))
}

// launch takes over a running server or starts one, and waits until it answers.
func (s *Server) launch(ctx context.Context) error {
	if pid, port := s.running(); pid > 0 {
		s.port, s.pid = port, pid
		if err := s.wait(ctx); err == nil {
			s.log.Info("took over the running PostgreSQL", "pid", pid, "port", port)
			s.died = make(chan struct{})
			go s.poll(pid, s.died)
			return nil
		}
		s.log.Warn("a PostgreSQL of an earlier service does not answer; it is stopped", "pid", pid)
		if err := stop(pid); err != nil {
			return err
		}
	}
	if err := s.forget(); err != nil {
		return err
	}
	port, err := freePort()
	if err != nil {
		return err
	}
	return s.launchOn(ctx, port)
}

// launchOn starts the server on a port and waits until it answers.
func (s *Server) launchOn(ctx context.Context, port int) error {
	s.port = port
	logFile, err := os.OpenFile(filepath.Join(s.dir, "postgres.log"),
		os.O_CREATE|os.O_APPEND|os.O_WRONLY|syscall.O_NOFOLLOW, 0o600)
	if err != nil {
		return err
	}
	defer logFile.Close() // no loss: the server has a descriptor of its own
	cmd := s.command(context.Background(), filepath.Join(s.bin, "postgres"), "-D", s.cluster(), "-p",
		strconv.Itoa(port),
		"-c", "listen_addresses=127.0.0.1", "-c", "unix_socket_directories=", "-c", "max_connections=100")
	cmd.Stdout, cmd.Stderr = logFile, logFile
	if err := cmd.Start(); err != nil {
		return fmt.Errorf("PostgreSQL cannot be started: %w", err)
	}
	s.pid, s.died = cmd.Process.Pid, make(chan struct{})
	go func(died chan struct{}) {
		_ = cmd.Wait()
		close(died)
	}(s.died)
	if err := s.wait(ctx); err != nil {
		_ = stop(s.pid)
		return fmt.Errorf("%w; see %s", err, logFile.Name())
	}
	return nil
}

// running reads who holds the cluster: process and port, 0 where nobody does. The
// cluster's note of it may be older than the process that now has the number: it is
// believed only where the process works in the cluster and began when the note says.
func (s *Server) running() (pid, port int) {
	text, err := readPlain(filepath.Join(s.cluster(), "postmaster.pid"))
	lines := strings.Split(string(text), "\n")
	if err != nil || len(lines) < 4 {
		return 0, 0
	}
	pid, _ = strconv.Atoi(strings.TrimSpace(lines[0]))
	began, _ := strconv.ParseInt(strings.TrimSpace(lines[2]), 10, 64)
	port, _ = strconv.Atoi(strings.TrimSpace(lines[3]))
	if pid <= 0 || port <= 0 || !alive(pid) || !s.isServer(pid, time.Unix(began, 0)) {
		return 0, 0
	}
	return pid, port
}

// forget removes the cluster's note of a server that is gone and whose process
// number another process has by now: the new server would take that one for it.
// PostgreSQL itself deals with all other notes.
func (s *Server) forget() error {
	note := filepath.Join(s.cluster(), "postmaster.pid")
	if info, err := os.Lstat(note); err == nil && !info.Mode().IsRegular() {
		s.log.Warn("in place of the note of a running server stands something else; it is removed", "file", note,
			"kind", info.Mode().String())
		return s.run("rm", "-rf", note)
	}
	text, err := readPlain(note)
	if err != nil {
		return nil // there is none
	}
	first, _, _ := strings.Cut(string(text), "\n")
	pid, err := strconv.Atoi(strings.TrimSpace(first))
	if err != nil || !alive(pid) {
		return nil
	}
	works, _ := filepath.Glob("/proc/[0-9]*/cwd")
	for _, link := range works {
		if s.isIn(link) {
			return fmt.Errorf("a process of another PostgreSQL still works in %s (%s): stop it, and start again",
				s.cluster(), filepath.Dir(link))
		}
	}
	s.log.Info("the note of a server that is gone is removed", "process", pid)
	return s.run("rm", "-f", note)
}

// isIn reports whether a process, by the link to its folder, works in the cluster.
func (s *Server) isIn(link string) bool {
	in, err := os.Readlink(link)
	if err != nil {
		return false
	}
	cluster, err := filepath.EvalSymlinks(s.cluster())
	return err == nil && in == cluster
}

func alive(pid int) bool {
	err := syscall.Kill(pid, 0)
	return err == nil || errors.Is(err, syscall.EPERM)
}

// isServer reports whether a process is the cluster's server that began at a time.
func (s *Server) isServer(pid int, began time.Time) bool {
	const tolerance = 30 * time.Second // between the start of a process and its note of it
	comm, err := os.ReadFile(fmt.Sprintf("/proc/%d/comm", pid))
	if err != nil || strings.TrimSpace(string(comm)) != "postgres" {
		return false
	}
	if !s.isIn(fmt.Sprintf("/proc/%d/cwd", pid)) {
		return false
	}
	started, err := startOf(pid)
	return err == nil && started.Sub(began).Abs() < tolerance
}

// startOf returns the time at which a process began (proc(5): field 22 of stat, in
// hundredths of a second since the machine's start, and btime).
func startOf(pid int) (time.Time, error) {
	stat, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return time.Time{}, err
	}
	_, rest, _ := strings.Cut(string(stat), ") ") // behind the name, which may hold blanks
	fields := strings.Fields(rest)
	if len(fields) < 20 {
		return time.Time{}, errors.New("the process has no start")
	}
	ticks, err := strconv.ParseInt(fields[19], 10, 64)
	if err != nil {
		return time.Time{}, err
	}
	boot, err := os.ReadFile("/proc/stat")
	if err != nil {
		return time.Time{}, err
	}
	_, after, _ := strings.Cut(string(boot), "\nbtime ")
	line, _, _ := strings.Cut(after, "\n")
	seconds, err := strconv.ParseInt(line, 10, 64)
	return time.Unix(seconds, 0).Add(time.Duration(ticks) * 10 * time.Millisecond), err
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

// URL returns the address of the service's database.
func (s *Server) URL() string { return s.url("sieb") }

func (s *Server) url(database string) string {
	u := url.URL{Scheme: "postgres", User: url.UserPassword("sieb", s.password),
		Host: net.JoinHostPort("127.0.0.1", strconv.Itoa(s.port)), Path: database}
	return u.String() + "?sslmode=disable"
}

// wait waits until the server answers, and makes the database where it is missing.
func (s *Server) wait(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, startTimeout)
	defer cancel()
	for {
		err := s.prepare(ctx)
		if err == nil {
			return nil
		}
		select {
		case <-ctx.Done():
			return fmt.Errorf("PostgreSQL does not answer: %w", err)
		case <-s.died:
			return fmt.Errorf("PostgreSQL ended at its start: %w", err)
		case <-time.After(50 * time.Millisecond):
		}
	}
}

func (s *Server) prepare(ctx context.Context) error {
	conn, err := pgx.Connect(ctx, s.url("postgres"))
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	var exists bool
	if err := conn.QueryRow(ctx, `select exists (select from pg_database where datname = 'sieb')`).Scan(
		&exists); err != nil || exists {
		return err
	}
	_, err = conn.Exec(ctx, `create database sieb`)
	return err
}

// poll watches a server that is not a child of this process.
func (s *Server) poll(pid int, died chan struct{}) {
	defer close(died)
	began, err := startOf(pid)
	for is, e := began, err; e == nil && is.Equal(began) && !zombie(pid); is, e = startOf(pid) {
		select {
		case <-s.done:
			return
		case <-time.After(500 * time.Millisecond):
		}
	}
}

// watch starts the server again when it dies.
func (s *Server) watch() {
	for {
		s.mu.Lock()
		died := s.died
		s.mu.Unlock()
		select {
		case <-s.done:
			return
		case <-died:
		}
		s.mu.Lock()
		if s.stopped {
			s.mu.Unlock()
			return
		}
		s.log.Error("PostgreSQL has died; it is started again", "pid", s.pid)
		err := s.relaunch()
		s.mu.Unlock()
		if err != nil {
			s.log.Error("PostgreSQL cannot be started again", "error", err)
			select {
			case <-s.done:
				return
			case <-time.After(2 * time.Second):
			}
		}
	}
}

// relaunch starts the server on the port that connections know.
func (s *Server) relaunch() error {
	ctx, cancel := context.WithTimeout(context.Background(), startTimeout)
	defer cancel()
	return s.launchOn(ctx, s.port)
}

// Stop stops the server and waits until it has ended.
func (s *Server) Stop() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.stopped {
		return nil
	}
	s.stopped = true
	close(s.done)
	if err := stop(s.pid); err != nil {
		return err
	}
	select {
	case <-s.died: // it was collected, so that nothing is left of it
	case <-time.After(5 * time.Second):
	}
	return nil
}

// stop asks a server for a fast shutdown, then insists.
func stop(pid int) error {
	for _, try := range []struct {
		signal syscall.Signal
		wait   time.Duration
	}{{syscall.SIGINT, 20 * time.Second}, {syscall.SIGQUIT, 5 * time.Second}, {syscall.SIGKILL, 5 * time.Second}} {
		if err := syscall.Kill(pid, try.signal); err != nil {
			return nil // it has ended
		}
		for deadline := time.Now().Add(try.wait); time.Now().Before(deadline); time.Sleep(20 * time.Millisecond) {
			if !alive(pid) || zombie(pid) {
				return nil
			}
		}
	}
	return fmt.Errorf("PostgreSQL (process %d) does not stop", pid)
}

// zombie reports whether a process has ended and only waits to be collected.
func zombie(pid int) bool {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return false
	}
	_, rest, _ := strings.Cut(string(text), ") ")
	return strings.HasPrefix(rest, "Z")
}

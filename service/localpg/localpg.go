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
)

// Server is a running private PostgreSQL.
type Server struct {
	dir      string
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

// Start starts the cluster in a folder, and makes it where it is missing.
func Start(ctx context.Context, dir string, log *slog.Logger) (*Server, error) {
	bin, err := findBinaries()
	if err != nil {
		return nil, err
	}
	dir, err = filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	s := &Server{dir: dir, bin: bin, log: log, done: make(chan struct{})}
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
	return "", errors.New("PostgreSQL is not installed: install Debian's package postgresql, or name a server with --database-url")
}

func version(path string) int {
	n, _ := strconv.Atoi(filepath.Base(filepath.Dir(filepath.Dir(path))))
	return n
}

// chooseAccount picks the user to run as. PostgreSQL refuses to run as root;
// then it is Debian's user postgres, who must be able to reach the folder.
func (s *Server) chooseAccount() error {
	if os.Getuid() != 0 {
		return nil
	}
	u, err := user.Lookup("postgres")
	if err != nil {
		return errors.New("PostgreSQL does not run as root, and there is no user postgres: install Debian's package postgresql")
	}
	uid, _ := strconv.ParseUint(u.Uid, 10, 32)
	gid, _ := strconv.ParseUint(u.Gid, 10, 32)
	s.account = &account{uint32(uid), uint32(gid)}
	if s.reachable() {
		return nil
	}
	// A folder under /root, say. The cluster then stands where Debian keeps
	// clusters, under a name that belongs to this data folder.
	sum := sha256.Sum256([]byte(s.dir))
	elsewhere := filepath.Join(u.HomeDir, "sieb-"+hex.EncodeToString(sum[:6]))
	s.log.Info("the user postgres cannot reach the data folder; the cluster stands elsewhere", "data", s.dir, "cluster", elsewhere)
	s.dir = elsewhere
	if !s.reachable() {
		return fmt.Errorf("the user postgres can reach neither the data folder nor %s; choose another folder with --data", elsewhere)
	}
	return nil
}

func (s *Server) reachable() bool {
	if os.MkdirAll(s.dir, 0o700) != nil || os.Chown(s.dir, int(s.account.uid), int(s.account.gid)) != nil {
		return false
	}
	return s.command(context.Background(), "/bin/sh", "-c", `cd "$1" && test -w .`, "sh", s.dir).Run() == nil
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

func (s *Server) cluster() string { return filepath.Join(s.dir, "cluster") }

// initialise makes the cluster once: in a temporary folder that is renamed
// when it is complete, so that a half-made one is never taken for a cluster.
func (s *Server) initialise(ctx context.Context) error {
	if err := os.MkdirAll(s.dir, 0o700); err != nil {
		return fmt.Errorf("the folder of the database cannot be made: %w", err)
	}
	secret := filepath.Join(s.dir, "password")
	if _, err := os.Stat(filepath.Join(s.cluster(), "PG_VERSION")); err == nil {
		text, err := os.ReadFile(secret)
		s.password = strings.TrimSpace(string(text))
		if err != nil {
			return fmt.Errorf("the password of the private PostgreSQL cannot be read: %w", err)
		}
		return nil
	}
	s.log.Info("making the database cluster", "folder", s.cluster())
	s.password = rand.Text()
	if err := os.WriteFile(secret, []byte(s.password+"\n"), 0o600); err != nil {
		return err
	}
	if s.account != nil {
		if err := os.Chown(secret, int(s.account.uid), int(s.account.gid)); err != nil {
			return err
		}
	}
	fresh := s.cluster() + ".new"
	if err := os.RemoveAll(fresh); err != nil {
		return err
	}
	cmd := s.command(ctx, filepath.Join(s.bin, "initdb"), "--pgdata", fresh, "--username", "sieb", "--pwfile", secret,
		"--auth", "scram-sha-256", "--encoding", "UTF8", "--locale", "C.UTF-8")
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("initdb failed: %w\n%s", err, strings.TrimSpace(string(out)))
	}
	return os.Rename(fresh, s.cluster())
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
	port, err := freePort()
	if err != nil {
		return err
	}
	return s.launchOn(ctx, port)
}

// launchOn starts the server on a port and waits until it answers.
func (s *Server) launchOn(ctx context.Context, port int) error {
	s.port = port
	logFile, err := os.OpenFile(filepath.Join(s.dir, "postgres.log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	defer logFile.Close()
	cmd := s.command(context.Background(), filepath.Join(s.bin, "postgres"), "-D", s.cluster(), "-p", strconv.Itoa(port),
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

// running reads who holds the cluster: process and port, 0 where nobody does.
func (s *Server) running() (pid, port int) {
	text, err := os.ReadFile(filepath.Join(s.cluster(), "postmaster.pid"))
	lines := strings.Split(string(text), "\n")
	if err != nil || len(lines) < 4 {
		return 0, 0
	}
	pid, _ = strconv.Atoi(strings.TrimSpace(lines[0]))
	port, _ = strconv.Atoi(strings.TrimSpace(lines[3]))
	if pid <= 0 || !alive(pid) || !isPostgres(pid) {
		return 0, 0
	}
	return pid, port
}

func alive(pid int) bool {
	err := syscall.Kill(pid, 0)
	return err == nil || errors.Is(err, syscall.EPERM)
}

// isPostgres guards against a process that was given the number of a dead server.
func isPostgres(pid int) bool {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/comm", pid))
	return err != nil || strings.TrimSpace(string(text)) == "postgres"
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

// URL gives the address of the service's database.
func (s *Server) URL() string { return s.url("sieb") }

func (s *Server) url(database string) string {
	u := url.URL{Scheme: "postgres", User: url.UserPassword("sieb", s.password), Host: net.JoinHostPort("127.0.0.1", strconv.Itoa(s.port)), Path: database}
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
	if err := conn.QueryRow(ctx, `select exists (select from pg_database where datname = 'sieb')`).Scan(&exists); err != nil || exists {
		return err
	}
	_, err = conn.Exec(ctx, `create database sieb`)
	return err
}

// poll watches a server that is not a child of this process.
func (s *Server) poll(pid int, died chan struct{}) {
	defer close(died)
	for alive(pid) {
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

// zombie tells whether a process has ended and only waits to be collected.
func zombie(pid int) bool {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return false
	}
	_, rest, _ := strings.Cut(string(text), ") ")
	return strings.HasPrefix(rest, "Z")
}

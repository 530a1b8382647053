// Package servicetest runs a real service on loopback for tests, with its own
// PostgreSQL.
package servicetest

import (
	"context"
	"log/slog"
	"net/http"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"sieb/client"
	"sieb/service"
	"sieb/service/localpg/pgtest"
)

// Service is a running service.
type Service struct {
	Address string
	Data    string
	Inbox   string
	Client  *client.Client

	stop context.CancelFunc
	done chan error
}

// Postmaster returns the process of the PostgreSQL of a service's data folder, 0 where
// none runs.
func Postmaster(data string) int { return pgtest.Postmaster(filepath.Join(data, "postgres")) }

// Start runs a service over a data folder ("" makes one) until Stop or the end
// of the test.
func Start(t testing.TB, data string, console http.Handler) *Service {
	t.Helper()
	return StartWith(t, data, func(c *service.Config) { c.Console = console })
}

// StartWith is Start with other settings than the usual ones.
func StartWith(t testing.TB, data string, change func(*service.Config)) *Service {
	t.Helper()
	if data == "" {
		data = pgtest.Folder(t)
	}
	url := databaseOf(t, data)
	return start(t, data, func(c *service.Config) {
		c.DatabaseURL = url
		change(c)
	})
}

// StartAlone is StartWith for a service with a PostgreSQL of its own, even where the tests of the package share
// one.
func StartAlone(t testing.TB, data string, change func(*service.Config)) *Service {
	t.Helper()
	if data == "" {
		data = pgtest.Folder(t)
	}
	return start(t, data, change)
}

func start(t testing.TB, data string, change func(*service.Config)) *Service {
	t.Helper()
	ctx, stop := context.WithCancel(context.Background())
	s := &Service{Data: data, Inbox: filepath.Join(data, "inbox"), stop: stop, done: make(chan error, 1)}
	ready := make(chan string, 1)
	log := &lines{}
	config := service.Config{Listen: "127.0.0.1:0", Data: data, Inbox: service.InboxConfig{Folder: s.Inbox},
		Parallel: 1, Version: "test",
		Log:   slog.New(slog.NewTextHandler(log, &slog.HandlerOptions{Level: slog.LevelDebug})),
		Ready: func(address string) { ready <- address }}
	change(&config)
	go func() { s.done <- service.Run(ctx, config) }()
	t.Cleanup(func() {
		if err := s.Stop(); err != nil {
			t.Errorf("the service did not end well: %v", err)
		}
		if t.Failed() {
			t.Log(log.String())
		}
	})
	select {
	case s.Address = <-ready:
	case err := <-s.done:
		s.done <- nil
		t.Fatalf("the service did not start: %v\n%s", err, log)
	case <-time.After(patience):
		t.Fatalf("the service did not start in time\n%s", log)
	}
	s.Client = client.New(s.Address, "")
	return s
}

// Stop stops the service and waits for its end.
func (s *Service) Stop() error {
	s.stop()
	err := <-s.done
	s.done <- err
	return err
}

// lines keeps a log until a test has failed.
type lines struct {
	mu   sync.Mutex
	text []byte
}

func (l *lines) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.text = append(l.text, p...)
	return len(p), nil
}

func (l *lines) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return string(l.text)
}

// patience is how long something may take, also on a slow machine that does other things as well.
const patience = 5 * time.Minute

// Await waits until a condition holds.
func Await(t testing.TB, what string, holds func() bool) {
	t.Helper()
	for end := time.Now().Add(patience); !holds(); time.Sleep(20 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatalf("waited in vain until %s", what)
		}
	}
}

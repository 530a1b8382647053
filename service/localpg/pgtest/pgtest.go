// Package pgtest runs private PostgreSQL servers for tests, and cleans up after them.
package pgtest

import (
	"log/slog"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"sieb/service/localpg"
)

// Folder makes a temporary folder for a service's data. With it goes the database
// cluster that, as root, stands with the user postgres.
func Folder(t testing.TB) string {
	t.Helper()
	dir, err := os.MkdirTemp("", "sieb-test-*")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { Remove(dir) })
	return dir
}

// Remove removes a folder of a service's data, or of a server, with the database cluster that belongs to it.
func Remove(dir string) {
	for _, pattern := range []string{".", "*"} {
		places, _ := filepath.Glob(filepath.Join(dir, pattern))
		for _, place := range places {
			if home := Home(place); home != place {
				os.RemoveAll(home)
			}
		}
	}
	os.RemoveAll(dir)
}

// Home returns the folder of a private PostgreSQL's cluster, of which dir is the
// service's own folder.
func Home(dir string) string {
	text, err := os.ReadFile(filepath.Join(dir, "where"))
	if err != nil {
		return dir
	}
	return strings.TrimSpace(string(text))
}

// Postmaster returns the process of the PostgreSQL of a folder, 0 where none runs.
func Postmaster(dir string) (pid int) {
	text, err := os.ReadFile(filepath.Join(Home(dir), "cluster", "postmaster.pid"))
	if err != nil {
		return 0
	}
	first, _, _ := strings.Cut(string(text), "\n")
	pid, _ = strconv.Atoi(first)
	return pid
}

// Start runs a server in a folder until the end of the test.
func Start(t testing.TB, dir string) *localpg.Server {
	t.Helper()
	s, err := localpg.Start(t.Context(), dir, slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
	})
	return s
}

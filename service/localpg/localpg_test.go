package localpg_test

import (
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/service/localpg"
	"sieb/service/localpg/pgtest"
)

func answers(t *testing.T, s *localpg.Server) {
	t.Helper()
	conn, err := pgx.Connect(t.Context(), s.URL())
	require.NoError(t, err)
	require.NoError(t, conn.Close(t.Context()))
}

// orphan starts a server as a service does that is then killed: it goes on running.
func orphan(t *testing.T, dir string) (pid int) {
	t.Helper()
	s, err := localpg.Start(t.Context(), dir, slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	answers(t, s)
	pid = pgtest.Postmaster(dir)
	require.Positive(t, pid)
	t.Cleanup(func() {
		if pgtest.Postmaster(dir) == pid {
			_ = syscall.Kill(pid, syscall.SIGQUIT)
		}
	})
	return pid
}

func note(dir string) string {
	return filepath.Join(pgtest.Home(dir), "cluster", "postmaster.pid")
}

// rewrite changes a line of the cluster's note of its server.
func rewrite(t *testing.T, path string, line int, to string) {
	t.Helper()
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	lines := strings.Split(string(text), "\n")
	lines[line] = to
	require.NoError(t, os.WriteFile(path, []byte(strings.Join(lines, "\n")), 0o600))
}

// A server that a killed service left is taken over, with all it has.
func TestAServerLeftRunningIsTakenOver(t *testing.T) {
	dir := filepath.Join(pgtest.Folder(t), "postgres")
	pid := orphan(t, dir)
	s := pgtest.Start(t, dir)
	answers(t, s)
	assert.Equal(t, pid, pgtest.Postmaster(dir))
}

// The note of a server that is gone names a process number that another server has by
// now: that one is left alone, and a new one starts on the cluster.
func TestAnotherServerIsLeftAlone(t *testing.T) {
	folder := pgtest.Folder(t)
	mine, other := filepath.Join(folder, "mine"), filepath.Join(folder, "other")
	first, err := localpg.Start(t.Context(), mine, slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	text, err := os.ReadFile(note(mine))
	require.NoError(t, err)
	require.NoError(t, first.Stop())
	neighbour := pgtest.Start(t, other)
	pid := pgtest.Postmaster(other)

	require.NoError(t, os.WriteFile(note(mine), text, 0o600))
	rewrite(t, note(mine), 0, fmt.Sprint(pid))
	chown(t, note(mine))
	s := pgtest.Start(t, mine)
	answers(t, s)
	answers(t, neighbour)
	assert.Equal(t, pid, pgtest.Postmaster(other), "it still runs")
	assert.NotEqual(t, pid, pgtest.Postmaster(mine))
}

// chown gives a file to the user of the cluster it is in.
func chown(t *testing.T, path string) {
	t.Helper()
	info, err := os.Stat(filepath.Dir(path))
	require.NoError(t, err)
	stat := info.Sys().(*syscall.Stat_t)
	require.NoError(t, os.Chown(path, int(stat.Uid), int(stat.Gid)))
}

// A note whose start does not agree with the process's is not believed: nothing is
// stopped, and no second server comes onto the cluster.
func TestANoteThatDoesNotAgree(t *testing.T) {
	dir := filepath.Join(pgtest.Folder(t), "postgres")
	pid := orphan(t, dir)
	text, err := os.ReadFile(note(dir))
	require.NoError(t, err)
	began := strings.Split(string(text), "\n")[2]
	rewrite(t, note(dir), 2, fmt.Sprint(time.Now().Add(-time.Hour).Unix()))
	_, err = localpg.Start(t.Context(), dir, slog.New(slog.DiscardHandler))
	require.ErrorContains(t, err, "still works in")
	require.NoError(t, syscall.Kill(pid, 0), "it was not stopped")
	rewrite(t, note(dir), 2, began)
	answers(t, pgtest.Start(t, dir))
}

// What the service keeps is its own; as root the cluster is the user postgres's, who
// owns no folder above what is root's.
func TestFilesArePrivate(t *testing.T) {
	dir := filepath.Join(pgtest.Folder(t), "postgres")
	answers(t, pgtest.Start(t, dir))
	entries, err := os.ReadDir(dir)
	require.NoError(t, err)
	require.NotEmpty(t, entries)
	for _, path := range []string{dir, filepath.Join(dir, "password"), filepath.Join(dir, "postgres.log"),
		filepath.Join(pgtest.Home(dir), "cluster")} {
		info, err := os.Lstat(path)
		require.NoError(t, err)
		assert.Zero(t, info.Mode().Perm()&0o077, "%s is open to others: %s", path, info.Mode())
	}
	if os.Getuid() != 0 {
		return
	}
	for _, path := range []string{dir, filepath.Join(dir, "password"), filepath.Join(dir, "postgres.log")} {
		info, err := os.Lstat(path)
		require.NoError(t, err)
		assert.Zero(t, info.Sys().(*syscall.Stat_t).Uid, "%s is root's", path)
	}
	info, err := os.Lstat(filepath.Join(pgtest.Home(dir), "cluster"))
	require.NoError(t, err)
	assert.NotZero(t, info.Sys().(*syscall.Stat_t).Uid)
}

// As root, links that the user postgres plants where the cluster is to stand, or in
// it, lead nowhere.
func TestPlantedLinksLeadNowhere(t *testing.T) {
	if os.Getuid() != 0 {
		t.Skip("links of another user matter to root only")
	}
	asPostgres := func(script string, args ...string) {
		t.Helper()
		out, err := exec.Command("setpriv", append([]string{"--reuid=postgres", "--regid=postgres", "--clear-groups",
			"sh", "-c", script, "sh"}, args...)...).CombinedOutput()
		require.NoError(t, err, string(out))
	}
	dir := filepath.Join(pgtest.Folder(t), "postgres")
	s, err := localpg.Start(t.Context(), dir, slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	require.NoError(t, s.Stop())
	home := pgtest.Home(dir)

	victim := filepath.Join(t.TempDir(), "victim")
	require.NoError(t, os.WriteFile(victim, []byte("root's own\n"), 0o600))
	before, err := os.Stat(victim)
	require.NoError(t, err)
	// The note of a running server is a link, or a pipe that nobody writes to.
	for _, plant := range []string{`ln -sf "$1" "$2"`, `rm -f "$2" && mkfifo "$2"`,
		`rm -f "$2" && mkdir "$2" && touch "$2/x"`} {
		asPostgres(plant, victim, note(dir))
		s, err := localpg.Start(t.Context(), dir, slog.New(slog.DiscardHandler))
		require.NoError(t, err, plant)
		answers(t, s)
		require.NoError(t, s.Stop())
	}

	// A new cluster where links stand in its way: it is made by postgres, who cannot
	// write to what is root's.
	asPostgres(`rm -rf "$1/cluster" && ln -s "$2" "$1/password.new" && ln -s "$3" "$1/cluster.new"`, home, victim,
		filepath.Dir(victim))
	answers(t, pgtest.Start(t, dir))
	text, err := os.ReadFile(victim)
	require.NoError(t, err)
	assert.Equal(t, "root's own\n", string(text))
	after, err := os.Stat(victim)
	require.NoError(t, err)
	assert.Equal(t, before.Sys().(*syscall.Stat_t).Uid, after.Sys().(*syscall.Stat_t).Uid)
	assert.Equal(t, before.Mode(), after.Mode())
}

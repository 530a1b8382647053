package cli_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/service/servicetest/hostile"
)

const (
	mostTime   = 3 * time.Minute
	mostMemory = 1 << 30
)

// runBounded runs the program in a process of its own and holds it to the bounds of
// a hostile file: 1 GiB, an exit code of its own and words, and an end, for which a slow machine has three minutes.
func runBounded(t *testing.T, program, what string, args ...string) (code int, out, errs string) {
	t.Helper()
	ctx, stop := context.WithTimeout(t.Context(), mostTime)
	defer stop()
	cmd := exec.CommandContext(ctx, program, args...)
	var stdout, stderr bytes.Buffer
	cmd.Stdout, cmd.Stderr = &stdout, &stderr
	err := cmd.Run()
	require.NoError(t, ctx.Err(), "%s: it did not end", what)
	code = cmd.ProcessState.ExitCode()
	out, errs = stdout.String(), stderr.String()
	short := errs[:min(len(errs), 500)]
	assert.Contains(t, []int{0, 1, 3, 4}, code, "%s: %v\n%s", what, err, short)
	assert.Less(t, cmd.ProcessState.SysUsage().(*syscall.Rusage).Maxrss*1024, int64(mostMemory), what)
	assert.NotContains(t, errs, "goroutine", what)
	assert.NotContains(t, errs, "Sieb itself failed", what)
	if code == 1 {
		assert.Greater(t, len(errs), 30, "%s: it says what is wrong", what)
		assert.NotRegexp(t, `(?m)^sieb: (\S+: )?EOF$`, errs, what)
	}
	for _, r := range out + errs {
		if r != '\n' && r != '\t' && (r < ' ' || r >= 0x7f && r < 0xa0 || r == '\u202e') {
			assert.Fail(t, "a control character reached the terminal", "%s: %U", what, r)
			break
		}
	}
	return code, out, errs
}

func build(t *testing.T) string {
	t.Helper()
	program := filepath.Join(t.TempDir(), "sieb")
	out, err := exec.Command("go", "build", "-o", program, "sieb/cmd/sieb").CombinedOutput()
	require.NoError(t, err, string(out))
	return program
}

func TestHostileFiles(t *testing.T) {
	program := build(t)
	files := hostile.Files()
	require.GreaterOrEqual(t, len(files), 80)
	for i, f := range files {
		dir := t.TempDir()
		path := filepath.Join(dir, f.Name)
		require.NoError(t, os.WriteFile(path, f.Bytes, 0o600))
		switch i % 3 { // the service does all three of each
		case 0:
			runBounded(t, program, "read "+f.Name, "read", path)
		case 1:
			runBounded(t, program, "profile "+f.Name, "profile", path, "--format", "json")
		default:
			out := filepath.Join(dir, "out")
			code, _, _ := runBounded(t, program, "sift "+f.Name, "sift", path, "--out", out)
			entries, err := os.ReadDir(out)
			if code == 1 {
				assert.Empty(t, entries, "%s: a run that failed leaves nothing", f.Name)
			} else {
				require.NoError(t, err, f.Name)
				assert.Len(t, entries, 6, f.Name)
			}
		}
		os.RemoveAll(dir)
	}
}

func TestHostileTargets(t *testing.T) {
	program := build(t)
	targets := hostile.Targets()
	require.GreaterOrEqual(t, len(targets), 20)
	dir := t.TempDir()
	path := filepath.Join(dir, "a.csv")
	require.NoError(t, os.WriteFile(path, []byte("a\naaaa\n"), 0o600))
	for _, f := range targets {
		target := filepath.Join(dir, f.Name)
		require.NoError(t, os.WriteFile(target, f.Bytes, 0o600))
		code, _, errs := runBounded(t, program, f.Name, "sift", path, "--target", target)
		assert.Equal(t, 1, code, f.Name)
		assert.Contains(t, errs, "line ", "%s: the place is told", f.Name)
		assert.Less(t, len(errs), 64<<10, "%s: nothing is told without end", f.Name)
		assert.Less(t, strings.Count(errs, "\n"), 110, f.Name)
	}
}

// The outputs' SHA-256 stand in the manifest where they are asked for, and only there.
func TestSHA256OfOutputs(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "a.csv")
	require.NoError(t, os.WriteFile(path, []byte("a,b\n1,2\n3\n"), 0o600))
	for _, asked := range []bool{true, false} {
		out := filepath.Join(dir, fmt.Sprint(asked))
		code, _, errs := sieb("sift", path, "--out", out, fmt.Sprintf("--sha256=%t", asked))
		require.Equal(t, 3, code, errs)
		text, err := os.ReadFile(filepath.Join(out, "manifest.json"))
		require.NoError(t, err)
		for _, name := range []string{"accepted.csv", "rejected.csv", "excluded.csv", "violations.csv"} {
			written, err := os.ReadFile(filepath.Join(out, name))
			require.NoError(t, err)
			assert.Equal(t, asked, strings.Contains(string(text), fmt.Sprintf(`"sha256": "%x"`,
				sha256.Sum256(written))), name)
		}
	}
}

package hostile_test

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"encoding/hex"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/service/api"
	"sieb/service/servicetest"
	"sieb/service/store"
)

// overwrite changes a delivery where it is kept.
func overwrite(t *testing.T, s *servicetest.Service, sum string, change func([]byte) []byte) {
	t.Helper()
	path := filepath.Join(s.Data, "deliveries", sum[:2], sum)
	content, err := os.ReadFile(path)
	require.NoError(t, err)
	require.NoError(t, os.Chmod(path, 0o600))
	require.NoError(t, os.WriteFile(path, change(content), 0o600))
}

// A delivery that the disk has damaged fails whatever reads all of it, in words; the same file, sent
// again, mends it.
func TestDamagedDeliveries(t *testing.T) {
	s := servicetest.Start(t, "", nil)
	ctx := t.Context()
	rows := "no,kg\n" + strings.Repeat("AH-1,20000\nAH-2,18000\n", 20_000)
	var packed bytes.Buffer
	z := gzip.NewWriter(&packed)
	_, err := io.WriteString(z, rows)
	require.NoError(t, err)
	require.NoError(t, z.Close())
	for name, content := range map[string]string{"plain.csv": rows, "packed.csv.gz": packed.String()} {
		for what, change := range map[string]func([]byte) []byte{
			"cut short":        func(b []byte) []byte { return b[:len(b)-11] },
			"a byte differs":   func(b []byte) []byte { b[len(b)-3] ^= 1; return b },
			"the last differs": func(b []byte) []byte { b[len(b)-1] ^= 1; return b },
			"a byte more":      func(b []byte) []byte { return append(b, '\n') },
		} {
			t.Run(name+" "+what, func(t *testing.T) {
				d, err := s.Client.AddDelivery(ctx, name, strings.NewReader(content))
				require.NoError(t, err)
				sum := sha256.Sum256([]byte(content))
				require.Equal(t, hex.EncodeToString(sum[:]), d.SHA256)
				overwrite(t, s, d.SHA256, change)

				run, err := s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID})
				require.NoError(t, err)
				run, err = s.Client.Follow(ctx, run.ID, nil)
				require.NoError(t, err)
				assert.Equal(t, store.Failed, run.State)
				if name == "plain.csv" {
					assert.Contains(t, run.Error, "no longer those that arrived")
					assert.Contains(t, run.Error, "send the file again")
				}
				_, err = os.Stat(filepath.Join(s.Data, "runs", run.ID))
				assert.ErrorIs(t, err, os.ErrNotExist, "nothing was written")
				_, err = s.Client.StartProfile(ctx, d.ID, api.NewProfile{})
				require.NoError(t, err)
				profile, err := s.Client.AwaitProfile(ctx, d.ID)
				require.NoError(t, err)
				assert.Equal(t, store.Failed, profile.State)
				if r, err := s.Client.Content(ctx, d.ID); err == nil {
					_, err = io.ReadAll(r)
					assert.Error(t, err, "a download does not look whole")
					r.Close()
				}

				again, err := s.Client.AddDelivery(ctx, name, strings.NewReader(content))
				require.NoError(t, err)
				require.NotNil(t, again.RepeatOf)
				run, err = s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID})
				require.NoError(t, err)
				run, err = s.Client.Follow(ctx, run.ID, nil)
				require.NoError(t, err)
				assert.Equal(t, "accepted", run.Verdict, "%s", run.Error)
				r, err := s.Client.Content(ctx, d.ID)
				require.NoError(t, err)
				got, err := io.ReadAll(r)
				require.NoError(t, err)
				assert.Equal(t, content, string(got))
				r.Close()
			})
		}
	}
}

// A stray file among the deliveries is nobody's, and stops nothing.
func TestStrayFiles(t *testing.T) {
	s := servicetest.Start(t, "", nil)
	d, err := s.Client.AddDelivery(t.Context(), "a.csv", strings.NewReader("a,b\n1,2\n"))
	require.NoError(t, err)
	require.NoError(t, s.Stop())
	for _, path := range []string{"deliveries/.DS_Store", "deliveries/" + d.SHA256[:2] + "/notes.txt", "runs/notes.txt",
		"deliveries/zz"} {
		require.NoError(t, os.WriteFile(filepath.Join(s.Data, path), []byte("x"), 0o600))
	}
	again := servicetest.Start(t, s.Data, nil)
	run, err := again.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID})
	require.NoError(t, err)
	run, err = again.Client.Follow(t.Context(), run.ID, nil)
	require.NoError(t, err)
	assert.Equal(t, "accepted", run.Verdict)
}

// What is missing in the folder of a run is said, and a run of a version that left no rows out has none
// that are.
func TestFilesThatAreMissing(t *testing.T) {
	s := servicetest.Start(t, "", nil)
	ctx := t.Context()
	d, err := s.Client.AddDelivery(ctx, "a.csv", strings.NewReader("a,b\n1,2\n3\n"))
	require.NoError(t, err)
	var runs []api.Run
	for range 2 {
		run, err := s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID})
		require.NoError(t, err)
		run, err = s.Client.Follow(ctx, run.ID, nil)
		require.NoError(t, err)
		runs = append(runs, run)
	}
	dir := filepath.Join(s.Data, "runs", runs[0].ID)
	require.NoError(t, os.Remove(filepath.Join(dir, "excluded.csv")))
	r, err := s.Client.Output(ctx, runs[0].ID, "excluded.csv")
	require.NoError(t, err)
	text, err := io.ReadAll(r)
	require.NoError(t, err)
	assert.Equal(t, "row,line,reason\n", string(text))
	c, err := s.Client.CompareRuns(ctx, runs[1].ID, runs[0].ID)
	require.NoError(t, err)
	require.NotNil(t, c.Rows, c.NotSaid)

	require.NoError(t, os.Remove(filepath.Join(dir, "rejected.csv")))
	_, err = s.Client.Output(ctx, runs[0].ID, "rejected.csv")
	assert.ErrorContains(t, err, "a file is missing in the service's data folder")
	_, err = s.Client.Rejects(ctx, runs[0].ID, "", "", 0, 10)
	assert.ErrorContains(t, err, "a file is missing in the service's data folder")

	path := filepath.Join(s.Data, "deliveries", d.SHA256[:2], d.SHA256)
	require.NoError(t, os.Remove(path))
	run, err := s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID})
	require.NoError(t, err)
	run, err = s.Client.Follow(ctx, run.ID, nil)
	require.NoError(t, err)
	assert.Equal(t, store.Failed, run.State, "what stays missing is not tried again")
	assert.Nil(t, run.Trouble)
}

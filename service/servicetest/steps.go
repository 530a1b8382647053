package servicetest

import (
	"bufio"
	"bytes"
	"errors"
	"io"
	"net"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"sieb/client"
	"sieb/demo"
	"sieb/service/api"
)

// AddDemo hands in a delivery of the demo, with its target and mapping, and with the register that it refers to.
func (s *Service) AddDemo(t testing.TB, m demo.Made) api.Delivery {
	t.Helper()
	text, err := demo.Target(m.Target)
	require.NoError(t, err)
	_, err = s.Client.AddTarget(t.Context(), text)
	require.NoError(t, err)
	if m.Mapping != "" {
		s.Register(t)
		text, err = demo.Mapping(m.Mapping)
		require.NoError(t, err)
		_, err = s.Client.AddMapping(t.Context(), text)
		require.NoError(t, err)
	}
	d, err := s.Client.AddDelivery(t.Context(), m.Name, bytes.NewReader(m.Bytes))
	require.NoError(t, err)
	return d
}

// Register sifts the register of the growers, to which the tickets refer, unless that was done.
func (s *Service) Register(t testing.TB) {
	t.Helper()
	runs, err := s.Client.Runs(t.Context(), "", 0, 1000)
	require.NoError(t, err)
	for _, r := range runs.Items {
		if r.Target != nil && r.Target.Name == "growers" {
			return
		}
	}
	m := demo.Register()
	d := s.AddDemo(t, m)
	r, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID, Target: m.Target})
	require.NoError(t, err)
	r, err = s.Client.Follow(t.Context(), r.ID, nil)
	require.NoError(t, err)
	require.Equal(t, "split", r.Verdict)
}

// Large hands in a delivery of about so many bytes; of a tenth of them in short tests, which
// the race detector makes slower by as much.
func (s *Service) Large(t testing.TB, size int64) api.Delivery {
	t.Helper()
	if testing.Short() {
		size /= 10
	}
	r, w := io.Pipe()
	go func() {
		buffered := bufio.NewWriterSize(w, 1<<20)
		_, err := demo.Large(buffered, size)
		w.CloseWithError(errors.Join(err, buffered.Flush()))
	}()
	d, err := s.Client.AddDelivery(t.Context(), "large.csv", r)
	require.NoError(t, err)
	return d
}

// Output reads an output of a run.
func (s *Service) Output(t testing.TB, run, name string) string {
	t.Helper()
	r, err := s.Client.Output(t.Context(), run, name)
	return Read(t, r, err)
}

// Status returns the status with which a service answered, 0 where that was no error.
func Status(err error) int {
	var failed *client.Error
	if errors.As(err, &failed) {
		return failed.Status
	}
	return 0
}

// Read reads an answer to its end.
func Read(t testing.TB, r io.ReadCloser, err error) string {
	t.Helper()
	require.NoError(t, err)
	defer r.Close()
	text, err := io.ReadAll(r)
	require.NoError(t, err)
	return string(text)
}

// Entries counts what is in a folder, which may be missing.
func Entries(t testing.TB, dir string) int {
	t.Helper()
	entries, err := os.ReadDir(dir)
	if errors.Is(err, os.ErrNotExist) {
		return 0
	}
	require.NoError(t, err)
	return len(entries)
}

// FreeAddress returns an address of loopback on which nobody listens.
func FreeAddress(t testing.TB) string {
	t.Helper()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	require.NoError(t, listener.Close())
	return listener.Addr().String()
}

// Deliveries counts the contents that a data folder stores.
func Deliveries(t testing.TB, data string) int {
	t.Helper()
	all, err := filepath.Glob(filepath.Join(data, "deliveries", "*", "*"))
	require.NoError(t, err)
	return len(all)
}

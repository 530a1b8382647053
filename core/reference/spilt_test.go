package reference_test

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/zeebo/xxh3"
	"pgregory.net/rapid"

	"sieb/core/check"
	"sieb/core/reference"
	"sieb/core/spill"
	"sieb/core/target"
)

var no = []target.Column{{Name: "no", Null: []string{""}}}

// Keys that memory does not hold are the same ones: as many, with the same digest, each in the part
// where it is looked for.
func TestSpiltKeysAreTheSame(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		rows := rapid.SliceOfN(rapid.StringMatching(`[a-z]{1,3}`), 1, 300).Draw(t, "rows")
		text := "no\n" + strings.Join(rows, "\n") + "\n"
		want, err := reference.Read(context.Background(), "r", no, reader(t, text), "utf-8", reference.Room{})
		require.NoError(t, err)
		require.False(t, want.IsSpilt())
		room := reference.Room{Memory: int64(rapid.IntRange(0, 2000).Draw(t, "memory")),
			Temporary: func() (*os.File, error) { return spill.Unnamed("") }}
		got, err := reference.Read(context.Background(), "r", no, reader(t, text), "utf-8", room)
		require.NoError(t, err)
		defer got.Close()
		require.Equal(t, want.State, got.State)
		require.Equal(t, want.State.Keys > room.Memory/40, got.IsSpilt())
		for _, row := range rows {
			h := xxh3.Hash128([]byte(row))
			require.True(t, want.Has(h))
			if !got.IsSpilt() {
				require.True(t, got.Has(h))
				continue
			}
			part, err := got.Part(nil, reference.PartOf(h))
			require.NoError(t, err)
			found := 0
			for i, other := range part {
				require.True(t, i == 0 || reference.Compare(part[i-1], other) < 0, "in order, each once")
				if other == h {
					found++
				}
			}
			require.Equal(t, 1, found)
		}
	})
}

// Rows that were rejected are told apart from those that were accepted, wherever their keys are.
func TestRejectedRowsOfSpiltKeys(t *testing.T) {
	keys, err := reference.Read(t.Context(), "growers", no, reader(t, "no\n1\n2\n"), "utf-8",
		reference.Room{Temporary: func() (*os.File, error) { return spill.Unnamed("") }})
	require.NoError(t, err)
	defer keys.Close()
	by, err := target.Parse([]byte("target: growers\ncolumns: [{name: no}]\n"))
	require.NoError(t, err)
	require.NoError(t, keys.AddRejected(t.Context(), by, nil, []string{"no"}, reader(t,
		"row,line,reasons,no\n3,4,why,3\n4,5,why,2\n")))
	why := func(key string) string { return keys.Why(xxh3.Hash128([]byte(key))) }
	assert.Contains(t, why("3"), "withheld")
	assert.Empty(t, why("2"), "another row with this key was accepted")
}

// A disk that takes no more, and an end in the middle, are told, and leave nothing open.
func TestSpillingOfKeysFails(t *testing.T) {
	var text strings.Builder
	text.WriteString("no\n")
	for i := range 700_000 {
		fmt.Fprintln(&text, i)
	}
	for name, temporary := range map[string]func() (*os.File, error){
		"no room":     func() (*os.File, error) { return nil, errors.New("no room for the keys") },
		"a full disk": func() (*os.File, error) { return os.OpenFile("/dev/full", os.O_RDWR, 0) },
	} {
		_, err := reference.Read(t.Context(), "tickets", no, reader(t, text.String()), "utf-8",
			reference.Room{Temporary: temporary})
		assert.Error(t, err, name)
	}
	ctx, cancel := context.WithCancel(t.Context())
	_, err := reference.Read(ctx, "tickets", no, reader(t, text.String()), "utf-8", reference.Room{
		Temporary: func() (*os.File, error) { cancel(); return spill.Unnamed("") }})
	assert.ErrorIs(t, err, context.Canceled)
	var keys check.Keys = &reference.Keys{}
	assert.False(t, keys.IsSpilt())
	(&reference.Keys{}).Close()
}

package rehearsal_test

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/service/rehearsal"
)

// Outcomes are made once for each key, a few are kept, and of the others nothing is left.
func TestOutcomes(t *testing.T) {
	o := rehearsal.Outcomes[string]{Dir: t.TempDir()}
	made := 0
	get := func(key string) *rehearsal.Outcome[string] {
		x, err := o.Make(t.Context(), key, func(_ context.Context, dir string) (string, error) {
			made++
			require.NoError(t, os.Mkdir(dir, 0o700))
			return "of " + key, os.WriteFile(filepath.Join(dir, "accepted.csv"), []byte(key), 0o600)
		})
		require.NoError(t, err)
		return x
	}
	first := get("a")
	assert.True(t, rehearsal.IsRehearsed(first.ID))
	assert.Equal(t, first, get("a"))
	assert.Equal(t, "of a", o.Get(first.ID).Of)
	assert.Equal(t, 1, made)
	for i := range 3 {
		get(fmt.Sprint(i))
	}
	get("a") // used last
	get("one more")
	assert.NotNil(t, o.Get(first.ID))
	left, err := os.ReadDir(o.Dir)
	require.NoError(t, err)
	assert.Len(t, left, 4)
	assert.FileExists(t, filepath.Join(first.Dir, "accepted.csv"))
	get("0")
	assert.Equal(t, 6, made, "it was gone")

	// What fails leaves nothing, and is tried again.
	failed := errors.New("no room")
	_, err = o.Make(t.Context(), "bad", func(_ context.Context, dir string) (string, error) {
		require.NoError(t, os.Mkdir(dir, 0o700))
		return "", failed
	})
	assert.Equal(t, failed, err)
	get("bad")
	o.Drop(func(of string) bool { return of == "of bad" || of == "of a" })
	assert.Nil(t, o.Get(first.ID))
	assert.NoDirExists(t, first.Dir)
	left, err = os.ReadDir(o.Dir)
	require.NoError(t, err)
	assert.Less(t, len(left), 4)
	assert.Nil(t, o.Get("nothing"))
	assert.False(t, rehearsal.IsRehearsed("r7"))
}

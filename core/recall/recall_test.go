package recall_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/recall"
	"sieb/core/value"
)

// What is remembered of a text is what was last kept for it, whatever stands behind it in
// memory; of other texts nothing is told, or what was kept for them.
func TestMemory(t *testing.T) {
	text := rapid.StringMatching(`[ab\x00]{0,16}`)
	rapid.Check(t, func(t *rapid.T) {
		var m recall.Memory[string]
		require.False(t, m.IsOn())
		m.Begin()
		kept := map[string]string{}
		for range rapid.IntRange(1, 200).Draw(t, "times") {
			s := text.Draw(t, "text")
			buf := []byte(s + rapid.SampledFrom([]string{"", "zzzzzzzzzzzzzzzz", "aaaaaaaaaaaaaaaa"}).Draw(t, "behind"))
			head, tail := value.Words(buf[:len(s)])
			tag := uint32(len(s)) | uint32(rapid.IntRange(0, 1).Draw(t, "kind"))<<24
			key := s + string(rune('0'+tag>>24))
			if found := m.Find(head, tail, tag); found != nil {
				require.Equal(t, kept[key], *found)
			}
			answer := rapid.StringN(0, 3, -1).Draw(t, "answer")
			*m.Keep(head, tail, tag) = answer
			kept[key] = answer
			require.Equal(t, answer, *m.Find(head, tail, tag))
		}
		held := 0
		m.All(func(*string) { held++ })
		require.Equal(t, 1<<10, held)
		m.Forget()
		head, tail := value.Words([]byte("a"))
		require.Nil(t, m.Find(head, tail, 1))
		m.End()
		require.False(t, m.IsOn())
	})
}

// A memory that mostly misses is of no use, once there is enough to tell.
func TestJudge(t *testing.T) {
	var m recall.Memory[int]
	assert.False(t, m.Judge(100, 100, 2))
	assert.True(t, m.Judge(1<<13, 1<<13, 2))
	assert.False(t, m.Judge(1<<13, 1<<12, 2))
	assert.True(t, m.Judge(1<<13, 1<<12+10, 2))
	assert.False(t, m.Judge(1<<13, 1<<12+10, 3))
}

package routes

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A session is known by every instance that has the token, until it ends, and by no other.
func TestSessions(t *testing.T) {
	g := Guard{Token: "a token of twenty-six lett"}
	now := time.Unix(1_700_000_000, 0)
	made := g.session(now.Add(time.Hour))
	id, ends, ok := g.isSession(made, now)
	require.True(t, ok)
	assert.NotEmpty(t, id)
	assert.Equal(t, now.Add(time.Hour), ends)
	assert.NotContains(t, made, g.Token)
	assert.NotEqual(t, made, g.session(now.Add(time.Hour)), "no two are alike")
	_, _, ok = (&Guard{Token: g.Token}).isSession(made, now.Add(time.Hour-time.Second))
	assert.True(t, ok)
	_, _, ok = g.isSession(made, now.Add(time.Hour))
	assert.False(t, ok, "it has ended")
	_, _, ok = (&Guard{Token: g.Token + "x"}).isSession(made, now)
	assert.False(t, ok, "of another token")

	parts := strings.Split(made, ".")
	for _, text := range []string{"", ".", "..", "...", g.Token, parts[0], parts[0] + "." + parts[1],
		"9" + made, "9999999999." + parts[1] + "." + parts[2], parts[0] + ".x." + parts[2], made + "0", made[:len(made)-1],
		strings.ToUpper(made), parts[0] + "." + parts[1] + ".", "." + parts[1] + "." + parts[2], made + "." + made} {
		_, _, ok := g.isSession(text, now)
		assert.False(t, ok, text)
	}
	sealed := func(text string) string { return text + "." + g.seal(text) }
	for _, text := range []string{sealed(""), sealed("x"), sealed("x.y"), sealed("99999999999999999999.y")} {
		_, _, ok := g.isSession(text, now)
		assert.False(t, ok, text)
	}
}

// Wrong tokens wait longer and longer, by address; their memory is bounded.
func TestGuesses(t *testing.T) {
	var g guesses
	now := time.Unix(0, 0).Add(time.Hour)
	for i, want := range []time.Duration{250 * time.Millisecond, 500 * time.Millisecond, time.Second, 2 * time.Second,
		4 * time.Second, 8 * time.Second, 16 * time.Second, 16 * time.Second} {
		assert.Equal(t, want, g.wait("192.0.2.1", now), i)
	}
	assert.Equal(t, firstWait, g.wait("192.0.2.2", now), "another address")
	assert.Equal(t, mostWait, g.wait("192.0.2.1", now.Add(guessesKept)))
	assert.Equal(t, firstWait, g.wait("192.0.2.1", now.Add(2*guessesKept+1)), "it is forgotten")

	now = now.Add(3 * guessesKept)
	for i := range 2 * mostGuessers {
		g.wait(fmt.Sprint(i), now)
	}
	assert.LessOrEqual(t, len(g.of), mostGuessers)
	assert.Equal(t, mostWait, g.wait("yet another", now), "so many are one attack")
	assert.Equal(t, firstWait, g.wait("and later", now.Add(guessesKept+1)))
	assert.Len(t, g.of, 1)
}

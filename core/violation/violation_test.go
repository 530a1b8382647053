package violation

import (
	"fmt"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Every code has a name of its own, a class, and reads back as it is written.
func TestCodes(t *testing.T) {
	seen := map[string]bool{}
	for c := None + 1; c < codes; c++ {
		name, err := c.MarshalText()
		require.NoError(t, err)
		assert.Regexp(t, regexp.MustCompile(`^[a-z]+\.[a-z]+$`), string(name))
		assert.NotEmpty(t, c.Class(), string(name))
		assert.False(t, seen[string(name)], string(name))
		assert.Regexp(t, `^[a-z].*[a-zUI]$`, c.Words(), string(name))
		seen[string(name)] = true
		var back Code
		require.NoError(t, back.UnmarshalText(name))
		assert.Equal(t, c, back)
	}
	var c Code
	assert.Error(t, c.UnmarshalText([]byte("row.odd")))
	for _, c := range []Code{codes, 200} {
		assert.Equal(t, fmt.Sprintf("code(%d)", c), c.String())
		assert.Empty(t, c.Class())
		assert.Empty(t, c.Words())
		assert.Equal(t, Reject, c.Action(), "what is not known rejects")
	}
}

func TestActions(t *testing.T) {
	for word, want := range map[string]Action{"reject": Reject, "blank": Blank, "flag": Flag, "refuse": Refuse} {
		var a Action
		require.NoError(t, a.UnmarshalText([]byte(word)))
		assert.Equal(t, want, a)
		assert.Equal(t, word, a.String())
	}
	assert.Len(t, AllActions(), 4)
	assert.Equal(t, ActionHelp{Blank, "cell blanked"}, AllActions()[Blank])
	assert.Len(t, AllCodes(), int(codes)-1)
	assert.Equal(t, CodeHelp{KeyDuplicate, "uniqueness", Reject, "repeated key"}, AllCodes()[KeyDuplicate-1])
	var a Action
	assert.Equal(t, "action(4)", Action(4).String())
	assert.ErrorContains(t, a.UnmarshalText([]byte("ignore")), "reject, blank, flag or refuse")
}

// What flags by default is what a steward is only told of.
func TestDefaults(t *testing.T) {
	var flags, refuses []string
	for c := None + 1; c < codes; c++ {
		switch c.Action() {
		case Flag:
			flags = append(flags, c.String())
		case Refuse:
			refuses = append(refuses, c.String())
		}
	}
	assert.Equal(t, []string{"header.unknown", "encoding.garbled", "encoding.control", "encoding.changed",
		"quote.stray", "quote.backslash", "type.formula", "number.text", "date.ambiguous", "date.text", "order.broken",
		"delivery.repeat"}, flags)
	assert.Equal(t, []string{"header.missing", "header.duplicate", "value.absent", "delivery.empty", "file.name",
		"rows.few", "rows.many", "sum.differs", "count.differs"}, refuses)
}

package draft

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"sieb/core/target"
)

// What a column means is a comment of the table that is created.
func TestDescriptionsAreComments(t *testing.T) {
	d := &Draft{Target: target.Target{Name: "tickets", Columns: []target.Column{{Name: "no",
		Description: "it's the\nnumber"},
		{Name: "kg"}}}, longest: []int{9, 5}}
	assert.Contains(t, string(d.SQL()), "\ncomment on column tickets.no is 'it''s the")
	assert.NotContains(t, string(d.SQL()), "tickets.kg")
}

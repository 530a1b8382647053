package client_test

import (
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A program that uses the client links the documents of the API and what they are made of, and nothing by which the
// service works.
func TestTheClientLinksNoService(t *testing.T) {
	out, err := exec.Command("go", "list", "-deps", "sieb/client").Output()
	require.NoError(t, err)
	all := strings.Fields(string(out))
	assert.Contains(t, all, "sieb/service/api")
	for _, name := range all {
		for _, foreign := range []string{"github.com/riverqueue/", "github.com/jackc/", "github.com/jmoiron/",
			"github.com/pressly/", "github.com/xuri/", "github.com/danielgtaylor/", "github.com/go-chi/",
			"github.com/prometheus/", "github.com/spf13/"} {
			assert.False(t, strings.HasPrefix(name, foreign), name)
		}
		if own, is := strings.CutPrefix(name, "sieb/service/"); is {
			assert.Contains(t, []string{"api", "reading"}, own, "of the service, documents alone")
		}
	}
}

package routes_test

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/service/routes"
)

// The console's types are made from the committed document.
func TestDocumentIsCommitted(t *testing.T) {
	text, err := routes.Document()
	require.NoError(t, err)
	committed, err := os.ReadFile("../../console/openapi.json")
	require.NoError(t, err)
	assert.True(t, string(text) == string(committed),
		"run: go run ./service/routes/describe > console/openapi.json && cd console && npm run types")
}

package api_test

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/service/api"
)

// The console's types are made from the committed document.
func TestDocumentIsCommitted(t *testing.T) {
	text, err := api.Document()
	require.NoError(t, err)
	committed, err := os.ReadFile("../../console/openapi.json")
	require.NoError(t, err)
	assert.True(t, string(text) == string(committed),
		"run: go run ./service/api/describe > console/openapi.json && cd console && npm run types")
}

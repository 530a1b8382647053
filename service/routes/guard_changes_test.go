package routes

import (
	"encoding/json"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Every route of the API is known either as one that changes what is kept, and is carried to its end, or as one that
// ends with whoever asks. A new route with POST has to be put on one side.
func TestRoutesThatLast(t *testing.T) {
	asks := []string{"addDelivery", "readDelivery", "readRows", "readProblems", "findRows", "rehearse", "rehearseOutcome",
		"rehearsalRows", "rehearsalValues", "rehearsalSpellings", "suggest", "draftFromTable", "targetFromCSVW", "targetFromDictionary",
		"signIn", "upload"}
	text, err := Document()
	require.NoError(t, err)
	var document struct {
		Paths map[string]map[string]struct {
			OperationID string `json:"operationId"`
		}
	}
	require.NoError(t, json.Unmarshal(text, &document))
	parameter := regexp.MustCompile(`\{[^}]+\}`)
	for path, operations := range document.Paths {
		for method, o := range operations {
			at := parameter.ReplaceAllString(path, "x")
			if !strings.HasPrefix(at, "/api/v1") {
				at = "/api/v1" + at
			}
			isAsked := method == "get" || method == "head"
			for _, one := range asks {
				isAsked = isAsked || o.OperationID == one
			}
			assert.Equal(t, !isAsked, isChange(strings.ToUpper(method), at), "%s %s (%s)", method, path, o.OperationID)
		}
	}
}

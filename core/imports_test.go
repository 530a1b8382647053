package core_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// order lists the packages of the core from the bottom up: each imports only
// what stands before it.
var order = []string{"fault", "spill", "violation", "rfc4180", "value", "forms", "recall", "lexical", "delimited", "workbook",
	"layout", "source", "outcome", "outcome/packed", "outcome/csv", "outcome/jsonl",
	"outcome/parquet", "outcome/xlsx", "outcome/outcometest", "rowindex",
	"edit", "variants", "codes", "distinct", "typing", "relation", "profile/profiletest", "profile", "search", "finding",
	"condition",
	"remedy", "target", "outcome/written", "check", "reference", "trial", "sift", "compare", "ddl", "draft", "suggest",
	"table", "brief", "csvw", "dictionary", "report", "result"}

// The core computes. It knows no HTTP, SQL, command line or page, and imports
// run downward only.
func TestImports(t *testing.T) {
	foreign := []string{"net", "net/http", "database/sql", "os/exec", "html/template", "embed", "flag", "log",
		"log/slog", "expvar",
		"github.com/go-chi/", "github.com/danielgtaylor/", "github.com/jackc/", "github.com/jmoiron/",
		"github.com/riverqueue/", "github.com/spf13/",
		"github.com/pressly/", "github.com/jedib0t/", "github.com/schollz/", "github.com/prometheus/",
		"github.com/chromedp/"}
	seen := 0
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		seen++
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		require.NoError(t, err)
		place := slices.Index(order, filepath.Dir(path))
		require.GreaterOrEqual(t, place, 0, "%s belongs to no package that the order names", path)
		for _, spec := range file.Imports {
			name, err := strconv.Unquote(spec.Path.Value)
			require.NoError(t, err)
			for _, f := range foreign {
				assert.False(t, name == f || strings.HasSuffix(f, "/") && strings.HasPrefix(name, f), "%s imports %s",
					path, name)
			}
			own, isOwn := strings.CutPrefix(name, "sieb/")
			if !isOwn {
				continue
			}
			core, isCore := strings.CutPrefix(own, "core/")
			assert.True(t, isCore, "%s imports %s, which is no part of the core", path, name)
			assert.Less(t, slices.Index(order, core), place, "%s imports %s, which does not stand below it", path, name)
		}
		return nil
	})
	require.NoError(t, err)
	assert.Greater(t, seen, 10)
}

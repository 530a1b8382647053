// Package profiletest makes deliveries for tests of profiles, and of what is made of them.
package profiletest

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"

	"github.com/stretchr/testify/require"

	"sieb/core/layout"
	"sieb/core/source"
)

// Open opens a delivery of this text: commas, double quotes, a header. It is to be closed.
func Open(t require.TestingT, text string) *source.File {
	dir, err := os.MkdirTemp("", "profile")
	require.NoError(t, err)
	defer os.RemoveAll(dir)
	path := filepath.Join(dir, "delivery.csv")
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	form, encoding, delimiter, quote, comment, zero, one := layout.Delimited, "utf-8", ",", `"`, "", 0, 1
	file, err := source.Open(context.Background(), path, layout.Given{Form: &form, Encoding: &encoding,
		Delimiter: &delimiter, QuoteChar: &quote, CommentPrefix: &comment, SkipRows: &zero, HeaderRows: &one,
		FooterRows: &zero})
	require.NoError(t, err)
	return file
}

// Written returns a table as the text of a delivery.
func Written(t require.TestingT, names []string, rows [][]string) string {
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	require.NoError(t, w.Write(names))
	require.NoError(t, w.WriteAll(rows))
	return b.String()
}

// ManyRows makes a file of many batches: codes and instants that hardly repeat,
// numbers of a few thousand values, and words.
func ManyRows(rows int) string {
	random := rand.New(rand.NewPCG(3, 9))
	var b strings.Builder
	b.WriteString("code,at,net_kg,moisture,crop\n")
	for i := range rows {
		crop := []string{"wheat", "barley", "rye", "Rye ", "n/a"}[random.IntN(5)]
		fmt.Fprintf(&b, "BR-%07d,2026-%02d-%02dT%02d:%02d:%02d,%d,%.2f,%s\n", i*7%10_000_000, 1+random.IntN(12),
			1+random.IntN(28), random.IntN(24), random.IntN(60), random.IntN(60),
			random.IntN(9000), 9+random.Float64()*900, crop)
	}
	return b.String()
}

package workbook

import (
	"archive/zip"
	"bytes"
	"context"
	"io"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Formulas of both forms: with a value, with an empty text for one, with an error, and with none.
func TestFormulasWithoutValues(t *testing.T) {
	const head = `<?xml version="1.0"?><office:document-content xmlns:office="o" xmlns:table="t" xmlns:text="x">` +
		`<office:body><office:spreadsheet><table:table table:name="a"><table:table-row>`
	const foot = `</table:table-row></table:table></office:spreadsheet></office:body></office:document-content>`
	for markup, want := range map[string][]any{
		`<table:table-cell table:formula="of:=[.B2]*2"/>`:                                      {Formula, "=[.B2]*2"},
		`<table:table-cell table:formula="of:=[.B2]*2"></table:table-cell>`:                    {Formula, "=[.B2]*2"},
		`<table:table-cell table:formula="of:=1" office:value-type="float" office:value="1"/>`: {Number, "1"},
		`<table:table-cell table:formula="of:=&quot;&quot;" office:value-type="string"/>`:      nil,
		`<table:table-cell table:formula="of:=A&amp;B"/>`:                                      {Formula, "=A&B"},
		`<table:table-cell table:formula="of:=1"><text:p>#N/A</text:p></table:table-cell>`:     {Error, "#N/A"},
	} {
		var archive bytes.Buffer
		z := zip.NewWriter(&archive)
		for name, text := range map[string]string{"mimetype": "application/vnd.oasis.opendocument.spreadsheet",
			"content.xml": head + `<table:table-cell><text:p>first</text:p></table:table-cell>` + markup + foot} {
			w, err := z.Create(name)
			require.NoError(t, err)
			_, err = io.WriteString(w, text)
			require.NoError(t, err)
		}
		require.NoError(t, z.Close())
		packed, err := zip.NewReader(bytes.NewReader(archive.Bytes()), int64(archive.Len()))
		require.NoError(t, err)
		b, err := Open(context.Background(), packed, int64(archive.Len()))
		require.NoError(t, err, markup)
		rows, err := b.Read(context.Background(), 0)
		require.NoError(t, err)
		var row Row
		require.NoError(t, rows.Next(&row))
		if want == nil {
			assert.Len(t, row.Cells, 1, markup)
		} else if assert.Len(t, row.Cells, 2, markup) {
			c := row.Cells[1]
			assert.Equal(t, want, []any{c.Kind, string(row.Text[c.Start:c.End])}, markup)
		}
		rows.Close()
	}
}

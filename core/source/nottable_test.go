package source_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding/unicode"

	"sieb/core/layout"
	"sieb/core/source"
)

// What is no table is named for what it is, whatever the file's name says, at once.
func TestWhatIsNoTable(t *testing.T) {
	page := "<!DOCTYPE html>\n<html><head><title>404</title></head><body><h1>Not found</h1></body></html>\n"
	wide, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().String(page)
	require.NoError(t, err)
	for what, text := range map[string]string{
		"a picture (PNG)":       "\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR" + strings.Repeat("\x00\x01\xff", 200),
		"a picture (JPEG)":      "\xff\xd8\xff\xe0\x00\x10JFIF" + strings.Repeat("\xe9\xc3 a", 3000),
		"a picture (GIF)":       "GIF89a\x01\x00",
		"a picture (TIFF)":      "II*\x00\x08\x00",
		"a picture (WebP)":      "RIFF\x24\x00\x00\x00WEBPVP8 ",
		"a PDF document":        "%PDF-1.7\n1 0 obj\n",
		"a text document (RTF)": `{\rtf1\ansi a;b;c}`,
		"an archive (RAR)":      "Rar!\x1a\x07\x01\x00",
		"an archive (7-Zip)":    "7z\xbc\xaf\x27\x1c\x00\x04",
		"compressed with xz":    "\xfd7zXZ\x00\x00\x04",
		"compressed with bzip2": "BZh91AY&SY\x00\x01",
		"an archive (tar)":      "a.csv" + strings.Repeat("\x00", 252) + "ustar\x0000",
		"a program":             "\x7fELF\x02\x01\x01",
		"a program (Windows)":   "MZ\x90\x00\x03\x00\x00\x00",
		"a database (SQLite)":   "SQLite format 3\x00\x10\x00",
		"a file of columns":     "PAR1\x15\x04",
		"a database (Access)":   "\x00\x01\x00\x00Standard Jet DB\x00",
		"a web page (HTML)":     page,
		"a web page":            "\ufeff \n<html>\n<body><p>Sign in</p></body>",
		"(HTML)":                wide,
		"an XML document":       "<?xml version=\"1.0\"?>\n<rows><row id=\"1\"/></rows>",
		"a workbook saved as XML": "<?xml version=\"1.0\"?>\n<?mso-application progid=\"Excel.Sheet\"?>\n<Workbook " +
			"xmlns=\"urn:schemas-microsoft-com:office:spreadsheet\"/>",
		"JSON,":                "{\"rows\": [{\"a\": 1}, {\"a\": 2}]}\n",
		"is JSON, not a table": "[\n  {\"a\": 1, \"b\": \"x\"},\n  {\"a\": 2",
		"JSON Lines":           "{\"a\": 1}\n{\"a\": 2}\n{\"a\": 3}\n",
		"a script of SQL":      "-- dump\n/* of July */;\nINSERT INTO tickets VALUES (1, 'x');\n",
		"SQL statements":       "CREATE TABLE t (a int);\nCOPY t FROM stdin;\n",
		"a mail": "Received: from a by b\nDate: Wed, 1 Jul 2026\nMessage-ID: " +
			"<1@talfeld.example>\nSubject: tickets\n\nHello",
		"an old binary workbook": "\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + strings.Repeat("\x00", 500) +
			"W\x00o\x00r\x00k\x00b\x00o\x00o\x00k\x00",
		"an old binary document": "\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + strings.Repeat("\x00", 500) +
			"W\x00o\x00r\x00d\x00D\x00o\x00c\x00u\x00m\x00e\x00n\x00t\x00",
		"an empty ZIP":             "PK\x05\x06" + strings.Repeat("\x00", 18),
		"a picture (HEIF)":         "\x00\x00\x00\x18ftypheic\x00\x00",
		"a sound (WAV)":            "RIFF\x24\x00\x00\x00WAVEfmt ",
		"a program (Java)":         "\xca\xfe\xba\xbe\x00\x00\x00\x34",
		"a PostScript document":    "%!PS-Adobe-3.0\n",
		"a file of records (Avro)": "Obj\x01\x04\x16",
		"an archive (Cabinet)":     "MSCF\x00\x00\x00\x00",
		"a sound (MP3)":            "ID3\x03\x00\x00\x00\x00",
		"a film (MP4)":             "\x00\x00\x00\x18ftypmp42",
	} {
		for _, name := range []string{"a.csv", "a.xls", "a.txt"} {
			path := filepath.Join(t.TempDir(), name)
			require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
			_, err := source.Open(t.Context(), path, layout.Given{})
			require.Error(t, err, "%s as %s", what, name)
			assert.Contains(t, err.Error(), what, name)
			assert.Regexp(t, "ask|unpack|load|save", err.Error(), "%s: it says what to do", what)
		}
	}
}

// Tables whose first bytes look a little like something else are read.
func TestTablesThatLookLikeSomethingElse(t *testing.T) {
	for _, text := range []string{
		"MZ,crop\n1,wheat\n2,rye\n",
		"BZh;kg\n1;2\n3;4\n",
		"ID3;kg\n1;2\n3;4\n",
		"ORC,kg\n1,2\n3,4\n",
		"<5 kg,<10 kg\n1,2\n3,4\n",
		"<id>;<kg>\n1;2\n3;4\n",
		"[kg];[crop]\n1;wheat\n2;rye\n",
		"{no},{kg}\n1,2\n3,4\n",
		"[1],[2]\n3,4\n",
		"insert,update\n1,2\n3,4\n",
		"set;use\n1;2\n3;4\n",
		"created,by;at\n1,x;2\n3,y;4\n",
		"Date: ;kg\n1;2\n",
		"From ;To\nAhrensee;Colmitz\n",
		"-- a title\nno;kg\n1;2\n3;4\n",
		"name: value\nkg: 5\ncrop: wheat\nsite: Ahrensee\n",
		"select,from\n1,2\n",
	} {
		path := filepath.Join(t.TempDir(), "a.csv")
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		file, err := source.Open(t.Context(), path, layout.Given{})
		if assert.NoError(t, err, "%q", text) {
			file.Close()
		}
	}
}

// What cannot be opened is an error that says what it is.
func TestOpenErrors(t *testing.T) {
	dir := t.TempDir()
	write := func(name, text string) string {
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		return path
	}
	for path, says := range map[string]string{
		filepath.Join(dir, "none.csv"):   "there is no file",
		dir:                              "is a folder",
		write("a.xlsx", "PK\x03\x04..."): "workbook",
		write("a.gz", "\x1f\x8b..."):     "gzip",
		write("b.bin", strings.Repeat("\x00\x00\x01a\x00\x07\x00", 50)): "bytes are zero",
	} {
		_, err := source.Open(t.Context(), path, layout.Given{})
		assert.ErrorContains(t, err, says)
	}
}

package source

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"regexp"
	"strings"
	"unicode/utf16"
)

// NotTable says that a file is something else than a table, and what to do.
type NotTable struct {
	What string // "a picture (PNG)"
	Do   string // "ask the sender for the table itself, as CSV or XLSX"
}

func (n *NotTable) Error() string {
	return fmt.Sprintf("the file is %s, not a table; %s", n.What, n.Do)
}

const (
	askTable  = "ask the sender for the table itself, as CSV or XLSX"
	askExport = "ask the sender to export its rows as CSV"
	askUnpack = "unpack it, and send the files that are tables"
)

// magics are the first bytes of files that are no text, or no table.
var magics = []struct {
	at       int
	magic    string
	what, do string
}{
	{0, "\x89PNG\r\n\x1a\n", "a picture (PNG)", askTable},
	{0, "\xff\xd8\xff", "a picture (JPEG)", askTable},
	{0, "GIF87a", "a picture (GIF)", askTable},
	{0, "GIF89a", "a picture (GIF)", askTable},
	{0, "II*\x00", "a picture (TIFF)", askTable},
	{0, "MM\x00*", "a picture (TIFF)", askTable},
	{8, "WEBP", "a picture (WebP)", askTable},
	{4, "ftypheic", "a picture (HEIF)", askTable},
	{4, "ftypavif", "a picture (AVIF)", askTable},
	{4, "ftyp", "a film (MP4)", askTable},
	{8, "WAVE", "a sound (WAV)", askTable},
	{0, "ID3", "a sound (MP3)", askTable},
	{0, "OggS", "a sound (Ogg)", askTable},
	{0, "%PDF-", "a PDF document", askTable},
	{0, "%!PS", "a PostScript document", askTable},
	{0, "{\\rtf", "a text document (RTF)", askTable},
	{0, "Rar!\x1a\x07", "an archive (RAR)", askUnpack},
	{0, "7z\xbc\xaf\x27\x1c", "an archive (7-Zip)", askUnpack},
	{0, "\xfd7zXZ\x00", "compressed with xz",
		"unpack it, and send what is in it; gzip, zstd and ZIP are unpacked here"},
	{0, "BZh", "compressed with bzip2", "unpack it, and send what is in it; gzip, zstd and ZIP are unpacked here"},
	{0, "MSCF", "an archive (Cabinet)", askUnpack},
	{257, "ustar", "an archive (tar)", askUnpack},
	{0, "PK\x03\x04", "a ZIP archive inside an archive", askUnpack},
	{0, "PK\x05\x06", "an empty ZIP archive", "ask the sender for it again"},
	{0, "\x1f\x8b", "compressed twice", "unpack it, and send what is in it"},
	{0, "\x7fELF", "a program", askTable},
	{0, "MZ", "a program (Windows)", askTable},
	{0, "\xca\xfe\xba\xbe", "a program (Java)", askTable},
	{0, "\xcf\xfa\xed\xfe", "a program (macOS)", askTable},
	{0, "SQLite format 3\x00", "a database (SQLite)", askExport},
	{0, "PAR1", "a file of columns (Parquet)", askExport},
	{0, "Obj\x01", "a file of records (Avro)", askExport},
	{0, "ORC", "a file of columns (ORC)", askExport},
	{4, "Standard Jet DB", "a database (Access)", askExport},
	{4, "Standard ACE DB", "a database (Access)", askExport},
}

// notTable says what a file is that holds no rows, by its first bytes or by the
// grammar that they follow; nil where it may be a table.
func notTable(head []byte) error {
	for _, m := range magics {
		if len(head) < m.at+len(m.magic) || string(head[m.at:m.at+len(m.magic)]) != m.magic {
			continue
		}
		if m.magic == "ORC" || m.magic == "MZ" || m.magic == "ID3" || m.magic == "BZh" {
			if isPrintable(head[:min(len(head), 512)]) {
				continue // a table that begins with these letters
			}
		}
		return &NotTable{m.what, m.do}
	}
	text := strings.TrimLeft(plainHead(head), " \t\r\n")
	for _, grammar := range []func(string) *NotTable{markup, jsonText, sqlText, mail} {
		if found := grammar(text); found != nil {
			return found
		}
	}
	return nil
}

func isPrintable(b []byte) bool {
	return !bytes.ContainsFunc(b, func(r rune) bool { return r < ' ' && r != '\n' && r != '\r' && r != '\t' })
}

// plainHead returns the first bytes as text without their mark, those of UTF-16 too.
func plainHead(head []byte) string {
	const looked = 64 << 10
	head = head[:min(len(head), looked)/2*2]
	for _, wide := range []struct {
		mark      string
		low, high int
	}{{"\xff\xfe", 0, 1}, {"\xfe\xff", 1, 0}} {
		if bytes.HasPrefix(head, []byte(wide.mark)) {
			units := make([]uint16, 0, len(head)/2)
			for i := 2; i+1 < len(head); i += 2 {
				units = append(units, uint16(head[i+wide.low])|uint16(head[i+wide.high])<<8)
			}
			return string(utf16.Decode(units))
		}
	}
	return string(bytes.TrimPrefix(head, []byte("\xef\xbb\xbf")))
}

var tag = regexp.MustCompile(`<(/?[A-Za-z][A-Za-z0-9:._-]*(\s[^<>]*)?/?|!--|!DOCTYPE\s[^<>]*|\?[a-z][^<>]*\?)>?`)

// markup recognises HTML and XML: a text that begins with a tag and goes on with more.
func markup(text string) *NotTable {
	if !strings.HasPrefix(text, "<") {
		return nil
	}
	start := text[:min(len(text), 4096)]
	at := tag.FindStringIndex(start)
	if at == nil || at[0] != 0 || len(tag.FindAllStringIndex(start, 3)) < 2 {
		return nil
	}
	// Names of columns may stand in such brackets; tags are closed, too.
	if !strings.HasPrefix(text, "<!") && !strings.HasPrefix(text, "<?") && !strings.Contains(start, "</") &&
		!strings.Contains(start, "/>") {
		return nil
	}
	lower := strings.ToLower(start)
	switch {
	case strings.Contains(lower, "excel.sheet") ||
		strings.Contains(lower, "urn:schemas-microsoft-com:office:spreadsheet"):
		return &NotTable{"a workbook saved as XML", "ask for it as XLSX or CSV, or save it as such"}
	case strings.HasPrefix(lower, "<!doctype html") || strings.Contains(lower, "<html") ||
		strings.Contains(lower, "<body") || strings.HasPrefix(lower, "<table"):
		return &NotTable{"a web page (HTML)", "it may be an error or sign-in page that was saved instead: " + askTable}
	}
	return &NotTable{"an XML document", askExport}
}

// jsonText recognises JSON and JSON Lines.
func jsonText(text string) *NotTable {
	if !strings.HasPrefix(text, "{") && !strings.HasPrefix(text, "[") {
		return nil
	}
	first, rest, _ := strings.Cut(text, "\n")
	second, _, _ := strings.Cut(rest, "\n")
	if strings.HasPrefix(first, "{") && json.Valid([]byte(first)) && json.Valid([]byte(second)) &&
		strings.HasPrefix(second, "{") {
		return &NotTable{"JSON Lines", askExport}
	}
	d := json.NewDecoder(strings.NewReader(text))
	tokens := 0
	for {
		_, err := d.Token()
		if err != nil {
			// The text may be cut off, in the middle of a value too.
			if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
				break
			}
			return nil
		}
		if tokens++; tokens > 1000 {
			break
		}
	}
	if tokens < 3 {
		return nil
	}
	return &NotTable{"JSON", askExport}
}

var statement = regexp.MustCompile(`(?i)^(insert\s+into|create\s+(table|database|schema|index|view|or\s+replace)|drop\s+table|alter\s+table|delete\s+from|update\s+\S+\s+set|` +
	`begin(\s+transaction)?\s*;|start\s+transaction|pragma\s|set\s+\S+\s*(=|to)\s|use\s+\S+\s*;|copy\s+\S+\s*(\(.*\))?\s*from\s+stdin)`)

// sqlText recognises scripts of SQL statements.
func sqlText(text string) *NotTable {
	for {
		switch {
		case strings.HasPrefix(text, "--"):
			_, text, _ = strings.Cut(text, "\n")
		case strings.HasPrefix(text, "/*"):
			_, text, _ = strings.Cut(text, "*/")
			text = strings.TrimPrefix(text, ";")
		default:
			if statement.MatchString(text) && strings.Contains(text, ";") {
				return &NotTable{"a script of SQL statements", "load it into a database and export its table as CSV"}
			}
			return nil
		}
		text = strings.TrimLeft(text, " \t\r\n")
	}
}

// mail recognises messages: lines of a header that only mails have (RFC 5322).
func mail(text string) *NotTable {
	own, fields := 0, 0
	for line := range strings.Lines(text[:min(len(text), 8192)]) {
		line = strings.TrimRight(line, "\r\n")
		if line == "" {
			break
		}
		if strings.HasPrefix(line, " ") || strings.HasPrefix(line, "\t") ||
			fields == 0 && strings.HasPrefix(line, "From ") {
			continue
		}
		name, _, has := strings.Cut(line, ":")
		if !has || strings.ContainsAny(name, " ,;\t") {
			return nil
		}
		fields++
		switch strings.ToLower(name) {
		case "received", "message-id", "mime-version", "return-path", "delivered-to", "dkim-signature":
			own++
		}
	}
	if own == 0 || fields < 3 {
		return nil
	}
	return &NotTable{"a mail", "save the table that is attached to it, and send that"}
}

// Refusal says why a file cannot be read as a table, by its first bytes and, of a
// workbook, by what it holds; "" where it may be one. It unpacks nothing and reads no
// row, so that it can be asked of each file that arrives.
func Refusal(ctx context.Context, path string) string {
	f, err := os.Open(path)
	if err != nil {
		return ""
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return ""
	}
	head := make([]byte, min(info.Size(), 64<<10))
	if _, err := f.ReadAt(head, 0); err != nil && !errors.Is(err, io.EOF) {
		return ""
	}
	if book, err := openBook(ctx, f, info.Size()); book != nil || err != nil {
		if err != nil && ctx.Err() == nil {
			return err.Error()
		}
		return ""
	}
	for _, packed := range []string{"\x1f\x8b", "\x28\xb5\x2f\xfd", "PK\x03\x04"} {
		if bytes.HasPrefix(head, []byte(packed)) {
			return ""
		}
	}
	if err := notTable(head); err != nil {
		return err.Error()
	}
	return ""
}

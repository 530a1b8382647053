package workbook

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding/unicode"
)

// xlsx is what the sheets of an XLSX workbook share.
type xlsx struct {
	since1904 bool
	formats   []format // by the number of a cell's style

	loading   gate
	textsPart string // "" without shared texts
	texts     texts  // the shared texts, read at first need
	loaded    bool
}

// texts are many texts, one behind the other. They lie in blocks, so that to add one never copies
// what is there: of one slice that grows, the old and the new would take twice the memory.
type texts struct {
	blocks [][]byte
	starts []uint32 // block * textBlock + place in it
	bytes  int      // of all texts
}

// textBlock is how many bytes a block takes; a text begins where there is room for the longest.
const textBlock = 8 << 20

// room returns the block to which the next text is to be appended.
func (t *texts) room() []byte {
	if len(t.blocks) == 0 {
		t.blocks = [][]byte{nil} // it grows: most workbooks have few texts
	}
	last := t.blocks[len(t.blocks)-1]
	if len(last) > textBlock-maxCell {
		last = make([]byte, 0, textBlock)
		t.blocks = append(t.blocks, last)
	}
	return last
}

// add adds the text that was appended to a block that room returned.
func (t *texts) add(block []byte) {
	k := len(t.blocks) - 1
	from := len(t.blocks[k])
	t.blocks[k] = block
	t.starts = append(t.starts, uint32(k*textBlock+from))
	t.bytes += len(block) - from
}

// text returns a text by its number; ok is false where there is none.
func (t *texts) text(n int) (text []byte, ok bool) {
	if n < 0 || n >= len(t.starts) {
		return nil, false
	}
	k, from := int(t.starts[n])/textBlock, int(t.starts[n])%textBlock
	if n+1 < len(t.starts) && int(t.starts[n+1])/textBlock == k {
		return t.blocks[k][from : int(t.starts[n+1])%textBlock], true
	}
	return t.blocks[k][from:], true
}

// decoded returns a part of an archive as UTF-8.
func decoded(r io.Reader) (io.Reader, error) {
	b := bufio.NewReaderSize(r, 4096)
	mark, err := b.Peek(2)
	if err != nil && err != io.EOF {
		return nil, err
	}
	if string(mark) == "\xff\xfe" || string(mark) == "\xfe\xff" {
		return unicode.UTF16(unicode.LittleEndian, unicode.ExpectBOM).NewDecoder().Reader(b), nil
	}
	return b, nil
}

// relation is a link from one part to another.
type relation struct{ id, kind, target string }

// relations reads the links of a part; a part without any has none.
func (b *Book) relations(ctx context.Context, part string) (all []relation, err error) {
	dir, file := path.Split(part)
	name := dir + "_rels/" + file + ".rels"
	if b.part(name) == nil {
		return nil, nil
	}
	err = b.scan(ctx, name, func(s *scanner) error {
		if s.kind == startTag && string(s.name) == "Relationship" {
			target := s.word("Target")
			if strings.HasPrefix(target, "/") {
				target = target[1:]
			} else {
				target = path.Join(dir, target)
			}
			kind := s.word("Type")
			all = append(all, relation{s.word("Id"), kind[strings.LastIndexByte(kind, '/')+1:], target})
		}
		return nil
	})
	return all, err
}

// scan reads a whole part and hands each token on.
func (b *Book) scan(ctx context.Context, part string, token func(s *scanner) error) error {
	r, err := b.open(ctx, part)
	if err != nil {
		return err
	}
	defer r.Close()
	s := newScanner(r)
	for s.next() {
		if err := token(s); errors.Is(err, errEnough) {
			return nil
		} else if err != nil {
			return err
		}
	}
	if s.err != nil {
		return damaged(s.err)
	}
	return nil
}

var errEnough = errors.New("the rest is not needed")

func (b *Book) openXLSX(ctx context.Context) error {
	b.Kind, b.xlsx = "XLSX", &xlsx{loading: newGate()}
	main := "xl/workbook.xml"
	top, err := b.relations(ctx, "")
	if err != nil {
		return err
	}
	for _, r := range top {
		if r.kind == "officeDocument" {
			main = r.target
		}
	}
	if !has(b.zip, main) {
		return notReadable("the file is a ZIP archive of another program's documents, not a workbook; ask for its " +
			"table as XLSX or CSV")
	}
	links, err := b.relations(ctx, main)
	if err != nil {
		return err
	}
	sheets := map[string]string{} // of cells, by id
	for _, r := range links {
		switch r.kind {
		case "worksheet":
			sheets[r.id] = r.target
		case "sharedStrings":
			b.xlsx.textsPart = r.target
		case "styles":
			if err := b.readStyles(ctx, r.target); err != nil {
				return err
			}
		}
	}
	err = b.scan(ctx, main, func(s *scanner) error {
		if s.kind != startTag {
			return nil
		}
		switch string(s.name) {
		case "workbookPr":
			v := string(s.attr("date1904"))
			b.xlsx.since1904 = v == "1" || v == "true"
		case "sheet":
			id := ""
			for rest := s.attrs; ; {
				name, value, more, ok := cutAttr(rest)
				if !ok {
					break
				}
				if bytes.HasSuffix(name, []byte(":id")) {
					id = string(value)
				}
				rest = more
			}
			part, has := sheets[id]
			if !has {
				return nil // sheets of charts, dialogs and macros hold no cells
			}
			if len(b.Sheets) == maxSheets {
				return tooMany("sheets", maxSheets)
			}
			state := string(s.attr("state"))
			b.Sheets = append(b.Sheets, Sheet{Name: s.word("name"), Hidden: state == "hidden" || state == "veryHidden",
				part: part})
		}
		return nil
	})
	if err != nil {
		return err
	}
	for k := range b.Sheets {
		if err := b.measure(ctx, &b.Sheets[k]); err != nil {
			return err
		}
	}
	return nil
}

// measure reads the size that a sheet says of itself.
func (b *Book) measure(ctx context.Context, sheet *Sheet) error {
	return b.scan(ctx, sheet.part, func(s *scanner) error {
		if s.kind != startTag {
			return nil
		}
		switch string(s.name) {
		case "dimension":
			_, last, found := strings.Cut(string(s.attr("ref")), ":")
			if column, row, ok := place([]byte(last)); found && ok {
				sheet.Rows, sheet.Columns = row, column+1
			}
			return errEnough
		case "sheetData":
			return errEnough
		}
		return nil
	})
}

func (b *Book) readStyles(ctx context.Context, part string) error {
	codes := map[string]format{}
	inCells := false
	return b.scan(ctx, part, func(s *scanner) error {
		if len(b.xlsx.formats)+len(codes) > maxFormats {
			return tooMany("formats of cells", maxFormats)
		}
		switch {
		case s.kind == charData:
		case string(s.name) == "cellXfs":
			inCells = s.kind == startTag && !s.empty
		case s.kind != startTag:
		case string(s.name) == "numFmt":
			codes[string(s.attr("numFmtId"))] = formatOf(s.word("formatCode"))
		case inCells && string(s.name) == "xf":
			id := string(s.attr("numFmtId"))
			f, ok := codes[id]
			if n, err := strconv.Atoi(id); !ok && err == nil {
				f = builtin(n)
			}
			b.xlsx.formats = append(b.xlsx.formats, f)
		}
		return nil
	})
}

// loadTexts reads the shared texts.
func (b *Book) loadTexts(ctx context.Context) error {
	x := b.xlsx
	if x.textsPart == "" {
		return nil
	}
	if err := x.loading.enter(ctx); err != nil {
		return err
	}
	defer x.loading.leave()
	if x.loaded {
		return nil
	}
	r, err := b.open(ctx, x.textsPart)
	if err != nil {
		return err
	}
	x.texts = texts{} // without what was read before a reading that ended early
	in := readAhead(r)
	defer in.Close()
	s := newScanner(in)
	for s.next() {
		if s.kind != startTag || string(s.name) != "si" {
			continue
		}
		if len(x.texts.starts) == maxTextCount {
			return tooMany("texts", maxTextCount)
		}
		if x.texts.add(appendRich(x.texts.room(), s, "si")); x.texts.bytes > maxTexts {
			return notReadable("the workbook holds more than %d MiB of texts; ask for it as CSV", maxTexts>>20)
		}
	}
	if s.err != nil {
		return damaged(s.err)
	}
	x.loaded = true
	return nil
}

// appendRich appends the text of a shared or inline text, whose start tag was
// read: all its runs, without the reading aids of east Asian texts.
func appendRich(dst []byte, s *scanner, end string) []byte {
	if s.empty {
		return dst
	}
	inText := false
	from := len(dst)
	for s.next() {
		switch s.kind {
		case charData:
			if inText && s.cdata {
				dst = append(dst, s.text...)
			} else if inText {
				dst = appendText(dst, s.text)
			}
			if len(dst)-from > maxCell {
				s.fail(errLongCell)
				return dst
			}
		case startTag:
			if string(s.name) == "rPh" {
				s.skipElement()
			} else {
				inText = string(s.name) == "t" && !s.empty
			}
		case endTag:
			if string(s.name) == end {
				return unescapeX(dst, from)
			}
			inText = false
		}
	}
	s.cutOff()
	return dst
}

// unescapeX resolves _x000D_ and its like, by which texts write what XML cannot
// (ECMA-376, part 1, 22.9.2.19), from a place on.
func unescapeX(b []byte, from int) []byte {
	i := bytes.Index(b[from:], []byte("_x"))
	if i < 0 {
		return b
	}
	out := b[:from+i]
	for rest := b[from+i:]; ; {
		if len(rest) >= 7 && rest[0] == '_' && rest[1] == 'x' && rest[6] == '_' {
			if n, err := strconv.ParseUint(string(rest[2:6]), 16, 16); err == nil && n < 0xD800 {
				// Never longer than the seven bytes it replaces.
				out = append(out, string(rune(n))...)
				rest = rest[7:]
				continue
			}
		}
		if len(rest) == 0 {
			return out
		}
		out, rest = append(out, rest[0]), rest[1:]
	}
}

// xlsxRows reads the cells of one sheet.
type xlsxRows struct {
	s       *scanner
	shared  *xlsx
	row     int  // the last one
	named   bool // the row at hand gave its number itself
	ended   bool
	hidden  []Range // columns
	merged  []Range
	fixed   []byte // scratch for a cell's value
	formula []byte // and for its formula
}

func (b *Book) readXLSX(ctx context.Context, r io.Reader) (*xlsxRows, error) {
	if err := b.loadTexts(ctx); err != nil {
		return nil, err
	}
	x := &xlsxRows{s: newScanner(r), shared: b.xlsx}
	for x.s.next() {
		if x.s.kind != startTag {
			continue
		}
		switch string(x.s.name) {
		case "col":
			if h := string(x.s.attr("hidden")); h == "1" || h == "true" {
				from, to := x.s.number("min", MaxColumns), x.s.number("max", MaxColumns)
				x.hidden = append(x.hidden, Range{FirstColumn: from - 1, LastColumn: to - 1})
			}
		case "sheetData":
			x.ended = x.s.empty
			return x, nil
		}
	}
	if x.s.err != nil {
		return nil, damaged(x.s.err)
	}
	return nil, damaged(errors.New("the sheet holds no cells"))
}

func (x *xlsxRows) hiddenColumns() []Range { return x.hidden }
func (x *xlsxRows) mergedCells() []Range   { return x.merged }

func (x *xlsxRows) next(row *Row) error {
	s := x.s
	for !x.ended && s.next() {
		switch {
		case s.kind == endTag && string(s.name) == "sheetData":
			x.ended = true
		case s.kind == startTag && string(s.name) == "row":
			row.Cells, row.Hidden, row.Misplaced, x.named = row.Cells[:0], false, false, false
			row.Number = x.row + 1
			for rest := s.attrs; ; {
				name, value, more, ok := cutAttr(rest)
				if !ok {
					break
				}
				rest = more
				switch string(name) {
				case "r":
					n, err := strconv.Atoi(string(value))
					if err != nil || n <= x.row || n > MaxRows {
						return fmt.Errorf("row %q follows row %d", value, x.row)
					}
					row.Number, x.named = n, true
				case "hidden":
					row.Hidden = string(value) == "1" || string(value) == "true"
				}
			}
			x.row = row.Number
			if s.empty {
				continue
			}
			if err := x.cells(row); err != nil {
				return err
			}
			x.row = row.Number
			if len(row.Cells) > 0 {
				return nil
			}
		}
	}
	if !x.ended {
		s.cutOff()
		return s.err
	}
	for s.next() {
		if s.kind == startTag && string(s.name) == "mergeCell" {
			from, to, _ := bytes.Cut(s.attr("ref"), []byte(":"))
			c1, r1, ok1 := place(from)
			c2, r2, ok2 := place(to)
			if c2 = min(c2, MaxColumns-1); ok1 && ok2 && r1 <= r2 && c1 <= c2 {
				if len(x.merged) == maxMerged {
					return tooMany("merged cells", maxMerged)
				}
				x.merged = append(x.merged, Range{r1, r2, c1, c2})
			}
		}
	}
	if s.err != nil {
		return s.err
	}
	return io.EOF
}

// cells reads the cells of a row up to its end tag.
func (x *xlsxRows) cells(row *Row) error {
	s := x.s
	column, start := -1, len(row.Text)
	for {
		for len(row.Text)-start <= MaxRowText && x.quickCell(row, &column) {
		}
		if len(row.Text)-start > MaxRowText {
			return rowTooLong(row.Number)
		}
		if !s.next() {
			break
		}
		if s.kind == endTag && string(s.name) == "row" {
			row.sort()
			return nil
		}
		if s.kind != startTag || string(s.name) != "c" {
			continue
		}
		column++
		style, kind := 0, byte('n')
		for rest := s.attrs; ; {
			name, value, more, ok := cutAttr(rest)
			if !ok {
				break
			}
			rest = more
			if len(name) != 1 {
				continue
			}
			switch name[0] {
			case 'r':
				column = x.place(row, column, value)
			case 's':
				style = count(value)
			case 't':
				kind = kindOf(value)
			}
		}
		if column >= MaxColumns {
			return fmt.Errorf("row %d goes beyond %d columns", row.Number, MaxColumns)
		}
		if s.empty {
			continue
		}
		if err := x.cell(row, column, style, kind); err != nil {
			return err
		}
	}
	s.cutOff()
	return s.err
}

// place returns the column that a cell names, wherever it stands in the row. A name that
// is none, or of another row, contradicts the place at which the cell stands.
func (x *xlsxRows) place(row *Row, column int, name []byte) int {
	c, r, ok := place(name)
	if ok && !x.named && len(row.Cells) == 0 && r > x.row {
		row.Number, x.named = r, true // the row says no number of its own
	}
	if !ok || r != row.Number {
		row.Misplaced = true
		return column
	}
	return c
}

// sort puts the cells in the order of their columns; two of one column contradict
// each other.
func (row *Row) sort() {
	byColumn := func(a, b Cell) int { return int(a.Column - b.Column) }
	if !slices.IsSortedFunc(row.Cells, byColumn) {
		slices.SortStableFunc(row.Cells, byColumn)
	}
	n := len(row.Cells)
	row.Cells = slices.CompactFunc(row.Cells, func(a, b Cell) bool { return a.Column == b.Column })
	row.Misplaced = row.Misplaced || len(row.Cells) < n
}

// quickCell reads the next cell where it is whole in the buffer and written in
// the plainest way, as nearly all are:
//
//	<c r="B7" s="3" t="s"><v>12</v></c>
//	<c r="B7" t="inlineStr"><is><t xml:space="preserve">text</t></is></c>
//
// Otherwise it does nothing and returns false; the tokens are read then.
func (x *xlsxRows) quickCell(row *Row, column *int) bool {
	b := x.s.buf[x.s.pos:x.s.end]
	if len(b) < 3 || b[0] != '<' || b[1] != 'c' || b[2] != ' ' {
		return false
	}
	at, style, kind := *column+1, 0, byte('n')
	i := 2
	for i+4 < len(b) && b[i] == ' ' && b[i+2] == '=' && b[i+3] == '"' {
		from := i + 4
		n := bytes.IndexByte(b[from:], '"')
		if n < 0 {
			return false
		}
		switch value := b[from : from+n]; b[i+1] {
		case 'r':
			c, r, ok := place(value)
			if !ok || c < at || r != row.Number {
				return false
			}
			at = c
		case 's':
			style = count(value)
		case 't':
			kind = kindOf(value)
		default:
			return false
		}
		i = from + n + 1
	}
	if at >= MaxColumns {
		return false
	}
	before, after := "><v>", "</v></c>"
	if kind == 'i' {
		if before, after = "><is><t>", "</t></is></c>"; bytes.HasPrefix(b[i:], []byte(preserved)) {
			before = preserved
		}
	}
	if !bytes.HasPrefix(b[i:], []byte(before)) {
		return false
	}
	i += len(before)
	n := bytes.IndexByte(b[i:], '<')
	if n <= 0 || !bytes.HasPrefix(b[i+n:], []byte(after)) {
		return false
	}
	raw := b[i : i+n]
	if kind != 's' && kind != 'n' && (kind != 'i' && bytes.IndexByte(raw, '&') >= 0 ||
		bytes.Contains(raw, []byte("_x"))) {
		return false
	}
	start := uint32(len(row.Text))
	k := Text
	if kind == 'i' {
		row.Text = appendText(row.Text, raw)
	} else {
		var err error
		if k, err = x.value(row, raw, style, kind); err != nil {
			row.Text = row.Text[:start]
			return false // the slow way says so, with its place
		}
	}
	if end := uint32(len(row.Text)); end > start {
		row.Cells = append(row.Cells, Cell{start, end, int32(at), k})
	}
	*column = at
	x.s.pos += i + n + len(after)
	return true
}

const preserved = `><is><t xml:space="preserve">`

// kindOf returns a letter for the type of a cell: n number, s shared text, f text
// of a formula, i inline text, b boolean, e error, d date.
func kindOf(t []byte) byte {
	switch string(t) {
	case "s", "b", "e", "d":
		return t[0]
	case "str":
		return 'f'
	case "inlineStr":
		return 'i'
	}
	return 'n'
}

// count reads digits; anything else is -1.
func count(digits []byte) int {
	n := 0
	for _, c := range digits {
		if c < '0' || c > '9' || n > 1<<30 {
			return -1
		}
		n = 10*n + int(c-'0')
	}
	if len(digits) == 0 {
		return -1
	}
	return n
}

// cell reads a cell up to its end tag and adds it to the row where it is filled.
func (x *xlsxRows) cell(row *Row, column, style int, kind byte) error {
	s := x.s
	start := len(row.Text)
	inValue, inFormula, hasValue := false, false, false
	var formula []byte // nil for none
	x.fixed = x.fixed[:0]
	for s.next() {
		switch s.kind {
		case startTag:
			switch {
			case string(s.name) == "is":
				row.Text = appendRich(row.Text, s, "is")
				hasValue = true
			case string(s.name) == "v":
				inValue, hasValue = !s.empty, true
			case string(s.name) == "f":
				formula, inFormula = append(x.formula[:0], '='), !s.empty
			}
		case charData:
			switch {
			case inFormula && len(formula) < maxFormula:
				formula = appendText(formula, s.text)
			case !inValue:
			case s.cdata:
				x.fixed = append(x.fixed, s.text...)
			default:
				x.fixed = appendText(x.fixed, s.text)
			}
			if len(x.fixed) > maxCell {
				return errLongCell
			}
		case endTag:
			inValue, inFormula = false, false
			if string(s.name) != "c" {
				continue
			}
			if formula != nil {
				x.formula = formula
			}
			if formula != nil && !hasValue {
				row.Text = appendFormula(row.Text, formula)
				row.Cells = append(row.Cells, Cell{uint32(start), uint32(len(row.Text)), int32(column), Formula})
				return nil
			}
			k, err := x.value(row, x.fixed, style, kind)
			if err != nil {
				return fmt.Errorf("row %d, column %s: %w", row.Number, ColumnLetters(column), err)
			}
			if len(row.Text) > start {
				row.Cells = append(row.Cells, Cell{uint32(start), uint32(len(row.Text)), int32(column), k})
			}
			return nil
		}
	}
	s.cutOff()
	return s.err
}

// maxFormula is how many bytes of a formula are shown.
const maxFormula = 200

// appendFormula appends a formula that has no value, cut where it is long.
func appendFormula(dst, formula []byte) []byte {
	if len(formula) <= maxFormula {
		return append(dst, formula...)
	}
	cut := maxFormula
	for cut > 0 && !utf8.RuneStart(formula[cut]) {
		cut--
	}
	return append(append(dst, formula[:cut]...), "…"...)
}

// value appends what the raw value of a cell means.
func (x *xlsxRows) value(row *Row, raw []byte, style int, kind byte) (Kind, error) {
	if kind == 'i' || len(raw) == 0 {
		return Text, nil
	}
	switch kind {
	case 's':
		text, ok := x.shared.texts.text(count(bytes.TrimSpace(raw)))
		if !ok {
			return Text, fmt.Errorf("its shared text %q is missing", raw)
		}
		row.Text = append(row.Text, text...)
		return Text, nil
	case 'f':
		from := len(row.Text)
		row.Text = unescapeX(append(row.Text, raw...), from)
		return Text, nil
	case 'e':
		row.Text = append(row.Text, raw...)
		return Error, nil
	case 'b':
		if string(raw) == "1" || string(raw) == "true" {
			row.Text = append(row.Text, "true"...)
		} else {
			row.Text = append(row.Text, "false"...)
		}
		return Boolean, nil
	}
	f := general
	if style >= 0 && style < len(x.shared.formats) {
		f = x.shared.formats[style]
	}
	var k Kind
	if kind == 'd' {
		if row.Text, k = appendISO(row.Text, raw); k == DateTime && f == dateFormat &&
			bytes.HasSuffix(row.Text, []byte("T00:00:00")) {
			row.Text, k = row.Text[:len(row.Text)-len("T00:00:00")], Date
		}
		return k, nil
	}
	if f != general {
		if row.Text, k = appendSerial(row.Text, raw, f, x.shared.since1904); k != Number {
			return k, nil
		}
	}
	var ok bool
	if row.Text, ok = appendNumber(row.Text, bytes.TrimSpace(raw)); !ok {
		row.Text = append(row.Text, raw...)
		return Text, nil
	}
	return Number, nil
}

// place reads a cell's name, such as AB12: column from 0, row from 1.
func place(name []byte) (column, row int, ok bool) {
	i := 0
	for ; i < len(name) && name[i] >= 'A' && column <= MaxColumns; i++ {
		column = 26*column + int((name[i]|0x20)-'a') + 1
	}
	for ; i < len(name); i++ {
		c := name[i] - '0'
		if c > 9 || row > MaxRows {
			return 0, 0, false
		}
		row = 10*row + int(c)
	}
	return column - 1, row, column > 0 && row > 0
}

// ColumnLetters names a column, counted from 0, as sheets do: A, Z, AA.
func ColumnLetters(column int) string {
	var name []byte
	for n := column + 1; n > 0; n = (n - 1) / 26 {
		name = append(name, byte('A'+(n-1)%26))
	}
	slices.Reverse(name)
	return string(name)
}

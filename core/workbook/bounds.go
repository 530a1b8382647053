package workbook

import (
	"context"
	"errors"
	"io"

	"sieb/core/fault"
)

// Bounds of a workbook. A few bytes of one can stand for any amount: by
// repeats, by shared texts, by what is packed. So what counts is what they
// unfold to. docs/limits.md lists them for stewards.
const (
	maxSheets = 1024
	// maxTag and maxPiece bound the memory of one tag, and of one text between tags.
	maxTag   = 1 << 20
	maxPiece = 8 << 20
	// maxCell is what one cell's text may have; the programs that make
	// workbooks allow 32,767 characters.
	maxCell = 1 << 20
	// MaxRowText is what all texts of one row may have together.
	MaxRowText = 32 << 20
	// maxTexts and maxTextCount bound the shared texts of an XLSX workbook.
	maxTexts     = 384 << 20
	maxTextCount = 1 << 24
	maxFormats   = 1 << 20
	maxMerged    = 1 << 20
	// maxRatio is how many times its packed size a part may unpack to, and
	// the cells of a sheet may unfold to, beyond what is always allowed.
	// Sheets of few different values pack to a hundredth; what is made to
	// fill memory goes far beyond.
	maxRatio   = 300
	alwaysFits = 64 << 20
	// cellCost is what a cell counts for besides its text.
	cellCost = 16
)

var (
	errLongCell = notReadable("one cell of the workbook holds more than %d MiB of text, which no table does; "+askWhat,
		maxCell>>20)
	errTooLarge = notReadable("a part of the workbook unpacks to more than %d times its size, which no table does; "+
		askWhat, maxRatio)
	errUnfolds = notReadable("the cells of the sheet unfold to more than %d times the workbook's size, which no "+
		"table does; "+askWhat, maxRatio)
)

const askWhat = "ask the sender what it is, or for it as CSV"

// limited reads at most left bytes; more is an error.
type limited struct {
	r    io.Reader
	left int64
}

func (l *limited) Read(p []byte) (int, error) {
	n, err := l.r.Read(p)
	if l.left -= int64(n); l.left < 0 {
		return 0, errTooLarge
	}
	return n, err
}

// budget is what the cells of a sheet may unfold to yet.
type budget struct{ left int64 }

func newBudget(packed int64) *budget { return &budget{packed*maxRatio + alwaysFits} }

// charge takes a row from the budget.
func (b *budget) charge(row *Row) error {
	text := int64(0)
	for _, c := range row.Cells {
		text += int64(c.End - c.Start)
	}
	if text > MaxRowText {
		return rowTooLong(row.Number)
	}
	if b.left -= text + cellCost*int64(len(row.Cells)); b.left < 0 {
		return errUnfolds
	}
	return nil
}

func rowTooLong(number int) error {
	return notReadable("row %d of the sheet holds more than %d MiB of text; %s", number, MaxRowText>>20, askAgain)
}

// isFinal reports whether an error is to be passed on as it is: it says what it
// is, or it is none of the workbook's.
func isFinal(err error) bool {
	return errors.As(err, new(*NotReadable)) || errors.As(err, new(*fault.Crash)) || fault.IsDisk(err) ||
		errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded)
}

// tooMany says that there are more of something than a workbook may have.
func tooMany(what string, most int) error {
	return notReadable("the workbook has more than %d %s; %s", most, what, askWhat)
}

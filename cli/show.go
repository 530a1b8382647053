package cli

import (
	"bufio"
	"fmt"
	"io"
	"os"
	"strings"
	"time"
	"unicode"

	"github.com/jedib0t/go-pretty/v6/progress"
	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"golang.org/x/term"
)

// width is how many characters a line of the output may take.
func (a *app) width() int {
	if f, ok := a.screen.(*os.File); ok {
		if w, _, err := term.GetSize(int(f.Fd())); err == nil && w > 20 {
			return w
		}
	}
	return 120
}

func isTerminal(w io.Writer) bool {
	f, ok := w.(*os.File)
	return ok && term.IsTerminal(int(f.Fd()))
}

// columnOf says how a table shows one of its columns.
type columnOf struct {
	title  string
	number bool
	most   int  // characters; what is longer is cut off
	wrap   bool // what is longer goes on in the next line instead
}

// table prints rows under their titles.
func (a *app) table(columns []columnOf, rows [][]string) {
	t := table.NewWriter()
	t.SetOutputMirror(a.out)
	style := table.StyleLight
	style.Options = table.Options{SeparateHeader: true}
	style.Box.PaddingLeft, style.Box.PaddingRight = "", "  "
	style.Format.Header = text.FormatDefault
	t.SetStyle(style)
	header := make(table.Row, len(columns))
	var configs []table.ColumnConfig
	for i, c := range columns {
		header[i] = c.title
		config := table.ColumnConfig{Number: i + 1}
		if c.number {
			config.Align, config.AlignHeader = text.AlignRight, text.AlignRight
		}
		if c.most > 0 {
			config.WidthMax = c.most
			config.WidthMaxEnforcer = clip
			if c.wrap {
				config.WidthMaxEnforcer = wrap
			}
		}
		configs = append(configs, config)
	}
	t.SetColumnConfigs(configs)
	t.AppendHeader(header)
	for _, row := range rows {
		cells := make(table.Row, len(row))
		for i := range row {
			cells[i] = row[i]
		}
		t.AppendRow(cells)
	}
	t.Render()
}

// wrap breaks a text at blanks into lines of so many columns of the terminal, but not inside a count: the library
// takes its narrow blanks for any blank.
func wrap(s string, most int) string {
	const held = "\ue000" // of private use, as wide
	s = strings.ReplaceAll(s, "\u202f", held)
	return strings.ReplaceAll(text.WrapSoft(s, most), held, "\u202f")
}

// clip cuts a text to so many columns of the terminal.
func clip(s string, most int) string {
	if text.StringWidthWithoutEscSequences(s) <= most {
		return s
	}
	return text.Trim(s, most-1) + "…"
}

// visible shows what a terminal would swallow: line ends, tabs, control
// characters, and blanks at the ends.
func visible(s string) string {
	s = strings.ReplaceAll(strings.ReplaceAll(s, "\r\n", "⏎"), "\n", "⏎")
	s = strings.Map(func(r rune) rune {
		switch {
		case r == '\r':
			return '␍'
		case r == '\t':
			return '⇥'
		case unicode.IsControl(r):
			return '␦'
		}
		return r
	}, s)
	core := strings.Trim(s, " ")
	if len(core) == len(s) {
		return s
	}
	before := len(s) - len(strings.TrimLeft(s, " "))
	if core == "" {
		before = len(s)
	}
	return strings.Repeat("·", before) + core + strings.Repeat("·", len(s)-before-len(core))
}

// size writes bytes in decimal units.
func size(bytes int64) string {
	const units = "kMGTP"
	if bytes < 1000 {
		return fmt.Sprintf("%d B", bytes)
	}
	f, i := float64(bytes)/1000, 0
	for f >= 999.5 && i+1 < len(units) {
		f /= 1000
		i++
	}
	return fmt.Sprintf("%.3g %cB", f, units[i])
}

// progress shows how far a file has been read, on a terminal only.
func (a *app) progress(what string, total int64) (set func(bytes int64), done func()) {
	if !isTerminal(a.bar) {
		return func(int64) {}, func() {}
	}
	w := progress.NewWriter()
	w.SetOutputWriter(a.bar)
	w.SetUpdateFrequency(50 * time.Millisecond)
	w.SetAutoStop(true)
	w.Style().Chars = progress.StyleCharsBlocks
	w.Style().Visibility.Speed = true
	w.SetTrackerPosition(progress.PositionRight)
	bar := &progress.Tracker{Message: what, Total: total, Units: progress.UnitsBytes}
	w.AppendTracker(bar)
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		w.Render()
	}()
	return bar.SetValue, func() {
		bar.MarkAsDone()
		<-ended
		// The finished bar leaves a line of its own, which the result takes.
		fmt.Fprint(a.bar, text.CursorUp.Sprint(), text.EraseLine.Sprint())
	}
}

func joined(names []string) string {
	shown := make([]string, len(names))
	for i := range names {
		shown[i] = visible(names[i])
	}
	return strings.Join(shown, ", ")
}

// stickyWriter writes until the first error, which it keeps.
type stickyWriter struct {
	w   *bufio.Writer
	err error
}

func newStickyWriter(w io.Writer) *stickyWriter { return &stickyWriter{w: bufio.NewWriter(w)} }

func (s *stickyWriter) put(b []byte) {
	if s.err == nil {
		_, s.err = s.w.Write(b)
	}
}

func (s *stickyWriter) flush() error {
	if s.err == nil {
		s.err = s.w.Flush()
	}
	return s.err
}

// argument shows a path as a shell takes it.
func argument(path string) string {
	if path != "" && strings.IndexFunc(path, func(r rune) bool {
		return !unicode.IsLetter(r) && !unicode.IsDigit(r) && !strings.ContainsRune("/._-+,:@%", r)
	}) < 0 && path[0] != '-' {
		return path
	}
	return "'" + strings.ReplaceAll(path, "'", `'\''`) + "'"
}

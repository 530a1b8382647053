// Package reading keeps deliveries open while a steward looks at how they read:
// their rows by number, the lines around them, and what is wrong with them.
//
// It knows files and layouts; it knows neither records nor HTTP. What it holds
// can be made anew at any time, and goes after a while of rest.
package reading

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"sieb/core/layout"
	"sieb/core/profile"
	"sieb/core/search"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/workbook"
)

const (
	mostOpen     = 8 // deliveries
	mostReadings = 4 // ways to read one
	mostProblems = 1000
	mostText     = 2000     // characters of a cell or a line that are shown
	mostWindow   = 16 << 20 // bytes that rows are given of together, beyond the last

	// longestRow is what a row may have, in bytes, so that a look through the
	// wrong settings, which may see no line end at all, ends soon.
	longestRow = 8 << 20
)

// restFor is after what time without use a delivery is closed.
var restFor = 5 * time.Minute

// Cache keeps deliveries open.
type Cache struct {
	bounds source.Bounds
	ends   chan struct{}
	rest   time.Duration // after which a delivery is closed that nobody uses
	mu     sync.Mutex
	open   map[string]*opened
}

// New makes an empty cache, in which deliveries are opened within bounds.
func New(bounds source.Bounds) *Cache {
	c := &Cache{bounds: bounds, ends: make(chan struct{}), rest: restFor, open: map[string]*opened{}}
	go c.watch()
	return c
}

// watch closes what has rested, also where nobody asks for anything.
func (c *Cache) watch() {
	tick := time.NewTicker(c.rest / 2)
	defer tick.Stop()
	for {
		select {
		case <-c.ends:
			return
		case <-tick.C:
			c.mu.Lock()
			c.sweep()
			c.mu.Unlock()
		}
	}
}

// opened is a delivery that lies open.
type opened struct {
	file *source.File
	used time.Time
	busy int // requests that use it

	mu       sync.Mutex
	readings map[string]*Reading
	order    []string // of the readings, the oldest first

	newest atomic.Pointer[Reading] // never one that is older than who waits for it
}

// Reading is a delivery as certain settings read it.
type Reading struct {
	File    *source.File
	Columns []string // their names

	index *source.Index
	users int // requests that use it; the opened's lock is over it
	stop  context.CancelFunc
	done  chan struct{}

	mu       sync.Mutex // over the looker, too
	looker   *sift.Looker
	problems []sift.Problem
	found    int64
}

// Read reads a delivery, and gives what was read to use. The file stays open
// for as long as use takes, and a while longer.
func (c *Cache) Read(ctx context.Context, path string, given layout.Given, use func(*Reading) error) error {
	o, err := c.take(ctx, path, given)
	if err != nil {
		return err
	}
	defer c.giveBack(o)
	r, err := o.reading(ctx, given)
	if err != nil {
		return err
	}
	defer o.leave(r)
	return use(r)
}

// take opens the delivery, or finds it open.
func (c *Cache) take(ctx context.Context, path string, given layout.Given) (*opened, error) {
	key := path
	if given.Member != nil {
		key += "\x00" + *given.Member
	}
	c.mu.Lock()
	c.sweep()
	if o := c.open[key]; o != nil {
		o.busy++
		c.mu.Unlock()
		return o, nil
	}
	c.mu.Unlock()
	// Opening may take a while; others go on meanwhile.
	file, err := c.bounds.Open(ctx, path, layout.Given{Member: given.Member})
	if err != nil {
		return nil, err
	}
	file.Longest = longestRow
	c.mu.Lock()
	defer c.mu.Unlock()
	o := c.open[key]
	if o != nil {
		file.Close()
	} else {
		o = &opened{file: file, readings: map[string]*Reading{}}
		c.open[key] = o
	}
	o.busy++
	o.used = time.Now()
	return o, nil
}

func (c *Cache) giveBack(o *opened) {
	c.mu.Lock()
	defer c.mu.Unlock()
	o.busy--
	o.used = time.Now()
}

// sweep closes what has rested for long, and the longest rested where too much
// lies open.
func (c *Cache) sweep() {
	for {
		oldest := ""
		for key, o := range c.open {
			if o.busy == 0 && (oldest == "" || o.used.Before(c.open[oldest].used)) {
				oldest = key
			}
		}
		if oldest == "" || len(c.open) < mostOpen && time.Since(c.open[oldest].used) < c.rest {
			return
		}
		c.open[oldest].close()
		delete(c.open, oldest)
	}
}

// Close closes everything.
func (c *Cache) Close() {
	close(c.ends)
	c.mu.Lock()
	defer c.mu.Unlock()
	for key, o := range c.open {
		o.close()
		delete(c.open, key)
	}
}

func (o *opened) close() {
	for _, r := range o.readings {
		r.end()
	}
	o.file.Close()
}

// reading finds how the settings read the delivery; the first time it detects
// the other settings and begins to index the rows.
func (o *opened) reading(ctx context.Context, given layout.Given) (*Reading, error) {
	text, err := json.Marshal(given)
	if err != nil {
		return nil, err
	}
	key := string(text)
	o.mu.Lock()
	defer o.mu.Unlock()
	if r := o.readings[key]; r != nil {
		r.users++
		return r, nil
	}
	file, err := o.file.Reread(ctx, given)
	if err != nil {
		return nil, err
	}
	rows, err := file.Rows(ctx)
	if err != nil {
		return nil, err
	}
	header := rows.Header()
	source.Close(rows)
	looker, err := sift.NewLooker(header, file.Layout.Encoding)
	if err != nil {
		return nil, err
	}
	o.evict()
	ctx, stop := context.WithCancel(context.Background())
	r := &Reading{File: file, Columns: append([]string{}, header.Names...), looker: looker, users: 1,
		index: file.NewIndex(), stop: stop, done: make(chan struct{})}
	o.readings[key] = r
	o.newest.Store(r)
	o.order = append(o.order, key)
	go func() {
		defer close(r.done)
		_ = r.build(ctx, o) // the index keeps the error for who waits for a row
	}()
	return r, nil
}

// evict ends the oldest reading that nobody uses, where there are too many. What
// somebody waits for goes on.
func (o *opened) evict() {
	if len(o.order) < mostReadings {
		return
	}
	k := slices.IndexFunc(o.order, func(key string) bool { return o.readings[key].users == 0 })
	if k < 0 {
		return
	}
	o.readings[o.order[k]].end()
	delete(o.readings, o.order[k])
	o.order = slices.Delete(o.order, k, k+1)
}

func (o *opened) leave(r *Reading) {
	o.mu.Lock()
	defer o.mu.Unlock()
	r.users--
}

// end stops the indexing.
func (r *Reading) end() {
	r.stop()
	<-r.done
}

// build goes over the delivery once: it notes where rows are, and what is wrong
// with them.
func (r *Reading) build(ctx context.Context, o *opened) error {
	return r.index.Build(ctx, func(b *source.Batch) error {
		// The way that was asked for last comes first.
		if newest := o.newest.Load(); newest != r {
			select {
			case <-newest.done:
			case <-ctx.Done():
				return ctx.Err()
			}
		}
		b.Split()
		r.mu.Lock()
		defer r.mu.Unlock()
		r.found += int64(len(b.Defects))
		r.looker.Watch(b)
		if room := mostProblems - len(r.problems); room > 0 {
			found := r.looker.Problems(b)
			r.problems = append(r.problems, found[:min(len(found), room)]...)
		}
		return nil
	})
}

// Line is a line of the delivery that is no row.
type Line struct {
	Line int64  `json:"line" doc:"0 where it is not known yet"`
	Kind string `json:"kind" enum:"skipped,header,comment,blank,below"`
	Text string `json:"text"`
}

// Row is a row as it reads.
type Row struct {
	Row      int64          `json:"row" doc:"0 where it is not known yet"`
	Line     int64          `json:"line" doc:"0 where it is not known yet"`
	Cells    []string       `json:"cells"`
	Kinds    []string       `json:"kinds,omitempty" doc:"of a workbook's cells: text, number, boolean, date, time, dateTime, duration or error"`
	Raw      string         `json:"raw,omitempty" doc:"the text as it stands in the delivery, with its line end"`
	Problems []sift.Problem `json:"problems,omitempty"`
}

// Window is a run of rows.
type Window struct {
	Above   []Line `json:"above,omitempty" doc:"lines above the first row; only with it"`
	Rows    []Row  `json:"rows"`
	Below   []Line `json:"below,omitempty" doc:"lines below the last row; only with it"`
	Counted int64  `json:"counted" doc:"rows counted so far"`
	All     bool   `json:"all" doc:"all rows are counted"`
}

var errEnough = errors.New("enough rows were read")

// Rows returns at most n rows from one on, fewer where they are very long. A row that is
// not indexed yet is waited for.
func (r *Reading) Rows(ctx context.Context, from int64, n int) (*Window, error) {
	if from > 1 {
		if _, err := r.index.Wait(ctx, from); err != nil {
			return nil, err
		}
	}
	rows, err := r.index.From(ctx, from)
	if err != nil {
		return nil, err
	}
	w := &Window{Rows: []Row{}}
	bytes := 0
	if err := r.look(rows, func(seen *sift.ReadRow) bool {
		if seen.Row >= from {
			row := rowOf(seen)
			w.Rows = append(w.Rows, row)
			bytes += row.size()
		}
		return len(w.Rows) < n && bytes < mostWindow
	}); err != nil {
		return nil, err
	}
	if from <= 1 {
		first := int64(1) << 62
		if len(w.Rows) > 0 {
			first = w.Rows[0].Line
		}
		if w.Above, err = r.above(ctx, first); err != nil {
			return nil, err
		}
	}
	w.Counted, w.All = r.index.Counted()
	if w.All && from+int64(len(w.Rows))-1 >= w.Counted {
		w.Below, err = r.below(ctx)
	}
	return w, err
}

// From reads the delivery on from a place at or before a row, once that row is counted.
func (r *Reading) From(ctx context.Context, row int64) (source.Source, error) {
	if _, err := r.index.Wait(ctx, row); err != nil {
		return nil, err
	}
	return r.index.From(ctx, row)
}

// RowAt returns the row that begins at a line, or last in front of it; 0 for none.
func (r *Reading) RowAt(ctx context.Context, line int64) (int64, error) {
	return r.index.RowAt(ctx, line)
}

// Find returns rows that the filters of a profile let through; see profile.Search.
func (r *Reading) Find(ctx context.Context, p *profile.Profile, filters []profile.Filter, behind int64,
	limit int) (rows []Row, count int64, isAll bool, err error) {
	found, count, isAll, err := search.Rows(ctx, p, r.index, filters, behind, limit)
	for _, m := range found {
		row := Row{Row: m.Row, Line: m.Line}
		for _, c := range m.Cells {
			row.Cells = append(row.Cells, clip(c))
		}
		rows = append(rows, row)
	}
	return rows, count, isAll, err
}

// Last returns the last n rows. Of a large text they come before all rows are
// counted, without their numbers.
func (r *Reading) Last(ctx context.Context, n int) (*Window, error) {
	counted, all := r.index.Counted()
	if !all {
		tail, ok, err := r.File.Tail(ctx)
		if err != nil {
			return nil, err
		}
		if ok {
			w := &Window{Rows: []Row{}, Counted: counted}
			if err := r.look(tail, func(seen *sift.ReadRow) bool {
				seen.Row, seen.Line = 0, 0
				w.Rows = append(w.Rows, rowOf(seen))
				return true
			}); err != nil {
				return nil, err
			}
			w.Rows = w.Rows[max(0, len(w.Rows)-n):]
			w.Below, err = r.below(ctx)
			return w, err
		}
		if counted, err = r.index.Wait(ctx, 1<<62); err != nil {
			return nil, err
		}
	}
	return r.Rows(ctx, max(1, counted-int64(n)+1), n)
}

// look reads rows until see has seen enough.
func (r *Reading) look(rows source.Source, see func(*sift.ReadRow) bool) error {
	defer source.Close(rows)
	_, err := sift.Look(rows, r.File.Layout.Encoding, -1, func(seen *sift.ReadRow) error {
		if !see(seen) {
			return errEnough
		}
		return nil
	})
	if errors.Is(err, errEnough) {
		return nil
	}
	return err
}

var kinds = [...]string{workbook.Text: "text", workbook.Number: "number", workbook.Boolean: "boolean",
	workbook.Date: "date",
	workbook.Time: "time", workbook.DateTime: "dateTime", workbook.Duration: "duration", workbook.Error: "error"}

func rowOf(seen *sift.ReadRow) Row {
	row := Row{Row: seen.Row, Line: seen.Line, Cells: make([]string, len(seen.Cells)), Raw: clip(seen.Raw),
		Problems: seen.Problems}
	for k, c := range seen.Cells {
		row.Cells[k] = clip(c)
	}
	for _, k := range seen.Kinds {
		row.Kinds = append(row.Kinds, kinds[k])
	}
	return row
}

// size is about what a row takes as it is shown, in bytes.
func (row *Row) size() int {
	n := len(row.Raw)
	for _, c := range row.Cells {
		n += len(c) + 8
	}
	return n
}

// clip cuts off what is too long to be shown.
func clip(text string) string {
	if len(text) <= mostText {
		return text
	}
	n := 0
	for i := range text {
		if n++; n > mostText {
			return text[:i] + "…"
		}
	}
	return text
}

const mostAbove = 60

// joined writes a row of a workbook as a text, each cell with the letters of its column.
func joined(line workbook.Line) string {
	var cells []string
	for _, c := range line.Cells {
		cells = append(cells, fmt.Sprintf("%s: %s", workbook.ColumnLetters(c.Column), c.Text))
	}
	return strings.Join(cells, " · ")
}

// above returns the lines above the first row.
func (r *Reading) above(ctx context.Context, first int64) (lines []Line, err error) {
	l := &r.File.Layout
	kind := func(line int64, text string) string {
		switch {
		case line <= int64(l.SkipRows):
			return "skipped"
		case strings.TrimSpace(text) == "":
			return "blank"
		case l.CommentPrefix != "" && strings.HasPrefix(text, l.CommentPrefix):
			return "comment"
		}
		return "header"
	}
	if l.Form == layout.Workbook {
		top, err := r.File.Top(ctx, mostAbove)
		for _, t := range top {
			if int64(t.Number) >= first {
				break
			}
			lines = append(lines, Line{int64(t.Number), kind(int64(t.Number), "x"), clip(joined(t))})
		}
		return lines, err
	}
	reader, err := r.File.Lines()
	if err != nil {
		return nil, err
	}
	err = r.look(reader, func(seen *sift.ReadRow) bool {
		if seen.Line >= first || len(lines) == mostAbove {
			return false
		}
		lines = append(lines, Line{seen.Line, kind(seen.Line, seen.Cells[0]), clip(seen.Raw)})
		return true
	})
	return lines, err
}

// below returns the lines below the table: the first of them, and how many more there are.
func (r *Reading) below(ctx context.Context) (lines []Line, err error) {
	n := r.File.Layout.FooterRows
	if n == 0 {
		return nil, nil
	}
	bottom, err := r.File.Bottom(ctx)
	if err != nil {
		return nil, err
	}
	for _, line := range bottom {
		lines = append(lines, Line{int64(line.Number), "below", clip(joined(line))})
	}
	if len(bottom) > 0 {
		return lines, nil
	}
	last, first, err := r.File.LastLines(n)
	for i, text := range last[:min(len(last), mostAbove)] {
		number := int64(0)
		if first > 0 {
			number = first + int64(i)
		}
		lines = append(lines, Line{number, "below", clip(text)})
	}
	if more := n - len(lines); more > 0 && len(lines) == mostAbove {
		lines = append(lines, Line{0, "below", fmt.Sprintf("… and %d more", more)})
	}
	return lines, err
}

// Problems is what is wrong with the rows as they read.
type Problems struct {
	Items   []sift.Problem `json:"items" doc:"the first of them"`
	Total   int64          `json:"total" doc:"found so far"`
	Counted int64          `json:"counted" doc:"rows looked at so far"`
	All     bool           `json:"all" doc:"all rows were looked at"`
}

// Problems returns what was found so far.
func (r *Reading) Problems() Problems {
	r.mu.Lock()
	defer r.mu.Unlock()
	p := Problems{Items: append([]sift.Problem{}, r.problems...), Total: r.found}
	if p.Counted, p.All = r.index.Counted(); p.All {
		if changed := r.looker.Changed(); changed != nil {
			p.Items = append([]sift.Problem{*changed}, p.Items...)
			p.Total++
		}
	}
	return p
}

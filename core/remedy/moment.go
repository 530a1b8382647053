package remedy

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"

	"sieb/core/value"
	"sieb/core/workbook"
)

// moments returns the datatypes as which dates are read for the column, and the one as which
// they are written; that they are read as where it is none of its own.
func (c *Column) moments() (read []value.Datatype, write value.Datatype) {
	switch c.Datatype {
	case value.Date, value.Time:
		return []value.Datatype{c.Datatype}, c.Datatype
	case value.DateTime:
		// A day without a time of day begins with midnight.
		return []value.Datatype{value.DateTime, value.Date}, value.DateTime
	}
	return []value.Datatype{value.Date, value.DateTime, value.Time}, value.String
}

// pattern is a format of dates with the datatype as which they are written.
type pattern struct {
	*value.DateFormat
	write value.Datatype
}

// pattern finds out which datatype a pattern is of.
func (c *Column) pattern(text string) (p pattern, err error) {
	read, write := c.moments()
	var first error
	for _, d := range read {
		if p.DateFormat, err = value.NewDateFormat(d, text); err == nil {
			if p.write = write; write == value.String {
				p.write = d
			}
			return p, nil
		}
		first = cmp.Or(first, err)
	}
	return p, first
}

func makeDate(r *Remedy, c *Column) (step, error) {
	var patterns []pattern
	for _, text := range r.Lists["formats"] {
		p, err := c.pattern(text)
		if err != nil {
			return step{}, fmt.Errorf("date: %w", err)
		}
		patterns = append(patterns, p)
	}
	if len(patterns) == 0 {
		return step{}, errors.New("date: there is no format")
	}
	return step{writes: true, kind: workbook.DateTime,
		clean: func(dst, cell []byte, kind workbook.Kind) ([]byte, bool) {
			if kind != workbook.Text {
				return cell, false
			}
			for i := range patterns {
				var t value.Instant
				if patterns[i].Parse(cell, &t) == value.Matches {
					return told(appendMoment(dst, &t, patterns[i].write), cell)
				}
			}
			return cell, false
		}}, nil
}

func appendMoment(dst []byte, t *value.Instant, d value.Datatype) []byte {
	switch d {
	case value.DateTime:
		return t.AppendDateTime(dst)
	case value.Time:
		return t.AppendTime(dst)
	}
	return t.AppendDate(dst)
}

// Serial numbers of spreadsheets count days. The system of 1900 takes that year for a leap
// year (ECMA-376 part 1, 18.17.4.1): its day 60 never was, and days before it are one more.
const (
	noDay      = 60
	lastSerial = 2_958_465 // the end of 9999
)

func makeSerial(r *Remedy, c *Column) (step, error) {
	is1904 := r.Texts["from"] == "1904"
	day := func(n int64) (time.Time, bool) {
		switch {
		case is1904:
			return time.Date(1904, 1, 1, 0, 0, 0, 0, time.UTC).AddDate(0, 0, int(n)), n >= 0 && n <= lastSerial-1462
		case n < noDay:
			return time.Date(1899, 12, 31, 0, 0, 0, 0, time.UTC).AddDate(0, 0, int(n)), n >= 1
		}
		return time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC).AddDate(0, 0, int(n)), n > noDay && n <= lastSerial
	}
	return step{writes: true, kind: workbook.DateTime, clean: func(dst, cell []byte, _ workbook.Kind) ([]byte, bool) {
		whole, frac, hasFrac := bytes.Cut(cell, []byte("."))
		if len(whole) == 0 || len(whole) > 7 || !areDigits(whole) || hasFrac && (len(frac) == 0 || !areDigits(frac)) {
			return cell, false
		}
		n, _ := strconv.ParseInt(string(whole), 10, 64)
		at, ok := day(n)
		share, _ := strconv.ParseFloat("0."+string(frac)+"0", 64)
		seconds := math.Round(share * 86400)
		switch {
		case !ok || seconds > 0 && c.Datatype != value.DateTime:
			return cell, false
		case c.Datatype == value.DateTime:
			return at.Add(time.Duration(seconds)*time.Second).AppendFormat(dst, "2006-01-02T15:04:05"), true
		}
		return at.AppendFormat(dst, time.DateOnly), true
	}}, nil
}

func areDigits(text []byte) bool {
	for _, c := range text {
		if c-'0' > 9 {
			return false
		}
	}
	return true
}

func makeBoolean(r *Remedy, _ *Column) (step, error) {
	is := map[string]bool{}
	for _, pair := range r.Lists["pairs"] {
		yes, no, ok := strings.Cut(pair, "|")
		if !ok || yes == "" || no == "" || strings.EqualFold(yes, no) {
			return step{}, fmt.Errorf("boolean: %q is not two texts with a bar between them, such as ja|nein", pair)
		}
		for text, truth := range map[string]bool{yes: true, no: false} {
			key := strings.ToLower(text)
			if was, has := is[key]; has && was != truth {
				return step{}, fmt.Errorf("boolean: %q stands for true and for false", text)
			}
			is[key] = truth
		}
	}
	if len(is) == 0 {
		return step{}, errors.New("boolean: there is no pair")
	}
	return step{writes: true, kind: workbook.Boolean, clean: func(dst, cell []byte, _ workbook.Kind) ([]byte, bool) {
		truth, ok := is[strings.ToLower(string(cell))]
		if !ok {
			return cell, false
		}
		return told(strconv.AppendBool(dst, truth), cell)
	}}, nil
}

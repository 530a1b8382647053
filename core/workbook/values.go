package workbook

import (
	"bytes"
	"fmt"
	"math"
	"strconv"
	"time"
)

// appendNumber appends a number as it is meant: without exponent, and without
// the noise of binary arithmetic: 0.30000000000000004 is 0.3, since in fifteen
// digits, which is what sheets show, most of them are zeros. Any other number
// keeps every digit that it needs to be told from its neighbours. ok is false
// where the text is no number.
func appendNumber(dst, raw []byte) (out []byte, ok bool) {
	digits, point, exponent := 0, false, false
	for i, c := range raw {
		switch {
		case c >= '0' && c <= '9':
			digits++
		case c == '.' && !point && !exponent:
			point = true
		case (c == 'e' || c == 'E') && digits > 0 && !exponent:
			exponent = true
		case (c == '-' || c == '+') && (i == 0 || raw[i-1] == 'e' || raw[i-1] == 'E'):
		default:
			return dst, false
		}
	}
	if digits == 0 {
		return dst, false
	}
	if !exponent && (digits <= 15 || !point) && raw[0] != '.' && raw[0] != '+' && raw[len(raw)-1] != '.' {
		if string(raw) == "-0" {
			raw = raw[1:]
		}
		return append(dst, raw...), true
	}
	f, err := strconv.ParseFloat(string(raw), 64)
	if err != nil || math.IsInf(f, 0) {
		return dst, false
	}
	var scratch [32]byte
	// Where twelve digits say the same as fifteen, the rest is noise.
	if g, _ := strconv.ParseFloat(string(strconv.AppendFloat(scratch[:0], f, 'e', 11, 64)),
		64); math.Abs(f-g) < math.Abs(f)*1e-15 {
		f = g
	}
	if a := math.Abs(f); a != 0 && (a < 1e-30 || a > 1e30) {
		return strconv.AppendFloat(dst, f, 'g', -1, 64), true
	}
	return strconv.AppendFloat(dst, f, 'f', -1, 64), true
}

// format is what a cell's number format makes of its number.
type format uint8

const (
	general format = iota
	dateFormat
	timeFormat
	dateTimeFormat
	durationFormat
)

// builtin returns the format of the number formats that have a number instead of
// a code (ECMA-376, part 1, 18.8.30; 27 to 36 and 50 to 58 are dates of east Asia).
func builtin(id int) format {
	switch {
	case id >= 14 && id <= 17, id >= 27 && id <= 31, id == 36, id >= 50 && id <= 58:
		return dateFormat
	case id >= 18 && id <= 21, id >= 32 && id <= 35, id == 45, id == 47:
		return timeFormat
	case id == 22:
		return dateTimeFormat
	case id == 46:
		return durationFormat
	}
	return general
}

// formatOf reads a number format's code, of its first section.
func formatOf(code string) format {
	var hasDate, hasTime, hasMonth bool
	for i := 0; i < len(code); i++ {
		switch c := code[i]; c {
		case ';':
			i = len(code)
		case '"':
			for i++; i < len(code) && code[i] != '"'; i++ {
			}
		case '\\', '_', '*':
			i++
		case '[':
			end := i + 1
			for end < len(code) && code[end] != ']' {
				end++
			}
			if isElapsed(code[i+1 : end]) {
				return durationFormat
			}
			i = end
		case 'y', 'Y', 'd', 'D':
			hasDate = true
		case 'h', 'H', 's', 'S':
			hasTime = true
		case 'm', 'M':
			hasMonth = true
		case 'G', 'g':
			if len(code) >= i+7 && (code[i:i+7] == "General" || code[i:i+7] == "GENERAL") {
				return general
			}
		}
	}
	switch {
	case hasDate && hasTime:
		return dateTimeFormat
	case hasTime:
		return timeFormat // the month's letter means minutes here
	case hasDate || hasMonth:
		return dateFormat
	}
	return general
}

// isElapsed tells [h], [mm], [ss] from colours, conditions and languages.
func isElapsed(inside string) bool {
	if inside == "" {
		return false
	}
	for i := range len(inside) {
		if c := inside[i] | 0x20; c != inside[0]|0x20 || c != 'h' && c != 'm' && c != 's' {
			return false
		}
	}
	return true
}

const (
	msPerDay  = 24 * 60 * 60 * 1000
	dayOf1970 = 25569   // in the 1900 system, whose day 0 is 30 December 1899 from day 61 on
	lastDay   = 2958465 // 31 December 9999
)

// appendSerial appends a number of days as a date, a time or a duration of ISO
// 8601. What is no day that the calendar has, as day 0 of the 1900 system, and
// the day 29 February 1900 that never was, stays a number: a false date is worse.
// A date that holds a time of day, though its format hides it, shows it.
func appendSerial(dst, raw []byte, f format, since1904 bool) ([]byte, Kind) {
	ms := int64(0)
	if n := count(raw); n >= 0 && n < 1e7 {
		ms = int64(n) * msPerDay
	} else if n, err := strconv.ParseFloat(string(raw), 64); err != nil || math.Abs(n) > 1e7 {
		return dst, Number
	} else {
		ms = int64(math.Round(n * msPerDay))
	}
	if f == durationFormat {
		return appendDuration(dst, ms), Duration
	}
	days, rest := ms/msPerDay, ms%msPerDay
	if ms >= 0 && days == 0 && f == timeFormat {
		return appendClock(dst, rest), Time
	}
	if ms < 0 || days > lastDay {
		return dst, Number
	}
	switch {
	case since1904:
		days += 1462
	case days < 1 || days == 60:
		return dst, Number
	case days < 60:
		days++
	}
	dst = time.Unix((days-dayOf1970)*86400, 0).UTC().AppendFormat(dst, time.DateOnly)
	if rest == 0 && f == dateFormat {
		return dst, Date
	}
	return appendClock(append(dst, 'T'), rest), DateTime
}

// appendClock appends a time of day, given in milliseconds.
func appendClock(dst []byte, ms int64) []byte {
	dst = fmt.Appendf(dst, "%02d:%02d:%02d", ms/3600000, ms/60000%60, ms/1000%60)
	return appendFraction(dst, ms%1000)
}

func appendFraction(dst []byte, ms int64) []byte {
	if ms == 0 {
		return dst
	}
	return bytes.TrimRight(fmt.Appendf(dst, ".%03d", ms), "0")
}

// appendDuration appends a duration, given in milliseconds, in hours, minutes
// and seconds: PT36H30M.
func appendDuration(dst []byte, ms int64) []byte {
	if ms < 0 {
		dst, ms = append(dst, '-'), -ms
	}
	dst = append(dst, "PT"...)
	if ms == 0 {
		return append(dst, "0S"...)
	}
	for _, unit := range []struct {
		ms   int64
		name byte
	}{{3600000, 'H'}, {60000, 'M'}} {
		if n := ms / unit.ms; n > 0 {
			dst = append(strconv.AppendInt(dst, n, 10), unit.name)
			ms %= unit.ms
		}
	}
	if ms > 0 {
		dst = append(appendFraction(strconv.AppendInt(dst, ms/1000, 10), ms%1000), 'S')
	}
	return dst
}

// appendISO appends a date and time that the workbook writes as text in ISO 8601.
func appendISO(dst, raw []byte) ([]byte, Kind) {
	raw = bytes.TrimSuffix(bytes.TrimSpace(raw), []byte("Z"))
	day, clock, both := bytes.Cut(raw, []byte("T"))
	if i := bytes.IndexByte(clock, '.'); i >= 0 {
		clock = bytes.TrimRight(bytes.TrimRight(clock, "0"), ".")
	}
	if bytes.IndexByte(day, ':') > 0 {
		return append(dst, day...), Time
	}
	dst = append(dst, day...)
	if !both {
		return dst, Date
	}
	return append(append(dst, 'T'), clock...), DateTime
}

// parseDuration reads a duration of hours, minutes and seconds, such as
// PT12H30M00.5S, into milliseconds.
func parseDuration(raw []byte) (ms int64, ok bool) {
	text := raw
	sign := 1.0
	if len(text) > 0 && text[0] == '-' {
		sign, text = -1, text[1:]
	}
	if len(text) == 0 || text[0] != 'P' {
		return 0, false
	}
	total, from, inTime := 0.0, 1, false
	for i := 1; i < len(text); i++ {
		c := text[i]
		if c >= '0' && c <= '9' || c == '.' || c == ',' {
			continue
		}
		if c == 'T' {
			inTime, from = true, i+1
			continue
		}
		n, err := strconv.ParseFloat(string(bytes.ReplaceAll(text[from:i], []byte(","), []byte("."))), 64)
		if err != nil {
			return 0, false
		}
		switch {
		case c == 'D' && !inTime:
			n *= msPerDay
		case c == 'H' && inTime:
			n *= 3600000
		case c == 'M' && inTime:
			n *= 60000
		case c == 'S' && inTime:
			n *= 1000
		default:
			return 0, false
		}
		total += n
		from = i + 1
	}
	return int64(math.Round(sign * total)), from == len(text)
}

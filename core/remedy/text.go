package remedy

import (
	"bytes"
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"

	"sieb/core/codes"
	"sieb/core/lexical"
	"sieb/core/workbook"
)

// cleaning is what most remedies do: they take a text and give a text.
type cleaning = func(dst, cell []byte) ([]byte, bool)

// written makes the step of a remedy without parameters that appends what it makes; viewed
// of one that returns a part of the cell.
func written(clean cleaning) func(*Remedy, *Column) (step, error) {
	return func(*Remedy, *Column) (step, error) { return textStep(clean), nil }
}

func viewed(clean cleaning) func(*Remedy, *Column) (step, error) {
	return func(*Remedy, *Column) (step, error) {
		s := textStep(clean)
		s.writes = false
		return s, nil
	}
}

// textStep is a step that takes and gives texts.
func textStep(clean cleaning) step {
	return step{clean: func(dst, cell []byte, _ workbook.Kind) ([]byte, bool) { return clean(dst, cell) }, writes: true,
		kind: workbook.Text}
}

// trim takes off white space (Unicode property White_Space) at both ends.
func trim(_, cell []byte) ([]byte, bool) {
	out := bytes.TrimSpace(cell)
	return out, len(out) != len(cell)
}

// squeeze makes one blank of each run of white space.
func squeeze(dst, cell []byte) ([]byte, bool) {
	run, clean := false, true
	for _, c := range cell {
		blank := c == ' '
		if blank && run || c < ' ' || c >= utf8.RuneSelf {
			clean = false
			break
		}
		run = blank
	}
	if clean {
		return cell, false
	}
	run = false
	for i := 0; i < len(cell); {
		r, n := utf8.DecodeRune(cell[i:])
		if !unicode.IsSpace(r) {
			dst = append(dst, cell[i:i+n]...)
		} else if !run {
			dst = append(dst, ' ')
		}
		run = unicode.IsSpace(r)
		i += n
	}
	return told(dst, cell)
}

// told returns what was written, and whether it differs from the cell.
func told(written, cell []byte) ([]byte, bool) {
	if bytes.Equal(written, cell) {
		return cell, false
	}
	return written, true
}

// isPlain reports whether a cell holds nothing but ASCII's characters that show, and blanks.
func isPlain(cell []byte) bool {
	for _, c := range cell {
		if c < ' ' || c >= 0x7F {
			return false
		}
	}
	return true
}

// clean takes out what does not show.
func clean(dst, cell []byte) ([]byte, bool) {
	if isPlain(cell) || !utf8.Valid(cell) {
		return cell, false
	}
	for i := 0; i < len(cell); {
		r, n := utf8.DecodeRune(cell[i:])
		switch {
		case r == '\t' || r == '\n' || r == '\r' || r == 0x200C || r == 0x200D:
			dst = append(dst, cell[i:i+n]...)
		case unicode.Is(unicode.Cc, r) || unicode.Is(unicode.Cf, r):
		case unicode.Is(unicode.Zs, r):
			dst = append(dst, ' ')
		default:
			dst = append(dst, cell[i:i+n]...)
		}
		i += n
	}
	return told(dst, cell)
}

// normalize composes letters (Unicode Standard Annex 15).
func normalize(dst, cell []byte) ([]byte, bool) {
	if norm.NFC.IsNormal(cell) {
		return cell, false
	}
	return told(norm.NFC.Append(dst, cell...), cell)
}

// repair undoes second decodings, one after the other.
func repair(dst, cell []byte) ([]byte, bool) {
	text := cell
	for lexical.HasGarbled(text) {
		meant := lexical.Undecode(text)
		if meant == nil {
			break
		}
		text = meant
	}
	return told(append(dst, text...), cell)
}

func toUpper(dst, cell []byte) ([]byte, bool) { return mapCase(dst, cell, 'a', 'z', unicode.ToUpper) }

func toLower(dst, cell []byte) ([]byte, bool) { return mapCase(dst, cell, 'A', 'Z', unicode.ToLower) }

// mapCase changes letters; those from lo to hi are the ASCII ones that change.
func mapCase(dst, cell []byte, lo, hi byte, to func(rune) rune) ([]byte, bool) {
	clean := true
	for _, c := range cell {
		if c >= lo && c <= hi || c >= utf8.RuneSelf {
			clean = false
			break
		}
	}
	if clean {
		return cell, false
	}
	for i := 0; i < len(cell); {
		c := cell[i]
		if c >= utf8.RuneSelf {
			r, n := utf8.DecodeRune(cell[i:])
			if r == utf8.RuneError && n == 1 {
				dst = append(dst, c)
			} else {
				dst = utf8.AppendRune(dst, to(r))
			}
			i += n
			continue
		}
		if c >= lo && c <= hi {
			c ^= 0x20
		}
		dst = append(dst, c)
		i++
	}
	return told(dst, cell)
}

// toTitle makes a capital of each letter that begins a word.
func toTitle(dst, cell []byte) ([]byte, bool) {
	inside := false // of a word
	for i := 0; i < len(cell); {
		r, n := utf8.DecodeRune(cell[i:])
		switch {
		case i > 0 && i+1 < len(cell) && areDigits(cell[i-1:i]) && areDigits(cell[i+1:i+2]):
			dst = append(dst, cell[i]) // between digits a letter is a sign, as in 2026-07-31T14:05
		case r == utf8.RuneError && n == 1:
			dst, inside = append(dst, cell[i]), false
		case !unicode.IsLetter(r):
			dst = append(dst, cell[i:i+n]...)
			// Marks belong to the letter before them, and an apostrophe to its word; letters behind a
			// digit are of its word, as in 3rd.
			inside = unicode.IsDigit(r) || inside && (r == '\'' || r == '’' || unicode.Is(unicode.M, r))
		case inside:
			dst = utf8.AppendRune(dst, unicode.ToLower(r))
		default:
			dst, inside = utf8.AppendRune(dst, unicode.ToTitle(r)), true
		}
		i += n
	}
	return told(dst, cell)
}

func makeReplace(r *Remedy, _ *Column) (step, error) {
	find, isText := r.Texts["find"]
	_, isPattern := r.Texts["pattern"]
	with := []byte(r.Texts["with"])
	switch {
	case isText == isPattern:
		return step{}, errors.New("replace has either find, a text, or pattern, a regular expression")
	case isText && find == "":
		return step{}, errors.New("replace: find is empty; what is to be replaced?")
	case isText:
		return growingStep(func(dst, cell []byte, most int) ([]byte, bool, bool) {
			return replaceText(dst, cell, []byte(find), with, most)
		}), nil
	}
	re, err := r.expression("pattern")
	if err != nil {
		return step{}, fmt.Errorf("replace: %w", err)
	}
	return growingStep(func(dst, cell []byte, most int) ([]byte, bool, bool) {
		return replacePattern(dst, cell, re, with, most)
	}), nil
}

func growingStep(grow growing) step { return step{grow: grow, writes: true, kind: workbook.Text} }

func replaceText(dst, cell, find, with []byte, most int) (out []byte, did, fits bool) {
	at := bytes.Index(cell, find)
	if at < 0 {
		return cell, false, true
	}
	rest := cell
	for ; at >= 0; at = bytes.Index(rest, find) {
		dst = append(append(dst, rest[:at]...), with...)
		rest = rest[at+len(find):]
		if len(dst) > most {
			return nil, false, false
		}
	}
	return toldWithin(append(dst, rest...), cell, most)
}

// placesBytes is how much memory the places of a pattern in one cell may take.
const placesBytes = 64 << 20

func replacePattern(dst, cell []byte, re *regexp.Regexp, with []byte, most int) (out []byte, did, fits bool) {
	places := placesBytes / (24 + 16*(re.NumSubexp()+1))
	last, found := 0, re.FindAllSubmatchIndex(cell, places)
	if len(found) == 0 {
		return cell, false, true
	}
	for _, at := range found {
		dst = append(dst, cell[last:at[0]]...)
		dst = re.Expand(dst, with, cell, at)
		if last = at[1]; len(dst) > most {
			return nil, false, false
		}
	}
	if len(found) == places {
		return nil, false, false // there may be more
	}
	return toldWithin(append(dst, cell[last:]...), cell, most)
}

func toldWithin(written, cell []byte, most int) (out []byte, did, fits bool) {
	out, did = told(written, cell)
	return out, did, len(out) <= most
}

func makeExtract(r *Remedy, _ *Column) (step, error) {
	re, err := r.expression("pattern")
	if err != nil {
		return step{}, fmt.Errorf("extract: %w", err)
	}
	s := textStep(func(_, cell []byte) ([]byte, bool) {
		at := re.FindSubmatchIndex(cell)
		if at == nil {
			return cell, false
		}
		k := 2 * min(1, re.NumSubexp())
		if at[k] < 0 {
			return cell, false // the group took no part
		}
		return cell[at[k]:at[k+1]], at[k+1]-at[k] != len(cell)
	})
	s.writes = false
	return s, nil
}

func makeRecode(r *Remedy, _ *Column) (step, error) {
	pairs := make(map[string][]byte, len(r.Pairs))
	for from, to := range r.Pairs {
		if from != to {
			pairs[from] = []byte(to)
		}
	}
	s := textStep(func(_, cell []byte) ([]byte, bool) {
		if to, ok := pairs[string(cell)]; ok {
			return to, true
		}
		return cell, false
	})
	s.writes = false
	return s, nil
}

// makeTranslate makes a recode of a code list. Without the list, as where a target is only read,
// it leaves every cell.
func makeTranslate(r *Remedy, c *Column) (step, error) {
	pairs := Remedy{Pairs: map[string]string{}}
	shared := map[string]bool{}
	if list := codes.Named(c.Codes, r.Texts["codes"]); list != nil {
		for _, code := range list.Codes {
			from, to := code.Code, code.Label
			if r.Texts["to"] == "code" {
				from, to = to, from
			}
			_, isThere := pairs.Pairs[from]
			shared[from] = isThere
			if from != "" && to != "" {
				pairs.Pairs[from] = to
			}
		}
	}
	for label, isShared := range shared {
		if isShared {
			delete(pairs.Pairs, label)
		}
	}
	return makeRecode(&pairs, c)
}

// maxLength is how many characters pad gives a cell at the most.
const maxLength = 1000

func makePad(r *Remedy, _ *Column) (step, error) {
	length, with := r.count("length", 0), r.Texts["with"]
	if with == "" {
		with = "0"
	}
	switch {
	case length > maxLength:
		return step{}, fmt.Errorf("pad: the length is %d, and at most %d", length, maxLength)
	case utf8.RuneCountInString(with) != 1:
		return step{}, fmt.Errorf("pad: with is %s, and must be one character", strconv.Quote(with))
	}
	return textStep(func(dst, cell []byte) ([]byte, bool) {
		if len(cell) == 0 || len(cell) >= length || !areDigits(cell) {
			return cell, false
		}
		for range length - len(cell) {
			dst = append(dst, with...)
		}
		return append(dst, cell...), true
	}), nil
}

func makeCut(r *Remedy, _ *Column) (step, error) {
	from, length := r.count("from", 1), r.count("length", -1)
	if from == 1 && length < 0 {
		return step{}, errors.New("cut keeps everything: give it a length, or from where it keeps characters")
	}
	s := textStep(func(_, cell []byte) ([]byte, bool) {
		start := skipCharacters(cell, from-1)
		if start >= len(cell) {
			return cell, false
		}
		end := len(cell)
		if length >= 0 {
			end = start + skipCharacters(cell[start:], length)
		}
		return cell[start:end], end-start != len(cell)
	})
	s.writes = false
	return s, nil
}

// skipCharacters returns where the character behind n others begins.
func skipCharacters(cell []byte, n int) (at int) {
	for ; n > 0 && at < len(cell); n-- {
		_, size := utf8.DecodeRune(cell[at:])
		at += size
	}
	return at
}

func makePrefix(r *Remedy, _ *Column) (step, error) {
	text := []byte(r.Texts["text"])
	if len(text) == 0 {
		return step{}, errors.New("prefix: the text is empty")
	}
	return textStep(func(dst, cell []byte) ([]byte, bool) {
		if len(cell) == 0 || bytes.HasPrefix(cell, text) {
			return cell, false
		}
		return append(append(dst, text...), cell...), true
	}), nil
}

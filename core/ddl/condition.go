package ddl

import (
	"regexp"
	"slices"
	"strings"

	"sieb/core/condition"
	"sieb/core/target"
)

var (
	word     = regexp.MustCompile(`^[\pL_][\pL\pN_]*`)
	number   = regexp.MustCompile(`^[0-9]+(\.[0-9]+)?`)
	quoted   = regexp.MustCompile(`^"([^"\\]*)"|^'([^'\\]*)'`)
	operator = regexp.MustCompile(`^(==|!=|<=|>=|&&|\|\||[-+*()<>!])`)
)

// condition writes a row rule in SQL: comparisons and sums of columns, numbers and texts. False where it
// says more than that. A rule is not judged where a value is missing, and so does a check pass there.
func (w *writer) condition(text string) (string, bool) {
	program, err := condition.Compile(text, target.Known(w.t.Columns), condition.Truth)
	if err != nil {
		return "", false
	}
	columns := program.Columns()
	var parts []string
	for rest := strings.TrimSpace(text); rest != ""; rest = strings.TrimSpace(rest) {
		var part, sql string
		if m := quoted.FindStringSubmatch(rest); m != nil {
			part, sql = m[0], w.text(m[1]+m[2])
		} else if part = operator.FindString(rest); part != "" {
			sql = part
			if to, has := map[string]string{"==": "=", "!=": "<>", "&&": "and", "||": "or", "!": "not"}[part]; has {
				sql = to
			}
		} else if part = number.FindString(rest); part != "" {
			sql = part
		} else if part = word.FindString(rest); slices.Contains(columns, part) {
			sql = w.name(part)
			if strings.HasPrefix(rest[len(part):], ".") || strings.HasPrefix(rest[len(part):], "(") {
				return "", false
			}
		} else {
			return "", false
		}
		parts = append(parts, sql)
		rest = rest[len(part):]
	}
	sql := strings.Join(parts, " ")
	return strings.NewReplacer("( ", "(", " )", ")").Replace(sql), true
}

package table

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
)

// clause is a term of a check constraint as a database writes it: a name, a
// literal, or an operator or function over terms.
type clause struct {
	op   string // "name", "text", "number", "array", or an operator or function in lower case
	text string // of a name or a literal
	args []clause
}

// parseClause reads a boolean expression of SQL as PostgreSQL writes it back
// (pg_get_expr): operators, calls, arrays; casts are left out, since they change no
// value that a rule is about. What it does not know is an error.
func parseClause(text string) (c clause, err error) {
	p := clauseParser{rest: text}
	p.next()
	c = p.either()
	if p.err == nil && p.token != "" {
		p.fail("%q is not expected", p.token)
	}
	return c, p.err
}

type clauseParser struct {
	rest  string
	token string // in lower case, save quoted ones; "" at the end
	kind  byte   // 'a' name or word, '"' quoted name, '\'' text, '0' number, or an operator's first character
	depth int
	err   error
}

// maxClauseDepth is how deep terms may stand in each other; nobody writes more.
const maxClauseDepth = 200

// deeper reads a term that stands in another.
func (p *clauseParser) deeper(read func() clause) (c clause) {
	if p.depth++; p.depth > maxClauseDepth {
		p.fail("terms stand more than %d deep in each other", maxClauseDepth)
	} else {
		c = read()
	}
	p.depth--
	return c
}

func (p *clauseParser) fail(format string, args ...any) {
	if p.err == nil {
		p.err = fmt.Errorf(format, args...)
	}
	p.token, p.rest = "", ""
}

// next takes the next token.
func (p *clauseParser) next() {
	p.rest = strings.TrimLeft(p.rest, " \t\r\n")
	p.token, p.kind = "", 0
	if p.rest == "" {
		return
	}
	take := func(n int) string {
		s := p.rest[:n]
		p.rest = p.rest[n:]
		return s
	}
	c := rune(p.rest[0])
	switch {
	case c == '\'' || c == '"':
		end := 1
		for ; end < len(p.rest); end++ {
			if rune(p.rest[end]) == c {
				if end+1 < len(p.rest) && rune(p.rest[end+1]) == c {
					end++
					continue
				}
				break
			}
		}
		if end >= len(p.rest) {
			p.fail("a quote is not closed")
			return
		}
		p.kind = byte(c)
		quoted := take(end + 1)
		p.token = strings.ReplaceAll(quoted[1:end], string(c)+string(c), string(c))
		if p.token == "" {
			p.token = "\x00" // an empty text is a token
		}
	case c >= '0' && c <= '9':
		n := strings.IndexFunc(p.rest, func(r rune) bool {
			return !unicode.IsDigit(r) && r != '.' && r != 'e' &&
				r != 'E'
		})
		if n < 0 {
			n = len(p.rest)
		}
		p.kind, p.token = '0', take(n)
	case c == '_' || c >= 0x80 || unicode.IsLetter(c):
		n := strings.IndexFunc(p.rest, func(r rune) bool {
			return !unicode.IsDigit(r) && !unicode.IsLetter(r) &&
				r != '_' && r != '$'
		})
		if n < 0 {
			n = len(p.rest)
		}
		p.kind, p.token = 'a', strings.ToLower(take(n))
	default:
		for _, op := range []string{"!~~*", "!~~", "~~*", "!~*", "::", "<=", ">=", "<>", "!=", "~~", "!~", "~*", "||"} {
			if strings.HasPrefix(p.rest, op) {
				p.kind, p.token = op[0], take(len(op))
				return
			}
		}
		p.kind, p.token = byte(c), take(1)
	}
}

func (p *clauseParser) is(token string) bool {
	return p.token == token && p.kind != '\'' && p.kind != '"'
}

func (p *clauseParser) accept(token string) bool {
	if p.is(token) {
		p.next()
		return true
	}
	return false
}

func (p *clauseParser) expect(token string) {
	if !p.accept(token) {
		p.fail("%q is expected", token)
	}
}

func (p *clauseParser) either() clause { return p.chain("or", p.both) }
func (p *clauseParser) both() clause   { return p.chain("and", p.not) }

func (p *clauseParser) chain(op string, part func() clause) clause {
	c := part()
	for p.accept(op) {
		next := part()
		if c.op == op {
			c.args = append(c.args, next)
		} else {
			c = clause{op: op, args: []clause{c, next}}
		}
	}
	return c
}

func (p *clauseParser) not() clause {
	if p.accept("not") {
		return clause{op: "not", args: []clause{p.deeper(p.not)}}
	}
	return p.compared()
}

var comparisons = []string{"=", "<>", "!=", "<", "<=", ">", ">=", "~", "~*", "!~", "!~*", "~~", "~~*", "!~~", "!~~*"}

func (p *clauseParser) compared() clause {
	c := p.sum()
	for {
		switch {
		case p.accept("is"):
			op := "is null"
			if p.accept("not") {
				op = "is not null"
			}
			p.expect("null")
			c = clause{op: op, args: []clause{c}}
		case p.kind != '\'' && p.kind != '"' && p.kind != 'a' && slices.Contains(comparisons, p.token):
			op := p.token
			p.next()
			if op == "=" && p.is("any") {
				p.next()
				p.expect("(")
				set := p.sum()
				p.expect(")")
				c = clause{op: "in", args: []clause{c, set}}
				continue
			}
			c = clause{op: op, args: []clause{c, p.sum()}}
		default:
			return c
		}
	}
}

// sum reads terms joined by arithmetic or concatenation.
func (p *clauseParser) sum() clause {
	c := p.cast()
	for p.kind != '\'' && p.kind != '"' && slices.Contains([]string{"+", "-", "*", "/", "||", "%"}, p.token) {
		op := p.token
		p.next()
		c = clause{op: op, args: []clause{c, p.cast()}}
	}
	return c
}

// words of types with several words.
var typeWords = []string{"varying", "precision", "without", "with", "time", "zone"}

// cast reads a term with the casts behind it, which are left out.
func (p *clauseParser) cast() clause {
	c := p.term()
	for p.accept("::") {
		p.next() // the type
		for p.accept(".") {
			p.next() // in a schema
		}
		for p.kind == 'a' && slices.Contains(typeWords, p.token) {
			p.next()
		}
		if p.accept("(") {
			for p.token != "" && !p.accept(")") {
				p.next()
			}
		}
		for p.accept("[") {
			p.expect("]")
		}
	}
	return c
}

func (p *clauseParser) term() (c clause) {
	text := strings.TrimSuffix(p.token, "\x00")
	switch {
	case p.token == "":
		p.fail("the expression ends too early")
	case p.kind == '\'':
		c = clause{op: "text", text: text}
		p.next()
	case p.kind == '"':
		c = clause{op: "name", text: text}
		p.next()
	case p.kind == '0':
		c = clause{op: "number", text: text}
		p.next()
	case p.accept("-"):
		if c = p.deeper(p.cast); c.op == "number" {
			c.text = "-" + c.text
		} else {
			c = clause{op: "negative", args: []clause{c}}
		}
	case p.accept("("):
		c = p.deeper(p.either)
		p.expect(")")
	case p.accept("array"):
		p.expect("[")
		c = clause{op: "array"}
		for p.err == nil && !p.accept("]") {
			c.args = append(c.args, p.deeper(p.either))
			p.accept(",")
		}
	case p.kind == 'a':
		p.next()
		if !p.accept("(") {
			return clause{op: "name", text: text}
		}
		c = clause{op: text}
		for p.err == nil && !p.accept(")") {
			c.args = append(c.args, p.deeper(p.either))
			p.accept(",")
		}
	default:
		p.fail("%q is not understood", p.token)
	}
	return c
}

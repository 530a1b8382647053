package condition

import (
	"fmt"
	"math"
	"reflect"
	"regexp"
	"sync"
	"time"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/common/types/traits"
	"cel.dev/cel-go/ext"
	"github.com/shopspring/decimal"

	"sieb/core/value"
)

// numberType is the type of exact decimals, which stands in the place of the
// library's floating-point numbers.
var numberType = types.NewObjectType("number", traits.AdderType, traits.SubtractorType, traits.MultiplierType,
	traits.DividerType, traits.ModderType, traits.NegatorType, traits.ComparerType)

// number is an exact decimal in the library. Quotients have 16 digits behind the
// point at the most.
type number struct{ decimal.Decimal }

func (n number) ConvertToNative(t reflect.Type) (any, error) {
	return nil, fmt.Errorf("a number is not converted to %v", t)
}

func (n number) ConvertToType(t ref.Type) ref.Val {
	switch t.TypeName() {
	case "string":
		return types.String(n.String())
	case "int":
		if n.IsInteger() && n.NumDigits() <= maxDigits {
			return types.Int(n.IntPart())
		}
		return types.NewErr("%s is no whole number of at most 18 digits", n)
	case "number":
		return n
	case "type":
		return numberType
	}
	return types.NewErr("a number is not converted to %s", t.TypeName())
}

func (n number) Equal(other ref.Val) ref.Val {
	m, ok := other.(number)
	return types.Bool(ok && n.Decimal.Equal(m.Decimal))
}

func (n number) Type() ref.Type { return numberType }
func (n number) Value() any     { return n.Decimal }

// with computes with another number.
func (n number) with(other ref.Val, compute func(a, b decimal.Decimal) decimal.Decimal) ref.Val {
	m, ok := other.(number)
	if !ok {
		return types.MaybeNoSuchOverloadErr(other)
	}
	result := compute(n.Decimal, m.Decimal)
	if result.NumDigits() > maxResult || result.Exponent() < -maxResult || result.Exponent() > maxResult {
		return types.NewErr("a number of more than %d digits", maxResult)
	}
	return number{result}
}

// maxResult bounds the digits of a result, which sums and products make longer.
const maxResult = 1000

func (n number) Add(other ref.Val) ref.Val      { return n.with(other, decimal.Decimal.Add) }
func (n number) Subtract(other ref.Val) ref.Val { return n.with(other, decimal.Decimal.Sub) }
func (n number) Multiply(other ref.Val) ref.Val { return n.with(other, decimal.Decimal.Mul) }
func (n number) Negate() ref.Val                { return number{n.Neg()} }

func (n number) Divide(other ref.Val) ref.Val {
	if m, ok := other.(number); ok && m.IsZero() {
		return types.NewErr("a division by zero")
	}
	return n.with(other, decimal.Decimal.Div)
}

func (n number) Modulo(other ref.Val) ref.Val {
	if m, ok := other.(number); ok && m.IsZero() {
		return types.NewErr("a division by zero")
	}
	return n.with(other, decimal.Decimal.Mod)
}

func (n number) Compare(other ref.Val) ref.Val {
	m, ok := other.(number)
	if !ok {
		return types.MaybeNoSuchOverloadErr(other)
	}
	return types.Int(n.Cmp(m.Decimal))
}

// placeFunction makes the number of an element in a list, or the key of an entry, what the library
// looks for; no text can name it.
const placeFunction = "@place"

func ofDouble(f float64) ref.Val {
	if math.IsInf(f, 0) || math.IsNaN(f) {
		return types.NewErr("%v is not a number", f)
	}
	return number{decimal.NewFromFloat(f)}
}

// maxNumberText is how many bytes the text of a number has at the most: its digits, a point, a sign,
// an exponent, and zeros that do not count.
const maxNumberText = 2 * maxResult

// toNumber reads a number in canonical form; exponents beyond all measure are errors.
func toNumber(text string) ref.Val {
	if len(text) > maxNumberText {
		return types.NewErr("a number of more than %d digits", maxResult)
	}
	d, err := decimal.NewFromString(text)
	if err != nil || d.Exponent() > maxResult || d.Exponent() < -maxResult || d.NumDigits() > maxResult {
		return types.NewErr("%q is not a number such as 1234.5", text)
	}
	return number{d}
}

// functionNames are those that the library does not have by itself.
var functionNames = []string{"number", "round", "abs", "date", "days", "extract", "label", "cell", "column", "has"}

// language is the environment in which texts are read; what they name is added to it.
var language = sync.OnceValue(func() *cel.Env {
	n := numberType
	both := []*cel.Type{n, n}
	var macros []cel.Macro
	for _, m := range cel.StandardMacros {
		if m.Function() != "has" {
			macros = append(macros, m)
		}
	}
	env, err := cel.NewEnv(
		cel.ClearMacros(), cel.Macros(macros...), ext.Strings(ext.StringsVersion(2), ext.StringsMaxPrecision(maxDigits)),
		cel.ParserRecursionLimit(60), cel.ParserExpressionSizeLimit(MaxText), cel.DefaultUTCTimeZone(true),
		cel.Types(n),
		cel.Function(operators.Add, cel.Overload("add_number", both, n)),
		cel.Function(operators.Subtract, cel.Overload("subtract_number", both, n)),
		cel.Function(operators.Multiply, cel.Overload("multiply_number", both, n)),
		cel.Function(operators.Divide, cel.Overload("divide_number", both, n)),
		cel.Function(operators.Modulo, cel.Overload("modulo_number", both, n)),
		cel.Function(operators.Negate, cel.Overload("negate_number", both[:1], n)),
		cel.Function(operators.Less, cel.Overload("less_number", both, cel.BoolType)),
		cel.Function(operators.LessEquals, cel.Overload("less_equals_number", both, cel.BoolType)),
		cel.Function(operators.Greater, cel.Overload("greater_number", both, cel.BoolType)),
		cel.Function(operators.GreaterEquals, cel.Overload("greater_equals_number", both, cel.BoolType)),
		cel.Function("string", cel.Overload("number_to_string", both[:1], cel.StringType,
			cel.UnaryBinding(func(v ref.Val) ref.Val { return v.ConvertToType(types.StringType) }))),
		cel.Function("int", cel.Overload("number_to_int", both[:1], cel.IntType,
			cel.UnaryBinding(func(v ref.Val) ref.Val { return v.ConvertToType(types.IntType) }))),
		cel.Function("number",
			cel.Overload("string_to_number", []*cel.Type{cel.StringType}, n,
				cel.UnaryBinding(func(v ref.Val) ref.Val { return toNumber(string(v.(types.String))) })),
			cel.Overload("number_to_number", both[:1], n, cel.UnaryBinding(func(v ref.Val) ref.Val { return v })),
			cel.Overload("int_to_number", []*cel.Type{cel.IntType}, n,
				cel.UnaryBinding(func(v ref.Val) ref.Val { return number{decimal.NewFromInt(int64(v.(types.Int)))} })),
			cel.Overload("uint_to_number", []*cel.Type{cel.UintType}, n,
				cel.UnaryBinding(func(v ref.Val) ref.Val { return number{decimal.NewFromUint64(uint64(v.(types.Uint)))} })),
			cel.Overload("double_to_number", []*cel.Type{cel.DoubleType}, n,
				cel.UnaryBinding(func(v ref.Val) ref.Val { return ofDouble(float64(v.(types.Double))) }))),
		cel.Function("double", cel.Overload("number_to_double", both[:1], n,
			cel.UnaryBinding(func(v ref.Val) ref.Val { return v }))),
		cel.Function("uint", cel.Overload("number_to_uint", both[:1], n,
			cel.UnaryBinding(func(v ref.Val) ref.Val { return v }))),
		cel.Function("timestamp", cel.Overload("number_to_timestamp", both[:1], cel.TimestampType,
			cel.UnaryBinding(func(v ref.Val) ref.Val {
				seconds := v.ConvertToType(types.IntType)
				if types.IsError(seconds) {
					return seconds
				}
				return seconds.ConvertToType(types.TimestampType)
			}))),
		cel.Function(placeFunction,
			cel.Overload("place_number", both[:1], cel.IntType,
				cel.UnaryBinding(func(v ref.Val) ref.Val { return v.ConvertToType(types.IntType) })),
			cel.Overload("place_string", []*cel.Type{cel.StringType}, cel.StringType,
				cel.UnaryBinding(func(v ref.Val) ref.Val { return v }))),
		cel.Function("round", cel.Overload("round_number", []*cel.Type{n, cel.IntType}, n,
			cel.BinaryBinding(round))),
		cel.Function("abs", cel.Overload("abs_number", both[:1], n,
			cel.UnaryBinding(func(v ref.Val) ref.Val { return number{v.(number).Abs()} }))),
		cel.Function("date",
			cel.Overload("string_to_date", []*cel.Type{cel.StringType}, cel.TimestampType,
				cel.UnaryBinding(func(v ref.Val) ref.Val { return toDate(v, types.String("")) })),
			cel.Overload("string_to_date_format", []*cel.Type{cel.StringType, cel.StringType}, cel.TimestampType,
				cel.BinaryBinding(toDate))),
		cel.Function("days", cel.Overload("int_to_days", []*cel.Type{cel.IntType}, cel.DurationType,
			cel.UnaryBinding(days))),
		cel.Function("extract", cel.Overload("extract_string", []*cel.Type{cel.StringType, cel.StringType},
			cel.StringType, cel.BinaryBinding(extract))),
	)
	if err != nil {
		panic(err) // a fault of this file
	}
	return env
})

// round rounds half away from zero, as PostgreSQL's numeric does.
func round(v, digits ref.Val) ref.Val {
	k := digits.(types.Int)
	if k < 0 || k > maxDigits {
		return types.NewErr("round takes 0 to %d digits", maxDigits)
	}
	return number{v.(number).Round(int32(k))}
}

// mostDays is how many days a duration may have.
const mostDays = 200_000

func days(v ref.Val) ref.Val {
	if k := v.(types.Int); k >= -mostDays && k <= mostDays {
		return types.Duration{Duration: time.Duration(k) * 24 * time.Hour}
	}
	return types.NewErr("days takes at most %d", mostDays)
}

// kept keeps what was made of texts. Those may stand in a delivery's cells, so that it keeps only
// so many.
type kept[K comparable, V any] struct {
	lock sync.RWMutex
	all  map[K]V
}

const mostKept = 1000

// get returns what is kept of a text, or makes it.
func (k *kept[K, V]) get(of K, make func() (V, error)) (V, error) {
	k.lock.RLock()
	v, ok := k.all[of]
	k.lock.RUnlock()
	if ok {
		return v, nil
	}
	v, err := make()
	if err != nil {
		return v, err
	}
	k.lock.Lock()
	defer k.lock.Unlock()
	if k.all == nil || len(k.all) >= mostKept {
		k.all = map[K]V{}
	}
	k.all[of] = v
	return v, nil
}

var (
	formats     kept[datePattern, *value.DateFormat]
	expressions kept[string, *regexp.Regexp]
)

type datePattern struct {
	datatype value.Datatype
	pattern  string
}

// toDate reads a date, by ISO 8601 or by a pattern.
func toDate(text, pattern ref.Val) ref.Val {
	source, p := string(text.(types.String)), string(pattern.(types.String))
	var t value.Instant
	for _, d := range []value.Datatype{value.Date, value.DateTime} {
		f, err := dateFormat(d, p)
		if err == nil && f.Parse([]byte(source), &t) == value.Matches {
			return types.Timestamp{Time: time.Unix(t.Seconds(), int64(t.Nanos)).UTC()}
		}
	}
	return types.NewErr("%q is not a date", source)
}

func dateFormat(d value.Datatype, pattern string) (*value.DateFormat, error) {
	return formats.get(datePattern{d, pattern},
		func() (*value.DateFormat, error) { return value.NewDateFormat(d, pattern) })
}

// extract returns what a regular expression finds in a text: its first group, or all
// of it where it has none.
func extract(text, expr ref.Val) ref.Val {
	source := string(expr.(types.String))
	re, err := expressions.get(source, func() (*regexp.Regexp, error) { return regexp.Compile(source) })
	if err != nil {
		return types.NewErr("%q is not a regular expression", source)
	}
	found := re.FindStringSubmatch(string(text.(types.String)))
	if found == nil {
		return types.NewErr("%q holds nothing like %s", string(text.(types.String)), source)
	}
	return types.String(found[min(1, len(found)-1)])
}

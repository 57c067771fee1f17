package expr

import (
	"errors"
	"fmt"
	"reflect"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/common/types/traits"
	"github.com/shopspring/decimal"
)

// decimalType is the type of exact numbers, for money.
var decimalType = cel.ObjectType("rapidmimic.Decimal", traits.AdderType|traits.SubtractorType|traits.MultiplierType|traits.DividerType|traits.ComparerType|traits.NegatorType)

// number is an exact number, as many digits after the point as it was written with.
type number struct{ decimal.Decimal }

// mostDigits bounds how long an exact number may become.
const mostDigits = 200

// quotientDigits are kept of what has no end, such as a third.
const quotientDigits = 16

var errDecimal = errors.New("decimal takes a number, or a text that is one, such as \"12.30\"")

func decimalOptions() []cel.EnvOption {
	return []cel.EnvOption{ // any type to CEL, whose own operators then ask the values
		cel.Function("string", cel.Overload("decimal_to_string", []*cel.Type{decimalType}, cel.StringType,
			cel.UnaryBinding(func(v ref.Val) ref.Val { return v.ConvertToType(types.StringType) }))),
		cel.Function("decimal", cel.Overload("decimal_of", []*cel.Type{cel.DynType}, cel.DynType, cel.UnaryBinding(func(v ref.Val) ref.Val {
			if text, ok := v.(types.String); ok {
				parsed, err := decimal.NewFromString(string(text))
				if err != nil || len(text) > mostDigits {
					return types.NewErr("%v, not %q", errDecimal, string(text))
				}
				return notTooLong(parsed)
			}
			if !isNumber(v) {
				return types.NewErr("%v, not %s", errDecimal, kind(v))
			}
			return toDecimal(v)
		}))),
		cel.Function("round", cel.MemberOverload("decimal_round", []*cel.Type{cel.DynType, cel.IntType}, cel.DynType,
			cel.BinaryBinding(func(v, digits ref.Val) ref.Val {
				places := digits.(types.Int)
				if !isNumber(v) {
					return types.NewErr("%s cannot be rounded", kind(v))
				}
				if places < 0 || places > 20 {
					return types.NewErr("round takes how many digits follow the point, from 0 to 20")
				}
				return number{fixed(toDecimal(v).Round(int32(places)), int32(places))}
			}))),
	}
}

// fixed is a number with exactly so many digits after its point.
func fixed(d decimal.Decimal, places int32) decimal.Decimal {
	written, err := decimal.NewFromString(d.StringFixed(places))
	if err != nil {
		return d // it was written by the library itself
	}
	return written
}

// notTooLong is a number that is not too long to go on with.
func notTooLong(d decimal.Decimal) ref.Val {
	if d.NumDigits() > mostDigits || d.Exponent() > mostDigits || d.Exponent() < -mostDigits {
		return types.NewErr("an exact number of more than %d digits", mostDigits)
	}
	return number{d}
}

// toDecimal is a number as an exact one.
func toDecimal(v ref.Val) number {
	switch v := v.(type) {
	case number:
		return v
	case types.Int:
		return number{decimal.NewFromInt(int64(v))}
	case types.Uint:
		return number{decimal.NewFromUint64(uint64(v))}
	case types.Double:
		return number{decimal.NewFromFloat(float64(v))}
	default:
		return number{}
	}
}

// text is the number as it is written, with all its digits: 12.30.
func (n number) text() string {
	if n.Exponent() < 0 {
		return n.StringFixed(-n.Exponent())
	}
	return n.Decimal.String()
}

func (number) Type() ref.Type { return decimalType }

// Value implements ref.Val.
func (n number) Value() any { return n.text() }

// Equal implements ref.Val: 1.50 is 1.5, whatever it is beside.
func (n number) Equal(other ref.Val) ref.Val {
	return types.Bool(isNumber(other) && n.Cmp(toDecimal(other).Decimal) == 0)
}

// ConvertToNative implements ref.Val.
func (n number) ConvertToNative(t reflect.Type) (any, error) {
	return nil, fmt.Errorf("an exact number is no %v", t)
}

// ConvertToType implements ref.Val.
func (n number) ConvertToType(t ref.Type) ref.Val {
	switch t {
	case types.StringType:
		return types.String(n.text())
	case types.DoubleType:
		f, _ := n.Float64()
		return types.Double(f)
	case types.IntType:
		return types.Int(n.IntPart())
	case types.TypeType:
		return decimalType
	}
	return types.NewErr("an exact number cannot be a %s", t.TypeName())
}

// Add implements traits.Adder, as do those below their own.
func (n number) Add(other ref.Val) ref.Val {
	return n.with(other, decimal.Decimal.Add)
}

func (n number) Subtract(other ref.Val) ref.Val { return n.with(other, decimal.Decimal.Sub) }

func (n number) Multiply(other ref.Val) ref.Val { return n.with(other, decimal.Decimal.Mul) }

func (n number) Divide(other ref.Val) ref.Val {
	if isNumber(other) && toDecimal(other).IsZero() {
		return types.NewErr("division by zero")
	}
	return n.with(other, func(a, b decimal.Decimal) decimal.Decimal { return a.DivRound(b, quotientDigits) })
}

func (n number) Negate() ref.Val { return number{n.Neg()} }

func (n number) Compare(other ref.Val) ref.Val {
	if !isNumber(other) {
		return types.MaybeNoSuchOverloadErr(other)
	}
	return types.Int(n.Cmp(toDecimal(other).Decimal))
}

func (n number) with(other ref.Val, do func(a, b decimal.Decimal) decimal.Decimal) ref.Val {
	if !isNumber(other) {
		return types.MaybeNoSuchOverloadErr(other)
	}
	return notTooLong(do(n.Decimal, toDecimal(other).Decimal))
}

package expr

import (
	"runtime"

	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/common/types/traits"
)

// calculate is CEL's arithmetic, save that a whole number beside another one
// is widened to it.
func calculate(operator string, a, b ref.Val) ref.Val {
	if a.Type() == decimalType && isNumber(b) || b.Type() == decimalType && isNumber(a) {
		a, b = toDecimal(a), toDecimal(b)
	} else if whole(a) && fractional(b) {
		a = a.ConvertToType(types.DoubleType)
	} else if fractional(a) && whole(b) {
		b = b.ConvertToType(types.DoubleType)
	}
	var result ref.Val
	switch operator {
	case "_+_":
		if left, ok := a.(types.String); ok {
			if right, ok := b.(types.String); ok && len(left)+len(right) > mostText {
				return types.NewErr("a text of more than %d bytes", mostText)
			}
		}
		if _, ok := a.(traits.Lister); ok && listsAdded.Add(1)%yieldEvery == 0 {
			runtime.Gosched()
		}
		if adder, ok := a.(traits.Adder); ok {
			result = adder.Add(b)
		}
	case "_-_":
		if subtractor, ok := a.(traits.Subtractor); ok {
			result = subtractor.Subtract(b)
		}
	case "_*_":
		if multiplier, ok := a.(traits.Multiplier); ok {
			result = multiplier.Multiply(b)
		}
	case "_/_":
		if divider, ok := a.(traits.Divider); ok {
			result = divider.Divide(b)
		}
	}
	if result == nil || types.IsError(result) && types.MaybeNoSuchOverloadErr(result) == result {
		if types.IsError(a) {
			return a
		}
		if result != nil && result.(*types.Err).Error() != "no such overload" {
			return result
		}
		return types.NewErr("%s and %s cannot be calculated with %s", kind(a), kind(b), operator[1:2])
	}
	return result
}

func whole(v ref.Val) bool { return v.Type() == types.IntType || v.Type() == types.UintType }

func fractional(v ref.Val) bool { return v.Type() == types.DoubleType }

// kinds names the types of CEL in a sentence.
var kinds = map[string]string{"int": "a whole number", "uint": "a whole number", "double": "a number", "string": "a text", "map": "an object",
	"list": "a list", "bool": "a boolean", "null_type": "null", "google.protobuf.Timestamp": "a time", "google.protobuf.Duration": "a duration", "rapidmimic.Decimal": "an exact number"}

func kind(v ref.Val) string {
	if name := kinds[v.Type().TypeName()]; name != "" {
		return name
	}
	return "a " + v.Type().TypeName()
}

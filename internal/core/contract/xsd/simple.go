package xsd

import (
	"encoding/base64"
	"fmt"
	"math/big"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/internal/core/xmltree"
	"rapidmimic.example/spec/tree"
)

// Simple is a simple type: what a text may be. It is immutable.
type Simple struct {
	// Kind is the built-in type that it comes from: string, decimal, dateTime …
	Kind  string
	List  *Simple   // a list of these
	Union []*Simple // one of these

	Values      []string        // enumeration; nil for all
	names       map[string]Name // what those of QName mean where the schema has them
	Patterns    []sample.Matcher
	written     []string // the patterns as the schema has them, one for each step of a derivation
	translated  []string // the same as ECMAScript has them
	drawing     *sample.Patterns
	Length      [2]int // least and most, -1 when not given
	low, high   *limit
	lowOpen     bool
	highOpen    bool
	totalDigits int
	fraction    int // digits after the point, -1 when not given
	earliest    string
	latest      string
	collapse    bool
}

func newSimple(kind string) *Simple {
	return &Simple{Kind: kind, Length: [2]int{-1, -1}, fraction: -1, collapse: kind != "string" && kind != "normalizedString"}
}

// integers are the built-in whole numbers with their limits.
var integers = map[string][2]string{
	"integer": {"", ""}, "long": {"-9223372036854775808", "9223372036854775807"}, "int": {"-2147483648", "2147483647"},
	"short": {"-32768", "32767"}, "byte": {"-128", "127"}, "nonNegativeInteger": {"0", ""}, "positiveInteger": {"1", ""},
	"nonPositiveInteger": {"", "0"}, "negativeInteger": {"", "-1"}, "unsignedLong": {"0", "18446744073709551615"},
	"unsignedInt": {"0", "4294967295"}, "unsignedShort": {"0", "65535"}, "unsignedByte": {"0", "255"},
}

var (
	anyType    = &Type{Name: Name{Space: Space, Local: "anyType"}, Anything: true, Mixed: true, AnyAttr: true}
	stringType = newSimple("string")
	builtins   = makeBuiltins()
)

func makeBuiltins() map[string]*Type {
	types := map[string]*Type{"anyType": anyType, "ur-type": anyType}
	for _, kind := range []string{"string", "normalizedString", "token", "language", "Name", "NCName", "NMTOKEN", "ID", "IDREF", "ENTITY",
		"boolean", "decimal", "float", "double", "duration", "dateTime", "time", "date", "gYearMonth", "gYear", "gMonthDay", "gDay", "gMonth",
		"hexBinary", "base64Binary", "anyURI", "QName", "NOTATION", "anySimpleType"} {
		types[kind] = &Type{Name: Name{Space: Space, Local: kind}, Base: anyType, Simple: newSimple(kind)}
	}
	for kind, limits := range integers {
		s := newSimple("integer")
		s.fraction = 0
		s.low, s.high = limitOf(limits[0]), limitOf(limits[1])
		types[kind] = &Type{Name: Name{Space: Space, Local: kind}, Base: anyType, Simple: s}
	}
	for _, kind := range []string{"NMTOKENS", "IDREFS", "ENTITIES"} {
		s := newSimple("list")
		s.List = types[strings.TrimSuffix(strings.Replace(kind, "IES", "Y", 1), "S")].Simple
		types[kind] = &Type{Name: Name{Space: Space, Local: kind}, Base: anyType, Simple: s}
	}
	for old, kind := range map[string]string{"timeInstant": "dateTime", "uriReference": "anyURI", "base64": "base64Binary", "binary": "base64Binary"} {
		types[old] = types[kind]
	}
	types["Array"] = &Type{Name: Name{Space: Encoding, Local: "Array"}, Base: anyType, AnyAttr: true, Array: anyType}
	types["Struct"] = anyType
	for _, t := range types {
		t.height = 1
	}
	return types
}

func builtin(local string) *Type { return builtins[local] }

func number(text string) *big.Float {
	if text == "" {
		return nil
	}
	if len(text) > 200 { // long ones take quadratic time
		text = tree.BoundedNumber(strings.TrimSpace(text))
	}
	f, _, err := big.ParseFloat(strings.TrimSpace(text), 10, 200, big.ToNearestEven)
	if err != nil {
		return nil
	}
	return f
}

// limit is a least or a most of numbers.
type limit struct {
	*big.Float
	near float64 // the nearest of these
}

func limitOf(text string) *limit {
	exact := number(text)
	if exact == nil {
		return nil
	}
	near, _ := exact.Float64()
	return &limit{exact, near}
}

// beyond reports whether a number lies on one side of a limit, -1 below and 1 above, or on it where it
// is itself left out; nil is no limit. What rounds to a lower number is lower, so that only what rounds to
// the same is looked at exactly, which takes long.
func (l *limit) beyond(text string, side int, open bool) bool {
	if l == nil {
		return false
	}
	if near, err := strconv.ParseFloat(strings.TrimSpace(text), 64); err == nil && near != l.near {
		return near > l.near == (side > 0)
	}
	exact := number(text)
	if exact == nil {
		return false
	}
	compared := exact.Cmp(l.Float) * side
	return compared > 0 || open && compared == 0
}

// simpleAt makes a simple type of its definition.
func (r *Reader) simpleAt(n *xmltree.Node, s schema) *Simple {
	if have := r.simples[n]; have != nil {
		return have
	}
	r.simples[n] = stringType // for one that contains itself
	made := stringType
	switch d := firstOf(n, "restriction", "list", "union"); {
	case d == nil:
	case d.Name.Local == "restriction":
		made = r.restricted(r.simpleRef(d, "base", s), d, s)
	case d.Name.Local == "list":
		made = newSimple("list")
		made.List = r.simpleRef(d, "itemType", s)
	default:
		made = newSimple("union")
		for _, member := range strings.Fields(d.Attr("memberTypes")) {
			made.Union = append(made.Union, r.simpleOf(r.typeNamed(r.refName(d, member, s), d)))
		}
		for _, c := range d.Children {
			if c.Name.Local == "simpleType" {
				made.Union = append(made.Union, r.simpleAt(c, s))
			}
		}
	}
	r.simples[n] = made
	return made
}

func (r *Reader) simpleOf(t *Type) *Simple {
	if t.Simple == nil {
		return stringType
	}
	return t.Simple
}

// simpleRef is the type that an attribute of n names, or that stands inside.
func (r *Reader) simpleRef(n *xmltree.Node, attribute string, s schema) *Simple {
	if name := n.Attr(attribute); name != "" {
		return r.simpleOf(r.typeNamed(r.refName(n, name, s), n))
	}
	if inner := firstOf(n, "simpleType"); inner != nil {
		return r.simpleAt(inner, s)
	}
	return stringType
}

// restricted adds the facets of n to a type.
func (r *Reader) restricted(base *Simple, n *xmltree.Node, s schema) *Simple {
	if inner := firstOf(n, "simpleType"); inner != nil {
		base = r.simpleAt(inner, s)
	}
	made := *base
	var values, patterns []string
	for _, c := range n.Children {
		value := c.Attr("value")
		whole, _ := strconv.Atoi(value)
		switch c.Name.Local {
		case "enumeration":
			values = append(values, value)
		case "pattern":
			patterns = append(patterns, value)
		case "length":
			made.Length = [2]int{whole, whole}
		case "minLength":
			made.Length[0] = whole
		case "maxLength":
			made.Length[1] = whole
		case "minInclusive", "minExclusive":
			made.low, made.lowOpen, made.earliest = limitOf(value), c.Name.Local == "minExclusive", value
		case "maxInclusive", "maxExclusive":
			made.high, made.highOpen, made.latest = limitOf(value), c.Name.Local == "maxExclusive", value
		case "totalDigits":
			made.totalDigits = whole
		case "fractionDigits":
			made.fraction = whole
		case "whiteSpace":
			made.collapse = value == "collapse"
		}
	}
	if made.Length[0] > sample.MaxLength {
		r.Warn(n, "minLength %d is more than is ever drawn (%d): messages will not obey it", made.Length[0], sample.MaxLength)
	}
	if values != nil {
		made.Values = values
		if made.Kind == "QName" {
			made.names = namesIn(n)
		}
	}
	if patterns != nil {
		r.addPatterns(&made, n, patterns)
	}
	return &made
}

// namesIn are what the values of an enumeration of names mean where they stand.
func namesIn(n *xmltree.Node) map[string]Name {
	names := make(map[string]Name)
	for _, c := range n.Children {
		if c.Name.Local == "enumeration" {
			names[c.Attr("value")] = c.Resolve(c.Attr("value"))
		}
	}
	return names
}

// addPatterns adds the patterns of one step of a derivation, of which one must
// fit.
func (r *Reader) addPatterns(s *Simple, n *xmltree.Node, patterns []string) {
	var parts []string
	for _, p := range patterns {
		parts = append(parts, "(?:"+ecmaScript(p)+")")
	}
	whole := "^(?:" + strings.Join(parts, "|") + ")$"
	matcher, err := sample.CompilePattern(whole)
	if err != nil {
		r.Warn(n, "pattern %q is not understood: %v", strings.Join(patterns, " | "), err)
		return
	}
	s.Patterns = append(slices.Clone(s.Patterns), matcher)
	s.written = append(slices.Clone(s.written), strings.Join(patterns, " or "))
	s.translated = append(slices.Clone(s.translated), whole)
	s.drawing = sample.CompilePatterns(s.translated)
}

var xsdEscapes = strings.NewReplacer(`\\`, `\\`, `\i`, `[A-Za-z_:]`, `\c`, `[-.0-9:A-Z_a-z]`, `\I`, `[^A-Za-z_:]`, `\C`, `[^-.0-9:A-Z_a-z]`,
	`$`, `\$`, `^`, `^`, `\p{IsBasicLatin}`, `[\x00-\x7f]`)

var (
	inClass     = regexp.MustCompile(`\[[^\]]*\]`)
	subtraction = regexp.MustCompile(`\[((?:[^\[\]\\]|\\.)*)-\[((?:[^\[\]\\]|\\.)*)\]\]`)
)

// ecmaScript writes a pattern of XML Schema in the way of ECMAScript; a class
// that is taken off another becomes a look-ahead.
func ecmaScript(pattern string) string {
	pattern = subtraction.ReplaceAllString(pattern, "(?:(?![$2])[$1])")
	pattern = inClass.ReplaceAllStringFunc(pattern, func(class string) string {
		class = strings.ReplaceAll(class, `\i`, `A-Za-z_:`)
		return strings.ReplaceAll(class, `\c`, `-.0-9:A-Z_a-z`)
	})
	return xsdEscapes.Replace(pattern)
}

// Check says what is wrong with a text, "" when it obeys. n resolves the
// prefixes of QNames; it may be nil.
func (s *Simple) Check(text string, n *xmltree.Node) string {
	if s.collapse {
		text = collapsed(text)
	}
	switch {
	case s.Union != nil:
		for _, member := range s.Union {
			if member.Check(text, n) == "" {
				return s.checkFacets(text)
			}
		}
		return fmt.Sprintf("%q is none of the kinds that may stand here", text)
	case s.List != nil:
		items := strings.Fields(text)
		for _, item := range items {
			if fault := s.List.Check(item, n); fault != "" {
				return fault
			}
		}
		if fault := s.checkLength(len(items), "items"); fault != "" {
			return fault
		}
		return s.checkFacets(text)
	}
	if !lexical(s.Kind, text) {
		return fmt.Sprintf("%q is not a valid %s", text, s.Kind)
	}
	if fault := s.checkRange(text); fault != "" {
		return fault
	}
	size, unit := utf8.RuneCountInString(text), "characters"
	switch s.Kind {
	case "hexBinary":
		size, unit = len(text)/2, "bytes"
	case "base64Binary":
		decoded, _ := base64.StdEncoding.DecodeString(strings.ReplaceAll(text, " ", ""))
		size, unit = len(decoded), "bytes"
	}
	if fault := s.checkLength(size, unit); fault != "" && s.Kind != "QName" {
		return fault
	}
	return s.checkFacets(text)
}

func (s *Simple) checkLength(size int, unit string) string {
	switch {
	case s.Length[0] >= 0 && size < s.Length[0]:
		return fmt.Sprintf("it has %d %s, at least %d are needed", size, unit, s.Length[0])
	case s.Length[1] >= 0 && size > s.Length[1]:
		return fmt.Sprintf("it has %d %s, at most %d are allowed", size, unit, s.Length[1])
	}
	return ""
}

func (s *Simple) checkFacets(text string) string {
	if s.Values != nil && !slices.Contains(s.Values, text) && !s.sameQName(text) {
		return fmt.Sprintf("%q is not one of %s", text, strings.Join(s.Values[:min(len(s.Values), 12)], ", "))
	}
	for i, m := range s.Patterns {
		if !m.MatchString(text) {
			return fmt.Sprintf("%q does not fit the pattern %s", text, s.written[i])
		}
	}
	return ""
}

// sameQName compares only local parts: prefixes are free.
func (s *Simple) sameQName(text string) bool {
	if s.Kind != "QName" {
		return false
	}
	return slices.ContainsFunc(s.Values, func(v string) bool { return localPart(v) == localPart(text) })
}

func localPart(name string) string { return name[strings.LastIndexByte(name, ':')+1:] }

func (s *Simple) checkRange(text string) string {
	switch s.Kind {
	case "decimal", "integer", "float", "double":
		if strings.HasSuffix(text, "INF") || text == "NaN" {
			return ""
		}
		if s.low.beyond(text, -1, s.lowOpen) {
			return fmt.Sprintf("%s is below what is allowed, %s", text, s.low.Text('g', 20))
		}
		if s.high.beyond(text, 1, s.highOpen) {
			return fmt.Sprintf("%s is above what is allowed, %s", text, s.high.Text('g', 20))
		}
		digits := strings.TrimLeft(text, "+-0")
		before, after, _ := strings.Cut(digits, ".")
		after = strings.TrimRight(after, "0")
		if s.fraction >= 0 && s.Kind != "integer" && len(after) > s.fraction {
			return fmt.Sprintf("%s has more than %d digits after the point", text, s.fraction)
		}
		if s.totalDigits > 0 && len(before)+len(after) > s.totalDigits {
			return fmt.Sprintf("%s has more than %d digits", text, s.totalDigits)
		}
	case "date", "dateTime", "time", "gYear", "gYearMonth":
		if s.earliest != "" && text < s.earliest {
			return fmt.Sprintf("%s is before %s", text, s.earliest)
		}
		if s.latest != "" && text > s.latest {
			return fmt.Sprintf("%s is after %s", text, s.latest)
		}
	}
	return ""
}

// collapsed is a text with one space for each run of white space, and none around it.
func collapsed(text string) string {
	if !strings.ContainsAny(text, "\t\r\n") && !strings.Contains(text, "  ") && strings.Trim(text, " ") == text {
		return text
	}
	return strings.Join(strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(" \t\r\n", r) }), " ")
}

// The parts of dates and times.
const (
	year  = `-?\d{4,}`
	month = `(?:0[1-9]|1[0-2])`
	day   = `(?:0[1-9]|[12]\d|3[01])`
	clock = `(?:(?:[01]\d|2[0-3]):[0-5]\d:[0-5]\d(?:\.\d+)?|24:00:00(?:\.0+)?)`
	zone  = `(?:Z|[+-]\d\d:\d\d)?`
)

// lexicals are the forms of the built-in types.
var lexicals = map[string]*regexp.Regexp{
	"boolean":      regexp.MustCompile(`^(?:true|false|0|1)$`),
	"decimal":      regexp.MustCompile(`^[+-]?(?:\d+\.?\d*|\.\d+)$`),
	"integer":      regexp.MustCompile(`^[+-]?\d+$`),
	"float":        regexp.MustCompile(`^(?:[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?|-?INF|NaN)$`),
	"double":       regexp.MustCompile(`^(?:[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?|-?INF|NaN)$`),
	"duration":     regexp.MustCompile(`^-?P(?:\d+Y)?(?:\d+M)?(?:\d+D)?(?:T(?:\d+H)?(?:\d+M)?(?:\d+(?:\.\d+)?S)?)?$`),
	"dateTime":     regexp.MustCompile(`^` + year + `-` + month + `-` + day + `T` + clock + zone + `$`),
	"date":         regexp.MustCompile(`^` + year + `-` + month + `-` + day + zone + `$`),
	"time":         regexp.MustCompile(`^` + clock + zone + `$`),
	"gYearMonth":   regexp.MustCompile(`^` + year + `-` + month + zone + `$`),
	"gYear":        regexp.MustCompile(`^` + year + zone + `$`),
	"gMonthDay":    regexp.MustCompile(`^` + `--` + month + `-` + day + zone + `$`),
	"gDay":         regexp.MustCompile(`^` + `---` + day + zone + `$`),
	"gMonth":       regexp.MustCompile(`^` + `--` + month + zone + `$`),
	"language":     regexp.MustCompile(`^[a-zA-Z]{1,8}(?:-[a-zA-Z0-9]{1,8})*$`),
	"Name":         regexp.MustCompile(`^[\pL_:][\pL\pN._:-]*$`),
	"NCName":       regexp.MustCompile(`^[\pL_][\pL\pN._-]*$`),
	"ID":           regexp.MustCompile(`^[\pL_][\pL\pN._-]*$`),
	"IDREF":        regexp.MustCompile(`^[\pL_][\pL\pN._-]*$`),
	"ENTITY":       regexp.MustCompile(`^[\pL_][\pL\pN._-]*$`),
	"NMTOKEN":      regexp.MustCompile(`^[\pL\pN._:-]+$`),
	"QName":        regexp.MustCompile(`^(?:[\pL_][\pL\pN._-]*:)?[\pL_][\pL\pN._-]*$`),
	"hexBinary":    regexp.MustCompile(`^(?:[0-9a-fA-F]{2})*$`),
	"base64Binary": regexp.MustCompile(`^[A-Za-z0-9+/= ]*$`),
}

func lexical(kind, text string) bool {
	if form := lexicals[kind]; form != nil && !form.MatchString(text) {
		return false
	}
	switch kind {
	case "duration":
		return !strings.HasSuffix(text, "P") && !strings.HasSuffix(text, "T")
	case "date", "dateTime": // of a year with four digits the month has its length
		_, err := time.Parse(time.DateOnly, text[:10])
		return err == nil || text[0] == '-' || text[4] != '-'
	case "base64Binary":
		_, err := base64.StdEncoding.DecodeString(strings.ReplaceAll(text, " ", ""))
		return err == nil
	case "anyURI":
		_, err := url.Parse(text)
		return err == nil
	}
	return true
}

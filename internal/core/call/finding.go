package call

import (
	"fmt"
	"strconv"
	"strings"

	"rapidmimic.example/spec/tree"
)

// Code says what kind of thing a Finding tells. Codes are part of the API: one that was
// given keeps its meaning.
type Code string

// The codes of steps, in the order of deciding. Their sentences stand in
// findingtable.go.
const (
	Told Code = "told" // by an earlier version, in words alone

	Named          Code = "named"
	ByRule         Code = "by-rule"
	Hinted         Code = "hinted"
	OnForLane      Code = "on-for-lane"
	NoService      Code = "no-service"
	BareAddress    Code = "bare-address"
	Malformed      Code = "malformed"
	BrokeOff       Code = "broke-off"
	NotIntercepted Code = "not-intercepted"

	Fits           Code = "fits"
	OtherMethod    Code = "other-method"
	OtherOperation Code = "other-operation"
	OtherPath      Code = "other-path"
	Absent         Code = "absent"
	Differs        Code = "differs"
	SecretDiffers  Code = "secret-differs"
	SecretUnknown  Code = "secret-unknown"
	TooMany        Code = "too-many"
	TooOften       Code = "too-often"
	NoneHold       Code = "none-hold"
	ForbiddenHold  Code = "forbidden-hold"
	IfFalse        Code = "if-false"
	IfNotBoolean   Code = "if-not-boolean"
	IfFailed       Code = "if-failed"
	NotLookedAt    Code = "not-looked-at"
	LowerLayer     Code = "lower-layer"
	LowerRank      Code = "lower-rank"
	LessSpecific   Code = "less-specific"
	NamesNoMethod  Code = "names-no-method"
	AsksForLess    Code = "asks-for-less"
	LaterID        Code = "later-id"
	UsedUp         Code = "used-up"
	NoMappings     Code = "no-mappings"
	NoPathFits     Code = "no-path-fits"
	OthersCompare  Code = "others-compare"
	HintAsks       Code = "hint-asks-contract"
	Close          Code = "close"
	Dispatched     Code = "dispatched"
	Undispatched   Code = "undispatched"
	NotPosted      Code = "not-posted"
	ContractAsked  Code = "contract-asked"
	Deprecated     Code = "deprecated"
	BreaksContract Code = "breaks-contract"
	OptionsAsked   Code = "options-asked"
	OriginAllowed  Code = "origin-allowed"
	UpstreamAsked  Code = "upstream-asked"
	HeadersSet     Code = "headers-set"
	OwnOtherwise   Code = "own-otherwise"
	Remembered     Code = "remembered"
	Recalled       Code = "recalled"
	Kept           Code = "kept"
	Moved          Code = "moved"
	OtherState     Code = "other-state"
	FlowFailed     Code = "flow-failed"
	ScriptAnswer   Code = "script-answer"
	Logged         Code = "logged"

	FixedAnswer    Code = "fixed-answer"
	FilledAnswer   Code = "filled-answer"
	UpstreamAnswer Code = "upstream-answer"
	Response       Code = "response"
	Echoed         Code = "echoed"
	Pinned         Code = "pinned"
	NotPinned      Code = "not-pinned"
	OneByOne       Code = "one-by-one"
	OriginalAnswer Code = "original-answer"
	OriginalChosen Code = "original-chosen"
	Edited         Code = "edited"
	NotEdited      Code = "not-edited"
	OnTheWay       Code = "on-the-way"

	NotModifiedSince Code = "not-modified"
	CodingUndone     Code = "coding-undone"

	SignInAsked    Code = "sign-in-asked"
	CallsBack      Code = "calls-back"
	CallbacksOff   Code = "callbacks-off"
	CallbackFailed Code = "callback-failed"
	Attempted      Code = "attempted"
	Unwanted       Code = "unwanted"
	Packed         Code = "packed"

	Injection Code = "injected"
	Carried   Code = "carried-out"
)

// The codes of summaries.
const (
	ByMapping         Code = "by-mapping"
	ByMappingContract Code = "by-mapping-contract"
	ByMappingUpstream Code = "by-mapping-upstream"
	ByMappingEdit     Code = "by-mapping-edit"
	ByMappingOriginal Code = "by-mapping-original"
	ByContract        Code = "by-contract"
	ByUpstream        Code = "by-upstream"
	ByOtherwise       Code = "by-otherwise"
	ByMemory          Code = "by-memory"
	BySignIn          Code = "by-sign-in"
	ByImpairment      Code = "by-impairment"
	Refused           Code = "refused"
	Missed            Code = "missed"
	Empty             Code = "empty"
	ClosestConditions Code = "closest-conditions"
	ClosestPart       Code = "closest-part"
	KnownSkipped      Code = "known-skipped"
	Unsigned          Code = "unsigned"
	MissedService     Code = "missed-service"
	Preflight         Code = "preflight"
	Options           Code = "options"
	ContractServed    Code = "contract-served"
	RootPage          Code = "root-page"
	CallerLeft        Code = "caller-left"
	NotACall          Code = "not-a-call"
	NoInterception    Code = "no-interception"
	CalledBack        Code = "called-back"
	NotCalledBack     Code = "not-called-back"
)

// Finding is one thing that was found out about a call, as data: values of the call and
// of definitions stay values, so that secrets among them can be taken out. String makes
// its sentence.
type Finding struct {
	Code Code `json:"code"`
	// Part is the part of the call that decided: "path, segment 1", "header tier".
	Part string `json:"part,omitempty"`
	// Seen and Expected are what the call has there, as JSON has it where it is a
	// value, and what was asked for.
	Seen     string `json:"seen,omitempty"`
	Expected string `json:"expected,omitempty"`
	// Values are what else the sentence of the code says, in its order.
	Values []string `json:"values,omitempty"`
	// Among are findings that make up this one.
	Among []Finding `json:"among,omitempty"`
}

// Find makes a finding with the values of its sentence.
func Find(code Code, values ...any) Finding {
	f := Finding{Code: code}
	if len(values) > 0 {
		f.Values = make([]string, len(values))
	}
	for i, v := range values {
		switch v := v.(type) { // the usual ones fast
		case string:
			f.Values[i] = v
		case int:
			f.Values[i] = strconv.Itoa(v)
		default:
			f.Values[i] = fmt.Sprint(v)
		}
	}
	return f
}

// Found is Find for what may also be nothing: nil.
func Found(code Code, values ...any) *Finding {
	f := Find(code, values...)
	return &f
}

// value is one of the values; "" for one that is not there.
func (f Finding) value(i int) string {
	if i >= len(f.Values) {
		return ""
	}
	return f.Values[i]
}

// String is the finding in words.
func (f Finding) String() string { return f.fill(sentences[f.Code]) }

func (f Finding) fill(text string) string {
	var b strings.Builder
	for text != "" {
		i := strings.IndexAny(text, "{[")
		if i < 0 {
			b.WriteString(text)
			break
		}
		b.WriteString(text[:i])
		end := "}"
		if text[i] == '[' {
			end = "]"
		}
		inner, rest, _ := strings.Cut(text[i+1:], end)
		if text = rest; end == "}" {
			b.WriteString(f.named(inner))
		} else if f.has(inner) {
			b.WriteString(f.fill(inner))
		}
	}
	return b.String()
}

// has reports whether all values that a part of a text names are there.
func (f Finding) has(text string) bool {
	for {
		_, after, found := strings.Cut(text, "{")
		if !found {
			return true
		}
		var name string
		if name, text, _ = strings.Cut(after, "}"); f.named(name) == "" {
			return false
		}
	}
}

func (f Finding) named(name string) string {
	switch name {
	case "part":
		return f.Part
	case "seen":
		return short(f.Seen)
	case "expected":
		return f.Expected
	case "among":
		texts := make([]string, len(f.Among))
		for i, one := range f.Among {
			texts[i] = one.String()
		}
		return strings.Join(texts, "; ")
	default:
		return f.value(int(name[0] - '0'))
	}
}

// mostShown is how many bytes of a value stand in a sentence.
const mostShown = 80

func short(text string) string {
	if len(text) > mostShown {
		return strings.ToValidUTF8(text[:mostShown], "") + "…"
	}
	return text
}

// append appends the finding's members as JSON, to an object that has begun.
func (f *Finding) append(b []byte) []byte {
	b = tree.AppendQuoted(append(b, `"code":`...), string(f.Code))
	b = appendMember(b, `,"part":`, f.Part)
	b = appendMember(b, `,"seen":`, f.Seen)
	b = appendMember(b, `,"expected":`, f.Expected)
	for i, value := range f.Values {
		b = tree.AppendQuoted(append(b, listStart(i, `,"values":[`)...), value)
	}
	if len(f.Values) > 0 {
		b = append(b, ']')
	}
	for i := range f.Among {
		b = append(f.Among[i].append(append(append(b, listStart(i, `,"among":[`)...), '{')), '}')
	}
	if len(f.Among) > 0 {
		b = append(b, ']')
	}
	return b
}

// appendMember appends a member, unless it is empty.
func appendMember(b []byte, name, value string) []byte {
	if value == "" {
		return b
	}
	return tree.AppendQuoted(append(b, name...), value)
}

// listStart is what stands before an element of a list.
func listStart(i int, first string) string {
	if i == 0 {
		return first
	}
	return ","
}

// weight is about how many bytes the finding takes.
func (f *Finding) weight() int {
	weight := 100 + len(f.Part) + len(f.Seen) + len(f.Expected)
	for _, v := range f.Values {
		weight += len(v)
	}
	for i := range f.Among {
		weight += f.Among[i].weight()
	}
	return weight
}

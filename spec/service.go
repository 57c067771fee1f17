package spec

import (
	"fmt"
	"maps"
	"net/url"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Service is a virtual service: what programs call instead of the real one.
type Service struct {
	// ID is given when the service is made and never changes.
	ID string `json:"id,omitempty"`
	// Name is unique in the environment and stands in the address: moorings, or with several
	// segments v1/orders. Of several that a call's address begins with the longest counts.
	Name  string `json:"name"`
	Title string `json:"title,omitempty"`
	// Hosts are names of hosts whose calls are for the service, through the proxy or by
	// the Host header: office.example, or those below a path of it, office.example/v1.
	// Of several that fit a call the longest counts.
	Hosts []string `json:"hosts,omitempty"`
	// Upstream is the base URL of the real thing behind the service, in which ${vars.NAME}
	// stands for variables.
	Upstream string `json:"upstream,omitempty"`
	// UpstreamHeaders are set on every call that goes to the upstream, instead of those of
	// the same names that the caller sent.
	UpstreamHeaders Headers `json:"upstreamHeaders,omitempty"`
	// The variables of the service come before those of the environment; its expressions,
	// its upstream and the upstream's headers use them as ${vars.NAME}.
	VariableTable
	// Mode is "answer", the default, or "relay": then calls are passed on to the
	// upstream, and neither mappings nor the contract are asked.
	Mode string `json:"mode,omitempty"`
	// Otherwise is what answers when no mapping does, in its order: "example" and
	// "generated" by the contract, "upstream", or an answer of its own; "miss" alone is
	// for nothing. Left out, the first two.
	Otherwise []Way `json:"otherwise,omitempty"`
	// KeepWithUs changes what would lead callers of a relaying service past it:
	// Location, domains and paths of cookies, alternative services.
	KeepWithUs bool `json:"keepWithUs"`
	// Seed makes generated data depend on the call alone: the same call gets
	// the same data in every run. Nil means fresh data on each call.
	Seed *int64 `json:"seed,omitempty"`
	// CORS lets browser pages from other origins call the service.
	CORS bool `json:"cors"`
	// Reveal adds the Rapid-Mimic header to answers: the call's id and who
	// answered.
	Reveal bool `json:"reveal"`
	// Hints lets callers ask for something in one request, by the Rapid-Mimic header
	// or baggage; switched off, what they ask is ignored.
	Hints bool `json:"hints"`
	// Echo gives answers of the contract the caller's own values: those of path
	// parameters and of the request's body, in properties of the same name.
	Echo bool `json:"echo"`
	// StreamEvery is the time between the items of streams that the contract answers, such as events;
	// 0 sends them at once.
	StreamEvery Duration `json:"streamEvery,omitzero"`
	// Memory has the service remember what calls create, read, change and remove.
	Memory Memory `json:"memory,omitzero"`
	// Callbacks has the service make the calls that its contract and its mappings have for after an
	// answer, and webhooks.
	Callbacks Callbacks `json:"callbacks,omitzero"`
	// Noise lists query parameters that say only when or how a call came, * standing for
	// any letters: recordings leave them out, and "only: query" lets them pass. Left out,
	// it is DefaultNoise.
	Noise []string `json:"noise,omitempty"`
	// UnderstoodHeaders are the namespaces of SOAP headers that the service is taken to understand,
	// although its contract declares none of them; * for all.
	UnderstoodHeaders []string `json:"understoodHeaders,omitempty"`
	// Conformance says what becomes of calls that break the contract: "report",
	// the default, lists the deviations on the call, "refuse" answers with a 400
	// that lists them, "off" does not look.
	Conformance string `json:"conformance,omitempty"`
	// Security says what becomes of calls without the credentials that the contract demands: "", the
	// same as "report", lists that on the call, "refuse" answers as the contract does then, "off"
	// does not look.
	Security string `json:"security,omitempty"`
	// Users are those who may call a SOAP service: their names, and the variables that have their
	// passwords. Messages are held against them by their UsernameToken, as Security says.
	Users map[string]string `json:"users,omitempty"`
	// Examples chooses for operations of the contract which named example
	// answers: operation id → name. The others answer with their first one.
	Examples map[string]string `json:"examples,omitempty"`
	// Pins fix single fields of what operations answer, while the rest varies:
	// operation id → JSON Pointer into the body, in which * stands for every
	// element → value, in whose texts ${…} holds expressions.
	Pins map[string]Pins `json:"pins,omitempty"`
}

// Pins are the fields of one operation that are fixed: JSON Pointer → value.
type Pins map[string]*tree.Node

// UnmarshalJSON reads pins through the tree, so that a value of null stays one.
func (p *Pins) UnmarshalJSON(text []byte) error {
	n, err := tree.ParseJSON(text)
	if err != nil {
		return err
	}
	if n.Kind == tree.Null {
		return nil
	}
	return problem.FromItems("the pins cannot be used", tree.Decode(n, (*map[string]*tree.Node)(p), "pin"))
}

// DefaultNoise is the noise of a service that says nothing else.
var DefaultNoise = []string{"_", "_t", "_ts", "cb", "cachebuster", "nocache", "rand", "random", "request_id", "requestid", "request-id", "traceparent", "utm_*"}

// IsNoise reports whether a query parameter is among the noise of the service.
func (s *Service) IsNoise(parameter string) bool {
	list := s.Noise
	if list == nil {
		list = DefaultNoise
	}
	parameter = strings.ToLower(parameter)
	for _, pattern := range list {
		if fits, err := path.Match(strings.ToLower(pattern), parameter); fits && err == nil {
			return true
		}
	}
	return false
}

// What Mode can be.
const (
	ModeAnswer = "answer"
	ModeRelay  = "relay"
)

// Relays reports whether calls are passed on to the upstream.
func (s Service) Relays() bool { return s.Mode == ModeRelay }

// MaxStreamEvery is the longest time between two items of a stream.
const MaxStreamEvery = Duration(time.Minute)

// What Conformance can be.
const (
	ConformanceReport = "report"
	ConformanceRefuse = "refuse"
	ConformanceOff    = "off"
)

// What Security can be, beside "".
const (
	SecurityReport = "report"
	SecurityRefuse = "refuse"
	SecurityOff    = "off"
)

// NewService gives the defaults of every key.
func NewService(name string) Service {
	return Service{Name: name, CORS: true, Reveal: true, Hints: true, Echo: true, KeepWithUs: true, Mode: ModeAnswer, Conformance: ConformanceReport}
}

var serviceKind = kind[Service]{
	noun: "service", key: "name", several: "services",
	added: []string{"address", "upstreamNow", "upstreamFault", "contract", "operations", "mappings", "recording", "lastMinute", "recent"},
	read:  readService,
	name:  func(s *Service) string { return s.Name },
}

// GivenService reads one service document, which has this name unless it gives
// another.
func GivenService(text []byte, name string) (Given[Service], error) {
	return serviceKind.one(text, name)
}

// GivenServices reads a document that holds one service or several.
func GivenServices(text []byte) ([]Given[Service], error) { return serviceKind.list(text) }

// ReadService reads one service document that gives its name.
func ReadService(text []byte) (Service, error) { return ReadServiceNamed(text, "") }

// ReadServiceNamed is GivenService without what was said about it.
func ReadServiceNamed(text []byte, name string) (Service, error) {
	given, err := GivenService(text, name)
	return given.Document, err
}

func readService(n *tree.Node, name string) (Service, []problem.Item) {
	s := NewService(name)
	items := tree.Decode(n, &s, "service")
	if s.Otherwise != nil && len(s.Otherwise) == 0 { // written out, so that it is not taken for the usual ones
		s.Otherwise = []Way{{Name: OtherwiseMiss}}
	}
	return s, append(items, Besides(items, tree.Locate(n, s.faults()), n)...)
}

var serviceName = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9._-]{0,62}$`)

// NameRule says in words what ValidName demands.
const NameRule = "letters, digits, `.`, `_` and `-`, beginning with a letter or digit, at most 63"

// ValidName reports whether name can stand in an address.
func ValidName(name string) bool { return serviceName.MatchString(name) }

// Bounds of the names of services.
const (
	mostSegments = 5
	longestName  = 127
)

// ServiceNameRule says in words what ValidServiceName demands.
const ServiceNameRule = NameRule + "; or several of them joined by /, such as v1/orders, the later ones not called contract or payloads"

// ValidServiceName reports whether a service can have a name: one segment of an address, or
// several. What files in the folder of a service are called is no later segment, so that
// its files can be told from those of a service below it.
func ValidServiceName(name string) bool {
	segments := strings.Split(name, "/")
	if len(segments) > mostSegments || len(name) > longestName {
		return false
	}
	for i, segment := range segments {
		if !ValidName(segment) || i > 0 && (segment == "contract" || segment == "payloads" || segment == "memory" || strings.HasPrefix(segment, "contract.") || strings.HasSuffix(segment, ".yaml")) {
			return false
		}
	}
	return true
}

func (s Service) faults() (items []problem.Item) {
	if !ValidServiceName(s.Name) {
		items = append(items, problem.Item{At: "/name", Detail: fmt.Sprintf("name must be %s, not %q", ServiceNameRule, s.Name)})
	}
	if all := []string{"", SecurityReport, SecurityRefuse, SecurityOff}; !slices.Contains(all, s.Security) {
		items = append(items, problem.Item{At: "/security", Detail: fmt.Sprintf("security must be report, refuse or off, not %q", s.Security)})
	}
	if all := []string{ConformanceReport, ConformanceRefuse, ConformanceOff}; !slices.Contains(all, s.Conformance) {
		items = append(items, problem.Item{At: "/conformance", Detail: fmt.Sprintf("conformance must be report, refuse or off, not %q", s.Conformance)})
	}
	for i, host := range s.Hosts {
		if name, base := SplitHost(host); !hostName.MatchString(name) || base != "" && !hostBase.MatchString(base) {
			items = append(items, problem.Item{At: "/hosts/" + strconv.Itoa(i), Detail: fmt.Sprintf("a host is a name such as office.example, or one with a path such as office.example/v1, without scheme and port, not %q", host)})
		}
	}
	for _, user := range slices.Sorted(maps.Keys(s.Users)) {
		if user == "" || !ValidVariable(s.Users[user]) {
			items = append(items, problem.Item{At: tree.Join("/users", user), Detail: fmt.Sprintf("users have the names of variables with their passwords, such as { mara: maraPassword }, not %q", s.Users[user])})
		}
	}
	items = append(items, s.Memory.faults()...)
	items = append(items, s.Callbacks.faults()...)
	if s.StreamEvery > MaxStreamEvery {
		items = append(items, problem.Item{At: "/streamEvery", Detail: fmt.Sprintf("streamEvery must be at most %s, not %s", MaxStreamEvery, s.StreamEvery)})
	}
	items = append(items, s.upstreamFaults()...)
	items = append(items, s.VariableTable.faults()...)
	for i, name := range s.Noise {
		if _, err := path.Match(name, ""); err != nil || name == "" {
			items = append(items, problem.Item{At: "/noise/" + strconv.Itoa(i), Detail: fmt.Sprintf("noise is the name of a query parameter, in which * stands for any letters, not %q", name)})
		}
	}
	for id, pins := range s.Pins {
		for pointer := range pins {
			if !strings.HasPrefix(pointer, "/") {
				items = append(items, problem.Item{At: tree.Join("/pins", id), Detail: fmt.Sprintf("a pin names its field by a JSON Pointer such as /vessel/name, not %q", pointer)})
			}
		}
	}
	return items
}

// SplitHost takes an entry of Hosts apart: its name in lower case, and the path that its
// calls are below, "" for all.
func SplitHost(entry string) (name, base string) {
	if i := strings.IndexByte(entry, '/'); i >= 0 {
		entry, base = entry[:i], entry[i:]
	}
	return strings.ToLower(entry), base
}

// hostBase is a path without an end to fall off: /v1, /a/b.
var hostBase = regexp.MustCompile(`^(/[A-Za-z0-9._~!$&'()*+,;=:@%-]+)+$`)

var hostName = regexp.MustCompile(`^[A-Za-z0-9]([A-Za-z0-9.-]{0,252}[A-Za-z0-9])?$`)

func (s Service) upstreamFaults() (items []problem.Item) {
	fault := func(at, format string, args ...any) {
		items = append(items, problem.Item{At: at, Detail: fmt.Sprintf(format, args...)})
	}
	if s.Upstream != "" && !strings.Contains(s.Upstream, "${") { // else that shows when its variables are known
		if _, err := ParseUpstream(s.Upstream); err != nil {
			fault("/upstream", "upstream %v", err)
		}
	}
	items = append(items, headerFaults(s.UpstreamHeaders, "/upstreamHeaders/")...)
	if s.Mode != ModeAnswer && s.Mode != ModeRelay {
		fault("/mode", "mode must be answer or relay, not %q", s.Mode)
	}
	if s.Mode == ModeRelay && s.Upstream == "" {
		fault("/mode", "a service without an upstream has nothing to relay to")
	}
	return append(items, s.otherwiseFaults()...)
}

// ParseUpstream reads the base URL of an upstream. The error says what it must be.
func ParseUpstream(text string) (*url.URL, error) {
	u, err := url.Parse(strings.TrimSuffix(text, "/"))
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" || u.RawQuery != "" || u.Fragment != "" || u.User != nil {
		return nil, fmt.Errorf("must be a base URL such as https://office.example/api, without query and user, not %q", text)
	}
	return u, nil
}

// NameFrom makes a service name out of a file name or a title:
// "Berths & bookings.yaml" gives "berths-bookings". It is "" when nothing of
// the text can stand in a name.
func NameFrom(text string) string {
	text = strings.TrimRight(text, `/\`)
	text = text[strings.LastIndexAny(text, `/\`)+1:]
	for _, ending := range []string{".yaml", ".yml", ".json", ".zip", ".wsdl"} {
		text = strings.TrimSuffix(text, ending)
	}
	return Slug(text, 63)
}

// Slug reduces text to lower-case letters and digits joined by `-`, at most
// limit bytes.
func Slug(text string, limit int) string {
	var b strings.Builder
	gap := false
	for _, r := range strings.ToLower(text) {
		if (r < 'a' || r > 'z') && (r < '0' || r > '9') {
			gap = b.Len() > 0
			continue
		}
		if gap {
			b.WriteByte('-')
			gap = false
		}
		if b.WriteRune(r); b.Len() >= limit {
			break
		}
	}
	return b.String()
}

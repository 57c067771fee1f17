package catalog

import (
	"cmp"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"

	"rapidmimic.example/internal/core/answer"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/collection"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/rest"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/internal/core/impair"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/recording"
	"rapidmimic.example/internal/core/script"
	"rapidmimic.example/spec"
)

// Snapshot is the whole environment at one moment. It is immutable: every edit
// makes a new one, and a call is decided on the one it found.
type Snapshot struct {
	services []*Service // by name
	byName   map[string]*Service
	byHost   map[string][]hosted // lower case; nil when no service lists one
	deepest  int                 // of how many segments the longest name is

	impairments impairments
	ignored     *Ignored // nil for nothing
	variables   StoredVariables
	vars        map[string]any // values of the variables, as what belongs to no service sees them
	scenarios   map[string]*Scenario
	active      *Activation // of calls in no lane; nil for none
	lanes       map[string]*Lane
	ruled       []*Lane // those that have a rule
	closed      []ClosedLane
	entry       int64 // see Entry

	views *views // nil while it is made
	// lane, scenario and stateKey are set in a view: see View.
	lane     *Lane
	scenario *Scenario
	stateKey string
}

// Entry is the version of the last entry of the activity when this was the environment.
func (s *Snapshot) Entry() int64 { return s.entry }

// Services lists all services in the order of their names.
func (s *Snapshot) Services() []*Service { return s.services }

// Find returns the service with this name, else the one with this id, else
// nil.
func (s *Snapshot) Find(nameOrID string) *Service {
	if service := s.byName[nameOrID]; service != nil {
		return service
	}
	for _, service := range s.services {
		if service.Spec.ID == nameOrID {
			return service
		}
	}
	return nil
}

// Named returns the service with exactly this name, else nil.
func (s *Snapshot) Named(name string) *Service { return s.byName[name] }

// At returns the service whose name an escaped address begins with, of several the one with
// the longest name, and how long the name is in the address; nil for none.
func (s *Snapshot) At(address string) (service *Service, length int) {
	end, segments := 0, 0
	for segments < s.deepest && end < len(address) {
		if next := strings.IndexByte(address[end+1:], '/'); next < 0 {
			end = len(address)
		} else {
			end += next + 1
		}
		segments++
		name := address[:end]
		if strings.Contains(name, "%") {
			if plain, err := url.PathUnescape(name); err == nil {
				name = plain
			}
		}
		if found := s.byName[name]; found != nil {
			service, length = found, end
		}
	}
	return service, length
}

// hosted is an entry of the hosts of a service.
type hosted struct {
	base    string // path that its calls are below, "" for all
	service *Service
}

// OnHost returns the service that a call to a host, given without its port, is for by
// its escaped path, with the part of that which stands for the service; nil when none is
// listed for it.
func (s *Snapshot) OnHost(host, address string) (service *Service, base string) {
	if len(s.byHost) == 0 {
		return nil, ""
	}
	for _, h := range s.byHost[strings.ToLower(host)] { // the longest first
		if below(address, h.base) {
			if base = h.base; base == "" && h.service.Upstream != nil { // a program that calls the real thing says its whole path
				if own := strings.TrimSuffix(h.service.Upstream.EscapedPath(), "/"); below(address, own) {
					base = own
				}
			}
			return h.service, base
		}
	}
	return nil, ""
}

// below reports whether a path is base or what is below it.
func below(path, base string) bool {
	rest, ok := strings.CutPrefix(path, base)
	return ok && (base == "" || rest == "" || rest[0] == '/')
}

// ListsHost reports whether a service lists a host, or a path of it.
func (s *Snapshot) ListsHost(host string) bool { return len(s.byHost[strings.ToLower(host)]) > 0 }

// lister is the service that has this very entry among its hosts, nil for none.
func (s *Snapshot) lister(entry string) *Service {
	host, base := spec.SplitHost(entry)
	for _, h := range s.byHost[host] {
		if h.base == base {
			return h.service
		}
	}
	return nil
}

// Names lists the names of all services.
func (s *Snapshot) Names() []string {
	names := make([]string, len(s.services))
	for i, service := range s.services {
		names[i] = service.Spec.Name
	}
	return names
}

// with returns a snapshot in which next stands instead of old; either may be
// nil.
func (s *Snapshot) with(old, next *Service) *Snapshot {
	copied := *s
	out := &copied
	out.services = nil
	for _, service := range s.services {
		if service != old {
			out.services = append(out.services, service)
		}
	}
	if next != nil {
		if !next.settled {
			next.resolve(out)
		}
		out.services = append(out.services, next)
	}
	slices.SortFunc(out.services, func(a, b *Service) int { return cmp.Compare(a.Spec.Name, b.Spec.Name) })
	out.index()
	return out
}

// index finds the services by their names and hosts.
func (s *Snapshot) index() {
	s.byName, s.byHost, s.deepest = make(map[string]*Service, len(s.services)), nil, 0
	for _, service := range s.services {
		s.deepest = max(s.deepest, strings.Count(service.Spec.Name, "/")+1)
		s.byName[service.Spec.Name] = service
		for _, host := range service.Spec.Hosts {
			if s.byHost == nil {
				s.byHost = make(map[string][]hosted)
			}
			name, base := spec.SplitHost(host)
			s.byHost[name] = append(s.byHost[name], hosted{base, service})
		}
	}
	for _, entries := range s.byHost {
		slices.SortStableFunc(entries, func(a, b hosted) int { return cmp.Compare(len(b.base), len(a.base)) })
	}
}

// Service is one service, compiled. It is immutable; what it builds on first
// use (the list of candidates for misses) does not change its answers.
type Service struct {
	// MemoryWith names the scenario or the lane that gives the service a memory of its own in
	// this view; "" for everybody's.
	MemoryWith string
	Spec       spec.Service
	Version    int64
	Contract   *Contract  // nil without a contract
	Mappings   []*Mapping // in the order in which they were made
	Payloads   answer.Payloads
	// Recording is the one that runs; nil when none does.
	Recording *Capture

	// Upstream is the base URL of the real thing; nil without one, or where UpstreamFault
	// says why it is not known. UpstreamHeaders are set on what goes there.
	Upstream        *url.URL
	UpstreamHeaders []call.Field
	UpstreamFault   string
	// Otherwise is the answer of its own that the service gives to calls that
	// nothing else answers; nil without one.
	Otherwise *Reply

	mappings mappingIndex
	pins     map[string][]contract.Pin // by operation
	over     *overlay                  // what a scenario or a lane lays above; nil for nothing
	resolved map[string]Resolved       // variables by name
	vars     map[string]any            // their values
	settled  bool                      // what follows from variables is worked out
	// collections are what the service remembers, found when first asked for; nil for nothing.
	collections func() *collection.Plan

	problemsOnce sync.Once
	problems     map[string]string // by mapping

	sendersOnce sync.Once
	senders     map[string][]string // mappings by payload

	candidatesOnce sync.Once
	candidates     []match.Candidate
}

// Contract is the revision in force.
type Contract struct {
	*contract.Contract
	Revision int
	File     string
	Main     string // of several files, the contract itself
	digest   string // of its text
}

// Mapping is a mapping, compiled.
type Mapping struct {
	Spec     spec.Mapping
	Version  int64
	Position int64
	Rule     *match.Rule
	// Replies are the answers that it can give: one, or those of its sequence or
	// choice.
	Replies []Reply
	// alone is what Alone gives, once it was asked for: of ten thousand mappings few ever answer.
	alone *atomic.Pointer[call.Explanation]
	// FlowOf gives the thing that a call moves in the flow of the mapping; nil where there is
	// no flow, or one thing.
	FlowOf *expr.Template
	// Impair is the trouble that goes with its answers; nil without any.
	Impair *impair.Plan
	// Origin says of which scenario or lane it is; "" for one that everybody has.
	Origin string
	// Writes is set where an answer of it changes what the service remembers.
	Writes bool
	// Chosen is set on one that stands for an example that was chosen.
	Chosen bool
}

// Reply is one answer of a mapping, compiled.
type Reply struct {
	Spec spec.Answer
	// Answer is what is sent, unless it has expressions: then Dynamic gives it.
	Answer  call.Answer
	Dynamic *answer.Template
	// Send changes what passes to the upstream, Edit an answer that comes from elsewhere;
	// either may be nil.
	Send, Edit *answer.Edit
	// If decides among the answers of a choice; nil on the last one.
	If *expr.Program
	// Script makes the answer; nil for none.
	Script *script.Script
	// Remember is what the service remembers when it gives the answer.
	Remember answer.Remembering
	// Callbacks are the calls that follow the answer.
	Callbacks []*answer.Callback
}

// Elsewhere reports whether the answer comes from the contract, the upstream or another
// mapping.
func (r *Reply) Elsewhere() bool { return r.Spec.From != "" || r.Spec.ByContract() }

// writes reports whether an answer of the mapping changes what the service remembers.
func (m *Mapping) writes() bool {
	return m.Spec.Flow != nil && m.Spec.Flow.Then != "" ||
		slices.ContainsFunc(m.Replies, func(r Reply) bool { return len(r.Remember) > 0 || r.Script != nil && r.Script.Writes() })
}

// Fixed reports whether the mapping gives the same answer to every call.
func (m *Mapping) Fixed() bool {
	return len(m.Replies) == 1 && m.Replies[0].Dynamic == nil && m.Replies[0].Spec.From == "" && m.Replies[0].Script == nil && len(m.Replies[0].Remember) == 0 && m.Replies[0].Callbacks == nil && m.Spec.Flow == nil
}

// ETag is the entity tag of a definition at this version.
func ETag(version int64) string { return `"` + strconv.FormatInt(version, 10) + `"` }

// Mapping returns the mapping with this id, in a view that of the highest layer; nil
// for none.
func (s *Service) Mapping(id string) *Mapping {
	for _, m := range s.OwnMappings() {
		if m.Spec.ID == id && !m.Chosen {
			return m
		}
	}
	return s.mappings.byID(id)
}

// Fits returns the enabled mappings whose path fits, the winner first. Facts may
// leave out some of many that cannot fit; others is their number.
func (s *Service) Fits(method string, segments []string, facts *match.Facts) (fits []match.Fit[*Mapping], others int) {
	if s.over != nil {
		return s.overlaid(method, segments, facts)
	}
	return s.mappings.rules.Find(method, segments, facts)
}

// SomeOnPath returns a few of the enabled mappings whose path fits, the nearest
// to what the call says first.
func (s *Service) SomeOnPath(method string, segments []string, facts *match.Facts, limit int) []match.Fit[*Mapping] {
	if s.over == nil {
		return s.mappings.rules.Some(method, segments, facts, limit)
	}
	fits := append(s.over.rules.Some(method, segments, facts, limit), s.mappings.rules.Some(method, segments, facts, limit)...)
	return fits[:min(len(fits), limit)]
}

// Narrows reports whether facts help to find the mappings of a call.
func (s *Service) Narrows() bool {
	return s.mappings.rules.Narrowed() || s.over != nil && s.over.rules.Narrowed()
}

// Operation returns the operation of the contract with this id, or nil.
func (s *Service) Operation(id string) *contract.Operation {
	if s.Contract == nil {
		return nil
	}
	for _, op := range s.Contract.Operations {
		if op.ID == id && op.Skipped == nil {
			return op
		}
	}
	return nil
}

func (s *Service) operationIDs() (ids []string) {
	if s.Contract == nil {
		return nil
	}
	for _, op := range s.Contract.Operations {
		ids = append(ids, op.ID)
	}
	return ids
}

// Collections is what the service remembers; nil for one without memory, or without a contract.
func (s *Service) Collections() *collection.Plan {
	if s.collections == nil {
		return nil
	}
	return s.collections()
}

// LooksIntoBodies reports whether the answer to a call can depend on its body.
func (s *Service) LooksIntoBodies() bool {
	return s.mappings.looking > 0 || s.Otherwise != nil && s.Otherwise.Dynamic != nil || s.over != nil && s.over.looksInto || len(s.pins) > 0 || s.Protocol().ByMessage()
}

// Protocol is how callers speak to the service.
func (s *Service) Protocol() contract.Protocol {
	if s.Contract == nil {
		return rest.None
	}
	return s.Contract.Protocol
}

// OperationAsked tells of recorded calls which operation they are for, "" for none; nil where the
// address tells that.
func (s *Service) OperationAsked() func(x recording.Exchange) string {
	if !s.Protocol().ByMessage() {
		return nil
	}
	return func(x recording.Exchange) string {
		r := x.Record(s.Spec.Name).Request
		asked := s.Protocol().Dispatch(&r, match.Split(nil, r.Path))
		if asked.Fault != nil {
			return ""
		}
		return asked.ID()
	}
}

// Keys are where the contract has callers give API keys.
func (s *Service) Keys() []call.Key {
	if s.Contract == nil {
		return nil
	}
	return s.Contract.Keys
}

// Pins are what is fixed in the answers of an operation.
func (s *Service) Pins(operation string) []contract.Pin { return s.pins[operation] }

// Candidates lists everything that a call to this service could have meant.
func (s *Service) Candidates() []match.Candidate {
	s.candidatesOnce.Do(func() {
		for _, m := range slices.Concat(s.OwnMappings(), s.Mappings) {
			if m.Spec.Enabled && m.Spec.Call.Path != "" && (s.over == nil || s.over.gone[m.Spec.ID] == "") {
				s.candidates = append(s.candidates, match.Candidate{Kind: "mapping", ID: m.Spec.ID, Methods: m.Rule.Methods, Template: m.Rule.Template})
			}
		}
		if s.Contract == nil {
			return
		}
		for _, op := range s.Contract.Operations {
			if op.Skipped == nil {
				s.candidates = append(s.candidates, match.Candidate{Kind: "operation", ID: op.ID, Methods: []string{op.Method}, Template: op.Template})
			}
		}
	})
	return s.candidates
}

// Deviations lists in what the answer of a mapping breaks the contract: for
// each operation on the mapping's path and method that promises another
// answer.
func (s *Service) Deviations(m *Mapping) (found []call.Deviation) {
	if s.Spec.Conformance == spec.ConformanceOff {
		return nil
	}
	for _, op := range s.operationsOf(m) {
		for _, reply := range m.Replies {
			found = append(found, s.replyDeviations(op, reply)...)
		}
	}
	return found[:min(len(found), call.MaxDeviations)]
}

// replyDeviations holds one answer against an operation. What expressions give
// shows on calls.
func (s *Service) replyDeviations(op *contract.Operation, reply Reply) []call.Deviation {
	switch {
	case reply.Dynamic != nil, reply.Script != nil, reply.Elsewhere():
		return nil
	case reply.Spec.Fault != nil: // which may always come
		return nil
	}
	sent := reply.Answer
	if envelope, ok := s.Protocol().(contract.Envelope); ok {
		sent = envelope.Dress(&contract.Asked{}, sent, &reply.Spec)
	}
	return s.Protocol().CheckAnswer(op, &sent, true, nil)
}

// operationsOf are the operations that a mapping answers instead of: the one it
// names, else those on its path and method.
func (s *Service) operationsOf(m *Mapping) (operations []*contract.Operation) {
	if name := m.Spec.Call.Operation; name != "" {
		if op := s.Operation(name); op != nil {
			operations = append(operations, op)
		}
		return operations
	}
	segments := match.Split(nil, m.Rule.Template.String())
	if len(m.Rule.Methods) == 0 {
		asked := s.Protocol().Dispatch(&call.Request{}, segments)
		return asked.Others
	}
	for _, method := range m.Rule.Methods {
		if asked := s.Protocol().Dispatch(&call.Request{Method: method}, segments); asked.Operation != nil && !slices.Contains(operations, asked.Operation) {
			operations = append(operations, asked.Operation)
		}
	}
	return operations
}

// Summary says that this mapping answered.
func (m *Mapping) Summary() call.Finding {
	return call.Find(call.ByMapping, m.Spec.ID, m.Origin, m.Asks())
}

// Alone explains a call that only this mapping fits. All such calls share it.
func (m *Mapping) Alone() *call.Explanation {
	if made := m.alone.Load(); made != nil {
		return made
	}
	m.alone.CompareAndSwap(nil, &call.Explanation{Summary: m.Summary(), Steps: []call.Step{m.Taken(), m.Built(0, "")}})
	return m.alone.Load()
}

// Subject is the mapping in steps.
func (m *Mapping) Subject() call.Subject {
	if m.Chosen {
		return call.Subject{Kind: call.KindExample, ID: m.Spec.ID, From: m.Origin}
	}
	return call.Subject{Kind: call.KindMapping, ID: m.Spec.ID, From: m.Origin}
}

// Taken is the step of choosing this mapping.
func (m *Mapping) Taken() call.Step {
	met := ""
	if count := m.Rule.Conditions.Count(); count > 0 {
		met = strconv.Itoa(count)
	}
	return call.Step{Stage: call.Choose, Of: m.Subject(), Verdict: call.Taken, Finding: call.Find(call.Fits, m.Asks(), met)}
}

// Skipped is the step of not choosing this mapping.
func (m *Mapping) Skipped(why call.Finding) call.Step {
	return call.Step{Stage: call.Choose, Of: m.Subject(), Verdict: call.Skipped, Finding: why}
}

// Asks says what the mapping wants of a call: "GET /berths/{number}", or
// "operation getBerth".
func (m *Mapping) Asks() string {
	if m.Spec.Call.Operation != "" {
		return "operation " + m.Spec.Call.Operation
	}
	return m.Rule.String()
}

// Built is the step of making one of its answers. which says why this one, ""
// where there is only one.
func (m *Mapping) Built(index int, which string) call.Step {
	reply := m.Replies[index]
	what := call.Find(call.FixedAnswer, reply.Answer.Status, len(reply.Answer.Body), which)
	switch {
	case reply.Script != nil:
		what = call.Find(call.ScriptAnswer, which)
	case reply.Dynamic != nil:
		what = call.Find(call.FilledAnswer, reply.Spec.Status, which)
	case reply.Spec.From == spec.FromUpstream:
		what = call.Find(call.UpstreamAnswer, which)
	case reply.Spec.Original() != "":
		what = call.Find(call.OriginalAnswer, fmt.Sprintf("mapping %q", reply.Spec.Original()), which)
	case reply.Elsewhere():
		what = call.Find(call.OriginalAnswer, "the contract", which)
	}
	return call.Step{Stage: call.Build, Of: call.Subject{Kind: call.KindAnswer}, Verdict: call.Taken, Finding: what}
}

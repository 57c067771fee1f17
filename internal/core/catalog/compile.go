package catalog

import (
	"strconv"
	"sync"
	"sync/atomic"

	"rapidmimic.example/internal/core/answer"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/collection"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/script"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// compileService builds the indexes over finished parts.
func compileService(stored StoredService, p parts) *Service {
	s := &Service{
		Spec: stored.Service, Version: stored.Version, Contract: p.contract, Mappings: p.mappings, Payloads: p.payloads, Recording: p.recording,
		pins: make(map[string][]contract.Pin, len(stored.Service.Pins)),
	}
	if own, at := stored.Service.OtherwiseAnswer(); own != nil {
		reply, _ := compileReply(*own, at, p.payloads) // checked when it was set
		s.Otherwise = &reply
	}
	for id, pins := range stored.Service.Pins {
		s.pins[id], _ = contract.CompilePins(pins) // checked when they were set
	}
	s.findCollections()
	s.mappings = s.indexMappings(p.mappings)
	return s
}

// findCollections has the collections of the service found when somebody asks for them.
func (s *Service) findCollections() {
	s.collections = nil
	if memory, of := s.Spec.Memory, s.Contract; memory.On && of != nil {
		s.collections = sync.OnceValue(func() *collection.Plan { return collection.Find(of.Operations, of.Protocol, memory) })
	}
}

// withMappings is the service with other mappings, told from its own by those that are
// gone and those that were added: a mapping that was replaced is both.
func (s *Service) withMappings(mappings, gone, added []*Mapping) *Service {
	index, ok := s.mappings.with(s, gone, added)
	if !ok {
		index = s.indexMappings(mappings)
	}
	next := s.alike()
	next.Mappings, next.mappings = mappings, index
	return next
}

// alike is a copy of the service as everybody has it.
func (s *Service) alike() *Service {
	return &Service{
		Spec: s.Spec, Version: s.Version, Contract: s.Contract, Mappings: s.Mappings, Payloads: s.Payloads, Recording: s.Recording, Otherwise: s.Otherwise,
		Upstream: s.Upstream, UpstreamHeaders: s.UpstreamHeaders, UpstreamFault: s.UpstreamFault,
		mappings: s.mappings, pins: s.pins, resolved: s.resolved, vars: s.vars, settled: s.settled,
		collections: s.collections,
	}
}

func compileMapping(stored StoredMapping, payloads answer.Payloads) (*Mapping, []problem.Item) {
	m := stored.Mapping
	path := m.Call.Path
	if path == "" {
		path = "/" // the operation tells where; see addOnOperation
	}
	var faults []problem.Item
	template, err := match.ParseTemplate(path)
	if err != nil {
		faults = append(faults, problem.Item{At: "/call/path", Detail: err.Error()})
	}
	conditions, wrong := conditionCompiler.Conditions(m.Call)
	faults = append(faults, wrong...)
	replies, wrong := compileReplies(m, payloads)
	faults = append(faults, wrong...)
	plan, fault := compileOwnImpairment(m)
	if fault != nil {
		faults = append(faults, *fault)
	}
	flowOf, wrong := compileFlow(m.Flow)
	faults = append(faults, wrong...)
	if len(faults) > 0 {
		return nil, faults
	}
	rule := &match.Rule{ID: m.ID, Rank: m.Rank, Methods: m.Call.Method, Template: template, Conditions: conditions}
	compiled := &Mapping{
		Spec: m, Version: stored.Version, Position: stored.Position,
		Rule: rule, Replies: replies, FlowOf: flowOf, Impair: plan, alone: new(atomic.Pointer[call.Explanation]),
	}
	compiled.Writes = compiled.writes()
	return compiled, nil
}

// CompileConditions compiles what a pattern asks beside method and path. The faults name
// their places.
func CompileConditions(p spec.Pattern) (*match.Conditions, []problem.Item) {
	return conditionCompiler.Conditions(p)
}

var conditionCompiler = match.Compiler{Schema: func(n *tree.Node) (match.Schema, error) { return contract.CompileSchema(n) }}

// compileReplies compiles the answers of a mapping.
func compileReplies(m spec.Mapping, payloads answer.Payloads) (replies []Reply, faults []problem.Item) {
	for i, a := range m.Answers() {
		reply, wrong := compileReply(a, m.AnswerPlace(i), payloads)
		faults = append(faults, wrong...)
		if len(m.Choose) > 0 && m.Choose[i].If != "" {
			program, err := expr.Compile(m.Choose[i].If)
			if err != nil {
				faults = append(faults, problem.Item{At: "/choose/" + strconv.Itoa(i) + "/if", Detail: err.Error()})
			}
			reply.If = program
		}
		replies = append(replies, reply)
	}
	return replies, faults
}

// compileScript compiles the script of an answer, which may be a payload.
func compileScript(a spec.Answer, at string, payloads answer.Payloads) (*script.Script, []problem.Item) {
	source, where := a.Script, ""
	if name := a.ScriptPayload(); name != "" {
		text, err := payloads.Text(name)
		if err != nil {
			return nil, []problem.Item{{At: at + "/script", Detail: err.Error()}}
		}
		source, where = text, name+": "
	}
	compiled, err := script.Compile(source)
	if err != nil {
		return nil, []problem.Item{{At: at + "/script", Detail: where + err.Error()}}
	}
	return compiled, nil
}

// compileFlow compiles what tells the things of a flow apart; nil for none.
func compileFlow(f *spec.Flow) (of *expr.Template, faults []problem.Item) {
	if f == nil || f.Of == "" {
		return nil, nil
	}
	of, faults = expr.CompileTemplate(tree.NewString(f.Of))
	for i := range faults {
		faults[i].At = "/flow/of"
	}
	return of, faults
}

func compileReply(a spec.Answer, at string, payloads answer.Payloads) (reply Reply, faults []problem.Item) {
	reply.Spec = a
	reply.Remember, faults = answer.CompileRemember(a, at)
	var more []problem.Item
	reply.Callbacks, more = answer.CompileCallbacks(a, at, payloads)
	faults = append(faults, more...)
	if a.Script != "" {
		reply.Script, more = compileScript(a, at, payloads)
		return reply, append(faults, more...)
	}
	if a.From == "" {
		reply.Answer, reply.Dynamic, more = answer.Compile(a, at, payloads)
		return reply, append(faults, more...)
	}
	reply.Send, more = answer.CompileEdit(a.Send, at+"/send")
	faults = append(faults, more...)
	reply.Edit, more = answer.CompileChange(a, at)
	return reply, append(faults, more...)
}

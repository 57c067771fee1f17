package catalog

import (
	"encoding/json"
	"slices"
	"strings"
	"time"

	"rapidmimic.example/spec"
)

// Kinds of definitions, and of what else an entry of the activity is about.
const (
	KindService    = "service"
	KindContract   = "contract"
	KindMapping    = "mapping"
	KindPayload    = "payload"
	KindRecording  = "recording"
	KindImpairment = "impairment"
	KindLine       = "line"
	KindScenario   = "scenario"
	KindLane       = "lane"
	KindVariables  = "variables"
	KindIgnored    = "ignored calls"
	KindSwitch     = "switch" // its id is "scenario" or "impairments"
)

// Key names a definition. A service is its own: then ID is "".
type Key struct {
	Kind      string `json:"kind"`
	ServiceID string `json:"serviceId,omitempty"`
	ID        string `json:"id,omitempty"`
}

// byID is the service with an id; nil for none.
func (s *Snapshot) byID(id string) *Service {
	if id == "" {
		return nil
	}
	for _, service := range s.services {
		if service.Spec.ID == id {
			return service
		}
	}
	return nil
}

// keys are those of all that a change may have touched.
func (c *Change) keys(before, after *Snapshot) (keys []Key) {
	seen := make(map[Key]bool)
	add := func(kind, serviceID, id string) {
		if key := (Key{kind, serviceID, id}); !seen[key] {
			seen[key] = true
			keys = append(keys, key)
		}
	}
	for _, s := range c.Services {
		add(KindService, s.Service.ID, "")
	}
	for _, id := range c.RemoveServices {
		add(KindService, id, "")
	}
	for _, stored := range slices.Concat(c.Contracts, c.WithdrawContracts) {
		add(KindContract, stored.ServiceID, "")
	}
	for _, p := range slices.Concat(c.Payloads, c.RemovePayloads) {
		add(KindPayload, p.ServiceID, p.Name)
	}
	for _, m := range c.Mappings {
		add(KindMapping, m.ServiceID, m.Mapping.ID)
	}
	for _, m := range c.RemoveMappings {
		add(KindMapping, m.ServiceID, m.ID)
	}
	for _, i := range slices.Concat(c.Impairments, c.RemoveImpairments) {
		add(KindImpairment, i.ServiceID, partOf(i))
	}
	for name := range c.Lines {
		add(KindLine, "", name)
	}
	for _, name := range c.RemoveLines {
		add(KindLine, "", name)
	}
	for _, s := range c.Scenarios {
		add(KindScenario, "", s.Scenario.Name)
	}
	for _, name := range c.RemoveScenarios {
		add(KindScenario, "", name)
	}
	for _, l := range c.Lanes {
		add(KindLane, "", l.Spec.Name)
	}
	for _, name := range c.RemoveLanes {
		add(KindLane, "", name)
	}
	if c.Variables != nil {
		add(KindVariables, "", "")
	}
	if c.Ignored != nil {
		add(KindIgnored, "", "")
	}
	if c.ImpairmentsOff != nil {
		add(KindSwitch, "", "impairments")
	}
	if c.Switched != nil {
		add(KindSwitch, "", "scenario")
	}
	return keys
}

// mappingVersions are those that a change gives to mappings, also where they go.
func (c *Change) mappingVersions() map[Key]int64 {
	versions := make(map[Key]int64, len(c.Mappings)+len(c.RemoveMappings))
	for _, m := range c.RemoveMappings {
		versions[Key{KindMapping, m.ServiceID, m.ID}] = m.Version
	}
	for _, m := range c.Mappings {
		if key := (Key{KindMapping, m.ServiceID, m.Mapping.ID}); m.Version > versions[key] {
			versions[key] = m.Version
		}
	}
	return versions
}

// positionOf is where a mapping stands among those of its service; 0 for what is none.
func (s *Snapshot) positionOf(key Key) int64 {
	if service := s.byID(key.ServiceID); service != nil && key.Kind == KindMapping {
		if m := service.mappings.byID(key.ID); m != nil {
			return m.Position
		}
	}
	return 0
}

// partOf names the part of a service that an impairment is for: "" for all of it.
func partOf(i StoredImpairment) string {
	switch {
	case i.Operation != "":
		return "operation " + i.Operation
	case i.Mapping != "":
		return "mapping " + i.Mapping
	default:
		return ""
	}
}

// targetOfPart is the inverse of partOf.
func targetOfPart(service, part string) spec.Target {
	t := spec.Target{Service: service}
	if operation, is := strings.CutPrefix(part, "operation "); is {
		t.Operation = operation
	}
	if mapping, is := strings.CutPrefix(part, "mapping "); is {
		t.Mapping = mapping
	}
	return t
}

// laneState is what of a lane is compared and brought back.
type laneState struct {
	spec.Lane
	Active *Activation `json:"active,omitempty"`
	Until  time.Time   `json:"until"`
}

// contractState tells one revision of a contract from another.
type contractState struct {
	Revision int    `json:"revision"`
	File     string `json:"file,omitempty"`
	Title    string `json:"title,omitempty"`
	Digest   string `json:"digest"`
}

// recordingState is what an entry tells of a recording.
type recordingState struct {
	Name    string    `json:"name"`
	Started time.Time `json:"started"`
	Stopped time.Time `json:"stopped,omitzero"`
}

func stateOfRecording(r spec.Recording) json.RawMessage {
	return marshalled(recordingState{r.Name, r.Started, r.Stopped})
}

// payloadState tells one content of a payload from another.
type payloadState struct {
	Bytes  int    `json:"bytes"`
	Digest string `json:"digest"`
}

// definition is a definition as a document; nil where it is not there.
func (s *Snapshot) definition(key Key) json.RawMessage {
	service := s.byID(key.ServiceID)
	switch key.Kind {
	case KindService:
		if service != nil {
			return marshalled(service.Spec)
		}
	case KindContract:
		if service != nil && service.Contract != nil {
			return marshalled(contractState{service.Contract.Revision, service.Contract.File, service.Contract.Title, service.Contract.digest})
		}
	case KindMapping:
		if service != nil {
			if m := service.mappings.byID(key.ID); m != nil {
				return marshalled(m.Spec)
			}
		}
	case KindPayload:
		if service != nil && service.Payloads[key.ID] != nil {
			content := service.Payloads[key.ID].Bytes
			return marshalled(payloadState{len(content), digest(content)})
		}
	case KindImpairment:
		t := targetOfPart("", key.ID)
		if i := s.Impairment(key.ServiceID, t.Operation, t.Mapping); i != nil {
			return marshalled(i.Impairment)
		}
	case KindLine:
		if line, there := s.Lines()[key.ID]; there {
			return marshalled(line)
		}
	case KindScenario:
		if scenario := s.scenarios[key.ID]; scenario != nil {
			return marshalled(scenario.Spec)
		}
	case KindLane:
		if lane := s.lanes[key.ID]; lane != nil {
			return marshalled(laneState{lane.StoredLane.Spec, lane.Active, lane.Until})
		}
	case KindVariables:
		return marshalled(s.variables.Variables)
	case KindIgnored:
		return marshalled(s.Ignored().Spec)
	case KindSwitch:
		if key.ID == "impairments" {
			return marshalled(s.impairments.off)
		}
		if s.active != nil {
			return marshalled(s.active)
		}
	}
	return nil
}

func marshalled(v any) json.RawMessage {
	text, err := json.Marshal(v)
	if err != nil {
		panic(err) // our own documents always marshal
	}
	return text
}

// tableOf are the variables that a definition has; those of a scenario or a lane alone.
func (s *Snapshot) tableOf(key Key) spec.VariableTable {
	switch key.Kind {
	case KindService:
		if service := s.byID(key.ServiceID); service != nil {
			return service.Spec.VariableTable
		}
	case KindScenario:
		if scenario := s.scenarios[key.ID]; scenario != nil {
			return spec.VariableTable{Variables: scenario.Spec.Variables}
		}
	case KindLane:
		if lane := s.lanes[key.ID]; lane != nil {
			return spec.VariableTable{Variables: lane.StoredLane.Spec.Variables}
		}
	case KindVariables:
		return s.variables.Variables.VariableTable
	}
	return spec.VariableTable{}
}

// secretsOf are the values of the secrets of a definition, by their places.
func (s *Snapshot) secretsOf(key Key) (values map[string]string) {
	s.tableOf(key).EachSecret(func(place, value string) string {
		if value != "" {
			if values == nil {
				values = make(map[string]string)
			}
			values[place] = value
		}
		return ""
	})
	return values
}

func sameSecrets(a, b map[string]string) bool {
	if len(a) != len(b) {
		return false
	}
	for place, value := range a {
		if b[place] != value {
			return false
		}
	}
	return true
}

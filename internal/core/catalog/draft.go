package catalog

import (
	"strconv"
	"time"

	"rapidmimic.example/internal/core/recording"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// DraftScenario is a scenario that would bring about what is on now, in a lane or
// with nil for calls in none: it builds on the one that is on, and has what was
// changed besides.
func (s *Snapshot) DraftScenario(name string, lane *Lane, now time.Time) (spec.Scenario, error) {
	draft := spec.Scenario{Name: name}
	if active := s.Active(lane, now); active != nil {
		draft.BuildsOn = active.Scenario
	}
	if lane != nil {
		draft.Changes = lane.Spec.Changes
	} else {
		s.draftShared(&draft.Changes)
	}
	if draft.BuildsOn == "" && len(draft.Lines()) == 0 {
		return draft, problem.New(problem.Invalid, "nothing to keep in a scenario: no impairment, no chosen example, no mapping switched off, no service that relays")
	}
	return draft, nil
}

// draftShared adds what is on for everybody.
func (s *Snapshot) draftShared(changes *spec.Changes) {
	for _, i := range s.Impairments() {
		kept := i.Impairment
		changes.SetImpairment(s.TargetOf(i.StoredImpairment), &kept)
	}
	for _, service := range s.services {
		own := changes.In(service.Spec.Name)
		if service.Spec.Relays() {
			own.Mode = spec.ModeRelay
		}
		own.Examples = service.Spec.Examples
		for _, m := range service.Mappings {
			if !m.Spec.Enabled {
				own.MappingsOff = append(own.MappingsOff, m.Spec.ID)
			}
		}
		changes.Put(service.Spec.Name, own)
	}
}

// DraftFromCalls is a scenario that answers calls as they were answered; they come
// by the name of their service.
func (s *Snapshot) DraftFromCalls(name string, calls map[string][]recording.Exchange) (spec.Scenario, []recording.Skipped) {
	draft := spec.Scenario{Name: name}
	var skipped []recording.Skipped
	for serviceName, exchanges := range calls {
		service := s.Named(serviceName)
		if service == nil {
			for _, x := range exchanges {
				skipped = append(skipped, recording.Skipped{Number: x.Number, Address: x.Method + " " + x.Path, Reason: "it was for no service that is here"})
			}
			continue
		}
		proposals, without := recording.Propose(exchanges, recording.Options{NoPreflights: service.Spec.CORS, Noise: service.Spec.IsNoise, Operation: service.OperationAsked()})
		skipped = append(skipped, without...)
		for _, p := range proposals {
			if len(p.Payloads) > 0 {
				for _, number := range p.Calls {
					skipped = append(skipped, recording.Skipped{Number: number, Address: p.Mapping.Call.String(), Reason: "its answer is too large for a scenario: keep it as a payload of the service"})
				}
				continue
			}
			if service.Mapping(p.Mapping.ID) != nil {
				p.Mapping.ID = freeID(service, p.Mapping.ID+"-"+strconv.Itoa(len(p.Calls)))
			}
			draft.PutMappings(serviceName, []spec.Mapping{p.Mapping})
		}
	}
	return draft, skipped
}

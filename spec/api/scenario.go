package api

import (
	"time"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// Scenario is a scenario with what is known about it now.
type Scenario struct {
	spec.Scenario
	ETag string `json:"etag"`
	// Lines say what it changes, one thing each, without what it builds on.
	Lines []string `json:"lines"`
	// Calls counts those that were answered under it since the start, by source.
	Calls map[string]int `json:"calls"`
	// On says where it is on.
	On []ActiveScenario `json:"on"`
	// Differences are the places in which it says something else than what it builds
	// on: it wins.
	Differences []ScenarioDifference `json:"differences,omitempty"`
	// Faults are what of it cannot be used with the services that are there now.
	Faults []problem.Item `json:"faults,omitempty"`
}

// ScenarioDifference is one thing that a scenario says otherwise than another that
// it builds on.
type ScenarioDifference struct {
	What string `json:"what"` // example of listBerths in moorings
	Here string `json:"here"`
	// Instead is what Of says of it.
	Instead string `json:"instead"`
	Of      string `json:"of"` // scenario "storm"
}

// ActiveScenario is a scenario that is on, or that none is.
type ActiveScenario struct {
	Scenario string `json:"scenario"` // "" for none
	// Lane is where; "" for the calls in no lane.
	Lane  string     `json:"lane,omitempty"`
	Since *time.Time `json:"since,omitempty"`
	// Until is when it ends by itself.
	Until *time.Time `json:"until,omitempty"`
	By    string     `json:"by,omitempty"`
	// Before is the scenario that was on before; in answers to a switch.
	Before string `json:"before,omitempty"`
	// Webhooks are those that the switch sends; in answers to it.
	Webhooks []ScenarioWebhook `json:"webhooks,omitempty"`
}

// ScenarioWebhook is a webhook that a scenario sends when it is switched on.
type ScenarioWebhook struct {
	Service string `json:"service"`
	Webhook string `json:"webhook"`
	// Why says why it is not sent; "" where it is.
	Why string `json:"why,omitempty"`
}

// UseScenario switches a scenario on.
type UseScenario struct {
	Scenario string `json:"scenario"`
	// For is how long; until it is switched off when left out.
	For spec.Duration `json:"for,omitzero"`
}

// ScenarioDraft asks for a scenario that would bring about what is on now, or what
// some calls were answered.
type ScenarioDraft struct {
	Name string `json:"name"`
	// Lane is the one whose state is meant; "" for that of calls in no lane.
	Lane string `json:"lane,omitempty"`
	// Calls are ids of calls in the log: with them the scenario answers those calls as
	// they were answered.
	Calls []string `json:"calls,omitempty"`
}

// ScenarioProposal is a scenario that is not kept yet.
type ScenarioProposal struct {
	Scenario spec.Scenario `json:"scenario"`
	Lines    []string      `json:"lines"`
	// Skipped are calls of which no mapping can be made.
	Skipped []SkippedCall `json:"skipped,omitempty"`
}

package api

import "time"

// Status is the state of the whole environment.
type Status struct {
	// Lane is the one that scenario, modes and impairments are about; "" for calls in
	// no lane.
	Lane string `json:"lane,omitempty"`
	// PublicHosts are hosts of the public internet that services list.
	PublicHosts []string `json:"publicHosts,omitempty"`
	// Scenario is the one that is on, and since when.
	Scenario ActiveScenario `json:"scenario"`
	// VariableSet is the set of variables in use, "" for none.
	VariableSet string `json:"variableSet,omitempty"`
	// Modes are those of the services as calls find them: answer, relay, recording, or
	// off.
	Modes map[string]string `json:"modes"`
	// Lanes are the names of those that are open.
	Lanes       []string       `json:"lanes"`
	Version     string         `json:"version"`
	StartedAt   time.Time      `json:"startedAt"`
	Control     string         `json:"control"` // base URL of console and API
	Traffic     string         `json:"traffic"` // base URL of the services
	Data        string         `json:"data"`    // the data folder
	Services    int            `json:"services"`
	Mappings    int            `json:"mappings"`
	LastMinute  map[string]int `json:"lastMinute"`
	CallsStored int64          `json:"callsStored"`
	// CallsNotKept counts calls that were answered but could not be logged
	// since the start.
	CallsNotKept int64 `json:"callsNotKept"`
	// CallsSlowed counts calls after which the caller waited since the start, until the log
	// had written enough of what waited.
	CallsSlowed int64 `json:"callsSlowed,omitempty"`
	// CallsNotChecked counts calls that were kept but came too fast to be held
	// against their contracts.
	CallsNotChecked int64 `json:"callsNotChecked"`
	// Faults are what keeps the environment from being whole: definitions that are
	// stored and cannot be used, a data folder that is gone.
	Faults []string `json:"faults,omitempty"`
	// CallsMissing says until when calls are missing in the log that could not be
	// kept, or that an end in the middle of the work took along; "" for none.
	CallsMissing string `json:"callsMissing,omitempty"`
	// Recording are the recordings that run, Relaying the services that relay.
	Recording []RunningRecording `json:"recording,omitempty"`
	Relaying  []string           `json:"relaying,omitempty"`
	// Impaired are the targets of the impairments that are on, none being an empty
	// list; ImpairmentsOff is set when all are switched off.
	Impaired       []string `json:"impaired"`
	ImpairmentsOff bool     `json:"impairmentsOff,omitempty"`
	// Quotas are what one token and one lane may have; nil where no token is needed.
	Quotas *Quotas `json:"quotas,omitempty"`
}

// RunningRecording is a recording that runs, with how many calls it has captured.
type RunningRecording struct {
	Service string `json:"service"`
	Name    string `json:"name"`
	Calls   int    `json:"calls"`
}

// Index is the API as links.
type Index struct {
	Name    string            `json:"name"`
	Version string            `json:"version"`
	Links   map[string]string `json:"links"` // by the name of what is there
}

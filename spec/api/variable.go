package api

import (
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// Variables are those of the environment.
type Variables struct {
	spec.Variables
	ETag string `json:"etag"`
	// Sets are the names of all sets, also of those that only services have.
	Sets []string `json:"sets"`
	// Resolved are the variables as they are now: with those of the set in use.
	Resolved []Variable `json:"resolved"`
}

// Variable is a variable as the calls of a service see it.
type Variable struct {
	Name string `json:"name"`
	// Value is left out of a secret.
	Value  *tree.Node `json:"value,omitempty"`
	Secret bool       `json:"secret,omitempty"`
	// Missing is set for a secret that has no value here.
	Missing bool `json:"missing,omitempty"`
	// Origin says who sets it: the environment, set "staging" of the environment, service
	// "moorings", scenario "storm", lane "night-run".
	Origin string `json:"origin"`
}

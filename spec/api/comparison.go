package api

// CallComparison holds two calls against each other, place by place.
type CallComparison struct {
	Call string `json:"call"`
	With string `json:"with"` // the other call, or now
	// Differing is how many of the places differ.
	Differing int         `json:"differing"`
	Places    []CallPlace `json:"places"`
	// More is set where places were left out: there were too many.
	More bool `json:"more,omitempty"`
	// Note says what of the other side is not known.
	Note string `json:"note,omitempty"`
}

// CallPlace is one place of two calls: method, path, query season, request header
// accept, request body $.vessel.name, status, answer body $.state.
type CallPlace struct {
	At string `json:"at"`
	// Here is what stands in the call, There what stands in the other; left out for nothing.
	Here    *string `json:"here,omitempty"`
	There   *string `json:"there,omitempty"`
	Differs bool    `json:"differs,omitempty"`
}

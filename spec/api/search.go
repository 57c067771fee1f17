package api

// SearchResult is what a search found, the nearest first.
type SearchResult struct {
	Items []Found `json:"items"`
	// More is set where there are more than were asked for.
	More bool `json:"more,omitempty"`
}

// Found is a definition: a service, mapping, operation, scenario or lane.
type Found struct {
	Kind string `json:"kind"`
	// Service is that of a mapping or an operation.
	Service string `json:"service,omitempty"`
	ID      string `json:"id"`
	// Says is what it is about: GET /berths/{number}, a title.
	Says string `json:"says,omitempty"`
}

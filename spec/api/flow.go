package api

// Flow is a state machine whose moves are mappings.
type Flow struct {
	Name string `json:"name"`
	// States are in the order in which they can be reached; start is the first.
	States []string   `json:"states"`
	Moves  []FlowMove `json:"moves"`
	// Things are those that a call has moved, at most 1,000 of them; Count is how many there are.
	Things []FlowThing `json:"things"`
	Count  int         `json:"count"`
}

// FlowMove is what a mapping does in a flow. Without From it answers in any state, without To it
// moves nothing.
type FlowMove struct {
	Mapping string   `json:"mapping"`
	From    []string `json:"from,omitempty"`
	To      string   `json:"to,omitempty"`
}

// FlowThing is one of the things of a flow, and its state. Of is "" where there is one.
type FlowThing struct {
	Of    string `json:"of,omitempty"`
	State string `json:"state"`
}

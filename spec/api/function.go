package api

// Function is one that expressions can call.
type Function struct {
	Name  string `json:"name"`
	Group string `json:"group"`
	// Call shows how it is written: list.sortBy(x, x.depth).
	Call    string `json:"call"`
	Says    string `json:"says"`
	Example string `json:"example"`
	// Gives is what the example gives, as JSON.
	Gives string `json:"gives"`
}

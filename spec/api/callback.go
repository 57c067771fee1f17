package api

// Callback is a call that a contract has its service make.
type Callback struct {
	Name   string `json:"name"`
	Method string `json:"method"`
	// Address says where it goes, in runtime expressions of OpenAPI; "" for a webhook.
	Address     string `json:"address,omitempty"`
	Summary     string `json:"summary,omitempty"`
	Description string `json:"description,omitempty"` // Markdown
	Deprecated  bool   `json:"deprecated,omitempty"`
	// Sends are its bodies, one for each media type.
	Sends []OperationBody `json:"sends"`
}

// CallbackResult is what became of the first attempt of a callback.
type CallbackResult struct {
	// Call is the id of the call in the log; "" where it is not made yet.
	Call string `json:"call,omitempty"`
	// Status is that of the answer; 0 where nobody answered, and Why says why.
	Status int     `json:"status,omitempty"`
	Why    string  `json:"why,omitempty"`
	TookMs float64 `json:"tookMs,omitempty"`
	// Waits is set where it is made later.
	Waits bool `json:"waits,omitempty"`
}

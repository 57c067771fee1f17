package api

import "time"

// Operation is one thing a contract lets a caller do.
type Operation struct {
	ID      string   `json:"id"`
	Method  string   `json:"method"`
	Path    string   `json:"path"`
	Summary string   `json:"summary,omitempty"`
	Tags    []string `json:"tags,omitempty"`
	// Group is what it stands under in lists, outermost first: its first tag and the parents of that, in
	// the words to be read.
	Group []string `json:"group,omitempty"`
	// Deprecated operations answer like all others.
	Deprecated bool `json:"deprecated,omitempty"`
	// Protocol is how callers speak: "http" or "soap".
	Protocol string `json:"protocol"`
	// ByMessage operations share their paths; messages tell them apart.
	ByMessage bool `json:"byMessage,omitempty"`
	// Status, MediaType and Body tell how it answers when nothing else does:
	// Body is "example", "generated" or "none".
	Status    int    `json:"status,omitempty"`
	MediaType string `json:"mediaType,omitempty"`
	Body      string `json:"body,omitempty"`
	// Example is the named example that answers; Examples are all there are.
	Example  string    `json:"example,omitempty"`
	Examples []Example `json:"examples,omitempty"`
	// Memory is the collection that the operation reads or changes; "" for none.
	Memory string `json:"memory,omitempty"`
	// Pins are the fields that are fixed, as JSON Pointers.
	Pins []string `json:"pins,omitempty"`
	// PinFaults say which of them lead nowhere, or break the contract.
	PinFaults []string `json:"pinFaults,omitempty"`
	// Sample is a body that it answers with; of one operation, not of a list of them.
	Sample string `json:"sample,omitempty"`
	// ExampleOrigin says which lane or scenario chose the example: scenario "storm".
	ExampleOrigin string `json:"exampleOrigin,omitempty"`
	// MappedBy names the enabled mappings on the same method and path, the one that
	// answers first; MappedOrigin says of which lane or scenario that is.
	MappedBy     []string `json:"mappedBy,omitempty"`
	MappedOrigin string   `json:"mappedOrigin,omitempty"`
	// Skipped says why the operation does not answer; "" when it does.
	Skipped string `json:"skipped,omitempty"`
	// Calls counts its calls since the start; nil when there was none.
	Calls *OperationCalls `json:"calls,omitempty"`
}

// OperationCalls counts the calls that were for an operation, whoever answered.
type OperationCalls struct {
	Total int64 `json:"total"`
	// Deviating calls broke the contract.
	Deviating int64     `json:"deviating"`
	Last      time.Time `json:"last"`
}

// Example is a named example of an operation, with the status it is sent with.
type Example struct {
	Name    string `json:"name"`
	Summary string `json:"summary,omitempty"`
	Status  int    `json:"status"`
	// Chosen is set when somebody chose it for the operation.
	Chosen bool `json:"chosen,omitempty"`
}

// OperationFact is something that is told of an operation: its name and what it is.
type OperationFact struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

// OperationDetail is an operation with everything that a caller wants to know.
type OperationDetail struct {
	Operation
	Description string          `json:"description,omitempty"` // Markdown
	Parameters  []OperationPart `json:"parameters"`
	// Security are the credentials that it demands, each an alternative.
	Security []string `json:"security,omitempty"`
	// Facts are what its protocol tells of it, such as its action.
	Facts []OperationFact `json:"facts,omitempty"`
	// Takes are the bodies that it takes, one for each media type.
	Takes        []OperationBody     `json:"takes"`
	BodyRequired bool                `json:"bodyRequired,omitempty"`
	Responses    []OperationResponse `json:"responses"`
	// Callbacks are calls that the service makes after an answer, where it makes any.
	Callbacks []Callback `json:"callbacks,omitempty"`
	// Try is a call that works as it stands.
	Try TestCall `json:"try"`
	// Curl sends it.
	Curl string `json:"curl"`
}

// OperationPart is a parameter, a header, or one place of a body.
type OperationPart struct {
	Name string `json:"name"`
	// In is path, query, header or cookie for a parameter.
	In          string   `json:"in,omitempty"`
	Type        string   `json:"type"`
	Required    bool     `json:"required,omitempty"`
	Deprecated  bool     `json:"deprecated,omitempty"`
	Rules       []string `json:"rules,omitempty"`
	Description string   `json:"description,omitempty"`
	Example     string   `json:"example,omitempty"`
}

// OperationBody is a body in one media type.
type OperationBody struct {
	MediaType string          `json:"mediaType"`
	Fields    []OperationPart `json:"fields,omitempty"`
	Sample    string          `json:"sample,omitempty"`
}

// OperationResponse is one response of an operation.
type OperationResponse struct {
	// Status is as the contract has it: 200, 4XX, default.
	Status      string          `json:"status"`
	Description string          `json:"description,omitempty"`
	Examples    []string        `json:"examples,omitempty"`
	Headers     []OperationPart `json:"headers,omitempty"`
	Links       []OperationLink `json:"links,omitempty"`
	Bodies      []OperationBody `json:"bodies,omitempty"`
}

// OperationLink says with which operation a caller can go on.
type OperationLink struct {
	Name        string `json:"name"`
	Operation   string `json:"operation"`
	Description string `json:"description,omitempty"`
}

// TestCall is a call to be sent to a service.
type TestCall struct {
	// Lane is the one that the call is in; "" for none.
	Lane   string `json:"lane,omitempty"`
	Method string `json:"method"`
	// Path is relative to the service and percent-encoded, with its query.
	Path    string      `json:"path"`
	Headers [][2]string `json:"headers,omitempty"`
	Body    string      `json:"body,omitempty"`
}

// TestCallResult is what came back.
type TestCallResult struct {
	// Call is the id of the call in the log; "" when the service does not
	// reveal it.
	Call   string  `json:"call,omitempty"`
	Status int     `json:"status"`
	Answer Message `json:"answer"`
	TookMs float64 `json:"tookMs"`
}

// ExplainResult is what a call would get, and why; nothing was sent.
type ExplainResult struct {
	Source      string      `json:"source"`
	By          string      `json:"by,omitempty"`
	Status      int         `json:"status"`
	Answer      Message     `json:"answer"`
	Explanation Explanation `json:"explanation"`
	// Asks is the address of the upstream that would be asked, for what is only known
	// then; "" where there is an answer.
	Asks string `json:"asks,omitempty"`
	// WaitMs is how long the answer would be held back, and Effect what would become
	// of the connection, by an impairment.
	WaitMs float64 `json:"waitMs,omitempty"`
	Effect string  `json:"effect,omitempty"`
}

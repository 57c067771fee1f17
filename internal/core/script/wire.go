package script

// Input is a call as a script sees it.
type Input struct {
	Method      string              `json:"method"`
	Address     string              `json:"address"`
	Caller      string              `json:"caller"`
	Certificate string              `json:"certificate"`
	Path        map[string]string   `json:"path"`
	Query       map[string]string   `json:"query"`
	Queries     map[string][]string `json:"queries"`
	Headers     map[string]string   `json:"headers"` // names in lower case
	Cookies     map[string]string   `json:"cookies"`
	Text        string              `json:"text"` // the body as it came
	// Body is the body as JSON; "" for none.
	Body string `json:"body"`
	// Vars are the variables as JSON.
	Vars string `json:"vars"`
	// Now is the time, in milliseconds since 1970; Seed and Number where chance begins.
	Now    int64  `json:"now"`
	Seed   int64  `json:"seed"`
	Key    string `json:"key"`
	Number uint64 `json:"number"`
}

// Output is what a script answered, or its Fault.
type Output struct {
	Status  int         `json:"status"`
	Headers [][2]string `json:"headers,omitempty"`
	Body    []byte      `json:"body,omitempty"`
	// MediaType is that of the body, unless a header says otherwise; "" without one.
	MediaType string `json:"mediaType,omitempty"`
	// Writes are what the service shall remember.
	Writes []Write `json:"writes,omitempty"`
	// Logs are what it told console.log.
	Logs  []string `json:"logs,omitempty"`
	Fault *Fault   `json:"fault,omitempty"`
}

// Write is a value to be remembered under a key: JSON, "" to forget it. With Flow it is the state
// of the thing that is called as the key.
type Write struct {
	Key    string `json:"key"`
	JSON   string `json:"json,omitempty"`
	Append bool   `json:"append,omitempty"`
	For    int64  `json:"for,omitempty"` // milliseconds; 0 for no end
	Flow   string `json:"flow,omitempty"`
}

// Ask is what a script asks of the service while it runs: what is remembered under a key, or the
// state of a thing in a flow.
type Ask struct {
	Key  string `json:"key"`
	Flow string `json:"flow,omitempty"`
}

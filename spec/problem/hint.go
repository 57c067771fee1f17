package problem

// HintCode names what can be done about a problem. Each edge says it in its own words:
// a flag in a terminal, a button on a page.
type HintCode string

// The hints in use.
const (
	ImportInto   HintCode = "import-into"   // the service is there: import into it, or give another name
	SetUpstream  HintCode = "set-upstream"  // give the service an upstream
	ConfirmHosts HintCode = "confirm-hosts" // list the hosts all the same
	AskUpstream  HintCode = "ask-upstream"  // let the service ask its upstream for what it does not answer
)

// Hint is what can be done about a problem, and for which service.
type Hint struct {
	Code    HintCode `json:"code"`
	Service string   `json:"service"`
}

// With adds a hint to an error.
func (e *Error) With(code HintCode, service string) *Error {
	e.Hint = &Hint{code, service}
	return e
}

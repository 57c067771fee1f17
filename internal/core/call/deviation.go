package call

// Deviation is one place in which a call breaks the contract of its service.
type Deviation struct {
	// Side is "request" or "answer".
	Side string `json:"side"`
	// Where is the place: "query season", "body /vessel/name", "status".
	Where string `json:"where"`
	// Detail says what is wrong there, with the value.
	Detail string `json:"detail"`
}

// Sides of a call.
const (
	OfRequest = "request"
	OfAnswer  = "answer"
)

// MaxDeviations bounds how many one call lists.
const MaxDeviations = 20

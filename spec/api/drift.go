package api

// ReplayRequest says how recorded requests are sent to a real service again.
type ReplayRequest struct {
	// Against is the base URL of the service.
	Against string `json:"against"`
	// Headers go to every request, instead of those that were recorded: credentials.
	Headers [][2]string `json:"headers,omitempty"`
	// Writes sends also requests that may change something there.
	Writes bool `json:"writes,omitempty"`
	// Pace keeps the pauses between calls: none, the default, recorded, or a factor such
	// as 2x.
	Pace string `json:"pace,omitempty"`
	Comparing
}

// Comparing says how answers are compared with recorded ones.
type Comparing struct {
	// Ignore lists what does not count: names of headers, and paths such as $.at, with
	// all that is below.
	Ignore []string `json:"ignore,omitempty"`
	// Values compares values, too; else only what bodies are made of.
	Values bool `json:"values,omitempty"`
}

// DriftReport says in what answers are not what was recorded.
type DriftReport struct {
	Recording Recording `json:"recording"`
	// Against is the address that was asked, or the name of the other recording.
	Against string      `json:"against"`
	Calls   []DriftCall `json:"calls"`
	// Compared counts the calls that were compared, Different those of them that differ,
	// Skipped those that were not sent.
	Compared  int `json:"compared"`
	Different int `json:"different"`
	Skipped   int `json:"skipped"`
	// OnlyRecorded and OnlyNow are calls that only one of two recordings has.
	OnlyRecorded []RecordedCall `json:"onlyRecorded,omitempty"`
	OnlyNow      []RecordedCall `json:"onlyNow,omitempty"`
	// Latency is that of the calls that were compared.
	Latency DriftLatency `json:"latency"`
}

// DriftLatency compares how long calls took, in milliseconds.
type DriftLatency struct {
	RecordedP50 float64 `json:"recordedP50"`
	RecordedP90 float64 `json:"recordedP90"`
	NowP50      float64 `json:"nowP50"`
	NowP90      float64 `json:"nowP90"`
}

// DriftCall is a recorded call beside that of now.
type DriftCall struct {
	ID          string            `json:"id"`
	Method      string            `json:"method"`
	Path        string            `json:"path"`
	Query       string            `json:"query,omitempty"`
	Differences []DriftDifference `json:"differences,omitempty"`
	// Deviations are the places in which the answer of now breaks the contract in force.
	Deviations []Deviation `json:"deviations,omitempty"`
	// RecordedMs and NowMs are how long the call took, in milliseconds.
	RecordedMs float64 `json:"recordedMs"`
	NowMs      float64 `json:"nowMs"`
	// Skipped says why it was not sent; "" when it was.
	Skipped string `json:"skipped,omitempty"`
	// Notes tell what was sent otherwise than it was recorded.
	Notes []string `json:"notes,omitempty"`
}

// DriftDifference is one place in which an answer is not what was recorded.
type DriftDifference struct {
	At       string `json:"at"` // "status", "header content-type", "body $.berths[*].free"
	Recorded string `json:"recorded,omitempty"`
	Now      string `json:"now,omitempty"`
}

// Take adds a call that was compared.
func (r *DriftReport) Take(call DriftCall) {
	r.Compared++
	if len(call.Differences)+len(call.Deviations) > 0 {
		r.Different++
	}
	r.Calls = append(r.Calls, call)
}

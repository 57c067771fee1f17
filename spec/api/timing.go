package api

// Timings tells how long the last calls to a service took.
type Timings struct {
	// TookMs are the times of the calls of the last five minutes, at most 2,000, the
	// newest first, in milliseconds.
	TookMs []float64 `json:"tookMs"`
	P50Ms  float64   `json:"p50Ms"`
	P90Ms  float64   `json:"p90Ms"`
	P99Ms  float64   `json:"p99Ms"`
	// Minutes count calls and errors (429, 5xx, or no answer), the oldest first.
	Minutes []TimingMinute `json:"minutes"`
}

// TimingMinute counts the calls of one minute.
type TimingMinute struct {
	Calls  int `json:"calls"`
	Errors int `json:"errors"`
}

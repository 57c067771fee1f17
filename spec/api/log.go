package api

// LogLevel is how much the service writes to its own log, until it stops.
type LogLevel struct {
	Level string `json:"level"` // debug, info, warn or error; "" where it cannot be changed
}

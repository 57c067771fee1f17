package api

import "rapidmimic.example/spec"

// Line is a named line.
type Line struct {
	Name string `json:"name"`
	spec.Line
	Text string `json:"text"`
	// ETag follows from what the line says.
	ETag string `json:"etag"`
}

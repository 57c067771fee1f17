package spec

import (
	"fmt"
	"strings"
	"time"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Line is how slow a line is.
type Line struct {
	BytesPerSecond int64 `json:"bytesPerSecond,omitempty"`
	// FirstByte is waited before the body begins, Pause after each Chunk bytes of it.
	FirstByte Duration `json:"firstByte,omitzero"`
	Pause     Duration `json:"pause,omitzero"`
	Chunk     int      `json:"chunk,omitempty"`
}

var lineKind = kind[Line]{
	noun: "line", key: "name", added: []string{"name", "text"}, always: true,
	read: func(n *tree.Node, _ string) (l Line, items []problem.Item) { return l, tree.Decode(n, &l, "line") },
}

// GivenLine reads one line document; its name stands in its address.
func GivenLine(text []byte, _ string) (Given[Line], error) { return lineKind.one(text, "") }

// Slow reports whether the line is slower than what carries it.
func (l Line) Slow() bool { return l != Line{} }

func (l Line) String() string {
	var parts []string
	if l.BytesPerSecond > 0 {
		parts = append(parts, fmt.Sprintf("%d bytes a second", l.BytesPerSecond))
	}
	if l.FirstByte > 0 {
		parts = append(parts, "first byte after "+l.FirstByte.String())
	}
	if l.Pause > 0 {
		parts = append(parts, fmt.Sprintf("a pause of %s every %d bytes", l.Pause, l.ChunkSize()))
	}
	return strings.Join(parts, ", ")
}

// ChunkSize is Chunk, or what it is when left out.
func (l Line) ChunkSize() int {
	if l.Chunk > 0 {
		return l.Chunk
	}
	return 1024
}

// Lines are the lines that every environment has until they are edited.
func Lines() map[string]Line {
	return map[string]Line{
		"harbour-radio": {BytesPerSecond: 1_200, FirstByte: Duration(900 * time.Millisecond)},
		"far-skerry":    {BytesPerSecond: 16_000, FirstByte: Duration(600 * time.Millisecond), Pause: Duration(400 * time.Millisecond), Chunk: 8_192},
		"crowded-quay":  {BytesPerSecond: 64_000, FirstByte: Duration(150 * time.Millisecond)},
		"sea-cable":     {FirstByte: Duration(280 * time.Millisecond)},
	}
}

func (l Line) faults(at string) (items []problem.Item) {
	if l.BytesPerSecond < 0 || l.Chunk < 0 || l.BytesPerSecond > 0 && l.BytesPerSecond < 10 {
		items = append(items, problem.Item{At: at, Detail: "bytesPerSecond is at least 10, chunk at least 1"})
	}
	if max(l.FirstByte, l.Pause) > Duration(time.Hour) {
		items = append(items, problem.Item{At: at, Detail: "firstByte and pause are at most 1h"})
	}
	return items
}

// CheckLine says what is wrong with a named line.
func CheckLine(name string, l Line) error {
	items := l.faults("")
	if !ValidName(name) {
		items = append(items, problem.Item{Detail: fmt.Sprintf("the name of a line is %s, not %q", NameRule, name)})
	}
	if !l.Slow() {
		items = append(items, problem.Item{Detail: "a line needs bytesPerSecond, firstByte or pause"})
	}
	return problem.FromItems("the line cannot be used", items)
}

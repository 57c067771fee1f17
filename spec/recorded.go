package spec

import (
	"encoding/json"
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"time"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Recorded is how an answer came over the connection. As long as the body is the one
// that was recorded, its very bytes are sent; once it is edited, coding, ETag and digests
// follow the new one.
type Recorded struct {
	// Sum is the beginning of the SHA-256 of the body that was recorded, decoded: 32
	// hexadecimal digits.
	Sum string `json:"sum"`
	// Coded is the payload with the body in the coding that the header Content-Encoding
	// names, for callers who accept it.
	Coded string `json:"coded,omitempty"`
	// Length is that of the body of which the answer to HEAD speaks, -1 where it says
	// nothing.
	Length *int64 `json:"length,omitempty"`
	// Untyped sends no Content-Type although there is a body.
	Untyped bool `json:"untyped,omitempty"`
	// Trailers come behind the body.
	Trailers []Header `json:"trailers,omitempty"`
	// Pieces are the parts in which the body came.
	Pieces []Piece `json:"pieces,omitempty"`
	// Pace plays the pauses between them: none, the default, recorded, or a factor such
	// as 2x for twice as fast.
	Pace string `json:"pace,omitempty"`
}

// Piece is one part of a body: so many bytes, how long after those before, the first
// after the request. It is written as "512 after 120ms".
type Piece struct {
	Bytes int
	After Duration
}

// DecodeTree reads what MarshalJSON writes.
func (p *Piece) DecodeTree(n *tree.Node) (err error) {
	bytes, after, ok := strings.Cut(n.Text, " after ")
	if p.Bytes, err = strconv.Atoi(bytes); err != nil || !ok || p.Bytes < 0 {
		return fmt.Errorf("must be a piece such as 512 after 120ms, not %q", n.Text)
	}
	p.After, err = ParseDuration(after)
	return err
}

// MarshalJSON writes it as a text.
func (p Piece) MarshalJSON() ([]byte, error) {
	return json.Marshal(strconv.Itoa(p.Bytes) + " after " + p.After.String())
}

// UnmarshalJSON reads what MarshalJSON writes.
func (p *Piece) UnmarshalJSON(text []byte) error { return decodeJSON(text, p) }

var factor = regexp.MustCompile(`^([0-9]{1,3}(\.[0-9]{1,2})?)x$`)

// Speed is how many times as fast as they were the pauses are played; 0 for not at all.
func (r *Recorded) Speed() float64 {
	if r.Pace == "recorded" {
		return 1
	}
	if found := factor.FindStringSubmatch(r.Pace); found != nil {
		speed, _ := strconv.ParseFloat(found[1], 64)
		return speed
	}
	return 0
}

// CheckPace says what is wrong with a pace.
func CheckPace(pace string) error {
	if pace == "" || pace == "none" || pace == "recorded" || factor.MatchString(pace) && (&Recorded{Pace: pace}).Speed() > 0 {
		return nil
	}
	return problem.New(problem.Invalid, "pace must be none, recorded, or a factor such as 2x, not %q", pace)
}

var sum = regexp.MustCompile(`^[0-9a-f]{32}$`)

// mostPieces and longestPause bound what is played of a recorded answer.
const (
	mostPieces   = 10_000
	longestPause = Duration(time.Hour)
)

func (r *Recorded) faults(at string) (items []problem.Item) {
	fault := func(inside, format string, args ...any) {
		items = append(items, problem.Item{At: at + inside, Detail: fmt.Sprintf(format, args...)})
	}
	if !sum.MatchString(r.Sum) {
		fault("/sum", "sum must be 32 hexadecimal digits, not %q", r.Sum)
	}
	if r.Coded != "" && !PayloadName(r.Coded) {
		fault("/coded", "coded must be the name of a payload: %s, not %q", PayloadRule, r.Coded)
	}
	if err := CheckPace(r.Pace); err != nil {
		fault("/pace", "%v", err)
	}
	if len(r.Pieces) > mostPieces {
		fault("/pieces", "an answer has at most %d pieces, not %d", mostPieces, len(r.Pieces))
	}
	for i, p := range r.Pieces {
		if p.After > longestPause {
			fault("/pieces/"+strconv.Itoa(i), "a pause is at most %s", longestPause)
		}
	}
	return append(items, headerFaults(r.Trailers, at+"/trailers/")...)
}

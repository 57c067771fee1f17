package spec

import (
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"rapidmimic.example/spec/tree"
)

// Duration is a length of time, written as 250ms, 1.5s or 2m.
type Duration time.Duration

func (d Duration) String() string {
	text := time.Duration(d).String()
	for _, unit := range []string{"m0s", "h0m"} { // 2m0s is 2m
		if strings.HasSuffix(text, unit) {
			text = text[:len(text)-2]
		}
	}
	return text
}

// ParseDuration reads what String writes.
func ParseDuration(text string) (Duration, error) {
	d, err := time.ParseDuration(strings.ReplaceAll(text, " ", ""))
	if err != nil || d < 0 {
		return 0, fmt.Errorf("must be a time such as 250ms, 1.5s or 2m, not %q", text)
	}
	return Duration(d), nil
}

// DecodeTree reads a text.
func (d *Duration) DecodeTree(n *tree.Node) (err error) {
	*d, err = ParseDuration(n.Text)
	return err
}

// MarshalJSON writes it as a text.
func (d Duration) MarshalJSON() ([]byte, error) { return json.Marshal(d.String()) }

// UnmarshalJSON reads what MarshalJSON writes.
func (d *Duration) UnmarshalJSON(text []byte) error { return decodeJSON(text, d) }

// decodeJSON reads JSON into what knows trees.
func decodeJSON(text []byte, v interface{ DecodeTree(*tree.Node) error }) error {
	n, err := tree.ParseJSON(text)
	if err != nil {
		return err
	}
	return v.DecodeTree(n)
}

// Latency is how long answers are held back: from Low to High, each as likely,
// where both are the same always as long; or, with P50, shaped by its median
// and its 99th percentile (log-normal).
type Latency struct {
	Low, High Duration
	P50, P99  Duration
	// Recorded stands for what was measured at the upstream while it was recorded; it is
	// written out as Measured when it is set.
	Recorded bool
	// Measured are, for each operation and under "" for all others, times in ascending
	// order with equal shares of calls between them: from the shortest to the longest.
	Measured map[string][]Duration
}

// Of is what was measured of an operation.
func (l *Latency) Of(operation string) []Duration {
	if times := l.Measured[operation]; times != nil {
		return times
	}
	return l.Measured[""]
}

// Draws reports whether chance has a part in it.
func (l *Latency) Draws() bool { return l.P50 > 0 || l.Low != l.High || l.Measured != nil }

func (l Latency) String() string {
	switch {
	case l.Recorded:
		return "recorded"
	case l.Measured != nil:
		all := l.Measured[""]
		return fmt.Sprintf("as recorded (p50 %s, p99 %s)", all[len(all)/2], all[len(all)*99/100])
	case l.P50 > 0:
		return fmt.Sprintf("p50 %s, p99 %s", l.P50, l.P99)
	case l.Low == l.High:
		return l.Low.String()
	default:
		return l.Low.String() + ".." + l.High.String()
	}
}

// ParseLatency reads 250ms, 100ms..400ms, p50=80ms,p99=900ms, or recorded.
func ParseLatency(text string) (l Latency, err error) {
	if text == "recorded" {
		l.Recorded = true
		return l, nil
	}
	if strings.HasPrefix(text, "p50=") {
		p50, p99, _ := strings.Cut(strings.TrimPrefix(text, "p50="), ",p99=")
		if l.P50, err = ParseDuration(p50); err == nil {
			l.P99, err = ParseDuration(p99)
		}
		return l, err
	}
	low, high, isRange := strings.Cut(text, "..")
	if l.Low, err = ParseDuration(low); err != nil {
		return l, err
	}
	if l.High = l.Low; isRange {
		l.High, err = ParseDuration(high)
	}
	return l, err
}

// DecodeTree reads 250ms, 100ms..400ms, recorded, or an object of p50 and p99, or of what
// was measured.
func (l *Latency) DecodeTree(n *tree.Node) (err error) {
	if n.Kind != tree.Map {
		*l, err = ParseLatency(n.Text)
		return err
	}
	var shape struct {
		P50      Duration              `json:"p50"`
		P99      Duration              `json:"p99"`
		Measured map[string][]Duration `json:"measured"`
	}
	if items := tree.Decode(n, &shape, "latency"); len(items) > 0 {
		return errors.New(items[0].Detail)
	}
	l.P50, l.P99, l.Measured = shape.P50, shape.P99, shape.Measured
	if l.Measured != nil {
		return l.measuredFault()
	}
	if l.P50 == 0 {
		return errors.New("needs p50 and p99, such as { p50: 80ms, p99: 900ms }")
	}
	return nil
}

// mostMeasured bounds the times of one operation.
const mostMeasured = 1_001

func (l *Latency) measuredFault() error {
	if l.P50+l.P99 > 0 {
		return errors.New("has p50 and p99, or measured, not both")
	}
	if len(l.Measured[""]) == 0 {
		return errors.New(`needs times for all operations that measured does not name, under ""`)
	}
	for operation, times := range l.Measured {
		if len(times) == 0 || len(times) > mostMeasured || !slices.IsSorted(times) || times[len(times)-1] > Duration(time.Hour) {
			return fmt.Errorf("needs for %q from 1 to %d times in ascending order, of at most 1h", operation, mostMeasured)
		}
	}
	return nil
}

// MarshalJSON writes what DecodeTree reads.
func (l Latency) MarshalJSON() ([]byte, error) {
	if l.Measured != nil {
		return json.Marshal(map[string]map[string][]Duration{"measured": l.Measured})
	}
	if l.P50 > 0 {
		return json.Marshal(map[string]Duration{"p50": l.P50, "p99": l.P99})
	}
	return json.Marshal(l.String())
}

// UnmarshalJSON reads what MarshalJSON writes.
func (l *Latency) UnmarshalJSON(text []byte) error { return decodeJSON(text, l) }

// Rate is a share of calls in percent.
type Rate float64

func (r Rate) String() string { return strconv.FormatFloat(float64(r), 'f', -1, 64) + "%" }

// ParseRate reads 30%.
func ParseRate(text string) (Rate, error) {
	percent, err := strconv.ParseFloat(strings.TrimSpace(strings.TrimSuffix(text, "%")), 64)
	if err != nil || percent < 0 || percent > 100 || !strings.HasSuffix(text, "%") {
		return 0, fmt.Errorf("must be a share from 0%% to 100%%, not %q", text)
	}
	return Rate(percent), nil
}

// DecodeTree reads a text.
func (r *Rate) DecodeTree(n *tree.Node) (err error) {
	*r, err = ParseRate(n.Text)
	return err
}

// MarshalJSON writes it as a text.
func (r Rate) MarshalJSON() ([]byte, error) { return json.Marshal(r.String()) }

// UnmarshalJSON reads what MarshalJSON writes.
func (r *Rate) UnmarshalJSON(text []byte) error { return decodeJSON(text, r) }

// Weights are statuses, each with how often it is taken beside the others.
type Weights map[int]int

// DecodeTree reads a status, a list of them, or an object of weights.
func (w *Weights) DecodeTree(n *tree.Node) error {
	*w = make(Weights)
	put := func(status string, weight int) error {
		code, err := strconv.Atoi(status)
		if err != nil || code < 300 || code > 999 {
			return fmt.Errorf("must be statuses from 300 to 999, not %q", status)
		}
		(*w)[code] += weight
		return nil
	}
	switch n.Kind {
	case tree.List:
		for _, item := range n.Items {
			if err := put(item.Text, 1); err != nil {
				return err
			}
		}
	case tree.Map:
		for _, m := range n.Members {
			weight, whole := m.Value.Int()
			if !whole || weight < 1 || weight > 1000 {
				return errors.New("must give each status a weight from 1 to 1000, such as { 503: 3, 429: 1 }")
			}
			if err := put(m.Key, weight); err != nil {
				return err
			}
		}
	default:
		return put(n.Text, 1)
	}
	return nil
}

// Statuses lists the statuses in their order.
func (w Weights) Statuses() []int { return slices.Sorted(maps.Keys(w)) }

// MarshalJSON writes a list where all weigh the same, else an object.
func (w Weights) MarshalJSON() ([]byte, error) {
	for _, weight := range w {
		if weight != 1 {
			return json.Marshal(map[int]int(w))
		}
	}
	return json.Marshal(w.Statuses())
}

// UnmarshalJSON reads what MarshalJSON writes.
func (w *Weights) UnmarshalJSON(text []byte) error { return decodeJSON(text, w) }

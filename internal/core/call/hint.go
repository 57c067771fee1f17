package call

import (
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/dunglas/httpsfv"
)

// Hints are what a caller asks for in one request. The zero value asks for
// nothing.
type Hints struct {
	// Example names an example of the contract, Status a status; both go past
	// the mappings to the contract.
	Example string
	Status  int
	// Lane is the lane that the call belongs to, LaneInHeader whether the header said
	// so; Scenario is the scenario to answer under.
	Lane         string
	LaneInHeader bool
	Scenario     string
	// Delay holds the answer back for so long, instead of any latency that is set.
	Delay time.Duration
	// Generate asks for data drawn from the schema although there are examples.
	// Callers cannot ask for it; mappings can.
	Generate bool
	// By says who asks, where it is not the caller: a mapping, a scenario.
	By string
}

// Asker says who asks, in words.
func (h Hints) Asker() string {
	if h.By == "" {
		return "the hint"
	}
	return h.By
}

// Given reports whether the caller asked for an answer of the contract.
func (h Hints) Given() bool { return h.Example != "" || h.Status != 0 || h.Generate }

// longestHint bounds how long a caller may have its answer held back.
const longestHint = 10 * time.Minute

const (
	hintHeader    = "Rapid-Mimic"
	baggagePrefix = "rapid-mimic."
)

var hintKeys = []string{"delay", "example", "lane", "scenario", "status"}

// ReadHints reads the hints of a request: the Rapid-Mimic header, a dictionary
// of RFC 9651 such as `example="full-berth", status=404`, and the members of W3C
// baggage with the prefix "rapid-mimic.", which cross programs that pass
// baggage on. The header wins. The error says what was expected.
func ReadHints(h Header) (Hints, error) {
	var hints Hints
	for _, member := range strings.Split(strings.Join(h["Baggage"], ","), ",") {
		member, _, _ = strings.Cut(member, ";") // without its properties
		name, value, _ := strings.Cut(strings.TrimSpace(member), "=")
		key, ours := strings.CutPrefix(strings.TrimSpace(name), baggagePrefix)
		if !ours {
			continue
		}
		text, err := url.PathUnescape(strings.TrimSpace(value))
		if err != nil {
			return hints, fmt.Errorf("baggage member %s is not percent-encoded", name)
		}
		if err := hints.set(key, text); err != nil {
			return hints, err
		}
	}
	if len(h[hintHeader]) == 0 {
		return hints, nil
	}
	dictionary, err := httpsfv.UnmarshalDictionary(h[hintHeader])
	if err != nil {
		return hints, fmt.Errorf("the %s header is not a dictionary such as `lane=night-run, example=\"free\"` (text in quotes)", hintHeader)
	}
	for _, key := range dictionary.Names() {
		member, _ := dictionary.Get(key)
		item, ok := member.(httpsfv.Item)
		if !ok {
			return hints, fmt.Errorf("hint %s must have one value", key)
		}
		if err := hints.set(key, fmt.Sprint(item.Value)); err != nil {
			return hints, err
		}
		hints.LaneInHeader = hints.LaneInHeader || key == "lane"
	}
	return hints, nil
}

// WithHint is a header that asks for one thing more.
func (h Header) WithHint(key, value string) (Header, error) {
	dictionary := httpsfv.NewDictionary()
	dictionary.Add(key, httpsfv.NewItem(value))
	text, err := httpsfv.Marshal(dictionary)
	if err != nil {
		return nil, fmt.Errorf("hint %s cannot be %q", key, value)
	}
	with := make(Header, len(h)+1)
	maps.Copy(with, h)
	with[hintHeader] = append(slices.Clone(h[hintHeader]), text) // the last one counts
	return with, nil
}

func (h *Hints) set(key, value string) error {
	switch key {
	case "example":
		h.Example = value
	case "status":
		if _, err := fmt.Sscanf(value, "%d", &h.Status); err != nil || h.Status < 200 || h.Status > 999 {
			return fmt.Errorf("hint status must be a number from 200 to 999, not %q", value)
		}
	case "lane", "scenario":
		if value == "" { // of a variable that is not set, most likely
			return fmt.Errorf("hint %s must be a name", key)
		}
		if key == "lane" {
			h.Lane = value
		} else {
			h.Scenario = value
		}
	case "delay":
		delay, err := time.ParseDuration(value)
		if err != nil || delay < 0 || delay > longestHint {
			return fmt.Errorf("hint delay must be a time in quotes such as \"200ms\", at most %s, not %q", longestHint, value)
		}
		h.Delay = delay
	default:
		return fmt.Errorf("%q is not a hint (%s)", key, strings.Join(hintKeys, ", "))
	}
	return nil
}

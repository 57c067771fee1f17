package script

import (
	"encoding/binary"
	"encoding/json"
	"errors"
	"slices"
)

// Input is a call as a script sees it.
type Input struct {
	Method, Address, Caller, Certificate string
	Path, Query                          map[string]string
	Queries                              map[string][]string
	Headers                              map[string]string // names in lower case
	Cookies                              map[string]string
	Text                                 string // the body as it came
	// Body is the body as JSON; "" for none. Vars are the variables, likewise.
	Body, Vars string
	// Now is the time, in milliseconds since 1970; Seed, Key and Number where chance begins.
	Now, Seed int64
	Key       string
	Number    uint64
}

// Output is what a script answered, or its Fault.
type Output struct {
	Status  int
	Headers [][2]string
	Body    []byte
	// MediaType is that of the body, unless a header says otherwise; "" without one.
	MediaType string
	Rest
}

// Rest is what few scripts give.
type Rest struct {
	// Writes are what the service shall remember.
	Writes []Write `json:"writes,omitempty"`
	// Logs are what it told console.log.
	Logs  []string `json:"logs,omitempty"`
	Fault *Fault   `json:"fault,omitempty"`
}

// Write is a value to be remembered under a key: JSON, "" to forget it. With Flow it is the state
// of the thing that is called as the key.
type Write struct {
	Key    string `json:"key"`
	JSON   string `json:"json,omitempty"`
	Append bool   `json:"append,omitempty"`
	For    int64  `json:"for,omitempty"` // milliseconds; 0 for no end
	Flow   string `json:"flow,omitempty"`
}

// Ask is what a script asks of the service while it runs: what is remembered under a key, or the
// state of a thing in a flow.
type Ask struct {
	Key  string `json:"key"`
	Flow string `json:"flow,omitempty"`
}

// Append appends the input as DecodeInput reads it.
func (in *Input) Append(b []byte) []byte {
	for _, text := range []string{in.Method, in.Address, in.Caller, in.Certificate, in.Text, in.Body, in.Vars, in.Key} {
		b = appendText(b, text)
	}
	for _, texts := range []map[string]string{in.Path, in.Query, in.Headers, in.Cookies} {
		b = binary.AppendUvarint(b, uint64(len(texts)))
		for name, text := range texts {
			b = appendText(appendText(b, name), text)
		}
	}
	b = binary.AppendUvarint(b, uint64(len(in.Queries)))
	for name, list := range in.Queries {
		b = binary.AppendUvarint(appendText(b, name), uint64(len(list)))
		for _, text := range list {
			b = appendText(b, text)
		}
	}
	b = binary.AppendVarint(binary.AppendVarint(b, in.Now), in.Seed)
	return binary.AppendUvarint(b, in.Number)
}

func appendText(b []byte, text string) []byte {
	return append(binary.AppendUvarint(b, uint64(len(text))), text...)
}

// reader reads what was appended. It takes over nothing of its text.
type reader struct {
	left []byte
	err  error
}

var errCutOff = errors.New("a message is cut off")

func (r *reader) number() uint64 {
	n, size := binary.Uvarint(r.left)
	if size <= 0 {
		r.err, r.left = errCutOff, nil
		return 0
	}
	r.left = r.left[size:]
	return n
}

func (r *reader) signed() int64 {
	n, size := binary.Varint(r.left)
	if size <= 0 {
		r.err, r.left = errCutOff, nil
		return 0
	}
	r.left = r.left[size:]
	return n
}

func (r *reader) bytes() []byte {
	n := r.number()
	if n > uint64(len(r.left)) {
		r.err, r.left = errCutOff, nil
		return nil
	}
	part := r.left[:n]
	r.left = r.left[n:]
	return part
}

func (r *reader) text() string { return string(r.bytes()) }

func (r *reader) texts() map[string]string {
	count := r.number()
	if count == 0 {
		return nil
	}
	texts := make(map[string]string)
	for ; count > 0 && r.err == nil; count-- {
		name := r.text()
		texts[name] = r.text()
	}
	return texts
}

// DecodeInput reads what Append wrote.
func DecodeInput(b []byte) (*Input, error) {
	r, in := reader{left: b}, &Input{}
	for _, text := range []*string{&in.Method, &in.Address, &in.Caller, &in.Certificate, &in.Text, &in.Body, &in.Vars, &in.Key} {
		*text = r.text()
	}
	in.Path, in.Query, in.Headers, in.Cookies = r.texts(), r.texts(), r.texts(), r.texts()
	for count := r.number(); count > 0 && r.err == nil; count-- {
		if in.Queries == nil {
			in.Queries = make(map[string][]string)
		}
		name := r.text()
		in.Queries[name] = nil
		for values := r.number(); values > 0 && r.err == nil; values-- {
			in.Queries[name] = append(in.Queries[name], r.text())
		}
	}
	in.Now, in.Seed, in.Number = r.signed(), r.signed(), r.number()
	return in, r.err
}

// Append appends the output as DecodeOutput reads it.
func (out *Output) Append(b []byte) []byte {
	b = binary.AppendUvarint(b, uint64(out.Status))
	b = binary.AppendUvarint(appendText(b, out.MediaType), uint64(len(out.Headers)))
	for _, h := range out.Headers {
		b = appendText(appendText(b, h[0]), h[1])
	}
	b = append(binary.AppendUvarint(b, uint64(len(out.Body))), out.Body...)
	if out.Fault == nil && len(out.Writes)+len(out.Logs) == 0 {
		return b
	}
	rest, err := json.Marshal(out.Rest)
	if err != nil {
		panic(err) // texts and numbers always marshal
	}
	return append(b, rest...)
}

// DecodeOutput reads what Append wrote.
func DecodeOutput(b []byte) (out Output, err error) {
	r := reader{left: b}
	out.Status, out.MediaType = int(r.number()), r.text()
	for count := r.number(); count > 0 && r.err == nil; count-- {
		out.Headers = append(out.Headers, [2]string{r.text(), r.text()})
	}
	if out.Body = slices.Clone(r.bytes()); r.err == nil && len(r.left) > 0 {
		r.err = json.Unmarshal(r.left, &out.Rest)
	}
	return out, r.err
}

package script_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/script"
)

// What passes to a worker and back comes as it was sent; of a part of it an error comes.
func TestWire(t *testing.T) {
	in := input()
	in.Caller, in.Certificate, in.Now, in.Seed, in.Number = "10.0.0.1", "ida", -5, -7, 1<<63
	in.Queries["none"] = nil
	whole := in.Append(nil)
	got, err := script.DecodeInput(whole)
	require.NoError(t, err)
	assert.Equal(t, in, got)
	empty, err := script.DecodeInput((&script.Input{}).Append(nil))
	require.NoError(t, err)
	assert.Equal(t, &script.Input{}, empty)
	for i := range whole {
		_, err := script.DecodeInput(whole[:i])
		require.Error(t, err, "%d of %d bytes", i, len(whole))
	}
	for _, out := range []script.Output{
		{Status: 201, MediaType: "text/plain", Headers: [][2]string{{"A", "b"}, {"A", ""}}, Body: []byte("x\x00y")},
		{Status: 200, Body: []byte{}, Rest: script.Rest{Logs: []string{"a"}, Writes: []script.Write{{Key: "k", JSON: "1", Append: true, For: 7}, {Flow: "f", Key: "t", JSON: `"s"`}}}},
		{Body: []byte{}, Rest: script.Rest{Fault: &script.Fault{Message: "fog", Line: 3, Col: 4}}},
	} {
		whole := out.Append([]byte{})
		got, err := script.DecodeOutput(whole)
		require.NoError(t, err)
		if len(got.Body) == 0 {
			got.Body = []byte{}
		}
		assert.Equal(t, out, got)
		_, err = script.DecodeOutput(whole[:3])
		assert.Error(t, err)
	}
}

func FuzzWire(f *testing.F) {
	f.Add(input().Append(nil))
	f.Fuzz(func(t *testing.T, b []byte) {
		if in, err := script.DecodeInput(b); err == nil {
			again, err := script.DecodeInput(in.Append(nil))
			require.NoError(t, err)
			require.Equal(t, in, again)
		}
		_, _ = script.DecodeOutput(b)
	})
}

package store

import (
	"bytes"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTextsArePacked(t *testing.T) {
	noise := make([]byte, 10_000)
	chance := rand.New(rand.NewPCG(1, 1))
	for i := range noise {
		noise[i] = byte(chance.Uint32())
	}
	for name, c := range map[string]struct {
		text   []byte
		packed bool
	}{
		"nothing": {[]byte{}, false}, "little": {[]byte("openapi: 3.1.0"), false}, "much of the same": {bytes.Repeat([]byte("berth: N7\n"), 100_000), true},
		"what cannot be": {noise, false}, "an archive": {append([]byte("PK\x03\x04"), noise...), false},
	} {
		kept, err := packedText(c.text).Value()
		require.NoError(t, err, name)
		assert.Equal(t, c.packed, len(kept.([]byte)) < len(c.text), name)
		var back packedText
		require.NoError(t, back.Scan(kept), name)
		assert.Equal(t, string(c.text), string(back), name)
	}
	kept, err := packedText(bytes.Repeat([]byte("berth"), 10_000)).Value()
	require.NoError(t, err)
	whole := kept.([]byte)
	var back packedText
	require.NoError(t, back.Scan(nil))
	assert.Empty(t, back)
	assert.Error(t, back.Scan("text"))
	for name, damaged := range map[string][]byte{
		"cut":               whole[:len(whole)-9],
		"shorter than said": append(bytes.Clone(whole[:len(whole)-4]), 0, 0, 1, 0),
		"longer than said":  append(bytes.Clone(whole[:len(whole)-4]), 9, 0, 0, 0),
		"far too long":      append(bytes.Clone(whole[:len(whole)-4]), 0, 0, 0, 0xff),
		"no head":           whole[:5],
	} {
		assert.ErrorContains(t, back.Scan(damaged), "damaged", name)
	}
}

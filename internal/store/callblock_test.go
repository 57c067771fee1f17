package store

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// drawEntry is an entry of anything that an entry can be; every other one has much in
// common with the one before.
func drawEntry(chance *rand.Rand, before callEntry) callEntry {
	e := before
	for _, text := range e.texts() {
		if chance.IntN(2) == 0 {
			*text = string(make([]byte, chance.IntN(300)))
		}
	}
	for _, n := range e.numbers() {
		switch chance.IntN(4) {
		case 0:
			*n = chance.Int64() - math.MaxInt64/2
		case 1:
			*n++
		}
	}
	return e
}

func TestBlocksGiveBackWhatWasPutIn(t *testing.T) {
	chance := rand.New(rand.NewPCG(7, 7))
	for round := range 50 {
		data, entries, before := []byte{blockVersion}, []callEntry(nil), callEntry{}
		for range chance.IntN(blockCalls) {
			e := drawEntry(chance, before)
			data = appendEntry(data, &e, &before)
			entries, before = append(entries, e), e
		}
		block, err := readBlock(string(data))
		require.NoError(t, err)
		var read []callEntry
		require.NoError(t, block.each(func(e callEntry) bool {
			read = append(read, e)
			return true
		}))
		require.Equal(t, entries, read, "round %d", round)
	}
	old := callEntry{number: 7, at: 9, status: 200}
	data := appendEntry(nil, &old, &callEntry{})
	for version, body := range map[string][]byte{"\x01": data[3 : len(data)-2], "\x02": data[2 : len(data)-2], "\x03": data[2 : len(data)-1], "\x04": data[1 : len(data)-1], "\x05": data[1:]} { // without the texts and the numbers that later ones added
		first, err := readBlock(version + string(body))
		require.NoError(t, err)
		require.NoError(t, first.next())
		assert.Equal(t, old, first.callEntry)
		assert.Empty(t, first.rest)
	}
	_, err := readBlock("\x09 of a later version")
	assert.ErrorIs(t, err, errBlock)
}

// A block that was damaged is an error, and nothing worse.
func FuzzReadBlock(f *testing.F) {
	e := callEntry{number: 7, at: time.Unix(1, 0).UnixMicro(), service: "moorings", path: "/berths/N7", status: 200}
	f.Add(string(appendEntry([]byte{blockVersion}, &e, &callEntry{})))
	f.Add("\x01\xff\xff\xff\xff\xff\xff\xff\xff\xff\xff\x01")
	f.Add("\x01\x05ab")
	f.Fuzz(func(t *testing.T, data string) {
		block, err := readBlock(data)
		if err != nil {
			return
		}
		before, again := callEntry{}, []byte{blockVersion}
		if block.each(func(e callEntry) bool {
			again = appendEntry(again, &e, &before)
			before = e
			return true
		}) != nil {
			return
		}
		back, err := readBlock(string(again))
		require.NoError(t, err)
		last := callEntry{}
		require.NoError(t, back.each(func(e callEntry) bool { last = e; return true }))
		assert.Equal(t, before, last)
	})
}

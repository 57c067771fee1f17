package rescue_test

import (
	"bytes"
	"log/slog"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/rescue"
)

func TestDo(t *testing.T) {
	var log bytes.Buffer
	logger := slog.New(slog.NewTextHandler(&log, nil))
	before, done := rescue.Faults(), false
	require.NoError(t, rescue.Do(logger, "count berths", func() { done = true }))
	assert.True(t, done)
	assert.Empty(t, log.String())
	err := rescue.Do(logger, "count berths", func() { panic("the tide is out") })
	assert.EqualError(t, err, "count berths: the tide is out")
	assert.Equal(t, before+1, rescue.Faults())
	assert.Contains(t, log.String(), "TestDo", "the stack tells where")
}

package control

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestAttendance(t *testing.T) {
	var a attendance
	now := time.Now()
	assert.False(t, a.left("r-1", now), "after a restart nobody is late yet")
	assert.False(t, a.left("r-1", now.Add(unattendedFor)))
	assert.True(t, a.left("r-1", now.Add(unattendedFor+1)))
	a.saw("r-1", now.Add(time.Minute))
	assert.False(t, a.left("r-1", now.Add(time.Minute+unattendedFor)))
	assert.True(t, a.left("r-1", now.Add(time.Minute+unattendedFor+1)))
	a.forget("r-1")
	assert.False(t, a.left("r-1", now.Add(time.Hour)))
}

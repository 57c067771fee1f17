package control

import (
	"context"
	"fmt"
	"sync"
	"time"

	"rapidmimic.example/spec"
)

// unattendedFor is how long a recording that is attended goes on after it was last heard
// of: the command that started it says that it is there more often than each second.
const unattendedFor = 8 * time.Second

// attendance knows when running recordings were last attended to.
type attendance struct {
	mu   sync.Mutex
	seen map[string]time.Time // by the id of the recording; guarded by mu
}

func (a *attendance) saw(id string, at time.Time) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.seen == nil {
		a.seen = make(map[string]time.Time)
	}
	a.seen[id] = at
}

// left reports whether a recording has not been attended to for too long. One that was
// not known, after a restart, is given the whole time.
func (a *attendance) left(id string, now time.Time) bool {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.seen == nil {
		a.seen = make(map[string]time.Time)
	}
	if _, known := a.seen[id]; !known {
		a.seen[id] = now
	}
	return now.Sub(a.seen[id]) > unattendedFor
}

func (a *attendance) forget(id string) {
	a.mu.Lock()
	defer a.mu.Unlock()
	delete(a.seen, id)
}

// EndUnattended ends the recordings whose recorder is gone, as if they had been stopped.
// It is called again and again, from one goroutine.
func (s *Server) EndUnattended(ctx context.Context, now time.Time) error {
	for _, service := range s.server.Catalog.Snapshot().Services() {
		if service.Recording == nil || !service.Recording.Spec.Attended || !s.server.attended.left(service.Recording.Spec.ID, now) {
			continue
		}
		r := service.Recording.Spec
		s.server.attended.forget(r.ID)
		report, err := s.server.endRecording(ctx, service.Spec.Name, r.ID, spec.RecordingEnd{}, spec.RecorderGone)
		if err != nil {
			return fmt.Errorf("end recording %q of %s, whose recorder is gone: %w", r.Name, service.Spec.Name, err)
		}
		s.server.Logger.Warn("recording ended: its recorder was gone", "service", service.Spec.Name, "recording", r.Name, "calls", report.Recording.Calls, "mappings", len(report.Mappings))
	}
	return nil
}

package app

import (
	"context"
	"time"

	"rapidmimic.example/internal/core/collection"
	"rapidmimic.example/internal/rescue"
)

// keepEvery is how long a change of what services remember may be unwritten; where writing takes
// long, keepShare times that.
const (
	keepEvery = time.Second
	keepShare = 20
)

// restoreMemory brings back what services remembered, where that is kept; else what was kept is
// forgotten, so that it does not come back much later.
func (a *app) restoreMemory(ctx context.Context, memory *collection.Memory) error {
	if !a.config.KeepMemory {
		return a.store.ForgetMemory(ctx)
	}
	kept, err := a.store.KeptMemory(ctx)
	if err != nil {
		a.logger.Error("some of what services remembered is lost", "error", err)
	}
	for _, one := range kept {
		a.kept[one.Space] = collection.Restored
	}
	return memory.Restore(kept)
}

// keepMemory writes what services remember, beside the calls that change it, until ctx ends, and
// then once more.
func (a *app) keepMemory(ctx context.Context, memory *collection.Memory) {
	said := ""
	write := func() {
		_ = rescue.Do(a.logger, "keep what services remember", func() {
			changed, err := memory.Changed(a.kept)
			if err == nil {
				err = a.store.KeepMemory(context.WithoutCancel(ctx), changed)
			}
			if err != nil {
				clear(a.kept) // so that all of it is written when that is possible again
				if err.Error() != said {
					a.logger.Error("what services remember could not be kept", "error", err)
				}
			}
			if said = ""; err != nil {
				said = err.Error()
			}
		})
	}
	for wait := keepEvery; ; {
		select {
		case <-ctx.Done():
			write()
			return
		case <-time.After(wait):
		}
		began := time.Now()
		write()
		wait = max(keepEvery, keepShare*time.Since(began))
	}
}

package control

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/access"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

const (
	// streamEvery is how long calls and entries wait to share an event.
	streamEvery = 50 * time.Millisecond
	// streamBeat keeps idle connections open.
	streamBeat = 15 * time.Second
	// streamStall is how long a reader may leave what was sent untaken.
	streamStall = 4 * streamBeat
	// streamEntries is how many of the last entries a reader is told that comes back.
	streamEntries = 1000
)

// streamCalls sends calls as they are kept, and what is changed meanwhile: Server-Sent Events
// of the type "calls", each with a batch. Their ids are this run's start and a place,
// so that a reader resumes with Last-Event-ID and is told of a gap.
func (s *server) streamCalls(c *gin.Context) {
	at, gap, err := s.streamStart(c.GetHeader("Last-Event-ID"))
	_, selection, wrong := filterOf(c)
	if err = cmp.Or(err, wrong); err == nil {
		err = s.unknownService(selection)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	ctx, end := whileHolds(c.Request.Context(), holder(c))
	defer end()
	c.Request = c.Request.WithContext(ctx)
	if visitor := c.Query("visitor"); visitor != "" {
		s.present.heard(visitor, time.Now(), presentFor)
		defer s.streamEnded(visitor)
	}
	w := http.NewResponseController(c.Writer)
	_ = w.SetWriteDeadline(time.Now().Add(streamStall))
	c.Header("Content-Type", "text/event-stream")
	c.Header("Cache-Control", "no-store")
	c.Header("X-Accel-Buffering", "no")
	c.Status(http.StatusOK)
	if gap {
		s.sendBatch(c, at, api.Batch{Calls: []api.Call{}, Gap: true})
	} else {
		fmt.Fprintf(c.Writer, "id: %s\nevent: open\ndata: {}\n\n", s.eventID(at))
	}
	fits := s.fits(c, selection)
	here, moved := s.presentTo(c)
	s.sendPresent(c, here)
	looked := time.Now()
	for w.Flush() == nil {
		_ = w.SetWriteDeadline(time.Now().Add(streamStall))
		at, err = s.nextBatch(c, fits, at, moved)
		if time.Since(looked) > streamBeat/2 { // who left without a word is noticed
			looked = time.Now()
			s.present.list(looked)
		}
		select {
		case <-moved:
			here, moved = s.presentTo(c)
			s.sendPresent(c, here)
		default:
		}
		if err != nil {
			return
		}
	}
}

// streamEnded forgets a visitor whose stream has ended, unless they come back soon.
func (s *server) streamEnded(visitor string) {
	s.present.heard(visitor, time.Now(), staysFor)
	time.AfterFunc(staysFor+time.Millisecond, func() { s.present.list(time.Now()) })
}

// whileHolds ends a context when a token is revoked or expires.
func whileHolds(ctx context.Context, t *access.Token) (context.Context, context.CancelFunc) {
	end := func() {}
	if !t.Expires.IsZero() {
		ctx, end = context.WithDeadline(ctx, t.Expires)
	}
	ctx, cancel := context.WithCancel(ctx)
	go func() {
		select {
		case <-t.Gone():
			cancel()
		case <-ctx.Done():
		}
	}()
	return ctx, func() { cancel(); end() }
}

// streamPlace is how far a reader of the stream has come.
type streamPlace struct {
	calls uint64 // of this run
	entry int64  // the last one of the activity
}

// fits gives a selection as a function that looks into bodies too, where it asks for
// them.
func (s *server) fits(c *gin.Context, selection *call.Selection) func(*call.Summary) bool {
	return func(line *call.Summary) bool {
		var record *call.Record
		return selection.Fits(line, func(place int) bool {
			if record == nil {
				var err error
				if record, err = s.Calls.Call(c.Request.Context(), line.Number); err != nil { // what is streamed is stored already
					record = &call.Record{}
				}
			}
			text := []byte(selection.Bodies[place])
			return bytes.Contains(record.Request.Body.Bytes, text) || bytes.Contains(record.Answer.Body, text)
		})
	}
}

// nextBatch waits for calls and entries and writes those the filter selects; when none
// come it writes a comment that keeps the connection open. It ends at once when moved is closed.
func (s *server) nextBatch(c *gin.Context, fits func(*call.Summary) bool, at streamPlace, moved <-chan struct{}) (streamPlace, error) {
	ctx, cancel := context.WithTimeout(c.Request.Context(), streamBeat)
	defer cancel()
	batch := api.Batch{Calls: []api.Call{}}
	last, later := s.Catalog.LastEntry()
	if last > at.entry {
		var err error
		if batch.Entries, at.entry, err = s.entriesAfter(c, at.entry); err != nil {
			return at, err
		}
		cancel() // only the calls that are there already come with them
	}
	go func() { // an entry ends the wait for calls
		select {
		case <-later:
			cancel()
		case <-moved:
			cancel()
		case <-ctx.Done():
		}
	}()
	news, err := s.Log.Follow(ctx, at.calls)
	if c.Request.Context().Err() != nil {
		return at, c.Request.Context().Err()
	}
	if errors.Is(err, context.DeadlineExceeded) {
		_, err := c.Writer.WriteString(": still here\n\n")
		return at, err
	}
	at.calls, batch.Skipped, batch.Cleared = news.Position, news.Skipped, news.Cleared
	ignored, all := s.Catalog.Snapshot().Ignored(), isOn(c, "ignored")
	for i := range news.Lines {
		line := &news.Lines[i]
		if !fits(line) {
			continue
		}
		one := callView(*line)
		if one.Ignored = ignored.IsIgnored(line); one.Ignored && !all {
			batch.Ignored++
			continue
		}
		batch.Calls = append(batch.Calls, one)
	}
	if len(batch.Calls)+len(batch.Entries)+batch.Skipped+batch.Ignored > 0 || batch.Cleared {
		s.sendBatch(c, at, batch)
	}
	time.Sleep(streamEvery)
	return at, nil
}

// entriesAfter are those after a version, the oldest first: of the service that is asked for,
// and of the environment; last is up to which it looked.
func (s *server) entriesAfter(c *gin.Context, version int64) (views []api.Entry, last int64, err error) {
	last, _ = s.Catalog.LastEntry() // entries that are not there any more are passed over
	entries, err := s.Catalog.Activity(c.Request.Context(), catalog.ActivityFilter{After: version, Limit: streamEntries})
	if err != nil || len(entries) == 0 {
		return nil, last, err
	}
	service := c.Query("service")
	for _, e := range slices.Backward(entries) {
		if (service == "" || e.Concerns(service)) && seesEntry(c, e) {
			views = append(views, entryView(e))
		}
	}
	return views, entries[0].Version, nil
}

func (s *server) sendBatch(c *gin.Context, at streamPlace, batch api.Batch) {
	data, err := json.Marshal(batch)
	if err != nil {
		panic(err) // our own structs always marshal
	}
	fmt.Fprintf(c.Writer, "id: %s\nevent: calls\ndata: %s\n\n", s.eventID(at), data)
}

func (s *server) eventID(at streamPlace) string {
	return strconv.FormatInt(s.StartedAt.UnixMilli(), 36) + "." + strconv.FormatUint(at.calls, 10) + "." + strconv.FormatInt(at.entry, 10)
}

// streamStart finds where to begin. An id of an earlier run cannot be resumed:
// that is a gap, and the reader should list the calls anew.
func (s *server) streamStart(lastEventID string) (at streamPlace, gap bool, err error) {
	at.calls = s.Log.Position()
	at.entry, _ = s.Catalog.LastEntry()
	if lastEventID == "" {
		return at, false, nil
	}
	run, rest, _ := strings.Cut(lastEventID, ".")
	callDigits, entryDigits, both := strings.Cut(rest, ".")
	calls, err := strconv.ParseUint(callDigits, 10, 64)
	entry := at.entry
	if err == nil && both { // ids of earlier versions have no entry
		entry, err = strconv.ParseInt(entryDigits, 10, 64)
	}
	if err != nil {
		return at, false, problem.New(problem.Invalid, "Last-Event-ID %q was not given by this stream", lastEventID)
	}
	at.entry = min(entry, at.entry) // entries outlive a run
	if run != strconv.FormatInt(s.StartedAt.UnixMilli(), 36) {
		return at, true, nil
	}
	at.calls = calls
	return at, false, nil
}

package control

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

const (
	// streamEvery is how long calls wait to share an event.
	streamEvery = 50 * time.Millisecond
	// streamBeat keeps idle connections open.
	streamBeat = 15 * time.Second
	// streamStall is how long a reader may leave what was sent untaken.
	streamStall = 4 * streamBeat
)

// streamCalls sends calls as they are kept: Server-Sent Events of the type
// "calls", each with a batch. Their ids are this run's start and a position,
// so that a reader resumes with Last-Event-ID and is told of a gap.
func (s *server) streamCalls(c *gin.Context) {
	position, gap, err := s.streamStart(c.GetHeader("Last-Event-ID"))
	_, selection, wrong := filterOf(c)
	if err = cmp.Or(err, wrong); err == nil {
		err = s.unknownService(selection)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	w := http.NewResponseController(c.Writer)
	_ = w.SetWriteDeadline(time.Now().Add(streamStall))
	c.Header("Content-Type", "text/event-stream")
	c.Header("Cache-Control", "no-store")
	c.Header("X-Accel-Buffering", "no")
	c.Status(http.StatusOK)
	if gap {
		s.sendBatch(c, position, api.Batch{Calls: []api.Call{}, Gap: true})
	} else {
		fmt.Fprintf(c.Writer, "id: %s\nevent: open\ndata: {}\n\n", s.eventID(position))
	}
	fits := s.fits(c, selection)
	for w.Flush() == nil {
		_ = w.SetWriteDeadline(time.Now().Add(streamStall))
		position, err = s.nextBatch(c, fits, position)
		if err != nil {
			return
		}
	}
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

// nextBatch waits for calls and writes those the filter selects; when none
// come it writes a comment that keeps the connection open.
func (s *server) nextBatch(c *gin.Context, fits func(*call.Summary) bool, position uint64) (uint64, error) {
	ctx, cancel := context.WithTimeout(c.Request.Context(), streamBeat)
	defer cancel()
	lines, skipped, next, err := s.Log.Follow(ctx, position)
	if c.Request.Context().Err() != nil {
		return position, c.Request.Context().Err()
	}
	if err != nil {
		_, err := c.Writer.WriteString(": still here\n\n")
		return position, err
	}
	batch, ignored, all := api.Batch{Calls: []api.Call{}, Skipped: skipped}, s.Catalog.Snapshot().Ignored(), isOn(c, "ignored")
	for i := range lines {
		if !fits(&lines[i]) {
			continue
		}
		one := callView(lines[i])
		if one.Ignored = ignored.IsIgnored(&lines[i]); one.Ignored && !all {
			batch.Ignored++
			continue
		}
		batch.Calls = append(batch.Calls, one)
	}
	if len(batch.Calls) > 0 || skipped > 0 || batch.Ignored > 0 {
		s.sendBatch(c, next, batch)
	}
	time.Sleep(streamEvery)
	return next, nil
}

func (s *server) sendBatch(c *gin.Context, position uint64, batch api.Batch) {
	data, err := json.Marshal(batch)
	if err != nil {
		panic(err) // our own structs always marshal
	}
	fmt.Fprintf(c.Writer, "id: %s\nevent: calls\ndata: %s\n\n", s.eventID(position), data)
}

func (s *server) eventID(position uint64) string {
	return strconv.FormatInt(s.StartedAt.UnixMilli(), 36) + "." + strconv.FormatUint(position, 10)
}

// streamStart finds where to begin. An id of an earlier run cannot be resumed:
// that is a gap, and the reader should list the calls anew.
func (s *server) streamStart(lastEventID string) (position uint64, gap bool, err error) {
	if lastEventID == "" {
		return s.Log.Position(), false, nil
	}
	run, digits, _ := strings.Cut(lastEventID, ".")
	position, parseErr := strconv.ParseUint(digits, 10, 64)
	if parseErr != nil {
		return 0, false, problem.New(problem.Invalid, "Last-Event-ID %q was not given by this stream", lastEventID)
	}
	if run != strconv.FormatInt(s.StartedAt.UnixMilli(), 36) {
		return s.Log.Position(), true, nil
	}
	return position, false, nil
}

package app

import (
	"bytes"
	"log"
	"log/slog"
)

// quietLog takes what the standard library logs by itself, such as that an upstream
// said something unasked, into the log of the service: without the bytes that it
// quotes, which come from outside.
type quietLog struct{ logger *slog.Logger }

// Write implements io.Writer.
func (q quietLog) Write(line []byte) (int, error) {
	what, _, quoted := bytes.Cut(bytes.TrimSpace(line), []byte(`"`))
	if quoted {
		what = append(bytes.TrimSpace(what), " …"...)
	}
	q.logger.Debug("net/http says", "what", string(what))
	return len(line), nil
}

// logQuietly has the standard library's own log go there.
func logQuietly(logger *slog.Logger) {
	log.SetFlags(0)
	log.SetOutput(quietLog{logger})
}

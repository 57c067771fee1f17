package control

import (
	"fmt"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"
)

// backupStall is how long who takes a backup may leave what was sent untaken.
const backupStall = time.Minute

// getBackup sends all that the data folder needs, as an archive, while the service goes on.
func (s *server) getBackup(c *gin.Context) {
	s.note(c, "", "made a backup")
	attached(c, fmt.Sprintf("rapidmimic-%s.zip", time.Now().UTC().Format("20060102-150405")))
	c.Header("Content-Type", "application/zip")
	c.Header("Cache-Control", "no-store")
	w := &begunWriter{ResponseWriter: c.Writer, control: http.NewResponseController(c.Writer)}
	if err := s.Backup(c.Request.Context(), w); err != nil {
		if !w.begun {
			c.Header("Content-Disposition", "")
			s.fail(c, err, nil)
			return
		}
		s.Logger.Error("a backup broke off", "error", err)
		panic(http.ErrAbortHandler) // so that nobody takes half of it for a backup
	}
}

// begunWriter knows whether something was written, and gives each write its time.
type begunWriter struct {
	http.ResponseWriter
	control *http.ResponseController
	begun   bool
}

func (w *begunWriter) Write(b []byte) (int, error) {
	w.begun = true
	_ = w.control.SetWriteDeadline(time.Now().Add(backupStall)) // a connection that is closed says so
	return w.ResponseWriter.Write(b)
}

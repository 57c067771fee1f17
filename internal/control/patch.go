package control

import (
	"github.com/gin-gonic/gin"
)

// Keys of what handlers leave in the context of a request.
const (
	bodyKey     = "body"      // what was sent, as bytes
	mayRetryKey = "may retry" // set where a stale write is tried again
	staleKey    = "stale"     // set instead of answering that a write was stale
)

// patchTries is how often a patch is made anew when others change the same thing
// meanwhile.
const patchTries = 50

// again makes a patch anew, on what is there now, as long as somebody is faster: a
// patch says what to change, and demands no version unless it names one.
func (s *server) again(patch gin.HandlerFunc) gin.HandlerFunc {
	return func(c *gin.Context) {
		for try := 1; ; try++ {
			c.Set(mayRetryKey, try < patchTries)
			c.Set(staleKey, false)
			patch(c)
			if !c.GetBool(staleKey) {
				return
			}
			body, _ := c.Get(bodyKey)
			text, _ := body.([]byte)
			holdBody(c, text)
		}
	}
}

package call

import (
	"net/http"
	"strings"
)

// NotModified reports whether a caller that asks for something on a condition has what
// it would get: an answer of this status, with this ETag and time of its last change, ""
// for none (RFC 9110, section 13.2.2).
func NotModified(r *Request, status int, etag, lastModified string) bool {
	if r.Method != "GET" && r.Method != "HEAD" || status != http.StatusOK {
		return false
	}
	if tags := r.Header.Values("If-None-Match"); len(tags) > 0 {
		for tag := range strings.SplitSeq(strings.Join(tags, ","), ",") {
			tag = strings.TrimSpace(tag)
			if tag == "*" || etag != "" && strings.TrimPrefix(tag, "W/") == strings.TrimPrefix(etag, "W/") {
				return true
			}
		}
		return false
	}
	since, err := http.ParseTime(r.Header.Get("If-Modified-Since"))
	changed, changedErr := http.ParseTime(lastModified)
	return err == nil && changedErr == nil && !changed.After(since)
}

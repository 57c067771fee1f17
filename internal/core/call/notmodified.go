package call

import (
	"strings"
	"time"
)

// NotModified reports whether a caller that asks for something on a condition has what
// it would get: an answer of this status, with this ETag and time of its last change, ""
// for none (RFC 9110, section 13.2.2).
func NotModified(r *Request, status int, etag, lastModified string) bool {
	if r.Method != "GET" && r.Method != "HEAD" || status != 200 {
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
	since, ok := ParseTime(r.Header.Get("If-Modified-Since"))
	changed, known := ParseTime(lastModified)
	return ok && known && !changed.After(since)
}

// HTTPDate is how dates of headers are written.
const HTTPDate = "Mon, 02 Jan 2006 15:04:05 GMT"

// ParseTime reads a date in any of the forms of RFC 9110, section 5.6.7.
func ParseTime(text string) (at time.Time, ok bool) {
	for _, form := range []string{HTTPDate, time.RFC850, time.ANSIC} {
		if at, err := time.Parse(form, text); err == nil {
			return at, true
		}
	}
	return at, false
}

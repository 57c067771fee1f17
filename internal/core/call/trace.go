package call

import "strings"

// Trace is the id of the trace that the request belongs to, by its traceparent (W3C Trace Context):
// 32 hexadecimal digits; "" where it says none.
func (r *Request) Trace() string {
	header := r.Header["Traceparent"]
	if len(header) == 0 {
		return ""
	}
	parts := strings.Split(header[0], "-")
	if len(parts) < 4 || len(parts[0]) != 2 || len(parts[2]) != 16 || len(parts[1]) != 32 || strings.Trim(parts[1], "0") == "" ||
		strings.Trim(parts[1], "0123456789abcdef") != "" {
		return ""
	}
	return parts[1]
}

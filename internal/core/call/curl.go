package call

import (
	"slices"
	"strings"
)

// notRepeated headers are made anew for each connection, and curl writes some
// others better itself.
var notRepeated = []string{"Host", "Content-Length", "Connection", "Accept-Encoding", "Transfer-Encoding"}

// Curl writes a command line that repeats the request at base, the root
// address of the traffic port.
func (r *Request) Curl(base string) string {
	var b strings.Builder
	b.WriteString("curl ")
	if r.Method != "GET" {
		b.WriteString("-X " + r.Method + " ")
	}
	address := base + r.Address
	if r.Query != "" {
		address += "?" + r.Query
	}
	b.WriteString(quoteShell(address))
	for _, name := range sortedNames(r.Header) {
		if slices.Contains(notRepeated, name) || name == "User-Agent" && strings.HasPrefix(r.Header.Get(name), "curl/") {
			continue
		}
		for _, value := range r.Header[name] {
			if name == "Accept" && value == "*/*" {
				continue
			}
			b.WriteString(" -H " + quoteShell(name+": "+value))
		}
	}
	if len(r.Body.Bytes) > 0 {
		b.WriteString(" --data-binary " + quoteShell(string(r.Body.Bytes)))
	}
	return b.String()
}

func sortedNames(h Header) []string {
	names := make([]string, 0, len(h))
	for name := range h {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}

// quoteShell makes s one word of a POSIX shell.
func quoteShell(s string) string {
	if s != "" && strings.Trim(s, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-._~:/@%+,=") == "" {
		return s
	}
	return "'" + strings.ReplaceAll(s, "'", `'\''`) + "'"
}

package call

import (
	"encoding/base64"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Shell is the kind of shell that a command line is for.
type Shell string

// The shells in which a call can be repeated.
const (
	POSIX      Shell = "sh"
	PowerShell Shell = "powershell"
)

// Shells lists them, the usual one first.
var Shells = []Shell{POSIX, PowerShell}

// notRepeated headers are made anew for each connection, and the tool writes some
// others better itself.
var notRepeated = []string{"Host", "Content-Length", "Connection", "Accept-Encoding", "Transfer-Encoding"}

// Repeat writes a command line that repeats the request at base, the root address of
// the traffic port. Whatever the call says, the line does that and nothing else.
func (r *Request) Repeat(base string, shell Shell) string {
	if shell == PowerShell {
		return r.invoke(base)
	}
	return r.Curl(base)
}

func (r *Request) target(base string) string {
	address := base + r.Address
	if r.Query != "" {
		address += "?" + r.Query
	}
	return address
}

// Curl is Repeat for a POSIX shell.
func (r *Request) Curl(base string) string {
	var b strings.Builder
	body := r.Body.Bytes
	binary := len(body) > 0 && !isWord(body)
	if binary {
		b.WriteString("echo " + base64.StdEncoding.EncodeToString(body) + " | base64 -d | ")
	}
	b.WriteString("curl ")
	switch {
	case r.Method == "HEAD":
		b.WriteString("--head ")
	case r.Method != "GET" || len(body) > 0:
		b.WriteString("-X " + quoteShell(r.Method) + " ")
	}
	address := r.target(base)
	if strings.ContainsAny(address, "[]{}") {
		b.WriteString("--globoff ")
	}
	if strings.Contains(address, "/../") || strings.Contains(address, "/./") {
		b.WriteString("--path-as-is ")
	}
	b.WriteString(quoteShell(address))
	for _, name := range sortedNames(r.Header) {
		if slices.Contains(notRepeated, name) || name == "User-Agent" && strings.HasPrefix(r.Header.Get(name), "curl/") {
			continue
		}
		for _, value := range r.Header[name] {
			switch {
			case name == "Accept" && value == "*/*":
			case value == "":
				b.WriteString(" -H " + quoteShell(name+";")) // which curl takes for an empty value
			default:
				b.WriteString(" -H " + quoteShell(name+": "+value))
			}
		}
	}
	switch {
	case len(body) == 0:
		return b.String()
	case len(r.Header["Content-Type"]) == 0:
		b.WriteString(" -H Content-Type:") // or curl says that it is a form
	}
	if binary {
		return b.String() + " --data-binary @-"
	}
	return b.String() + " --data-raw " + quoteShell(string(body))
}

// isWord reports whether a body can be a word of a command line: text without
// characters that do something to a terminal.
func isWord(body []byte) bool {
	return utf8.Valid(body) && !strings.ContainsFunc(string(body), func(r rune) bool {
		return unicode.IsControl(r) && r != '\n' && r != '\t' || unicode.Is(unicode.Bidi_Control, r)
	})
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
	if s != "" && strings.Trim(s, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-._:/@%+,=") == "" {
		return s
	}
	return "'" + strings.ReplaceAll(s, "'", `'\''`) + "'"
}

// invoke is Repeat for PowerShell, whose own command takes words as they are, which a
// program of its time does not.
func (r *Request) invoke(base string) string {
	var b strings.Builder
	b.WriteString("Invoke-WebRequest -UseBasicParsing -Method " + quotePowerShell(r.Method) + " -Uri " + quotePowerShell(r.target(base)))
	var headers []string
	for _, name := range sortedNames(r.Header) {
		if slices.Contains(notRepeated, name) || name == "Content-Type" || name == "User-Agent" {
			continue
		}
		headers = append(headers, quotePowerShell(name)+" = "+quotePowerShell(strings.Join(r.Header[name], ", ")))
	}
	if len(headers) > 0 {
		b.WriteString(" -Headers @{ " + strings.Join(headers, "; ") + " }")
	}
	if agent := r.Header.Get("User-Agent"); agent != "" {
		b.WriteString(" -UserAgent " + quotePowerShell(agent))
	}
	if kind := r.Header.Get("Content-Type"); kind != "" {
		b.WriteString(" -ContentType " + quotePowerShell(kind))
	}
	if body := r.Body.Bytes; len(body) > 0 {
		b.WriteString(" -Body ([Convert]::FromBase64String('" + base64.StdEncoding.EncodeToString(body) + "'))")
	}
	return b.String()
}

// quotePowerShell makes s one word of PowerShell, which takes some other characters
// for quotes, too.
func quotePowerShell(s string) string {
	return "'" + strings.NewReplacer("'", "''", "\u2018", "\u2018\u2018", "\u2019", "\u2019\u2019", "\u201a", "\u201a\u201a", "\u201b", "\u201b\u201b").Replace(s) + "'"
}

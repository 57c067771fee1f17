package call_test

import (
	"bytes"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
)

// run lets a shell read a line, and gives the words that curl got, and what it read.
// A word that the line runs as something else is seen by its absence.
func run(t *testing.T, line string) (words []string, read string) {
	script := `curl() { for word in "$@"; do printf '%s\0' "$word"; done; printf 'READ\0'; case "$*" in *@-*) cat;; esac; }` + "\n" + line + "\n"
	cmd := exec.Command("sh")
	cmd.Stdin = strings.NewReader("")
	cmd.Args = append(cmd.Args, "-c", script)
	var complaints bytes.Buffer
	cmd.Stderr = &complaints
	out, err := cmd.Output()
	require.NoError(t, err, "%s\n%s", line, complaints.String())
	require.Empty(t, complaints.String(), line)
	before, after, ok := strings.Cut(string(out), "READ\x00")
	require.True(t, ok, line)
	return strings.Split(strings.TrimSuffix(before, "\x00"), "\x00"), after
}

// requestLike is a request with what a hostile caller can put into each part.
func requestLike(method, path, header, body string) *call.Request {
	return &call.Request{Method: method, Address: "/" + path, Header: call.Header{"X-Note": {header}, "Content-Type": {"text/plain"}}, Body: call.Body{Bytes: []byte(body)}}
}

func assertRepeats(t *testing.T, r *call.Request) {
	line := r.Curl("http://127.0.0.1:7401")
	words, read := run(t, line)
	assert.Contains(t, words, "http://127.0.0.1:7401"+r.Address, line)
	header := "X-Note: " + r.Header.Get("X-Note")
	if r.Header.Get("X-Note") == "" {
		header = "X-Note;"
	}
	assert.Contains(t, words, header, line)
	if r.Method != "GET" && r.Method != "HEAD" {
		assert.Equal(t, []string{"-X", r.Method}, words[:2], line)
	}
	switch body := string(r.Body.Bytes); {
	case body == "":
		assert.NotContains(t, line, "--data", line)
	case words[len(words)-1] == "@-":
		assert.Equal(t, body, read, line)
	default:
		assert.Equal(t, []string{"--data-raw", body}, words[len(words)-2:], line)
	}
}

var hostile = []string{"", "plain", "'", `"; rm -rf ~; "`, "$(touch owned)", "`touch owned`", "@/etc/passwd", "~root", "-o/tmp/owned", "a\nb", "a b\tc", "{a,b}[1-3]", `\`, "${HOME}", "!!", "%s%n", "|| touch owned", "it's; 'x", "&", "#", "*"}

func TestCopiedLinesSayWhatTheCallSaid(t *testing.T) {
	for _, text := range hostile {
		assertRepeats(t, requestLike("POST", strings.NewReplacer("\n", "%0A", " ", "%20", "\t", "%09").Replace(text), text, text))
		assertRepeats(t, requestLike("GET", "a", text, "@"+text))
	}
	assertRepeats(t, requestLike("PO$(x)ST", "a", "b", "c"))
	for _, body := range []string{"\x00\x01\x02", "\xff\xfe", "\x1b[2J", "a\r\nb", "\u202eabc"} {
		r := requestLike("PUT", "a", "b", body)
		assert.Contains(t, r.Curl(""), "| base64 -d |")
		assertRepeats(t, r)
	}
	words, _ := run(t, requestLike("HEAD", "a/../b[1]", "x", "").Curl("http://h"))
	assert.Equal(t, []string{"--head", "--globoff", "--path-as-is", "http://h/a/../b[1]"}, words[:4])
	words, _ = run(t, (&call.Request{Method: "GET", Address: "/a", Body: call.Body{Bytes: []byte("b")}}).Curl("http://h"))
	assert.Equal(t, []string{"-X", "GET", "http://h/a", "-H", "Content-Type:", "--data-raw", "b"}, words, "neither a POST nor a form")
}

func TestLinesForPowerShell(t *testing.T) {
	r := requestLike("POST", "a?b='c'", "it's $(x) `y ’z", "@x")
	r.Header["Host"], r.Header["User-Agent"] = []string{"h"}, []string{"office/1"}
	assert.Equal(t, "Invoke-WebRequest -UseBasicParsing -Method 'POST' -Uri 'http://h/a?b=''c''' -Headers @{ 'X-Note' = 'it''s $(x) `y ’’z' } -UserAgent 'office/1' -ContentType 'text/plain' -Body ([Convert]::FromBase64String('QHg='))",
		r.Repeat("http://h", call.PowerShell))
	assert.Equal(t, r.Curl("http://h"), r.Repeat("http://h", call.POSIX))
}

func FuzzCurlLines(f *testing.F) {
	for _, text := range hostile {
		f.Add("POST", text, text)
	}
	f.Fuzz(func(t *testing.T, method, header, body string) {
		if method == "" || strings.ContainsAny(method+header, "\x00\r\n") || strings.ContainsFunc(header, func(r rune) bool { return r < ' ' || r == 0xfffd }) || strings.ContainsRune(method, 0xfffd) {
			return // no call has these
		}
		if len(body) > 1<<15 || strings.HasSuffix(body, "@-") {
			return
		}
		assertRepeats(t, requestLike(method, "a", header, body))
	})
}

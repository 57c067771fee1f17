package call_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
)

// What is written is read back, also where a part has the boundary in it; what others write is read, too.
func TestRelatedParts(t *testing.T) {
	root := call.RelatedPart{ID: "root@a", ContentType: "text/xml", Content: []byte("<a/>")}
	others := []call.RelatedPart{{ID: "one@a", ContentType: "image/png", Content: []byte("\r\n--part\r\n--partx\x00")}, {ID: "two@a", ContentType: "text/plain"}}
	contentType, body, err := call.AppendRelated(root, others, map[string]string{"type": "text/xml"})
	require.NoError(t, err)
	again, rest, err := call.Related(contentType, body)
	require.NoError(t, err)
	assert.Equal(t, root, again)
	assert.Equal(t, others[0], rest[0])
	assert.Equal(t, []string{"two@a", ""}, []string{rest[1].ID, string(rest[1].Content)})
	values, err := call.Parts(contentType, body)
	require.NoError(t, err)
	assert.Equal(t, "<a/>", values.Get("root@a"), "parts without the name of a field have that of their content")

	long := call.RelatedPart{ID: "long@a", ContentType: "image/png", Content: []byte(strings.Repeat("\x00\xff", 100)), AsText: true}
	contentType, body, err = call.AppendRelated(root, []call.RelatedPart{long}, nil)
	require.NoError(t, err)
	assert.Contains(t, string(body), "AP8A\r\n", "in lines of 76 characters")
	_, rest, err = call.Related(contentType, body)
	require.NoError(t, err)
	assert.Equal(t, long.Content, rest[0].Content)

	text := strings.ReplaceAll("--b\nContent-ID: <one>\nContent-Transfer-Encoding: base64\n\nQUJD\nREVG\n--b\nContent-Type: text/xml\nContent-ID: <two>\n\n<a/>\n--b--\n", "\n", "\r\n")
	for start, want := range map[string]string{`; start="<two>"`: "<a/>", "": "ABCDEF"} {
		root, others, err := call.Related(`multipart/related; boundary="b"`+start, []byte(text))
		require.NoError(t, err)
		assert.Equal(t, want, string(root.Content))
		assert.Len(t, others, 1)
	}
	for contentType, want := range map[string]string{
		`multipart/related; boundary=b; start="<none>"`: "its root part is missing",
		"multipart/form-data; boundary=b":               "it is not multipart/related",
		"multipart/related; boundary=c":                 "its root part is missing",
		"multipart/related; boundary":                   "",
		"":                                              "",
	} {
		_, _, err := call.Related(contentType, []byte(text))
		assert.ErrorContains(t, err, want, contentType)
	}
}

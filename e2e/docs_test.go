package e2e

import (
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var yamlBlock = regexp.MustCompile("(?s)```yaml\n(.*?)```")

// TestTheExamplesOfTheGuideWork puts every mapping that the docs show into the
// demo.
func TestTheExamplesOfTheGuideWork(t *testing.T) {
	s := startDemo(t)
	text, err := os.ReadFile("../docs/guide.md")
	require.NoError(t, err)
	blocks := yamlBlock.FindAllSubmatch(text, -1)
	require.GreaterOrEqual(t, len(blocks), 4)
	put := 0
	for _, block := range blocks {
		document := string(block[1])
		if !strings.Contains(document, "\ncall:") && !strings.HasPrefix(document, "call:") {
			continue
		}
		service := "moorings"
		if strings.Contains(document, "askClearance") {
			service = "customs"
		}
		_, err := s.api.PutMappings(t.Context(), service, block[1])
		assert.NoError(t, err, document)
		put++
	}
	require.GreaterOrEqual(t, put, 4)
	_, body := s.send("POST /moorings/berths/S4/bookings", `{"vessel": {"name": "Tern", "lengthMetres": 112.5}}`, "Content-Type: application/json")
	assert.Contains(t, body, "No berth is that long")
	require.NoError(t, s.api.RemoveMapping(t.Context(), "moorings", "booking-by-length"))
	resp, body := s.send("POST /moorings/berths/S4/bookings", `{"vessel": {"name": "Tern", "lengthMetres": 12.5}}`, "Content-Type: application/json")
	assert.Equal(t, 201, resp.StatusCode)
	assert.Regexp(t, `^/moorings/bookings/B-\d{4}$`, resp.Header.Get("Location"))
	assert.Regexp(t, `^\{"berth":"S4","vessel":\{"lengthMetres":12.5,"name":"Tern"\},"deposit":25,"until":"[0-9TZ:-]+","note":"Costs \$\{amount\}, said [^"]+"\}$`, body)
	resp, body = s.send("POST /moorings/berths/N4/bookings", `{"vessel": {"name": "Tern", "lengthMetres": 80}}`, "Content-Type: application/json", "Cookie: tier=visitor")
	assert.Equal(t, 409, resp.StatusCode, "the one with conditions comes first")
	assert.Contains(t, body, "Too long")
}

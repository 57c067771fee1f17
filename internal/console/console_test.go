package console_test

import (
	"compress/gzip"
	"io/fs"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/console"
)

type counting struct{ bytes int }

func (c *counting) Write(b []byte) (int, error) {
	c.bytes += len(b)
	return len(b), nil
}

// What a browser fetches before it shows anything stays small: pages, rooms and editors come when they
// are opened.
func TestTheInitialScriptIsSmall(t *testing.T) {
	files := console.Files()
	index, err := fs.ReadFile(files, "index.html")
	if err != nil {
		t.Skip("the console is not built")
	}
	scripts := regexp.MustCompile(`"/(assets/[^"]+\.js)"`).FindAllSubmatch(index, -1)
	require.NotEmpty(t, scripts)
	var sent counting
	for _, script := range scripts {
		text, err := fs.ReadFile(files, string(script[1]))
		require.NoError(t, err)
		zipped := gzip.NewWriter(&sent)
		_, err = zipped.Write(text)
		require.NoError(t, err)
		require.NoError(t, zipped.Close())
	}
	assert.Less(t, sent.bytes, 200_000, "bytes of the scripts of index.html, compressed")
}

package bundle_test

import (
	"archive/zip"
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/contract/bundle"
)

func isContract(text []byte) bool { return bytes.HasPrefix(text, []byte("openapi")) }

// archive packs files given as name and text in turn.
func archive(t *testing.T, pairs ...string) []byte {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for i := 0; i < len(pairs); i += 2 {
		f, err := w.Create(pairs[i])
		require.NoError(t, err)
		_, err = f.Write([]byte(pairs[i+1]))
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	return b.Bytes()
}

func TestOpen(t *testing.T) {
	for name, c := range map[string]struct {
		files      []string
		main, want string
	}{
		"the only contract":     {[]string{"a/x.yaml", "openapi: 3", "a/y.yaml", "Berth: {}"}, "", "a/x.yaml"},
		"the one above":         {[]string{"old/x.yaml", "openapi: 3", "y.yaml", "openapi: 3"}, "", "y.yaml"},
		"the one that is named": {[]string{"x.yaml", "openapi: 3", "y.yaml", "openapi: 3"}, "./x.yaml", "x.yaml"},
		"not what packers add":  {[]string{"__MACOSX/x.yaml", "openapi", ".hidden.yaml", "openapi", "y.yaml", "openapi: 3"}, "", "y.yaml"},
		"backslashes":           {[]string{`a\x.yaml`, "openapi: 3"}, "", "a/x.yaml"},
	} {
		t.Run(name, func(t *testing.T) {
			b, err := bundle.Open(archive(t, c.files...), c.main, isContract)
			require.NoError(t, err)
			assert.Equal(t, c.want, b.Main)
			assert.True(t, isContract(b.Contract()))
		})
	}
	single, err := bundle.Open([]byte("openapi: 3"), "", isContract)
	require.NoError(t, err)
	assert.True(t, single.Single())
	assert.Empty(t, single.Names())
}

func TestOpenRefuses(t *testing.T) {
	bomb := archive(t, "bomb.yaml", strings.Repeat("a", bundle.MaxBytes+1))
	assert.Less(t, len(bomb), 1<<20)
	many := make([]string, 0, 2*bundle.MaxFiles+2)
	for range bundle.MaxFiles + 1 {
		many = append(many, "x", "")
	}
	for name, c := range map[string]struct {
		text       []byte
		main, want string
	}{
		"outside":          {archive(t, "../x.yaml", "openapi: 3"), "", `a file "../x.yaml" outside of itself`},
		"from the root":    {archive(t, "/etc/x.yaml", "openapi: 3"), "", "outside of itself"},
		"a drive":          {archive(t, `C:\x.yaml`, "openapi: 3"), "", "outside of itself"},
		"a hidden folder":  {archive(t, ".git/config", "x"), "", "in a hidden folder"},
		"deeper":           {archive(t, "a/.git/hooks/x.yaml", "x"), "", "in a hidden folder"},
		"an escape":        {archive(t, "a\x1b[2J.yaml", "openapi: 3"), "", "a name with control characters"},
		"turned around":    {archive(t, "a\u202elmay.yaml", "openapi: 3"), "", "a name with control characters"},
		"a bomb":           {bomb, "", "larger than 64 MB"},
		"too many":         {archive(t, many...), "", "2001 files; 2000 are read at most"},
		"no contract":      {archive(t, "a.yaml", "x", "b.yaml", "y"), "", "none of the files is a contract (a.yaml, b.yaml)"},
		"nothing":          {append([]byte("PK\x03\x04"), 0), "", "cannot be read"},
		"two contracts":    {archive(t, "a.yaml", "openapi", "b.yaml", "openapi"), "", "several contracts were imported together: a.yaml, b.yaml"},
		"no such main":     {archive(t, "a.yaml", "openapi"), "b.yaml", `no file "b.yaml"`},
		"main of one":      {[]byte("openapi: 3"), "b.yaml", "a single document"},
		"a broken archive": {archive(t, "a.yaml", "openapi")[:40], "", "the archive cannot be read"},
	} {
		_, err := bundle.Open(c.text, c.main, isContract)
		assert.ErrorContains(t, err, c.want, name)
	}
}

func TestPack(t *testing.T) {
	text, err := bundle.Pack([]bundle.File{{Name: "a.yaml", Text: []byte("openapi: 3")}, {Name: "b/c.yaml", Text: []byte("x")}})
	require.NoError(t, err)
	b, err := bundle.Open(text, "", isContract)
	require.NoError(t, err)
	assert.Equal(t, []string{"a.yaml", "b/c.yaml"}, b.Names())
}

func FuzzOpen(f *testing.F) {
	text, err := bundle.Pack([]bundle.File{{Name: "a.yaml", Text: []byte("openapi: 3")}})
	require.NoError(f, err)
	f.Add(text)
	f.Fuzz(func(_ *testing.T, text []byte) { _, _ = bundle.Open(text, "", isContract) })
}

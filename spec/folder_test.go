package spec_test

import (
	"path"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/spec"
)

func TestFolderFiles(t *testing.T) {
	for name, want := range map[string]bool{
		"environment.yaml": true, "moorings/service.yaml": true, "moorings/all.mappings.yaml": true, "moorings/piers/north.mappings.yaml": true,
		"moorings/contract.yaml": true, "moorings/contract/schemas/berth.yaml": true, "moorings/payloads/photo.png": true, "moorings/memory/berths.yaml": true, "v1/orders/memory/a.json": true, "moorings/memory/a/b.yaml": false, "moorings/memory/.yaml": false, "moorings/memory/a.txt": false, "customs/contract.wsdl": true,

		"": false, ".": false, "..": false, "README.md": false, "moorings/README.md": false, "moorings": false, "/etc/passwd": false, "moorings/../../x.mappings.yaml": false,
		".git/config": false, "moorings/.git/config": false, "moorings/contract/.git/hooks/post-checkout": false, ".envrc": false, "moorings/.x.mappings.yaml": false,
		"moorings/contract/a\x1b[2J.yaml": false, "moorings/contract/a\n.yaml": false, "moorings/contract/a\u202egpj.yaml": false, "moorings/contract/\xff.yaml": false,
		`moorings\service.yaml`: false, "C:/x.mappings.yaml": false, "moorings/contract/con:x": false, "moorings/contract/x.": false, "moorings/contract//x": false, "./environment.yaml": false,
		"Moo rings/service.yaml": false, "moorings/payloads/a/b": false, "v1/orders/service.yaml": true, "v1/orders/payloads/a": true, "v1/orders/payloads/a/b": false, "v1/payloads/service.yaml": true, "a/b/c/d/e/f/service.yaml": false, "moorings/contract.d/x": false, strings.Repeat("a", 2000) + "/service.yaml": false,
	} {
		assert.Equal(t, want, spec.FolderFile(name), "%q", name)
	}
}

func FuzzFolderFile(f *testing.F) {
	for _, name := range []string{"moorings/service.yaml", "../x", ".git/config", "a/contract/b", "a/\x00.mappings.yaml"} {
		f.Add(name)
	}
	f.Fuzz(func(t *testing.T, name string) {
		if !spec.FolderFile(name) {
			return
		}
		joined := path.Join("/folder", name)
		assert.True(t, strings.HasPrefix(joined, "/folder/"), name)
		assert.Equal(t, "/folder/"+name, joined, "it is written as it says")
		assert.NotContains(t, "/"+name, "/.", name)
		assert.False(t, strings.ContainsAny(name, "\x00\x1b\n\r\\:"), "%q", name)
	})
}

package main

import (
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestWhatIsListed(t *testing.T) {
	binary := filepath.Join(t.TempDir(), "program")
	out, err := exec.Command("go", "build", "-o", binary, "../../e2e/screenshots").CombinedOutput()
	require.NoError(t, err, "%s", out)
	modules, err := modulesOf(binary)
	require.NoError(t, err)
	assert.Equal(t, "std", modules[0].Name)
	names := func(all []component) (names []string) {
		for _, c := range all {
			names = append(names, c.Name)
		}
		return names
	}
	assert.Contains(t, names(modules), "github.com/chromedp/chromedp")
	packages, err := packagesOf("../../console/package-lock.json")
	require.NoError(t, err)
	assert.Contains(t, names(packages), "react")
	assert.NotContains(t, names(packages), "vite", "which only builds")
	for _, p := range packages {
		assert.Regexp(t, `^pkg:npm/(%40[^/@]+/)?[^/@]+@[0-9]`, p.PURL)
		assert.NotEmpty(t, p.Hashes, p.Name)
	}
	_, err = packagesOf("main.go")
	assert.ErrorContains(t, err, "read main.go")
	_, err = modulesOf("main.go")
	assert.Error(t, err)
}

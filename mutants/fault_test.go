package main

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestFaultsIn(t *testing.T) {
	faults, err := faultsIn("berth.go", []byte("package berth\n\nconst most = 7\n\nfunc Free(n int) bool {\n\tcount++\n\tif n < 3 {\n\t\treturn true\n\t}\n\treturn false\n}\n"))
	require.NoError(t, err)
	var told, lines []string
	for _, f := range faults {
		told = append(told, f.String())
		lines = append(lines, strings.Split(string(f.text), "\n")[f.line-1])
	}
	assert.Equal(t, []string{"berth.go:6: dropped: count++", "berth.go:7: a condition was turned around", "berth.go:7: < became <=", "berth.go:7: 3 became one more"}, told)
	assert.Equal(t, []string{"\t", "\tif !(n < 3) {", "\tif n <= 3 {", "\tif n < 3+1 {"}, lines)
}

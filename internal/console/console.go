// Package console holds the built web console, so that the binary carries it.
// Its source is the folder console/ at the top; `make build` puts it into
// dist.
package console

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Files are the files of the console; index.html is missing in a binary that
// was built without it.
func Files() fs.FS {
	files, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // the folder is embedded above
	}
	return files
}

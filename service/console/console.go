// Package console holds the built web console. make build fills its folder dist; without that, the
// service says that the console is not built in.
package console

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Files are the console's files.
func Files() fs.FS {
	files, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // the folder is part of the source
	}
	return files
}

// Package game holds the built demo game, which is played in a browser: an example of how to use the bindings for
// TypeScript. make build fills its folder dist; without that, there is no game.
package game

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Files are the game's files.
func Files() fs.FS {
	files, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // the folder is part of the source
	}
	return files
}

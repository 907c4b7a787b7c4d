// Package web holds the built front end.
package web

import (
	"embed"
	"io/fs"
)

// dist is what the front end's build leaves; on a checkout where it was never
// built it holds nothing but a placeholder.
//
//go:embed all:dist
var dist embed.FS

// Files are the built front end, index.html at the top where it was built.
func Files() fs.FS {
	files, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // the folder is embedded above
	}
	return files
}

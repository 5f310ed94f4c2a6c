// Package demo holds the example site: Harrowmoor Observatory, a made-up small
// public observatory. Its pictures are made by generate.go.
package demo

import (
	"embed"
	"io/fs"
)

//go:generate go run generate.go

//go:embed site troubled
var sites embed.FS

// Files returns the example site's files by path, with /.
func Files() (map[string][]byte, error) { return files("site") }

// Troubled returns those of its first draft, on which most checks fire.
func Troubled() (map[string][]byte, error) { return files("troubled") }

func files(folder string) (map[string][]byte, error) {
	out := map[string][]byte{}
	root, err := fs.Sub(sites, folder)
	if err != nil {
		return nil, err
	}
	err = fs.WalkDir(root, ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		out[path], err = fs.ReadFile(root, path)
		return err
	})
	return out, err
}

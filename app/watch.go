package app

import (
	"context"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/fsnotify/fsnotify"
)

// quiet is how long nothing must happen to files before a change counts: editors write in several steps.
const quiet = 25 * time.Millisecond

// mostWatched is how many folders of a site are watched.
const mostWatched = 500

// Watch calls changed with the paths of files that were written, made, renamed or removed in folders, until the context
// ends. Each call has all that happened since the last; names of temporary and hidden files are not among them.
func Watch(ctx context.Context, folders []string, changed func(paths []string)) error {
	w, err := fsnotify.NewWatcher()
	if err != nil {
		return fmt.Errorf("files cannot be watched: %w", err)
	}
	slices.Sort(folders)
	for _, f := range slices.Compact(folders) {
		if err := w.Add(f); err != nil {
			w.Close()
			return fmt.Errorf("%s: cannot be watched: %w", f, err)
		}
	}
	go func() {
		defer w.Close()
		var paths []string
		timer := time.NewTimer(time.Hour)
		for {
			select {
			case <-ctx.Done():
				return
			case e, ok := <-w.Events:
				if !ok {
					return
				}
				if e.Op == fsnotify.Chmod || strings.HasPrefix(filepath.Base(e.Name), ".") ||
					strings.HasSuffix(e.Name, "~") {
					continue
				}
				if !slices.Contains(paths, e.Name) {
					paths = append(paths, e.Name)
				}
				timer.Reset(quiet)
			case <-timer.C:
				if len(paths) > 0 {
					changed(paths)
				}
				paths = nil
			case _, ok := <-w.Errors: // events were lost: look again
				if !ok {
					return
				}
				changed(nil)
			}
		}
	}()
	return nil
}

// Folders are those that hold what a plan is made of: the plan, its pictures, what was measured.
func (pr *Project) Folders() []string {
	out := []string{real(filepath.Dir(pr.File)), filepath.Dir(real(pr.File))}
	out = append(out, foldersIn(pr.photos)...)
	if m := pr.written.Measured; m != "" {
		out = append(out, filepath.Dir(filepath.Join(filepath.Dir(pr.File), filepath.FromSlash(m))))
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// real is a path without links, or the path itself.
func real(path string) string {
	if p, err := filepath.EvalSymlinks(path); err == nil {
		return p
	}
	return path
}

// foldersIn are a folder and those in it, but for hidden ones and packages.
func foldersIn(root string) (out []string) {
	// What cannot be read is not watched.
	_ = filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		switch {
		case err != nil || !d.IsDir():
			return nil
		case path != root && (strings.HasPrefix(d.Name(), ".") || d.Name() == "node_modules"), len(out) == mostWatched:
			return fs.SkipDir
		}
		out = append(out, path)
		return nil
	})
	return out
}

// Mine reports whether a change of a path is one of what the project is made of, not of what it makes.
func (pr *Project) Mine(path string) bool {
	abs, err1 := filepath.Abs(path)
	out, err2 := filepath.Abs(pr.Output)
	if err1 != nil || err2 != nil {
		return true
	}
	rel, err := filepath.Rel(out, abs)
	return err != nil || !filepath.IsLocal(rel)
}

// sameFile reports whether a path that has changed is that of a file, or of what it links to.
func sameFile(path, file string) bool {
	a, err1 := filepath.Abs(path)
	b, err2 := filepath.Abs(file)
	if err1 != nil || err2 != nil {
		return false
	}
	c, err := filepath.Abs(real(file))
	return a == b || err == nil && a == c
}

// readText reads a file that an editor may just be replacing.
func readText(path string) (data []byte, err error) {
	for range 10 {
		if data, err = os.ReadFile(path); err == nil && len(data) > 0 {
			return data, nil
		}
		time.Sleep(10 * time.Millisecond)
	}
	return data, err
}

// PageFolders are the folders of the site around a page, or of the pages of a folder. Errors are of the page.
func PageFolders(name, root string) ([]string, error) {
	if IsAddress(name) {
		return nil, fmt.Errorf("%s: files of a server cannot be watched; name the page's file", name)
	}
	site, _, err := OpenSite(name, root)
	if err != nil {
		return nil, err
	}
	return foldersIn(filepath.FromSlash(rootOf(site))), nil
}

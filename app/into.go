package app

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"tourmaline/core/sheet"
)

// Target is a stylesheet of a site that rules are written into.
type Target struct {
	*Site
	Path  string   // of the stylesheet
	File  string   // the same in the site
	Pages []string // that use it, in the site

	before []byte
}

// keptSuffix names the file in which a stylesheet is kept as it was before the first time.
const keptSuffix = ".before-tourmaline"

// OpenTarget opens a stylesheet. pages are those that use it; none: all of the site that do. root is the
// folder of the site; "": the one where the program runs, or that of the plan.
func (pr *Project) OpenTarget(path string, pages []string, root string) (*Target, error) {
	if IsPage(path) {
		return nil, fmt.Errorf("%s: --into takes a stylesheet, not a page", path)
	}
	data, err := readLimited(path)
	if err != nil {
		var pe *fs.PathError
		if errors.As(err, &pe) {
			err = pe.Err
		}
		return nil, fmt.Errorf("%s: the stylesheet cannot be read: %w", path, err)
	}
	if root == "" {
		root = siteOf(path, filepath.Dir(pr.File))
	}
	site, _, err := OpenSite(root, root)
	if err != nil && site == nil {
		return nil, err
	}
	t := &Target{Site: site, Path: path, before: data}
	if t.File, err = site.name(path); err != nil {
		return nil, err
	}
	for _, p := range pages {
		name, err := site.name(p)
		if err != nil {
			return nil, err
		}
		t.Pages = append(t.Pages, name)
	}
	if len(pages) > 0 {
		return t, nil
	}
	all, err := site.pages(".")
	if err != nil {
		return nil, fmt.Errorf("%w; name the pages that use the stylesheet with --page", err)
	}
	for _, name := range all {
		p, err := site.Page(name)
		if err == nil && p.Sheet(t.File) != nil {
			t.Pages = append(t.Pages, name)
		}
	}
	if len(t.Pages) == 0 {
		return nil, fmt.Errorf("%s: no page in %s uses this stylesheet; name one with --page", path, rootText(root))
	}
	return t, nil
}

func rootText(root string) string {
	if root == "." {
		return "this folder"
	}
	return filepath.ToSlash(root)
}

// siteOf is the folder that holds a stylesheet and its pages: where the program runs, else the plan's.
func siteOf(path, planFolder string) string {
	for _, folder := range []string{".", planFolder} {
		if rel, err := relative(folder, path); err == nil && filepath.IsLocal(rel) {
			return folder
		}
	}
	return filepath.Dir(path)
}

// name is a file's name in the site.
func (s *Site) name(path string) (string, error) {
	rel, err := relative(filepath.FromSlash(rootOf(s)), path)
	if err != nil || !filepath.IsLocal(rel) {
		return "", fmt.Errorf("%s: is not in %s, the folder of the site; say with --root where that is", path,
			rootText(rootOf(s)))
	}
	return filepath.ToSlash(rel), nil
}

func rootOf(s *Site) string {
	if s.Folder == "" {
		return "."
	}
	return s.Folder
}

// Folder is the folder of the project's asset files as seen from the stylesheet, with a slash at its end.
func (t *Target) FolderOf(pr *Project) (string, error) {
	rel, err := relative(filepath.Dir(t.Path), filepath.Join(pr.Output, PictureFolder))
	return filepath.ToSlash(rel) + "/", err
}

// Into is where the stylesheet's rules go.
func (t *Target) Into(replace bool) sheet.Into {
	return sheet.Into{Site: t.FS, File: t.File, Pages: t.Pages, Replace: replace}
}

// Save writes the stylesheet, unless it has changed since it was read; as it was it is kept beside it
// once. It returns the name of what was kept now, or "".
func (t *Target) Save(w *sheet.Written) (kept string, err error) {
	now, err := os.ReadFile(t.Path)
	if err != nil || !bytes.Equal(now, t.before) {
		return "", fmt.Errorf("%s: has changed meanwhile; nothing was written, try again", t.Path)
	}
	if w.After == w.Before {
		return "", nil
	}
	old := t.Path + keptSuffix
	if _, err := os.Lstat(old); errors.Is(err, fs.ErrNotExist) {
		if err := WriteFile(old, t.before); err != nil {
			return "", err
		}
		kept = old
	}
	return kept, WriteFile(t.Path, []byte(w.After))
}

// Unmade are asset files that a stylesheet names and that are not there.
func (pr *Project) Unmade(css string) (out []string) {
	for part := range strings.SplitSeq(css, `url("`) {
		name, _, ok := strings.Cut(part, `")`)
		if !ok || !strings.Contains(name, PictureFolder+"/") {
			continue
		}
		base := filepath.Base(name)
		if _, err := os.Stat(filepath.Join(pr.Output, PictureFolder, base)); err != nil && !slices.Contains(out, base) {
			out = append(out, base)
		}
	}
	return out
}

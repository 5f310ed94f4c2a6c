package app

import (
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"tourmaline/core/page"
	"tourmaline/core/picture"
	"tourmaline/core/source"
	"tourmaline/serve"
)

// Site is the folder that a page lies in, with all that the page may name.
type Site struct {
	FS     fs.FS
	Folder string // as files in it are called in messages: "" is where the program runs
	Store  *picture.Store
	Whole  bool // a folder of pages was named
	// Of a page that a server gives: the server, the page's address, and hosts that may be read beside it.
	Upstream, Address *url.URL
	Hosts             []string
}

// maxPages is how many pages of a folder are read.
const maxPages = 200

// IsPage reports whether a name is that of an HTML file, of a folder, or an address.
func IsPage(name string) bool {
	if IsAddress(name) {
		return true
	}
	switch strings.ToLower(filepath.Ext(name)) {
	case ".html", ".htm", ".xhtml":
		return true
	}
	st, err := os.Stat(name)
	return err == nil && st.IsDir()
}

// OpenSite opens the folder around a page, or around the pages of a folder, and returns their names
// in it. root is the folder that the site lies in; "": the one where the program runs, or for a page
// outside it the page's own, or one above where the page names files there.
//
// An address is that of a page on a server of this machine, or on one of hosts.
func OpenSite(name, root string, hosts ...string) (*Site, []string, error) {
	if IsAddress(name) {
		return openAddress(name, hosts)
	}
	st, err := os.Stat(name)
	if err != nil {
		var pe *fs.PathError
		if errors.As(err, &pe) {
			err = pe.Err
		}
		return nil, nil, fmt.Errorf("%s: the page cannot be read: %w%s", name, err, nearPage(name))
	}
	folder := name
	if !st.IsDir() {
		folder = filepath.Dir(name)
	}
	if root == "" {
		root = rootAround(folder, name, st.IsDir())
	}
	abs, err1 := filepath.Abs(name)
	base, err2 := filepath.Abs(root)
	rel, err3 := filepath.Rel(base, abs)
	if err := errors.Join(err1, err2, err3); err != nil || !filepath.IsLocal(rel) {
		return nil, nil, fmt.Errorf("%s: the page is not in %s, the folder of --root", name, root)
	}
	s := &Site{FS: rootFS(root), Folder: filepath.ToSlash(root)}
	if s.Folder == "." {
		s.Folder = ""
	}
	s.Store = picture.NewStore(s.FS)

	rel = filepath.ToSlash(rel)
	if !st.IsDir() {
		return s, []string{rel}, nil
	}
	s.Whole = true
	pages, err := s.pages(rel)
	if err == nil && len(pages) == 0 {
		err = fmt.Errorf("%s: there is no page in this folder: no file ends in .html", name)
	}
	return s, pages, err
}

// nearPage is a hint where a page is not there.
func nearPage(name string) string {
	entries, err := os.ReadDir(filepath.Dir(name))
	if err != nil {
		return ""
	}
	var names []string
	for _, e := range entries {
		if IsPage(filepath.Join(filepath.Dir(name), e.Name())) {
			names = append(names, e.Name())
		}
	}
	if near := source.Nearest(filepath.Base(name), names); near != "" {
		return fmt.Sprintf("; did you mean %q?", filepath.ToSlash(filepath.Join(filepath.Dir(name), near)))
	}
	return ""
}

// rootAround is the folder that a page's files are looked for in.
func rootAround(folder, name string, whole bool) string {
	abs, err1 := filepath.Abs(folder)
	here, err2 := os.Getwd()
	if errors.Join(err1, err2) != nil {
		return folder
	}
	if rel, err := filepath.Rel(here, abs); err == nil && filepath.IsLocal(rel) {
		return "."
	}
	if whole {
		return folder
	}
	// As many folders up as the page's own links go, but never all files of the machine.
	data, err := readLimited(name)
	if err != nil {
		return folder
	}
	d, err := page.Parse(source.NewFile(name, string(data)))
	if err != nil {
		return folder
	}
	up := 0
	for _, l := range d.Sheets {
		clean := path.Clean(l.Href)
		up = max(up, strings.Count(clean+"/", "../"))
	}
	root := abs
	for range up {
		if next := filepath.Dir(root); filepath.Dir(next) != next {
			root = next
		}
	}
	return root
}

// pages are the HTML files of a folder and those in it.
func (s *Site) pages(folder string) (out []string, err error) {
	err = fs.WalkDir(s.FS, folder, func(at string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case d.IsDir() && at != folder && (strings.HasPrefix(d.Name(), ".") || d.Name() == "node_modules"):
			return fs.SkipDir
		case !d.IsDir() && IsPage(d.Name()):
			if out = append(out, at); len(out) > maxPages {
				return fmt.Errorf("%s: more than %d pages; name those that are meant", folder, maxPages)
			}
		}
		return nil
	})
	slices.SortStableFunc(out, func(a, b string) int { // a folder's index before what lies in it
		return cmp.Or(cmp.Compare(path.Dir(a), path.Dir(b)), indexFirst(a)-indexFirst(b), cmp.Compare(a, b))
	})
	return out, err
}

func indexFirst(name string) int {
	if strings.HasPrefix(path.Base(name), "index.") {
		return 0
	}
	return 1
}

// Page reads a page of the site.
func (s *Site) Page(name string) (*page.Page, error) {
	p, err := page.Load(s.FS, name)
	var pe *fs.PathError
	if errors.As(err, &pe) {
		return nil, fmt.Errorf("%s: the page cannot be read: %w", s.Path(name), pe.Err)
	}
	return p, err
}

// Source is a page of the site, to be shown in a browser.
func (s *Site) Source(name string) serve.Source {
	out := serve.Source{Files: s.FS, Page: name, Upstream: s.Upstream, Allowed: s.Hosts}
	if s.Upstream != nil {
		out.Page, out.Query = strings.TrimPrefix(s.Address.Path, "/"), s.Address.RawQuery
	}
	return out
}

// Path is how a file of the site is called in messages.
func (s *Site) Path(name string) string {
	if s.Upstream != nil && name != "" {
		return s.Upstream.String() + "/" + name
	}
	if s.Folder == "" || name == "" {
		return name
	}
	return path.Join(s.Folder, name)
}

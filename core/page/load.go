package page

import (
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"path"
	"slices"
	"strings"

	"tourmaline/core/cascade"
	"tourmaline/core/source"
)

// Page is a document with its stylesheets.
type Page struct {
	*Document
	*cascade.Page
	// Notes are of what was not found, is elsewhere, or is dropped by browsers.
	Notes []cascade.Note

	loader *loader
	base   string // the file that relative addresses of the document count from
}

// Load reads a page and the stylesheets that it names from a folder, which stands for the root of its
// site. What lies elsewhere is not fetched, and noted.
func Load(folder fs.FS, name string) (*Page, error) {
	l := &loader{folder: folder, page: name, sheets: map[string]*cascade.Sheet{}, told: map[string]bool{}}
	f, err := l.file(name)
	if err != nil {
		return nil, err
	}
	d, err := Parse(f)
	if err != nil {
		return nil, err
	}
	styles := cascade.NewStyles()
	if err := styles.AddAgent(); err != nil {
		return nil, err
	}
	base := l.base(name, d.Base)
	for i := range d.Sheets {
		link := &d.Sheets[i]
		if link.Off != "" {
			continue
		}
		var sheet *cascade.Sheet
		if link.Href != "" {
			sheet = l.sheet(base, link.Href, link.At)
		} else if sheet, err = cascade.ParseSheet(source.NewFile(name, masked(f.Text, link.Text))); err != nil {
			return nil, err
		}
		if sheet == nil {
			continue
		}
		if link.Href == "" {
			sheet.Within = link.Within
		}
		if err := styles.Add(sheet, link.Media, func(from *cascade.Sheet, href string, at source.Span) *cascade.Sheet {
			if from.File.Name == name {
				return l.sheet(base, href, at)
			}
			return l.sheet(from.File.Name, href, at)
		}); err != nil {
			return nil, err
		}
	}
	return &Page{Document: d, Page: cascade.NewPage(styles, d.Quirks), Notes: append(l.notes, styles.Notes...),
		loader: l, base: base}, nil
}

// masked is a document in which all but a style element's text is blank, so that places in it stay.
func masked(text string, at source.Span) string {
	b := []byte(text[:at.To])
	for i := range b[:at.From] {
		if b[i] != '\n' && b[i] != '\r' {
			b[i] = ' '
		}
	}
	return string(b)
}

// FileOf is the file that an address in an element's images names; false where it is elsewhere.
func (p *Page) FileOf(c *cascade.Computed, href string) (string, bool) {
	from := p.base
	if c.Image != nil && c.Image.Bound != nil && c.Image.Bound.Sheet.File.Name != p.File.Name {
		from = c.Image.Bound.Sheet.File.Name
	}
	return p.loader.resolve(from, href)
}

// Files are the page and the stylesheets that it takes in, by name.
func (p *Page) Files() []*source.File {
	out := []*source.File{p.File}
	for _, s := range p.loader.sheets {
		if s != nil {
			out = append(out, s.File)
		}
	}
	slices.SortFunc(out[1:], func(a, b *source.File) int { return strings.Compare(a.Name, b.Name) })
	return out
}

// Sheet is the page's stylesheet of that file; nil where it has none of it.
func (p *Page) Sheet(file string) *cascade.Sheet { return p.loader.sheets[file] }

type loader struct {
	folder fs.FS
	page   string
	site   string // the folder that addresses from / count from, once it is known
	sheets map[string]*cascade.Sheet
	told   map[string]bool
	notes  []cascade.Note
}

func (l *loader) note(at source.Span, format string, args ...any) {
	msg := fmt.Sprintf(format, args...)
	if !l.told[msg] {
		l.told[msg] = true
		l.notes = append(l.notes, cascade.Note{At: at, Msg: msg})
	}
}

// file reads a text of the folder.
func (l *loader) file(name string) (*source.File, error) {
	info, err := fs.Stat(l.folder, name)
	switch {
	case err != nil:
		return nil, err
	case !info.IsDir() && !info.Mode().IsRegular(): // a pipe would be waited for
		return nil, &source.SyntaxError{In: name, Msg: "this is no ordinary file"}
	case info.Size() > MaxDocument:
		return nil, &source.LimitError{Msg: fmt.Sprintf("%s is larger than %d MB", name, MaxDocument>>20)}
	}
	data, err := fs.ReadFile(l.folder, name)
	if err != nil {
		return nil, err
	}
	return source.NewFile(name, string(data)), nil
}

// base is the file that relative addresses of a document count from.
func (l *loader) base(name, href string) string {
	if href == "" {
		return name
	}
	if to, ok := Resolve(name, href); ok {
		if strings.HasSuffix(href, "/") {
			return path.Join(to, "index.html")
		}
		return to
	}
	return name
}

// Resolve is the file that an address in another file names, in a folder that stands for the root of
// the site; false where it is elsewhere, or outside the folder.
func Resolve(from, href string) (name string, ok bool) {
	u, err := url.Parse(strings.TrimSpace(href))
	if err != nil || u.Scheme != "" || u.Host != "" || u.Opaque != "" {
		return "", false
	}
	switch {
	case u.Path == "":
		return from, true
	case strings.HasPrefix(u.Path, "/"):
		name = path.Clean(u.Path[1:])
	default:
		name = path.Join(path.Dir(from), u.Path)
	}
	return name, fs.ValidPath(name)
}

// resolve is Resolve, but for addresses from /: they count from the nearest folder around the page that
// has such a file.
func (l *loader) resolve(from, href string) (string, bool) {
	name, ok := Resolve(from, href)
	if !ok || !strings.HasPrefix(strings.TrimSpace(href), "/") {
		return name, ok
	}
	if l.site == "" {
		for dir := path.Dir(l.page); ; dir = path.Dir(dir) {
			if _, err := fs.Stat(l.folder, path.Join(dir, name)); err == nil {
				l.site = dir
			}
			if l.site != "" || dir == "." {
				break
			}
		}
	}
	return path.Join(l.site, name), true
}

// Seen is a file of the site as seen from a folder of it.
func Seen(from, file string) string {
	up := ""
	for from != "." && !strings.HasPrefix(file+"/", from+"/") {
		from, up = path.Dir(from), up+"../"
	}
	if from != "." {
		file = strings.TrimPrefix(strings.TrimPrefix(file, from), "/")
	} else if file == "." {
		file = ""
	}
	return up + file
}

// sheet is a stylesheet by its address; nil, and noted, where it cannot be read.
func (l *loader) sheet(from, href string, at source.Span) *cascade.Sheet {
	name, ok := l.resolve(from, href)
	if !ok {
		l.note(at, "%s is not in this folder: it is not fetched", href)
		return nil
	}
	if s, ok := l.sheets[name]; ok {
		return s
	}
	f, err := l.file(name)
	if err == nil {
		l.sheets[name], err = cascade.ParseSheet(f)
	}
	if err != nil {
		l.sheets[name] = nil
		if errors.Is(err, fs.ErrNotExist) {
			l.note(at, "there is no stylesheet %s", name)
		} else {
			l.note(at, "the stylesheet %s cannot be read: %v", name, err)
		}
	}
	return l.sheets[name]
}

// Package draft writes the first plan of a site: from a page as it is, or from pictures alone.
//
//	d, err := draft.Pages(ctx, []*page.Page{p}, draft.Options{File: "tourmaline.yaml", Store: store})
//	d.Text                 // the plan, with comments where only a browser knows
//	d.Boxes[2].Owner(id)   // the declaration that a layer comes from
//
// What cannot be read is listed in comments at the end. Nothing that was not found in the page is
// made up, but for heights that only a browser knows, and those are marked.
package draft

import (
	"context"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strings"

	"tourmaline/core/cascade"
	"tourmaline/core/css"
	"tourmaline/core/page"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/source"
	"tourmaline/core/trace"
)

// Options say where the plan will lie.
type Options struct {
	Folder string // of the plan, in the site: "." is its root
	Store  *picture.Store
	Site   fs.FS
	Widths [2]int // that the plan looks at
	// Measured are the selectors whose heights a browser has measured, and File what they are kept in.
	Measured map[string]bool
	Texts    map[string]bool // the same of where their texts lie
	File     string
	Pages    string // the pages as the plan calls them in its head
}

// Plan is a drafted plan.
type Plan struct {
	Text  string
	Boxes []Box
	// Left are what has a background and is not in the plan, with the reason.
	Left []Left
}

// Box is a box of a drafted plan.
type Box struct {
	Name     string
	Selector string
	Elements []*cascade.Element // more than one: all that look the same
	Guessed  bool               // its height is not known from CSS
	Grows    bool               // CSS says the least height alone: what is in it may need more
	rules    []state            // the box itself, then its when blocks
}

// Left is something that was left out.
type Left struct {
	At  cascade.Note
	Who string
	e   *cascade.Element
}

// Owner is the declaration that a layer of a rule comes from, or the box's background with N 0; nil
// where there is none.
func (b *Box) Owner(id plan.LayerID) *cascade.Candidate {
	if int(id.Rule) >= len(b.rules) {
		return nil
	}
	s := &b.rules[id.Rule]
	if n := int(id.N); n >= 1 && n <= len(s.owners) {
		return s.owners[n-1]
	}
	for _, o := range s.owners {
		if o != nil {
			return o
		}
	}
	return nil
}

// state is what a box is like over a range of widths.
type state struct {
	from, to int
	layers   []string // lines of YAML
	owners   []*cascade.Candidate
	keys     [][2]string // others of the box, and their values
	notes    []string
	guessed  bool
	grows    bool     // CSS says the least height, or a ratio
	left     []string // what cannot be read of it
	ink      string   // the colour of the first text in it; "" where it has none
}

// String is what the state says, but for whose it is.
func (s *state) String() string { return fmt.Sprint(s.from, s.to, s.layers, s.keys) }

func (s *state) same(o *state) bool {
	return slices.Equal(s.layers, o.layers) && slices.Equal(s.keys, o.keys) && s.ink == o.ink
}

// drafter drafts what one page gives.
type drafter struct {
	Options
	page   *page.Page
	names  *page.Names
	spans  map[kind][]cascade.Span // of the page's widths
	known  map[part][]look
	made   map[string][]state // by what they are made of
	shaped map[*cascade.Element]shaped
	taken  map[string]bool   // names of boxes
	boxes  map[string]string // what the boxes are like that are written, by selector
	files  string            // the folder of all pictures, in the site
	plan   *Plan
}

// height and density of the windows that a page is read in.
const (
	height  = 900
	density = 1
)

// Pages drafts one plan of some pages: canvas and column are those of the first, and boxes that pages
// share stand in it once.
func Pages(ctx context.Context, pages []*page.Page, o Options) (*Plan, error) {
	out := &Plan{}
	w := &writer{}
	all := make([]*drafter, len(pages))
	var files []string
	for i, p := range pages {
		d := &drafter{Options: o, page: p, names: p.Names(), plan: out, spans: map[kind][]cascade.Span{},
			known: map[part][]look{}, made: map[string][]state{},
			shaped: map[*cascade.Element]shaped{}}
		painted := 0
		for _, e := range p.Elements() {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
			if images, _ := d.paints(e); images {
				painted++
			}
		}
		if painted > 2*plan.MaxBoxes {
			return nil, tooMany(p.Document.File.Whole(), painted)
		}
		files = append(files, d.pictures()...)
		all[i] = d
	}
	boxes := map[string]string{} // what a box of a selector is like
	taken := map[string]bool{"canvas": true, "page": true}
	folder := common(files, o.Folder)
	if st, err := fs.Stat(o.Site, folder); err != nil || !st.IsDir() {
		folder = o.Folder // what pictures name is not there
	}
	for i, d := range all {
		d.taken, d.files, d.boxes = taken, folder, boxes
		d.write(w, i == 0)
	}
	if n := len(out.Boxes); n > plan.MaxBoxes {
		return nil, tooMany(pages[0].Document.File.Whole(), n)
	}
	for _, d := range all {
		d.drawn()
	}
	out.leftovers(w)
	out.Text = w.String()
	switch lying := slices.IndexFunc(out.Boxes, func(b Box) bool { return b.Name != "canvas" && b.Name != "page" }); {
	case len(out.Boxes) == 0:
		return nil, &source.SyntaxError{In: o.Pages, Msg: "nothing in it has a background that a plan could say",
			Hint: "tourmaline trace lists what there is"}
	case lying < 0:
		out.Text = strings.Replace(out.Text, "\nboxes:\n", "\nboxes: []\n", 1)
	}
	return out, nil
}

func tooMany(at source.Span, n int) error {
	return &source.LimitError{Span: at, Msg: fmt.Sprintf("%d elements have backgrounds of their own; a plan has "+
		"at most %d "+
		"boxes", n, plan.MaxBoxes), Hint: "give those that look alike a rule of their own"}
}

// lying are the elements of the page that become boxes.
func (d *drafter) lying() (rows []*cascade.Element) {
	if d.page.Root == nil {
		return nil
	}
	for _, e := range d.page.Root.Children {
		if e.Tag == "body" {
			for _, child := range e.Children {
				rows = append(rows, d.rows(child)...)
			}
		}
	}
	return rows
}

// pictures are the folders of the page's pictures, in the site.
func (d *drafter) pictures() (out []string) {
	for _, e := range d.page.Elements() {
		for _, pseudo := range []string{"", "before", "after"} {
			for _, l := range d.looks(e, pseudo) {
				for _, img := range l.Style.Images {
					if !img.IsURL || strings.HasPrefix(img.URL, "data:") {
						continue
					}
					if file, ok := d.page.FileOf(l.Computed, img.URL); ok && !slices.Contains(out, path.Dir(file)) {
						out = append(out, path.Dir(file))
					}
				}
			}
		}
	}
	return out
}

// common is the folder that holds all of some; none where there are none.
func common(folders []string, none string) string {
	var at []string
	for i, f := range folders {
		parts := strings.Split(f, "/")
		if i == 0 {
			at = parts
		}
		n := 0
		for n < min(len(at), len(parts)) && at[n] == parts[n] {
			n++
		}
		at = at[:n]
	}
	switch {
	case len(folders) == 0:
		return none
	case len(at) == 0:
		return "."
	}
	return path.Join(at...)
}

// paints reports what an element shows at any width, in any mode: pictures or gradients, or at least a colour.
func (d *drafter) paints(e *cascade.Element) (images, colour bool) {
	for _, l := range d.looks(e, "") {
		if images && colour || trace.Hidden(l.Window, e, l.Computed) != nil {
			continue
		}
		_, unread := l.Values["background-image"]
		images = images || unread ||
			slices.ContainsFunc(l.Style.Images, func(i css.Image) bool { return !i.IsNone() })
		colour = colour || trace.Value(d.page, l.Computed, l.Window, "background-color") != "rgba(0, 0, 0, 0)"
	}
	return images, colour
}

// small are elements that are parts of a line or of a form: what they paint is no box of a page. Texts
// are boxes where they have pictures.
var (
	small = strings.Fields(`a abbr b button code del em i img input ins kbd label mark option q s select small span strong
sub sup svg tbody td textarea tfoot th thead tr u`)
	texts = strings.Fields("h1 h2 h3 h4 h5 h6 p dl dt dd ul ol li pre table figcaption progress")
)

// rows are the elements in one, itself too, that become boxes: one below the other.
func (d *drafter) rows(e *cascade.Element) (out []*cascade.Element) {
	for _, child := range e.Children {
		out = append(out, d.rows(child)...)
	}
	images, colour := d.paints(e)
	if !images && !colour {
		return out
	}
	inner := slices.ContainsFunc(out, func(o *cascade.Element) bool { i, _ := d.paints(o); return i })
	switch {
	case slices.Contains(small, e.Tag), slices.Contains(texts, e.Tag) && !images:
		if images {
			d.left(e, "", "it is part of a text or a form, not a box of the page")
		}
		return out
	case len(out) == 0:
		return []*cascade.Element{e}
	case images && !(inner && len(out) > 1):
		for _, o := range out {
			d.left(o, "", "it lies in "+d.names.Of(e)+", which is a box itself")
		}
		return []*cascade.Element{e}
	case !images && !inner && d.isRow(e):
		for _, o := range out {
			d.left(o, "", "it lies in "+d.names.Of(e)+", which is a box itself")
		}
		return []*cascade.Element{e}
	}
	d.left(e, "", fmt.Sprintf("%s that are boxes lie in it", plural(len(out))))
	return out
}

// isRow reports whether an element is one that pages are cut into.
func (d *drafter) isRow(e *cascade.Element) bool {
	return slices.Contains([]string{"header", "footer", "section", "nav", "aside"}, e.Tag)
}

func plural(n int) string {
	if n == 1 {
		return "1 element"
	}
	return fmt.Sprintf("%d elements", n)
}

// left notes that something is not in the plan.
func (d *drafter) left(e *cascade.Element, pseudo, why string) {
	left := Left{Who: d.names.Of(e), e: e}
	if pseudo != "" {
		left.Who += "::" + pseudo
	}
	left.At.Msg = why
	for _, l := range d.looks(e, pseudo) {
		if s := d.shows(&l, e); s != "" {
			left.Who += " (" + s + ")"
			if by := owner(l.Computed); by != nil {
				left.At.At = by.Declaration.Span
			}
			break
		}
	}
	d.plan.Left = append(d.plan.Left, left)
}

// owner is the declaration of an element's images, or of its colour where it has none.
func owner(c *cascade.Computed) *cascade.Candidate {
	if c.Image != nil && len(c.Style.Images) > 0 && !c.Style.Images[0].IsNone() {
		return c.Image
	}
	return c.Winners["background-color"]
}

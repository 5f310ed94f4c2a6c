package app

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"tourmaline/core/draft"
	"tourmaline/core/page"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/serve"
)

// draftWidths are those that a drafted plan looks at.
var draftWidths = [2]int{320, 2560}

// DraftPages drafts the plan of pages of a site. file is where it will lie.
// boxes are those that a browser has measured, or nil.
func (s *Site) DraftPages(ctx context.Context, names []string, file string, boxes *plan.MeasuredBoxes) (*draft.Plan,
	error) {
	folder, err := s.inside(filepath.Dir(file))
	if err != nil {
		return nil, err
	}
	o := draft.Options{Folder: folder, Store: s.Store, Site: s.FS, Widths: draftWidths}
	if boxes != nil {
		o.File, o.Measured, o.Texts = filepath.Base(MeasuredName(file)), map[string]bool{}, map[string]bool{}
		for selector := range boxes.Sides {
			o.Measured[selector] = true
		}
		for selector, texts := range boxes.Texts {
			o.Texts[selector] = len(texts) > 0
		}
	}
	var pages []*page.Page
	var called []string
	for _, name := range names {
		p, err := s.Page(name)
		if err != nil {
			return nil, err
		}
		pages = append(pages, p)
		called = append(called, filepath.Base(name))
	}
	o.Pages = strings.Join(called, ", ")
	return draft.Pages(ctx, pages, o)
}

// inside is a folder as it is called in the site.
func (s *Site) inside(folder string) (string, error) {
	if s.Upstream != nil {
		return filepath.ToSlash(folder), nil
	}
	root := s.Folder
	if root == "" {
		root = "."
	}
	a, err1 := filepath.Abs(root)
	b, err2 := filepath.Abs(folder)
	if err1 != nil || err2 != nil {
		return "", fmt.Errorf("%s: %w", folder, err1)
	}
	rel, err := filepath.Rel(a, b)
	if err != nil || !filepath.IsLocal(rel) {
		return "", fmt.Errorf("%s: the plan must lie in the folder of the site, %s", folder, root)
	}
	return filepath.ToSlash(rel), nil
}

// DraftPictures drafts a plan of pictures. file is where it will lie; the pictures must lie in its folder
// or in one below.
func DraftPictures(paths []string, file string) (*draft.Plan, error) {
	base, err := filepath.Abs(filepath.Dir(file))
	if err != nil {
		return nil, err
	}
	var folders []string
	for _, p := range paths {
		abs, err := filepath.Abs(p)
		if err != nil {
			return nil, err
		}
		rel, err := filepath.Rel(base, abs)
		if err != nil || !filepath.IsLocal(rel) {
			return nil, fmt.Errorf("%s: the picture must lie in the folder of the plan, %s, or below it", p,
				filepath.ToSlash(filepath.Dir(file)))
		}
		folders = append(folders, filepath.ToSlash(rel))
	}
	folder := filepath.ToSlash(filepath.Dir(folders[0]))
	for _, f := range folders {
		for folder != "." && !strings.HasPrefix(f, folder+"/") {
			folder = filepath.ToSlash(filepath.Dir(folder))
		}
	}
	store := Pictures(filepath.Join(base, filepath.FromSlash(folder)))
	var files []*picture.File
	for _, f := range folders {
		if folder != "." {
			f = strings.TrimPrefix(f, folder+"/")
		}
		pic, err := store.File(f)
		if err != nil {
			return nil, err
		}
		files = append(files, pic)
	}
	var names []string
	for _, f := range files {
		names = append(names, f.Name)
	}
	o := draft.Options{Store: store, Widths: draftWidths, Pages: strings.Join(names[:min(len(names), 5)], ", ")}
	if len(names) > 5 {
		o.Pages += fmt.Sprintf(" and %d more", len(names)-5)
	}
	if folder == "." {
		folder = ""
	}
	return draft.Pictures(files, folder, o)
}

// Drafted is a drafted plan that was read, with what a browser said of its page.
type Drafted struct {
	*draft.Plan
	Read        *plan.Plan
	Measurement *Measurement // nil where none was asked
}

// Start drafts the plan of pages, with heights that a browser measures of the first where one is to; those
// are kept beside the plan.
func (s *Site) Start(ctx context.Context, names []string, file string, how *Measuring) (*Drafted, error) {
	d, err := s.DraftPages(ctx, names, file, nil)
	if err != nil {
		return nil, err
	}
	out := &Drafted{Plan: d}
	if how != nil {
		if out.Measurement, err = s.MeasureDraft(ctx, names[0], d, *how); err != nil {
			return nil, err
		}
	}
	var boxes *plan.MeasuredBoxes
	if m := out.Measurement; m != nil {
		kept := MeasuredName(file)
		if err := Refuse(kept); err != nil {
			return nil, err
		}
		boxes = boxesOf(m.kept(m.Names))
		if out.Plan, err = s.DraftPages(ctx, names, file, boxes); err != nil {
			return nil, err
		}
		if err := m.Save(s, kept, m.Names); err != nil {
			return nil, err
		}
	}
	out.Read, err = Readable(out.Plan, file, boxes)
	return out, err
}

// Readable holds a drafted plan against the reader of plans: what start writes can be read.
func Readable(d *draft.Plan, file string, boxes *plan.MeasuredBoxes) (*plan.Plan, error) {
	p, err := plan.ParseMeasured(file, []byte(d.Text), func(string) (*plan.MeasuredBoxes, error) { return boxes, nil })
	if err != nil {
		return nil, fmt.Errorf("the drafted plan cannot be read, which is a defect of tourmaline: %w", err)
	}
	return p, nil
}

// MeasuredName is the file beside a plan that keeps what a browser measured.
func MeasuredName(planFile string) string {
	return strings.TrimSuffix(planFile, filepath.Ext(planFile)) + ".boxes.json"
}

// MeasureDraft measures the boxes of a drafted plan: heights, and where text lies; nil where it has none.
func (s *Site) MeasureDraft(ctx context.Context, name string, d *draft.Plan, o Measuring) (*Measurement, error) {
	var selectors, names []string
	for i := range d.Boxes {
		b := &d.Boxes[i]
		if b.Selector == "" {
			continue
		}
		names = append(names, b.Selector)
		o.Bend = append(o.Bend, [4]bool{3: b.Guessed}) // else the plan says what its height is
		if len(b.Elements) > 1 {                       // each is a box of its own
			selectors = append(selectors, page.Path(b.Elements[0]))
		} else {
			selectors = append(selectors, b.Selector)
		}
	}
	if len(selectors) == 0 {
		return nil, nil
	}
	o.Widths, o.Height, o.Tall = draftWidths, draftLowest, draftHighest
	m, err := s.Measure(ctx, name, o, func(context.Context, *serve.Visitor) ([]string, error) { return selectors, nil })
	if err == nil {
		m.Names = names
	}
	return m, err
}

// draftLowest and draftHighest are the windows that a drafted plan looks at. In the lowest what is in a box decides
// its height, and what the window's height asks for beyond the plan says itself.
const draftLowest, draftHighest = 600, 1400

// Refuse says that a file is there already.
func Refuse(file string) error {
	if _, err := os.Lstat(file); err == nil {
		return fmt.Errorf("%s: is there already, and start never overwrites; choose another name with -o", file)
	}
	return nil
}

// IsPicture reports whether a name is that of a picture.
func IsPicture(name string) bool {
	return slices.Contains([]string{".jpg", ".jpeg", ".png", ".gif", ".webp", ".avif", ".bmp", ".tif", ".tiff", ".svg"},
		strings.ToLower(filepath.Ext(name)))
}

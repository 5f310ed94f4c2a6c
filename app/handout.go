package app

import (
	"bytes"
	"context"
	"encoding/base64"
	"fmt"
	"html/template"
	"image"
	"image/jpeg"
	"slices"
	"strings"

	"tourmaline/core/cut"
	"tourmaline/core/finding"
	"tourmaline/core/plan"
	"tourmaline/proof"
	"tourmaline/report"
)

// Drawing says how the pictures of a handout are drawn.
type Drawing struct {
	Folder  string // files are named in it; "": they stand in the page itself
	Width   int    // px at most
	Quality int    // of JPEG
}

// HandoutSizes are tried one after another until a page with its pictures in it is small enough.
var HandoutSizes = []Drawing{{Width: 900, Quality: 80}, {Width: 640, Quality: 72}, {Width: 460, Quality: 60}}

// MostHandout is the most bytes of a page with its pictures in it.
const MostHandout = 5_000_000

// Handout draws the boxes of a handout, at the named viewports and before and after settling. It returns the files that
// the page names: none where pictures stand in it.
func (pr *Project) Handout(ctx context.Context, h *report.Handout, how Drawing) (map[string][]byte, error) {
	d := &drawn{pr: pr, how: how, files: map[string][]byte{}}
	for i := range h.Boxes {
		b := &h.Boxes[i]
		box, err := pr.Box(b.Name)
		if err != nil {
			return nil, err
		}
		b.Shots, b.Before, b.After, b.Settled = nil, nil, nil, nil
		for _, v := range box.Views(pr.Named) {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
			s, err := d.shot(pr.Plan, box.ID, v, "")
			if err != nil {
				return nil, err
			}
			if s != nil {
				b.Shots = append(b.Shots, *s)
			}
		}
		if err := d.settled(b, box.ID); err != nil {
			return nil, err
		}
	}
	return d.files, nil
}

// drawn are the pictures of a handout in the making.
type drawn struct {
	pr    *Project
	how   Drawing
	files map[string][]byte
}

// shot draws a box at a viewport; nil where it is not seen.
func (d *drawn) shot(p *plan.Plan, id plan.BoxID, v plan.Viewport, what string) (*report.Shot, error) {
	img, lines, err := proof.Window(p, d.pr.Store, of(id, v, d.how.Width))
	if err != nil || img == nil {
		return nil, err
	}
	var b bytes.Buffer
	if err := jpeg.Encode(&b, img, &jpeg.Options{Quality: d.how.Quality}); err != nil {
		return nil, err
	}
	name := v.Name
	if what != "" {
		name += ", " + what
	}
	s := &report.Shot{Name: name, Size: v.String(), Width: img.Rect.Dx(), Height: img.Rect.Dy(), Lines: lines}
	if w := int(v.Width); s.Width > w { // drawn denser than it is shown
		s.Width, s.Height = w, s.Height*w/s.Width
	}
	if d.how.Folder == "" {
		s.Address = template.URL("data:image/jpeg;base64," + base64.StdEncoding.EncodeToString(b.Bytes()))
		return s, nil
	}
	file := sum(b.Bytes())[:16] + ".jpg"
	d.files[file] = b.Bytes()
	s.Address = template.URL(d.how.Folder + "/" + file)
	return s, nil
}

// settled draws a box as it is and as it were without what settle found, at the narrowest viewport where that is to be
// seen.
func (d *drawn) settled(b *report.HandoutBox, id plan.BoxID) error {
	before := d.pr.Plan
	for _, o := range d.pr.Opens() {
		if o.Layer.Box != id || o.Settled == "" {
			continue
		}
		var err error
		if before, err = before.Settle(o, ""); err != nil {
			return err
		}
		key := o.Kind.String()
		if o.Kind == plan.OpenScrim {
			key = "color"
		}
		b.Settled = append(b.Settled, fmt.Sprintf("%s: %s = %s", key, o.Wish, o.Settled))
	}
	if len(b.Settled) == 0 {
		return nil
	}
	views := slices.Clone(d.pr.Named)
	slices.SortFunc(views, func(a, b plan.Viewport) int { return int(a.Width - b.Width) })
	for _, v := range views {
		x, _, err1 := proof.Window(before, d.pr.Store, of(id, v, 300))
		y, _, err2 := proof.Window(d.pr.Plan, d.pr.Store, of(id, v, 300))
		if err1 != nil || err2 != nil || x == nil || y == nil || alike(x, y) {
			continue
		}
		var err error
		if b.Before, err = d.shot(before, id, v, "before"); err != nil {
			return err
		}
		b.After, err = d.shot(d.pr.Plan, id, v, "after")
		return err
	}
	return nil
}

// of asks for one box at one viewport.
func of(id plan.BoxID, v plan.Viewport, width int) proof.Options {
	return proof.Options{Boxes: []plan.BoxID{id}, Viewports: []plan.Viewport{v}, Width: width}
}

func alike(a, b *image.RGBA) bool { return a.Rect == b.Rect && bytes.Equal(a.Pix, b.Pix) }

// AddFiles adds what visitors fetch, and the files that are to be delivered.
func (pr *Project) AddFiles(h *report.Handout, r *cut.Result) {
	h.AddFetches(pr.Plan, report.OfFetches(pr.Plan, pr.Store, r.Ladders))
	at := map[string]int{}
	for _, l := range r.Ladders {
		for _, rung := range l.Rungs {
			for i := range rung.Files {
				a := &rung.Files[i]
				if a.Address != "" {
					continue
				}
				use := l.Box.Name
				if i > 0 {
					use += ", where " + string(rung.Files[0].Format) + " is not known"
				}
				if n, ok := at[a.Name]; ok {
					if f := &h.Files[n]; !strings.Contains(f.For, use) {
						f.For += "; " + use
					}
					continue
				}
				at[a.Name] = len(h.Files)
				h.Files = append(h.Files, report.HandoutFile{Name: a.Name, Px: fmt.Sprintf("%d × %d",
					rung.Width, rung.Height),
					Bytes: len(a.Data), For: use})
			}
		}
	}
	total := 0
	for _, f := range h.Files {
		total += f.Bytes
	}
	h.How = append(h.How, fmt.Sprintf("The files were made by tourmaline cut: %s, %s in all; their weights are "+
		"those of "+
		"the files themselves.", report.Plural(len(h.Files), "file"), finding.Weight(total)))
}

package place

import (
	"tourmaline/core/css"
	"tourmaline/core/layout"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/source"
)

// Placed is one layer of a box with what it lands as.
type Placed struct {
	Input
	ID      plan.LayerID
	Plan    *plan.Layer   // what the plan says of it beyond CSS; never nil
	Image   *css.Image    // after image-set() has chosen
	File    *picture.File // nil for gradients and layers without an image
	Landing Landing
}

// Stage is a page at a window, with the pictures that it shows.
type Stage struct {
	Page   *layout.Page
	Store  *picture.Store
	Scroll float64 // how far the page is scrolled, CSS px, which moves fixed layers over it
}

// Box places every layer of a frame, top first. Layers without an image are left out.
// Errors are of the pictures, with the layer's place.
func (s Stage) Box(f *layout.Frame) ([]Placed, error) {
	out := make([]Placed, 0, len(f.Values.Layers()))
	for i := range f.Values.Layers() {
		var p Placed
		if ok, err := s.Layer(&p, f, i); err != nil {
			return nil, err
		} else if ok {
			out = append(out, p)
		}
	}
	return out, nil
}

// Layer places layer i of a frame into p; it is false where the layer has no
// image. It does not allocate.
func (s Stage) Layer(p *Placed, f *layout.Frame, i int) (bool, error) {
	l := &f.Values.Layers()[i]
	img, density := l.Image.Pick(f.Env.Density)
	if img.IsNone() {
		return false, nil
	}
	// Field by field: this is the innermost loop of every sweep.
	p.ID, p.Plan, p.Image, p.File, p.Natural, p.Opaque = l.ID, l.Plan, img, nil, Natural{}, [4]bool{}
	layer := l.On(f.Env.Modes)
	p.Layer, p.Env, p.Pixels, p.Keep, p.Focus = layer, &f.Env, density, l.Plan.Keep, l.Plan.Focus
	p.Area, p.Paint = s.areas(f, layer)
	p.Scrolls = max(s.Page.Height-s.Page.Viewport.Height-s.Scroll, 0)
	p.Bound = p.Paint
	if f.Box.Role != plan.Canvas {
		p.Bound = f.Border
	}
	p.Edge = f.Edge
	for side := range f.Edge {
		if f.Edge[side] > 0 {
			b := &f.Values.Style.Borders[side]
			p.Opaque[side] = b.Style == css.Solid && b.Color.Resolve(f.Env.Current).A >= 1
		}
	}
	if img.IsURL {
		file, err := s.Store.File(img.URL)
		if err != nil {
			return false, source.Place(err, l.Plan.Span)
		}
		p.File, p.Natural = file, NaturalSize(file, density)
	}
	p.Landing.land(&p.Input)
	return true, nil
}

// OnTouch says in words what becomes of a fixed layer on touch screens; "" where the window
// is not of one, or nothing is written for it.
func (p *Placed) OnTouch(f *layout.Frame) string {
	if !f.Env.Touch() {
		return ""
	}
	i := f.Values.Find(p.ID)
	if i < 0 {
		return ""
	}
	switch f.Box.Touch(&f.Values.Layers()[i]) {
	case plan.TouchScroll:
		return "scrolls with the box on touch screens"
	case plan.TouchFixedLayer:
		return "on a fixed layer behind the page on touch screens"
	}
	return ""
}

// NaturalSize is the natural size of a picture whose pixels are density to a CSS px.
func NaturalSize(f *picture.File, density float64) Natural {
	if v := f.Vector; v != nil {
		return Natural{W: v.Width / density, H: v.Height / density, Ratio: v.Ratio, Vector: true}
	}
	w, h := float64(f.Width), float64(f.Height)
	return Natural{W: w / density, H: h / density, Ratio: w / h}
}

// areas returns the positioning and the painting area of a layer on the page.
// The canvas paints the whole window; what is fixed is sized against the window.
func (s *Stage) areas(f *layout.Frame, l *css.Layer) (area, paint layout.Rect) {
	window := s.Page.Viewport
	paint = f.Area(l.Clip)
	area = f.Area(l.Origin)
	if f.Box.Role == plan.Canvas {
		paint = f.Border
		paint.H = max(paint.H, window.Height)
	}
	if l.Attachment == css.Fixed {
		area = layout.Rect{X: 0, Y: s.Scroll, W: window.Width, H: window.Height}
	}
	return area, paint
}

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
	Image   *css.Image    // after image-set() has chosen
	File    *picture.File // nil for gradients and layers without an image
	Notes   *plan.Notes
	Landing Landing
}

// Box places every layer of a frame, top first. scroll is how far the page is
// scrolled, CSS px, which moves fixed layers over the page. Layers without an
// image are left out. Errors are of the pictures, with the layer's place.
func Box(f *layout.Frame, pg *layout.PageLayout, scroll float64, store *picture.Store) ([]Placed, error) {
	layers := f.At.Layers()
	out := make([]Placed, 0, len(layers))
	for i := range layers {
		var p Placed
		if ok, err := Layer(&p, f, pg, i, scroll, store); err != nil {
			return nil, err
		} else if ok {
			out = append(out, p)
		}
	}
	return out, nil
}

// Layer places layer i of a frame into p; it is false where the layer has no
// image. It does not allocate.
func Layer(p *Placed, f *layout.Frame, pg *layout.PageLayout, i int, scroll float64, store *picture.Store) (bool, error) {
	l := &f.At.Layers()[i]
	img, density := l.Image.Pick(f.Env.Density)
	if img.IsNone() {
		return false, nil
	}
	*p = Placed{Image: img, Notes: &f.At.Notes[i]}
	p.Input = Input{Layer: l, Env: &f.Env, Pixels: density, Keep: p.Notes.Keep, Focus: p.Notes.Focus}
	p.Area, p.Paint = areas(f, pg, l, scroll)
	p.Bound = p.Paint
	if f.Box.Role != plan.Canvas {
		p.Bound = f.Border
	}
	p.Edge = f.Edge
	for side := range f.Edge {
		if f.Edge[side] > 0 {
			b := &f.At.Style.Borders[side]
			p.Opaque[side] = b.Style == "solid" && b.Color.Resolve(f.Env.Current).A >= 1
		}
	}
	if img.IsURL {
		file, err := store.File(img.URL)
		if err != nil {
			return false, source.At(err, p.Notes.Pos, "", 0)
		}
		p.File, p.Natural = file, NaturalSize(file, density)
	}
	p.Landing = Land(&p.Input)
	return true, nil
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
func areas(f *layout.Frame, pg *layout.PageLayout, l *css.Layer, scroll float64) (area, paint layout.Rect) {
	paint = f.Area(l.Clip)
	area = f.Area(l.Origin)
	if f.Box.Role == plan.Canvas {
		paint = f.Border
		paint.H = max(paint.H, pg.Viewport.Height)
	}
	if l.Attachment == css.Fixed {
		area = layout.Rect{X: 0, Y: scroll, W: pg.Viewport.Width, H: pg.Viewport.Height}
	}
	return area, paint
}

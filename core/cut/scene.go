package cut

import (
	"crypto/sha256"
	"fmt"
	"image"
	"math"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/layout"
	"tourmaline/core/paint"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/similar"
)

// scene shows versions of one picture as people see it: in its box at a window, at the window's
// density, under what lies over it and through its filters.
type scene struct {
	p      *plan.Plan
	store  *picture.Store
	l      *Ladder
	at     plan.Viewport
	pg     *layout.Page
	f      *layout.Frame
	layer  plan.LayerID      // the first that shows the picture
	land   place.Landing     // of the picture, where it is shown
	shown  bool              // the box shows the picture at this window
	veiled bool              // something hides a share of the picture's detail
	parts  []image.Rectangle // device px of the box that are looked at
	stand  []int             // px of the box that each part stands for; nil: its own
}

// maxTexture is the most px a side that are looked at of a box with a texture, which shows its
// tiles in much less.
const maxTexture = 640

func newScene(p *plan.Plan, store *picture.Store, l *Ladder, v plan.Viewport) (*scene, error) {
	s := &scene{p: p, store: store, l: l, at: v, pg: layout.At(p, v, layout.Device)}
	s.f = s.pg.Frame(l.Box.ID)
	placed, err := place.Stage{Page: s.pg, Store: store}.Box(s.f)
	if err != nil {
		return nil, err
	}
	for i := range placed {
		q := &placed[i]
		if q.Image.IsURL && q.Image.URL == l.Source {
			if !s.shown {
				s.layer = q.ID
				s.veiled = i > 0 || len(q.Plan.Filters) > 0 || q.Layer.Blend != css.BlendNormal
			}
			s.land, s.shown = q.Landing, true
		}
	}
	box := s.box()
	w, h := box.Dx(), box.Dy()
	s.parts = []image.Rectangle{box}
	if l.Tiled { // where rows that repeat on one axis mostly lie
		s.parts[0] = image.Rect(0, h-min(h, maxTexture), min(w, maxTexture), h)
	}
	s.shown = s.shown && w > 0 && h > 0 && s.land.Size.X > 0 && s.land.Size.Y > 0
	return s, nil
}

// bare is the scene without what lies over the picture and without its filters.
func (s *scene) bare() *scene {
	out, f := *s, *s.f
	if i := f.Values.Find(s.layer); i >= 0 {
		f.Values = f.Values.Under(i)
	}
	out.f, out.veiled = &f, false
	return &out
}

// box is what is seen of the box, device px.
func (s *scene) box() image.Rectangle {
	w, h := int(s.f.Border.W*s.at.Density), int(s.f.Border.H*s.at.Density)
	if s.l.Box.Role == plan.Canvas {
		h = min(h, int(s.at.Height*s.at.Density))
	}
	return image.Rect(0, 0, w, h)
}

// signature is all that what is shown depends on beside the picture's own px.
func (s *scene) signature() string {
	var b strings.Builder
	st := &s.f.Values.Style
	fmt.Fprintf(&b, "%s %v %v %v %v %s %v %v", s.at, s.f.Border, s.f.Edge, s.f.Pad, s.shown,
		st.Background.Color, st.Borders, st.Radii)
	for i := range s.f.Values.Layers() {
		l := &s.f.Values.Layers()[i]
		img, density := l.Image.Pick(s.at.Density)
		fmt.Fprintf(&b, "\n%s %g %s %s %s %v %v %v %s %s %v", img, density, l.Position, l.Size, l.Repeat, l.Origin,
			l.Clip, l.Attachment, l.Blend, l.Plan.Filters, l.Plan.Keep)
		if img.IsURL && img.URL != s.l.Source {
			if f, err := s.store.File(img.URL); err == nil {
				fmt.Fprintf(&b, " %x", sha256.Sum256(f.Data()))
			}
		}
	}
	for i := range s.f.Values.Text {
		fmt.Fprintf(&b, "\n%v", s.f.TextRect(&s.f.Values.Text[i]))
	}
	return b.String()
}

// variant is a picture file as it is shown: its px, and what it holds.
type variant struct {
	img  *image.RGBA
	rung *Rung // nil: the whole picture
}

// exact is the rung whose px are the device px of the scene, never more than the picture has: it
// holds what r holds.
func (s *scene) exact(r *Rung) *Rung {
	w, h := float64(s.l.File.Width), float64(s.l.File.Height)
	d := s.at.Density
	axis := func(part, at, all, shown float64) (int, float64, float64) {
		k := min(shown*d/all, 1)
		if s.l.Tiled { // whole repeats
			return max(int(part*k+0.5), 1), at, part
		}
		if part >= all {
			return max(int(all*k+0.5), 1), 0, all
		}
		n := min(math.Ceil(part*k-1e-6), math.Floor(all*k))
		length := n / k
		return int(n), at / (all - part) * (all - length), length
	}
	var o Rung
	o.Width, o.Part.X, o.Part.W = axis(r.Part.W, r.Part.X, w, s.land.Size.X)
	o.Height, o.Part.Y, o.Part.H = axis(r.Part.H, r.Part.Y, h, s.land.Size.Y)
	return &o
}

// ideal is the picture in exactly the px in which the scene shows it: source is the picture decoded,
// r says what is needed of it.
func (s *scene) ideal(source *image.RGBA, r *Rung) variant {
	if !s.shown {
		return variant{source, nil}
	}
	o := s.exact(r)
	return variant{picture.Scale(source, o.Part, image.Pt(o.Width, o.Height),
		picture.Scaling{Wrap: s.l.Tiled, Sharpen: s.p.Files.Sharpen}), o}
}

// care is where people look most in a part: at what the plan keeps in view, and around its texts.
func (s *scene) care(part image.Rectangle) []similar.Care {
	var out []similar.Care
	d := s.at.Density
	add := func(x, y, w, h float64) {
		at := image.Rect(int(math.Floor((x-s.f.Border.X)*d)), int(math.Floor((y-s.f.Border.Y)*d)),
			int(math.Ceil((x+w-s.f.Border.X)*d)), int(math.Ceil((y+h-s.f.Border.Y)*d))).Intersect(part)
		if !at.Empty() {
			out = append(out, similar.Care{At: at.Sub(part.Min), Weight: careWeight})
		}
	}
	for i := range s.f.Values.Layers() {
		l := &s.f.Values.Layers()[i]
		if k := l.Plan.Keep; k != nil && l.Image.IsURL && l.Image.URL == s.l.Source {
			add(s.land.Origin.X+k.X*s.land.Size.X, s.land.Origin.Y+k.Y*s.land.Size.Y, k.W*s.land.Size.X,
				k.H*s.land.Size.Y)
		}
	}
	for i := range s.f.Values.Text {
		const around = 16 // CSS px
		r := s.f.TextRect(&s.f.Values.Text[i])
		add(r.X-around, r.Y-around, r.W+2*around, r.H+2*around)
	}
	return out
}

// careWeight is how much more a difference counts where people look most.
const careWeight = 1.2

// view is a variant as a scene shows it, taken apart: what others are compared with.
type view struct {
	*scene
	refs  []*similar.Reference
	sizes []int
}

// of shows a variant that others are compared with.
func (s *scene) of(v variant) (*view, error) {
	out := &view{scene: s}
	err := s.each(v, func(part image.Rectangle, img *image.RGBA) {
		out.refs = append(out.refs, similar.To(img, s.at.Density, s.care(part)...))
		out.sizes = append(out.sizes, img.Rect.Dx()*img.Rect.Dy())
	})
	if s.shown && s.stand != nil {
		out.sizes = s.stand
	}
	return out, err
}

// look tells how a variant looks beside the view's.
func (w *view) look(v variant) (similar.Look, error) {
	var pools []similar.Pool
	err := w.each(v, func(_ image.Rectangle, img *image.RGBA) {
		pools = append(pools, w.refs[len(pools)].Pool(img))
	})
	return similar.Joined(pools, w.sizes), err
}

// worst is look, and the places that look worst first: where they are in what is looked at.
func (w *view) worst(v variant) (l similar.Look, at []similar.Place, err error) {
	var pools []similar.Pool
	err = w.each(v, func(part image.Rectangle, img *image.RGBA) {
		p, some := w.refs[len(pools)].PoolPlaces(img)
		pools = append(pools, p)
		for _, o := range some {
			at = append(at, similar.Place{At: o.At.Add(part.Min), Difference: o.Difference})
		}
	})
	return similar.Joined(pools, w.sizes), worstFirst(at), err
}

// each gives f every part of the box with a variant in it; where the box does not show the picture,
// the picture itself.
func (s *scene) each(v variant, f func(part image.Rectangle, img *image.RGBA)) error {
	if !s.shown {
		f(v.img.Rect, v.img)
		return nil
	}
	show := s.shower(v)
	for _, part := range s.parts {
		img, err := show(paint.Options{Part: part})
		if err != nil {
			return err
		}
		f(part, img)
	}
	return nil
}

// shower paints the box with a variant of the picture, as the stylesheet lays it out.
func (s *scene) shower(v variant) func(paint.Options) (*image.RGBA, error) {
	f, file := s.f, s.l.File.Stand(v.img)
	if v.rung != nil && v.rung.Partial(s.l.File) {
		own := *s.f
		layers := s.f.Values.Layers()
		own.Values = s.f.Values.Sized(func(i int) css.Size {
			if img, _ := layers[i].Image.Pick(s.at.Density); img.IsURL && img.URL == s.l.Source {
				return v.rung.Size(&layers[i].Layer, s.l.File)
			}
			return layers[i].Size
		})
		f, file = &own, s.l.File.As(v.img)
	}
	if s.l.File.Opaque() { // so are its versions
		file.Solid()
	}
	store := s.store.With(s.l.Source, file)
	return func(o paint.Options) (*image.RGBA, error) { return paint.Box(s.pg, f, store, o) }
}

// pixels are how many px each device px has of a file of the whole picture, so many px wide.
func (s *scene) pixels(width int) float64 {
	return float64(width) / (s.land.Size.X * s.at.Density)
}

// Package paint draws the background of a box as a browser does: colour, pictures,
// tiles and gradients, blended and clipped, in device pixels.
//
//	img, err := paint.Box(pg, pg.Frame("hero"), store, paint.Options{})
//
// The result is the border box, premultiplied sRGB; where nothing is painted it
// is transparent. How device pixels are chosen and pictures scaled follows what
// was measured in a browser: docs/RATIONALE.md, "How was scaling matched?".
package paint

import (
	"fmt"
	"image"
	"math"

	"tourmaline/core/css"
	"tourmaline/core/layout"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/source"
	"tourmaline/core/work"
)

// Options say how a box is painted. The zero value paints it unscrolled at the
// viewport's density.
type Options struct {
	Scale  float64 // device px per CSS px; 0 is the viewport's density
	Scroll float64 // how far the page is scrolled, CSS px
}

// MaxPixels bounds the painted box.
const MaxPixels = 256 << 20

// shader gives the colour of pixels.
type shader interface {
	// row writes premultiplied RGBA of the px x0..x1 of row y, in device px of
	// the page. out has 4*(x1-x0) bytes.
	row(y, x0, x1 int, out []uint8)
	opaque() bool
}

// solid is one colour.
type solid [4]uint8

func (s solid) opaque() bool { return s[3] == 255 }

func (s solid) row(_, x0, x1 int, out []uint8) {
	fillRow(out[:4*(x1-x0)], [4]float32{float32(s[0]), float32(s[1]), float32(s[2]), float32(s[3])})
}

// Solid8 is a colour as painted: clipped to sRGB channel by channel, 8 bits,
// premultiplied.
func Solid8(c css.RGBA) [4]uint8 {
	unit := func(v float64) float64 { return min(max(v, 0), 1) }
	a := unit(c.A)
	f := func(v float64) uint8 { return uint8(math.Floor(unit(v)*a*255 + 0.5)) }
	return [4]uint8{f(c.R), f(c.G), f(c.B), f(1)}
}

// Box paints the border box of a frame. Errors are of its pictures, or a
// *source.LimitError when the box is too large.
func Box(pg *layout.PageLayout, f *layout.Frame, store *picture.Store, opt Options) (*image.RGBA, error) {
	k := opt.Scale
	if k == 0 {
		k = f.Env.Density
	}
	x0, y0, x1, y1 := place.SnapRect(f.Border, k)
	w, h := x1-x0, y1-y0
	if w <= 0 || h <= 0 {
		return nil, &source.SyntaxError{Pos: f.Box.Pos, Msg: fmt.Sprintf("the box %q has no size at %s (%gx%g px)", f.Box.Name, pg.Viewport, f.Border.W, f.Border.H),
			Hint: "give it a height"}
	}
	if int64(w)*int64(h) > MaxPixels {
		return nil, &source.LimitError{Pos: f.Box.Pos, Msg: fmt.Sprintf("the box %q would be %dx%d device px", f.Box.Name, w, h)}
	}
	layers, err := place.Box(f, pg, opt.Scroll, store)
	if err != nil {
		return nil, err
	}
	dst := image.NewRGBA(image.Rect(0, 0, w, h))
	c := canvas{dst: dst, x0: x0, y0: y0}
	bottom := f.At.Layers()[len(f.At.Layers())-1]
	colour := Solid8(f.At.Style.Background.Color.Resolve(f.Env.Current))
	if colour[3] > 0 && bottom.Clip != css.TextClip {
		area := f.Area(bottom.Clip)
		cx0, cy0, cx1, cy1 := place.SnapRect(area, k)
		c.fill(solid(colour), image.Rect(cx0, cy0, cx1, cy1), c.clip(f, bottom.Clip, k), css.BlendNormal)
	}
	for i := len(layers) - 1; i >= 0; i-- {
		if layers[i].Layer.Clip == css.TextClip {
			continue
		}
		if err := c.layer(f, &layers[i], k); err != nil {
			return nil, err
		}
	}
	c.border(f, k)
	return dst, nil
}

// canvas is where layers are painted; its corner is at x0, y0 of the page.
type canvas struct {
	dst    *image.RGBA
	x0, y0 int
}

func (c *canvas) layer(f *layout.Frame, l *place.Placed, k float64) error {
	s := place.Device(&l.Input, k)
	dest := image.Rect(s.Dest[0], s.Dest[1], s.Dest[2], s.Dest[3])
	if dest.Empty() {
		return nil
	}
	sh, err := c.shader(f, l, &s, dest, k)
	if err != nil || sh == nil {
		return err
	}
	c.fill(sh, dest, c.clip(f, l.Layer.Clip, k), l.Layer.Blend)
	return nil
}

// shader returns what paints a layer into dest.
func (c *canvas) shader(f *layout.Frame, l *place.Placed, s *place.Snapped, dest image.Rectangle, k float64) (shader, error) {
	x, y := float64(dest.Min.X)-s.Phase.X, float64(dest.Min.Y)-s.Phase.Y
	if g := l.Image.Gradient; g != nil {
		if s.One {
			return newGradient(g, &f.Env, k, x, y, s.Tile.X, s.Tile.Y), nil
		}
		// A tile of whole px is drawn once and repeated at its true size.
		tw, th := tileDims(s.Tile.X, s.Tile.Y)
		img := image.NewRGBA(image.Rect(0, 0, tw, th))
		sh := newGradient(g, &f.Env, k*float64(tw)/s.Tile.X, 0, 0, float64(tw), float64(th))
		work.Rows(th, tw, func(a, b int) {
			for r := a; r < b; r++ {
				sh.row(r, 0, tw, img.Pix[r*img.Stride:])
			}
		})
		return c.tiles(img, s, x, y, dest), nil
	}
	img, err := pixels(l, s)
	if err != nil {
		return nil, source.At(err, l.Notes.Pos, "", 0)
	}
	return c.tiles(img, s, x, y, dest), nil
}

// outward is the piece of a picture that a part of its tile shows, rounded out.
func outward(x, w, kx, y, h, ky float64) (x0, y0, x1, y1 int) {
	const near = 1.0 / 64
	lo := func(v float64) int { return int(math.Floor(v + near)) }
	hi := func(v float64) int { return int(math.Ceil(v - near)) }
	return lo(x * kx), lo(y * ky), hi((x + w) * kx), hi((y + h) * ky)
}

// pixels returns the picture at the level it is scaled from.
func pixels(l *place.Placed, s *place.Snapped) (*image.RGBA, error) {
	if l.File.Vector != nil {
		return l.File.Draw(max(int(math.Ceil(s.Tile.X-1e-6)), 1), max(int(math.Ceil(s.Tile.Y-1e-6)), 1), l.Landing.Size.X, l.Landing.Size.Y)
	}
	return l.File.Level(math.Floor(s.Tile.X+0.5), math.Floor(s.Tile.Y+0.5))
}

type imageShader struct {
	*sampler
	solid bool
}

func (s imageShader) opaque() bool { return s.solid }

// maxTile is the most px a tile of a gradient is drawn with before it is
// repeated; larger ones are drawn smaller and enlarged.
const maxTile = 4 << 20

func tileDims(w, h float64) (int, int) {
	if w*h > maxTile {
		f := math.Sqrt(maxTile / (w * h))
		w, h = w*f, h*f
	}
	return max(int(math.Ceil(w-1e-6)), 1), max(int(math.Ceil(h-1e-6)), 1)
}

// tiles paints a picture into dest: as one draw of the part that shows, or as
// tiles of their fractional size with the first corner at x, y.
func (c *canvas) tiles(img *image.RGBA, s *place.Snapped, x, y float64, dest image.Rectangle) shader {
	if s.Space.X > 0 || s.Space.Y > 0 {
		return newSpaced(img, s, x, y)
	}
	kx, ky := float64(img.Rect.Dx())/s.Tile.X, float64(img.Rect.Dy())/s.Tile.Y
	smp := &sampler{img: img, sx: kx, sy: ky, ox: -x * kx, oy: -y * ky}
	if s.One {
		smp.part = image.Rect(outward(s.Phase.X, s.Part.X, kx, s.Phase.Y, s.Part.Y, ky))
		smp.sx = kx * s.Part.X / float64(dest.Dx())
		smp.sy = ky * s.Part.Y / float64(dest.Dy())
		smp.ox = s.Phase.X*kx - float64(dest.Min.X)*smp.sx
		smp.oy = s.Phase.Y*ky - float64(dest.Min.Y)*smp.sy
	} else {
		smp.sx, smp.ox, smp.wrapX = tileAxis(img.Rect.Dx(), s.Tile.X, s.Phase.X, dest.Min.X, dest.Dx())
		smp.sy, smp.oy, smp.wrapY = tileAxis(img.Rect.Dy(), s.Tile.Y, s.Phase.Y, dest.Min.Y, dest.Dy())
	}
	smp.prepare(dest.Min.X, dest.Max.X)
	return imageShader{smp, !picture.HasAlpha(img)}
}

// tileAxis is the scale and offset of one axis, and whether tiles follow each
// other on it. A tile that rounds to the length it fills is stretched to it, so
// that no second copy begins in the last px.
func tileAxis(px int, tile, phase float64, at, length int) (scale, offset float64, wrap bool) {
	if math.Abs(tile-float64(length)) <= 0.5 {
		tile = float64(length)
	}
	scale = float64(px) / tile
	return scale, -(float64(at) - phase) * scale, phase+float64(length) > tile+1e-6
}

// spaced paints tiles with gaps; the edges of a tile blend into the gap.
type spaced struct {
	img    *image.RGBA
	s      *place.Snapped
	x, y   float64
	kx, ky float64
}

func newSpaced(img *image.RGBA, s *place.Snapped, x, y float64) *spaced {
	return &spaced{img, s, x, y, float64(img.Rect.Dx()) / s.Tile.X, float64(img.Rect.Dy()) / s.Tile.Y}
}

func (p *spaced) opaque() bool { return false }

func (p *spaced) row(y, x0, x1 int, out []uint8) {
	clear(out[:4*(x1-x0)])
	stepX, stepY := p.s.Tile.X+p.s.Space.X, p.s.Tile.Y+p.s.Space.Y
	ty := math.Floor((float64(y) + 0.5 - p.y) / stepY)
	for n := ty - 1; n <= ty+1; n++ {
		top := p.y + n*stepY
		cy := overlap(float64(y), top, top+p.s.Tile.Y)
		if cy <= 0 {
			continue
		}
		first := math.Floor((float64(x0) - p.x) / stepX)
		for m := first - 1; p.x+m*stepX < float64(x1); m++ {
			left := p.x + m*stepX
			a, b := max(int(math.Floor(left)), x0), min(int(math.Ceil(left+p.s.Tile.X)), x1)
			if a >= b {
				continue
			}
			smp := sampler{img: p.img, sx: p.kx, sy: p.ky, ox: -left * p.kx, oy: -top * p.ky}
			smp.prepare(a, b)
			row := make([]uint8, 4*(b-a))
			smp.row(y, a, b, row)
			for i := a; i < b; i++ {
				f := cy * overlap(float64(i), left, left+p.s.Tile.X)
				for ch := range 4 {
					o := &out[4*(i-x0)+ch]
					*o = uint8(min(float64(*o)+float64(row[4*(i-a)+ch])*f+0.5, 255))
				}
			}
		}
	}
}

// overlap is the part of px i..i+1 that lies in lo..hi.
func overlap(i, lo, hi float64) float64 { return max(min(i+1, hi)-max(i, lo), 0) }

// fill paints the shader into area (page device px) where the clip lets it.
func (c *canvas) fill(sh shader, area image.Rectangle, clip *clip, blend css.Blend) {
	area = area.Intersect(c.dst.Rect.Add(image.Pt(c.x0, c.y0)))
	if clip != nil {
		area = area.Intersect(clip.bounds)
	}
	if area.Empty() {
		return
	}
	n := area.Dx()
	opaque := sh.opaque() && blend == css.BlendNormal
	work.Rows(area.Dy(), n, func(r0, r1 int) {
		buf := make([]uint8, 4*n)
		cover := make([]uint8, n)
		for r := r0; r < r1; r++ {
			y := area.Min.Y + r
			dst := c.dst.Pix[(y-c.y0)*c.dst.Stride+4*(area.Min.X-c.x0):][:4*n]
			partial := clip != nil && clip.row(y, area.Min.X, area.Max.X, cover)
			if opaque && !partial {
				sh.row(y, area.Min.X, area.Max.X, dst)
				continue
			}
			sh.row(y, area.Min.X, area.Max.X, buf)
			if !partial {
				blendRow(dst, buf, nil, blend)
			} else {
				blendRow(dst, buf, cover, blend)
			}
		}
	})
}

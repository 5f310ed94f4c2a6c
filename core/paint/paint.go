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
	"image/draw"
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
	// Loading leaves out the picture files, as before they have come.
	Loading bool
	// Part is the only part that is painted, in device px from the box's corner; empty is all.
	Part  image.Rectangle
	Rough bool // edges of SVG need not be as finely blended as a browser's
	Still bool // an SVG that is slow to draw may be drawn once, and scaled
}

// MaxPixels bounds the painted box.
const MaxPixels = 256 << 20

// shader gives the colour of pixels.
type shader interface {
	// row writes premultiplied RGBA of the px x0..x1 of row y, in device px of
	// the page. out has 4*(x1-x0) bytes.
	row(y, x0, x1 int, out []uint8)
	// rowF writes the same as floats 0..255 that are not rounded.
	rowF(y, x0, x1 int, out [][4]float32)
	opaque() bool
}

// solid is one colour.
type solid [4]uint8

func (s solid) opaque() bool { return s[3] == 255 }

func (s solid) row(_, x0, x1 int, out []uint8) {
	fillRow(out[:4*(x1-x0)], [4]float32{float32(s[0]), float32(s[1]), float32(s[2]), float32(s[3])})
}

func (s solid) rowF(_, x0, x1 int, out [][4]float32) {
	for i := range out[:x1-x0] {
		out[i] = [4]float32{float32(s[0]), float32(s[1]), float32(s[2]), float32(s[3])}
	}
}

// Solid8 is a colour as painted: clipped to sRGB channel by channel, 8 bits,
// premultiplied.
func Solid8(c css.RGBA) [4]uint8 {
	unit := func(v float64) float64 { return min(max(v, 0), 1) }
	a := unit(c.A)
	f := func(v float64) uint8 { return uint8(math.Floor(unit(v)*a*255 + 0.5)) }
	return [4]uint8{f(c.R), f(c.G), f(c.B), f(1)}
}

// smallPixels is about how many px a box is painted small with: enough for the contrast
// under text, in a millisecond.
const smallPixels = 9000

// SmallScale is the scale at which a box is painted small.
func SmallScale(f *layout.Frame) float64 {
	return min(1, math.Sqrt(smallPixels/(f.Border.W*f.Border.H)))
}

// Box paints the border box of a frame. Errors are of its pictures, or a
// *source.LimitError when the box is too large.
func Box(pg *layout.Page, f *layout.Frame, store *picture.Store, opt Options) (*image.RGBA, error) {
	k := opt.Scale
	if k == 0 {
		k = f.Env.Density
	}
	x0, y0, x1, y1 := place.SnapRect(f.Border, k)
	w, h := x1-x0, y1-y0
	if w <= 0 || h <= 0 {
		return nil, &source.SyntaxError{Span: f.Box.Span,
			Msg: fmt.Sprintf("the box %q has no size at %s (%gx%g px)", f.Box.Name, pg.Viewport, f.Border.W,
				f.Border.H),
			Hint: "give it a height"}
	}
	if int64(w)*int64(h) > MaxPixels {
		return nil, &source.LimitError{Span: f.Box.Span,
			Msg: fmt.Sprintf("the box %q would be %dx%d device px", f.Box.Name, w, h)}
	}
	if !opt.Part.Empty() {
		part := opt.Part.Intersect(image.Rect(0, 0, w, h))
		x0, y0, w, h = x0+part.Min.X, y0+part.Min.Y, part.Dx(), part.Dy()
	}
	var layers []place.Placed
	for i := range f.Values.Layers() {
		if img, _ := f.Values.Layers()[i].Image.Pick(f.Env.Density); opt.Loading && img.IsURL {
			continue
		}
		var p place.Placed
		if ok, err := (place.Stage{Page: pg, Store: store, Scroll: opt.Scroll}).Layer(&p, f, i); err != nil {
			return nil, err
		} else if ok {
			layers = append(layers, p)
		}
	}
	dst := image.NewRGBA(image.Rect(0, 0, w, h))
	c := canvas{dst: dst, x0: x0, y0: y0, rough: opt.Rough, still: opt.Still}
	bottom := f.Values.Layers()[len(f.Values.Layers())-1]
	colour := Solid8(f.Values.Style.Background.Color.Resolve(f.Env.Current))
	if colour[3] > 0 && bottom.Clip != css.TextClip {
		area := f.Area(bottom.Clip)
		cx0, cy0, cx1, cy1 := place.SnapRect(area, k)
		c.fill(solid(colour), image.Rect(cx0, cy0, cx1, cy1), c.clip(f, bottom.Clip, k), css.BlendNormal)
	}
	for i := len(layers) - 1; i >= 0; i-- {
		if layers[i].Layer.Clip == css.TextClip {
			continue
		}
		if err := c.filtered(f, &layers[i], k); err != nil {
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
	rough  bool // of SVG: see Options
	still  bool
}

// filtered paints a layer; one with filters is painted by itself first, as the
// pseudo-element is that the stylesheet gives it.
func (c *canvas) filtered(f *layout.Frame, l *place.Placed, k float64) error {
	if len(l.Plan.Filters) == 0 {
		return c.layer(f, l, k)
	}
	own := canvas{dst: image.NewRGBA(c.dst.Rect), x0: c.x0, y0: c.y0, rough: c.rough, still: c.still}
	if err := own.layer(f, l, k); err != nil {
		return err
	}
	img := applyFilters(own.dst, l.Plan.Filters, &f.Env, k)
	exact := make([][4]float32, img.Rect.Dx())
	for y := range img.Rect.Dy() {
		dst, src := c.dst.Pix[y*c.dst.Stride:][:4*len(exact)], img.Pix[y*img.Stride:][:4*len(exact)]
		if l.Layer.Blend == css.BlendNormal {
			over(dst, src)
			continue
		}
		for x := range exact { // what is filtered blends with what lies below
			for ch := range 4 {
				exact[x][ch] = float32(src[4*x+ch])
			}
		}
		blendRowF(dst, exact, nil, l.Layer.Blend)
	}
	return nil
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
	if s.One && l.Image.Gradient != nil {
		sh = endAt(sh, dest, float64(dest.Min.X)-s.Phase.X+s.Tile.X, float64(dest.Min.Y)-s.Phase.Y+s.Tile.Y)
	}
	c.fill(sh, dest.Intersect(image.Rect(s.Clip[0], s.Clip[1], s.Clip[2], s.Clip[3])), c.clip(f, l.Layer.Clip, k),
		l.Layer.Blend)
	return nil
}

// shader returns what paints a layer into dest.
func (c *canvas) shader(f *layout.Frame, l *place.Placed, s *place.Snapped, dest image.Rectangle, k float64) (shader,
	error) {
	x, y := float64(dest.Min.X)-s.Phase.X, float64(dest.Min.Y)-s.Phase.Y
	if g := l.Image.Gradient; g != nil {
		if s.One {
			return newGradient(g, &f.Env, room{k, x, y, s.Tile.X, s.Tile.Y}), nil
		}
		return newPattern(s, x, y, dest, func(img *image.RGBA, kx, ky float64) {
			w, h := s.Tile.X*kx, s.Tile.Y*ky
			sh := newGradient(g, &f.Env, room{k: k, w: s.Tile.X, h: s.Tile.Y})
			sh.stretch(kx, ky)
			part := canvas{dst: img}
			part.fill(sh, image.Rect(0, 0, int(math.Ceil(w-1e-6)), int(math.Ceil(h-1e-6))), edgeClip(w, h),
				css.BlendNormal)
		}), nil
	}
	if l.File.Vector != nil {
		return c.vector(l, s, x, y, dest)
	}
	var img *image.RGBA
	var err error
	if s.Space != (place.Point{}) || l.File.Orientation != 1 {
		img, err = l.File.Half(s.Tile.X/float64(l.File.Width), s.Tile.Y/float64(l.File.Height))
	} else {
		img, err = l.File.Level(math.Floor(s.Tile.X+0.5), math.Floor(s.Tile.Y+0.5))
	}
	if err != nil {
		return nil, source.Place(err, l.Plan.Span)
	}
	sh := c.tiles(img, l.File.Opaque(), s, x, y, dest)
	if smp, ok := sh.(imageShader); ok && l.Layer.Attachment == css.Fixed && s.One {
		// A fixed picture lies over the whole window: filtering reads beyond the box.
		smp.part = image.Rectangle{}
		smp.prepare(dest.Min.X, dest.Max.X)
	}
	return sh, nil
}

// vector paints an SVG: straight into dest where one draw fills it, else as a
// pattern. Its lines are drawn at the size that is shown.
func (c *canvas) vector(l *place.Placed, s *place.Snapped, x, y float64, dest image.Rectangle) (shader, error) {
	if c.still && math.Abs(s.Tile.X/s.Tile.Y/l.File.Vector.Ratio-1) < 0.01 {
		if still := l.File.Still(); still != nil {
			img, err := still.Level(math.Floor(s.Tile.X+0.5), math.Floor(s.Tile.Y+0.5))
			if err == nil {
				return c.tiles(img, !picture.HasAlpha(img), s, x, y, dest), nil
			}
		}
	}
	view := picture.View{W: s.Tile.X, H: s.Tile.Y, NaturalW: l.Natural.W, NaturalH: l.Natural.H, Rough: c.rough}
	if view.NaturalW == 0 {
		view.NaturalW = l.Landing.Size.X
	}
	if view.NaturalH == 0 {
		view.NaturalH = l.Landing.Size.Y
	}
	if s.One {
		view.KX, view.KY = float64(dest.Dx())/s.Part.X, float64(dest.Dy())/s.Part.Y
		view.X, view.Y = s.Phase.X*view.KX, s.Phase.Y*view.KY
		img, err := l.File.Draw(dest.Dx(), dest.Dy(), view)
		if err != nil {
			return nil, source.Place(err, l.Plan.Span)
		}
		smp := &sampler{img: img, sx: 1, sy: 1, ox: -float64(dest.Min.X), oy: -float64(dest.Min.Y)}
		smp.prepare(dest.Min.X, dest.Max.X)
		return imageShader{smp, !picture.HasAlpha(img)}, nil
	}
	var failed error
	sh := newPattern(s, x, y, dest, func(tile *image.RGBA, kx, ky float64) {
		view.KX, view.KY = kx, ky
		img, err := l.File.Draw(tile.Rect.Dx(), tile.Rect.Dy(), view)
		if err != nil {
			failed = source.Place(err, l.Plan.Span)
			return
		}
		draw.Draw(tile, tile.Rect, img, image.Point{}, draw.Src)
	})
	return sh, failed
}

// outward is the piece of a picture that a part of its tile shows, rounded out.
func outward(x, w, kx, y, h, ky float64) (x0, y0, x1, y1 int) {
	const near = 1.0 / 64
	lo := func(v float64) int { return int(math.Floor(v + near)) }
	hi := func(v float64) int { return int(math.Ceil(v - near)) }
	return lo(x * kx), lo(y * ky), hi((x + w) * kx), hi((y + h) * ky)
}

type imageShader struct {
	*sampler
	solid bool
}

func (s imageShader) opaque() bool { return s.solid }

// tiles paints a picture into dest: as one draw of the part that shows, or as
// tiles of their fractional size with the first corner at x, y.
func (c *canvas) tiles(img *image.RGBA, opaque bool, s *place.Snapped, x, y float64, dest image.Rectangle) shader {
	if s.Space.X > 0 || s.Space.Y > 0 {
		return newPattern(s, x, y, dest, func(tile *image.RGBA, kx, ky float64) {
			w, h := s.Tile.X*kx, s.Tile.Y*ky
			smp := &sampler{img: img, sx: float64(img.Rect.Dx()) / w, sy: float64(img.Rect.Dy()) / h}
			r := image.Rect(0, 0, int(math.Ceil(w-1e-6)), int(math.Ceil(h-1e-6)))
			smp.blend = fine
			smp.prepare(0, r.Max.X)
			part := canvas{dst: tile}
			part.fill(imageShader{smp, false}, r, edgeClip(w, h), css.BlendNormal)
		})
	}
	kx, ky := float64(img.Rect.Dx())/s.Tile.X, float64(img.Rect.Dy())/s.Tile.Y
	smp := &sampler{img: img, sx: kx, sy: ky, ox: -x * kx, oy: -y * ky}
	if s.One {
		smp.part = image.Rect(outward(s.Phase.X, s.Part.X, kx, s.Phase.Y, s.Part.Y, ky))
		smp.sx = kx * s.Part.X / float64(dest.Dx())
		smp.sy = ky * s.Part.Y / float64(dest.Dy())
		smp.ox = s.Phase.X*kx - float64(dest.Min.X)*smp.sx
		smp.oy = s.Phase.Y*ky - float64(dest.Min.Y)*smp.sy
		smp.ax = pieceAxis(s.Phase.X*kx, s.Part.X*kx, dest.Min.X, dest.Dx(), smp.part.Min.X)
		smp.ay = pieceAxis(s.Phase.Y*ky, s.Part.Y*ky, dest.Min.Y, dest.Dy(), smp.part.Min.Y)
	} else {
		smp.sx, smp.ox, smp.wrapX = tileAxis(img.Rect.Dx(), s.Tile.X, s.Phase.X, dest.Min.X, dest.Dx())
		smp.sy, smp.oy, smp.wrapY = tileAxis(img.Rect.Dy(), s.Tile.Y, s.Phase.Y, dest.Min.Y, dest.Dy())
		smp.ax = patternAxis(img.Rect.Dx(), roundTo(s.Tile.X, dest.Dx()), float64(dest.Min.X)-s.Phase.X)
		smp.ay = patternAxis(img.Rect.Dy(), roundTo(s.Tile.Y, dest.Dy()), float64(dest.Min.Y)-s.Phase.Y)
	}
	smp.prepare(dest.Min.X, dest.Max.X)
	return imageShader{smp, opaque}
}

// tileAxis is the scale and offset of one axis, and whether tiles follow each
// other on it. A tile that rounds to the length it fills is stretched to it, so
// that no second copy begins in the last px.
func tileAxis(px int, tile, phase float64, at, length int) (scale, offset float64, wrap bool) {
	tile = roundTo(tile, length)
	scale = float64(px) / tile
	return scale, -(float64(at) - phase) * scale, phase+float64(length) > tile+1e-6
}

// maxTile is the most px a tile of a pattern is drawn with before it is repeated;
// larger ones are drawn smaller and enlarged, as browsers do.
const maxTile = 4 << 20

// roundTo stretches a tile that rounds to the length it fills.
func roundTo(tile float64, length int) float64 {
	if math.Abs(tile-float64(length)) <= 0.5 {
		return float64(length)
	}
	return tile
}

// endAt makes a shader end at x1, y1, which may lie inside the last px of dest.
func endAt(sh shader, dest image.Rectangle, x1, y1 float64) shader {
	lastX, lastY := x1-float64(dest.Max.X-1), y1-float64(dest.Max.Y-1)
	const whole = 1 - 1.0/256
	if lastX >= whole && lastY >= whole {
		return sh
	}
	return ending{sh, dest.Max, min(max(lastX, 0), 1), min(max(lastY, 0), 1)}
}

// ending covers the last column and row of a shader in part.
type ending struct {
	shader
	max          image.Point
	lastX, lastY float64
}

func (e ending) opaque() bool { return false }

func (e ending) row(y, x0, x1 int, out []uint8) {
	e.shader.row(y, x0, x1, out)
	scale := func(px []uint8, f float64) {
		for i := range px {
			px[i] = uint8(float64(px[i])*f + 0.5)
		}
	}
	if y == e.max.Y-1 {
		scale(out[:4*(x1-x0)], e.lastY)
	}
	if x1 == e.max.X {
		scale(out[4*(x1-x0-1):4*(x1-x0)], e.lastX)
	}
}

// newPattern repeats a tile that is drawn first: its size with its gap is rounded
// up to whole px, fill draws it at that scale, and it is laid at its true size.
func newPattern(s *place.Snapped, x, y float64, dest image.Rectangle,
	fill func(tile *image.RGBA, kx, ky float64)) shader {
	w, h := s.Tile.X+s.Space.X, s.Tile.Y+s.Space.Y
	w, h = roundTo(w, dest.Dx()), roundTo(h, dest.Dy())
	f := math.Min(1, math.Sqrt(maxTile/(w*h)))
	tw, th := max(int(math.Ceil(w*f-1e-6)), 1), max(int(math.Ceil(h*f-1e-6)), 1)
	tile := image.NewRGBA(image.Rect(0, 0, tw, th))
	kx, ky := float64(tw)/w, float64(th)/h
	fill(tile, float64(tw)/(s.Tile.X+s.Space.X), float64(th)/(s.Tile.Y+s.Space.Y))
	smp := &sampler{img: tile, wrapX: true, wrapY: true, sx: kx, sy: ky, ox: -x * kx, oy: -y * ky}
	smp.blend = fine
	smp.prepare(dest.Min.X, dest.Max.X)
	return imageShader{smp, !picture.HasAlpha(tile)}
}

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
		var bufF [][4]float32
		if blend != css.BlendNormal {
			bufF = make([][4]float32, n)
		}
		for r := r0; r < r1; r++ {
			y := area.Min.Y + r
			dst := c.dst.Pix[(y-c.y0)*c.dst.Stride+4*(area.Min.X-c.x0):][:4*n]
			partial := clip != nil && clip.row(y, area.Min.X, area.Max.X, cover)
			if opaque && !partial {
				sh.row(y, area.Min.X, area.Max.X, dst)
				continue
			}
			mask := cover
			if !partial {
				mask = nil
			}
			if blend != css.BlendNormal {
				sh.rowF(y, area.Min.X, area.Max.X, bufF)
				blendRowF(dst, bufF, mask, blend)
				continue
			}
			sh.row(y, area.Min.X, area.Max.X, buf)
			blendRow(dst, buf, mask)
		}
	})
}

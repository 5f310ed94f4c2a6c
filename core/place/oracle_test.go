package place

import (
	"math"
	"math/rand/v2"
	"testing"
	"testing/fstest"

	"tourmaline/core/css"
	"tourmaline/core/layout"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/window"
)

// tiles is one axis by the standard's words, tile by tile.
type tiles struct {
	paint, end   float64 // of the painting area
	size, origin float64
	step         float64 // 0: one tile
	starts       []float64
}

// lay lays the tiles of one axis: a picture of that size in a positioning area, repeated in
// a way, placed by a share of the free space (or, with px, by a length).
func lay(repeat css.Repeat, size, area, length, paint, painted, at float64, px bool) tiles {
	t := tiles{paint: paint, end: paint + painted, size: size}
	if repeat == css.Round {
		// "rescaled so that it will fit a whole number of times", rounded, at least once
		n := math.Floor(length/size + 0.5)
		if n < 1 {
			n = 1
		}
		t.size = length / n
	}
	t.origin = area + at
	if !px {
		t.origin = area + (length-t.size)*at
	}
	switch repeat {
	case css.Tile, css.Round:
		t.step = t.size
	case css.SpaceTiles:
		// "repeated as often as will fit without being clipped and then spaced out"
		if n := math.Floor(length / t.size); n >= 2 {
			t.origin, t.step = area, t.size+(length-n*t.size)/(n-1)
		}
	}
	if t.step == 0 {
		t.starts = []float64{t.origin}
		return t
	}
	first := t.origin
	for first > paint-t.step {
		first -= t.step
	}
	for x := first; x < t.end+t.step; x += t.step {
		t.starts = append(t.starts, x)
	}
	return t
}

// shows is the length of from..from+length of a tile that begins at start in the painting area.
func (t *tiles) shows(start, from, length float64) float64 {
	a := start + from
	b := a + length
	if a < t.paint {
		a = t.paint
	}
	if b > t.end {
		b = t.end
	}
	if b < a {
		return 0
	}
	return b - a
}

func (t *tiles) covered() (sum float64) {
	for _, s := range t.starts {
		sum += t.shows(s, 0, t.size)
	}
	return sum
}

// bounds are the first and the last px with image.
func (t *tiles) bounds() (lo, hi float64) {
	lo, hi = math.Inf(1), math.Inf(-1)
	for _, s := range t.starts {
		if t.shows(s, 0, t.size) > 1e-9 {
			lo, hi = math.Min(lo, math.Max(s, t.paint)), math.Max(hi, math.Min(s+t.size, t.end))
		}
	}
	return lo, hi
}

// best is the largest share of a part of the tile that any tile shows.
func (t *tiles) best(from, length float64) (share float64) {
	for _, s := range t.starts {
		share = math.Max(share, t.shows(s, from*t.size, length*t.size)/(length*t.size))
	}
	return share
}

// cut is what the painting area cuts off the positioned tile at both sides; where a whole
// copy beside it is shown whatever the offset, nothing is lost.
func (t *tiles) cut() (near, far float64) {
	if t.step > 0 && t.end-t.paint >= t.step+t.size {
		return 0, 0
	}
	near = math.Min(math.Max(t.paint-t.origin, 0), t.size) / t.size
	far = math.Min(math.Max(t.origin+t.size-t.end, 0), t.size) / t.size
	return near, far
}

// Against tiles that are laid one by one: on both axes, with every way to repeat, offsets
// in px and per cent, painting areas that are larger or smaller than the positioning area.
func TestLandAgainstTiles(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	ways := []css.Repeat{css.Tile, css.NoRepeat, css.SpaceTiles, css.Round}
	near := func(a, b float64) bool { return math.Abs(a-b) < 1e-6 }
	for n := range 6000 {
		area := layout.Rect{X: r.Float64() * 20, Y: r.Float64() * 20, W: 20 + r.Float64()*80, H: 20 + r.Float64()*80}
		paint := area.Inset([4]float64{r.Float64()*16 - 8, r.Float64()*16 - 8, r.Float64()*16 - 8, r.Float64()*16 - 8})
		w, h := 3+r.Float64()*120, 3+r.Float64()*120
		l := css.InitialLayer()
		l.Image = css.Image{URL: "a", IsURL: true}
		l.Size = css.Size{W: css.Pxs(w), H: css.Pxs(h)}
		l.Repeat = css.Repeats{X: ways[r.IntN(4)], Y: ways[r.IntN(4)]}
		px, py := math.Round(r.Float64()*80-40), math.Round(r.Float64()*100)
		l.Position = css.Position{X: css.Edge{Offset: css.Pxs(px)}, Y: css.Edge{Offset: css.Pct(py)}}
		keep := &plan.Region{X: r.Float64() * 0.7, Y: r.Float64() * 0.7, W: 0.05 + r.Float64()*0.25, H: 0.05 +
			r.Float64()*0.25}
		got := Land(&Input{Layer: &l, Env: &at400, Natural: raster(50, 40), Pixels: 1, Area: area, Paint: paint,
			Keep: keep})

		x := lay(l.Repeat.X, w, area.X, area.W, paint.X, paint.W, px, true)
		y := lay(l.Repeat.Y, h, area.Y, area.H, paint.Y, paint.H, py/100, false)
		fail := func(what string, got, want any) {
			t.Fatalf("%d: %s is %v, want %v\n%s %s in %+v painted %+v", n, what, got, want, l.Repeat, l.Size, area,
				paint)
		}
		if !near(got.Size.X, x.size) || !near(got.Size.Y, y.size) {
			fail("size", got.Size, Point{x.size, y.size})
		}
		if !near(got.Origin.X, x.origin) || !near(got.Origin.Y, y.origin) || !near(got.Step.X, x.step) ||
			!near(got.Step.Y, y.step) {
			fail("origin and step", [2]Point{got.Origin, got.Step}, [2]Point{{x.origin, y.origin}, {x.step, y.step}})
		}
		if want := 1 - x.covered()*y.covered()/(paint.W*paint.H); !near(got.Bare, want) {
			fail("bare", got.Bare, want)
		}
		if want := x.best(keep.X, keep.W) * y.best(keep.Y, keep.H); !near(got.InView, want) {
			fail("keep in view", got.InView, want)
		}
		left, right := x.cut()
		top, bottom := y.cut()
		if c := got.Crop; !near(c.Left, left) || !near(c.Right, right) || !near(c.Top, top) || !near(c.Bottom,
			bottom) {
			fail("crop", c, Sides{left, top, right, bottom})
		}
		if x.covered() > 1e-6 && y.covered() > 1e-6 {
			lx, hx := x.bounds()
			ly, hy := y.bounds()
			if p := got.Painted; !near(p.X, lx) || !near(p.Right(), hx) || !near(p.Y, ly) || !near(p.Bottom(), hy) {
				fail("painted", p, [4]float64{lx, ly, hx, hy})
			}
		}
		fx, fy := (x.origin+(keep.X+keep.W/2)*x.size-paint.X)/paint.W,
			(y.origin+(keep.Y+keep.H/2)*y.size-paint.Y)/paint.H
		if !near(got.Focus.X, fx) || !near(got.Focus.Y, fy) {
			fail("focus", got.Focus, Point{fx, fy})
		}
		count := func(a *tiles) float64 {
			if a.step > 0 {
				return (a.end - a.paint) / a.step
			}
			return a.covered() / a.size
		}
		if !near(got.Repeats.X, count(&x)) || !near(got.Repeats.Y, count(&y)) {
			fail("repeats", got.Repeats, Point{count(&x), count(&y)})
		}
	}
}

// In device px, by hand at density 2: rules are those of docs/RATIONALE.md.
func TestDeviceByHand(t *testing.T) {
	for _, r := range []struct {
		name, background string
		area             layout.Rect
		dest             [4]int
		tile, phase      Point
		one              bool
	}{
		// x: 10.2 px is 20.4 device px, rounded 20; 39.7 px is 79.4, rounded 79: 20 to 99
		{"offset and size are rounded each by itself", "url(a) 10.2px 5px/39.7px 20px no-repeat",
			layout.Rect{W: 100, H: 50}, [4]int{20, 10, 99, 50}, Point{79.390625, 40}, Point{}, true},
		// cut at the left: drawn from its 20th device px; right edge floor(80-20+0.5) = 60
		{"negative offset", "url(a) -10px 0/40px 20px no-repeat", layout.Rect{W: 100, H: 50},
			[4]int{0, 0, 60, 40}, Point{80, 40}, Point{20, 0}, true},
		// tiles keep their fraction: 33.3 px is 66.59375 (1/64 steps); 200/66.6: four begin
		{"repeat", "url(a) 0 0/33.3px 25px", layout.Rect{W: 100, H: 50}, [4]int{0, 0, 200, 100},
			Point{66.59375, 50}, Point{}, false},
		// 5 px of offset: the first tile begins 80-10 = 70 device px before its end
		{"phase", "url(a) 5px 0/40px 50px repeat", layout.Rect{W: 100, H: 50}, [4]int{0, 0, 200, 100},
			Point{80, 100}, Point{70, 0}, false},
		// 200/90 = 2.2, rounded 2 tiles of 100
		{"round", "url(a) 0 0/45px 50px round no-repeat", layout.Rect{W: 100, H: 50}, [4]int{0, 0, 200, 100},
			Point{100, 100}, Point{}, false},
		// contain of 2:1 in 101 x 80 device px: 101 x 50.5, rounded 51
		{"contain", "url(a) 0 0/contain no-repeat", layout.Rect{W: 50.5, H: 40}, [4]int{0, 0, 101, 51},
			Point{101, 51}, Point{}, true},
	} {
		l := layer(t, r.background)
		in := Input{Layer: &l, Env: &at400, Natural: raster(200, 100), Pixels: 1, Area: r.area, Paint: r.area,
			Bound: r.area}
		s := Device(&in, 2)
		if s.Dest != r.dest || s.Tile != r.tile || s.Phase != r.phase || s.One != r.one {
			t.Errorf("%s: dest %v tile %v phase %v one %v\nwant %v %v %v %v", r.name, s.Dest, s.Tile, s.Phase, s.One,
				r.dest, r.tile, r.phase, r.one)
		}
	}
	// space: 2 tiles of 90 in 200 device px part by 20
	l := layer(t, "url(a) 0 0/45px 50px space no-repeat")
	area := layout.Rect{W: 100, H: 50}
	if s := Device(&Input{Layer: &l, Env: &at400, Natural: raster(200, 100), Pixels: 1, Area: area, Paint: area,
		Bound: area}, 2); s.Space.X != 20 || s.One {
		t.Errorf("spaced tiles are %v apart", s.Space)
	}
	// fixed, and the box lies within one tile of 400 px: a single draw, from the box's place in it
	l = layer(t, "url(a) 0 0/400px 400px fixed")
	in := Input{Layer: &l, Env: &at400, Natural: raster(200, 100), Pixels: 1, Area: layout.Rect{W: 400, H: 800},
		Paint: layout.Rect{X: 50, Y: 450, W: 100, H: 60}, Bound: layout.Rect{X: 50, Y: 450, W: 100, H: 60}}
	if s := Device(&in, 1); !s.One || s.Dest != [4]int{50, 450, 150, 510} || s.Phase != (Point{50, 50}) {
		t.Errorf("the fixed tile: one %v, dest %v, phase %v", s.One, s.Dest, s.Phase)
	}
}

// A box on the page: which areas origin, clip, canvas and fixed name, and whose edges hide.
func TestStage(t *testing.T) {
	p, err := plan.Parse("p", []byte(`tourmaline: 1
canvas: {min-height: 0px, css: 'background: url(v.svg) 0 0 / 10px no-repeat'}
boxes:
  - {name: top, height: 100px}
  - {name: b, width: 200px, height: 100px, border: 5px solid red, padding: 10px, css: 'border-left-style: dashed; background: none, url(v.svg) padding-box content-box, url(v.svg) border-box, url(v.svg) fixed'}
`))
	if err != nil {
		t.Fatal(err)
	}
	svg := `<svg xmlns="http://www.w3.org/2000/svg" width="40" height="20"/>`
	pg := layout.At(p, plan.Viewport{Window: window.Window{Width: 400, Height: 800, Density: 1}}, layout.Exact)
	s := Stage{Page: pg, Store: picture.NewStore(fstest.MapFS{"v.svg": {Data: []byte(svg)}}), Scroll: 30}
	placed, err := s.Box(pg.Frame(2))
	if err != nil || len(placed) != 3 {
		t.Fatalf("%v, %d layers", err, len(placed))
	}
	for i, want := range []struct {
		n           int
		area, paint layout.Rect
	}{
		// border box 200 x 100 at 0, 100; padding box in by 5, content box in by 15
		{2, layout.Rect{X: 5, Y: 105, W: 190, H: 90}, layout.Rect{X: 15, Y: 115, W: 170, H: 70}},
		{3, layout.Rect{Y: 100, W: 200, H: 100}, layout.Rect{Y: 100, W: 200, H: 100}},
		// the window, where it is scrolled to
		{4, layout.Rect{Y: 30, W: 400, H: 800}, layout.Rect{Y: 100, W: 200, H: 100}},
	} {
		q := &placed[i]
		if q.ID != (plan.LayerID{Box: 2, N: want.n}) || q.Area != want.area || q.Paint != want.paint ||
			q.Bound != pg.Frame(2).Border {
			t.Errorf("layer %d: %v area %+v paint %+v bound %+v, want %+v", i, q.ID, q.Area, q.Paint, q.Bound, want)
		}
		if q.Natural != (Natural{W: 40, H: 20, Ratio: 2, Vector: true}) || q.Opaque != [4]bool{css.Left: false,
			css.Top: true, css.Right: true, css.Bottom: true} || q.Edge[0] != 5 {
			t.Errorf("layer %d: natural %+v, opaque %v, edge %v", i, q.Natural, q.Opaque, q.Edge)
		}
	}
	canvas, err := s.Box(pg.Frame(0))
	if want := (layout.Rect{W: 400, H: 800}); err != nil || canvas[0].Paint != want || canvas[0].Bound != want {
		t.Errorf("the canvas paints %+v of %+v: %v", canvas[0].Paint, canvas[0].Bound, err)
	}
	if n := NaturalSize(&picture.File{Width: 300, Height: 100}, 2); n != (Natural{W: 150, H: 50, Ratio: 3}) {
		t.Errorf("300 x 100 px at density 2 is %+v", n)
	}
}

package place

import (
	"math"
	"math/rand/v2"
	"testing"

	"tourmaline/core/css"
	"tourmaline/core/layout"
	"tourmaline/core/plan"
	"tourmaline/core/window"
)

func layer(t testing.TB, text string) css.Layer {
	t.Helper()
	b, err := css.ParseBackground(text)
	if err != nil {
		t.Fatalf("%s: %v", text, err)
	}
	return b.Layers()[0]
}

func raster(w, h float64) Natural { return Natural{W: w, H: h, Ratio: w / h} }

var at400 = css.Env{Window: window.Window{Width: 400, Height: 800, Density: 1}}

func near(a, b float64) bool { return math.Abs(a-b) < 1e-6 }

// Every row can be redone on paper; the sum stands beside it.
func TestLandByHand(t *testing.T) {
	type want struct {
		w, h, x, y   float64
		stepX, stepY float64
		bare         float64 // px²
	}
	rows := []struct {
		name       string
		background string
		natural    Natural
		aw, ah     float64
		want       want
	}{
		// cover: max(400/1600, 400/900) = 4/9, so 711.11 x 400; (400-711.11)/2
		{"cover", "url(a) center/cover no-repeat", raster(1600, 900), 400, 400,
			want{w: 6400.0 / 9, h: 400, x: (400 - 6400.0/9) / 2}},
		// contain: min(400/1600, 400/900) = 1/4, so 400 x 225; (400-225)/2 = 87.5; bare 400*(400-225)
		{"contain", "url(a) center/contain no-repeat", raster(1600, 900), 400, 400,
			want{w: 400, h: 225, y: 87.5, bare: 70000}},
		// 25% lines up the picture's 25% with the box's: 0.25*(400-100) = 75, 0.75*(200-50) = 112.5
		{"percent lines up", "url(a) 25% 75%/100px 50px no-repeat", raster(10, 10), 400, 200,
			want{w: 100, h: 50, x: 75, y: 112.5, bare: 80000 - 5000}},
		// a length moves the edge
		{"length moves", "url(a) 25px -5px no-repeat", raster(100, 50), 400, 200,
			want{w: 100, h: 50, x: 25, y: -5, bare: 80000 - 100*45}},
		// right 10px: 400-100-10; bottom 5%: 150-0.05*150
		{"edge offsets", "url(a) right 10px bottom 5% no-repeat", raster(100, 50), 400, 200,
			want{w: 100, h: 50, x: 290, y: 142.5, bare: 75000}},
		// calc(50% + 7px) = 150+7; calc(100% - 3px) = 150-3
		{"calc", "url(a) calc(50% + 7px) calc(100% - 3px) no-repeat", raster(100, 50), 400, 200,
			want{w: 100, h: 50, x: 157, y: 147, bare: 75000}},
		// percentage of a picture larger than the box: 0.5*(400-1000) = -300
		{"negative space", "url(a) 50% 0 no-repeat", raster(1000, 200), 400, 200, want{w: 1000, h: 200, x: -300}},
		// 100% as wide as the box: no percentage moves it
		{"no free space", "url(a) 80% 0/100% 100% no-repeat", raster(30, 20), 400, 200, want{w: 400, h: 200}},
		// auto height keeps 2:1
		{"one auto", "url(a) 0 0/50% no-repeat", raster(100, 50), 400, 200, want{w: 200, h: 100, bare: 60000}},
		{"both auto", "url(a) 0 0 no-repeat", raster(100, 50), 400, 200, want{w: 100, h: 50, bare: 75000}},
		// repeat-x: one row of 50 px, bare below: 400*(200-50)
		{"repeat-x", "url(a) 0 0 repeat-x", raster(100, 50), 400, 200, want{w: 100, h: 50, stepX: 100, bare: 60000}},
		{"repeat-y", "url(a) 50% 0 repeat-y", raster(100, 50), 400, 200,
			want{w: 100, h: 50, x: 150, stepY: 50, bare: 60000}},
		{"repeat", "url(a)", raster(70, 30), 400, 200, want{w: 70, h: 30, stepX: 70, stepY: 30}},
		// round: 400/70 = 5.71 -> 6 tiles of 66.67; height is auto: 30*66.67/70
		{"round keeps ratio", "url(a) 0 0/70px auto round no-repeat", raster(70, 30), 400, 200,
			want{w: 400.0 / 6, h: 30 * (400.0 / 6) / 70, stepX: 400.0 / 6, bare: 400 * (200 - 30*(400.0/6)/70)}},
		// the same down: 200/30 = 6.67, 7 tiles of 28.57; width is auto: 70*28.57/30
		{"round keeps ratio down", "url(a) 0 0/auto 30px no-repeat round", raster(70, 30), 400, 200,
			want{w: 70 * (200.0 / 7) / 30, h: 200.0 / 7, stepY: 200.0 / 7, bare: 200 * (400 - 70*(200.0/7)/30)}},
		// auto width keeps 2:1
		{"auto width", "url(a) 0 0/auto 40px no-repeat", raster(100, 50), 400, 200,
			want{w: 80, h: 40, bare: 80000 - 3200}},
		// half a tile rounds up: 400/160 = 2.5 -> 3
		{"round half up", "url(a) 0 0/160px 200px round no-repeat", raster(10, 10), 400, 200,
			want{w: 400.0 / 3, h: 200, stepX: 400.0 / 3}},
		{"round at least one", "url(a) 0 0/900px 200px round no-repeat", raster(10, 10), 400, 200,
			want{w: 400, h: 200, stepX: 400}},
		// space: floor(400/150) = 2 tiles, gap (400-300)/1 = 100; covered 300*200
		{"space", "url(a) 0 0/150px 200px space no-repeat", raster(10, 10), 400, 200,
			want{w: 150, h: 200, stepX: 250, bare: 100 * 200}},
		// one tile fits: position places it: 0.5*(400-250)
		{"space of one", "url(a) 50% 0/250px 200px space no-repeat", raster(10, 10), 400, 200,
			want{w: 250, h: 200, x: 75, bare: 150 * 200}},
		// vw: 25vw of 400 = 100; 10vh of 800 = 80
		{"viewport units", "url(a) 25vw 10vh/2rem 1em no-repeat", raster(10, 10), 400, 200,
			want{w: 32, h: 16, x: 100, y: 80, bare: 80000 - 512}},
		{"gradient", "linear-gradient(red, blue)", Natural{}, 400, 200, want{w: 400, h: 200, stepX: 400, stepY: 200}},
		{"zero size", "url(a) 0 0/0 10px no-repeat", raster(10, 10), 400, 200, want{h: 10, bare: 80000}},
		// SVG with a ratio only: auto is contain: 200*2 wide
		{"ratio only", "url(a) 0 0 no-repeat", Natural{Ratio: 1}, 400, 200, want{w: 200, h: 200, bare: 40000}},
		// SVG with a width only and no ratio: height is the area's
		{"width only", "url(a) 0 0 no-repeat", Natural{W: 120}, 400, 200, want{w: 120, h: 200, bare: 280 * 200}},
		{"cover without ratio", "url(a) 0 0/cover no-repeat", Natural{W: 120}, 400, 200, want{w: 400, h: 200}},
	}
	for _, r := range rows {
		l := layer(t, r.background)
		area := layout.Rect{W: r.aw, H: r.ah}
		got := Land(&Input{Layer: &l, Env: &at400, Natural: r.natural, Pixels: 1, Area: area, Paint: area})
		w := r.want
		if !near(got.Size.X, w.w) || !near(got.Size.Y, w.h) || !near(got.Origin.X, w.x) || !near(got.Origin.Y, w.y) ||
			!near(got.Step.X, w.stepX) || !near(got.Step.Y, w.stepY) ||
			math.Abs(got.Bare*area.W*area.H-w.bare) > 1e-4 {
			t.Errorf("%s: %s in %gx%g:\n got size %v origin %v step %v bare %g\nwant %+v", r.name, r.background, r.aw,
				r.ah, got.Size, got.Origin, got.Step, got.Bare, w)
		}
	}
}

func TestLandTellsCropKeepFocusAndSharpness(t *testing.T) {
	l := layer(t, "url(a) 50% 50%/cover no-repeat")
	env := css.Env{Window: window.Window{Width: 390, Height: 844, Density: 3}}
	area := layout.Rect{X: 10, Y: 20, W: 400, H: 400}
	// Drawn 800x400 at x = 10+(400-800)/2 = -190: a quarter is cut left and right.
	// keep 0.2..0.4 lies at -190+160 = -30 to 130: 120 of 160 px are inside = 0.75.
	// focus 0.3 at -190+240 = 50: (50-10)/400 = 0.1. Sharp: 1600/800 per CSS px, /3.
	got := Land(&Input{Layer: &l, Env: &env, Natural: raster(1600, 800), Pixels: 1, Area: area, Paint: area,
		Keep: &plan.Region{X: 0.2, Y: 0, W: 0.2, H: 1}, Focus: &plan.Point{X: 0.3, Y: 0.5}})
	if got.Crop != (Sides{Left: 0.25, Right: 0.25}) {
		t.Errorf("crop %+v, want a quarter left and right", got.Crop)
	}
	if !near(got.InView, 0.75) || !near(got.Focus.X, 0.1) || !near(got.Focus.Y, 0.5) || !near(got.Sharp, 2.0/3) {
		t.Errorf("keep %g focus %v sharp %g, want 0.75, {0.1 0.5}, 0.667", got.InView, got.Focus, got.Sharp)
	}
	if got.Repeats != (Point{0.5, 1}) {
		t.Errorf("repeats %v, want half the picture across", got.Repeats)
	}
}

// Sharpness is of the axis that is drawn larger: 100 x 100 px at 200 x 50 CSS px are doubled
// across, so half a px for each; an image-set() picture of density 2 has two px for each.
func TestSharpnessIsOfTheLargerAxis(t *testing.T) {
	l := layer(t, "url(a) 0 0/200px 50px no-repeat")
	area := layout.Rect{W: 300, H: 300}
	in := Input{Layer: &l, Env: &at400, Natural: raster(100, 100), Pixels: 1, Area: area, Paint: area}
	if got := Land(&in).Sharp; !near(got, 0.5) {
		t.Errorf("%g px for each device px, want 0.5", got)
	}
	in.Pixels = 2
	if got := Land(&in).Sharp; !near(got, 1) {
		t.Errorf("of an image-set() picture %g, want 1", got)
	}
	// The focus is the point that is named, not the middle of keep: 0.75 of 200 in 300.
	in.Keep, in.Focus = &plan.Region{X: 0, Y: 0, W: 0.2, H: 0.2}, &plan.Point{X: 0.75, Y: 1}
	if got := Land(&in).Focus; !near(got.X, 0.5) || !near(got.Y, 50.0/300) {
		t.Errorf("the focus lands at %v", got)
	}
}

// What holds for every covering picture: no bare strip, ratio kept, one side as
// long as the area's, and what is cut plus what is seen is the whole.
func TestCoverProperties(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 2))
	for range 2000 {
		n := raster(1+r.Float64()*4000, 1+r.Float64()*4000)
		area := layout.Rect{W: 1 + r.Float64()*3000, H: 1 + r.Float64()*3000}
		l := layer(t, "url(a) center/cover no-repeat")
		l.Position.X.Offset, l.Position.Y.Offset = css.Pct(r.Float64()*100), css.Pct(r.Float64()*100)
		got := Land(&Input{Layer: &l, Env: &at400, Natural: n, Pixels: 1, Area: area, Paint: area})
		if got.Bare > 1e-6 || math.Abs(got.Stretch()-1) > 1e-9 {
			t.Fatalf("%+v in %+v: bare %g stretch %g", n, area, got.Bare, got.Stretch())
		}
		if !near(got.Size.X, area.W) && !near(got.Size.Y, area.H) {
			t.Fatalf("%+v in %+v: neither side fits: %v", n, area, got.Size)
		}
		if seen := 1 - got.Crop.Left - got.Crop.Right; math.Abs(seen-area.W/got.Size.X) > 1e-8 {
			t.Fatalf("%+v in %+v: crop %+v, seen %g", n, area, got.Crop, seen)
		}
	}
}

// In device px a covering picture fills the snapped box exactly, at any offset
// and density.
func TestDeviceCoverFillsTheSnappedBox(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	for range 2000 {
		area := layout.Rect{X: r.Float64() * 50, Y: r.Float64() * 50, W: 1 + r.Float64()*500, H: 1 + r.Float64()*500}
		k := []float64{1, 1.25, 1.5, 2, 3}[r.IntN(5)]
		l := layer(t, "url(a) 30% 70%/cover no-repeat")
		in := Input{Layer: &l, Env: &at400, Natural: raster(640, 480), Pixels: 1, Area: area, Paint: area,
			Bound: area}
		s := Device(&in, k)
		x0, y0, x1, y1 := SnapRect(area, k)
		if s.Dest != [4]int{x0, y0, x1, y1} || !s.One {
			t.Fatalf("area %+v at %g: dest %v one %v, want %v", area, k, s.Dest, s.One, [4]int{x0, y0, x1, y1})
		}
	}
}

func TestLandDoesNotAllocate(t *testing.T) {
	l := layer(t, "url(a) calc(50% + 1vw) 30%/cover no-repeat")
	area := layout.Rect{W: 400, H: 300}
	in := Input{Layer: &l, Env: &at400, Natural: raster(1600, 900), Pixels: 1, Area: area, Paint: area,
		Keep: &plan.Region{X: 0.3, Y: 0.3, W: 0.2, H: 0.2}}
	if n := testing.AllocsPerRun(100, func() { Land(&in) }); n != 0 {
		t.Errorf("a landing allocates %g times", n)
	}
}

func BenchmarkLandCover(b *testing.B) {
	benchmarkLand(b, "url(a) 62% 66%/cover no-repeat")
}

func BenchmarkLandTileCalc(b *testing.B) {
	benchmarkLand(b, "url(a) calc(50% + 1vw) 100%/max(5vw, 40px) auto round space")
}

func benchmarkLand(b *testing.B, text string) {
	l := layer(b, text)
	area := layout.Rect{W: 1440, H: 630}
	env := css.Env{Window: window.Window{Width: 1440, Height: 900, Density: 2}}
	in := Input{Layer: &l, Env: &env, Natural: raster(3200, 1800), Pixels: 1, Area: area, Paint: area,
		Keep: &plan.Region{X: 0.5, Y: 0.5, W: 0.2, H: 0.3}}
	b.ReportAllocs()
	for b.Loop() {
		in.Area.W++ // another window each time
		in.Paint.W = in.Area.W
		if in.Area.W > 3840 {
			in.Area.W = 320
		}
		Land(&in)
	}
}

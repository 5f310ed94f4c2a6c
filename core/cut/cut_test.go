package cut

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math"
	"math/rand/v2"
	"slices"
	"sync"
	"testing"
	"testing/fstest"

	"tourmaline/core/css"
	"tourmaline/core/layout"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/sweep"
	"tourmaline/core/window"
)

func photo(w, h int, encode func(*bytes.Buffer, image.Image) error) []byte {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for i := range w * h {
		x, y := i%w, i/w
		v := 128 + 70*math.Sin(float64(x)/23)*math.Cos(float64(y)/17)
		img.SetRGBA(x, y, color.RGBA{uint8(v), uint8(v / 2), uint8(255 - v), 255})
	}
	var b bytes.Buffer
	if err := encode(&b, img); err != nil {
		panic(err)
	}
	return b.Bytes()
}

func fixture(t *testing.T, text string) (*plan.Plan, *picture.Store) {
	t.Helper()
	p, err := plan.Parse("p.yaml", []byte("tourmaline: 1\n"+text))
	if err != nil {
		t.Fatal(err)
	}
	return p, picture.NewStore(fstest.MapFS{
		"a.jpg": {Data: photo(1200, 600, func(b *bytes.Buffer,
			m image.Image) error {
			return jpeg.Encode(b, m, nil)
		})},
		"tile.png": {Data: photo(64, 64, func(b *bytes.Buffer, m image.Image) error { return png.Encode(b, m) })},
		"v.svg":    {Data: []byte(`<svg xmlns="http://www.w3.org/2000/svg" width="10" height="10"/>`)},
	})
}

const twoViewports = "viewports: {widths: 300-1000, heights: 700-900, densities: [1, 2], named: {small: 400x800@2, " +
	"wide: 1000x800@1}}\n"

// costSlowly is what one file costs that serves some items: its weight for all who fetch it, and the
// exact file's for those who see it scaled.
func costSlowly(items []item, by growth) float64 {
	g := items[0]
	for _, it := range items[1:] {
		g = g.join(it)
	}
	weigh := func(it item) float64 {
		return 600 + by.rate*math.Pow(it.scale*it.scale*it.across*it.down*by.area, by.rise)
	}
	cost := g.weight * weigh(g)
	for _, it := range items {
		if g.scale > 1.0003*it.scale {
			cost += it.weight * weigh(it)
		}
	}
	return cost
}

// bruteForce tries every way to share files among items.
func bruteForce(items []item, by growth, most int) float64 {
	best := math.Inf(1)
	n := len(items)
	for cuts := range 1 << (n - 1) { // bit i: a file ends after item i
		cost, files, from := 0.0, 1, 0
		for i := 1; i < n; i++ {
			if cuts&(1<<(i-1)) != 0 {
				cost += costSlowly(items[from:i], by)
				files, from = files+1, i
			}
		}
		if cost += costSlowly(items[from:], by); files <= most {
			best = min(best, cost)
		}
	}
	return best
}

// Twice the px of noise weigh twice, of a smooth picture less: both are measured.
func TestGrowthIsMeasured(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 7))
	of := func(f func(x, y int) float64) growth {
		img := image.NewRGBA(image.Rect(0, 0, 1600, 1000))
		for i := range 1600 * 1000 {
			v := uint8(min(max(f(i%1600, i/1600), 0), 255))
			copy(img.Pix[4*i:], []uint8{v, v, v, 255})
		}
		return measured(img)
	}
	smooth := of(func(x, y int) float64 { return 128 + 90*math.Sin(float64(x)/90)*math.Cos(float64(y)/70) })
	rough := of(func(x, y int) float64 { return 128 + 25*r.NormFloat64() })
	if rough.rise < smooth.rise+0.1 || rough.rate <= 0 || smooth.area != 1.6e6 {
		t.Errorf("noise %+v, smooth %+v", rough, smooth)
	}
	if small := measured(image.NewRGBA(image.Rect(0, 0, 90, 40))); small != usualGrowth(3600) {
		t.Errorf("a small picture: %+v", small)
	}
}

func TestRungsAreTheBest(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for range 400 {
		n := 1 + r.IntN(9)
		items := make([]item, n)
		for i := range items {
			items[i] = item{0.05 + 0.95*r.Float64(), 0.2 + 0.8*r.Float64(), 0.2 + 0.8*r.Float64(), int32(r.IntN(2)),
				r.Float64()}
		}
		slices.SortFunc(items, func(a, b item) int {
			if a.scale < b.scale {
				return -1
			}
			return 1
		})
		cost, ends := rungsFor(items, usualGrowth(1e6), 5)
		for k := range cost {
			want := bruteForce(items, usualGrowth(1e6), k+1)
			if k > 0 { // exactly k+1 files; fewer may be as good, never better
				want = min(want, cost[k])
			}
			if math.Abs(min(cost[k], slices.Min(cost[:k+1]))-want) > 1e-6*want {
				t.Fatalf("%d files: %g, by trying all %g\n%+v", k+1, cost[k], want, items)
			}
			if len(ends[k]) != k+1 || ends[k][k] != n {
				t.Fatalf("%d files end at %v of %d", k+1, ends[k], n)
			}
		}
	}
}

// A picture drawn twice as wide as its box from the left third on: 1/6 to 4/6 is
// seen. A crop around p begins at p(1-c): with p = 1/3 that is c = 1/2.
func TestHoldsByHand(t *testing.T) {
	for _, c := range []struct{ from, to, p, want float64 }{
		{1.0 / 6, 4.0 / 6, 1.0 / 3, 0.5}, {0, 0.25, 0, 0.25}, {0.75, 1, 1, 0.25}, {0.4, 0.6, 0.5, 0.2},
		{0.3, 0.6, 0.5, 0.4}, {0, 1, 0.5, 1}, {0.2, 0.3, math.NaN(), 1},
	} {
		if got := holds(c.from, c.to, c.p); math.Abs(got-c.want) > 1e-9 {
			t.Errorf("%+v: %g", c, got)
		}
	}
}

// The box is as wide as the window and 200 px high; the picture is 2:1, so from 400 px
// on it is drawn as wide as the window. Density 1 at 1000 px needs 1000 px of it; the
// source has 1200, which is all that density 2 can have.
func TestNeedsByHand(t *testing.T) {
	p, store := fixture(t, twoViewports+"boxes: [{name: b, height: 200px, layers: [{image: a.jpg, size: cover}]}]\n")
	ls, err := Choose(context.Background(), p, store)
	if err != nil || len(ls) != 1 {
		t.Fatal(ls, err)
	}
	for _, r := range []struct {
		width, density float64
		least          float64
	}{{320, 1, 400.0 / 1200}, {400, 2, 800.0 / 1200}, {700, 1, 700.0 / 1200}, {1000, 1, 1000.0 / 1200}, {1000, 2, 1},
		{1000, 3, 1}, {5000, 1, 1000.0 / 1200}} {
		rung := ls[0].At(&css.Env{Window: window.Window{Width: r.width, Height: 800, Density: r.density}})
		if k := float64(rung.Width) / rung.Part.W; k < r.least-1e-9 || k > 1+1e-9 {
			t.Errorf("at %g@%g the file has %g px for each of the source, wanted %g", r.width, r.density, k, r.least)
		}
	}
	if n := len(ls[0].Rungs); n < 2 || n > 6 {
		t.Errorf("%d rungs", n)
	}
}

var many = twoViewports + `boxes:
  - {name: a, height: 30vw, layers: [{image: a.jpg, size: cover, repeat: no-repeat}]}
  - {name: b, height: 150px, padding: 1rem, layers: [{texture: tile.png, size: 40px}]}
  - {name: c, width: 50%, height: 300px, layers: [{image: a.jpg, size: contain, repeat: no-repeat}]}
  - {name: d, height: 80vh, layers: [{image: a.jpg, size: cover, position: 30% 70%}]}
  - {name: e, height: 400px, layers: [{image: a.jpg, size: 1800px auto, position: right 40px top}], when: {"(width < 600px)": {layers: [{image: a.jpg, size: 200% auto, position: 80% 20%, repeat: no-repeat}]}}}
  - {name: f, height: 120vh, width: 40%, layers: [{image: a.jpg, size: cover, position: 10% 0%, attachment: fixed}]}
  - {name: g, height: 300px, layers: [{image: a.jpg, size: auto 90px, position: 50px 100%, repeat: repeat-x}]}
  - {name: h, height: 500px, border: 9px solid, css: "background: url(a.jpg) 25% 50% / cover padding-box border-box"}
`

// At every width, height and density of the sweep the file has the px that are shown,
// less only where the source has not more or the plan's floor allows it; it holds what
// is seen; nothing is enlarged; and at the file's own size and the sizes that are written for
// it, the picture lands where the whole one does.
func TestFilesServeEveryPart(t *testing.T) {
	p, store := fixture(t, many)
	ls, err := Choose(context.Background(), p, store)
	if err != nil {
		t.Fatal(err)
	}
	parts, room, heights := 0, layout.Of(p).Room(), sweep.New(p).WithNamed().Heights
	for _, l := range ls {
		for _, r := range l.Rungs {
			if r.Width > l.File.Width || r.Height > l.File.Height || r.Part.X < 0 ||
				r.Part.X+r.Part.W > float64(l.File.Width)+1e-6 {
				t.Errorf("%s: %dx%d of %v is more than the source has", l.Box.Name, r.Width, r.Height, r.Part)
			}
			if r.Partial(l.File) {
				parts++
			}
		}
		for w := p.Widths[0]; w <= p.Widths[1]; w += 3 {
			for _, h := range heights {
				for _, d := range p.Density {
					v := plan.Viewport{Window: window.Window{Width: float64(w), Height: float64(h), Density: d}}
					pg := room.At(v, layout.Exact)
					e := v.Env()
					r := l.At(&e)
					placed, err := place.Stage{Page: pg, Store: store}.Box(pg.Frame(l.Box.ID))
					if err != nil {
						t.Fatal(err)
					}
					q := &placed[0]
					if r == nil {
						t.Fatalf("%s at %s: no file", l.Box.Name, v)
					}
					want, _ := needOf(q, specOf(q.Layer), p.Files.Floor(d), true)
					if k := float64(r.Width) / r.Part.W; k < want.scale*(1-1e-9) {
						t.Fatalf("%s at %s: %g px for each of the source, need %g", l.Box.Name, v, k, want.scale)
					}
					landsAlike(t, l, r, q, v)
					if f := pg.Frame(l.Box.ID); f.Values.Layers()[0].Scrolled != nil {
						touch := scrolled(q, f, f.Values.Layers()[0].Scrolled)
						if want, _ := needOf(&touch, specOf(touch.Layer),
							p.Files.Floor(d), true); float64(r.Width)/r.Part.W < want.scale*(1-1e-9) {
							t.Fatalf("%s at %s: too few px where it scrolls", l.Box.Name, v)
						}
						landsAlike(t, l, r, &touch, v)
					}
				}
			}
		}
	}
	if parts < 4 {
		t.Errorf("%d files hold a part, more were to be had", parts)
	}
}

// landsAlike lands the file as the stylesheet writes it and compares with the whole picture.
func landsAlike(t *testing.T, l *Ladder, r *Rung, q *place.Placed, v plan.Viewport) {
	t.Helper()
	layer := *q.Layer
	layer.Size = r.Size(&layer, l.File)
	in := q.Input
	in.Layer = &layer
	in.Natural = place.Natural{W: float64(r.Width), H: float64(r.Height), Ratio: float64(r.Width) / float64(r.Height)}
	got, want := place.Land(&in), &q.Landing
	// Where the file's window would lie in the whole picture.
	fx, fy := r.Part.X/float64(l.File.Width), r.Part.Y/float64(l.File.Height)
	fw, fh := r.Part.W/float64(l.File.Width), r.Part.H/float64(l.File.Height)
	x, y := want.Origin.X+fx*want.Size.X, want.Origin.Y+fy*want.Size.Y
	tol := 1e-6
	if !r.Partial(l.File) {
		// whole files have whole px: half a px at each side
		tol = 1.01 * max(want.Size.X/float64(r.Width), want.Size.Y/float64(r.Height))
	}
	if math.Abs(got.Size.X-fw*want.Size.X) > tol || math.Abs(got.Size.Y-fh*want.Size.Y) > tol ||
		math.Abs(got.Origin.X-x) > tol || math.Abs(got.Origin.Y-y) > tol {
		t.Fatalf("%s at %s: %dx%d of %v lands at %v %v, the whole one shows that part at %g,%g %gx%g", l.Box.Name, v,
			r.Width, r.Height, r.Part, got.Origin, got.Size, x, y, fw*want.Size.X, fh*want.Size.Y)
	}
	// What the whole picture paints, the file covers.
	if want.Step == (place.Point{}) || !l.Tiled {
		b := q.Landing.Painted
		if got.Painted.X > b.X+tol || got.Painted.Y > b.Y+tol || got.Painted.Right() < b.Right()-tol ||
			got.Painted.Bottom() < b.Bottom()-tol {
			t.Fatalf("%s at %s: the file paints %v, the whole one %v", l.Box.Name, v, got.Painted, b)
		}
	}
}

// A portrait box under a landscape picture fetches the part that it shows.
func TestPortraitFetchesAPart(t *testing.T) {
	p, store := fixture(t,
		"viewports: {widths: 320-1600, heights: 800-850, densities: [1], named: {phone: {size: 390x844@1, share: "+
			"60%}, desktop: {size: 1440x820@1, share: 40%}}}\n"+
			"boxes: [{name: d, height: 60vh, layers: [{image: a.jpg, size: cover, position: 60% 50%}]}]\n")
	ls, err := Choose(context.Background(), p, store)
	if err != nil {
		t.Fatal(err)
	}
	r := ls[0].At(&css.Env{Window: window.Window{Width: 390, Height: 844, Density: 1}})
	// 844 * 0.6 = 506 px high and up to 1013 px wide of the picture at 2:1, of which 390 are seen
	if share := r.Part.W / 1200; share > 0.55 || r.Part.H < 600 {
		t.Errorf("the phone's file holds %.0f%% of the width: %+v", share*100, r)
	}
	if wide := ls[0].At(&css.Env{Window: window.Window{Width: 1440, Height: 820, Density: 1}}); wide.Part.W < 1200 {
		t.Errorf("the desktop's file holds %+v", wide.Part)
	}
}

func TestFewerFilesWhereTheySaveLittle(t *testing.T) {
	text := func(files string) string {
		return twoViewports + "files: {" + files +
			"}\nboxes: [{name: d, height: 30vw, layers: [{image: a.jpg, size: cover}]}]\n"
	}
	count := func(files string) int {
		p, store := fixture(t, text(files))
		ls, err := Choose(context.Background(), p, store)
		if err != nil {
			t.Fatal(err)
		}
		return len(ls[0].Rungs)
	}
	if a, b, c := count("worth: 50%"), count("worth: 5%"), count("worth: 0%, most: 12"); a > 2 || b <= a || c != 12 {
		t.Errorf("%d files at 50%%, %d at 5%%, %d at 0%% of at most 12", a, b, c)
	}
	if n := count("most: 1, worth: 0%"); n != 1 {
		t.Errorf("%d files of one", n)
	}
}

// memory is a cache that counts.
type memory struct {
	mu   sync.Mutex
	m    map[string][]byte
	hits int
}

func (c *memory) Get(k string) ([]byte, bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	d, ok := c.m[k]
	if ok {
		c.hits++
	}
	return d, ok
}

func (c *memory) Put(k string, d []byte) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.m[k] = d
}

func TestMakeSharesCachesAndRepeats(t *testing.T) {
	p, store := fixture(t, twoViewports+`files: {formats: [webp], most: 3}
boxes:
  - {name: a, height: 100px, layers: [{image: v.svg}]}
  - {name: b, height: 100px, layers: [{texture: tile.png}]}
  - {name: c, height: 100px, layers: [{texture: tile.png}]}
  - {name: d, height: 300px, layers: [{color: rgb(0 0 0 / 80%)}, {image: a.jpg, size: cover}]}
  - {name: e, height: 300px, layers: [{image: a.jpg, size: cover}]}
`)
	cache := &memory{m: map[string][]byte{}}
	run := func(c Cache) []*Ladder {
		t.Helper()
		ls, err := Choose(context.Background(), p, store)
		if err != nil {
			t.Fatal(err)
		}
		if err := Make(context.Background(), p, store, ls, Options{Cache: c, Jobs: 2}); err != nil {
			t.Fatal(err)
		}
		return ls
	}
	ls := run(cache)
	made := len(cache.m)
	again := run(cache)
	if len(cache.m) > made || cache.hits == 0 {
		t.Errorf("%d entries, %d after the second run, %d were taken", made, len(cache.m), cache.hits)
	}
	for i, l := range ls {
		for k, r := range l.Rungs {
			for n, a := range r.Files {
				if b := again[i].Rungs[k].Files[n]; a.Name != b.Name {
					t.Errorf("%s, %s from the cache", a.Name, b.Name)
				}
			}
			if a := r.Best(); !l.Copy && !a.Same && a.Look.Beside(r.Target) > passes {
				t.Errorf("%s: %s looks %+v, wanted %+v", l.Box.Name, a.Name, a.Look, r.Target)
			}
		}
	}
	if ls[1].Rungs[0].Base().Name != ls[2].Rungs[0].Base().Name {
		t.Errorf("two boxes with one tile do not share its file")
	}
	if a := ls[0].Rungs[0].Best(); a.Format != "svg" || a.Name[:2] != "v-" {
		t.Errorf("the SVG became %s", a.Name)
	}
	dark, light := ls[3].At(&css.Env{Window: window.Window{Width: 1000, Height: 800, Density: 1}}),
		ls[4].At(&css.Env{Window: window.Window{Width: 1000, Height: 800, Density: 1}})
	if a, b := len(dark.Best().Data), len(light.Best().Data); float64(a) > 0.7*float64(b) {
		t.Errorf("under an 80%% scrim the file has %d bytes, without %d", a, b)
	}
}

// What an opaque layer of the same box hides has no files.
func TestHiddenLayersHaveNoFiles(t *testing.T) {
	p, store := fixture(t, twoViewports+`boxes:
  - {name: a, height: 90px, layers: [{gradient: 'linear-gradient(red, blue)'}, {image: a.jpg, size: cover}]}
  - {name: b, height: 90px, layers: [{gradient: 'linear-gradient(red, rgb(0 0 255 / 90%))'}, {image: a.jpg, size: cover}]}
`)
	ls, err := Choose(context.Background(), p, store)
	if err != nil || len(ls) != 1 || ls[0].Box.Name != "b" {
		t.Errorf("%d ladders, %v", len(ls), err)
	}
}

func TestSharesCoverEverythingOnce(t *testing.T) {
	_, store := fixture(t, "boxes: [{name: a, height: 1px, layers: [{image: a.jpg}]}]\n")
	for _, n := range []string{"a.jpg", "tile.png", "v.svg"} {
		f, _ := store.File(n)
		times := 0
		for i := range 4 {
			if (&Options{Shard: [2]int{i + 1, 4}}).Mine(f) {
				times++
			}
		}
		if times != 1 {
			t.Errorf("%s is made by %d of 4", n, times)
		}
	}
}

func BenchmarkDemand(b *testing.B) {
	p, err := plan.Parse("p.yaml", []byte("tourmaline: 1\n"+many))
	if err != nil {
		b.Fatal(err)
	}
	_, store := fixture(&testing.T{}, many)
	for b.Loop() {
		if _, err := Choose(context.Background(), p, store); err != nil {
			b.Fatal(err)
		}
	}
}

// A picture that was coded hard before it came is passed on whole where a part of it, coded again, would weigh more.
func TestWholeWhereAPartIsHeavier(t *testing.T) {
	hard, err := picture.Code(kite(900, 600), picture.Coding{Format: picture.JPEG, Quality: 12})
	if err != nil {
		t.Fatal(err)
	}
	for quality, whole := range map[string]bool{"high": true, "low": false} {
		data := hard
		if !whole { // what was coded lightly is cut
			if data, err = picture.Code(kite(900, 600), picture.Coding{Format: picture.JPEG, Quality: 95}); err != nil {
				t.Fatal(err)
			}
		}
		p, err := plan.Parse("p.yaml", []byte("tourmaline: 1\nviewports: {widths: 390-900, heights: 600-844, "+
			"densities: [1, 2], named: {phone: {size: 390x844@2, share: 60%}, wide: {size: 900x700@1, share: "+
			"40%}}}\nfiles: {quality: "+quality+"}\nboxes: [{name: hero, height: 600px, layers: [{image: kite.jpg, "+
			"size: cover}]}]\n"))
		if err != nil {
			t.Fatal(err)
		}
		ls := made1(t, p, picture.NewStore(fstest.MapFS{"kite.jpg": {Data: data}}), Options{})
		phone := p.Named[0].Env()
		r := ls[0].At(&phone)
		if got := !r.Partial(ls[0].File); got != whole || whole && (!r.Best().Same || len(r.Best().Data) > len(data)) {
			t.Errorf("%s: %d x %d px of %d bytes, the source has %d", quality, r.Width, r.Height, len(r.Best().Data),
				len(data))
		}
	}
}

// So it is where a file of fewer px would weigh more: it holds them all. One that is no lighter is not, nor one of more
// than four times the px.
func TestWholeWhereFewerPxAreHeavier(t *testing.T) {
	grain := func(x, y int) color.RGBA {
		n := uint8(rand.New(rand.NewPCG(uint64(x/2), uint64(y/2))).IntN(40))
		return color.RGBA{90 + n, 100 + n, uint8(80 + y/8), 255}
	}
	for _, c := range []struct {
		width, quality int
		whole          bool
	}{{520, 8, true}, {520, 97, false}, {1200, 2, false}} {
		quality, whole := c.quality, c.whole
		img, err := png.Decode(bytes.NewReader(pngOf(t, c.width, c.width*3/4, grain)))
		if err != nil {
			t.Fatal(err)
		}
		var b bytes.Buffer
		if err := jpeg.Encode(&b, img, &jpeg.Options{Quality: quality}); err != nil {
			t.Fatal(err)
		}
		p, err := plan.Parse("p.yaml", []byte(onePlan("{image: a.jpg, size: cover}")))
		if err != nil {
			t.Fatal(err)
		}
		r := made1(t, p, picture.NewStore(fstest.MapFS{"a.jpg": {Data: b.Bytes()}}), Options{})[0].Rungs[0]
		if got := r.Width == c.width; got != whole || whole && (!r.Best().Same || len(r.Best().Data) > b.Len()) {
			t.Errorf("of a source of quality %d: %d px of %d bytes, the source has %d", quality, r.Width,
				len(r.Best().Data), b.Len())
		}
	}
}

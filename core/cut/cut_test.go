package cut

import (
	"bytes"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math"
	"testing"
	"testing/fstest"

	"tourmaline/core/css"
	"tourmaline/core/layout"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
)

func photo(w, h int, encode func(*bytes.Buffer, image.Image) error) []byte {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for i := range w * h {
		img.SetRGBA(i%w, i/w, color.RGBA{uint8(i % w), uint8(i / w), uint8(i * 7), 255})
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
		"a.jpg":    {Data: photo(1200, 600, func(b *bytes.Buffer, m image.Image) error { return jpeg.Encode(b, m, nil) })},
		"tile.png": {Data: photo(64, 64, func(b *bytes.Buffer, m image.Image) error { return png.Encode(b, m) })},
		"v.svg":    {Data: []byte(`<svg xmlns="http://www.w3.org/2000/svg" width="10" height="10"/>`)},
	})
}

const twoViewports = "viewports: {widths: 300-1000, densities: [1, 2], named: {small: 400x800@2, wide: 1000x800@1}}\n"

// The box is as wide as the window and 200 px high; the picture is 2:1, so from
// 400 px on it is as wide as the window, below it is 400.
func TestNeedsByHand(t *testing.T) {
	p, store := fixture(t, twoViewports+"boxes: [{name: b, height: 200px, layers: [{image: a.jpg, size: cover}]}]\n")
	ls, err := Demand(p, store)
	if err != nil || len(ls) != 1 {
		t.Fatal(ls, err)
	}
	l := ls[0]
	// up to 400: 400 at density 1, 800 at 2; up to the end: 1000, and 2000 of which 1200 exist
	for _, r := range []struct {
		width, density float64
		least          int
	}{{320, 1, 400}, {400, 1, 400}, {400, 2, 800}, {401, 1, 1000}, {1000, 1, 1000}, {1000, 2, 1200}, {1000, 3, 1200}, {5000, 1, 1000}} {
		rung := l.At(&css.Env{Width: r.width, Density: r.density})
		if rung == nil || rung.Width < r.least || rung.Width > 1200 || float64(r.least) < merge*float64(rung.Width) {
			t.Errorf("at %g@%g the rung is %+v, need %d", r.width, r.density, rung, r.least)
		}
	}
}

// At every width and density of the plan the file is no smaller than what is
// shown, unless the source itself is, and nothing is enlarged.
func TestNeverSoftNeverEnlarged(t *testing.T) {
	p, store := fixture(t, twoViewports+`boxes:
  - {name: a, height: 30vw, layers: [{image: a.jpg, size: cover, repeat: no-repeat}]}
  - {name: b, height: 150px, padding: 1rem, layers: [{texture: tile.png, size: 40px}]}
  - {name: c, width: 50%, height: 300px, layers: [{image: a.jpg, size: contain, repeat: no-repeat}]}
`)
	ls, err := Demand(p, store)
	if err != nil {
		t.Fatal(err)
	}
	for _, l := range ls {
		for w := p.Widths[0]; w <= p.Widths[1]; w++ {
			for _, d := range p.Density {
				v := plan.Viewport{Width: float64(w), Height: 800, Density: d}
				pg := layout.At(p, v, layout.Exact)
				placed, err := place.Box(pg.Frame(l.Box.Name), pg, 0, store)
				if err != nil {
					t.Fatal(err)
				}
				e := v.Env()
				got, want := l.At(&e), need(&placed[0], d)
				if got.Width < want || got.Width > l.File.Width {
					t.Fatalf("%s at %s: file of %d px, need %d, source %d", l.Box.Name, v, got.Width, want, l.File.Width)
				}
			}
		}
	}
}

func TestMakeSharesAndNames(t *testing.T) {
	p, store := fixture(t, twoViewports+`boxes:
  - {name: a, height: 100px, layers: [{image: v.svg}]}
  - {name: b, height: 100px, layers: [{texture: tile.png}]}
  - {name: c, height: 100px, layers: [{texture: tile.png}]}
`)
	ls, err := Demand(p, store)
	if err != nil {
		t.Fatal(err)
	}
	if err := Make(ls); err != nil {
		t.Fatal(err)
	}
	if len(ls) != 3 || ls[1].Rungs[0].Name != ls[2].Rungs[0].Name {
		t.Errorf("two boxes with one tile do not share its file")
	}
	if r := ls[0].Rungs[0]; r.Format != "svg" || !bytes.HasPrefix([]byte(r.Name), []byte("v-")) {
		t.Errorf("the SVG became %s", r.Name)
	}
	again, _ := Demand(p, store)
	if err := Make(again); err != nil || again[1].Rungs[0].Name != ls[1].Rungs[0].Name {
		t.Errorf("a second run names files differently")
	}
	if d := math.Abs(float64(ls[1].Rungs[0].Width - 64)); d > 0 {
		t.Errorf("the tile is cut to %d px", ls[1].Rungs[0].Width)
	}
}

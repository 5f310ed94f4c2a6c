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
	"strings"
	"testing"
	"testing/fstest"

	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/similar"
)

func pngOf(t *testing.T, w, h int, f func(x, y int) color.RGBA) []byte {
	t.Helper()
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for i := range w * h {
		img.SetRGBA(i%w, i/w, f(i%w, i/w))
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// onePlan is a plan of one box in one window.
func onePlan(layers string) string {
	return "tourmaline: 1\nviewports: {widths: 600-600, heights: 800-800, densities: [1], " +
		"named: {w: 600x800@1}}\nboxes: [{name: b, width: 400px, height: 300px, layers: [" + layers + "]}]\n"
}

// chosen is the files of one picture of one box, without their contents.
func chosen(t *testing.T, data []byte, layer string) (*plan.Plan, *picture.Store, []*Ladder) {
	t.Helper()
	return chosenOf(t, data, onePlan("{"+layer+"}"))
}

// chosenIn is the files of one picture that covers one box.
func chosenIn(t *testing.T, data []byte, viewports, box string) (*plan.Plan, *picture.Store, []*Ladder) {
	t.Helper()
	return chosenOf(t, data, "tourmaline: 1\n"+viewports+"\nboxes: [{name: b, "+box+
		", layers: [{image: a.png, size: cover}]}]\n")
}

func chosenOf(t *testing.T, data []byte, text string) (*plan.Plan, *picture.Store, []*Ladder) {
	t.Helper()
	p, err := plan.Parse("p.yaml", []byte(text))
	if err != nil {
		t.Fatal(err)
	}
	name := "a.png"
	if bytes.HasPrefix(data, []byte{0xff, 0xd8}) {
		name = "a.jpg"
	}
	store := picture.NewStore(fstest.MapFS{name: {Data: data}})
	ls, err := Choose(t.Context(), p, store)
	if err != nil || len(ls) != 1 {
		t.Fatal(err)
	}
	return p, store, ls
}

// codingFixture cuts one picture of one box.
func codingFixture(t *testing.T, data []byte, layer string) *Ladder {
	t.Helper()
	p, store, ls := chosen(t, data, layer)
	if err := Make(t.Context(), p, store, ls, Options{}); err != nil {
		t.Fatal(err)
	}
	return ls[0]
}

// Flat art and tiny tiles are kept without loss: no file of theirs is off by more than a few
// levels anywhere.
func TestFlatArtAndTinyTilesStayExact(t *testing.T) {
	art := pngOf(t, 400, 300, func(x, y int) color.RGBA { // 57 colours with hard, slanted edges
		n := (x*3 + y*2) / 40 % 57
		return color.RGBA{uint8(n * 4), uint8(200 - n*3), uint8(90 + n*61%150), 255}
	})
	r := rand.New(rand.NewPCG(3, 1))
	tile := pngOf(t, 32, 32, func(x, y int) color.RGBA {
		v := uint8(r.IntN(31) * 8)
		return color.RGBA{v, 255 - v, v / 2, 255}
	})
	for name, c := range map[string]struct {
		data  []byte
		layer string
	}{"art": {art, "image: a.png, size: cover"}, "tile": {tile, "texture: a.png"}} {
		l := codingFixture(t, c.data, c.layer)
		src, err := Decode(c.data)
		if err != nil {
			t.Fatal(err)
		}
		for _, rung := range l.Rungs {
			for _, a := range rung.Files {
				img, err := Decode(a.Data)
				if err != nil {
					t.Fatal(err)
				}
				if img.Rect != src.Rect || !same(img, src) {
					t.Errorf(
						"%s: a %s of quality %d (%d bytes) differs from the source",
						name,
						a.Format,
						a.Quality,
						len(a.Data),
					)
				}
			}
		}
	}
}

// The mean colour of a lossy tile stays within half a level.
func TestTilesKeepTheirMeanColour(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 2))
	data := pngOf(t, 160, 160, func(x, y int) color.RGBA { // grain on dark red, where coders drift
		v := r.Float64()*40 - 20
		return color.RGBA{uint8(70 + v + 8*math.Sin(float64(x)*math.Pi/20)), uint8(25 + v/2), uint8(30 + v/2), 255}
	})
	l := codingFixture(t, data, "texture: a.png, quality: 80")
	src, _ := Decode(data)
	want := meanOf(src)
	lossy := 0
	for _, rung := range l.Rungs {
		for _, a := range rung.All {
			img, err := Decode(a.Data)
			if err != nil {
				t.Fatal(err)
			}
			if a.Quality > 0 {
				lossy++
			}
			for c, got := range meanOf(img) {
				if math.Abs(got-want[c]) > meanOff+0.1 {
					t.Errorf(
						"%s of quality %d: channel %d is %.2f on average, was %.2f",
						a.Format,
						a.Quality,
						c,
						got,
						want[c],
					)
				}
			}
		}
	}
	if lossy == 0 {
		t.Error("no lossy file was tried")
	}
}

type mapCache map[string][]byte

func (c mapCache) Get(key string) ([]byte, bool) { d, ok := c[key]; return d, ok }
func (c mapCache) Put(key string, data []byte)   { c[key] = data }

// Another scrim asks the same coder for the same px: nothing is coded again where the same
// qualities are tried.
func TestAnotherScrimCodesLittleAgain(t *testing.T) {
	store := picture.NewStore(fstest.MapFS{"a.png": {Data: pngOf(t, 500, 300, func(x, y int) color.RGBA {
		return color.RGBA{uint8(x / 2), uint8(y / 2), uint8(128 + 60*math.Sin(float64(x*y)/900)), 255}
	})}})
	cache := mapCache{}
	entries := func(scrim string) int {
		p, err := plan.Parse(
			"p.yaml",
			[]byte(
				"tourmaline: 1\nfiles: {formats: []}\nviewports: {widths: 600-600, heights: 800-800, densities: [1], "+
					"named: {w: 600x800@1}}\nboxes: [{name: b, width: 400px, height: 300px, layers: [{color: "+
					"'"+scrim+"'}, {image: a.png, size: cover}]}]\n",
			),
		)
		if err != nil {
			t.Fatal(err)
		}
		before := len(cache)
		ls, err := Choose(t.Context(), p, store)
		if err == nil {
			err = Make(context.Background(), p, store, ls, Options{Jobs: 1, Cache: cache})
		}
		if err != nil {
			t.Fatal(err)
		}
		return len(cache) - before
	}
	first, same, other := entries("rgb(0 0 0 / 10%)"), entries("rgb(0 0 0 / 10%)"), entries("rgb(0 0 0 / 10.1%)")
	if first < 3 || same != 0 || other != 1 { // what was judged; its codings are known
		t.Errorf("%d entries at first, %d for the same, %d for another scrim", first, same, other)
	}
	others := 0
	for _, share := range []string{"11%", "12%", "13%", "14%"} {
		others += entries("rgb(0 0 0 / " + share + ")")
	}
	if others >= 4*first {
		t.Errorf("%d entries for four scrims that are a per cent stronger each, %d for the first", others, first)
	}
}

// A file that looks less like its source than was asked for is told, with the reason.
func TestMissedLookIsTold(t *testing.T) {
	r := &Rung{Target: similar.Look{Mean: 1, Worst: 2}}
	for _, c := range []struct {
		a    Asset
		says string
	}{
		{Asset{Format: picture.WebP, Look: similar.Look{Mean: 1.2, Worst: 1}, Quality: 100}, "all it can use"},
		{Asset{Format: picture.WebP, Look: similar.Look{Mean: 0.5, Worst: 2.2}, Quality: 60}, "no quality between"},
		{Asset{Format: picture.WebP, Look: similar.Look{Mean: 1.01, Worst: 2}, Quality: 50}, ""},
		{Asset{Format: picture.PNG, Same: true}, ""},
	} {
		if got := r.Short(&c.a); (got == "") != (c.says == "") || !strings.Contains(got, c.says) {
			t.Errorf("%+v: %q", c.a, got)
		}
	}
}

// What is drawn in soft shades is coded slowly, which saves a third of it, where many fetch it; grain never.
func TestCare(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 1))
	var hills bytes.Buffer // five, one before the other
	img := image.NewRGBA(image.Rect(0, 0, 900, 600))
	for i := range 900 * 600 {
		x, y, k := i%900, i/900, 0.0
		for n := range 5 {
			n := float64(n)
			if float64(y) > 90+105*n+45*math.Sin(float64(x)/(60+20*n)+n) {
				k = n + 1
			}
		}
		img.SetRGBA(x, y, color.RGBA{uint8(230 - 30*k + float64(y)/30), uint8(200 - 25*k + float64(x)/60),
			uint8(180 - 10*k), 255})
	}
	if err := jpeg.Encode(&hills, img, &jpeg.Options{Quality: 95}); err != nil {
		t.Fatal(err)
	}
	grain := pngOf(t, 900, 600, func(x, y int) color.RGBA {
		v := uint8(min(max(128+20*r.NormFloat64(), 0), 255))
		return color.RGBA{v, v, v, 255}
	})
	avif := func(data []byte, name string, total float64) (careful bool, bytes int) {
		p, store, ls := chosen(t, data, "image: "+name+", size: cover")
		for _, r := range ls[0].Rungs {
			r.total = total
		}
		if err := Make(t.Context(), p, store, ls, Options{}); err != nil {
			t.Fatal(err)
		}
		for _, rung := range ls[0].Rungs {
			for _, tried := range rung.made.Tried {
				careful = careful || tried.Careful
			}
			for _, a := range rung.All {
				if a.Format == picture.AVIF {
					bytes += len(a.Data)
				}
			}
		}
		return careful, bytes
	}
	many, light := avif(hills.Bytes(), "a.jpg", 1)
	few, heavy := avif(hills.Bytes(), "a.jpg", worthCare/2)
	if !many || few {
		t.Errorf("the hills of many are coded slowly: %v, those of few: %v", many, few)
	}
	if light == 0 || float64(light) > (1-careGain)*float64(heavy) {
		t.Errorf("coded slowly the hills have %d bytes, quickly %d", light, heavy)
	}
	if slow, _ := avif(grain, "a.png", 1); slow {
		t.Error("grain is coded slowly, which saves nothing")
	}
}

func TestMeanOf(t *testing.T) {
	rnd := rand.New(rand.NewPCG(5, 6))
	for n := 1; n < 2400; n += 1 + rnd.IntN(60) {
		img := image.NewRGBA(image.Rect(0, 0, n, 1))
		var want [3]float64
		for i := range img.Pix {
			img.Pix[i] = uint8(rnd.IntN(256))
			if n%3 == 0 {
				img.Pix[i] = 255
			}
			if c := i % 4; c < 3 {
				want[c] += float64(img.Pix[i])
			}
		}
		for c := range want {
			want[c] /= float64(n)
		}
		if got := meanOf(img); got != want {
			t.Fatalf("%d px: %v, want %v", n, got, want)
		}
	}
}

// A source is served as it came where it weighs no more than may be.
func TestSourceAsItIsWithinAWeight(t *testing.T) {
	var data bytes.Buffer
	if err := jpeg.Encode(&data, kite(200, 150), nil); err != nil {
		t.Fatal(err)
	}
	f, err := picture.Read("a.jpg", data.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	weighs := len(f.Clean())
	for most, served := range map[int]bool{0: false, weighs / 8: false, weighs - 1: false, weighs: true, 1e6: true} {
		if got := (&batch{file: f}).asItIs(most); (got != nil) != served {
			t.Errorf("at most %d bytes: %d are served of %d", most, len(got), weighs)
		}
	}
}

// Progress rises to all of the work, also where a source is passed on whole, which has more px than the file had.
func TestProgressRisesToAllOfTheWork(t *testing.T) {
	var hard bytes.Buffer
	if err := jpeg.Encode(&hard, kite(900, 600), &jpeg.Options{Quality: 15}); err != nil {
		t.Fatal(err)
	}
	store := picture.NewStore(fstest.MapFS{"a.jpg": {Data: hard.Bytes()}, "b.png": {Data: pngOf(t, 64, 64,
		func(x, y int) color.RGBA { return color.RGBA{uint8(x * 3), uint8(y * 3), 90, 255} })}})
	p, err := plan.Parse("p.yaml", []byte("tourmaline: 1\nviewports: {widths: 400-800, heights: 800-800, "+
		"densities: [1, 2], named: {w: 600x800@1}}\nboxes: [{name: b, width: 100%, height: 300px, layers: "+
		"[{image: a.jpg, size: cover}, {texture: b.png}]}]\n"))
	if err != nil {
		t.Fatal(err)
	}
	ls, err := Choose(t.Context(), p, store)
	if err != nil {
		t.Fatal(err)
	}
	var told []Step
	err = Make(t.Context(), p, store, ls, Options{Jobs: 2, Progress: func(s Step) { told = append(told, s) }})
	if err != nil || len(told) < 3 {
		t.Fatal(told, err)
	}
	whole := false
	for _, l := range ls {
		for _, r := range l.Rungs {
			whole = whole || r.Files[0].Same && r.Files[0].Format == picture.JPEG
		}
	}
	share := 0.0
	for i, s := range told {
		if s.Done != i+1 || s.Total != len(told) || s.Share <= share || s.Share > 1 {
			t.Errorf("step %d of %d is %+v", i+1, len(told), s)
		}
		share = s.Share
	}
	if share != 1 || !whole {
		t.Errorf("at the end %g of the work is done; a source is passed on whole: %v", share, whole)
	}
}

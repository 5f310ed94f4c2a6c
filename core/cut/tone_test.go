package cut

import (
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"sync"
	"testing"
	"testing/fstest"

	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/texture"
)

// lake is a soft picture that ends in one colour at its right side.
func lake(x, y int) color.RGBA {
	k := min(float64(max(0, 330-x))/90, 1)
	v := (30*math.Sin(float64(x)/23)*math.Cos(float64(y)/17) + 9*math.Sin(float64(x*y)/31)) * k
	return color.RGBA{uint8(86 + v), uint8(121 + v/2), uint8(143 - v/3), 255}
}

// A picture that goes on as a flat colour keeps the colour of its side: no line shows there.
func TestSidesKeepTheirColour(t *testing.T) {
	data := pngOf(t, 360, 300, lake)
	l := codingFixture(t, data, "image: a.png, position: left top, repeat: no-repeat, size: 360px 300px, quality: 60")
	lossy := 0
	for _, r := range l.Rungs {
		for _, a := range r.All {
			img, err := Decode(a.Data)
			if err != nil {
				t.Fatal(err)
			}
			if a.Quality > 0 {
				lossy++
			}
			if r.Part.X+r.Part.W < 360 {
				t.Fatal("the side is cut off")
			}
			for y := range img.Rect.Dy() {
				p := img.RGBAAt(img.Rect.Dx()-1, y)
				for c, v := range []uint8{p.R, p.G, p.B} {
					if d := math.Abs(float64(v) - float64([]uint8{86, 121, 143}[c])); d > 5 {
						t.Fatalf("%s of quality %d: px %d of the side is %v", a.Format, a.Quality, y, p)
					}
				}
			}
			mean := meanOf(part(img, image.Rect(img.Rect.Dx()-1, 0, img.Rect.Dx(), img.Rect.Dy())))
			for c, want := range [3]float64{86, 121, 143} {
				if math.Abs(mean[c]-want) > sideOff {
					t.Errorf("%s of quality %d: the side is %.1f, was %v", a.Format, a.Quality, mean, want)
				}
			}
		}
	}
	if lossy == 0 {
		t.Error("no lossy file was tried")
	}
}

// What moves the tone fails, by figures that can be redone by hand: 360 x 300 px whose last column
// is one colour.
func TestMovedTonesAreFound(t *testing.T) {
	own := image.NewRGBA(image.Rect(0, 0, 20, 10))
	fill := func(v uint8) {
		for i := range own.Pix {
			own.Pix[i] = v
			if i%4 == 3 {
				own.Pix[i] = 255
			}
		}
	}
	fill(100)
	tn := &tone{mean: meanOf(own), sides: []side{{image.Rect(19, 0, 20, 10), [3]float64{100, 100, 100}}}}
	if got := tn.moved(own); got != 0 {
		t.Errorf("nothing moved, %g", got)
	}
	for y := range 10 { // one column of 20 is 5 levels off: the mean by a quarter, the side by 5
		own.SetRGBA(19, y, color.RGBA{105, 100, 100, 255})
	}
	if got, want := tn.moved(own), 5/sideOff; math.Abs(got-want) > 1e-9 {
		t.Errorf("a side that is 5 off counts %g, want %g", got, want)
	}
	fill(102)
	tn.sides = nil
	if got, want := tn.moved(own), 2/toneOff; math.Abs(got-want) > 1e-9 {
		t.Errorf("2 levels lighter counts %g, want %g", got, want)
	}
}

// Files of different px and parts of one picture have its mean colours: no jump of tone where the
// window changes from one to the other.
func TestCropsAgreeInTone(t *testing.T) {
	p, store := kitePlan(t, 1200, 500,
		"boxes:\n  - {name: hero, height: 60vh, layers: [{image: kite.png, size: cover}]}\n")
	ls := made1(t, p, store, Options{})
	img, err := ls[0].File.Pixels()
	if err != nil {
		t.Fatal(err)
	}
	if len(ls[0].Rungs) < 2 {
		t.Fatal("one file serves all")
	}
	for _, r := range ls[0].Rungs {
		want := meanOf(picture.Scale(img, r.Part, image.Pt(r.Width, r.Height), picture.Scaling{}))
		for _, a := range r.Files {
			got, err := Decode(a.Data)
			if err != nil {
				t.Fatal(err)
			}
			for c, v := range meanOf(got) {
				if math.Abs(v-want[c]) > toneOff {
					t.Errorf("%s %dx%d: channel %d is %.2f on average, was %.2f", a.Format, r.Width, r.Height, c, v,
						want[c])
				}
			}
		}
	}
}

// A tile whose edges meet does so after coding.
func TestTilesStillMeet(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 5))
	const n = 192
	data := pngOf(t, n, n, func(x, y int) color.RGBA {
		a, b := 2*math.Pi*float64(x)/n, 2*math.Pi*float64(y)/n
		v := 20*math.Sin(a+2*math.Cos(b)) + 9*math.Sin(5*b-a) + 2*r.NormFloat64()
		return color.RGBA{uint8(130 + v), uint8(118 + v*0.9), uint8(101 + v*0.7), 255}
	})
	src, err := Decode(data)
	if err != nil {
		t.Fatal(err)
	}
	was := seams(src)
	l := codingFixture(t, data, "texture: a.png, quality: 60")
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
			for i, s := range [2]texture.Seam{texture.SeamX(img), texture.SeamY(img)} {
				if s.Shows() || s.BandEdge > was[i].BandEdge+seamOff {
					t.Errorf("%s of quality %d: seam %+v, was %+v", a.Format, a.Quality, s, was[i])
				}
			}
		}
	}
	if lossy == 0 {
		t.Error("no lossy file was tried")
	}
}

// counting is a cache that keeps nothing and counts the AVIF files that are coded.
type counting struct {
	sync.Mutex
	avif int
}

func (c *counting) Get(string) ([]byte, bool) { return nil, false }
func (c *counting) Put(_ string, data []byte) {
	c.Lock()
	defer c.Unlock()
	if len(data) > 12 && string(data[4:12]) == "ftypavif" {
		c.avif++
	}
}

// A line of hills is a fraction without loss of what AVIF makes of it: that is coded once, neither again with its mean
// colour moved nor for the other densities. Paper is about as light in AVIF: there it is tried for each file.
func TestFarTooHeavyIsTriedOnce(t *testing.T) {
	hills := func(x, y int) color.RGBA {
		if d := float64(y) - 50 - 30*math.Sin(float64(x)*math.Pi/135); d < 1 {
			return color.RGBA{230, 232, 240, 255}
		} else if d < 40 {
			return color.RGBA{40, 52, 70, 255}
		}
		return color.RGBA{uint8(40 + y/4), 52, 70, 255}
	}
	paper := func(x, y int) color.RGBA {
		r := rand.New(rand.NewPCG(uint64(x), uint64(y)))
		v := 6*math.Sin(float64(x)*math.Pi/45)*math.Cos(float64(y)*math.Pi/30) + 5*r.NormFloat64()
		return color.RGBA{uint8(226 + v), uint8(218 + v), uint8(200 + v), 255}
	}
	for name, c := range map[string]struct {
		at          func(x, y int) color.RGBA
		least, most int
	}{"hills": {hills, 1, 1}, "paper": {paper, 3, 40}} {
		store := picture.NewStore(fstest.MapFS{"a.png": {Data: pngOf(t, 540, 180, c.at)}})
		p, err := plan.Parse("p.yaml", []byte("tourmaline: 1\nviewports: {widths: 400-1000, heights: 800-800, "+
			"densities: {1: 400-1000, 2: 400-1000, 3: 400-480}, named: {a: 400x800@3, b: 600x800@2, c: 900x800@1}}\n"+
			"boxes: [{name: b, width: 100%, height: 300px, layers: [{texture: a.png, size: 180px 60px}]}]\n"))
		if err != nil {
			t.Fatal(err)
		}
		ls, err := Choose(t.Context(), p, store)
		if err != nil {
			t.Fatal(err)
		}
		n := &counting{}
		if err := Make(t.Context(), p, store, ls, Options{Cache: n}); err != nil {
			t.Fatal(err)
		}
		if n.avif < c.least || n.avif > c.most {
			t.Errorf("%s: AVIF was coded %d times for %d files", name, n.avif, len(ls[0].Rungs))
		}
	}
}

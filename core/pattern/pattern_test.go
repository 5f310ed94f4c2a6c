package pattern

import (
	"errors"
	"fmt"
	"image"
	"math"
	"testing"

	"tourmaline/core/css"
	"tourmaline/core/picture"
	"tourmaline/core/texture"
)

func colour(t testing.TB, s string) css.Color {
	t.Helper()
	c, err := css.ParseColor("color", s)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

// drawn is a tile at a density.
func drawn(t testing.TB, address string, w, h int, density float64) *image.RGBA {
	t.Helper()
	f, err := picture.NewStore().File(address)
	if err != nil {
		t.Fatalf("%v: %s", err, address)
	}
	if f.Vector == nil {
		img, err := f.Pixels()
		if err != nil {
			t.Fatal(err)
		}
		return img
	}
	img, err := f.Draw(int(float64(w)*density), int(float64(h)*density), picture.View{W: float64(w),
		H: float64(h), KX: density, KY: density,
		NaturalW: float64(w), NaturalH: float64(h)})
	if err != nil {
		t.Fatal(err)
	}
	return img
}

// samples are patterns of every kind.
func samples(t testing.TB) (out []Pattern) {
	for _, k := range Kinds {
		p := Pattern{Kind: k, Size: 24, Line: 3, Colours: []css.Color{colour(t, "#204060"), colour(t, "#f0e8d8")}}
		switch k {
		case "stripes", "hatching":
			for _, a := range []float64{0, 20, 30, 45, 90, 117, 160} {
				q := p
				q.Angle = a
				out = append(out, q)
			}
			continue
		case "dots":
			p.Line = 9
		case "grain":
			p.Size, p.Line = 96, 5
		}
		out = append(out, p)
	}
	return out
}

// laid is a tile so many times across and down.
func laid(img *image.RGBA, n int) *image.RGBA {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	out := image.NewRGBA(image.Rect(0, 0, n*w, n*h))
	for y := range n * h {
		for x := range n * w {
			copy(out.Pix[y*out.Stride+4*x:][:4], img.Pix[y%h*img.Stride+x%w*4:][:4])
		}
	}
	return out
}

// Every pattern tiles at every density: nothing breaks at the edges of its tile that does not break inside, and what is
// found in copies of it is its own size, or a part of it.
func TestPatternsTile(t *testing.T) {
	for i, p := range samples(t) {
		address, w, h, err := p.Tile()
		if err != nil {
			t.Fatal(err)
		}
		for _, d := range [][]float64{{1, 2}, {1, 3}, {2}}[i%3] {
			name := fmt.Sprintf("%s at %g° and density %g", p.Kind, p.Angle, d)
			img := drawn(t, address, w, h, d)
			many := laid(img, max(3, 96/min(w, h)))
			for _, x := range []*image.RGBA{many, rolled(many, w*int(d)/2+1, h*int(d)/2+1)} {
				if v := texture.See(x); v.Seam() >= 1 {
					t.Errorf("%s: %+v", name, v)
				}
			}
			l, ok := texture.FindLattice(many)
			if p.Kind == "grain" {
				continue
			}
			if !ok {
				t.Errorf("%s does not repeat", name)
				continue
			}
			for i, side := range []int{img.Rect.Dx(), img.Rect.Dy()} {
				if l.Period[i] == 0 {
					continue
				}
				if k := float64(side) / l.Period[i]; math.Abs(k-math.Round(k)) > 0.05 || k < 0.9 {
					t.Errorf("%s: %d px hold %.2f repeats", name, side, k)
				}
			}
		}
	}
}

func rolled(img *image.RGBA, dx, dy int) *image.RGBA {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	out := image.NewRGBA(img.Rect)
	for y := range h {
		for x := range w {
			copy(out.Pix[y*out.Stride+4*x:][:4], img.Pix[(y+dy)%h*img.Stride+(x+dx)%w*4:][:4])
		}
	}
	return out
}

// Angles and sizes are moved no more than makes the tile whole.
func TestStripesKeepTheirAngle(t *testing.T) {
	for a := 5.0; a < 88; a += 7 {
		p := Pattern{Kind: "stripes", Size: 20, Line: 2, Angle: a, Colours: []css.Color{colour(t, "black")}}
		w, h := p.slant()
		got := math.Atan2(float64(h), float64(w)) * 180 / math.Pi
		apart := float64(w*h) / math.Hypot(float64(w), float64(h))
		if math.Abs(got-a) > 1.2 || math.Abs(apart-20) > 0.6 {
			t.Errorf("%g°: %.2f°, %.2f px apart", a, got, apart)
		}
	}
}

func TestErrors(t *testing.T) {
	black := []css.Color{colour(t, "black")}
	for _, r := range []struct {
		p   Pattern
		key string
	}{
		{Pattern{Kind: "tartan", Size: 20, Line: 2, Colours: black}, "pattern"}, {Pattern{Kind: "dots", Size: 1,
			Line: 1, Colours: black}, "size"},
		{Pattern{Kind: "dots", Size: 20, Line: 0, Colours: black}, "line"}, {Pattern{Kind: "dots", Size: 20,
			Line: 21, Colours: black}, "line"},
		{Pattern{Kind: "dots", Size: math.NaN(), Line: 2, Colours: black}, "size"}, {Pattern{Kind: "dots",
			Size: 20, Line: 2}, "colours"},
	} {
		var e *Error
		if _, _, _, err := r.p.Tile(); !errors.As(err, &e) || e.Key != r.key {
			t.Errorf("%+v: %v", r.p, err)
		}
	}
}

func Example() {
	ink, err := css.ParseColor("color", "rgb(0 0 0 / 20%)")
	if err != nil {
		panic(err)
	}
	address, w, h, err := (&Pattern{Kind: "checks", Size: 16, Line: 1, Colours: []css.Color{ink}}).Tile()
	if err != nil {
		panic(err)
	}
	fmt.Println(w, h, Of(address), len(address) < 400)
	// Output: 16 16 checks true
}

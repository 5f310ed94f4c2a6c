package texture

import (
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"testing"
)

func draw(w, h int, f func(x, y float64) uint8) *image.RGBA {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			v := f(float64(x)/float64(w), float64(y)/float64(h))
			img.SetRGBA(x, y, color.RGBA{v, v, v, 255})
		}
	}
	return img
}

func TestSeam(t *testing.T) {
	// A ramp 0..63 over 64 columns: inner steps are 1, the edge is 63.
	ramp := draw(64, 32, func(x, _ float64) uint8 { return uint8(x*64 + 0.5) })
	if s := SeamX(ramp); s.Edge != 63 || s.Inner != 1 || !s.Shows() {
		t.Errorf("ramp across: %+v", s)
	}
	if s := SeamY(ramp); s.Edge != 0 || s.Shows() {
		t.Errorf("ramp down: %+v", s)
	}
	wave := draw(64, 64, func(x, y float64) uint8 {
		return uint8(128 +
			60*math.Sin(2*math.Pi*x)*math.Cos(4*math.Pi*y))
	})
	if s := SeamX(wave); s.Shows() {
		t.Errorf("a wave that meets itself: %+v", s)
	}
	// Noise has large steps everywhere: no seam shows in it.
	r := rand.New(rand.NewPCG(1, 1))
	noise := draw(64, 64, func(_, _ float64) uint8 { return uint8(r.IntN(256)) })
	if s := SeamX(noise); s.Shows() {
		t.Errorf("noise: %+v", s)
	}
	// Stripes of hard edges meet where an edge would be anyway.
	stripes := draw(60, 60, func(x, _ float64) uint8 { return uint8(int(x*6)%2) * 200 })
	if s := SeamX(stripes); s.Edge != 200 || s.Shows() {
		t.Errorf("stripes: %+v", s)
	}
	if s := SeamX(image.NewRGBA(image.Rect(0, 0, 1, 1))); s.Shows() {
		t.Errorf("one pixel: %+v", s)
	}
}

func TestFindPatch(t *testing.T) {
	spot := draw(96, 96, func(x, y float64) uint8 {
		if math.Hypot(x-0.3, y-0.6) < 0.08 {
			return 240
		}
		return 100
	})
	p := FindPatch(spot)
	if !p.Shows() || math.Abs(p.X-0.3) > 0.1 || math.Abs(p.Y-0.6) > 0.1 {
		t.Errorf("a spot: %+v", p)
	}
	// A bold pattern is no patch: its parts are all far from the mean.
	checks := draw(96, 96, func(x, y float64) uint8 { return uint8((int(x*4)+int(y*4))%2) * 200 })
	if p := FindPatch(checks); p.Shows() {
		t.Errorf("checks: %+v", p)
	}
	if p := FindPatch(draw(2, 2, func(x, _ float64) uint8 { return uint8(x * 255) })); p.Shows() {
		t.Errorf("four pixels: %+v", p)
	}
}

func TestLook(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	photo := image.NewRGBA(image.Rect(0, 0, 400, 300))
	for y := range 300 {
		for x := range 400 {
			n := r.IntN(16)
			photo.SetRGBA(x, y, color.RGBA{uint8(x/2 + n), uint8(y/2 + n), uint8(90 + n), 255})
		}
	}
	if k := Look(photo); !k.Photograph() || k.Art() {
		t.Errorf("a photograph: %+v", k)
	}
	art := draw(400, 300, func(x, y float64) uint8 { return uint8(int(x*4)*20 + int(y*3)*20) })
	if k := Look(art); k.Photograph() || !k.Art() {
		t.Errorf("flat art: %+v", k)
	}
}

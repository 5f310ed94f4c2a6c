package texture

import (
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"testing"

	"tourmaline/core/css"
)

func plain(w, h int, f func(x, y int) color.RGBA) *image.RGBA {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			img.SetRGBA(x, y, f(x, y))
		}
	}
	return img
}

// A grey of half the levels on white and on itself; half see-through black on white is as dark.
func TestBesideByHand(t *testing.T) {
	grey := plain(4, 4, func(x, y int) color.RGBA { return color.RGBA{128, 128, 128, 255} })
	if b := BesideOf(grey, [3]uint8{128, 128, 128}); b.Step > 1e-6 || b.Mean != [3]uint8{128, 128, 128} {
		t.Errorf("on itself: %+v", b)
	}
	b := BesideOf(grey, [3]uint8{255, 255, 255})
	// The cube root of the linear light of 128, 0.2159, is 0.5999: 40 from white's 1.
	if math.Abs(b.Step-40) > 0.1 || !b.Darker {
		t.Errorf("on white: %+v", b)
	}
	clear := plain(4, 4, func(x, y int) color.RGBA { return color.RGBA{0, 0, 0, 127} })
	if c := BesideOf(clear, [3]uint8{255, 255, 255}); c.Mean != [3]uint8{128, 128, 128} {
		t.Errorf("see-through: %+v", c)
	}
}

// White text over stripes of black and mid grey: 21 over the one, 3.95 over the other (1.05 / (0.2159 + 0.05)).
func TestExtremesByHand(t *testing.T) {
	img := plain(20, 20, func(x, y int) color.RGBA {
		v := uint8(x % 2 * 128)
		return color.RGBA{v, v, v, 255}
	})
	dark, light := Extremes(img, [3]uint8{}, css.RGBA{R: 1, G: 1, B: 1, A: 1})
	if math.Abs(dark-21) > 0.01 || math.Abs(light-1.05/0.26586) > 0.01 {
		t.Errorf("%.3f over the darkest, %.3f over the lightest", dark, light)
	}
}

// A toned texture has the colour that is asked for, within half a level, and its grain; its dark and light variants are
// of its hue.
func TestTonedTexturesKeepTheirGrain(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 6))
	img := plain(96, 96, func(x, y int) color.RGBA {
		v := 7 * r.NormFloat64()
		return color.RGBA{uint8(190 + v), uint8(176 + v), uint8(150 + v), 255}
	})
	was := BesideOf(img, [3]uint8{})
	for _, want := range [][3]uint8{{40, 44, 60}, {240, 236, 226}, {120, 30, 30}, was.Mean} {
		out := Toned(img, css.FromRGB8(want[0], want[1], want[2]))
		var mean [3]float64
		for i := 0; i < len(out.Pix); i += 4 {
			for c := range 3 {
				mean[c] += float64(out.Pix[i+c]) / float64(len(out.Pix)/4)
			}
		}
		for c := range 3 {
			if math.Abs(mean[c]-float64(want[c])) > 0.55 {
				t.Errorf("to %v: %.2f on average", want, mean)
			}
		}
		if v := lightSpread(out) / lightSpread(img); v < 0.85 || v > 1.15 {
			t.Errorf("to %v: it stands out %.2f times as much", want, v)
		}
	}
	for name, c := range map[string]css.Color{"dark": Dark(img), "light": Light(img)} {
		if c.C[0] > 0.3 && name == "dark" || c.C[0] < 0.9 && name == "light" || c.C[2] <= 0 {
			t.Errorf("%s: %v", name, c)
		}
	}
	alpha := plain(8, 8, func(x, y int) color.RGBA { return color.RGBA{uint8(x * 4), 0, 0, uint8(40 + y*8)} })
	for i, p := range Toned(alpha, css.FromRGB8(20, 200, 90)).Pix {
		if i%4 == 3 && p != alpha.Pix[i] {
			t.Fatal("alpha has changed")
		}
	}
}

// lightSpread is how far lightness lies from its mean.
func lightSpread(img *image.RGBA) float64 {
	var all []float64
	mean := 0.0
	for i := 0; i < len(img.Pix); i += 4 {
		c := css.FromRGB8(img.Pix[i], img.Pix[i+1], img.Pix[i+2])
		l := c.In(css.Oklab, css.RGBA{}).C[0]
		all = append(all, l)
		mean += l / float64(len(img.Pix)/4)
	}
	sum := 0.0
	for _, l := range all {
		sum += (l - mean) * (l - mean)
	}
	return math.Sqrt(sum / float64(len(all)))
}

// A spot of a hundredth of a tile is one px wide where the tile is ten, and three where it is thirty.
func TestPatchesShowAtSizes(t *testing.T) {
	spot := Patch{Levels: 40, Usual: 2, Share: 0.01}
	if from, most, to := spot.Shown(); from != 10 || most != 30 || to != mostShown {
		t.Errorf("from %g, most %g, up to %g", from, most, to)
	}
	if _, _, to := (Patch{Levels: 10, Usual: 2, Share: 0.01}).Shown(); to != 0 {
		t.Errorf("what is not seen shows up to %g", to)
	}
}

// A joint or a bevel that is drawn along the whole edge is no seam; light that falls off across the tile is.
func TestDrawnJointsAreNoSeams(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 7))
	const n = 128
	noise := make([]float64, n*n)
	for i := range noise {
		noise[i] = 5 * r.NormFloat64()
	}
	slabs := func(light float64) *image.RGBA {
		return plain(n, n, func(x, y int) color.RGBA {
			v := 120 + noise[y*n+x] + light*float64(y)/n
			if y < 2 { // lit from above
				v += 55
			} else if y >= n-2 {
				v -= 55
			}
			return color.RGBA{uint8(v), uint8(v), uint8(v), 255}
		})
	}
	if v := See(slabs(0)); v.Y >= 1 {
		t.Errorf("a bevel: %.2f", v.Y)
	}
	if v := See(slabs(70)); v.Y < 1 {
		t.Errorf("light that falls off: %.2f", v.Y)
	}
}

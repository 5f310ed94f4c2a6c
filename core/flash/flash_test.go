package flash

import (
	"image"
	"image/color"
	"math"
	"testing"
)

// film is a film of 32 x 18 px of so many seconds at 25 frames a second.
func film(seconds float64, px func(t float64, x, y int) color.RGBA) Film {
	f := Film{Length: seconds}
	for k := range int(seconds * 25) {
		img := image.NewRGBA(image.Rect(0, 0, 32, 18))
		t := float64(k) / 25
		for y := range 18 {
			for x := range 32 {
				img.SetRGBA(x, y, px(t, x, y))
			}
		}
		f.Frames, f.Times = append(f.Frames, img), append(f.Times, t)
	}
	return f
}

func grey(v uint8) color.RGBA { return color.RGBA{v, v, v, 255} }

// square is 1 and 0 by turns, so many times a second.
func square(t, hertz float64) bool { return math.Mod(t*hertz, 1) < 0.5 }

func TestFlashes(t *testing.T) {
	t.Parallel()
	inside := func(x, y, w, h int) bool { return x >= 4 && x < 4+w && y >= 4 && y < 4+h }
	for _, c := range []struct {
		name string
		px   func(t float64, x, y int) color.RGBA
		want int // pairs in the worst second
		red  bool
	}{
		{"still", func(float64, int, int) color.RGBA { return grey(90) }, 0, false},
		{"two a second", func(t float64, _, _ int) color.RGBA { return pick(square(t, 2), grey(0), grey(255)) },
			2, false},
		{"three", func(t float64, _, _ int) color.RGBA { return pick(square(t, 3), grey(0), grey(255)) }, 3, false},
		{"five", func(t float64, _, _ int) color.RGBA { return pick(square(t, 5), grey(0), grey(255)) }, 5, false},
		// 0.8 and more is light either way: relative luminance of 232 is 0.807, of 231 0.799.
		{"light on light", func(t float64, _, _ int) color.RGBA {
			return pick(square(t, 5), grey(232),
				grey(255))
		}, 0, false},
		{"nearly", func(t float64, _, _ int) color.RGBA { return pick(square(t, 5), grey(231), grey(255)) }, 5, false},
		// 0.099 and 0.101 of light: 0 to 89 and to 90 of 255.
		{"a little less", func(t float64, _, _ int) color.RGBA { return pick(square(t, 5), grey(0), grey(88)) },
			0, false},
		{"a little more", func(t float64, _, _ int) color.RGBA { return pick(square(t, 5), grey(0), grey(91)) },
			5, false},
		// A px is 40 x 40: 21,824 px² are 13.64 px of the film.
		{"4 x 4 px", func(t float64, x, y int) color.RGBA {
			return pick(inside(x, y, 4, 4) && square(t, 5), grey(0), grey(255))
		}, 5, false},
		{"6 x 2 px", func(t float64, x, y int) color.RGBA {
			return pick(inside(x, y, 6, 2) && square(t, 5), grey(0), grey(255))
		}, 0, false},
		{"far apart", func(t float64, x, y int) color.RGBA { // 16 px, but never within 341 x 256
			return pick(x%10 == 0 && y%4 == 0 && square(t, 5), grey(0), grey(255))
		}, 0, false},
		{"a wave", func(t float64, x, _ int) color.RGBA { // light goes over the picture once a second
			return grey(uint8(128 + 100*math.Sin(2*math.Pi*(t+float64(x)/32))))
		}, 1, false},
		{"red and black", func(t float64, _, _ int) color.RGBA {
			return pick(square(t, 5), color.RGBA{90, 0, 0, 255}, grey(0))
		}, 5, true}, // its light is 0.02, too little to count as light
		{"brown and black", func(t float64, _, _ int) color.RGBA {
			return pick(square(t, 5), color.RGBA{90, 60, 40, 255}, grey(0))
		}, 0, false},
	} {
		got := Look(film(3, c.px), 40, 40)
		if got.Times != c.want || got.Red != c.red || got.Dangerous() != (c.want > 3) {
			t.Errorf("%s: %+v, want %d", c.name, got, c.want)
		}
	}
}

func pick(is bool, a, b color.RGBA) color.RGBA {
	if is {
		return a
	}
	return b
}

// A burst over the end of the loop is one burst.
func TestLoopGoesOn(t *testing.T) {
	t.Parallel()
	f := film(3, func(t float64, _, _ int) color.RGBA {
		return pick((t < 0.4 || t >= 2.6) && square(t, 5), grey(255), grey(0))
	})
	got := Look(f, 40, 40)
	if got.Times != 4 || got.From < 2.5 || got.From >= 3 {
		t.Errorf("%+v, want 4 from about 2.6 s", got)
	}
	for _, bad := range []Film{{}, {Frames: f.Frames, Times: f.Times[1:], Length: 3}, {Frames: f.Frames,
		Times: f.Times}} {
		if got := Look(bad, 40, 40); got != (Worst{}) {
			t.Errorf("%+v", got)
		}
	}
}

func BenchmarkLook(b *testing.B) {
	f := film(12, func(t float64, x, y int) color.RGBA {
		return grey(uint8(128 + 100*math.Sin(t*9+float64(x*y)/9)))
	})
	for b.Loop() {
		Look(f, 40, 40)
	}
}

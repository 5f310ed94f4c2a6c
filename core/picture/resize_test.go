package picture

import (
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"testing"

	"golang.org/x/image/draw"
)

func noise(w, h int, alpha bool) *image.RGBA {
	r := rand.New(rand.NewPCG(uint64(w), uint64(h)))
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for i := 0; i < len(img.Pix); i += 4 {
		a := uint32(255)
		if alpha {
			a = r.Uint32N(256)
		}
		for c := range 3 {
			img.Pix[i+c] = MulDiv255(r.Uint32N(256), a)
		}
		img.Pix[i+3] = uint8(a)
	}
	return img
}

// scaleSlowly is the definition: every new px is the weighted sum over all source px,
// in float64.
func scaleSlowly(img *image.RGBA, win Part, w, h int, wrap bool) [][4]float64 {
	sw, sh := img.Rect.Dx(), img.Rect.Dy()
	weights := func(start, length float64, i, n, all int) map[int]float64 {
		step := length / float64(n)
		width := max(step, 1)
		c := start + (float64(i)+0.5)*step - 0.5
		out, total := map[int]float64{}, 0.0
		for p := int(c-2*width) - 2; p <= int(c+2*width)+2; p++ {
			k := cubic((float64(p) - c) / width)
			total += k
			q := min(max(p, 0), all-1)
			if wrap {
				q = ((p % all) + all) % all
			}
			out[q] += k
		}
		for q := range out {
			out[q] /= total
		}
		return out
	}
	var out [][4]float64
	for y := range h {
		wy := weights(win.Y, win.H, y, h, sh)
		for x := range w {
			wx := weights(win.X, win.W, x, w, sw)
			var s [4]float64
			for py, ky := range wy {
				for px, kx := range wx {
					p := img.RGBAAt(px, py)
					a := float64(p.A) / 255
					for c, v := range []uint8{p.R, p.G, p.B} {
						if p.A > 0 {
							s[c] += kx * ky * a * Linear(uint8(min((int(v)*255+int(p.A)/2)/int(p.A), 255)))
						}
					}
					s[3] += kx * ky * a
				}
			}
			out = append(out, s)
		}
	}
	return out
}

func TestScaleIsItsDefinition(t *testing.T) {
	for _, c := range []struct {
		sw, sh, w, h int
		win          Part
		alpha, wrap  bool
	}{
		{20, 14, 7, 5, Part{0, 0, 20, 14}, false, false},
		{20, 14, 7, 5, Part{3.3, 1.25, 12.5, 9.75}, true, false},
		{16, 16, 9, 9, Part{0, 0, 16, 16}, true, true},
		{9, 9, 9, 4, Part{0, 0, 9, 9}, false, true},
		{3, 40, 1, 3, Part{0, 0, 3, 40}, false, false},
	} {
		img := noise(c.sw, c.sh, c.alpha)
		got := Scale(img, c.win, image.Pt(c.w, c.h), Scaling{Wrap: c.wrap})
		for i, want := range scaleSlowly(img, c.win, c.w, c.h, c.wrap) {
			a := min(max(want[3], 0), 1)
			for ch := range 4 {
				v := a * 255
				if ch < 3 {
					v = 0
					if a > 0 {
						v = float64(FromLinear(want[ch]/a)) * a
					}
				}
				if d := math.Abs(v - float64(got.Pix[4*i+ch])); d > 1.6 {
					t.Fatalf("%+v: px %d channel %d is %d, by definition %.2f", c, i, ch, got.Pix[4*i+ch], v)
				}
			}
		}
	}
}

// Half the px white and half black is half the light: 188, not 128.
func TestScaleKeepsLight(t *testing.T) {
	img := image.NewRGBA(image.Rect(0, 0, 64, 64))
	for i := range 64 * 64 {
		v := uint8(255 * ((i + i/64) % 2))
		img.SetRGBA(i%64, i/64, color.RGBA{v, v, v, 255})
	}
	got := Scale(img, Whole(img), image.Pt(16, 16), Scaling{Wrap: true})
	for i := 0; i < len(got.Pix); i += 4 {
		if v := got.Pix[i]; v < 187 || v > 189 {
			t.Fatalf("px %d is %d, want 188", i/4, v)
		}
	}
	if Scale(img, Whole(img), image.Pt(64, 64), Scaling{}) != img {
		t.Error("the picture's own size is copied")
	}
}

// A fractional window shows what a picture moved by that much shows: a ramp of light.
func TestScaleOfAWindow(t *testing.T) {
	img := image.NewRGBA(image.Rect(0, 0, 200, 8))
	for x := range 200 {
		v := FromLinear(float64(x) / 200)
		for y := range 8 {
			img.SetRGBA(x, y, color.RGBA{v, v, v, 255})
		}
	}
	got := Scale(img, Part{50.4, 0, 99.2, 8}, image.Pt(31, 2), Scaling{})
	for x := range 31 {
		light := (50.4 + (float64(x)+0.5)*99.2/31 - 0.5) / 200
		if d := int(got.RGBAAt(x, 0).R) - int(FromLinear(light)); d < -1 || d > 1 {
			t.Errorf("px %d is %d, want %d", x, got.RGBAAt(x, 0).R, FromLinear(light))
		}
	}
}

func TestSharpenIsGentle(t *testing.T) {
	img := noise(40, 40, false)
	flat := image.NewRGBA(img.Rect)
	draw.Draw(flat, flat.Rect, image.NewUniform(color.RGBA{90, 90, 90, 255}), image.Point{}, draw.Src)
	if got := sharpen(flat, 1); string(got.Pix) != string(flat.Pix) {
		t.Error("a flat picture changes")
	}
	spread := func(m *image.RGBA) (s float64) {
		for i := 4; i < len(m.Pix); i += 4 {
			s += math.Abs(float64(m.Pix[i]) - float64(m.Pix[i-4]))
		}
		return
	}
	soft := Scale(img, Whole(img), image.Pt(20, 20), Scaling{})
	if a, b := spread(soft), spread(Scale(img, Whole(img), image.Pt(20, 20), Scaling{Sharpen: 0.5})); b < 1.05*a {
		t.Errorf("differences of neighbours are %.0f, sharpened %.0f", a, b)
	}
}

func BenchmarkScale6000To1920(b *testing.B) {
	img := noise(6000, 4000, false)
	for b.Loop() {
		Scale(img, Whole(img), image.Pt(1920, 1280), Scaling{})
	}
}

func BenchmarkXImageCatmullRom6000To1920(b *testing.B) {
	img := noise(6000, 4000, false)
	dst := image.NewRGBA(image.Rect(0, 0, 1920, 1280))
	for b.Loop() {
		draw.CatmullRom.Scale(dst, dst.Rect, img, img.Rect, draw.Src, nil)
	}
}

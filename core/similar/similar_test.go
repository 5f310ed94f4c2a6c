package similar

import (
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"testing"
)

func pattern(w, h int, f func(x, y int) float64) *image.RGBA {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			v := uint8(min(max(f(x, y), 0), 255))
			img.SetRGBA(x, y, color.RGBA{v, v, v, 255})
		}
	}
	return img
}

func waves(x, y int) float64 { return 128 + 60*math.Sin(float64(x)/5)*math.Cos(float64(y)/7) }

// One window of 8 x 8, grey 100 against grey 110: only the mean differs, by 10, so
// similarity is 58.5225 / (10² + 58.5225).
func TestLossByHand(t *testing.T) {
	flat := func(v float32) plane {
		p := plane{8, 8, make([]float32, 64)}
		for i := range p.v {
			p.v[i] = v
		}
		return p
	}
	if got, want := flat(100).loss(flat(110), 58.5225), 1-58.5225/158.5225; math.Abs(got-want) > 1e-9 {
		t.Errorf("loss %g, want %g", got, want)
	}
	// Half 100, half 120 (mean 110, variance 100) against grey 110: covariance 0, so
	// it is 58.5225 / (100 + 58.5225) again.
	half := flat(100)
	for i := range 32 {
		half.v[i] = 120
	}
	if got, want := half.loss(flat(110), 58.5225), 1-58.5225/158.5225; math.Abs(got-want) > 1e-6 {
		t.Errorf("loss %g, want %g", got, want)
	}
}

// lossSlowly goes window by window over the px.
func lossSlowly(p, q plane, floor float64) float64 {
	total, n := 0.0, 0
	across, down := (p.w+3)/4, (p.h+3)/4
	for wy := range max(down-1, 1) {
		for wx := range max(across-1, 1) {
			var a, b []float64
			for y := 4 * wy; y < min(4*wy+8, p.h); y++ {
				for x := 4 * wx; x < min(4*wx+8, p.w); x++ {
					a, b = append(a, float64(p.v[y*p.w+x])), append(b, float64(q.v[y*p.w+x]))
				}
			}
			var ma, mb, va, vb, cov float64
			for i := range a {
				ma, mb = ma+a[i]/float64(len(a)), mb+b[i]/float64(len(a))
			}
			for i := range a {
				va += (a[i] - ma) * (a[i] - ma) / float64(len(a))
				vb += (b[i] - mb) * (b[i] - mb) / float64(len(a))
				cov += (a[i] - ma) * (b[i] - mb) / float64(len(a))
			}
			s := floor / ((ma-mb)*(ma-mb) + floor) * (2*cov + floor) / (va + vb + floor)
			total += (1 - s) * (1 - s)
			n++
		}
	}
	return math.Sqrt(total / float64(n))
}

func TestLossIsItsDefinition(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for _, size := range [][2]int{{8, 8}, {13, 21}, {3, 2}, {40, 9}, {1, 1}} {
		p := plane{size[0], size[1], make([]float32, size[0]*size[1])}
		q := plane{size[0], size[1], make([]float32, size[0]*size[1])}
		for i := range p.v {
			p.v[i] = float32(r.IntN(256))
			q.v[i] = min(max(p.v[i]+float32(r.IntN(41)-20), 0), 255)
		}
		if got, want := p.loss(q, 90), lossSlowly(p, q, 90); math.Abs(got-want) > 1e-4 {
			t.Errorf("%v: %g, by definition %g", size, got, want)
		}
	}
}

func TestScoreOrdersDamage(t *testing.T) {
	ideal := pattern(160, 120, waves)
	noisy := func(amount float64) *image.RGBA {
		r := rand.New(rand.NewPCG(3, 4))
		return pattern(160, 120, func(x, y int) float64 { return waves(x, y) + amount*r.NormFloat64() })
	}
	ref := To(ideal, 1)
	if s := ref.Score(ideal); s < 100-1e-6 {
		t.Errorf("a picture is %g like itself", s)
	}
	last := 100.0
	for _, amount := range []float64{1, 3, 8, 20} {
		s := ref.Score(noisy(amount))
		if s >= last {
			t.Errorf("noise of %g gives %g, less noise gave %g", amount, s, last)
		}
		if fine := To(ideal, 3).Score(noisy(amount)); fine <= s {
			t.Errorf("noise of %g is seen at density 3 (%g) as much as at 1 (%g)", amount, fine, s)
		}
		last = s
	}
	// A damaged corner counts for more than its share of the windows.
	corner := pattern(160, 120, func(x, y int) float64 {
		if x < 40 && y < 30 {
			return 128
		}
		return waves(x, y)
	})
	if s := ref.Score(corner); s > 50 {
		t.Errorf("a sixteenth of the picture is lost and the score is %g", s)
	}
	if ref.Score(pattern(20, 20, waves)) != 0 {
		t.Error("another size is compared")
	}
}

// Colours that are lost are seen although brightness stays.
func TestScoreSeesColour(t *testing.T) {
	paint := func(c color.RGBA) *image.RGBA {
		img := image.NewRGBA(image.Rect(0, 0, 64, 64))
		for i := range 64 * 64 {
			k := uint8(i / 64)
			img.SetRGBA(i%64, i/64, color.RGBA{c.R - k, c.G - k/2, c.B, 255})
		}
		return img
	}
	if s := To(paint(color.RGBA{200, 60, 60, 255}), 1).Score(paint(color.RGBA{102, 102, 102, 255})); s > 75 {
		t.Errorf("red and grey of one brightness: %g", s)
	}
}

func BenchmarkScore1600x1000(b *testing.B) {
	img := pattern(1600, 1000, waves)
	ref := To(img, 1)
	b.SetBytes(1600 * 1000)
	for b.Loop() {
		ref.Score(img)
	}
}

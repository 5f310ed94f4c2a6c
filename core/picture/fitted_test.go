package picture

import (
	"bytes"
	"image"
	"image/color"
	"image/jpeg"
	"math"
	"math/rand/v2"
	"testing"
)

// T.81, A.3.3, as it is written.
func dctSlowly(in *[64]float32) (out [64]float64) {
	for v := range 8 {
		for u := range 8 {
			sum := 0.0
			for y := range 8 {
				for x := range 8 {
					sum += float64(in[8*y+x]) * math.Cos(float64(2*x+1)*float64(u)*math.Pi/16) *
						math.Cos(float64(2*y+1)*float64(v)*math.Pi/16)
				}
			}
			c := func(k int) float64 {
				if k == 0 {
					return 1 / math.Sqrt2
				}
				return 1
			}
			out[8*v+u] = sum * c(u) * c(v) / 4
		}
	}
	return out
}

func TestDCTIsItsDefinition(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 1))
	seen := [64]bool{}
	for range 20 {
		var in [64]float32
		for i := range in {
			in[i] = float32(r.IntN(256) - 128)
		}
		got, want := dct(&in), dctSlowly(&in)
		for z, i := range zigzag {
			seen[i] = true
			if math.Abs(float64(got[z])-want[i]) > 1e-2 {
				t.Fatalf("coefficient %d is %g, by definition %g", i, got[z], want[i])
			}
		}
	}
	for i, ok := range seen {
		if !ok {
			t.Errorf("coefficient %d is not in the zigzag", i)
		}
	}
}

// Quality 50 is the standard's table, 100 steps of one.
func TestTablesByHand(t *testing.T) {
	plain := tables{}
	if q := plain.table(0, 50); q[0] != 16 || q[1] != 11 || q[2] != 12 || q[63] != 99 {
		t.Errorf("at quality 50: %v", q)
	}
	if q := plain.table(1, 100); q != [64]int(slicesOf(1, 64)) {
		t.Errorf("at quality 100: %v", q)
	}
	// Twice as fine: half of 17 is 8.5. Quite flat: every step is the first's.
	if q := (&tables{colour: 1}).table(1, 50); q[0] != 9 {
		t.Errorf("colours twice as fine: %v", q)
	}
	if q := (&tables{flat: 1}).table(0, 50); q != [64]int(slicesOf(16, 64)) {
		t.Errorf("flat: %v", q)
	}
}

func slicesOf(v, n int) []int {
	out := make([]int, n)
	for i := range out {
		out[i] = v
	}
	return out
}

// scenery has a sky with grain, an edge and thin coloured lines.
func scenery(w, h int) *image.RGBA {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	r := rand.New(rand.NewPCG(4, 2))
	for y := range h {
		for x := range w {
			n := r.IntN(7) - 3
			c := color.RGBA{uint8(100 + y/4%60 + n), uint8(140 + x/8%50 + n), uint8(190 + n), 255}
			if x+y > w {
				c = color.RGBA{uint8(60 + n), uint8(80 + 3*n), uint8(50 + n), 255}
			}
			if y%16 == 5 {
				c = color.RGBA{210, 40, 60, 255}
			}
			img.SetRGBA(x, y, c)
		}
	}
	return img
}

func meanSquare(t *testing.T, a *image.RGBA, data []byte) float64 {
	t.Helper()
	f, err := Read("a.jpg", data)
	if err != nil {
		t.Fatal(err)
	}
	b, err := f.Decode()
	if err != nil || b.Rect != a.Rect {
		t.Fatal(b.Rect, err)
	}
	sum := 0.0
	for i := range a.Pix {
		d := float64(a.Pix[i]) - float64(b.Pix[i])
		sum += d * d
	}
	return sum / float64(len(a.Pix))
}

// Every size and kind is a JPEG that decoders read, and more quality is nearer.
func TestFittedJPEGs(t *testing.T) {
	for _, size := range [][2]int{{1, 1}, {7, 3}, {16, 16}, {17, 33}, {120, 90}} {
		img := scenery(size[0], size[1])
		for _, full := range []bool{false, true} {
			last := math.Inf(1)
			for _, q := range []int{10, 50, 80, 100} {
				data, err := Code(img, Coding{Format: JPEG, Quality: q, Full: full})
				if err != nil {
					t.Fatal(err)
				}
				if off := meanSquare(t, img, data); off > last*1.05+1 {
					t.Errorf("%v, full %v: quality %d is %g off, less quality %g", size, full, q, off, last)
				} else {
					last = off
				}
				again, _ := Code(img, Coding{Format: JPEG, Quality: q, Full: full})
				if !bytes.Equal(data, again) {
					t.Errorf("%v: coded twice, it is another file", size)
				}
				if _, err := jpeg.Decode(bytes.NewReader(data)); err != nil {
					t.Errorf("%v: %v", size, err)
				}
			}
		}
	}
	grey := image.NewRGBA(image.Rect(0, 0, 40, 30))
	for i := range 40 * 30 {
		v := uint8(i % 40 * 6)
		grey.SetRGBA(i%40, i/40, color.RGBA{v, v, v, 255})
	}
	for _, full := range []bool{false, true} {
		data, _ := Code(grey, Coding{Format: JPEG, Quality: 90, Full: full})
		if off := meanSquare(t, grey, data); off > 4 {
			t.Errorf("grey is %g off", off)
		}
		if cfg, err := jpeg.DecodeConfig(bytes.NewReader(data)); err != nil || cfg.ColorModel != color.GrayModel {
			t.Errorf("grey is coded as %v, %v", cfg.ColorModel, err)
		}
	}
}

// Thin coloured lines are nearer with colours in full size.
func TestFullColoursAreNearer(t *testing.T) {
	img := scenery(160, 120)
	half, _ := Code(img, Coding{Format: JPEG, Quality: 92})
	full, _ := Code(img, Coding{Format: JPEG, Quality: 92, Full: true})
	if a, b := meanSquare(t, img, half), meanSquare(t, img, full); b > a/2 {
		t.Errorf("half is %g off, full %g", a, b)
	}
}

// Rounding by worth costs less than it gives: at the same bytes the picture is nearer than with the
// nearest values of a coarser table.
func TestFrugalRounding(t *testing.T) {
	img := scenery(320, 240)
	plain, frugal := tables{flat: 0.6}, tables{flat: 0.6, frugal: 0.06}
	at := func(tb *tables, q int) (bytes, off float64) {
		data, _ := fitted(img, q, tb)
		return float64(len(data)), meanSquare(t, img, data)
	}
	bytes, off := at(&frugal, 80)
	for q := 80; q > 20; q-- {
		if b, o := at(&plain, q); b <= bytes {
			if off > o*1.02 {
				t.Errorf("%.0f bytes are %g off, %.0f of quality %d rounded to the nearest %g", bytes, off, b, q, o)
			}
			return
		}
	}
}

func BenchmarkJPEG1600x1000(b *testing.B) {
	img := scenery(1600, 1000)
	b.SetBytes(1600 * 1000)
	for b.Loop() {
		if _, err := Code(img, Coding{Format: JPEG, Quality: 75}); err != nil {
			b.Fatal(err)
		}
	}
}

// Halved colours are means over 2 x 2 px, of fewer at an odd edge counted twice, whatever the size.
func TestChromaOf(t *testing.T) {
	for _, size := range []image.Point{{1, 1}, {1, 4}, {5, 1}, {6, 4}, {7, 5}} {
		img := image.NewRGBA(image.Rectangle{Max: size})
		for i := range img.Pix {
			img.Pix[i] = uint8(i * 37)
		}
		for which, k := range [2][3]float64{{-0.168736, -0.331264, 0.5}, {0.5, -0.418688, -0.081312}} {
			s := chromaOf(img, which, 2)
			for i, got := range s.v {
				want := 0.0
				for j := range 4 {
					x, y := min(i%s.w*2+j%2, size.X-1), min(i/s.w*2+j/2, size.Y-1)
					for c := range 3 {
						want += k[c] * float64(img.Pix[y*img.Stride+4*x+c]) / 4
					}
				}
				if math.Abs(float64(got)-want) > 1e-4 {
					t.Fatalf("%v, channel %d, %d: %v, want %v", size, which, i, got, want)
				}
			}
		}
	}
}

// The scan that is looked at has the px of the file, which has more of them.
func TestPlainShowsTheFile(t *testing.T) {
	img := image.NewRGBA(image.Rect(0, 0, 333, 219))
	for i := range img.Pix {
		x, y := i/4%333, i/4/333
		img.Pix[i] = uint8(128 + 90*math.Sin(float64(x*(i%4+1))/37)*math.Cos(float64(y)/29) + float64(x*y%13))
		if i%4 == 3 {
			img.Pix[i] = 255
		}
	}
	several := 0
	for _, tb := range []*tables{&halfColour, &fullColour} {
		for _, q := range []int{20, 60, 95} {
			var px [2][]uint8
			file, plain := fitted(img, q, tb)
			if len(file) < len(plain) {
				several++
			}
			for i, data := range [][]byte{file, plain} {
				f, err := Read("", data)
				if err != nil {
					t.Fatal(err)
				}
				seen, err := f.Decode()
				if err != nil {
					t.Fatal(err)
				}
				px[i] = seen.Pix
			}
			if !bytes.Equal(px[0], px[1]) {
				t.Errorf("at %d, %+v: other px", q, *tb)
			}
		}
	}
	if several < 2 {
		t.Errorf("%d files have several scans: it tells nothing", several)
	}
}

package picture

import (
	"bytes"
	"image"
	"image/jpeg"
	"math"
	"math/rand/v2"
	"testing"
)

// scene is smooth with some texture, as photographs are.
func scene(w, h int) *image.RGBA {
	r := rand.New(rand.NewPCG(7, uint64(w)))
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			v := 120 + 60*math.Sin(float64(x)/31)*math.Cos(float64(y)/19) + 30*math.Sin(float64(x*y)/900)
			p := img.Pix[img.PixOffset(x, y):]
			for c := range 3 {
				p[c] = uint8(min(max(v+float64(20*c)+r.NormFloat64()*4, 0), 255))
			}
			p[3] = 255
		}
	}
	return img
}

func TestRecodeKeepsEveryPixel(t *testing.T) {
	saved := 0.0
	for _, c := range []struct {
		w, h, q int
		gray    bool
	}{{400, 300, 80, false}, {401, 297, 50, false}, {17, 9, 95, false}, {1, 1, 30, false}, {333, 128, 75, true},
		{64, 64, 100, false}} {
		var src image.Image = scene(c.w, c.h)
		if c.gray {
			g := image.NewGray(image.Rect(0, 0, c.w, c.h))
			for i := range g.Pix {
				g.Pix[i] = src.(*image.RGBA).Pix[4*i]
			}
			src = g
		}
		var b bytes.Buffer
		if err := jpeg.Encode(&b, src, &jpeg.Options{Quality: c.q}); err != nil {
			t.Fatal(err)
		}
		j, err := readJPEG(b.Bytes())
		if err != nil {
			t.Fatal(c, err)
		}
		want, _ := jpeg.Decode(bytes.NewReader(b.Bytes()))
		for name, data := range map[string][]byte{"sequential": j.write(j.sequential()),
			"progressive": j.write(j.progressive())} {
			got, err := jpeg.Decode(bytes.NewReader(data))
			if err != nil {
				t.Fatalf("%+v %s: %v", c, name, err)
			}
			if !bytes.Equal(toRGBA(got).Pix, toRGBA(want).Pix) {
				t.Errorf("%+v %s: other pixels", c, name)
			}
		}
		small, err := Recode(b.Bytes())
		if err != nil || len(small) > b.Len() {
			t.Errorf("%+v: %d bytes became %d, %v", c, b.Len(), len(small), err)
		}
		if c.w == 400 {
			saved = 1 - float64(len(small))/float64(b.Len())
		}
	}
	if saved < 0.02 {
		t.Errorf("%.1f%% saved, want 2%% at least", 100*saved)
	}
}

// The table of K.2 for frequencies 1, 1, 2, 4 gives codes of 3, 3, 2, 1 bits and keeps one
// code of the longest back: 4, 3 (or 4), 2, 1.
func TestBestTableByHand(t *testing.T) {
	var f [256]int
	f[10], f[20], f[30], f[40] = 1, 1, 2, 4
	_, values, codes := bestTable(&f)
	total := 0
	for _, v := range values {
		total += f[v] * int(codes[v].n)
		if codes[v].bits == 1<<codes[v].n-1 {
			t.Errorf("the code of %d is all ones", v)
		}
	}
	// 4 at 1 bit, 2 at 2, the rare ones at 3 and 4 beside the code kept back
	if total != 4+4+3+4 && total != 4+4+4+4 || codes[40].n != 1 || codes[30].n != 2 {
		t.Errorf("%d bits, codes %v %v %v %v", total, codes[10], codes[20], codes[30], codes[40])
	}
	for i := range f { // Fibonacci frequencies want codes of more than 16 bits
		f[i] = 0
	}
	a, b := 1, 1
	for i := range 30 {
		f[i] = a
		a, b = b, a+b
	}
	counts, values, codes := bestTable(&f)
	room := 0.0
	for n, c := range counts {
		room += float64(c) / math.Pow(2, float64(n))
	}
	if len(values) != 30 || room >= 1 || codes[0].n > 16 {
		t.Errorf("%d values, %g of all codes", len(values), room)
	}
}

func FuzzRecode(f *testing.F) {
	for _, size := range []int{8, 24, 40} {
		var b bytes.Buffer
		if err := jpeg.Encode(&b, scene(size, size), nil); err != nil {
			f.Fatal(err)
		}
		f.Add(b.Bytes())
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		if cfg, err := jpeg.DecodeConfig(bytes.NewReader(data)); err == nil && cfg.Width*cfg.Height > 1<<20 {
			return
		}
		out, err := Recode(data)
		if err != nil {
			return
		}
		a, err1 := jpeg.Decode(bytes.NewReader(data))
		b, err2 := jpeg.Decode(bytes.NewReader(out))
		if err1 == nil && (err2 != nil || !bytes.Equal(toRGBA(a).Pix, toRGBA(b).Pix)) {
			t.Errorf("other pixels, %v", err2)
		}
	})
}

func BenchmarkRecode1600x1000(b *testing.B) {
	var buf bytes.Buffer
	jpeg.Encode(&buf, scene(1600, 1000), &jpeg.Options{Quality: 80})
	b.SetBytes(1600 * 1000)
	for b.Loop() {
		if _, err := Recode(buf.Bytes()); err != nil {
			b.Fatal(err)
		}
	}
}

package picture

import (
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"slices"
	"testing"
)

func greys(values ...uint8) *image.RGBA {
	img := image.NewRGBA(image.Rect(0, 0, len(values), 1))
	for i, v := range values {
		img.SetRGBA(i, 0, color.RGBA{v, v, v, 255})
	}
	return img
}

// Two crowds of greys share their means; one px of another weight pulls them.
func TestIndexedByHand(t *testing.T) {
	for _, c := range []struct {
		in, want []uint8
		n        int
	}{
		{[]uint8{0, 10, 200, 210}, []uint8{5, 5, 205, 205}, 2},
		{[]uint8{0, 9, 9, 200, 200, 206}, []uint8{6, 6, 6, 202, 202, 202}, 2},
		{[]uint8{40, 41}, []uint8{40, 41}, 2},
		{[]uint8{0, 100, 200}, []uint8{100, 100, 100}, 1},
	} {
		out := NewPalettes(greys(c.in...)).Indexed(c.n, false)
		for i, want := range c.want {
			if got := out.RGBAAt(i, 0); got != (color.RGBA{want, want, want, 255}) {
				t.Errorf("%v in %d colours: px %d is %v, want %d", c.in, c.n, i, got, want)
			}
		}
	}
}

func colours(img *image.RGBA) map[color.RGBA]bool {
	out := map[color.RGBA]bool{}
	for y := range img.Rect.Dy() {
		for x := range img.Rect.Dx() {
			out[img.RGBAAt(x, y)] = true
		}
	}
	return out
}

// A picture has no more colours than it may, none whose channels are above its alpha, and comes nearer with more.
func TestIndexedComesNearer(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 1))
	img := image.NewRGBA(image.Rect(0, 0, 61, 47))
	for i := 0; i < len(img.Pix); i += 4 {
		a := r.IntN(256)
		for c := range 3 {
			img.Pix[i+c] = uint8(r.IntN(a + 1))
		}
		img.Pix[i+3] = uint8(a)
	}
	p, last := NewPalettes(img), math.Inf(1)
	for _, n := range []int{2, 5, 16, 64, 256} {
		for _, diffuse := range []bool{false, true} {
			out := p.Indexed(n, diffuse)
			for c := range colours(out) {
				if max(c.R, c.G, c.B) > c.A {
					t.Fatalf("%d colours: %v is brighter than its alpha", n, c)
				}
			}
			if got := len(colours(out)); got > n {
				t.Errorf("%d colours, want at most %d", got, n)
			}
			if diffuse {
				continue
			}
			sum := 0.0
			for i := range img.Pix {
				d := float64(img.Pix[i]) - float64(out.Pix[i])
				sum += d * d
			}
			if sum >= last {
				t.Errorf("%d colours are no nearer than fewer", n)
			}
			last = sum
		}
	}
}

// What is handed on keeps the light: a picture in few greys is as bright as it was, and no seam comes of it at the
// edges, where the last px hand on to the first.
func TestDiffusedTilesMeet(t *testing.T) {
	const n = 48
	img := image.NewRGBA(image.Rect(0, 0, n, n))
	for y := range n {
		for x := range n {
			v := uint8(128 + 100*math.Sin(2*math.Pi*float64(x)/n)*math.Cos(2*math.Pi*float64(y)/n))
			img.SetRGBA(x, y, color.RGBA{v, v, v, 255})
		}
	}
	out := NewPalettes(img).Indexed(10, true)
	mean := func(img *image.RGBA, r image.Rectangle) (m float64) {
		for y := r.Min.Y; y < r.Max.Y; y++ {
			for x := r.Min.X; x < r.Max.X; x++ {
				m += float64(img.Pix[img.PixOffset(x%n, y%n)]) / float64(r.Dx()*r.Dy())
			}
		}
		return m
	}
	if a, b := mean(img, img.Rect), mean(out, img.Rect); math.Abs(a-b) > 1 {
		t.Errorf("it is %.2f bright, was %.2f", b, a)
	}
	for at := range n { // 8 x 8 px anywhere, across the edges too
		for _, r := range []image.Rectangle{image.Rect(n-4, at, n+4, at+8), image.Rect(at, n-4, at+8, n+4)} {
			if a, b := mean(img, r), mean(out, r); math.Abs(a-b) > 8 {
				t.Errorf("at %v it is %.1f bright, was %.1f", r, b, a)
			}
		}
	}
}

// The nearest colour is the one that looking at all of them finds, the first of several.
func TestNearestAgainstAll(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 3))
	for range 300 {
		some := func() (c colour) {
			for i := range c {
				c[i] = float32(r.IntN(12)*20) + float32(r.IntN(2))*r.Float32() // often the same
			}
			return c
		}
		list := make([]colour, 1+r.IntN(40))
		for i := range list {
			list[i] = some()
		}
		m := newColourMap(list)
		for range 50 {
			c := some()
			want := 0
			for i := range list {
				if list[i].far(&c) < list[want].far(&c) {
					want = i
				}
			}
			if got := m.nearest(&c); got != want {
				t.Fatalf("%v: %d %v is nearest, want %d %v", c, got, list[got], want, list[want])
			}
		}
	}
}

// What a palette is does not depend on those that were asked for before it.
func TestPalettesInAnyOrder(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 4))
	img := image.NewRGBA(image.Rect(0, 0, 40, 30))
	for i := range img.Pix {
		img.Pix[i] = uint8(r.IntN(256)) | uint8(255*(i%4/3))
	}
	all := NewPalettes(img)
	for _, n := range []int{48, 2, 200, 16, 48, 1} {
		if got := all.Indexed(n, true); !slices.Equal(got.Pix, NewPalettes(img).Indexed(n, true).Pix) {
			t.Errorf("%d colours differ", n)
		}
	}
}

func BenchmarkIndexed(b *testing.B) {
	r := rand.New(rand.NewPCG(17, 2))
	img := image.NewRGBA(image.Rect(0, 0, 256, 256))
	for i := range img.Pix {
		img.Pix[i] = uint8(128 + r.IntN(60))
		if i%4 == 3 {
			img.Pix[i] = 255
		}
	}
	for b.Loop() {
		NewPalettes(img).Indexed(64, false)
	}
}

package texture

import (
	"image"
	"math/rand/v2"
	"testing"
)

// slowSeam is seam as it is said: line by line, and every band added up anew.
func slowSeam(n, m int, px func(a, i int) []uint8) (s Seam) {
	if n < 2 || m < 1 {
		return s
	}
	apart := func(of func(a, i, c int) int, a, b int) float64 {
		sum, count := 0, 0
		for i := 0; i < m; i += max(1, m/sampled) {
			d := 0
			for c := range 4 {
				d = max(d, of(a, i, c)-of(b, i, c), of(b, i, c)-of(a, i, c))
			}
			sum, count = sum+d, count+1
		}
		return float64(sum) / float64(count)
	}
	one := func(a, i, c int) int { return int(px(a%n, i)[c]) }
	of8 := func(a, i, c int) (sum int) {
		for k := range band {
			sum += one(a+k, i, c)
		}
		return sum
	}
	s.Edge = apart(one, n-1, n)
	for a := range n - 1 {
		s.Inner = max(s.Inner, apart(one, a, a+1))
	}
	if n < 4*band {
		return s
	}
	s.BandEdge = apart(of8, n-band, n) / band
	for a := 0; a+2*band <= n; a++ {
		s.BandInner = max(s.BandInner, apart(of8, a, a+band)/band)
	}
	return s
}

func TestSeamsAsTheyAreSaid(t *testing.T) {
	rnd := rand.New(rand.NewPCG(3, 9))
	for range 120 {
		w, h := 1+rnd.IntN(90), 1+rnd.IntN(90)
		if rnd.IntN(5) == 0 {
			h *= 15 // some lines are looked at only here and there
		}
		img := image.NewRGBA(image.Rect(0, 0, w, h))
		for i := range img.Pix {
			img.Pix[i] = uint8(rnd.Uint32())
			if rnd.IntN(3) == 0 {
				img.Pix[i] = 255 * uint8(rnd.IntN(2))
			}
		}
		x := slowSeam(w, h, func(a, i int) []uint8 { return img.Pix[i*img.Stride+4*a:][:4] })
		y := slowSeam(h, w, func(a, i int) []uint8 { return img.Pix[a*img.Stride+4*i:][:4] })
		if gotX, gotY := SeamX(img), SeamY(img); gotX != x || gotY != y {
			t.Fatalf("%d x %d px: %+v and %+v, slowly %+v and %+v", w, h, gotX, gotY, x, y)
		}
	}
}

func BenchmarkSeams540(b *testing.B) {
	img := image.NewRGBA(image.Rect(0, 0, 540, 540))
	for i := range img.Pix {
		img.Pix[i] = uint8(i * 2654435761 >> 16)
	}
	for b.Loop() {
		SeamX(img)
		SeamY(img)
	}
}

package texture

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	imagedraw "image/draw"
	"image/jpeg"
	"math"
	"math/rand/v2"
	"testing"
)

// made is a texture with a known lattice.
type made struct {
	img  *image.RGBA
	a, b [2]float64
	what string
}

// cell is what stands in each cell of a lattice: waves, blobs or blocks, as a function of the place in it, 0..1.
func cell(r *rand.Rand) (f func(u, v float64) [3]float64, what string) {
	wrap := func(d float64) float64 { d -= math.Floor(d); return min(d, 1-d) }
	tint := [3]float64{0.6 + 0.4*r.Float64(), 0.6 + 0.4*r.Float64(), 0.6 + 0.4*r.Float64()}
	paint := func(f func(u, v float64) float64) func(u, v float64) [3]float64 {
		return func(u, v float64) [3]float64 { x := f(u, v); return [3]float64{x * tint[0], x * tint[1], x * tint[2]} }
	}
	switch r.IntN(3) {
	case 0:
		type wave struct{ k, l, at, size float64 }
		ws := []wave{{1, 0, r.Float64() * 7, 1}, {0, 1, r.Float64() * 7, 1}, {1, 1, r.Float64() * 7, 0.5}}
		for range 5 {
			ws = append(ws, wave{float64(r.IntN(5)), float64(r.IntN(7) - 3), r.Float64() * 7, 0.3 + 0.5*r.Float64()})
		}
		return paint(func(u, v float64) float64 {
			s := 0.0
			for _, w := range ws {
				s += w.size * math.Sin(2*math.Pi*(w.k*u+w.l*v)+w.at)
			}
			return 0.5 + 0.12*s
		}), "waves"
	case 1:
		type blob struct{ u, v, r, c float64 }
		var bs []blob
		for range 2 + r.IntN(4) {
			bs = append(bs, blob{r.Float64(), r.Float64(), 0.1 + 0.15*r.Float64(), r.Float64()*0.7 - 0.35})
		}
		return paint(func(u, v float64) float64 {
			s := 0.5
			for _, b := range bs {
				if d := math.Hypot(wrap(u-b.u), wrap(v-b.v)); d < b.r {
					s += b.c
				}
			}
			return s
		}), "blobs"
	}
	cut, thin := 0.2+0.6*r.Float64(), 0.06+0.2*r.Float64()
	return paint(func(u, v float64) float64 {
		u, v = u-math.Floor(u), v-math.Floor(v)
		switch {
		case v < thin || u < thin:
			return 0.2
		case u < cut:
			return 0.6
		}
		return 0.75
	}), "bricks"
}

// drawn draws a lattice of cells, with noise, and through JPEG where quality is not 0.
func drawn(r *rand.Rand, a, b [2]float64, size [2]int, noise float64, quality int) made {
	f, what := cell(r)
	det := a[0]*b[1] - a[1]*b[0]
	img := image.NewRGBA(image.Rect(0, 0, size[0], size[1]))
	const fine = 3 // samples a side: edges are smooth, as in pictures
	for y := range size[1] {
		for x := range size[0] {
			var sum [3]float64
			for j := range fine {
				for i := range fine {
					px, py := float64(x)+(float64(i)+0.5)/fine, float64(y)+(float64(j)+0.5)/fine
					c := f((px*b[1]-py*b[0])/det, (py*a[0]-px*a[1])/det)
					for n := range c {
						sum[n] += c[n] / (fine * fine)
					}
				}
			}
			g := noise * r.NormFloat64()
			var p [3]uint8
			for n := range sum {
				p[n] = uint8(min(max(sum[n]*255+g, 0), 255))
			}
			img.SetRGBA(x, y, color.RGBA{p[0], p[1], p[2], 255})
		}
	}
	if quality > 0 {
		img = throughJPEG(img, quality)
	}
	return made{img, a, b, fmt.Sprintf("%s %.2f %.2f in %v, noise %.0f, JPEG %d", what, a, b, size, noise, quality)}
}

func throughJPEG(img *image.RGBA, quality int) *image.RGBA {
	var buf bytes.Buffer
	if err := jpeg.Encode(&buf, img, &jpeg.Options{Quality: quality}); err != nil {
		panic(err)
	}
	back, err := jpeg.Decode(&buf)
	if err != nil {
		panic(err)
	}
	out := image.NewRGBA(img.Rect)
	imagedraw.Draw(out, out.Rect, back, image.Point{}, imagedraw.Src)
	return out
}

// repeating makes textures of all manners: grids, bricks and half drops, whole and broken periods, noise, JPEG.
func repeating(r *rand.Rand, n int) (out []made) {
	for i := range n {
		w, h := 6+40*r.Float64(), 6+40*r.Float64()
		if i%2 == 0 {
			w, h = math.Round(w), math.Round(h)
		}
		size := [2]int{int(2.2*w) + r.IntN(300), int(2.2*h) + r.IntN(300)}
		a, b := [2]float64{w, 0}, [2]float64{0, h}
		switch i % 5 {
		case 3:
			b[0] = w / 2 // rows are shifted
			size[1] = int(4.3*h) + r.IntN(200)
		case 4:
			a[1] = h / 2 // half drop
			size[0] = int(4.3*w) + r.IntN(200)
		}
		quality := 0
		if r.IntN(2) == 0 {
			quality = 60 + r.IntN(36)
		}
		out = append(out, drawn(r, a, b, size, float64(r.IntN(3)*r.IntN(8)), quality))
	}
	return out
}

// same reports whether two bases make the same lattice, within a share of a px.
func sameLattice(l *Lattice, m *made) bool {
	det := m.a[0]*m.b[1] - m.a[1]*m.b[0]
	if got := math.Abs(l.A[0]*l.B[1] - l.A[1]*l.B[0]); math.Abs(got/math.Abs(det)-1) > 0.03 {
		return false
	}
	for _, v := range [][2]float64{l.A, l.B} {
		i, k := (v[0]*m.b[1]-v[1]*m.b[0])/det, (v[1]*m.a[0]-v[0]*m.a[1])/det
		x := [2]float64{math.Round(i)*m.a[0] + math.Round(k)*m.b[0], math.Round(i)*m.a[1] + math.Round(k)*m.b[1]}
		if math.Hypot(x[0]-v[0], x[1]-v[1]) > 0.25 {
			return false
		}
	}
	return true
}

// Of textures with a known period it is right in 99 of a hundred.
func TestPeriodsOfMadeTextures(t *testing.T) {
	const n = 100
	wrong := 0
	for _, m := range repeating(rand.New(rand.NewPCG(17, 1)), n) {
		l, ok := FindLattice(m.img)
		if !ok || !sameLattice(&l, &m) {
			wrong++
			t.Logf("%s: %v %.2f %.2f sure %.2f", m.what, ok, l.A, l.B, l.Sure)
		}
	}
	if wrong > n/100 {
		t.Errorf("%d of %d are wrong", wrong, n)
	}
}

// lonely makes pictures that do not repeat: clouds, grain, things that lie about, photographs of nothing.
func lonely(r *rand.Rand, n int) (out []*image.RGBA, what []string) {
	for i := range n {
		w, h := 80+r.IntN(300), 80+r.IntN(300)
		img := image.NewRGBA(image.Rect(0, 0, w, h))
		grain := []float64{0, 3, 12}[r.IntN(3)]
		var f func(x, y float64) float64
		kind := ""
		switch i % 6 {
		case 0:
			kind = "clouds"
			c := clouds(r, 4*max(w, h)+r.IntN(99), 4+float64(r.IntN(40)))
			f = func(x, y float64) float64 { return c(int(x), int(y)) }
		case 1:
			kind = "grain"
			grain = 10 + 40*r.Float64()
			f = func(_, _ float64) float64 { return 0.5 }
		case 2:
			kind = "stones"
			type stone struct{ x, y, r, c float64 }
			var st []stone
			for range 10 + r.IntN(120) {
				st = append(st, stone{r.Float64() * float64(w), r.Float64() * float64(h), 4 + 14*r.Float64(),
					r.Float64()})
			}
			f = func(x, y float64) float64 {
				v := 0.5
				for _, s := range st {
					if math.Hypot(x-s.x, y-s.y) < s.r {
						v = s.c
					}
				}
				return v
			}
		case 3:
			kind = "slope"
			k, l := r.Float64()-0.5, r.Float64()-0.5
			f = func(x, y float64) float64 {
				return 0.5 + k*x/float64(w) + l*y/float64(h) + 0.2*math.Sin(x/float64(w)*2)
			}
		case 4:
			kind = "scene"
			hx, hy := r.Float64()*float64(w), (0.4+0.3*r.Float64())*float64(h)
			f = func(x, y float64) float64 {
				v := 0.8 - 0.4*y/float64(h)
				if y > hy+6*math.Sin(x/23)+3*math.Sin(x/7.3) {
					v = 0.25
				}
				if math.Hypot(x-hx, y-hy/2) < 18 {
					v = 0.95
				}
				return v
			}
		default:
			kind = "scratches"
			type line struct{ x, y, dx, dy float64 }
			var ls []line
			for range 40 {
				at := r.Float64() * math.Pi
				ls = append(ls, line{r.Float64() * float64(w), r.Float64() * float64(h), math.Cos(at), math.Sin(at)})
			}
			f = func(x, y float64) float64 {
				v := 0.6
				for _, l := range ls {
					if d := math.Abs((x-l.x)*l.dy - (y-l.y)*l.dx); d < 1 {
						v -= 0.2
					}
				}
				return v
			}
		}
		for y := range h {
			for x := range w {
				v := uint8(min(max(f(float64(x), float64(y))*255+grain*r.NormFloat64(), 0), 255))
				img.SetRGBA(x, y, color.RGBA{v, v, v / 8 * 7, 255})
			}
		}
		if r.IntN(2) == 0 {
			q := 60 + r.IntN(36)
			img, kind = throughJPEG(img, q), fmt.Sprintf("%s, JPEG %d", kind, q)
		}
		out, what = append(out, img), append(what, fmt.Sprintf("%s %d x %d, grain %.0f", kind, w, h, grain))
	}
	return out, what
}

// Of pictures that do not repeat that is said in 99 of a hundred.
func TestLonelyPicturesDoNotRepeat(t *testing.T) {
	const n = 100
	list, what := lonely(rand.New(rand.NewPCG(17, 2)), n)
	wrong := 0
	for i, img := range list {
		if l, ok := FindLattice(img); ok {
			wrong++
			t.Logf("%s repeats: %.2f %.2f sure %.2f once %v", what[i], l.A, l.B, l.Sure, l.Once)
		}
	}
	if wrong > n/100 {
		t.Errorf("%d of %d repeat", wrong, n)
	}
}

// BenchmarkTexture2000 is all that is said of a texture of four million px, and a tile made of it.
func BenchmarkTexture2000(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 1))
	m := drawn(r, [2]float64{133.4, 0}, [2]float64{66.7, 90}, [2]int{2000, 2000}, 8, 0)
	b.Run("look", func(b *testing.B) {
		for b.Loop() {
			FindLattice(m.img)
			See(m.img)
		}
	})
	b.Run("make", func(b *testing.B) {
		for b.Loop() {
			if _, err := Make(m.img); err != nil {
				b.Fatal(err)
			}
		}
	})
}

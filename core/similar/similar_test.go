package similar

import (
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"testing"
)

func picture(w, h int, f func(x, y int) (r, g, b float64)) *image.RGBA {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	byteOf := func(v float64) uint8 { return uint8(min(max(v+0.5, 0), 255)) }
	for y := range h {
		for x := range w {
			r, g, b := f(x, y)
			img.SetRGBA(x, y, color.RGBA{byteOf(r), byteOf(g), byteOf(b), 255})
		}
	}
	return img
}

func grey(w, h int, f func(x, y int) float64) *image.RGBA {
	return picture(w, h, func(x, y int) (r, g, b float64) { v := f(x, y); return v, v, v })
}

func waves(x, y int) float64 { return 128 + 60*math.Sin(float64(x)/5)*math.Cos(float64(y)/7) }

// noise is the same for the same px and seed.
func noise(x, y int, seed uint64) float64 {
	return rand.New(rand.NewPCG(uint64(x)<<32|uint64(y), seed)).NormFloat64()
}

// White is answered by 100 and black by 0. At a tenth of white the answer rises (ln 0.2466 + 3.179) / 0.122 = 14.58, at
// white (ln 1.1466 + 3.179) / 1.022 = 3.24; over blue (ln 0.3776 + 3.179) / 0.253 = 8.72 and 2.97.
func TestAnswerByHand(t *testing.T) {
	for _, x := range []struct {
		table  *[tableSize]float32
		steeps float64
	}{{&answers, 14.58 / 3.244}, {&answersToBlue, 8.715 / 2.970}} {
		if got := answer(x.table, 0); got != 0 {
			t.Errorf("black is answered by %g", got)
		}
		if got := answer(x.table, 1); math.Abs(float64(got)-100) > 1e-3 {
			t.Errorf("white is answered by %g", got)
		}
		const by = 0.01
		rise := func(light float32) float64 {
			return float64(answer(x.table, light+by/2) - answer(x.table, light-by/2))
		}
		if got := rise(0.1) / rise(1-by/2); math.Abs(got/x.steeps-1) > 0.02 {
			t.Errorf("the answer rises %.2f times as steeply at a tenth, want %.2f", got, x.steeps)
		}
	}
	s := look(picture(3, 3, func(x, y int) (r, g, b float64) { return 255, 255, 255 }), nil)
	for _, v := range append(s.bright.v, s.blue.v...) {
		if math.Abs(float64(v)-100) > 0.1 {
			t.Errorf("white is answered by %g", v)
		}
	}
	for _, v := range s.red.v {
		if math.Abs(float64(v)) > 1e-4 {
			t.Errorf("white is red by %g", v)
		}
	}
	if red := look(picture(2, 2, func(x, y int) (r, g, b float64) { return 255, 0, 0 }), nil).red.v[0]; red < 3 {
		t.Errorf("red is red by %g", red)
	}
}

// The bands add up to the plane again: each is what enlarging the next does not give.
func TestBandsAddUp(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	for _, size := range [][2]int{{64, 48}, {37, 23}, {5, 4}, {2, 2}, {1, 7}, {1, 1}} {
		p := (*scratch)(nil).plane(size[0], size[1])
		for i := range p.v {
			p.v[i] = float32(r.IntN(100))
		}
		want := append([]float32(nil), p.v...)
		bands := p.bands(levels)
		sum := bands[len(bands)-1]
		for i := len(bands) - 2; i >= 0; i-- {
			// Taking the enlarged plane off zero gives it with the other sign.
			up := (*scratch)(nil).plane(bands[i].w, bands[i].h)
			up.takeOff(sum)
			for k := range up.v {
				up.v[k] = bands[i].v[k] - up.v[k]
			}
			sum = up
		}
		for i := range want {
			if math.Abs(float64(sum.v[i]-want[i])) > 1e-3 {
				t.Fatalf("%v: px %d is %g, was %g", size, i, sum.v[i], want[i])
			}
		}
	}
	flat := plane{w: 16, h: 16, v: make([]float32, 256)}
	for i := range flat.v {
		flat.v[i] = 7
	}
	for i, b := range flat.bands(3) {
		for _, v := range b.v {
			if want := map[bool]float32{true: 7}[i == 2]; math.Abs(float64(v-want)) > 1e-5 {
				t.Fatalf("band %d of what is even has %g", i, v)
			}
		}
	}
}

// One row of five px of 2 in a plane of 0: the sum along it is 10, its square by 5 is 20.
func TestLinesByHand(t *testing.T) {
	p := (*scratch)(nil).plane(9, 9)
	for x := 2; x < 7; x++ {
		p.v[4*9+x] = 2
	}
	q := p.lines()
	if got := float64(q.v[4*9+4]); math.Abs(got-math.Sqrt(20)) > 1e-5 {
		t.Errorf("the middle of the line has %g, want the root of 20", got)
	}
	if got := float64(q.v[3*9+4]); got > math.Sqrt(4.0/5)+1e-5 { // one px of it on other lines
		t.Errorf("beside the line %g", got)
	}
	// The same px spread out are no line.
	s := (*scratch)(nil).plane(9, 9)
	for i := range 3 {
		for j := range 3 {
			s.v[(1+3*i)*9+1+3*j] = 2
		}
	}
	for _, v := range s.lines().v {
		if v > q.v[4*9+4]/1.5 {
			t.Errorf("scattered px make a line of %g", v)
		}
	}
}

// energySlowly is the mean square of the band's px in the cell's px.
func energySlowly(p plane, level, cx, cy int) float64 {
	sum, n := 0.0, 0
	for y := range p.h {
		for x := range p.w {
			if x<<level/side == cx && y<<level/side == cy {
				v := float64(p.v[y*p.w+x])
				sum, n = sum+v*v, n+1
			}
		}
	}
	return sum / float64(n)
}

func TestEnergyIsItsDefinition(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for _, size := range [][2]int{{16, 16}, {21, 13}, {40, 9}} {
		p := (*scratch)(nil).plane(size[0], size[1])
		for i := range p.v {
			p.v[i] = float32(r.NormFloat64())
		}
		for level, b := range p.bands(3) {
			c := (*scratch)(nil).cells(size[0], size[1]).energy(b, level)
			for cy := range c.h {
				for cx := range c.w {
					if got, want := float64(c.v[cy*c.w+cx]), energySlowly(b, level, cx, cy); math.Abs(got-want) > 1e-4 {
						t.Fatalf("%v level %d cell %d, %d: %g, by definition %g", size, level, cx, cy, got, want)
					}
				}
			}
		}
	}
}

func TestSameIsNoDifference(t *testing.T) {
	for _, img := range []*image.RGBA{grey(100, 80, waves), grey(1, 1, waves), grey(3, 70, waves)} {
		if l := To(img, 1).Look(img); l.Mean > 1e-6 || l.Worst > 1e-6 || l.Score() < 100-1e-6 {
			t.Errorf("%v beside itself: %+v", img.Rect, l)
		}
	}
	if l := To(grey(20, 20, waves), 1).Look(grey(21, 20, waves)); !math.IsInf(l.Mean, 1) || l.Score() != 0 {
		t.Errorf("another size is compared: %+v", l)
	}
}

func TestMoreDamageIsMore(t *testing.T) {
	ref := To(grey(160, 120, waves), 1)
	last := Look{}
	for _, amount := range []float64{1, 3, 8, 20} {
		img := grey(160, 120, func(x, y int) float64 { return waves(x, y) + amount*noise(x, y, 1) })
		l := ref.Look(img)
		if l.Mean <= last.Mean || l.Worst <= last.Worst {
			t.Errorf("noise of %g gives %+v, less noise %+v", amount, l, last)
		}
		if fine := To(grey(160, 120, waves), 3).Look(img); fine.Mean >= l.Mean {
			t.Errorf("noise of %g is seen at density 3 (%+v) as much as at 1 (%+v)", amount, fine, l)
		}
		last = l
	}
}

// A small damaged subject in a calm sky fails, although hardly any of the picture is damaged.
func TestSmallSubjectInACalmSky(t *testing.T) {
	kite := func(soft float64) *image.RGBA {
		return picture(900, 600, func(x, y int) (r, g, b float64) {
			dx, dy := math.Abs(float64(x-450)), math.Abs(float64(y-300))
			in := 1 / (1 + math.Exp((dx+dy-12)/soft))
			return 60 + 180*in, 120 - 40*in, 200 - 160*in
		})
	}
	l := To(kite(0.5), 1).Look(kite(2.5))
	if l.Worst < 3*Unseen.Worst || l.Worst < 2*l.Mean {
		t.Errorf("a smeared kite of 24 px is seen by %+v", l)
	}
	if l.Score() > 85 {
		t.Errorf("and scores %.1f", l.Score())
	}
}

// A sky with steps: four levels of every five are lost.
func TestStepsOfASky(t *testing.T) {
	sky := func(step float64) *image.RGBA {
		return grey(400, 300, func(x, y int) float64 {
			return math.Round((100+float64(y)/6)/step) * step
		})
	}
	if l := To(sky(1), 1).Look(sky(5)); l.Mean < 1.5*Unseen.Mean || l.Worst < Unseen.Worst {
		t.Errorf("steps of five levels in a sky: %+v", l)
	}
	// The same amount is hidden by texture.
	busy := func(step float64) *image.RGBA {
		return grey(400, 300, func(x, y int) float64 {
			return math.Round((100+float64(y)/6)/step)*step + 25*noise(x, y, 3)
		})
	}
	calm, hidden := To(sky(1), 1).Look(sky(5)), To(busy(1), 1).Look(busy(5))
	if hidden.Mean > calm.Mean/2 {
		t.Errorf("steps are seen by %g in texture, by %g in a sky", hidden.Mean, calm.Mean)
	}
}

// A thin line that goes is seen more than as many px of noise of the same energy.
func TestThinLines(t *testing.T) {
	sky := func(x, y int) float64 { return 150 }
	line := grey(300, 200, func(x, y int) float64 {
		if y == 100 {
			return 130
		}
		return 150
	})
	spread := grey(300, 200, func(x, y int) float64 {
		if (x*7+y*13)%200 == 0 { // as many px, nowhere in line
			return 130
		}
		return 150
	})
	gone, dots := To(line, 1).Look(grey(300, 200, sky)), To(spread, 1).Look(grey(300, 200, sky))
	if gone.Worst < 1.5*dots.Worst {
		t.Errorf("a line that is gone: %+v, scattered dots that are gone: %+v", gone, dots)
	}
	if gone.Worst < 2*Unseen.Worst {
		t.Errorf("a line of 20 levels may go: %+v", gone)
	}
}

// Colours that are lost or bleed are seen although brightness stays.
func TestColour(t *testing.T) {
	// 200, 60, 60 and 112, 112, 112 have about one brightness.
	red := picture(128, 128, func(x, y int) (r, g, b float64) {
		if x < 64 {
			return 200, 60, 60
		}
		return 112, 112, 112
	})
	lost := picture(128, 128, func(x, y int) (r, g, b float64) { return 112, 112, 112 })
	if l := To(red, 1).Look(lost); l.Worst < 8*Unseen.Worst {
		t.Errorf("red that turns grey: %+v", l)
	}
	bleeds := picture(128, 128, func(x, y int) (r, g, b float64) {
		k := min(max(float64(x-60)/8, 0), 1)
		return 200 - 88*k, 60 + 52*k, 60 + 52*k
	})
	if l := To(red, 1).Look(bleeds); l.Worst < 2*Unseen.Worst {
		t.Errorf("red that bleeds: %+v", l)
	}
}

// Grain may change its phase at less cost than it takes to do without it; less of it is seen.
func TestGrain(t *testing.T) {
	grain := func(amount float64, seed uint64) *image.RGBA {
		return grey(200, 160, func(x, y int) float64 { return 128 + amount*noise(x, y, seed) })
	}
	ref := To(grain(6, 1), 1)
	none, half := ref.kinds(grain(0, 1), nil), ref.kinds(grain(5.5, 1), nil)
	sum := func(c cells) (s float64) {
		for _, v := range c.v {
			s += float64(v)
		}
		return s
	}
	if a, b := sum(none[lost0]), sum(half[lost0]); a < 50*b || a == 0 {
		t.Errorf("all grain gone counts %g as lost, a twelfth %g", a, b)
	}
	other := ref.kinds(grain(6, 2), nil)
	if a, b := sum(other[lost0])+sum(other[lost1]), sum(none[lost0])+sum(none[lost1]); a > b/20 {
		t.Errorf("other grain of the same strength counts %g as lost, none %g", a, b)
	}
}

// Where people look most, the same difference counts more.
func TestCare(t *testing.T) {
	a := grey(128, 128, waves)
	b := grey(128, 128, func(x, y int) float64 {
		if x < 64 {
			return waves(x, y) + 4*noise(x, y, 5)
		}
		return waves(x, y)
	})
	plain := To(a, 1).Look(b)
	all := To(a, 1, Care{a.Rect, 1.5}).Look(b)
	left := To(a, 1, Care{image.Rect(0, 0, 64, 128), 1.5}).Look(b)
	right := To(a, 1, Care{image.Rect(72, 0, 128, 128), 1.5}).Look(b)
	if math.Abs(all.Mean-1.5*plain.Mean) > 1e-4 {
		t.Errorf("cared for by 1.5: %g, else %g", all.Mean, plain.Mean)
	}
	if math.Abs(left.Mean-all.Mean) > 0.02*all.Mean || math.Abs(right.Mean-plain.Mean) > 0.05*plain.Mean {
		t.Errorf("left %g, right %g; all %g, none %g", left.Mean, right.Mean, all.Mean, plain.Mean)
	}
}

// Places lie on a grid of half their side, and the worst of them is the look's.
func TestPlaces(t *testing.T) {
	a := grey(200, 130, waves)
	b := grey(200, 130, func(x, y int) float64 {
		if x >= 128 && x < 192 && y >= 64 && y < 128 {
			return waves(x, y) + 9*noise(x, y, 6)
		}
		return waves(x, y)
	})
	ref := To(a, 1)
	l := ref.Look(b)
	var worst Place
	for _, p := range ref.Places(b) {
		if p.Difference > worst.Difference {
			worst = p
		}
	}
	if worst.At != image.Rect(128, 64, 192, 128) || worst.Difference != l.Worst {
		t.Errorf("the worst place is %v with %g, the look's worst %g", worst.At, worst.Difference, l.Worst)
	}
	// Six halves across and four down are whole.
	if n := len(ref.Places(a)); n != 5*3 {
		t.Errorf("%d places of 200 x 130 px", n)
	}
}

func TestLooksByHand(t *testing.T) {
	a, b := Look{Mean: 1, Worst: 3}, Look{Mean: 2, Worst: 2}
	if got := a.Beside(b); got != 1.5 {
		t.Errorf("3 beside 2 is %g", got)
	}
	if a.Most(b) != (Look{Mean: 2, Worst: 3}) || a.Least(b) != (Look{Mean: 1, Worst: 2}) ||
		a.Times(2) != (Look{Mean: 2, Worst: 6}) {
		t.Error("most, least or times")
	}
	// (1 + 3 * 2³) / 4 = 6.25, (1 + 3 * 2⁶) / 4 = 48.25
	got := Joined([]Pool{{1, 1, 1.5}, {8, 64, 2.5}}, []int{10, 30})
	if math.Abs(got.Mean-(1.842+1.908)/2) > 1e-3 || got.Worst != 2.5 || math.Abs(got.Wide-1.842) > 1e-3 {
		t.Errorf("joined: %+v", got)
	}
	for _, score := range []float64{50, 90, 95, 99} {
		if got := LookOf(score).Score(); math.Abs(got-score) > 1e-9 {
			t.Errorf("the look of %g scores %g", score, got)
		}
	}
	if got := Unseen.Score(); got != 95 {
		t.Errorf("what is just seen scores %g", got)
	}
}

// Of a picture that is no whole number of places wide the last place lies at the edge.
func TestWorstAtTheEdge(t *testing.T) {
	a := grey(200, 128, waves)
	ref := To(a, 1)
	at := func(from int) Look {
		return ref.Look(grey(200, 128, func(x, y int) float64 {
			if x >= from && x < from+8 && y >= 32 && y < 96 {
				return waves(x, y) + 9*noise(x, y, 6)
			}
			return waves(x, y)
		}))
	}
	edge, inner := at(192), at(156) // 192 lies in no whole place from 0 on
	if edge.Worst < 0.8*inner.Worst {
		t.Errorf("damage near the edge is %+v, the same within %+v", edge, inner)
	}
}

func FuzzLook(f *testing.F) {
	f.Add([]byte{1, 2, 3, 250}, []byte{0, 9}, uint8(7))
	f.Fuzz(func(t *testing.T, a, b []byte, w uint8) {
		width := int(w)%90 + 1
		of := func(d []byte) *image.RGBA {
			img := image.NewRGBA(image.Rect(0, 0, width, 40))
			for i := range img.Pix {
				if len(d) > 0 {
					img.Pix[i] = d[i%len(d)]
				}
			}
			return img
		}
		l := To(of(a), 2).Look(of(b))
		if math.IsNaN(l.Mean) || math.IsInf(l.Mean, 0) || l.Worst < 0 || l.Mean < 0 {
			t.Errorf("%+v", l)
		}
	})
}

func BenchmarkLook1600x1000(b *testing.B) {
	img := grey(1600, 1000, waves)
	ref := To(img, 1)
	b.SetBytes(1600 * 1000)
	for b.Loop() {
		ref.Look(img)
	}
}

func BenchmarkTo1600x1000(b *testing.B) {
	img := grey(1600, 1000, waves)
	b.SetBytes(1600 * 1000)
	for b.Loop() {
		To(img, 1)
	}
}

// Detail of 10 may come out at 5.5 to 10.5 and count as it differs; what is beyond counts twice.
func TestAgainstByHand(t *testing.T) {
	was, d := (*scratch)(nil).plane(7, 1), (*scratch)(nil).plane(7, 1)
	was.v = []float32{10, 10, 10, 10, -10, -10, 0}
	d.v = []float32{-4, -6, 0.5, 2, 6, -2, 3}
	want := []float32{-4, -7.5, 0.5, 3.5, 7.5, -3.5, 6}
	for i, v := range d.against(was).v {
		if math.Abs(float64(v-want[i])) > 1e-5 {
			t.Errorf("%g of detail that differs by %g counts %g, want %g", was.v[i], d.v[i], v, want[i])
		}
	}
}

// The busiest detail leaves a third of a difference.
func TestBusyLeavesAThird(t *testing.T) {
	busy := grey(64, 64, func(x, y int) float64 { return 255 * float64((x+y)%2) })
	for _, s := range To(busy, 1).shows {
		for _, v := range s.v {
			if v < leaves*leaves || v > 0.14 {
				t.Fatalf("%g of squares is left, want a ninth and little more", v)
			}
		}
	}
}

// How the last two px of a picture are scaled does not count; the third does.
func TestRim(t *testing.T) {
	sky := func(at int) *image.RGBA {
		return grey(200, 160, func(x, y int) float64 {
			if x == at {
				return 180
			}
			return 150
		})
	}
	ref := To(sky(-1), 1)
	for at, counts := range map[int]bool{0: false, 1: false, 2: true, 197: true, 198: false, 199: false} {
		if l := ref.Look(sky(at)); (l.Worst > Unseen.Worst) != counts {
			t.Errorf("a line of px %d counts %+v", at, l)
		}
	}
}

// What one look left behind in the memory that is lent again does not tell in the next.
func TestScratchIsClean(t *testing.T) {
	noisy := picture(210, 133, func(x, y int) (r, g, b float64) {
		return float64(x * 37 % 256), float64(y * 91 % 256), float64((x + y) * 53 % 256)
	})
	soft := picture(210, 133, func(x, y int) (r, g, b float64) { return 100, float64(x), float64(y) })
	small := picture(3, 2, func(x, y int) (r, g, b float64) { return 9, 80, 7 })
	want := To(soft, 2).Unweighed(noisy)
	ref := To(soft, 2)
	first := ref.Look(noisy)
	for range 3 {
		To(noisy, 1).Look(soft)
		To(small, 1).Look(small)
		if got := ref.Look(noisy); got != first {
			t.Fatalf("it looks %+v, then %+v", first, got)
		}
		if got := ref.Look(soft); got != (Look{}) {
			t.Fatalf("the same looks %+v", got)
		}
	}
	scratched(func(s *scratch) {
		for _, f := range s.free {
			for i := range f {
				f[i] = float32(math.NaN())
			}
		}
		for k, c := range ref.kinds(noisy, s) {
			for i, v := range c.v {
				if got, w := v*ref.shows[coarse[k]].v[i], want[k][i]; got != w {
					t.Fatalf("kind %d, cell %d: %g of memory that was used, %g of new", k, i, got, w)
				}
			}
		}
	})
}

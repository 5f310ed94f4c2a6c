package texture

import (
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"testing"
)

// clouds is soft noise that comes again after period px on both axes, 0..1.
func clouds(r *rand.Rand, period int, scale float64) func(x, y int) float64 {
	type wave struct{ kx, ky, at, size float64 }
	var ws []wave
	for range 24 {
		kx, ky := float64(r.IntN(int(scale)+1)), float64(r.IntN(2*int(scale)+1)-int(scale))
		ws = append(ws, wave{kx, ky, r.Float64() * 7, 1 / (1 + math.Hypot(kx, ky))})
	}
	return func(x, y int) float64 {
		v, total := 0.0, 0.0
		for _, w := range ws {
			v += w.size * math.Sin(2*math.Pi*(w.kx*float64(x)+w.ky*float64(y))/float64(period)+w.at)
			total += w.size
		}
		return 0.5 + v/total*1.4
	}
}

// tile is drawn by a function of px.
func tile(n int, f func(x, y int) float64) *image.RGBA {
	img := image.NewRGBA(image.Rect(0, 0, n, n))
	for y := range n {
		for x := range n {
			v := uint8(min(max(f(x, y), 0), 1) * 255)
			img.SetRGBA(x, y, color.RGBA{v, v, uint8(int(v) * 9 / 10), 255})
		}
	}
	return img
}

// labelled are tiles that meet themselves, and tiles that do not.
func labelled(n int) (clean, bad []*image.RGBA) {
	r := rand.New(rand.NewPCG(4, 4))
	for i := range n {
		size := 64 + 32*(i%4)
		grain := 0.02 + 0.1*r.Float64()
		noise := make([]float64, size*size)
		for k := range noise {
			noise[k] = grain * (r.Float64() - 0.5)
		}
		at := func(x, y int) float64 { return noise[y%size*size+x%size] }
		soft := clouds(r, size, 6)
		loose := clouds(r, size*5/3, 8) // comes again too late
		ramp := 0.06 + 0.2*r.Float64()
		joint := 0.2 + 0.3*r.Float64()
		brick := func(x, y, w, h int) float64 {
			row := y / h
			if y%h < 2 || (x+row%2*w/2)%w < 2 {
				return joint
			}
			return 0.75
		}
		dot := func(x, y, p int) float64 {
			if math.Hypot(float64(x%p-p/2), float64(y%p-p/2)) < float64(p)/3 {
				return 0.2
			}
			return 0.8
		}
		clean = append(
			clean,
			tile(size, func(x, y int) float64 { return soft(x, y) }),
			tile(size, func(x, y int) float64 { return 0.3 + 0.4*soft(x, y) + at(x, y) }),
			tile(size, func(x, y int) float64 { return 0.5 + at(x, y) }),
			tile(size, func(x, y int) float64 { return brick(x, y, 16, 8) + at(x, y) }),
			tile(
				size,
				func(x, y int) float64 { return brick(x, y, size, size) + at(x, y) },
			), // one stone, its joint on the edge
			tile(size, func(x, y int) float64 { return dot(x, y, 16) }),
			tile(size, func(x, y int) float64 { return dot(x+8, y+8, 16) }), // cut by the edge
			tile(size, func(x, y int) float64 { return float64((x/8+y/8)%2)*0.6 + 0.2 }),
			tile(size, func(x, y int) float64 { return float64(x/16%2)*0.5 + 0.2 + at(x, y) }),
		)
		bad = append(bad,
			tile(size, func(x, y int) float64 { return loose(x, y) }),
			tile(size, func(x, y int) float64 { return 0.3 + 0.4*loose(x, y) + at(x, y) }),
			tile(size, func(x, y int) float64 { return 0.4 + ramp*float64(x)/float64(size) + at(x, y) }),
			tile(size, func(x, y int) float64 { return 0.3 + 0.3*soft(x, y) + ramp*float64(y)/float64(size) }))
	}
	return clean, bad
}

// Of tiles whose making says whether they meet, few are called wrongly.
func TestSeamsOfALabelledSet(t *testing.T) {
	clean, bad := labelled(16)
	shows := func(img *image.RGBA) bool { return SeamX(img).Shows() || SeamY(img).Shows() }
	alarms, found := 0, 0
	kinds := map[int]int{}
	for i, img := range clean {
		if shows(img) {
			alarms++
			kinds[i%9]++
		}
	}
	missed := map[int]int{}
	for i, img := range bad {
		if shows(img) {
			found++
		} else {
			missed[i%4]++
		}
	}
	t.Logf(
		"%d of %d clean ones alarm %v, %d of %d bad ones are found, missed %v",
		alarms,
		len(clean),
		kinds,
		found,
		len(bad),
		missed,
	)
	if alarms > len(clean)*5/100 || found < len(bad)*85/100 {
		t.Errorf("%d of %d clean ones alarm, %d of %d bad ones are found", alarms, len(clean), found, len(bad))
	}
}

// A grey texture has few colours and is no flat art; motifs and tiny tiles are no surfaces, in which
// a spot would be a flaw.
func TestKinds(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 1))
	grain := tile(96, func(_, _ int) float64 { return 0.4 + 0.2*r.Float64() })
	motif := tile(96, func(x, y int) float64 {
		if math.Hypot(float64(x-30), float64(y-30)) < 9 {
			return 0.1
		}
		return 0.8
	})
	if k := Look(grain); k.Art() || !k.Surface(grain) {
		t.Errorf("grain: %+v", k)
	}
	paper := tile(96, func(x, _ int) float64 { return 0.85 + 0.02*float64(x/3%2) })
	if k := Look(paper); k.HardEdges() {
		t.Errorf("paper has no edges: %+v", k)
	}
	if k := Look(motif); !k.Art() || !k.HardEdges() || k.Surface(motif) {
		t.Errorf("a motif: %+v", k)
	}
	if small := tile(4, func(_, _ int) float64 { return r.Float64() }); Look(small).Surface(small) {
		t.Error("four px are a surface")
	}
}

func BenchmarkSeams1024(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 2))
	img := tile(1024, func(_, _ int) float64 { return r.Float64() })
	b.SetBytes(int64(len(img.Pix)))
	b.ReportAllocs()
	for b.Loop() {
		SeamX(img)
		SeamY(img)
	}
}

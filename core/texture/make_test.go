package texture

import (
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"slices"
	"testing"
)

// surfaces are photographs of surfaces as one makes them up: grain, fibres, stones, planks, under uneven light.
func surfaces(r *rand.Rand, n int) (out []*image.RGBA) {
	for i := range n {
		w, h := 200+r.IntN(120), 180+r.IntN(120)
		type thing struct{ x, y, r, c, at float64 }
		var ts []thing
		for range 150 + r.IntN(400) {
			ts = append(ts, thing{r.Float64() * float64(w), r.Float64() * float64(h), 2 + 7*r.Float64(),
				0.3 * (r.Float64() - 0.5), r.Float64() * 3.14})
		}
		grain, light := 2+10*r.Float64(), 0.05+0.2*r.Float64()
		lx, ly := r.Float64()-0.5, r.Float64()-0.5
		soft := clouds(r, 4*w, 40)
		img := image.NewRGBA(image.Rect(0, 0, w, h))
		v := make([]float64, w*h)
		for k := range v {
			x, y := float64(k%w), float64(k/w)
			v[k] = 0.55 + light*(lx*x/float64(w)+ly*y/float64(h)) + 0.08*(soft(int(x), int(y))-0.5)
			if i%4 == 3 { // planks
				v[k] += 0.05 * math.Sin(y/3+2*math.Sin(x/40))
			}
		}
		for _, t := range ts {
			for dy := -t.r * 2; dy <= t.r*2; dy++ {
				for dx := -t.r * 2; dx <= t.r*2; dx++ {
					x, y := int(t.x+dx), int(t.y+dy)
					along, across := dx*math.Cos(t.at)+dy*math.Sin(t.at), dy*math.Cos(t.at)-dx*math.Sin(t.at)
					in := math.Hypot(dx, dy) < t.r
					if i%3 == 1 { // fibres
						in = math.Abs(across) < 0.8 && math.Abs(along) < t.r*2
					}
					if in && x >= 0 && y >= 0 && x < w && y < h {
						v[y*w+x] += t.c / 2
					}
				}
			}
		}
		for k, s := range v {
			g := grain * r.NormFloat64()
			p := uint8(min(max(s*255+g, 0), 255))
			img.SetRGBA(k%w, k/w, color.RGBA{p, uint8(float64(p) * 0.95), uint8(float64(p) * 0.85), 255})
		}
		out = append(out, img)
	}
	return out
}

// Tiles that were made of surfaces score below just seen, and keep their mean and their grain.
func TestMadeTilesMeet(t *testing.T) {
	list := surfaces(rand.New(rand.NewPCG(17, 3)), 20)
	well := 0
	for i, img := range list {
		m, err := Make(img)
		if err != nil {
			t.Fatal(err)
		}
		before, after := See(img), See(m.Image)
		if after.Seam() < 1 {
			well++
		} else {
			t.Logf("%d: %v to %v", i, before, after)
		}
		if a, b := grainOf(img), grainOf(m.Image); b < 0.93*a {
			t.Errorf("%d: of a grain of %.1f levels %.1f are left", i, a, b)
		}
		if b := m.Image.Rect; b.Dx() < img.Rect.Dx()/2 || b.Dy() < img.Rect.Dy()/2 {
			t.Errorf("%d: %v became %v", i, img.Rect, b)
		}
	}
	t.Logf("%d of %d", well, len(list))
	if well < len(list)*9/10 {
		t.Errorf("%d of %d tiles meet", well, len(list))
	}
}

// grainOf is the mean step between neighbours.
func grainOf(img *image.RGBA) float64 {
	sum, n := 0, 0
	for y := img.Rect.Min.Y; y < img.Rect.Max.Y; y++ {
		for x := img.Rect.Min.X; x+1 < img.Rect.Max.X; x++ {
			i := img.PixOffset(x, y)
			sum += far(img.Pix[i:i+4], img.Pix[i+4:i+8])
			n++
		}
	}
	return float64(sum) / float64(n)
}

// A picture that repeats is cut to whole repeats, which meet.
func TestRepeatsAreCutOut(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 4))
	seen := 0
	for _, m := range repeating(r, 25) {
		made, err := Make(m.img)
		if err != nil || !made.Repeats {
			t.Errorf("%s: %v %+v", m.what, err, made)
			continue
		}
		if v := See(made.Image); v.Seam() >= 1.3 {
			seen++
			t.Logf("%s, of %v: seams %.2f %.2f", m.what, made.From, v.X, v.Y)
		}
	}
	if seen > 2 { // what JPEG did to one place may be seen anywhere
		t.Errorf("%d joins of 25 are seen", seen)
	}
}

// What tiles and what does not are told apart by the figure alone.
func TestSeamsRank(t *testing.T) {
	clean, bad := labelled(16)
	r := rand.New(rand.NewPCG(17, 5))
	for _, m := range repeating(r, 30) { // a whole repeat tiles; a repeat and a piece does not
		l := Lattice{A: m.a, B: m.b}
		l.reduce()
		if m.a[1] != 0 || m.b[0] != 0 || m.a[0] != math.Round(m.a[0]) || m.b[1] != math.Round(m.b[1]) {
			continue
		}
		w, h := int(m.a[0]), int(m.b[1])
		sub := func(w, h int) *image.RGBA {
			out := image.NewRGBA(image.Rect(0, 0, w, h))
			for y := range h {
				copy(out.Pix[y*out.Stride:], m.img.Pix[y*m.img.Stride:][:4*w])
			}
			return out
		}
		clean = append(clean, sub(2*w, 2*h))
		bad = append(bad, sub(2*w-w/3, 2*h))
	}
	type one struct {
		v   float64
		bad bool
	}
	var all []one
	for _, i := range clean {
		v := See(i)
		all = append(all, one{v.Seam(), false})
	}
	for _, i := range bad {
		v := See(i)
		all = append(all, one{v.Seam(), true})
	}
	slices.SortFunc(all, func(a, b one) int {
		if a.v < b.v {
			return -1
		}
		return 1
	})
	// The area under the ROC curve is the share of pairs in the right order.
	below, area := 0, 0
	for _, o := range all {
		if o.bad {
			area += below
		} else {
			below++
		}
	}
	auc := float64(area) / float64(len(clean)*len(bad))
	alarms, found := 0, 0
	for _, o := range all {
		if o.v >= 1 && !o.bad {
			alarms++
		}
		if o.v >= 1 && o.bad {
			found++
		}
	}
	t.Logf("area %.3f; at 1: %d of %d clean ones alarm, %d of %d bad ones are found", auc, alarms,
		len(clean), found, len(bad))
	if auc < 0.97 || alarms > len(clean)*7/100 {
		t.Errorf("the area is %.3f, %d of %d alarm", auc, alarms, len(clean))
	}
}

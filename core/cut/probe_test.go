package cut

import (
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"testing"

	"tourmaline/core/picture"
	"tourmaline/core/similar"
)

// A probe holds whole places of the picture, and foretells how all of it looks.
func TestProbe(t *testing.T) {
	img := kite(1400, 1000)
	p := newProbe(img, []image.Point{{930, 333}, {700, 700}, {100, 100}, {1300, 900}, {400, 500}}, worstProbed)
	if p.all() || p.img.Rect.Dx() != probeSide*probePlace || len(p.inner) < 12 || len(p.sizes) != len(p.inner) {
		t.Fatalf("%v, %d places", p.img.Rect, len(p.inner))
	}
	around, _ := windows(img.Rect, []image.Point{{930, 333}}, seeing{side: probePlace, around: 1})
	at := around[0]
	for y := range probePlace {
		for x := range probePlace {
			if p.img.RGBAAt(x, y) != img.RGBAAt(at.Min.X+x, at.Min.Y+y) {
				t.Fatalf("px %d, %d of the first place is another", x, y)
			}
		}
	}
	if l, err := p.look(p.img); err != nil || l.Mean > 1e-6 {
		t.Errorf("uncoded it looks %+v, %v", l, err)
	}
	p.learn(similar.Look{Mean: 1, Worst: 2}, similar.Look{Mean: 1.2, Worst: 1})
	if math.Abs(p.shows.Mean-1.2) > 1e-9 || math.Abs(p.shows.Worst-0.5) > 1e-9 {
		t.Errorf("it learned %+v", p.shows)
	}
	if small := newProbe(kite(300, 200), nil, worstProbed); !small.all() {
		t.Error("a small picture has a probe")
	}
}

// A box of 900 x 630 px shows pictures of twice the px a side: there most of what coding does is not seen, and the less
// the better the coding is. What the probe foretells is the same share of what the whole shows, at every quality and of
// both coders.
func TestProbeForetells(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	img := pngOf(t, 1800, 1260, func(x, y int) color.RGBA {
		v := 120 + 50*math.Sin(float64(x)/9)*math.Cos(float64(y)/(7+float64(x)/200)) + 12*r.NormFloat64()
		return color.RGBA{uint8(min(max(v, 0), 255)), uint8(min(max(v*0.8+20, 0), 255)), uint8(160 - y/20), 255}
	})
	p, store, ls := chosenIn(t, img,
		"viewports: {widths: 900-900, heights: 700-700, densities: [1], named: {w: 900x700@1}}", "height: 630px")
	l := ls[0]
	whole := &Rung{Width: 1800, Height: 1260, Part: picture.Part{W: 1800, H: 1260}, Judge: p.Named[0]}
	m := &maker{ctx: t.Context(), p: p, store: store, made: map[string]*once{}}
	j, err := m.judge(l, whole)
	if err != nil {
		t.Fatal(err)
	}
	b := &batch{file: l.File}
	own, err := b.pixels()
	if err == nil {
		err = j.prepare(b, own)
	}
	if err != nil || j.probe.all() || j.probe.view == nil {
		t.Fatalf("%v, a probe of %d places", err, len(j.probe.at))
	}
	for _, how := range []picture.Coding{{Format: picture.JPEG, Quality: 40}, {Format: picture.JPEG, Quality: 85},
		{Format: picture.AVIF, Quality: 50}, {Format: picture.AVIF, Quality: 80}} {
		var looks [2]similar.Look
		for i, img := range []*image.RGBA{j.probe.img, own} {
			data, err := picture.Code(img, how)
			if err != nil {
				t.Fatal(err)
			}
			if i == 1 {
				looks[i], err = j.score(&coded{data: data})
			} else if img, err = Decode(data); err == nil {
				looks[i], err = j.probe.look(img)
				looks[i] = j.probe.whole(looks[i])
			}
			if err != nil {
				t.Fatal(err)
			}
		}
		if off := looks[1].Mean / looks[0].Mean; math.Abs(off-1) > 0.06 {
			t.Errorf("%+v: the whole looks %.3f, foretold %.3f", how, looks[1], looks[0])
		}
	}
}

func TestOnBlocks(t *testing.T) {
	for _, c := range []struct{ x, most, want int }{
		{-9, 500, 0}, {31, 500, 0}, {33, 500, 64}, {64, 500, 64}, {470, 500, 448},
		{490, 500, 480}, // the next block of 64 would be too far: one of 16
		{900, 500, 496}, {5, 3, 0},
	} {
		if got := onBlocks(c.x, c.most); got != c.want {
			t.Errorf("about %d, at most %d: %d, not %d", c.x, c.most, got, c.want)
		}
	}
}

// Of a flat picture with lines of 1 px in one place that place is the finest; lines of 2 px are not lost in its half.
func TestFinest(t *testing.T) {
	img := image.NewRGBA(image.Rect(0, 0, 256, 192))
	for y := range 192 {
		for x := range 256 {
			v := uint8(100)
			switch {
			case x >= 64 && x < 128 && y >= 128 && y%2 == 0:
				v = 140
			case x >= 128 && x < 192 && y >= 64 && y < 128 && y%4 < 2:
				v = 140
			}
			img.SetRGBA(x, y, color.RGBA{v, v, v, 255})
		}
	}
	at := worstFirst(finest(img, halved(img)))
	// In each of 16 x 16 cells of 4 x 4 px, three colours are 20 levels off: 48 * 400 to the power of 1.5.
	want := 256 * math.Pow(48*400, 1.5)
	if at[0].At != image.Rect(32, 64, 64, 96) || math.Abs(at[0].Difference/want-1) > 1e-9 || at[1].Difference != 0 {
		t.Errorf("%v with %g (%g), then %v", at[0].At, at[0].Difference, want, at[1])
	}
}

// A px of the half is the mean of four, rounded; an odd last row or column is left out, a single one counts twice.
func TestHalved(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 2))
	for range 200 {
		img := image.NewRGBA(image.Rect(0, 0, 1+rnd.IntN(9), 1+rnd.IntN(9)))
		for i := range img.Pix {
			img.Pix[i] = uint8(rnd.UintN(256))
		}
		w, h := img.Rect.Dx(), img.Rect.Dy()
		half := halved(img)
		if half.Rect != image.Rect(0, 0, max(w/2, 1), max(h/2, 1)) {
			t.Fatalf("%v: half is %v", img.Rect, half.Rect)
		}
		for i, got := range half.Pix {
			x, y, c := i/4%half.Rect.Dx(), i/4/half.Rect.Dx(), i%4
			sum := 2
			for k := range 4 {
				sum += int(img.Pix[min(2*y+k/2, h-1)*img.Stride+4*min(2*x+k%2, w-1)+c])
			}
			if int(got) != sum/4 {
				t.Fatalf("%v: px %d,%d channel %d is %d, want %d", img.Rect, x, y, c, got, sum/4)
			}
		}
	}
}

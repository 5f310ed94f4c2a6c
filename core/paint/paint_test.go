package paint

import (
	"image"
	"math"
	"math/rand"
	"testing"

	"tourmaline/core/css"
	"tourmaline/core/layout"
	"tourmaline/core/plan"
	"tourmaline/core/window"
)

func paintBox(t *testing.T, w, h, declarations string, density float64) *image.RGBA {
	t.Helper()
	p, err := plan.Parse("p",
		[]byte("tourmaline: 1\nboxes:\n  - name: b\n    width: "+w+"\n    height: "+h+"\n    css: |\n      "+
			""+declarations+"\n"))
	if err != nil {
		t.Fatal(err)
	}
	pg := layout.At(p, plan.Viewport{Window: window.Window{Width: 500, Height: 400, Density: density}}, layout.Device)
	img, err := Box(pg, pg.Frame(p.Boxes[0].ID), testStore(), Options{})
	if err != nil {
		t.Fatal(err)
	}
	return img
}

// Along a line of 100 px the colour at the middle of px x is that of (x+0.5)/100.
func TestGradientByHand(t *testing.T) {
	img := paintBox(t, "100px", "10px", "background: linear-gradient(to right, black, white)", 1)
	for x := range 100 {
		want := (float64(x) + 0.5) / 100 * 255
		if got := float64(img.RGBAAt(x, 5).R); math.Abs(got-want) > 0.51 {
			t.Errorf("at %d: %g, want %.2f", x, got, want)
		}
	}
	// A hard stop at 30 px; premultiplied transparency keeps the hue.
	hard := paintBox(t, "100px", "10px", "background: linear-gradient(to right, red 30px, rgb(0 0 255 / 0) 30px)", 1)
	if a, b := hard.RGBAAt(29, 0), hard.RGBAAt(30, 0); a.R != 255 || b.A != 0 {
		t.Errorf("the hard stop: %v %v", a, b)
	}
	soft := paintBox(t, "100px", "10px", "background: linear-gradient(to right, red, rgb(0 0 255 / 0))", 1)
	if c := soft.RGBAAt(50, 0); c.B > 1 || c.R != c.A {
		t.Errorf("half way to a clear blue there is %v", c)
	}
}

func TestRepeatingGradientRepeats(t *testing.T) {
	img := paintBox(t, "120px", "4px", "background: repeating-linear-gradient(to right, red, blue 30px)", 1)
	for x := range 90 {
		if a, b := img.RGBAAt(x, 2), img.RGBAAt(x+30, 2); a != b {
			t.Fatalf("px %d is %v, a period on %v", x, a, b)
		}
	}
}

// The table that radial and conic gradients read gives what the ramp gives.
func TestTableAgainstRamp(t *testing.T) {
	img, err := css.ParseImage("radial-gradient(red, gold 20%, 30%, rgb(0 0 0 / 20%) 60%, oklch(70% 0.3 200))")
	if err != nil {
		t.Fatal(err)
	}
	s := newGradient(img.Gradient, &css.Env{}, room{k: 1, w: 300, h: 200})
	row := make([]uint8, 4*300)
	exact := make([][4]float32, 300)
	for y := range 200 {
		s.row(y, 0, 300, row)
		s.rowF(y, 0, 300, exact)
		for x := range 300 {
			var want [4]uint8
			store(want[:], exact[x])
			for c := range 4 {
				if d := int(row[4*x+c]) - int(want[c]); d > 1 || d < -1 {
					t.Fatalf("at %d,%d: %v, want %v", x, y, row[4*x:4*x+4], want)
				}
			}
		}
	}
	for i := range 1000 {
		sin, cos := math.Sincos(float64(i) / 1000 * 2 * math.Pi)
		got := turns(3*sin, 3*cos)
		if d := math.Abs(got - math.Floor(got) - float64(i)/1000); d > 1e-5 && d < 1-1e-5 {
			t.Fatalf("turns at %d/1000: %g", i, got)
		}
	}
}

// Over opaque colours, by the formulas: b = 0.8, s = 0.4.
func TestBlendModesByHand(t *testing.T) {
	for mode, want := range map[string]float64{"multiply": 0.32, "screen": 0.88, "darken": 0.4, "lighten": 0.8,
		"difference": 0.4, "exclusion": 0.56,
		"overlay": 0.76, "hard-light": 0.64, "color-dodge": 1, "color-burn": 0.5, "soft-light": 0.8 - 0.2*0.8*0.2,
		"luminosity": 0.4, "hue": 0.8} {
		b, err := css.ParseBlend(mode)
		if err != nil {
			t.Fatal(err)
		}
		out := blendPixel([]uint8{204, 204, 204, 255}, [4]float32{102, 102, 102, 255}, b)
		if math.Abs(float64(out[0])/255-want) > 0.003 || math.Abs(float64(out[3])-255) > 0.01 {
			t.Errorf("%s of 0.4 over 0.8 is %.3f, want %.3f", mode, out[0]/255, want)
		}
	}
}

// Premultiplied colours never exceed their alpha, in any mode and mixture.
func TestBlendingKeepsPremultiplied(t *testing.T) {
	for mode := css.BlendMultiply; mode <= css.BlendLuminosity; mode++ {
		for i := range 500 {
			d := []uint8{uint8(i * 7 % 90), uint8(i * 3 % 91), uint8(i % 92), uint8(92 + i%160)}
			s := [4]float32{float32(i * 5 % 60), float32(i % 61), float32(i * 11 % 62), float32(62 + i%190)}
			out := blendPixel(d, s, mode)
			for c := range 3 {
				if out[c] > out[3]+0.51 || out[c] < -0.51 {
					t.Fatalf("%s of %v over %v is %v", mode, s, d, out)
				}
			}
		}
	}
}

// What tiles paint covers the box once: the sum over an alpha of one half is the
// same everywhere.
func TestTilesCoverOnce(t *testing.T) {
	img := paintBox(t, "97px", "61px",
		"background: linear-gradient(rgb(0 0 0 / 50%), rgb(0 0 0 / 50%)) 3px 5px / 11px 7px", 1.5)
	for i := 3; i < len(img.Pix); i += 4 {
		if d := int(img.Pix[i]) - 128; d > 1 || d < -1 {
			t.Fatalf("alpha %d at px %d", img.Pix[i], i/4)
		}
	}
}

func TestRoundedCornersAreAntialiased(t *testing.T) {
	img := paintBox(t, "40px", "40px", "background: black; border-radius: 20px", 1)
	sum := 0.0
	for i := 3; i < len(img.Pix); i += 4 {
		sum += float64(img.Pix[i]) / 255
	}
	if want := math.Pi * 400; math.Abs(sum-want) > 1.5 {
		t.Errorf("a disc of radius 20 covers %.1f px, want %.1f", sum, want)
	}
}

// A filter of 1 or 0 changes nothing; greyscale leaves the luminance.
func TestFilters(t *testing.T) {
	src := image.NewRGBA(image.Rect(0, 0, 1, 1))
	copy(src.Pix, []uint8{200, 100, 50, 255})
	for text, want := range map[string][3]uint8{
		"brightness(1)": {200, 100, 50}, "contrast(100%)": {200, 100, 50}, "saturate(1)": {200, 100, 50},
		"hue-rotate(0deg)": {200, 100, 50},
		"brightness(0.5)":  {100, 50, 25}, "invert(1)": {55, 155, 205},
		"contrast(2)":  {255, 73, 0},    // 2*(v-127.5)+127.5
		"grayscale(1)": {118, 118, 118}, // 0.2126*200 + 0.7152*100 + 0.0722*50 = 117.65
	} {
		f, err := css.ParseFilters(text)
		if err != nil {
			t.Fatal(err)
		}
		out := applyFilters(src, f, &css.Env{}, 1)
		for c := range 3 {
			if d := int(out.Pix[c]) - int(want[c]); d > 1 || d < -1 {
				t.Errorf("%s: %v, want %v", text, out.Pix[:3], want)
				break
			}
		}
	}
}

func TestHugeBoxesAreRefused(t *testing.T) {
	p, err := plan.Parse("p",
		[]byte("tourmaline: 1\nboxes: [{name: b, width: 900000px, height: 900000px, css: 'background: red'}]\n"))
	if err != nil {
		t.Fatal(err)
	}
	pg := layout.At(p, plan.Viewport{Window: window.Window{Width: 500, Height: 400, Density: 1}}, layout.Device)
	if _, err := Box(pg, pg.Frame(p.Boxes[0].ID), testStore(), Options{}); err == nil {
		t.Error("a box of 810 gigapixels is painted")
	}
}

// A layer with a filter and a blend mode blends what is filtered, by hand: grey 128 at half its
// brightness is 64, and teal (0 128 128) multiplied by it is 128*64/255 = 32.
func TestFiltersBlend(t *testing.T) {
	p, err := plan.Parse("p.yaml", []byte("tourmaline: 1\nboxes:\n  - name: b\n    width: 20px\n    height: 20px\n "+
		"   layers:\n"+
		"      - {image: \"linear-gradient(#808080, #808080)\", filter: brightness(50%), blend: multiply}\n      - "+
		"color: teal\n"))
	if err != nil {
		t.Fatal(err)
	}
	pg := layout.At(p, plan.Viewport{Window: window.Window{Width: 40, Height: 40, Density: 1}}, layout.Device)
	img, err := Box(pg, pg.Frame(p.Boxes[0].ID), testStore(), Options{})
	if err != nil {
		t.Fatal(err)
	}
	if c := img.RGBAAt(9, 9); c.R != 0 || c.G < 31 || c.G > 33 || c.B != c.G || c.A != 255 {
		t.Errorf("%v", c)
	}
}

// Mixing channels side by side gives what mixing each by itself does.
func TestMixing(t *testing.T) {
	r := rand.New(rand.NewSource(1))
	byte := func() uint8 { return []uint8{uint8(r.Intn(256)), 0, 255, 255}[r.Intn(4)] }
	for range 20000 {
		var rows [2][]uint8
		for i := range rows {
			for range 16 {
				rows[i] = append(rows[i], byte())
			}
		}
		c, wy := tap{int32(4 * r.Intn(4)), int32(4 * r.Intn(4)), uint32(r.Intn(256))}, uint32(r.Intn(256))
		if r.Intn(2) == 0 {
			c.a = min(c.a, 8)
			c.b = c.a + 4
		}
		for _, fine := range []bool{false, true} {
			half := uint32(1 << 15)
			if !fine {
				c.w, wy, half = c.w&^15, wy&^15, 0
			}
			var got, want [4]uint8
			if fine {
				mixFine(pair{rows[0], rows[1], wy}, []tap{c}, got[:])
			} else {
				mix(pair{rows[0], rows[1], wy}, []tap{c}, got[:])
			}
			for n := range want {
				at := func(row int, x int32) uint32 { return uint32(rows[row][int(x)+n]) }
				want[n] = uint8((at(0, c.a)*(256-c.w)*(256-wy) + at(0, c.b)*c.w*(256-wy) + at(1, c.a)*(256-c.w)*wy +
					at(1, c.b)*c.w*wy + half) >> 16)
			}
			if got != want {
				t.Fatalf("fine %v, %v, %d: %v, want %v", fine, c, wy, got, want)
			}
		}
	}
}

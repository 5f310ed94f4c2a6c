package picture

import (
	"bytes"
	"encoding/base64"
	"errors"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math"
	"strings"
	"testing"
	"testing/fstest"

	"tourmaline/core/source"
)

func pngOf(img image.Image) []byte {
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		panic(err)
	}
	return b.Bytes()
}

// corners is a picture of 2 x 3 px with a colour of its own in each.
func corners() *image.RGBA {
	img := image.NewRGBA(image.Rect(0, 0, 2, 3))
	for i := range 6 {
		img.SetRGBA(i%2, i/2, color.RGBA{uint8(40 * i), 0, 0, 255})
	}
	return img
}

// Where the first px lands, by the EXIF table: orientation 6 turns it to the
// top right, 8 to the bottom left, and so on.
func TestOrientations(t *testing.T) {
	for o, want := range map[int]struct {
		w, h  int
		first image.Point
	}{1: {2, 3, image.Pt(0, 0)}, 2: {2, 3, image.Pt(1, 0)}, 3: {2, 3, image.Pt(1, 2)}, 4: {2, 3, image.Pt(0, 2)},
		5: {3, 2, image.Pt(0, 0)}, 6: {3, 2, image.Pt(2, 0)}, 7: {3, 2, image.Pt(2, 1)}, 8: {3, 2, image.Pt(0, 1)}} {
		got := orient(corners(), o)
		if got.Rect.Dx() != want.w || got.Rect.Dy() != want.h {
			t.Errorf("orientation %d is %v", o, got.Rect)
			continue
		}
		if got.RGBAAt(want.first.X, want.first.Y).R != 0 {
			t.Errorf("orientation %d: the first px is not at %v", o, want.first)
		}
		// every px is somewhere, once
		sum := 0
		for i := 0; i < len(got.Pix); i += 4 {
			sum += int(got.Pix[i])
		}
		if sum != 40*(1+2+3+4+5) {
			t.Errorf("orientation %d loses px", o)
		}
	}
}

func TestStoreRefusesToLeaveItsFolder(t *testing.T) {
	s := NewStore(fstest.MapFS{"a.png": {Data: pngOf(corners())}, "sub/b.png": {Data: pngOf(corners())}})
	for _, name := range []string{"a.png", "./a.png", "sub/b.png", "sub/../a.png", `sub\b.png`, "a%2Epng"} {
		if _, err := s.File(name); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
	for _, name := range []string{"../a.png", "/a.png", "sub/../../a.png", "//host/a.png", "http://host/a.png", "..",
		"."} {
		if _, err := s.File(name); err == nil {
			t.Errorf("%s is read", name)
		}
	}
}

func TestDataURLs(t *testing.T) {
	s := NewStore(fstest.MapFS{})
	for _, u := range []string{
		"data:image/png;base64," + base64.StdEncoding.EncodeToString(pngOf(corners())),
		"data:image/svg+xml,%3Csvg xmlns='http://www.w3.org/2000/svg' width='10' height='5'/%3E",
	} {
		if f, err := s.File(u); err != nil || f.Width == 0 {
			t.Errorf("%s: %v", u[:30], err)
		}
	}
	for _, u := range []string{"data:image/png;base64", "data:image/png;base64,%%%", "data:,hello"} {
		if _, err := s.File(u); err == nil {
			t.Errorf("%s is read", u)
		}
	}
}

func TestHugePicturesAreRefusedBeforeTheyAreDecoded(t *testing.T) {
	head := []byte("\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR" +
		"\x00\x00\xea\x60\x00\x00\xea\x60\x08\x02\x00\x00\x00\x00\x00\x00\x00")
	_, err := Read("huge.png", head)
	var lim *source.LimitError
	if !errors.As(err, &lim) && !strings.Contains(err.Error(), "broken") {
		t.Errorf("%v", err)
	}
}

func TestVectorSizes(t *testing.T) {
	for attrs, want := range map[string]Vector{
		`width="40" height="30"`: {Width: 40, Height: 30,
			Ratio: 40.0 / 30},
		`width="40" viewBox="0 0 20 10"`:                 {Width: 40, Ratio: 2},
		`viewBox="0 0 20 10"`:                            {Ratio: 2},
		`width="50%" height="1in"`:                       {Height: 96},
		`viewBox="0 0 20 10" preserveAspectRatio="none"`: {},
		`width="2cm" height="20mm" viewBox="0,0,5,5"`: {Width: 2 * 96 / 2.54,
			Height: 20 * 96 / 25.4, Ratio: 1},
		`width="10" height="5" viewBox="0 0 1 1" preserveAspectRatio="none"`:     {Width: 10, Height: 5, Ratio: 2},
		`width="-3" height="x" viewBox="0 0 0 0" preserveAspectRatio="xMinYMax"`: {},
	} {
		f, err := Read("a.svg",
			[]byte(`<svg xmlns="http://www.w3.org/2000/svg" `+attrs+`><rect width="3" height="2"/></svg>`))
		if err != nil {
			t.Errorf("%s: %v", attrs, err)
			continue
		}
		v := f.Vector
		if math.Abs(v.Width-want.Width) > 1e-9 || math.Abs(v.Height-want.Height) > 1e-9 ||
			math.Abs(v.Ratio-want.Ratio) > 1e-9 {
			t.Errorf("%s: %gx%g ratio %g, want %+v", attrs, v.Width, v.Height, v.Ratio, want)
		}
	}
}

// Mean colours are of light: black and white in equal parts are not #808080.
func TestColoursAreMeansOfLight(t *testing.T) {
	img := image.NewRGBA(image.Rect(0, 0, 4, 4))
	for i := range 16 {
		v := uint8(255 * (i / 4 % 2)) // rows of black and white
		img.SetRGBA(i%4, i/4, color.RGBA{v, v, v, 255})
	}
	e := Edges(img)
	// top black, bottom white; sides: mean light 0.5 is sRGB 188
	if e[0].R != 0 || e[2].R != 255 || e[1].R != 188 || e[3].G != 188 {
		t.Errorf("edges %v", e)
	}
	c := MainColours(img, 5)
	if len(c) != 2 || c[0].Share != 0.5 || c[1].Share != 0.5 {
		t.Errorf("main colours %v, want black and white by half", c)
	}
}

// A tile that is made smaller still joins on itself: across the edge it changes
// as it does inside.
func TestScaleKeepsTheSeam(t *testing.T) {
	const n = 96
	img := image.NewRGBA(image.Rect(0, 0, n, n))
	for i := range n * n {
		v := uint8(128 + 100*math.Sin(2*math.Pi*(float64(i%n)+0.5)/n))
		img.SetRGBA(i%n, i/n, color.RGBA{v, v, v, 255})
	}
	out := Scale(img, Whole(img), image.Pt(40, 40), Scaling{Wrap: true})
	inner, seam := 0, 0
	at := func(x int) int { return int(out.RGBAAt(x%40, 20).R) }
	for x := range 39 {
		inner = max(inner, abs(at(x)-at(x+1)))
	}
	seam = abs(at(39) - at(40))
	if seam > inner {
		t.Errorf("the seam changes by %d, inside at most %d", seam, inner)
	}
}

func abs(v int) int { return max(v, -v) }

// Chroma is spread 3:1: between a red and a grey half no px jumps straight over.
func TestChromaIsInterpolated(t *testing.T) {
	m := image.NewYCbCr(image.Rect(0, 0, 8, 2), image.YCbCrSubsampleRatio420)
	for i := range m.Y {
		m.Y[i] = 128
	}
	for i := range m.Cb {
		m.Cb[i], m.Cr[i] = 128, 128
	}
	m.Cr[2], m.Cr[3] = 228, 228
	out := FromYCbCr(m)
	// Cr over x: 128 128 128 153 203 228 228 228: between samples 1/4 and 3/4 of the way
	for x, cr := range []float64{128, 128, 128, 153, 203, 228, 228, 228} {
		if want := 128 + 1.402*(cr-128); math.Abs(float64(out.RGBAAt(x, 0).R)-min(want, 255)) > 1.5 {
			t.Errorf("red at %d is %d, want %.0f", x, out.RGBAAt(x, 0).R, want)
		}
	}
}

func TestLevels(t *testing.T) {
	img := image.NewRGBA(image.Rect(0, 0, 8, 8))
	for i := range 64 {
		img.SetRGBA(i%8, i/8, color.RGBA{uint8(4 * i), 0, 0, 255})
	}
	f, err := Read("a.png", pngOf(img))
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range []struct{ w, want float64 }{{9, 8}, {8, 8}, {5, 8}, {4, 4}, {3, 4}, {2, 2}, {1, 1}, {0.2, 1}} {
		l, err := f.Level(r.w, r.w)
		if err != nil || float64(l.Rect.Dx()) != r.want {
			t.Errorf("for %g px a level of %v", r.w, l.Rect)
		}
	}
	l, _ := f.Level(4, 4)
	// (0 + 4 + 32 + 36) / 4 = 18
	if got := l.RGBAAt(0, 0).R; got != 18 {
		t.Errorf("the first px of the half is %d, want 18", got)
	}
}

// No file makes reading panic or take more than its header allows.
func FuzzRead(f *testing.F) {
	var j bytes.Buffer
	jpeg.Encode(&j, corners(), nil)
	f.Add(pngOf(corners()))
	f.Add(j.Bytes())
	f.Add([]byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 4 4"><path d="M0 0L4 4z"/></svg>`))
	for _, data := range everyFormat(f) {
		f.Add(data)
	}
	// The modules are compiled now: in an instrumented program that takes longer than one input may.
	if v, err := Read("", []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 4 4"/>`)); err == nil {
		v.Draw(4, 4, View{W: 4, H: 4, KX: 1, KY: 1, NaturalW: 4, NaturalH: 4})
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		if len(data) > 4096 {
			return
		}
		p, err := Read("", data)
		if err != nil || p.Width*p.Height > 1<<20 {
			return
		}
		if p.Vector != nil {
			p.Draw(20, 20, View{W: 20, H: 20, KX: 1, KY: 1, NaturalW: 20, NaturalH: 20})
			return
		}
		p.Pixels()
	})
}

// A part of a picture is those pixels of it, and nothing else.
func TestParts(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 10, 8))
	for i := range 80 {
		img.SetNRGBA(i%10, i/10, color.NRGBA{uint8(i % 10 * 20), uint8(i / 10 * 30), 7, 255})
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	store := NewStore(fstest.MapFS{"a.png": &fstest.MapFile{Data: b.Bytes()}})
	f, err := store.File("a.png#xywh=percent:20,50,60,25")
	if err != nil || f.Width != 6 || f.Height != 2 || !f.IsPart() {
		t.Fatalf("%v %+v", err, f)
	}
	px, err := f.Pixels()
	if err != nil || px.Rect.Dx() != 6 || px.Rect.Dy() != 2 {
		t.Fatal(err, px.Rect)
	}
	for y := range 2 {
		for x := range 6 {
			if got, want := px.RGBAAt(x, y), (color.RGBA{uint8((x + 2) * 20), uint8((y + 4) * 30), 7,
				255}); got != want {
				t.Errorf("%d,%d is %v, want %v", x, y, got, want)
			}
		}
	}
	for _, frag := range []string{"20,50,60", "a,0,10,10", "50,0,60,10", "0,0,0,10", "-1,0,10,10", "NaN,0,10,10"} {
		if _, err := store.File("a.png#xywh=percent:" + frag); err == nil || !strings.Contains(err.Error(),
			"per cent of the picture") {
			t.Errorf("%s: %v", frag, err)
		}
	}
	if _, err := store.File("b.png#xywh=percent:0,0,10,10"); err == nil {
		t.Error("a part of no picture")
	}
}

func BenchmarkDrawSVG1440x900(b *testing.B) {
	f, err := Read("", []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 144 90"><pattern id="p" width="9" `+
		`height="9" patternUnits="userSpaceOnUse"><circle cx="4" cy="4" r="3"/></pattern><rect width="144" height="90" `+
		`fill="url(#p)"/></svg>`))
	if err != nil {
		b.Fatal(err)
	}
	view := View{W: 1440, H: 900, KX: 1, KY: 1, NaturalW: 144, NaturalH: 90}
	f.Draw(9, 9, view) // compiles the renderer
	b.ReportAllocs()
	for b.Loop() {
		f.drawn = nil // what was drawn is kept
		if _, err := f.Draw(1440, 900, view); err != nil {
			b.Fatal(err)
		}
	}
}

package paint

import (
	"bytes"
	"fmt"
	"image"
	"image/png"
	"testing"
	"testing/fstest"

	"golang.org/x/image/draw"

	"tourmaline/core/layout"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/window"
)

// benchmarkBox paints a box of 1440x900 at density 1 again and again; MB/s are of
// the four bytes of a px. Run with -cpu 1 for one core.
func benchmarkBox(b *testing.B, css string) {
	store := testStoreWith(map[string]image.Image{"big.png": gradientPicture(2560, 1600),
		"tile.png": gradientPicture(64, 64), "dot.png": gradientPicture(1, 1)})
	p, err := plan.Parse("p",
		[]byte(fmt.Sprintf("tourmaline: 1\nboxes:\n  - {name: a, width: 1440px, height: 900px, css: '%s'}\n", css)))
	if err != nil {
		b.Fatal(err)
	}
	pg := layout.At(p, plan.Viewport{Window: window.Window{Width: 1440, Height: 900, Density: 1}}, layout.Device)
	f := pg.Frame(p.Boxes[0].ID)
	if _, err := Box(pg, f, store, Options{}); err != nil { // decodes
		b.Fatal(err)
	}
	b.SetBytes(1440 * 900 * 4)
	b.ReportAllocs()
	for b.Loop() {
		if _, err := Box(pg, f, store, Options{}); err != nil {
			b.Fatal(err)
		}
	}
}

func testStoreWith(pictures map[string]image.Image) *picture.Store {
	fsys := fstest.MapFS{}
	for name, img := range pictures {
		var out bytes.Buffer
		if err := png.Encode(&out, img); err != nil {
			panic(err)
		}
		fsys[name] = &fstest.MapFile{Data: out.Bytes()}
	}
	return picture.NewStore(fsys)
}

func gradientPicture(w, h int) *image.RGBA {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for i := 0; i < len(img.Pix); i += 4 {
		x, y := i/4%w, i/4/w
		img.Pix[i], img.Pix[i+1], img.Pix[i+2], img.Pix[i+3] = uint8(x), uint8(y), uint8(x^y), 255
	}
	return img
}

func BenchmarkPaintSolid1440x900(b *testing.B) { benchmarkBox(b, "background: #123456") }
func BenchmarkPaintTileRepeat64Opaque1440x900(b *testing.B) {
	benchmarkBox(b, "background: url(tile.png)")
}
func BenchmarkPaintTileRepeat1Opaque1440x900(b *testing.B) {
	benchmarkBox(b, "background: url(dot.png)")
}
func BenchmarkPaintLinear1440x900(b *testing.B) {
	benchmarkBox(b, "background: linear-gradient(35deg, red, gold 40%, blue)")
}
func BenchmarkPaintLinearVertical1440x900(b *testing.B) {
	benchmarkBox(b, "background: linear-gradient(red, gold 40%, blue)")
}
func BenchmarkPaintRadial1440x900(b *testing.B) {
	benchmarkBox(b, "background: radial-gradient(red, gold 40%, blue)")
}
func BenchmarkPaintConic1440x900(b *testing.B) {
	benchmarkBox(b, "background: conic-gradient(red, gold 40%, blue)")
}
func BenchmarkPaintCover2560x1600To1440x900(b *testing.B) {
	benchmarkBox(b, "background: url(big.png) center / cover")
}
func BenchmarkPaintMultiply1440x900(b *testing.B) {
	benchmarkBox(b, "background: linear-gradient(red, blue), url(big.png) center / cover; background-blend-mode: "+
		"multiply")
}

// The same scaling by golang.org/x/image/draw, for comparison in the same run.
func BenchmarkXImageApproxBiLinear2560x1600To1440x900(b *testing.B) {
	benchmarkXImage(b, draw.ApproxBiLinear)
}
func BenchmarkXImageBiLinear2560x1600To1440x900(b *testing.B) { benchmarkXImage(b, draw.BiLinear) }

func benchmarkXImage(b *testing.B, s draw.Scaler) {
	src := gradientPicture(2560, 1600)
	b.SetBytes(1440 * 900 * 4)
	for b.Loop() {
		dst := image.NewRGBA(image.Rect(0, 0, 1440, 900))
		s.Scale(dst, dst.Rect, src, src.Rect, draw.Src, nil)
	}
}

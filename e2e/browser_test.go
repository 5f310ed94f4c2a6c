package e2e

import (
	"fmt"
	"image"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"tourmaline/e2e/shoot"
)

// framed shows a page in a frame of exactly w x h, since a window may not be as
// narrow as a phone.
func framed(t *testing.T, page string, w, h int, density float64) *image.RGBA {
	t.Helper()
	outer := filepath.Join(filepath.Dir(page), "frame.html")
	text := fmt.Sprintf("<!DOCTYPE "+
		"html><style>body{margin:0}iframe{border:0;display:block;width:%dpx;height:%dpx}</style><iframe "+
		"src=%q></iframe>", w, h, filepath.Base(page))
	if err := os.WriteFile(outer, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	defer os.Remove(outer)
	return shoot.Page(t, outer, max(w, 600), h, density)
}

// meanDifference is over the px that both pictures show, in levels; got begins at
// at in want.
func meanDifference(got, want *image.RGBA, at image.Point) float64 {
	r := got.Rect.Add(at).Intersect(want.Rect)
	sum, n := 0.0, 0
	for y := r.Min.Y; y < r.Max.Y; y++ {
		for x := r.Min.X; x < r.Max.X; x++ {
			a, b := got.Pix[got.PixOffset(x-at.X, y-at.Y):], want.Pix[want.PixOffset(x, y):]
			for c := range 3 {
				d := int(a[c]) - int(b[c])
				sum += float64(max(d, -d))
				n++
			}
		}
	}
	return sum / float64(max(n, 1))
}

// The page that build writes, with its cut files and media queries, looks in a
// browser as paint says of the plan's own pictures, but for the loss of coding.
func TestTheBuiltPageAgreesWithPaint(t *testing.T) {
	t.Parallel()
	shoot.Need(t)
	dir := t.TempDir()
	if r := runDemo(t, dir); r.code != 0 {
		t.Fatal(r.err)
	}
	site := filepath.Join(dir, "obs")
	plan, err := os.ReadFile(filepath.Join(site, "tourmaline.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	// Text would differ: it is no background.
	text := string(plan)
	for {
		a := strings.Index(text, "    text:\n")
		if a < 0 {
			break
		}
		b := a + len("    text:\n")
		for strings.HasPrefix(text[b:], "      ") {
			b += strings.IndexByte(text[b:], '\n') + 1
		}
		text = text[:a] + text[b:]
	}
	write(t, site, map[string]string{"tourmaline.yaml": text})
	if r := run(t, site, "build"); r.code != 0 {
		t.Fatal(r.err)
	}
	for _, v := range []struct {
		w, h    int
		density float64
	}{{390, 844, 3}, {820, 1180, 2}, {1440, 900, 2}, {1920, 1080, 1}} {
		at := fmt.Sprintf("%dx%d@%g", v.w, v.h, v.density)
		if r := run(t, site, "paint", "--box", "hero", "--at", at, "-o", "hero.png"); r.code != 0 {
			t.Fatal(r.err)
		}
		got, err := shoot.ReadPNG(filepath.Join(site, "hero.png"))
		if err != nil {
			t.Fatal(err)
		}
		want := framed(t, filepath.Join(site, "dist", "index.html"), v.w, v.h, v.density)
		left := (float64(v.w) - min(float64(v.w), 1600)) / 2 * v.density // the page column is centred
		if d := meanDifference(got, want, image.Pt(int(left), 0)); d > 2.5 {
			t.Errorf("at %s the page differs by %.2f levels on average", at, d)
		} else {
			t.Logf("at %s: %.2f levels on average", at, d)
		}
	}
}

// Filters go to a pseudo-element in the stylesheet and are painted the same.
func TestFiltersAgreeWithTheBrowser(t *testing.T) {
	t.Parallel()
	shoot.Need(t)
	for i, f := range []string{"brightness(60%)", "contrast(1.4)", "saturate(30%)", "grayscale(80%)",
		"hue-rotate(70deg)", "sepia(50%) brightness(120%)", "blur(3px)", "invert(20%) opacity(70%)"} {
		dir := t.TempDir()
		write(t, dir, map[string]string{"pics/photo.jpg": photo(600, 400), "tourmaline.yaml": `tourmaline: 1
pictures: pics
viewports: {widths: 700-700, densities: [1], named: {w: 700x500@1}}
files: {formats: [], quality: 99}
boxes:
  - name: a
    width: 320px
    height: 240px
    layers:
      - gradient: linear-gradient(to right, rgb(255 0 0 / 40%), rgb(0 0 255 / 0%))
      - image: photo.jpg
        size: 600px 400px
        repeat: no-repeat
        filter: ` + f + `
      - color: teal
`})
		for _, args := range [][]string{{"build"}, {"paint", "--box", "a", "--at", "w", "-o", "a.png"}} {
			if r := run(t, dir, args...); r.code != 0 {
				t.Fatal(r.err)
			}
		}
		got, err := shoot.ReadPNG(filepath.Join(dir, "a.png"))
		if err != nil {
			t.Fatal(err)
		}
		want := shoot.Page(t, filepath.Join(dir, "dist", "index.html"), 700, 500, 1)
		if d := meanDifference(got, want, image.Point{}); d > 1.5 {
			t.Errorf("%d: %s differs by %.2f levels on average", i, f, d)
		}
	}
}

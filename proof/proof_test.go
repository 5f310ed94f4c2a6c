package proof

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"testing"
	"testing/fstest"

	"tourmaline/core/picture"
	"tourmaline/core/plan"
)

func fixture(t *testing.T, text string) (*plan.Plan, *picture.Store) {
	t.Helper()
	p, err := plan.Parse("p.yaml", []byte("tourmaline: 1\n"+text))
	if err != nil {
		t.Fatal(err)
	}
	img := image.NewRGBA(image.Rect(0, 0, 80, 40))
	for i := range 80 * 40 {
		img.SetRGBA(i%80, i/80, color.RGBA{200, 30, 30, 255})
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	return p, picture.NewStore(fstest.MapFS{"red.png": {Data: b.Bytes()}})
}

func count(img *image.RGBA, c color.RGBA) (n int) {
	for i := 0; i < len(img.Pix); i += 4 {
		if img.Pix[i] == c.R && img.Pix[i+1] == c.G && img.Pix[i+2] == c.B {
			n++
		}
	}
	return n
}

const cutPlan = `viewports: {named: {a: 400x800@1, b: 1200x800@1}}
boxes:
  - name: hero
    height: 400px
    layers:
      - {image: red.png, size: cover, repeat: no-repeat, keep: {x: 10%, y: 10%, width: 30%, height: 50%}, focus: {x: 50%, y: 50%}}
`

// All boxes are drawn to one scale, and the sheet is as wide as asked.
func TestOneScale(t *testing.T) {
	p, store := fixture(t, cutPlan)
	for _, width := range []int{480, 1280, 2000} {
		opt := Options{Boxes: []plan.BoxID{0}, Viewports: p.Named, Width: width}
		cells, err := measure(p, store, &opt, opt.rows())
		if err != nil {
			t.Fatal(err)
		}
		scale, widths, _ := columns(cells, &opt)
		sum := gap
		for c, w := range widths {
			sum += w + gap
			if float64(w) < cells[0][c].box.W*scale-1 {
				t.Errorf("at %d px column %d is %d px wide for a box of %g", width, c, w, cells[0][c].box.W*scale)
			}
		}
		if sum > width || scale > 1 {
			t.Errorf("at %d px the columns take %d, scale %g", width, sum, scale)
		}
		img, err := Sheet(p, store, opt)
		if err != nil || img.Rect.Dx() != width {
			t.Errorf("the sheet is %v, %v", img.Rect, err)
		}
	}
}

// What is cut off is dimmed around the box, keep and focus are marked; a bare
// sheet has none of it.
func TestMarks(t *testing.T) {
	p, store := fixture(t, cutPlan)
	full, err := Sheet(p, store, Options{})
	if err != nil {
		t.Fatal(err)
	}
	bare, err := Sheet(p, store, Options{Bare: true})
	if err != nil {
		t.Fatal(err)
	}
	// paper #f3f1ec with 0x58/255 of #c81e1e over it
	mix := func(p, c uint8) uint8 { return uint8((int(c)*0x58 + int(p)*(255-0x58)) / 255) }
	near := func(img *image.RGBA) (n int) {
		want := [3]int{int(mix(paper.R, 200)), int(mix(paper.G, 30)), int(mix(paper.B, 30))}
		for i := 0; i < len(img.Pix); i += 4 {
			off := 0
			for c := range 3 {
				off = max(off, int(img.Pix[i+c])-want[c], want[c]-int(img.Pix[i+c]))
			}
			if off <= 3 {
				n++
			}
		}
		return n
	}
	if near(full) < 500 || near(bare) != 0 {
		t.Errorf("dimmed px: %d with marks, %d bare", near(full), near(bare))
	}
	for name, c := range map[string]color.RGBA{"keep": keepCol, "focus": cross} {
		if count(full, c) == 0 || count(bare, c) != 0 {
			t.Errorf("%s: %d px with marks, %d bare", name, count(full, c), count(bare, c))
		}
	}
	if n := count(full, color.RGBA{200, 30, 30, 255}); n < 5000 {
		t.Errorf("the boxes show %d px of the picture", n)
	}
}

func TestWordsWrapAndFit(t *testing.T) {
	for _, line := range wrap("keep wholly in view and nothing lost", captionFont, 90) {
		if got := fit(line, captionFont, 90); got != line {
			t.Errorf("%q does not fit its column", line)
		}
	}
	if got := fit("a very long name of a viewport", headFont, 60); len(got) >= 30 || got[len(got)-3:] != "…" {
		t.Errorf("shortened to %q", got)
	}
}

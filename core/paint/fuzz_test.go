package paint

import (
	"strconv"
	"testing"

	"tourmaline/core/layout"
	"tourmaline/core/plan"
	"tourmaline/core/window"
	"tourmaline/e2e/corpus"
)

// Whatever declarations are accepted, a small box of them is painted: no panic, colours never
// larger than their alpha, and the same twice.
func FuzzPaint(f *testing.F) {
	for _, c := range corpus.Cases() {
		f.Add(c.CSS)
	}
	store := testStore()
	f.Fuzz(func(t *testing.T, text string) {
		if len(text) > 400 {
			return
		}
		p, err := plan.Parse("p.yaml", []byte("tourmaline: 1\nboxes:\n  - {name: b, width: 23px, height: 17px, css: "+
			strconv.QuoteToASCII(text)+"}\n"))
		if err != nil {
			return
		}
		for _, d := range []float64{1, 1.5} {
			pg := layout.At(p, plan.Viewport{Window: window.Window{Width: 40, Height: 30, Density: d,
				Modes: window.Touch.If(d > 1)}}, layout.Device)
			fr := pg.Frame(p.Boxes[0].ID)
			if fr.Border.W > 400 || fr.Border.H > 400 { // padding and borders may be large
				return
			}
			img, err := Box(pg, fr, store, Options{})
			if err != nil {
				continue
			}
			for i := 0; i+4 <= len(img.Pix); i += 4 {
				if px := img.Pix[i : i+4]; px[0] > px[3] || px[1] > px[3] || px[2] > px[3] {
					t.Fatalf("%q paints %v, which is more than its alpha", text, px)
				}
			}
		}
	})
}

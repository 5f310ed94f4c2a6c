package paint

import (
	"testing"
	"testing/fstest"

	"tourmaline/core/layout"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/window"
)

// A drawing that takes long may be drawn once and scaled: it then looks as it does when it is drawn at every size,
// within
// what a contrast is told to, and a larger drawing is given the time for all that its filters work on. A quick one is
// drawn at every size all the same.
func TestHeavyDrawingsAreScaled(t *testing.T) {
	const soft = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1600 900"><defs><filter id="f"><feGaussianBlur
stdDeviation="12"/></filter></defs><rect width="1600" height="900" fill="#345"/><g filter="url(#f)"><circle cx="400" cy="300"
r="200" fill="#9ab"/><circle cx="1100" cy="600" r="260" fill="#cde"/></g></svg>`
	store := picture.NewStore(fstest.MapFS{"heavy.svg": {Data: []byte(soft)},
		"quick.svg": {Data: []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 16 9"><circle cx="8" cy="4" r="3"/></svg>`)}})
	p, err := plan.Parse("p.yaml", []byte("tourmaline: 1\nboxes:\n"+
		"  - {name: heavy, height: 500px, layers: [{image: heavy.svg, size: cover}]}\n"+
		"  - {name: quick, height: 500px, layers: [{image: quick.svg, size: cover}]}\n"))
	if err != nil {
		t.Fatal(err)
	}
	for i, box := range []string{"heavy", "quick"} {
		for _, w := range []float64{320, 700} {
			pg := layout.At(p, plan.Viewport{Window: window.Window{Width: w, Height: 700, Density: 1}}, layout.Device)
			f := pg.Frame(p.Boxes[i].ID)
			want, err := Box(pg, f, store, Options{})
			if err != nil {
				t.Fatal(err)
			}
			got, err := Box(pg, f, store, Options{Still: true})
			if err != nil {
				t.Fatal(err)
			}
			sum, same := 0, true
			for k := range got.Pix {
				d := int(got.Pix[k]) - int(want.Pix[k])
				sum, same = sum+max(d, -d), same && d == 0
			}
			if mean := float64(sum) / float64(len(got.Pix)); mean > 0.5 {
				t.Errorf("%s, %g px wide: the scaled drawing is %.2f levels off on average", box, w, mean)
			}
			if same == (box == "heavy") {
				t.Errorf("%s, %g px wide: the very same px: %v", box, w, same)
			}
		}
	}
	for name, is := range map[string]bool{"heavy.svg": true, "quick.svg": false} {
		file, err := store.File(name)
		if err != nil || (file.Still() != nil) != is {
			t.Errorf("%s is drawn once: %v, want %v (%v)", name, !is, is, err)
		}
	}
}

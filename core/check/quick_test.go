package check

import (
	"testing"

	"tourmaline/core/finding"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
)

// What is found quickly is what is found in all windows, at no width more; geometry that hangs on widths alone is found
// as a whole.
func TestQuickTellsNothingElse(t *testing.T) {
	p := parse(t, `viewports: {widths: 320-700, heights: 500-900, densities: [1, 2], named: {phone: 390x700@2}}
boxes:
  - {name: a, height: 300px, layers: [{image: photo.jpg, size: cover, position: 0% 0%, keep: {x: 60%, y: 60%, width: 30%, height: 30%}}]}
  - {name: b, height: 60vh, layers: [{image: photo.jpg, size: 300px, repeat: no-repeat}]}
`)
	store := picture.NewStore(examplePictures(t))
	all, err1 := Run(t.Context(), p, store, Options{Only: Geometry()})
	quick, err2 := Run(t.Context(), p, store, Options{Quick: true})
	if err1 != nil || err2 != nil {
		t.Fatal(err1, err2)
	}
	if len(quick.Heights) > 4 || len(all.Heights) != 40 || len(quick.Findings) == 0 {
		t.Fatalf("quick looks at %v and finds %d", quick.Heights, len(quick.Findings))
	}
	of := func(r *Report, id plan.LayerID, check string) []finding.Run {
		for _, f := range r.Findings {
			if f.ID == id && f.Check == check {
				return f.Widths()
			}
		}
		return nil
	}
	same := 0
	for _, f := range quick.Findings {
		whole := of(all, f.ID, f.Check)
		if left := finding.Subtract(f.Widths(), whole); len(left) > 0 {
			t.Errorf("%s of %s is found quickly at %v, else at %v", f.Check, f.Box, f.Widths(), whole)
		}
		if f.Box == "a" && len(finding.Subtract(whole, f.Widths())) == 0 {
			same++
		}
	}
	if same == 0 {
		t.Error("nothing is found as a whole")
	}
}

package check

import (
	"fmt"

	"tourmaline/core/finding"
	"tourmaline/core/fit"
)

var offFocus = &Check{
	Name: "off-focus", Group: Fit, Level: finding.Warning, Needs: Heights,
	Line: "the point that should be in the middle lies at the edge or outside",
	Long: `focus: names the one point that should stay near the middle of the view. Measured as
where it lands in the box, 0% to 100% on each axis; within 5% of an edge, or outside,
it is out of sight for a reader.`,
	Remedy: "move the picture by its position, or choose another focus",
	Fires: `boxes:
  - name: hero
    height: 700px
    layers:
      - {image: photo.jpg, size: cover, position: 0% 50%, focus: {x: 90%, y: 50%}}
`,
	Silent: `boxes:
  - name: hero
    height: 700px
    layers:
      - {image: photo.jpg, size: cover, position: center, focus: {x: 50%, y: 50%}}
`,
	layer: func(a *scene) float64 {
		if a.Plan.Focus == nil || tiled(a) {
			return 0
		}
		return fit.OffFocus(&a.Landing)
	},
	tell: func(a *scene, f *finding.Finding) bool {
		f.Message = fmt.Sprintf("the focus of %s lands at %.0f%% across and %.0f%% down the box", a.name(),
			a.Landing.Focus.X*100, a.Landing.Focus.Y*100)
		f.Measured, f.Wanted, f.Unit = a.Landing.Focus.X*100, 50, "% across the box"
		return true
	},
}

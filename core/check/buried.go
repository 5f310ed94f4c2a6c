package check

import (
	"fmt"

	"tourmaline/core/finding"
	"tourmaline/core/fit"
)

var buried = &Check{
	Name: "buried", Group: Fit, Level: finding.Warning,
	Line: "hardly anything of the picture shows through what lies over it",
	Long: `A scrim makes text readable by taking the picture away. Where a colour or a gradient over the
whole box lets less than 15% of it through everywhere, the picture is fetched, or not even
that, for next to nothing. Measured as the share that is let through where that is most.
Other checks do not look at a layer of which nothing is seen.`,
	Remedy: "use a weaker scrim, a calmer picture or another text colour; or take the picture out",
	Fires: `boxes:
  - {name: b, height: 300px, layers: [{color: rgb(0 0 0 / 90%)}, {image: photo.jpg, size: cover}]}
`,
	Silent: `boxes:
  - {name: b, height: 300px, layers: [{color: rgb(0 0 0 / 60%)}, {image: photo.jpg, size: cover}]}
`,
	layer: func(a *scene) float64 {
		if !raster(a) {
			return 0
		}
		if t := fit.Through(a.Frame, a.Index); t < fit.Buried {
			return 1 - t
		}
		return 0
	},
	tell: func(a *scene, f *finding.Finding) bool {
		t := fit.Through(a.Frame, a.Index)
		f.Measured, f.Wanted, f.Unit = t*100, fit.Buried*100, "% is let through"
		if t == 0 {
			f.Message = fmt.Sprintf("%s is never seen: an opaque colour or gradient lies over it", a.name())
			return true
		}
		f.Message = fmt.Sprintf("no more than %s of %s shows through what lies over it", finding.Percent(t), a.name())
		return true
	},
}

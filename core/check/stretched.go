package check

import (
	"fmt"
	"math"

	"tourmaline/core/finding"
	"tourmaline/core/fit"
)

var stretched = &Check{
	Name: "stretched", Group: Fit, Level: finding.Warning, Needs: Heights,
	Line: "the picture's shape is changed: squashed or drawn out",
	Long: `A size with two lengths, such as 100% 100%, gives the picture the shape of the box.
Measured as how much wider or taller the picture is drawn than its own shape; up to 2%
is left alone. Gradients and textures drawn for stretching have no shape to lose, but a
texture file has.`,
	Remedy: "size: cover or contain keeps the shape; so does a size with one length, such as 100% auto",
	Fires: `boxes:
  - name: hero
    height: 300px
    layers:
      - {image: photo.jpg, size: 100% 100%}
`,
	Silent: `boxes:
  - name: hero
    height: 300px
    layers:
      - {image: photo.jpg, size: 100% auto}
`,
	layer: func(a *scene) float64 {
		if a.File == nil || a.Landing.Scale.X == 0 || a.Landing.Scale.Y == 0 {
			return 0
		}
		if much, _ := fit.Stretch(&a.Landing); much > fit.StretchBad+1e-9 {
			return much
		}
		return 0
	},
	tell: func(a *scene, f *finding.Finding) bool {
		by, tall := fit.Stretch(&a.Landing)
		how := "wide"
		if tall {
			how = "tall"
		}
		much := finding.Percent(by) + " too " + how
		if by >= 1 {
			much = fmt.Sprintf("%.1f times as %s as its shape wants", by+1, how)
		}
		f.Message = fmt.Sprintf("%s is drawn %s at most: %s x %s px from %d x %d", a.name(), much,
			px(a.Landing.Size.X), px(a.Landing.Size.Y), a.File.Width, a.File.Height)
		f.Measured, f.Wanted, f.Unit = math.Round(by*1000)/10, 0, "% too "+how
		return true
	},
}

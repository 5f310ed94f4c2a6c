package check

import (
	"fmt"
	"math"

	"tourmaline/core/finding"
)

var stretched = &Check{
	Name: "stretched", Group: "Fit", Level: finding.Warning,
	Line: "the picture's shape is changed: squashed or drawn out",
	Long: `A size with two lengths, such as 100% 100%, gives the picture the shape of the box.
Measured as how much wider or taller the picture is drawn than its own shape; up to 2%
is left alone. Gradients and textures drawn for stretching have no shape to lose, but a
texture file has.`,
	Remedy: "size: cover or contain keeps the shape; so does a size with one length, such as 100% auto",
	Fires:  "boxes:\n  - name: hero\n    height: 300px\n    layers:\n      - {image: photo.jpg, size: 100% 100%}\n",
	Silent: "boxes:\n  - name: hero\n    height: 300px\n    layers:\n      - {image: photo.jpg, size: 100% auto}\n",
	layer: func(a *At) float64 {
		if a.File == nil || a.Landing.Scale.X == 0 || a.Landing.Scale.Y == 0 {
			return 0
		}
		s := a.Landing.Stretch()
		if s = max(s, 1/s) - 1; s > 0.02+1e-9 { // 459 px for 450 is 2%
			return s
		}
		return 0
	},
	tell: func(a *At, f *finding.Finding) bool {
		s := a.Landing.Stretch()
		how := "wide"
		if s < 1 {
			s, how = 1/s, "tall"
		}
		much := finding.Percent(s-1) + " too " + how
		if s >= 2 {
			much = fmt.Sprintf("%.1f times as %s as its shape wants", s, how)
		}
		f.Message = fmt.Sprintf("%s is drawn %s at most: %s x %s px from %d x %d", a.name(), much, px(a.Landing.Size.X), px(a.Landing.Size.Y), a.File.Width, a.File.Height)
		f.Measured, f.Wanted, f.Unit = math.Round((s-1)*1000)/10, 0, "% too "+how
		return true
	},
}

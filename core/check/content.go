package check

import (
	"fmt"
	"tourmaline/core/finding"
)

var content = &Check{
	Name: "content", Group: Meaning, Level: finding.Warning,
	Line: "a picture that carries meaning is a background, which many readers never get",
	Long: `Backgrounds are not read aloud, not printed, not found by search, and not saved with the
page. A layer with description: says that its picture means something; such pictures
belong in the markup. The remedy gives the line to write.`,
	Remedy: "put the picture in the markup",
	Fires: `boxes:
  - {name: b, height: 300px, layers: [{image: photo.jpg, size: cover, description: The dome in 1931}]}
`,
	Silent: `boxes:
  - {name: b, height: 300px, layers: [{image: photo.jpg, size: cover}]}
`,
	layer: func(a *scene) float64 {
		if a.Plan.Tells == "" || a.File == nil {
			return 0
		}
		return 1
	},
	tell: func(a *scene, f *finding.Finding) bool {
		fit := ""
		if !tiled(a) {
			fit = fmt.Sprintf("; object-fit: cover and object-position: %s place it the same", a.Layer.Position)
		}
		f.Message = fmt.Sprintf("%s is described as %q", a.name(), a.Plan.Tells)
		f.Remedy = fmt.Sprintf("write <img src=%q alt=%q> into %s%s; or take description: out", a.Image.URL,
			a.Plan.Tells, a.Frame.Box.Selector, fit)
		f.Measured, f.Wanted, f.Unit = 1, 0, "pictures with meaning"
		f.Where, f.Exact = nil, nil
		return true
	},
}

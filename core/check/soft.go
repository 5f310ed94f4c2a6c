package check

import (
	"fmt"

	"tourmaline/core/css"
	"tourmaline/core/finding"
	"tourmaline/core/fit"
)

var soft = &Check{
	Name: "soft", Group: Fit, Level: finding.Warning, Needs: Heights,
	Line: "the picture is enlarged beyond its pixels and looks soft",
	Long: `A screen of density 2 has four device pixels for each CSS pixel. Where the drawn
picture has more device pixels than the file has pixels, the browser invents them and
the picture looks soft. Measured as picture pixels per device pixel, on the axis that
is enlarged more; 1 is sharp, and at density 3 and above 0.75 still looks sharp.
Vector pictures are sharp at any size.`,
	Remedy: "get a larger picture, make the box smaller there, or say under densities: at which widths a density " +
		"is really seen",
	Fires: `boxes:
  - name: hero
    height: 400px
    layers:
      - {image: small.jpg, size: cover, repeat: no-repeat}
`,
	Silent: `viewports: {widths: 320-800, heights: 600-800, densities: [1, 2]}
boxes:
  - name: hero
    height: 300px
    layers:
      - {image: photo.jpg, size: cover, repeat: no-repeat}
`,
	layer: func(a *scene) float64 {
		if !raster(a) || isTile(a) || a.Plan.Video != nil { // a poster is seen for a moment: see video-soft
			return 0
		}
		if fit.Soft(&a.Landing, a.floor()) {
			return a.floor() / a.Landing.Sharp
		}
		return 0
	},
	tell: func(a *scene, f *finding.Finding) bool {
		need, _ := fit.Needed(&a.Placed, a.floor())
		f.Message = fmt.Sprintf("%s has %.2f px for each device px; %s at most needs a picture %d px wide (it has %d)",
			a.name(), a.Landing.Sharp, a.Page.Viewport, need, a.File.Width)
		f.Measured, f.Wanted, f.Unit = a.Landing.Sharp, a.floor(), "picture px per device px"
		f.Remedy = fmt.Sprintf("get the picture %d px wide, make the box smaller there, or say under densities: at "+
			"which widths density %g is really seen", need, a.Page.Viewport.Density)
		if a.Layer.Size.String() == css.SizeAuto.String() { // it lies there as large as the file is
			f.Remedy = "give it a size, such as cover: at its own size a px of the picture is a CSS px; or " + f.Remedy
		}
		return true
	},
}

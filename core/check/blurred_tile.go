package check

import (
	"fmt"
	"math"
	"tourmaline/core/finding"
	"tourmaline/core/fit"
)

var blurredTile = &Check{
	Name: "blurred-tile", Group: Texture, Level: finding.Note,
	Line: "the tile is not a whole number of device pixels, so it is softened",
	Long: `A tile that is 33.3 device pixels wide begins at another fraction of a pixel each time:
fine lines blur and shimmer. Measured as the tile's size in device pixels at each
density; also fires where a tile is enlarged beyond its pixels.`,
	Remedy: "choose a size that is whole in device pixels at every density, such as a multiple of 4 px, or repeat: " +
		"round",
	Fires: `boxes:
  - {name: b, height: 300px, layers: [{texture: tile.png, size: 33.3px}]}
`,
	Silent: `boxes:
  - {name: b, height: 300px, layers: [{texture: tile.png, size: 16px}]}
`,
	layer: func(a *scene) float64 {
		if !isTile(a) {
			return 0
		}
		if fit.Soft(&a.Landing, a.floor()) {
			return 1 + 1/a.Landing.Sharp
		}
		return max(fit.FromWhole(a.Landing.Step.X*a.Page.Viewport.Density),
			fit.FromWhole(a.Landing.Step.Y*a.Page.Viewport.Density))
	},
	tell: func(a *scene, f *finding.Finding) bool {
		if a.image().Photograph() && !a.Plan.Texture {
			return false // a photograph that repeats has another trouble
		}
		d := a.Page.Viewport.Density
		w, h := a.Landing.Size.X*d, a.Landing.Size.Y*d
		if fit.Soft(&a.Landing, a.floor()) {
			f.Message = fmt.Sprintf("%s is enlarged %.2f times at density %g: a tile of %s x %s device px from %d "+
				"x %d px", a.name(), 1/a.Landing.Sharp, d, px(w), px(h), a.File.Width, a.File.Height)
			f.Measured, f.Wanted, f.Unit = a.Landing.Sharp, 1, "picture px per device px"
			f.Reason = "an enlarged tile looks soft in every copy"
			f.Remedy = fmt.Sprintf("use a tile of at least %.0f x %.0f px, or draw it smaller", math.Ceil(w*a.floor()),
				math.Ceil(h*a.floor()))
			return true
		}
		f.Message = fmt.Sprintf("a tile of %s is %.2f x %.2f device px at density %g", a.name(), w, h, d)
		f.Measured, f.Wanted, f.Unit = w, math.Round(w), "device px"
		return true
	},
}

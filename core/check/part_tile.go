package check

import (
	"fmt"
	"math"
	"tourmaline/core/css"
	"tourmaline/core/finding"
)

var partTile = &Check{
	Name: "part-tile", Group: Texture, Level: finding.Note,
	Line: "tiles are cut at the edge of the box",
	Long: `A motif that stands alone in its tile, with see-through or plain edges, looks broken where
the box cuts it. repeat: space keeps whole tiles and shares the rest out between them,
repeat: round scales them so that a whole number fits. Fires for such motifs where fewer
than twelve stand across the box and the last is cut.`,
	Remedy: "repeat: space, or repeat: round",
	Fires: `boxes:
  - {name: b, height: 120px, layers: [{texture: motif.png, repeat: repeat-x}, {color: white}]}
`,
	Silent: `boxes:
  - {name: b, height: 120px, layers: [{texture: motif.png, repeat: space no-repeat}, {color: white}]}
`,
	layer: func(a *scene) float64 {
		if !raster(a) || !tiled(a) {
			return 0
		}
		worst := 0.0
		for _, x := range [2]struct {
			r            css.Repeat
			n, tile      float64
			plain        bool
			crop0, crop1 float64
		}{{a.Layer.Repeat.X, a.Landing.Repeats.X, a.Landing.Size.X, a.image().Edges.ClearX(), a.Landing.Crop.Left,
			a.Landing.Crop.Right},
			{a.Layer.Repeat.Y, a.Landing.Repeats.Y, a.Landing.Size.Y, a.image().Edges.ClearY(), a.Landing.Crop.Top,
				a.Landing.Crop.Bottom}} {
			if f := x.n - math.Floor(x.n); x.r == css.Tile && x.plain && x.n > 1 && x.n < 12 && f > 0.02 && f < 0.98 {
				worst = max(worst, min(f, 1-f))
			}
		}
		return worst
	},
	tell: func(a *scene, f *finding.Finding) bool {
		f.Message = fmt.Sprintf("%s x %s tiles of %s stand in the box: the last are cut", px(a.Landing.Repeats.X),
			px(a.Landing.Repeats.Y), a.name())
		f.Measured, f.Wanted, f.Unit = a.Landing.Repeats.X, math.Round(a.Landing.Repeats.X), "tiles across"
		return true
	},
}

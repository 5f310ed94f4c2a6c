package check

import (
	"fmt"
	"math"
	"tourmaline/core/finding"
)

var patchy = &Check{
	Name: "patchy", Group: Texture, Level: finding.Note,
	Line: "a patch of the texture stands out, and comes again with every tile",
	Long: `The eye finds a light or dark spot that comes again in rows. Motifs, flat art, tiles with
clear parts and tiles below 48 px are left alone: they are so on purpose. The tile is divided in 12 x 12
parts; fires where one part's lightness is more than 16 levels from the tile's mean and
four times as far as half of the parts are, in no more than 15% of the tile, and the tile
repeats at least three times across.`,
	Remedy: "even the spot out, or use a larger tile",
	Fires: `boxes:
  - {name: b, height: 300px, layers: [{texture: patchy.png}]}
`,
	Silent: `boxes:
  - {name: b, height: 300px, layers: [{texture: tile.png}]}
`,
	layer: func(a *scene) float64 {
		if !raster(a) || !tiled(a) || max(a.Landing.Repeats.X, a.Landing.Repeats.Y) < 3 || !a.image().Patch.Shows() {
			return 0
		}
		return a.Landing.Repeats.X * a.Landing.Repeats.Y
	},
	tell: func(a *scene, f *finding.Finding) bool {
		p := a.image().Patch
		f.Message = fmt.Sprintf("a spot at %.0f%% across and %.0f%% down %s is %.0f levels from the rest and comes "+
			"%.0f times", p.X*100, p.Y*100, a.name(), p.Levels,
			math.Ceil(a.Landing.Repeats.X)*math.Ceil(a.Landing.Repeats.Y))
		f.Measured, f.Wanted, f.Unit = p.Levels, 16, "levels"
		f.How = "measured on the file's pixels"
		return true
	},
}

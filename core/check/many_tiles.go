package check

import (
	"fmt"
	"tourmaline/core/finding"
)

var manyTiles = &Check{
	Name: "many-tiles", Group: Texture, Level: finding.Note, Needs: Heights,
	Line: "a very small tile is laid very many times",
	Long: `Browsers lay tiles fast, but a tile of one or two pixels that is laid tens of thousands of
times costs more than a larger tile of the same picture, at every repaint. Measured as
the tiles in the box; fires above 20,000.`,
	Remedy: "use a tile of at least 16 x 16 px that holds the same pattern several times, or a colour",
	Fires: `boxes:
  - {name: b, height: 600px, layers: [{texture: tile.png, size: 2px}]}
`,
	Silent: `boxes:
  - {name: b, height: 600px, layers: [{texture: tile.png, size: 32px}]}
`,
	layer: func(a *scene) float64 {
		if n := a.Landing.Repeats.X * a.Landing.Repeats.Y; a.File != nil && tiled(a) && n > 20000 {
			return n
		}
		return 0
	},
	tell: func(a *scene, f *finding.Finding) bool {
		n := a.Landing.Repeats.X * a.Landing.Repeats.Y
		f.Message = fmt.Sprintf("%s is laid %.0f times, %s x %s px each", a.name(), n, px(a.Landing.Size.X),
			px(a.Landing.Size.Y))
		f.Measured, f.Wanted, f.Unit = n, 20000, "tiles"
		return true
	},
}

package check

import (
	"fmt"
	"tourmaline/core/css"
	"tourmaline/core/finding"
	"tourmaline/core/fit"
)

var seam = &Check{
	Name: "seam", Group: Texture, Level: finding.Warning,
	Line: "the edges of the tile do not meet: a seam shows where it repeats",
	Long: `A tile repeats without a seam when its right edge goes on in its left one, and its bottom
in its top. Measured on the file as the mean step in levels across the edge, beside what
95 of 100 inner columns or rows have; it fires where the edge has more than four levels
and half as much again as those. Gaps of repeat: space hide no seam but part the tiles.`,
	Remedy: "use a tile whose edges meet, or repeat: no-repeat",
	Fires: `boxes:
  - {name: b, height: 300px, layers: [{texture: seam.png}]}
`,
	Silent: `boxes:
  - {name: b, height: 300px, layers: [{texture: tile.png}]}
`,
	layer: func(a *scene) float64 {
		if !raster(a) || !tiled(a) {
			return 0
		}
		m, r := a.image(), 0.0
		if fit.TiledX(&a.Landing) && a.Layer.Repeat.X != css.SpaceTiles && m.SeamX.Shows() {
			r = m.SeamX.Ratio()
		}
		if fit.TiledY(&a.Landing) && a.Layer.Repeat.Y != css.SpaceTiles && m.SeamY.Shows() {
			r = max(r, m.SeamY.Ratio())
		}
		return r
	},
	tell: func(a *scene, f *finding.Finding) bool {
		m := a.image()
		sm, where := m.SeamX, "left and right"
		if m.SeamY.Shows() && (a.Landing.Step.X == 0 || m.SeamY.Ratio() > sm.Ratio()) {
			sm, where = m.SeamY, "top and bottom"
		}
		f.Message = fmt.Sprintf("the %s edges of %s differ by %.0f levels, %.1f times the usual step inside", where,
			a.name(), sm.Edge, sm.Ratio())
		f.Measured, f.Wanted, f.Unit = sm.Edge, sm.Inner, "levels"
		f.How = "measured on the file's pixels"
		if m.Photograph() && !a.Plan.Texture {
			return !a.pass.has("repeats") // a photograph that repeats is told of once
		}
		return true
	},
}

func (s *pass) has(check string) bool {
	for _, c := range s.checks {
		if c.Name == check {
			return true
		}
	}
	return false
}

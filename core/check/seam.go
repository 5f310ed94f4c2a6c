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
in its top. Measured on the file as the mean step in levels across the edge, beside the
largest inside: from line to line (it fires above 4 levels and 1.15 times the largest), and
between the means of bands of 8 px, which finds light that differs under grain (above 6
levels and 1.3 times). Joints, stripes and bricks have such steps inside too. Gaps of repeat: space hide no seam but part the tiles.`,
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
		edge, inner := sm.Edge, sm.Inner
		if sm.BandEdge/max(sm.BandInner, 1) > edge/max(inner, 1) {
			edge, inner = sm.BandEdge, sm.BandInner
		}
		f.Message = fmt.Sprintf("the %s edges of %s differ by %.0f levels, %.1f times the largest step inside", where,
			a.name(), edge, sm.Ratio())
		f.Measured, f.Wanted, f.Unit = edge, inner, "levels"
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

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
levels and 1.3 times). Joints, stripes and bricks have such steps inside too. It fires as well where lines
break off at the edge, or a pattern does not end with a whole repeat, though no step is larger
there than inside. Gaps of repeat: space hide no seam but part the tiles.`,
	Remedy: "make its edges meet with tourmaline texture --make, or repeat: no-repeat",
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
		for axis := range 2 {
			if !meets(a, axis) {
				continue
			}
			if s := m.seam(axis); s.Shows() {
				r = max(r, s.Ratio())
			} else if b := m.broken(axis); b >= brokenSeen {
				r = max(r, b)
			}
		}
		return r
	},
	tell: func(a *scene, f *finding.Finding) bool {
		m := a.image()
		if !(meets(a, 0) && m.seam(0).Shows()) && !(meets(a, 1) && m.seam(1).Shows()) {
			return tellBroken(a, f)
		}
		sm, where := *m.seam(0), "left and right"
		if m.seam(1).Shows() && (a.Landing.Step.X == 0 || m.seam(1).Ratio() > sm.Ratio()) {
			sm, where = *m.seam(1), "top and bottom"
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

// brokenSeen is from where on a break is told: 1 is just seen.
const brokenSeen = 1.3

// meets reports whether tiles lie beside each other (0), or below (1), without gaps.
func meets(a *scene, axis int) bool {
	if axis == 0 {
		return fit.TiledX(&a.Landing) && a.Layer.Repeat.X != css.SpaceTiles
	}
	return fit.TiledY(&a.Landing) && a.Layer.Repeat.Y != css.SpaceTiles
}

// tellBroken tells of a tile in which lines break off, or a repeat.
func tellBroken(a *scene, f *finding.Finding) bool {
	m := a.image()
	x, y := 0.0, 0.0
	if meets(a, 0) {
		x = m.broken(0)
	}
	if meets(a, 1) {
		y = m.broken(1)
	}
	where := "left and right"
	if y > x {
		where = "top and bottom"
	}
	f.Message = fmt.Sprintf("what is in %s breaks off at the %s edges: %.1f, where 1 is just seen", a.name(),
		where, max(x, y))
	f.Measured, f.Wanted = max(x, y), 1
	f.How = "measured on the file's pixels"
	return !m.Photograph() || a.Plan.Texture || !a.pass.has("repeats")
}

func (s *pass) has(check string) bool {
	for _, c := range s.checks {
		if c.Name == check {
			return true
		}
	}
	return false
}

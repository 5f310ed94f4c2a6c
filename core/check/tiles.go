package check

import (
	"fmt"
	"math"

	"tourmaline/core/css"
	"tourmaline/core/finding"
	"tourmaline/core/fit"
)

var seam = &Check{
	Name: "seam", Group: "Texture", Level: finding.Warning,
	Line: "the edges of the tile do not meet: a seam shows where it repeats",
	Long: `A tile repeats without a seam when its right edge goes on in its left one, and its bottom
in its top. Measured on the file as the mean step in levels across the edge, beside what
95 of 100 inner columns or rows have; it fires where the edge has more than four levels
and half as much again as those. Gaps of repeat: space hide no seam but part the tiles.`,
	Remedy: "use a tile whose edges meet, or repeat: no-repeat",
	Fires:  "boxes:\n  - {name: b, height: 300px, layers: [{texture: seam.png}]}\n",
	Silent: "boxes:\n  - {name: b, height: 300px, layers: [{texture: tile.png}]}\n",
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
		f.Message = fmt.Sprintf("the %s edges of %s differ by %.0f levels, %.1f times the usual step inside", where, a.name(), sm.Edge, sm.Ratio())
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

var blurredTile = &Check{
	Name: "blurred-tile", Group: "Texture", Level: finding.Note,
	Line: "the tile is not a whole number of device pixels, so it is softened",
	Long: `A tile that is 33.3 device pixels wide begins at another fraction of a pixel each time:
fine lines blur and shimmer. Measured as the tile's size in device pixels at each
density; also fires where a tile is enlarged beyond its pixels.`,
	Remedy: "choose a size that is whole in device pixels at every density, such as a multiple of 4 px, or repeat: round",
	Fires:  "boxes:\n  - {name: b, height: 300px, layers: [{texture: tile.png, size: 33.3px}]}\n",
	Silent: "boxes:\n  - {name: b, height: 300px, layers: [{texture: tile.png, size: 16px}]}\n",
	layer: func(a *scene) float64 {
		if !isTile(a) {
			return 0
		}
		if fit.Soft(&a.Landing, a.floor()) {
			return 1 + 1/a.Landing.Sharp
		}
		return max(fit.FromWhole(a.Landing.Step.X*a.Page.Viewport.Density), fit.FromWhole(a.Landing.Step.Y*a.Page.Viewport.Density))
	},
	tell: func(a *scene, f *finding.Finding) bool {
		if a.image().Photograph() && !a.Plan.Texture {
			return false // a photograph that repeats has another trouble
		}
		d := a.Page.Viewport.Density
		w, h := a.Landing.Size.X*d, a.Landing.Size.Y*d
		if fit.Soft(&a.Landing, a.floor()) {
			f.Message = fmt.Sprintf("%s is enlarged %.2f times at density %g: a tile of %s x %s device px from %d x %d px", a.name(), 1/a.Landing.Sharp, d, px(w), px(h), a.File.Width, a.File.Height)
			f.Measured, f.Wanted, f.Unit = a.Landing.Sharp, 1, "picture px per device px"
			f.Reason = "an enlarged tile looks soft in every copy"
			f.Remedy = fmt.Sprintf("use a tile of at least %.0f x %.0f px, or draw it smaller", math.Ceil(w*a.floor()), math.Ceil(h*a.floor()))
			return true
		}
		f.Message = fmt.Sprintf("a tile of %s is %.2f x %.2f device px at density %g", a.name(), w, h, d)
		f.Measured, f.Wanted, f.Unit = w, math.Round(w), "device px"
		return true
	},
}

var patchy = &Check{
	Name: "patchy", Group: "Texture", Level: finding.Note,
	Line: "a patch of the texture stands out, and comes again with every tile",
	Long: `The eye finds a light or dark spot that comes again in rows. The tile is divided in 12 x 12
parts; fires where one part's lightness is more than 16 levels from the tile's mean and
four times as far as half of the parts are, in no more than 15% of the tile, and the tile
repeats at least three times across.`,
	Remedy: "even the spot out, or use a larger tile",
	Fires:  "boxes:\n  - {name: b, height: 300px, layers: [{texture: patchy.png}]}\n",
	Silent: "boxes:\n  - {name: b, height: 300px, layers: [{texture: tile.png}]}\n",
	layer: func(a *scene) float64 {
		if !raster(a) || !tiled(a) || max(a.Landing.Repeats.X, a.Landing.Repeats.Y) < 3 || !a.image().Patch.Shows() {
			return 0
		}
		return a.Landing.Repeats.X * a.Landing.Repeats.Y
	},
	tell: func(a *scene, f *finding.Finding) bool {
		p := a.image().Patch
		f.Message = fmt.Sprintf("a spot at %.0f%% across and %.0f%% down %s is %.0f levels from the rest and comes %.0f times", p.X*100, p.Y*100, a.name(), p.Levels, math.Ceil(a.Landing.Repeats.X)*math.Ceil(a.Landing.Repeats.Y))
		f.Measured, f.Wanted, f.Unit = p.Levels, 16, "levels"
		f.How = "measured on the file's pixels"
		return true
	},
}

var partTile = &Check{
	Name: "part-tile", Group: "Texture", Level: finding.Note,
	Line: "tiles are cut at the edge of the box",
	Long: `A motif that stands alone in its tile, with see-through or plain edges, looks broken where
the box cuts it. repeat: space keeps whole tiles and shares the rest out between them,
repeat: round scales them so that a whole number fits. Fires for such motifs where fewer
than twelve stand across the box and the last is cut.`,
	Remedy: "repeat: space, or repeat: round",
	Fires:  "boxes:\n  - {name: b, height: 120px, layers: [{texture: motif.png, repeat: repeat-x}, {color: white}]}\n",
	Silent: "boxes:\n  - {name: b, height: 120px, layers: [{texture: motif.png, repeat: space no-repeat}, {color: white}]}\n",
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
		}{{a.Layer.Repeat.X, a.Landing.Repeats.X, a.Landing.Size.X, a.image().Edges.ClearX(), a.Landing.Crop.Left, a.Landing.Crop.Right},
			{a.Layer.Repeat.Y, a.Landing.Repeats.Y, a.Landing.Size.Y, a.image().Edges.ClearY(), a.Landing.Crop.Top, a.Landing.Crop.Bottom}} {
			if f := x.n - math.Floor(x.n); x.r == css.Tile && x.plain && x.n > 1 && x.n < 12 && f > 0.02 && f < 0.98 {
				worst = max(worst, min(f, 1-f))
			}
		}
		return worst
	},
	tell: func(a *scene, f *finding.Finding) bool {
		f.Message = fmt.Sprintf("%s x %s tiles of %s stand in the box: the last are cut", px(a.Landing.Repeats.X), px(a.Landing.Repeats.Y), a.name())
		f.Measured, f.Wanted, f.Unit = a.Landing.Repeats.X, math.Round(a.Landing.Repeats.X), "tiles across"
		return true
	},
}

var manyTiles = &Check{
	Name: "many-tiles", Group: "Texture", Level: finding.Note,
	Line: "a very small tile is laid very many times",
	Long: `Browsers lay tiles fast, but a tile of one or two pixels that is laid tens of thousands of
times costs more than a larger tile of the same picture, at every repaint. Measured as
the tiles in the box; fires above 20,000.`,
	Remedy: "use a tile of at least 16 x 16 px that holds the same pattern several times, or a colour",
	Fires:  "boxes:\n  - {name: b, height: 600px, layers: [{texture: tile.png, size: 2px}]}\n",
	Silent: "boxes:\n  - {name: b, height: 600px, layers: [{texture: tile.png, size: 32px}]}\n",
	layer: func(a *scene) float64 {
		if n := a.Landing.Repeats.X * a.Landing.Repeats.Y; a.File != nil && tiled(a) && n > 20000 {
			return n
		}
		return 0
	},
	tell: func(a *scene, f *finding.Finding) bool {
		n := a.Landing.Repeats.X * a.Landing.Repeats.Y
		f.Message = fmt.Sprintf("%s is laid %.0f times, %s x %s px each", a.name(), n, px(a.Landing.Size.X), px(a.Landing.Size.Y))
		f.Measured, f.Wanted, f.Unit = n, 20000, "tiles"
		return true
	},
}

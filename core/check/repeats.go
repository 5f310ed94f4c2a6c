package check

import (
	"fmt"

	"tourmaline/core/css"
	"tourmaline/core/finding"
)

var repeats = &Check{
	Name: "repeats", Group: Fit, Level: finding.Error, Needs: Heights,
	Line: "a photograph repeats, because repeat is the initial value",
	Long: `Without repeat: no-repeat a picture that does not fill its box starts again beside
itself. Fires for photographs (many colours, grain) and for pictures whose edges do not
meet, unless the layer is written as texture:. Measured as where the second copy begins.`,
	Remedy: "repeat: no-repeat, and size: cover to fill the box",
	Fires: `boxes:
  - name: hero
    height: 600px
    layers:
      - {image: small.jpg}
`,
	Silent: `boxes:
  - name: hero
    height: 600px
    layers:
      - {texture: tile.png}
`,
	layer: func(a *scene) float64 {
		if !raster(a) || a.Plan.Texture || !tiled(a) || a.Layer.Repeat.X == css.SpaceTiles ||
			a.Layer.Repeat.X == css.Round {
			return 0
		}
		m := a.image()
		if !m.Photograph() || !m.seam(0).Shows() && !m.seam(1).Shows() {
			return 0
		}
		return max(a.Landing.Repeats.X, a.Landing.Repeats.Y)
	},
	tell: func(a *scene, f *finding.Finding) bool {
		l := &a.Landing
		where := ""
		second := func(origin, step, start, length float64) float64 {
			at := origin - start
			for at <= 0.5 {
				at += step
			}
			if at < length {
				return at
			}
			return 0
		}
		if l.Step.X > 0 {
			if x := second(l.Origin.X, l.Step.X, l.Paint.X, l.Paint.W); x > 0 {
				where = fmt.Sprintf("%s px from the left", px(x))
			}
		}
		if l.Step.Y > 0 {
			if y := second(l.Origin.Y, l.Step.Y, l.Paint.Y, l.Paint.H); y > 0 {
				if where != "" {
					where += " and "
				}
				where += fmt.Sprintf("%s px from the top", px(y))
			}
		}
		f.Message = fmt.Sprintf("%s begins again %s of the box (%s times across, %s down)", a.name(), where,
			px(l.Repeats.X), px(l.Repeats.Y))
		f.Measured, f.Wanted, f.Unit = max(l.Repeats.X, l.Repeats.Y), 1, "copies"
		return true
	},
}

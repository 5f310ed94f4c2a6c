package check

import (
	"fmt"
	"tourmaline/core/css"
	"tourmaline/core/finding"
	"tourmaline/core/plan"
)

var shortPage = &Check{
	Name: "short-page", Group: Page, Level: finding.Warning, Needs: Heights,
	Line: "the page's background stops, or starts again, below a short page",
	Long: `The canvas takes its background from the root box. Where the root is shorter than the
window (min-height below 100%), a gradient or picture is sized for the page and repeats
below it, or stops. Measured as the part of the window below the page.`,
	Remedy: "leave min-height of the canvas out, so that the page fills the window, or attachment: fixed",
	Fires: `canvas:
  min-height: 0px
  layers: [{gradient: "linear-gradient(red, blue)"}]
boxes:
  - {name: b, height: 200px, layers: [{color: white}]}
`,
	Silent: `canvas:
  layers: [{gradient: "linear-gradient(red, blue)"}]
boxes:
  - {name: b, height: 200px, layers: [{color: white}]}
`,
	layer: func(a *scene) float64 {
		short := a.Page.Viewport.Height - a.Frame.Border.H
		if a.Frame.Box.Role != plan.Canvas || short < 0.5 || a.Layer.Attachment == css.Fixed || a.Plan.Texture ||
			a.Plan.Color != nil {
			return 0
		}
		return short
	},
	tell: func(a *scene, f *finding.Finding) bool {
		short := a.Page.Viewport.Height - a.Frame.Border.H
		what := "starts again"
		if a.Layer.Repeat.Y == css.NoRepeat {
			what = "stops"
		}
		f.Message = fmt.Sprintf("%s %s below the page, %s px above the window's lower edge", a.name(), what, px(short))
		f.Measured, f.Wanted, f.Unit = short, 0, "px of window below the page"
		return true
	},
}

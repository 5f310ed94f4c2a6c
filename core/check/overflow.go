package check

import (
	"fmt"
	"tourmaline/core/finding"
	"tourmaline/core/plan"
)

var overflow = &Check{
	Name: "overflow", Group: Page, Level: finding.Warning,
	Line: "a box as tall as the window does not fit into it",
	Long: `A box of 100vh fills the window exactly, if nothing stands above it and its content fits.
With padding, borders, a least height, or text taller than the window it is taller, and
below another box it ends under the fold, so that the page scrolls by a little. Measured
as the px that stick out of the window.`,
	Remedy: "height: calc(100vh - what stands above), less padding, or text that fits",
	Fires: `boxes:
  - {name: bar, height: 64px, layers: [{color: black}]}
  - {name: hero, height: 100vh, layers: [{color: navy}]}
`,
	Silent: `boxes:
  - {name: bar, height: 64px, layers: [{color: black}]}
  - {name: hero, height: calc(100vh - 64px), layers: [{color: navy}]}
`,
	box: func(a *scene) float64 {
		over, _ := overWindow(a)
		return over
	},
	tell: func(a *scene, f *finding.Finding) bool {
		over, why := overWindow(a)
		f.Message = fmt.Sprintf("the box is meant to fill the window but ends %s px below it: %s", px(over), why)
		f.Measured, f.Wanted, f.Unit = over, 0, "px below the window"
		if over == a.Frame.Border.Y {
			f.Remedy = fmt.Sprintf("height: calc(100vh - %spx)", px(over))
		}
		return true
	},
}

// overWindow is how far a box that is meant to fill the window ends below it.
func overWindow(a *scene) (over float64, why string) {
	if a.Frame.Box.Role == plan.Canvas {
		return 0, ""
	}
	vh := a.Page.Viewport.Height
	fills := false
	for _, k := range [2]plan.Dimension{plan.Height, plan.MinHeight} {
		if z := a.Frame.Values.Size(k); z != nil && !z.Auto && !z.Len.HasPercent() {
			v := z.Len.Resolve(&a.Frame.Env, 0)
			if v <= 0.99*vh {
				continue
			}
			tall := a.Frame.Env
			tall.Height = vh + 100
			fills = fills || z.Len.Resolve(&tall, 0)-v > 99 // it grows with the window, one for one
		}
	}
	if !fills {
		return 0, ""
	}
	b := a.Frame.Border
	if b.H > vh+0.5 {
		return b.H - vh, "its least height, padding and borders need more"
	}
	for i := range a.Frame.Values.Text {
		if t := a.Frame.TextRect(&a.Frame.Values.Text[i]); t.Bottom() > b.Bottom()+0.5 {
			return t.Bottom() - b.Bottom(), fmt.Sprintf("text area %d is taller than the room it has", i+1)
		}
	}
	if b.Y > 0.5 && b.Y < vh/2 {
		return b.Y, px(b.Y) + " px stand above it"
	}
	return 0, ""
}

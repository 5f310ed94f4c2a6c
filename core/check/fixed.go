package check

import (
	"fmt"
	"tourmaline/core/css"
	"tourmaline/core/finding"
	"tourmaline/core/plan"
	"tourmaline/core/window"
)

var fixed = &Check{
	Name: "fixed", Group: Page, Level: finding.Note,
	Line: "a fixed background stays fixed on touch screens, whose browsers do that badly",
	Long: `With attachment: fixed the picture is sized and placed against the window, whatever the
box. Browsers on phones scroll such pictures with the page, or paint them anew at every
step of scrolling, which costs time and battery. The stylesheet cares for that by itself:
the canvas gets a fixed layer behind the page there, other boxes scroll their picture,
sized for the box (touch: says otherwise), and every check looks at that too. But a box
with a rule of its own for touch screens (hover, pointer) is taken at its word. Measured
at the largest window of the sweep.`,
	Remedy: `write background-attachment: scroll in the box's own rule for touch screens, or touch: none to leave ` +
		"it to the browser",
	Fires: `boxes:
  - name: hero
    height: 300px
    layers:
      - {image: photo.jpg, size: cover, attachment: fixed}
    when:
      "(hover: none)": {height: 400px}
`,
	Silent: `boxes:
  - name: hero
    height: 300px
    layers:
      - {image: photo.jpg, size: cover, attachment: fixed}
`,
	layer: func(a *scene) float64 {
		if a.Layer.Attachment != css.Fixed || !a.Frame.Env.Touch() || a.Frame.Box.Mentions()&window.Touch == 0 ||
			a.Plan.Touch == plan.TouchNone {
			return 0
		}
		return a.Landing.Size.X * a.Landing.Size.Y
	},
	tell: func(a *scene, f *finding.Finding) bool {
		f.Message = fmt.Sprintf("%s is fixed on touch screens too: it is sized against the window, %s x %s px at %s, "+
			"while the box is %s x %s", a.name(),
			px(a.Landing.Size.X), px(a.Landing.Size.Y), a.Page.Viewport, px(a.Frame.Border.W), px(a.Frame.Border.H))
		f.Measured, f.Wanted, f.Unit = a.Landing.Size.X*a.Landing.Size.Y/1e6, a.Frame.Border.W*a.Frame.Border.H/1e6,
			"million CSS px painted at each step of scrolling"
		return true
	},
}

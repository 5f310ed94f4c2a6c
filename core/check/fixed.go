package check

import (
	"fmt"
	"tourmaline/core/css"
	"tourmaline/core/finding"
)

var fixed = &Check{
	Name: "fixed", Group: Page, Level: finding.Note,
	Line: "a fixed background is sized against the window, and touch browsers treat it differently",
	Long: `With attachment: fixed the picture is sized and placed against the window, whatever the
box: cover covers the window, and the box shows the piece behind it. Browsers on phones
scroll such pictures with the page, or paint them anew at every step of scrolling, which
costs time and battery; the stylesheet lets it scroll there, sized for the box. The size is
measured at the largest window of the sweep.`,
	Remedy: `write "(hover: none)": {css: "background-attachment: scroll"} under when:, ` +
		"and size the picture for the box there",
	Fires: `boxes:
  - name: hero
    height: 300px
    layers:
      - {image: photo.jpg, size: cover, attachment: fixed}
`,
	Silent: `boxes:
  - name: hero
    height: 300px
    layers:
      - {image: photo.jpg, size: cover}
`,
	layer: func(a *scene) float64 {
		if a.Layer.Attachment != css.Fixed {
			return 0
		}
		return a.Landing.Size.X * a.Landing.Size.Y
	},
	tell: func(a *scene, f *finding.Finding) bool {
		touch := a.Page.Viewport.Env()
		touch.Touch = true
		if l := a.Frame.Box.At(&touch).Layers(); a.Index >= len(l) || l[a.Index].Attachment != css.Fixed {
			return false // the plan has the fallback
		}
		f.Message = fmt.Sprintf("%s is fixed: it is sized against the window, %s x %s px at %s, while the box is "+
			"%s x %s", a.name(),
			px(a.Landing.Size.X), px(a.Landing.Size.Y), a.Page.Viewport, px(a.Frame.Border.W), px(a.Frame.Border.H))
		f.Measured, f.Wanted, f.Unit = a.Landing.Size.X*a.Landing.Size.Y/1e6, a.Frame.Border.W*a.Frame.Border.H/1e6,
			"million CSS px painted at each step of scrolling"
		return true
	},
}

package check

import (
	"fmt"
	"tourmaline/core/finding"
	"tourmaline/core/layout"
)

var behindText = &Check{
	Name: "behind-text", Group: Text, Level: finding.Warning, Needs: TextPlaces,
	Line: "the subject of the picture lies under the text",
	Long: `Text on top of what keep: names hides it, and is hard to read there. Measured as the
share of keep that lies under a text area; up to 5% is left alone, and so is a keep of half the
picture or more, since text on such a picture has to lie on it.`,
	Remedy: "move the text area, or move the picture by its position",
	Fires: `boxes:
  - name: hero
    height: 600px
    layers:
      - {image: photo.jpg, size: cover, position: center, keep: {x: 40%, y: 30%, width: 20%, height: 30%}}
    text:
      - {area: {left: 20%, top: 20%, width: 60%, height: 50%}, color: white}
`,
	Silent: `boxes:
  - name: hero
    height: 600px
    layers:
      - {image: photo.jpg, size: cover, position: center, keep: {x: 45%, y: 10%, width: 10%, height: 20%}}
    text:
      - {area: {left: 5%, bottom: 2%, width: 90%, height: 20%}, color: white}
`,
	layer: func(a *scene) float64 {
		if s, _ := hiddenByText(a); s > 0.05 {
			return s
		}
		return 0
	},
	tell: func(a *scene, f *finding.Finding) bool {
		s, n := hiddenByText(a)
		f.Message = fmt.Sprintf("text area %d covers %s of keep of %s", n+1, finding.Percent(s), a.name())
		f.Measured, f.Wanted, f.Unit = s*100, 0, "% of keep under text"
		return true
	},
}

// hiddenByText is the largest share of keep under one text area, and which.
func hiddenByText(a *scene) (share float64, area int) {
	if k := a.Plan.Keep; k == nil || k.W*k.H >= 0.5 {
		return 0, 0
	}
	x, y, w, h := drawnRegion(a.Plan.Keep, a)
	keep := layout.Rect{X: x, Y: y, W: w, H: h}
	for i := range a.Frame.Values.Text {
		c := a.Frame.TextRect(&a.Frame.Values.Text[i]).Intersect(keep)
		if s := c.W * c.H / (w * h); s > share {
			share, area = s, i
		}
	}
	return share, area
}

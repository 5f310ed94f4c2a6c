package check

import (
	"fmt"
	"tourmaline/core/finding"
)

var thinEdge = &Check{
	Name: "thin-edge", Group: Text, Level: finding.Note, Needs: TextPlaces,
	Line: "text comes nearer to the edge of the box than its padding",
	Long: `A box's padding says how much room text needs to its edges. Measured as the smallest
distance from a text area to an edge of the box, less the padding there; where the box
has no padding, text must at least not stick out.`,
	Remedy: "move the text area in, or make the padding smaller",
	Fires: `boxes:
  - name: hero
    height: 300px
    padding: 2rem
    layers: [{color: black}]
    text:
      - {area: {left: 4px, top: 40px, width: 50%, height: 100px}, color: white}
`,
	Silent: `boxes:
  - name: hero
    height: 300px
    padding: 2rem
    layers: [{color: black}]
    text:
      - {area: {left: 40px, top: 40px, width: 50%, height: 100px}, color: white}
`,
	box: func(a *scene) float64 {
		if d, _, _ := edgeRoom(a); d < -0.5 {
			return -d
		}
		return 0
	},
	tell: func(a *scene, f *finding.Finding) bool {
		d, n, side := edgeRoom(a)
		pad := a.Frame.Pad[side]
		f.Span = a.Frame.Values.Text[n].Span
		f.Message = fmt.Sprintf("text area %d lies %s px from the %s edge, where the padding is %s px", n+1, px(d+pad),
			[4]string{"top", "right", "bottom", "left"}[side], px(pad))
		if d+pad < 0 {
			f.Message = fmt.Sprintf("text area %d sticks out of the box by %s px at the %s", n+1, px(-d-pad),
				[4]string{"top", "right", "bottom", "left"}[side])
			f.Level = finding.Warning
		}
		f.Measured, f.Wanted, f.Unit = d+pad, pad, "px from the edge"
		return true
	},
}

// edgeRoom is the least room from a text area to an edge beyond the padding.
func edgeRoom(a *scene) (room float64, area, side int) {
	in := a.Frame.PaddingBox()
	first := true
	for i := range a.Frame.Values.Text {
		t := a.Frame.TextRect(&a.Frame.Values.Text[i])
		for k, d := range [4]float64{t.Y - in.Y, in.Right() - t.Right(), in.Bottom() - t.Bottom(), t.X - in.X} {
			if d -= a.Frame.Pad[k]; first || d < room {
				room, area, side, first = d, i, k, false
			}
		}
	}
	return room, area, side
}

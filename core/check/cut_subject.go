package check

import (
	"fmt"
	"strings"

	"tourmaline/core/finding"
	"tourmaline/core/fit"
)

var cutSubject = &Check{
	Name: "cut-subject", Group: Fit, Level: finding.Error, Needs: Heights,
	Line: "what must stay visible is cut off",
	Long: `keep: names the part of a picture that must be seen. A covering picture is cropped at
some shapes of the window, and a part of keep can fall outside. Measured as the share
of keep that lies in the box; one px less is not told. A warning where edges are trimmed;
an error where the middle of keep is out of sight.`,
	Remedy: "move the picture by its position, make the box another shape there, or make keep smaller",
	Fires: `boxes:
  - name: hero
    height: 700px
    layers:
      - {image: photo.jpg, size: cover, position: 0% 50%, keep: {x: 70%, y: 20%, width: 20%, height: 40%}}
`,
	Silent: `viewports: {widths: 320-1400, heights: 600-800, densities: [1]}
boxes:
  - name: hero
    height: 700px
    layers:
      - {image: photo.jpg, size: cover, position: 100% 50%, keep: {x: 85%, y: 20%, width: 10%, height: 40%}}
`,
	layer: func(a *scene) float64 {
		if a.Plan.Keep == nil || !fit.KeepCut(&a.Landing) {
			return 0
		}
		return 1 - a.Landing.InView
	},
	tell: func(a *scene, f *finding.Finding) bool {
		x, y, w, h := drawnRegion(a.Plan.Keep, a)
		p := a.Landing.Paint
		var sides []string
		for _, s := range []struct {
			name string
			out  float64
		}{{"left", p.X - x}, {"right", x + w - p.Right()}, {"top", p.Y - y}, {"bottom", y + h - p.Bottom()}} {
			if s.out > 0.05 {
				sides = append(sides, fmt.Sprintf("%s px %s", px(s.out), s.name))
			}
		}
		seen := "only " + finding.Percent(a.Landing.InView)
		if a.Landing.InView == 0 {
			seen = "none"
		}
		f.Message = fmt.Sprintf("%s of keep of %s is in the box; outside are %s", seen, a.name(),
			strings.Join(sides, ", "))
		if cx, cy := x+w/2, y+h/2; cx >= p.X && cx <= p.Right() && cy >= p.Y && cy <= p.Bottom() {
			f.Level = finding.Warning
		} else {
			f.Message += "; its middle is out of sight"
		}
		f.Measured, f.Wanted, f.Unit = a.Landing.InView*100, 100, "% of keep in view"
		switch {
		case w > p.W+0.05:
			f.Remedy = fmt.Sprintf("no position can do it: keep is %s px wide where the box has %s; make keep "+
				"narrower, the box lower there, or use a picture cropped for it", px(w), px(p.W))
		case h > p.H+0.05:
			f.Remedy = fmt.Sprintf("no position can do it: keep is %s px tall where the box has %s; make keep "+
				"lower, the box taller there, or use a picture cropped for it", px(h), px(p.H))
		default:
			f.Remedy = "set position: " + positionFor(a) + " there, under when:"
			if a.Plan.Auto {
				f.Remedy = "position: auto lines the focus up with the box; " + f.Remedy + " instead"
			}
		}
		return true
	},
}

// positionFor is the nearest position in whole per cents that shows all of keep at
// this viewport; keep fits the box.
func positionFor(a *scene) string {
	x, y, w, h := drawnRegion(a.Plan.Keep, a)
	p, s := a.Landing.Paint, a.Landing.Size
	axis := func(start, length, lo, hi, origin, free float64) string {
		if !fit.Moves(free) {
			return "50%"
		}
		// keep stays inside for offsets between these
		min0, max0 := hi-(start+length)+origin, lo-start+origin
		if min0 > max0 {
			min0, max0 = max0, min0
		}
		o := min(max(origin, min0), max0)
		v := (o - lo) / free * 100
		return fmt.Sprintf("%.0f%%", v)
	}
	return axis(x, w, p.X, p.Right(), a.Landing.Origin.X, a.Landing.Area.W-s.X) + " " +
		axis(y, h, p.Y, p.Bottom(), a.Landing.Origin.Y, a.Landing.Area.H-s.Y)
}

package fit

import (
	"image"

	"tourmaline/core/css"
	"tourmaline/core/layout"
	"tourmaline/core/plan"
)

// MostRate is the most frames a second that a background that moves is worth.
const MostRate = 30.5

// movingDensity is the most px for each CSS px that a background that moves is worth: nobody counts them.
const movingDensity = 1.5

// Video is the most px, across and down, with which a named viewport draws a video of a size in px that is a layer of
// a box; 0 where none shows it.
func Video(p *plan.Plan, b *plan.Box, l *plan.Layer, size image.Point) (across, down float64) {
	w, h := float64(size.X), float64(size.Y)
	for _, at := range p.Named {
		f := layout.At(p, at, layout.Exact).Frame(b.ID)
		for k := range f.Values.Layers() {
			if f.Values.Layers()[k].Plan.Video != l.Video {
				continue
			}
			d := min(at.Density, movingDensity)
			bw, bh := (f.Border.W-f.Edge[1]-f.Edge[3])*d, (f.Border.H-f.Edge[0]-f.Edge[2])*d
			k := max(bw/w, bh/h) // cover
			if l.CSS.Size.Kind == css.Contain {
				k = min(bw/w, bh/h)
			}
			across, down = max(across, k*w), max(down, k*h)
		}
	}
	return across, down
}

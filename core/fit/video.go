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

// Shown is how large named viewports show a video.
type Shown struct {
	Across, Down float64 // the most px with which it is drawn, for which a background that moves is worth its bytes
	Scale        float64 // the most CSS px that one of its px is seen large
	At           plan.Viewport
}

// Video is how large named viewports show a video of a size in px that is a layer of a box; zeros where none does.
func Video(p *plan.Plan, b *plan.Box, l *plan.Layer, size image.Point) (out Shown) {
	w, h := float64(size.X), float64(size.Y)
	for _, at := range p.Named {
		f := layout.At(p, at, layout.Exact).Frame(b.ID)
		for k := range f.Values.Layers() {
			if f.Values.Layers()[k].Plan.Video != l.Video {
				continue
			}
			bw, bh := f.Border.W-f.Edge[1]-f.Edge[3], f.Border.H-f.Edge[0]-f.Edge[2]
			k := max(bw/w, bh/h) // cover
			if l.CSS.Size.Kind == css.Contain {
				k = min(bw/w, bh/h)
			}
			d := min(at.Density, movingDensity)
			out.Across, out.Down = max(out.Across, k*w*d), max(out.Down, k*h*d)
			if k > out.Scale {
				out.Scale, out.At = k, at
			}
		}
	}
	return out
}

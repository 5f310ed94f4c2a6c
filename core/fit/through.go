package fit

import (
	"tourmaline/core/css"
	"tourmaline/core/layout"
)

// Buried is the share of a picture below which what lies over it has as good as replaced it: at 15% the
// strongest contrast in it, 21, is below 1.4 in the middle greys.
const Buried = 0.15

// Through is how much of a layer colours and gradients over it let through where they let most through, 0..1. Only
// those count that hide all of the box alike: of their own size, unclipped, as they are mixed by default.
func Through(f *layout.Frame, n int) float64 {
	layers, through := f.Values.Layers(), 1.0
	for i := range layers[:n] {
		l := &layers[i]
		g := l.Image.Gradient
		if g == nil || len(l.Plan.Filters) > 0 || l.Blend != css.BlendNormal || l.Size != css.SizeAuto ||
			l.Attachment == css.Fixed || l.Clip != css.BorderBox ||
			l.Repeat != (css.Repeats{X: css.Tile, Y: css.Tile}) {
			continue
		}
		least := 1.0
		for k := range g.Stops {
			if s := &g.Stops[k]; !s.Hint {
				least = min(least, s.Color.Resolve(f.Env.Current).A)
			}
		}
		through *= 1 - least
	}
	return through
}

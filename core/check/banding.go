package check

import (
	"fmt"
	"math"
	"tourmaline/core/css"
	"tourmaline/core/finding"
	"tourmaline/core/paint"
)

// gradientOf is the layer's gradient, but not a plain colour.
func gradientOf(a *scene) *css.Gradient {
	if a.Image == nil || a.Plan.Color != nil {
		return nil
	}
	return a.Image.Gradient
}

// bandLimit is how many device px one level may be wide.
const bandLimit = 40

// veiled reports whether no step of a gradient is seen: a picture without holes lies over it, or one shines through
// it, whose own grain breaks the steps.
func veiled(a *scene, g *css.Gradient) bool {
	opaque := true
	for k := range g.Stops {
		opaque = opaque && (g.Stops[k].Hint || g.Stops[k].Color.IsOpaque())
	}
	layers := a.Frame.Values.Layers()
	for i := range layers {
		o, ok := a.pass.other(a, i)
		if !ok || !raster(&o) || o.Landing.Bare > 0 || layers[i].Blend != css.BlendNormal {
			continue
		}
		if i < a.Index && !o.image().HasAlpha || i > a.Index && !opaque {
			return true
		}
	}
	return false
}

var banding = &Check{
	Name: "banding", Group: Gradient, Level: finding.Note, Needs: Heights,
	Line: "the gradient has so few levels for its length that steps show",
	Long: `A screen shows 256 levels of each channel. A gradient between near colours over a long way
has few of them, each a stripe of its own; in dark colours the eye finds them. Measured
as the width of one step in device px, at the largest box, between two neighbouring stops
that are at least six levels apart; fires above 40.`,
	Remedy: "lay a fine noise texture over it, bring the stops nearer together, or use colours farther apart",
	Fires: `boxes:
  - {name: b, height: 3000px, layers: [{gradient: "linear-gradient(#101418, #1c2026)"}]}
`,
	Silent: `boxes:
  - {name: b, height: 300px, layers: [{gradient: "linear-gradient(#101418, #d0d4d8)"}]}
`,
	once: func(s *pass) {
		for _, m := range s.layers {
			if m.n == 0 {
				continue
			}
			a, ok := s.scene(m.id, m.at)
			if !ok {
				continue
			}
			g := gradientOf(a)
			if g == nil || g.Kind == css.Conic || veiled(a, g) {
				continue
			}
			length, stops := paint.Line(g, &a.Frame.Env, a.Landing.Size.X, a.Landing.Size.Y)
			worst, between := 0.0, [2]string{}
			for i := 1; i < len(stops); i++ {
				p, q := stops[i-1], stops[i]
				if p.Hint || q.Hint {
					continue
				}
				c, d := p.Color.Resolve(a.Frame.Env.Current), q.Color.Resolve(a.Frame.Env.Current)
				levels := 255 * max(math.Abs(c.R*c.A-d.R*d.A), math.Abs(c.G*c.A-d.G*d.A), math.Abs(c.B*c.A-d.B*d.A),
					math.Abs(c.A-d.A))
				if levels < 6 {
					continue
				}
				if step := (q.At - p.At) * length * m.at.Density / levels; step > worst {
					worst, between = step, [2]string{p.Color.String(), q.Color.String()}
				}
			}
			if worst > bandLimit {
				s.addFor(a, finding.Finding{Worst: &m.at, Measured: worst, Wanted: bandLimit,
					Unit: "device px a level",
					Message: fmt.Sprintf("one level between %s and %s is %s device px wide in the largest box (%s)",
						between[0], between[1], px(worst), m.at)})
			}
		}
	},
}

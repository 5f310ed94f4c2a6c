package check

import (
	"fmt"
	"tourmaline/core/css"
	"tourmaline/core/finding"
)

var muddy = &Check{
	Name: "muddy", Group: Gradient, Level: finding.Note,
	Line: "the gradient goes through grey between two strong colours",
	Long: `Mixed in sRGB, opposite colours such as yellow and blue meet in a grey or brown that is in
neither. Measured as the chroma (in OKLCH) in the middle between two neighbouring stops,
beside the weaker of the two: fires below 45%. In another space the way keeps its colour;
the remedy names the one that keeps most.`,
	Remedy: "write in oklch or in oklab into the gradient",
	Fires: `boxes:
  - {name: b, height: 300px, layers: [{gradient: "linear-gradient(gold, blue)"}]}
`,
	Silent: `boxes:
  - {name: b, height: 300px, layers: [{gradient: "linear-gradient(in oklch, gold, blue)"}]}
`,
	once: func(s *pass) {
		for _, m := range s.layers {
			a, ok := s.scene(m.id, m.first)
			if !ok || m.n == 0 {
				continue
			}
			g := gradientOf(a)
			if g == nil || g.In.Given {
				continue
			}
			for i := 1; i < len(g.Stops); i++ {
				p, q := &g.Stops[i-1], &g.Stops[i]
				if p.Hint || q.Hint {
					continue
				}
				mud, ok := MuddyWay(p.Color, q.Color, a.Frame.Env.Current)
				if !ok {
					continue
				}
				mid, weaker, best, bestC := mud.Middle, mud.Weaker, mud.Better, mud.BetterMiddle
				f := finding.Finding{Measured: mid, Wanted: 0.45 * weaker, Unit: "chroma in the middle (OKLCH)",
					Message: fmt.Sprintf("between %s and %s the gradient goes through a grey with %.0f%% of the "+
						"weaker colour's chroma", p.Color.String(), q.Color.String(), mid/weaker*100)}
				if best != "" {
					f.Remedy = fmt.Sprintf("write in %s into the gradient: the middle keeps %.0f%% of the chroma",
						best, min(bestC/weaker*100, 100))
				} else {
					f.Remedy = "set a stop between the two, of a strong colour that lies between them"
				}
				s.addFor(a, f)
			}
		}
	},
}

// Mud is a way between two colours that goes through grey. Chroma is OKLCH's.
type Mud struct {
	Middle, Weaker float64 // chroma in the middle, and of the weaker colour
	Better         string  // the space that keeps most of it; "" where none is better
	BetterMiddle   float64
}

// MuddyWay reports whether two neighbouring stops meet in a grey when they are
// mixed in sRGB, and which space avoids it.
func MuddyWay(p, q css.Color, cur css.RGBA) (Mud, bool) {
	if p.Resolve(cur).A < 0.3 || q.Resolve(cur).A < 0.3 {
		return Mud{}, false
	}
	m := Mud{Weaker: min(strength(p, cur), strength(q, cur)), Middle: strength(middle(p, q, css.SRGB, cur), cur)}
	if m.Weaker < 0.06 || m.Middle >= 0.45*m.Weaker {
		return Mud{}, false
	}
	m.BetterMiddle = m.Middle
	for _, in := range []css.Space{css.Oklab, css.Oklch} {
		if c := strength(middle(p, q, in, cur), cur); c > m.BetterMiddle*1.1 {
			m.Better, m.BetterMiddle = in.String(), c
		}
	}
	return m, true
}

// strength is the OKLCH chroma of a colour.
func strength(c css.Color, cur css.RGBA) float64 { return c.In(css.Oklch, cur).C[1] }

// middle is halfway between two colours in a space.
func middle(a, b css.Color, in css.Space, cur css.RGBA) css.Color {
	p, q := css.FixPair(a.In(in, cur), b.In(in, cur), "")
	return css.Lerp(p, q, 0.5)
}

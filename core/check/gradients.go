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

var banding = &Check{
	Name: "banding", Group: "Gradient", Level: finding.Note,
	Line: "the gradient has so few levels for its length that steps show",
	Long: `A screen shows 256 levels of each channel. A gradient between near colours over a long way
has few of them, each a stripe of its own; in dark colours the eye finds them. Measured
as the width of one step in device px, at the largest box, between two neighbouring stops
that are at least six levels apart; fires above 40.`,
	Remedy: "lay a fine noise texture over it, bring the stops nearer together, or use colours farther apart",
	Fires:  "boxes:\n  - {name: b, height: 3000px, layers: [{gradient: \"linear-gradient(#101418, #1c2026)\"}]}\n",
	Silent: "boxes:\n  - {name: b, height: 300px, layers: [{gradient: \"linear-gradient(#101418, #d0d4d8)\"}]}\n",
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
			if g == nil || g.Kind == css.Conic {
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
				levels := 255 * max(math.Abs(c.R*c.A-d.R*d.A), math.Abs(c.G*c.A-d.G*d.A), math.Abs(c.B*c.A-d.B*d.A), math.Abs(c.A-d.A))
				if levels < 6 {
					continue
				}
				if step := (q.At - p.At) * length * m.at.Density / levels; step > worst {
					worst, between = step, [2]string{p.Color.String(), q.Color.String()}
				}
			}
			if worst > bandLimit {
				s.addFor(a, finding.Finding{Worst: &m.at, Measured: worst, Wanted: bandLimit, Unit: "device px a level",
					Message: fmt.Sprintf("one level between %s and %s is %s device px wide in the largest box (%s)", between[0], between[1], px(worst), m.at)})
			}
		}
	},
}

var flat = &Check{
	Name: "flat", Group: "Gradient", Level: finding.Warning,
	Line: "stops collapse: part of the gradient, or all of it, is one colour",
	Long: `A stop may not lie before the one in front of it; the browser moves it forward, and the way
between them is lost. Stops that all lie outside the box leave one flat colour, and so do
stops of one colour. Fires for a stop that is written before an earlier one, and for a
gradient of which nothing changes inside the box.`,
	Remedy: "put the stops in rising order, inside 0% to 100%",
	Fires:  "boxes:\n  - {name: b, height: 300px, layers: [{gradient: \"linear-gradient(red 60%, gold 30%, blue)\"}]}\n",
	Silent: "boxes:\n  - {name: b, height: 300px, layers: [{gradient: \"linear-gradient(red 30%, gold 60%, blue)\"}]}\n",
	layer: func(a *scene) float64 {
		g := gradientOf(a)
		if g == nil {
			return 0
		}
		// Stops in per cents lie the same in every box: they are looked at once.
		known, ok := a.pass.flats.Load(g)
		if !ok {
			static := true
			for i := range g.Stops {
				for k := range g.Stops[i].At {
					n := &g.Stops[i].At[k]
					static = static && n.HasPercent() && !n.IsCalc()
				}
			}
			known = 0.0
			switch why := flatWhy(a, g); {
			case !static:
				known = -1.0
			case why != "":
				known = 1.0
			}
			a.pass.flats.Store(g, known)
		}
		if bad := known.(float64); bad >= 0 {
			return bad
		}
		if flatWhy(a, g) == "" {
			return 0
		}
		return 1
	},
	tell: func(a *scene, f *finding.Finding) bool {
		f.Message = flatWhy(a, gradientOf(a))
		f.Measured, f.Wanted, f.Unit = 1, 0, "collapsed stops"
		return true
	},
}

func flatWhy(a *scene, g *css.Gradient) string {
	high, highAt := math.Inf(-1), ""
	sameColour := true
	first := g.Stops[0].Color.Resolve(a.Frame.Env.Current)
	for i := range g.Stops {
		st := &g.Stops[i]
		if !st.Hint {
			sameColour = sameColour && st.Color.Resolve(a.Frame.Env.Current) == first
		}
		for k := range st.At {
			n := &st.At[k]
			if n.IsCalc() || !n.HasPercent() {
				continue // lengths depend on the box: only per cents are compared
			}
			if n.Val < high-1e-9 {
				return fmt.Sprintf("the stop at %g%% is written after one at %s and is moved there: the way between them is lost", n.Val, highAt)
			}
			high, highAt = n.Val, fmt.Sprintf("%g%%", n.Val)
		}
	}
	if sameColour {
		return "all stops have one colour: write color: instead"
	}
	if g.Kind != css.Linear || g.Repeating {
		return ""
	}
	_, stops := paint.Line(g, &a.Frame.Env, a.Landing.Size.X, a.Landing.Size.Y)
	if stops[0].At >= 1 || stops[len(stops)-1].At <= 0 {
		return "all stops lie outside the box: one flat colour is seen"
	}
	return ""
}

var muddy = &Check{
	Name: "muddy", Group: "Gradient", Level: finding.Note,
	Line: "the gradient goes through grey between two strong colours",
	Long: `Mixed in sRGB, opposite colours such as yellow and blue meet in a grey or brown that is in
neither. Measured as the chroma (in OKLCH) in the middle between two neighbouring stops,
beside the weaker of the two: fires below 45%. In another space the way keeps its colour;
the remedy names the one that keeps most.`,
	Remedy: "write in oklch or in oklab into the gradient",
	Fires:  "boxes:\n  - {name: b, height: 300px, layers: [{gradient: \"linear-gradient(gold, blue)\"}]}\n",
	Silent: "boxes:\n  - {name: b, height: 300px, layers: [{gradient: \"linear-gradient(in oklch, gold, blue)\"}]}\n",
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
					Message: fmt.Sprintf("between %s and %s the gradient goes through a grey with %.0f%% of the weaker colour's chroma", p.Color.String(), q.Color.String(), mid/weaker*100)}
				if best != "" {
					f.Remedy = fmt.Sprintf("write in %s into the gradient: the middle keeps %.0f%% of the chroma", best, min(bestC/weaker*100, 100))
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

package check

import (
	"fmt"
	"math"
	"tourmaline/core/css"
	"tourmaline/core/finding"
	"tourmaline/core/paint"
)

var flat = &Check{
	Name: "flat", Group: Gradient, Level: finding.Warning,
	Line: "stops collapse: part of the gradient, or all of it, is one colour",
	Long: `A stop may not lie before the one in front of it; the browser moves it forward, and the way
between them is lost. Stops that all lie outside the box leave one flat colour, and so do
stops of one colour. Fires for a stop that is written before an earlier one, and for a
gradient of which nothing changes inside the box.`,
	Remedy: "put the stops in rising order, inside 0% to 100%",
	Fires: `boxes:
  - {name: b, height: 300px, layers: [{gradient: "linear-gradient(red 60%, gold 30%, blue)"}]}
`,
	Silent: `boxes:
  - {name: b, height: 300px, layers: [{gradient: "linear-gradient(red 30%, gold 60%, blue)"}]}
`,
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
				return fmt.Sprintf("the stop at %g%% is written after one at %s and is moved there: the way "+
					"between them is lost", n.Val, highAt)
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

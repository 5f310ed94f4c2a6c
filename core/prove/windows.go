package prove

import (
	"math"
	"regexp"
	"slices"
	"strings"

	"tourmaline/core/cascade"
	"tourmaline/core/css"
	"tourmaline/core/plan"
	"tourmaline/core/source"
	"tourmaline/core/window"
)

// Window is a window in which a page is looked at.
type Window struct {
	plan.Viewport
	Border string       // the media query at whose border it lies; "" of the plan's named viewports
	Boxes  []plan.BoxID // that are looked at; nil is all
	Pixels bool         // pixels are compared too
}

// Windows are those in which a stylesheet that was written of a plan is held against it: the plan's named
// viewports, and both sides of every border of every rule, at each density that the plan sees there.
func Windows(p *plan.Plan, styles string) ([]Window, error) {
	sheet, err := cascade.ParseSheet(source.NewFile("backgrounds.css", styles))
	if err != nil {
		return nil, err
	}
	var out []Window
	for _, v := range p.Named {
		v.Width, v.Height = math.Round(v.Width), math.Round(v.Height) // frames are whole px
		out = append(out, Window{Viewport: v, Pixels: true})
	}
	b := borders{plan: p}
	for i := range sheet.Rules {
		b.rule(&sheet.Rules[i])
	}
	return append(out, b.windows...), nil
}

// borders collects windows at the borders of rules.
type borders struct {
	plan    *plan.Plan
	windows []Window
}

// rule takes in the borders of a media query, in the queries around it, and of those in it.
func (b *borders) rule(r *cascade.Rule, around ...window.Query) {
	if r.At != "media" {
		return
	}
	text := strings.TrimSpace(r.Prelude.Text())
	q := css.ParseQuery(text)
	under := append(slices.Clip(around), q)
	var boxes []plan.BoxID
	for i := range r.Rules {
		boxes = append(boxes, b.boxesOf(r.Rules[i].Prelude.Text())...)
		b.rule(&r.Rules[i], under...)
	}
	if boxes == nil {
		return
	}
	var modes window.Modes
	for _, o := range under {
		modes |= o.Modes()
	}
	for _, m := range modes.Subsets() {
		b.borders(Window{Viewport: plan.Viewport{Window: window.Window{Modes: m}}, Border: text, Boxes: boxes}, under)
	}
	// One window with the modes on in which a query of modes alone holds.
	for _, m := range modes.Subsets() {
		if m == 0 {
			continue
		}
		v := b.plan.Named[0].Window
		v.Width, v.Height = math.Round(v.Width), math.Round(v.Height)
		if v.Modes |= m; !slices.ContainsFunc(under, func(o window.Query) bool { return !o.Holds(&v) }) {
			b.take(Window{Viewport: plan.Viewport{Window: v}, Border: text, Boxes: boxes, Pixels: true})
		}
	}
}

// borders takes in the windows, as one of them is, at which queries that stand in each other begin or end to hold.
func (b *borders) borders(as Window, under []window.Query) {
	holds := func(w, h int) bool {
		return slices.ContainsFunc([]float64{1, 2, 3}, func(d float64) bool {
			v := window.Window{Width: float64(w), Height: float64(h), Density: d, Modes: as.Modes}
			return !slices.ContainsFunc(under, func(q window.Query) bool { return !q.Holds(&v) })
		})
	}
	// Where it holds, seen from the heights and widths that matter: enough to find each of its borders.
	heights, widths := b.known()
	var at [][2]int
	for _, h := range heights {
		for _, w := range b.turns(b.plan.Widths, func(w int) bool { return holds(w, h) }) {
			if !slices.ContainsFunc(at, func(o [2]int) bool { return o[0] == w && o[1] == 0 }) {
				b.add(as, [2]int{w - 1, h}, [2]int{w, h})
				at = append(at, [2]int{w, 0})
			}
			widths = append(widths, w)
		}
	}
	for _, w := range widths {
		for _, h := range b.turns(b.plan.Heights, func(h int) bool { return holds(w, h) }) {
			if !slices.ContainsFunc(at, func(o [2]int) bool { return o[1] == h }) {
				b.add(as, [2]int{w, h - 1}, [2]int{w, h})
				at = append(at, [2]int{0, h})
			}
		}
	}
}

// known are the plan's heights and widths that windows of rules are looked for at.
func (b *borders) known() (heights, widths []int) {
	heights, widths = b.heights(), []int{}
	for _, v := range b.plan.Named {
		if h := int(v.Height); !slices.Contains(heights, h) && h >= b.plan.Heights[0] && h <= b.plan.Heights[1] {
			heights = append(slices.Clip(heights), h)
		}
		widths = append(widths, int(v.Width))
	}
	return heights, widths
}

// heights are both ends of the plan's, and those of the ranges in which other rules hold.
func (b *borders) heights() []int {
	out := b.plan.Heights[:]
	for _, box := range b.plan.All() {
		out = append(slices.Clip(out), box.HeightEnds(b.plan.Heights)...)
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// turns are where, between two ends, a condition changes.
func (b *borders) turns(ends [2]int, holds func(int) bool) (out []int) {
	last := holds(ends[0])
	for v := ends[0] + 1; v <= ends[1]; v++ {
		if now := holds(v); now != last {
			out, last = append(out, v), now
		}
	}
	return out
}

// add takes windows in, at each density that is seen at their width; pixels are looked at at the lowest.
func (b *borders) add(as Window, at ...[2]int) {
	for _, a := range at {
		first := true
		for i, d := range b.plan.Density {
			if s := b.plan.Spans[i]; a[0] < s[0] || a[0] > s[1] {
				continue
			}
			w := as
			w.Width, w.Height, w.Density, w.Pixels = float64(a[0]), float64(a[1]), d, first
			b.take(w)
			first = false
		}
	}
}

// take joins windows that are the same.
func (b *borders) take(w Window) {
	for i := range b.windows {
		o := &b.windows[i]
		if o.Viewport == w.Viewport {
			for _, id := range w.Boxes {
				if !slices.Contains(o.Boxes, id) {
					o.Boxes = append(slices.Clip(o.Boxes), id)
				}
			}
			return
		}
	}
	b.windows = append(b.windows, w)
}

var pseudoElement = regexp.MustCompile(`::?(before|after)$`)

// boxesOf are the boxes that a selector of the stylesheet is of.
func (b *borders) boxesOf(selector string) (out []plan.BoxID) {
	selector = pseudoElement.ReplaceAllString(strings.TrimSpace(selector), "")
	for _, box := range b.plan.All() {
		if box.Selector == selector {
			out = append(out, box.ID)
		}
	}
	return out
}

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

func (b *borders) rule(r *cascade.Rule) {
	if r.At != "media" {
		return
	}
	var boxes []plan.BoxID
	for _, inner := range r.Rules {
		boxes = append(boxes, b.boxesOf(inner.Prelude.Text())...)
	}
	if boxes == nil {
		return
	}
	text := strings.TrimSpace(r.Prelude.Text())
	q := css.ParseQuery(text)
	// Where it holds, seen from the heights and widths that matter: enough to find each of its borders.
	heights, widths := b.known()
	var at [][2]int
	for _, h := range heights {
		for _, w := range b.turns(b.plan.Widths, func(w int) bool { return holds(&q, w, h) }) {
			if !slices.ContainsFunc(at, func(o [2]int) bool { return o[0] == w && o[1] == 0 }) {
				b.add(text, boxes, [2]int{w - 1, h}, [2]int{w, h})
				at = append(at, [2]int{w, 0})
			}
			widths = append(widths, w)
		}
	}
	for _, w := range widths {
		for _, h := range b.turns(b.plan.Heights, func(h int) bool { return holds(&q, w, h) }) {
			if !slices.ContainsFunc(at, func(o [2]int) bool { return o[1] == h }) {
				b.add(text, boxes, [2]int{w, h - 1}, [2]int{w, h})
				at = append(at, [2]int{0, h})
			}
		}
	}
}

func holds(q *css.Query, w, h int) bool {
	for _, d := range []float64{1, 2, 3} {
		if q.Holds(&css.Env{Width: float64(w), Height: float64(h), Density: d}) {
			return true
		}
	}
	return false
}

// known are the plan's heights and widths that windows of rules are looked for at.
func (b *borders) known() (heights, widths []int) {
	heights, widths = b.plan.Heights[:], []int{}
	for _, v := range b.plan.Named {
		if h := int(v.Height); !slices.Contains(heights, h) && h >= b.plan.Heights[0] && h <= b.plan.Heights[1] {
			heights = append(slices.Clip(heights), h)
		}
		widths = append(widths, int(v.Width))
	}
	return heights, widths
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
func (b *borders) add(query string, boxes []plan.BoxID, at ...[2]int) {
	for _, a := range at {
		first := true
		for i, d := range b.plan.Density {
			if s := b.plan.Spans[i]; a[0] < s[0] || a[0] > s[1] {
				continue
			}
			v := plan.Viewport{Width: float64(a[0]), Height: float64(a[1]), Density: d}
			b.take(Window{Viewport: v, Border: query, Boxes: boxes, Pixels: first})
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

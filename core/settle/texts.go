package settle

import (
	"cmp"
	"math"
	"slices"
	"tourmaline/core/check"
	"tourmaline/core/layout"
	"tourmaline/core/plan"
	"tourmaline/core/work"
)

// window is a size of the browser window at which text is measured.
type window struct{ w, h int }

func (w window) viewport() plan.Viewport {
	return plan.Viewport{Width: float64(w.w), Height: float64(w.h), Density: 1}
}

// comb are the windows at which a scrim is solved: every 32nd width, both sides of
// every change of rules, the named ones; at both ends and the middle of the
// heights where the box depends on them. What lies between is verified after.
func (s *solver) comb(box plan.BoxID) []window {
	lo, hi := s.plan.Widths[0], s.plan.Widths[1]
	all := s.sweep.Heights
	widths := []int{hi}
	for w := lo; w < hi; w += 32 {
		widths = append(widths, w)
	}
	for _, w := range s.sweep.Changes(box, all[0]) {
		widths = append(widths, w-1, w)
	}
	slices.Sort(widths)
	widths = slices.Compact(widths)
	room := s.sweep.Pages.Room()
	heights := []int{all[0], all[len(all)/2], all[len(all)-1]}
	tall := func(h int) float64 {
		v := plan.Viewport{Width: float64(lo+hi) / 2, Height: float64(h), Density: 1}
		return room.At(v, layout.Exact).Frame(box).Border.H
	}
	if tall(heights[0]) == tall(heights[2]) {
		heights = heights[:1]
	}
	var out []window
	for _, h := range slices.Compact(heights) {
		for _, w := range widths {
			out = append(out, window{w, h})
		}
	}
	for _, v := range s.plan.Named {
		out = append(out, window{int(v.Width), int(v.Height)})
	}
	return out
}

// legible is how well the text area that is read worst can be read at a window.
type legible struct{ has, needs float64 }

// over is 1 or more where it can be read; without text it is endless.
func (r legible) over() float64 { return r.has / r.needs }

// short measures the text area of a box that falls most short of its contrast.
func (s *solver) short(box plan.BoxID, at window) legible { return s.shortAt(box, at, check.Small) }

// shortAt is short of a box that is painted at a scale.
func (s *solver) shortAt(box plan.BoxID, at window, scale float64) legible {
	spreads := s.texts.At(box, at.w, at.h, scale)
	values := s.sweep.Pages.At(at.viewport(), layout.Exact).Frame(box).Values
	worst := legible{math.Inf(1), 1}
	for n, sp := range spreads {
		if r := (legible{sp.Low, values.Text[n].Contrast}); r.over() < worst.over() {
			worst = r
		}
	}
	return worst
}

// worstWindow returns the window at which text is read worst.
func (s *solver) worstWindow(box plan.BoxID, comb []window) (window, legible) {
	out := make([]legible, len(comb))
	work.Each(len(comb), func(i int) { out[i] = s.short(box, comb[i]) })
	at := 0
	for i, v := range out {
		if v.over() < out[at].over() {
			at = i
		}
	}
	return comb[at], out[at]
}

// trueWorst is worstWindow at full size: of the windows that look worst when they are painted small.
func (s *solver) trueWorst(box plan.BoxID, comb []window) (window, legible) {
	const looked = 6
	list := slices.Clone(comb)
	small := map[window]float64{}
	found := make([]legible, len(comb))
	work.Each(len(comb), func(i int) { found[i] = s.short(box, comb[i]) })
	for i, w := range comb {
		small[w] = found[i].over()
	}
	slices.SortStableFunc(list, func(a, b window) int { return cmp.Compare(small[a], small[b]) })
	list = list[:min(len(list), looked)]
	found = found[:len(list)]
	work.Each(len(list), func(i int) { found[i] = s.shortAt(box, list[i], 1) })
	at := 0
	for i, v := range found {
		if v.over() < found[at].over() {
			at = i
		}
	}
	return list[at], found[at]
}

// unreadable asks check, at every width, with the pictures there.
func (s *solver) unreadable(box plan.BoxID) bool { return s.texts.Unreadable(box) }

// sides returns the side of the box that text lies at and how far it reaches from
// there at the worst window, per cent; ok is false where text spans the box.
func (s *solver) sides(box plan.BoxID, comb []window) (side string, reach int, ok bool) {
	names := [4]string{"right", "left", "bottom", "top"} // the gradient runs to the other side
	far := [4]float64{}
	for _, c := range comb {
		f := s.sweep.Pages.At(c.viewport(), layout.Exact).Frame(box)
		for i := range f.Values.Text {
			t := f.TextRect(&f.Values.Text[i])
			b := f.Border
			for k, v := range [4]float64{(t.Right() - b.X) / b.W, (b.Right() - t.X) / b.W, (t.Bottom() - b.Y) / b.H,
				(b.Bottom() - t.Y) / b.H} {
				far[k] = max(far[k], v)
			}
		}
	}
	best := 0
	for k := range far {
		if far[k] < far[best] {
			best = k
		}
	}
	return names[best], int(math.Ceil(far[best] * 100)), far[best] < 0.7
}

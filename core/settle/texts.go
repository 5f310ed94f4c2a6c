package settle

import (
	"cmp"
	"math"
	"slices"
	"tourmaline/core/check"
	"tourmaline/core/layout"
	"tourmaline/core/plan"
	"tourmaline/core/window"
	"tourmaline/core/work"
)

// size is one of the browser window at which text is measured.
type size struct{ w, h int }

func (w size) viewport() plan.Viewport {
	return plan.Viewport{Window: window.Window{Width: float64(w.w), Height: float64(w.h), Density: 1}}
}

// comb are the windows at which a scrim is solved: every 32nd width, both sides of
// every change of rules, the named ones; at both ends and the middle of the
// heights where the box depends on them. What lies between is verified after.
func (s *solver) comb(box plan.BoxID) []size {
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
	heights := all[:1]
	if !s.plan.AnyHeight(box) {
		heights = append([]int{all[0], all[len(all)/2], all[len(all)-1]},
			s.plan.All()[box].HeightEnds(s.plan.Heights)...)
		slices.Sort(heights)
	}
	var out []size
	for _, h := range slices.Compact(heights) {
		for _, w := range widths {
			out = append(out, size{w, h})
		}
	}
	for _, v := range s.plan.Named {
		out = append(out, size{int(v.Width), int(v.Height)})
	}
	return out
}

// legible is how well the text area that is read worst can be read at a window.
type legible struct{ has, needs float64 }

// over is 1 or more where it can be read; without text it is endless.
func (r legible) over() float64 { return r.has / r.needs }

// short measures the text area of a box that falls most short of its contrast.
func (s *solver) short(box plan.BoxID, at size) legible { return s.shortAt(box, at, check.Small) }

// shortAt is short of a box that is painted at a scale.
func (s *solver) shortAt(box plan.BoxID, at size, scale float64) legible {
	spreads := s.reading().At(box, at.w, at.h, scale)
	worst := legible{math.Inf(1), 1}
	for _, sp := range spreads {
		if r := (legible{sp.Low, sp.Need}); r.over() < worst.over() {
			worst = r
		}
	}
	return worst
}

// worstWindow returns the window at which text is read worst.
func (s *solver) worstWindow(box plan.BoxID, comb []size) (size, legible) {
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
func (s *solver) trueWorst(box plan.BoxID, comb []size) (size, legible) {
	const looked = 6
	list := slices.Clone(comb)
	small := map[size]float64{}
	found := make([]legible, len(comb))
	work.Each(len(comb), func(i int) { found[i] = s.short(box, comb[i]) })
	for i, w := range comb {
		small[w] = found[i].over()
	}
	slices.SortStableFunc(list, func(a, b size) int { return cmp.Compare(small[a], small[b]) })
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
func (s *solver) unreadable(box plan.BoxID) bool { return s.reading().Unreadable(box) }

// reading measures texts where the solver's block declares the images.
func (s *solver) reading() *check.Texts {
	if s.rule == nil {
		return s.texts
	}
	return s.texts.Of(*s.rule)
}

// sides returns the side of the box that text lies at and how far it reaches from
// there at the worst window, per cent; ok is false where text spans the box.
func (s *solver) sides(box plan.BoxID, comb []size) (side string, reach int, ok bool) {
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

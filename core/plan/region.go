package plan

import (
	"slices"
	"sync"

	"tourmaline/core/css"
	"tourmaline/core/source"
	"tourmaline/core/window"
)

// Combination is a set of a box's rules that hold together in some window, what the box is like there, and the
// region of these windows.
type Combination struct {
	window.Region
	Values *Values
}

// regions are the combinations of a box, computed when somebody first asks.
type regions struct {
	once sync.Once
	list []Combination
	err  error
}

// Combinations are those of the box's rules, by rising rules. Their windows are all that there are, once each.
func (b *Box) Combinations() []Combination {
	list, err := b.cut()
	if err != nil {
		panic("plan: " + err.Error())
	}
	return list
}

func (b *Box) cut() ([]Combination, error) {
	r := b.regions
	r.once.Do(func() {
		queries := make([]*window.Query, len(b.Rules))
		for i := range b.Rules {
			queries[i] = &b.Rules[i].Media.Query
		}
		of, err := window.Regions(queries)
		if e, ok := err.(*source.LimitError); ok {
			e.Span = b.Span
		}
		r.err = err
		for _, x := range of {
			r.list = append(r.list, Combination{x, b.must(x.Rules)})
		}
	})
	return r.list, r.err
}

// Holding is what the box is like where some of its rules hold and no others.
func (b *Box) Holding(rules uint64) *Values { return b.must(rules) }

// ModeShare is the share of the visitors who have some modes on, and the others of those asked off, as if each were
// chosen for itself.
func (p *Plan) ModeShare(on, asked window.Modes) float64 {
	share := 1.0
	for _, m := range asked.Each() {
		s, ok := p.Modes[m.Bit]
		if !ok {
			s = m.Share
		}
		if on&m.Bit == 0 {
			s = 1 - s
		}
		share *= s
	}
	return share
}

// Looks are what the box is like in its regions, each once.
func (b *Box) Looks() []*Values {
	list := b.Combinations()
	out := make([]*Values, len(list))
	for i := range list {
		out[i] = list[i].Values
	}
	return out
}

// HeightEnds are the heights in a range on both sides of which other rules hold: the last of one and the first of
// the next, rising.
func (b *Box) HeightEnds(within [2]int) (out []int) {
	for _, r := range b.Combinations() {
		for _, c := range r.Cells {
			for _, h := range []int{c.Heights[0] - 1, c.Heights[0], c.Heights[1], c.Heights[1] + 1} {
				if h >= within[0] && h <= within[1] {
					out = append(out, h)
				}
			}
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// WidthEnds are the widths of a range from which on other rules of the box hold than before, settled positions apart,
// in windows of either of two heights, rising.
func (b *Box) WidthEnds(within, heights [2]int) (out []int) {
	for i := range b.Rules {
		if b.Rules[i].derived() {
			continue
		}
		own, err := window.Regions([]*window.Query{&b.Rules[i].Media.Query})
		if err != nil {
			continue // the box has more
		}
		for _, r := range own {
			for _, c := range r.Cells {
				for _, h := range heights {
					v, ok := c.Narrowest(window.Within(within, [2]int{h, h}))
					if w := int(v.Width); ok && w > within[0] {
						out = append(out, w)
					}
				}
			}
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// AnyHeight reports whether windows of any height show the box in the same sizes, painted the same: no rule asks for
// the height, no length is of it, and nothing lies against the window. Where it lies on the page may depend on the
// boxes above it.
func (p *Plan) AnyHeight(id BoxID) bool {
	b := p.all[id]
	return b.Role == Row && b.anyHeight() && (p.Page == nil || p.Page.anyHeight())
}

func (b *Box) anyHeight() bool {
	return !b.Asks(window.Height) && !slices.ContainsFunc(b.Looks(), (*Values).ofWindowHeight)
}

// ofWindowHeight reports whether the height of the window enters anything that is seen of the box.
func (v *Values) ofWindowHeight() bool {
	if bends(v.Steps) || bends(v.Widths) || v.Offset != nil && bends(v.Offset.Left) || v.Style.OfWindowHeight() {
		return true
	}
	return slices.ContainsFunc(v.sizes[:], func(z *Size) bool { return z != nil && z.Len.OfWindowHeight() }) ||
		slices.ContainsFunc(v.layers, func(l Painted) bool {
			return l.OfWindowHeight() || l.Plan.Filters.OfWindowHeight()
		}) || slices.ContainsFunc(v.Text, func(t TextArea) bool { return t.ofWindowHeight() })
}

func (t *TextArea) ofWindowHeight() bool {
	return slices.ContainsFunc(t.Places, func(p TextPlace) bool { return p.Low != p.High }) ||
		slices.ContainsFunc(t.Edges[:], func(e *css.Num) bool { return e != nil && e.OfWindowHeight() })
}

// bends reports whether a measured length is another one in windows of another height.
func bends(steps []Step) bool {
	return slices.ContainsFunc(steps, func(s Step) bool { return len(s.Bends) > 0 })
}

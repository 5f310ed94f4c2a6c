package sheet

import (
	"slices"

	"tourmaline/core/plan"
	"tourmaline/core/window"
)

// steps are what chooses files by the size of the window: what holds first, and rules after it.
type steps struct {
	comment string
	images  []decl
	size    decl
	rules   []rule
}

// steps are those of a block, with the sizes of the images or without. Each range of widths says what holds from
// there on; where taller windows need other files a rule more follows.
func (c *look) steps(k *block, sizes bool, fetching []plan.Viewport) *steps {
	reach := reach{c.plan, k.serves}
	layers, start := c.parts[k.element], reach.start()
	ranges := c.ranges(layers, start, reach)
	out := &steps{}
	first := slices.Clone(ranges[0][0].decls)
	out.images, out.size = first[:len(first)-1], first[len(first)-1]
	for n, states := range ranges {
		for i := range states {
			s := &states[i]
			comment := c.serves(layers, s, states, fetching)
			if n == 0 && i == 0 {
				out.comment = comment // the rule before says it
				continue
			}
			out.rules = append(out.rules, rule{media: []string{s.query(start)}, comment: comment,
				decls: s.decls})
		}
	}
	// A size that never changes is said once.
	seen := map[string]bool{}
	for _, states := range ranges {
		for _, s := range states {
			seen[s.decls[len(s.decls)-1].value] = true
		}
	}
	if len(seen) == 1 || !sizes {
		for i := range out.rules {
			out.rules[i].decls = out.rules[i].decls[:len(out.rules[i].decls)-1]
		}
	}
	for name := range out.images {
		out.images[name].value += c.important("background-image")
	}
	out.size.value += c.important("background-size")
	for i := range out.rules {
		out.rules[i].decls = slices.Clone(out.rules[i].decls)
		for n := range out.rules[i].decls {
			d := &out.rules[i].decls[n]
			d.value += c.important(d.name)
		}
	}
	return out
}

// important is what stands behind a value that the plan says is.
func (c *look) important(name string) string {
	if c.at.Style.Important(name) {
		return " !important"
	}
	return ""
}

// ranges are the ranges of widths in which other files are chosen, each with its states.
func (c *look) ranges(layers []int, start float64, reach reach) (out [][]state) {
	overs := []float64{start}
	for _, i := range layers {
		for _, u := range c.urls(i) {
			for _, b := range c.ladders[u].Bands {
				if b.Over > start && !slices.Contains(overs, b.Over) {
					overs = append(overs, b.Over)
				}
			}
		}
	}
	slices.Sort(overs)
	for k, over := range overs {
		to := 0.0
		if k+1 < len(overs) {
			to = overs[k+1]
		}
		if k > 0 && !reach.widths(over, to) {
			continue
		}
		states := c.statesAt(layers, over, to, reach)
		if n := len(out); n > 0 && slices.EqualFunc(out[n-1], states, func(a, b state) bool { return a.same(&b) }) {
			for i := range out[n-1] {
				out[n-1][i].to = to
			}
			continue
		}
		out = append(out, states)
	}
	return out
}

// reach is the windows of some regions.
type reach struct {
	plan    *plan.Plan
	regions []*region
}

// meets reports whether any of the windows lies in ranges of widths and heights.
func (r reach) meets(widths, heights [2]int) bool {
	return slices.ContainsFunc(r.regions, func(g *region) bool { return g.Meets(window.Within(widths, heights)) })
}

// start is the width before the smallest of the windows, of those of the plan where it has some.
func (r reach) start() float64 {
	least := func(heights [2]int, from, to int) int {
		out := to + 1
		for _, g := range r.regions {
			for i := range g.Cells {
				if v, ok := g.Cells[i].Narrowest(window.Within([2]int{from, min(out, to)}, heights)); ok {
					out = min(out, int(v.Width))
				}
			}
		}
		return out
	}
	if r.meets([2]int{1, 1}, [2]int{1, window.MaxSide}) {
		return 0
	}
	from := least(r.plan.Heights, r.plan.Widths[0], r.plan.Widths[1])
	if from > r.plan.Widths[1] {
		from = least([2]int{1, window.MaxSide}, 1, window.MaxSide)
	}
	return float64(from - 1)
}

// widths reports whether any of the windows is wider than over, and not wider than to (0: no end).
func (r reach) widths(over, to float64) bool {
	end := int(to)
	if to == 0 {
		end = window.MaxSide
	}
	return r.meets([2]int{int(over) + 1, end}, [2]int{1, window.MaxSide})
}

// above reports whether any of the windows is taller than a height, as far as the plan goes.
func (r reach) above(height float64) bool {
	return r.meets([2]int{1, window.MaxSide}, [2]int{int(height) + 1, max(r.plan.Heights[1], int(height)+1)})
}

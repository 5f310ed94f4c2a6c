package window

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"tourmaline/core/source"
)

// Cut is a place between two numbers: before a value, or after it.
type Cut struct {
	At    float64
	After bool
}

// below reports whether a number lies below the cut.
func (c Cut) below(x float64) bool { return x < c.At || c.After && x == c.At }

func compareCuts(a, b Cut) int {
	if d := cmp.Compare(a.At, b.At); d != 0 || a.After == b.After {
		return d
	}
	if a.After {
		return 1
	}
	return -1
}

// Span is the numbers between two cuts.
type Span struct{ From, To Cut }

// everything is a span of all numbers.
var everything = Span{Cut{math.Inf(-1), false}, Cut{math.Inf(1), true}}

// Holds reports whether a number lies in the span.
func (s Span) Holds(x float64) bool { return !s.From.below(x) && s.To.below(x) }

// Cell is windows of which the same rules hold: whole widths and heights, both ends included, ratios,
// densities, and modes. Of the modes in Asked those in Modes are on, and the others are off.
type Cell struct {
	Widths, Heights [2]int
	Ratios          Span
	Densities       Span
	Modes, Asked    Modes
	curves          []curve
}

// curve is a condition that compares the window with a length of the window: its answer is the same in
// all of a cell.
type curve struct {
	of   *Condition
	want Truth
}

// Region is one combination of rules, by a bit each, with the windows in which those hold and no others.
type Region struct {
	Rules uint64
	Cells []Cell
}

// What bounds the work on hostile plans: parts of the windows, and combinations of rules.
const (
	maxCells   = 20_000
	maxRegions = 1000
)

// universe is all windows.
func universe() Cell {
	return Cell{Widths: [2]int{1, MaxSide}, Heights: [2]int{1, MaxSide}, Ratios: everything, Densities: everything}
}

// Regions are the combinations of rules that some window has, in the order of their bits: bit i is set where
// query i holds. Their cells cover all windows of whole px once. An error is a *source.LimitError.
func Regions(rules []*Query) ([]Region, error) {
	type piece struct {
		Cell
		rules uint64
	}
	pieces := []piece{{universe(), 0}}
	for i, q := range rules {
		var next []piece
		for _, p := range pieces {
			yes, no := p.Cell.by(*q)
			for _, c := range yes {
				next = append(next, piece{c, p.rules | 1<<i})
			}
			for _, c := range no {
				next = append(next, piece{c, p.rules})
			}
		}
		if pieces = next; len(pieces) > maxCells {
			return nil, &source.LimitError{Msg: fmt.Sprintf("the conditions cut the windows into more than %d parts",
				maxCells), Hint: "write fewer conditions that overlap"}
		}
	}
	var out []Region
	at := map[uint64]int{}
	for _, p := range pieces {
		k, ok := at[p.rules]
		if !ok {
			k = len(out)
			at[p.rules] = k
			out = append(out, Region{Rules: p.rules})
		}
		out[k].Cells = append(out[k].Cells, p.Cell)
	}
	if len(out) > maxRegions {
		return nil, &source.LimitError{
			Msg:  fmt.Sprintf("the conditions hold together in more than %d ways", maxRegions),
			Hint: "write fewer conditions that overlap"}
	}
	slices.SortFunc(out, func(a, b Region) int { return cmp.Compare(a.Rules, b.Rules) })
	return out, nil
}

// by divides a cell into parts in which a query holds, and others.
func (c Cell) by(q Query) (yes, no []Cell) {
	var cuts [4][]Cut
	var curves []*Condition
	q.Each(func(x *Condition) {
		if x.Op != Compare {
			return
		}
		if x.Of != nil {
			curves = append(curves, x)
			return
		}
		switch x.Cmp {
		case Less, AtLeast:
			cuts[x.Axis] = append(cuts[x.Axis], Cut{x.Value, false})
		case AtMost, More:
			cuts[x.Axis] = append(cuts[x.Axis], Cut{x.Value, true})
		default:
			cuts[x.Axis] = append(cuts[x.Axis], Cut{x.Value, false}, Cut{x.Value, true})
		}
	})
	parts := c.modesBy(q.Modes())
	parts = divided(parts, func(c *Cell) []Cell {
		return eachOf(c, spansBy(c.Densities, cuts[Density]), func(o *Cell, s Span) { o.Densities = s })
	})
	parts = divided(parts, func(c *Cell) []Cell {
		return eachOf(c, rangesBy(c.Heights, cuts[Height]), func(o *Cell, r [2]int) { o.Heights = r })
	})
	parts = divided(parts, func(c *Cell) []Cell {
		return eachOf(c, rangesBy(c.Widths, cuts[Width]), func(o *Cell, r [2]int) { o.Widths = r })
	})
	parts = divided(parts, func(c *Cell) []Cell {
		return eachOf(c, spansBy(c.Ratios, cuts[Ratio]), func(o *Cell, s Span) { o.Ratios = s })
	})
	parts = divided(parts, func(c *Cell) []Cell { return c.curvesBy(curves) })
	for _, one := range parts {
		if len(one.curves) == 0 { // with them, whether any window is so takes long to know: it does no harm
			if _, ok := one.Some(universe()); !ok {
				continue
			}
		}
		if one.answer(q) {
			yes = join(yes, one)
		} else {
			no = join(no, one)
		}
	}
	return yes, no
}

// divided are all parts of cells.
func divided(cells []Cell, by func(*Cell) []Cell) (out []Cell) {
	for i := range cells {
		out = append(out, by(&cells[i])...)
	}
	return out
}

// eachOf are copies of a cell, each with another value.
func eachOf[T any](c *Cell, values []T, set func(*Cell, T)) (out []Cell) {
	for _, v := range values {
		one := *c
		set(&one, v)
		out = append(out, one)
	}
	return out
}

// answer is a query's answer in all of a cell, which its conditions do not divide.
func (c *Cell) answer(q Query) bool {
	numbers := [4]float64{float64(c.Widths[0]), float64(c.Heights[0]), c.Ratios.some(), c.Densities.Density()}
	var of func(x *Condition) Condition
	of = func(x *Condition) Condition {
		known := Condition{Op: Constant}
		switch x.Op {
		case Compare:
			if known.Truth = truth(x.Cmp.holds(numbers[x.Axis], x.Value)); x.Of != nil {
				for _, k := range c.curves {
					if k.of == x {
						known.Truth = k.want
					}
				}
			}
		case Word:
			known.Truth = x.word(c.Modes)
		case Screen:
			known.Truth = truth(c.Modes&Print == 0)
		default:
			known = *x
			known.Args = nil
			for i := range x.Args {
				known.Args = append(known.Args, of(&x.Args[i]))
			}
		}
		return known
	}
	for i := range q {
		if known := of(&q[i]); known.At(nil) == Yes {
			return true
		}
	}
	return len(q) == 0
}

// some is a number of a span.
func (s Span) some() float64 {
	switch lo, hi := s.From.At, s.To.At; {
	case math.IsInf(lo, -1) && math.IsInf(hi, 1):
		return 1
	case math.IsInf(lo, -1):
		if s.To.After {
			return hi
		}
		return hi / 2
	case math.IsInf(hi, 1):
		return 2*lo + 1
	case lo == hi:
		return lo
	default:
		return (lo + hi) / 2
	}
}

// join adds a cell to others, as one with the last where both differ in one range alone and touch.
func join(to []Cell, c Cell) []Cell {
	for n := len(to); n > 0; n = len(to) {
		joined, ok := to[n-1].with(c)
		if !ok {
			break
		}
		to, c = to[:n-1], joined
	}
	return append(to, c)
}

func (c Cell) with(o Cell) (Cell, bool) {
	if c.Asked != o.Asked || c.Modes != o.Modes || !slices.Equal(c.curves, o.curves) {
		return c, false
	}
	w, h, r, d := c.Widths == o.Widths, c.Heights == o.Heights, c.Ratios == o.Ratios, c.Densities == o.Densities
	switch {
	case h && r && d && c.Widths[1]+1 == o.Widths[0]:
		c.Widths[1] = o.Widths[1]
	case w && r && d && c.Heights[1]+1 == o.Heights[0]:
		c.Heights[1] = o.Heights[1]
	case w && h && d && c.Ratios.To == o.Ratios.From:
		c.Ratios.To = o.Ratios.To
	case w && h && r && c.Densities.To == o.Densities.From:
		c.Densities.To = o.Densities.To
	default:
		return c, false
	}
	return c, true
}

// modesBy are the parts of a cell in which modes are on or off.
func (c Cell) modesBy(asked Modes) []Cell {
	more := asked &^ c.Asked
	var out []Cell
	for _, m := range more.Subsets() {
		if one := c; (one.Modes | m).Possible() {
			one.Asked |= more
			one.Modes |= m
			out = append(out, one)
		}
	}
	return out
}

// spansBy are the parts of a span between cuts, rising.
func spansBy(s Span, cuts []Cut) []Span {
	slices.SortFunc(cuts, compareCuts)
	var out []Span
	for _, c := range cuts {
		if compareCuts(c, s.From) > 0 && compareCuts(c, s.To) < 0 {
			out = append(out, Span{s.From, c})
			s.From = c
		}
	}
	return append(out, s)
}

// rangesBy are the parts of a range of whole numbers between cuts, rising.
func rangesBy(r [2]int, cuts []Cut) [][2]int {
	slices.SortFunc(cuts, compareCuts)
	var out [][2]int
	for _, c := range cuts {
		if first := c.next(); first > r[0] && first <= r[1] {
			out = append(out, [2]int{r[0], first - 1})
			r[0] = first
		}
	}
	return append(out, r)
}

// next is the first whole number above a cut.
func (c Cut) next() int {
	v := math.Ceil(c.At)
	if c.After && v == c.At {
		v++
	}
	return int(min(max(v, -MaxSide), 2*MaxSide))
}

// curvesBy are the answers that curves may give in a cell.
func (c Cell) curvesBy(of []*Condition) []Cell {
	out := []Cell{c}
	for _, x := range of {
		var next []Cell
		for _, o := range out {
			for _, want := range []Truth{No, Yes} {
				one := o
				one.curves = append(slices.Clone(o.curves), curve{x, want})
				next = append(next, one)
			}
		}
		out = next
	}
	return out
}

// usual are densities that stand for a span, the most usual first.
var usual = []float64{1, 2, 3, 1.5, 1.25, 4, 0.75, 0.5}

// Density is one that lies in a span: of those that are preferred, else a usual one.
func (s Span) Density(preferred ...float64) float64 {
	for _, d := range slices.Concat(preferred, usual) {
		if s.Holds(d) {
			return d
		}
	}
	lo, hi := max(s.From.At, 0.1), min(s.To.At, 10)
	if d := (lo + hi) / 2; s.Holds(d) {
		return d
	}
	return lo
}

// Some is a window of the cell within another; ok is false where there is none.
func (c *Cell) Some(within Cell) (w Window, ok bool) {
	c.each(within, func(v Window) bool { w, ok = v, true; return false })
	return w, ok
}

// Narrowest is one of the narrowest windows of the cell within another; ok is false where there is none.
func (c *Cell) Narrowest(within Cell) (w Window, ok bool) {
	m := c.meet(within)
	if _, any := m.Some(within); !any {
		return w, false
	}
	for at := m.Widths[0]; at <= m.Widths[1]; at++ {
		within.Widths = [2]int{at, at}
		if w, ok = m.Some(within); ok {
			return w, true
		}
	}
	return w, false
}

// meet is what two cells have in common, but for curves of the other.
func (c Cell) meet(o Cell) Cell {
	c.Widths = [2]int{max(c.Widths[0], o.Widths[0]), min(c.Widths[1], o.Widths[1])}
	c.Heights = [2]int{max(c.Heights[0], o.Heights[0]), min(c.Heights[1], o.Heights[1])}
	if compareCuts(o.Ratios.From, c.Ratios.From) > 0 {
		c.Ratios.From = o.Ratios.From
	}
	if compareCuts(o.Ratios.To, c.Ratios.To) < 0 {
		c.Ratios.To = o.Ratios.To
	}
	return c
}

// each gives f windows of the cell that lie within another until f says no: those at the four corners first,
// where the cell is a rectangle the only ones.
func (c *Cell) each(within Cell, f func(Window) bool) {
	m := c.meet(within)
	if m.Widths[0] > m.Widths[1] || m.Heights[0] > m.Heights[1] {
		return
	}
	v := Window{Density: c.Densities.Density(), Modes: c.Modes}
	if m.Ratios == everything && len(m.curves) == 0 {
		for _, h := range m.Heights {
			for _, w := range m.Widths {
				if v.Width, v.Height = float64(w), float64(h); !f(v) {
					return
				}
			}
		}
		return
	}
	at := func(w int) bool { // whether to go on
		lo, hi := m.heightsAt(w)
		if lo > hi {
			return true
		}
		heights := []int{lo, hi}
		for i := 1; i < 16 && len(m.curves) > 0; i++ {
			heights = append(heights, lo+(hi-lo)*i/16)
		}
		for _, h := range heights {
			v.Width, v.Height = float64(w), float64(h)
			if m.curved(&v) && !f(v) {
				return false
			}
		}
		return true
	}
	for _, w := range []int{m.Widths[0], m.Widths[1], (m.Widths[0] + m.Widths[1]) / 2} {
		if !at(w) {
			return
		}
	}
	for w := m.Widths[0] + 1; w < m.Widths[1]; w++ {
		if !at(w) {
			return
		}
	}
}

// heightsAt are the heights of a cell at a width.
func (c *Cell) heightsAt(width int) (lo, hi int) {
	lo, hi = c.Heights[0], c.Heights[1]
	w := float64(width)
	if to := c.Ratios.To.At; !math.IsInf(to, 1) && to > 0 {
		lo = max(lo, int(math.Floor(w/to))-1)
	} else if to <= 0 {
		return 1, 0
	}
	if from := c.Ratios.From.At; from > 0 {
		hi = min(hi, int(math.Ceil(w/from))+1)
	}
	for lo <= hi && !c.Ratios.Holds(w/float64(lo)) {
		lo++
	}
	for lo <= hi && !c.Ratios.Holds(w/float64(hi)) {
		hi--
	}
	return lo, hi
}

func (c *Cell) curved(w *Window) bool {
	return !slices.ContainsFunc(c.curves, func(x curve) bool { return x.of.At(w) != x.want })
}

// Holds reports whether a window lies in the cell.
func (c *Cell) Holds(w *Window) bool {
	return w.Width >= float64(c.Widths[0]) && w.Width <= float64(c.Widths[1]) && w.Height >= float64(c.Heights[0]) &&
		w.Height <= float64(c.Heights[1]) && c.Ratios.Holds(w.Width/w.Height) && c.Densities.Holds(w.number(Density)) &&
		w.Modes&c.Asked == c.Modes && c.curved(w)
}

// Within is all windows of ranges of widths and heights.
func Within(widths, heights [2]int) Cell {
	c := universe()
	c.Widths, c.Heights = widths, heights
	return c
}

// Corners are windows at the corners of the region within ranges of widths and heights, at each of the
// densities that it holds, or one that it does.
func (r *Region) Corners(within Cell, densities []float64) (out []Window) {
	for i := range r.Cells {
		c := &r.Cells[i]
		var at []float64
		for _, d := range densities {
			if c.Densities.Holds(d) {
				at = append(at, d)
			}
		}
		if at == nil {
			at = []float64{c.Densities.Density()}
		}
		n := 0
		c.each(within, func(w Window) bool {
			for _, w.Density = range at {
				if !slices.Contains(out, w) {
					out = append(out, w)
				}
			}
			n++
			return n < mostCorners
		})
	}
	return out
}

// mostCorners is how many windows stand for a cell: the corners of a rectangle, and as many at the ends of
// curves.
const mostCorners = 6

// Meets reports whether any window of the region lies within ranges of widths and heights.
func (r *Region) Meets(within Cell) bool {
	return slices.ContainsFunc(r.Cells, func(c Cell) bool { _, ok := c.Some(within); return ok })
}

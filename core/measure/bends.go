package measure

import (
	"context"
	"fmt"
	"math"
	"slices"
)

// Bends are how the left, the top, the width and the height of a box hang on the window's height: heights with
// lengths, straight lines between; nil of a side that is the same in all.
type Bends [4][][2]float64

// Tall is a page in windows of all heights between two: at each width that is known, boxes lie on straight lines
// between bends.
type Tall struct {
	Low, High *Measured
	bends     map[int][]Answer // by width: what was asked, by height, rising
	common    []int            // widths that are known of both, and that straight lines need in one of them
	held      map[[2]int]bool  // neighbours that were held against the browser between
	Asked     int
}

// RunTall measures a page in the windows of a height, in those of a larger height, and, for boxes that are not the
// same in both, between them, until straight lines hold within half a px.
func RunTall(ctx context.Context, ask Asker, o Options, high int) (*Tall, error) {
	low, err := Run(ctx, ask, o)
	if err != nil {
		return nil, err
	}
	t := &Tall{Low: low, bends: map[int][]Answer{}, held: map[[2]int]bool{}}
	if high <= o.Height {
		return t, nil
	}
	o.Height = high
	o.Most = low.Options.Most
	o.Cuts = nil
	o.Also = low.kept()
	if t.High, err = Run(ctx, ask, o); err != nil {
		return nil, err
	}
	t.common = t.High.kept()
	for _, w := range o.Also {
		if !slices.Contains(t.common, w) {
			t.common = append(t.common, w)
		}
	}
	slices.Sort(t.common)
	var more []int
	for _, w := range t.common {
		if !low.has(w) {
			more = append(more, w)
		}
	}
	if err := low.ask(ctx, ask, more); err != nil {
		return nil, err
	}
	if err := t.bend(ctx, ask); err != nil {
		return nil, err
	}
	low.Asked += t.High.Asked + t.Asked
	low.Whole = low.Whole && t.High.Whole && t.Asked < mostBends
	return t, nil
}

// Beside is how far boxes lie from those of the lowest windows at the widths that straight lines need, CSS px:
// what a browser rounds otherwise that draws another density.
func (t *Tall) Beside(ctx context.Context, ask Asker) (float64, error) {
	var windows []Window
	for _, w := range t.Low.kept() {
		windows = append(windows, Window{w, t.Low.Height})
	}
	got, err := ask(ctx, windows)
	if err != nil {
		return 0, err
	}
	if len(got) != len(windows) {
		return 0, fmt.Errorf("the browser answered for %d of %d windows", len(got), len(windows))
	}
	t.Low.Asked += len(got)
	off := 0.0
	for i := range got {
		off = max(off, deviation(&got[i], t.Low.known(got[i].Window.Width)))
	}
	return off, nil
}

func (m *Measured) has(width int) bool {
	_, found := slices.BinarySearchFunc(m.Answers, width, func(a Answer, w int) int { return a.Window.Width - w })
	return found
}

// Most windows between the lowest and the highest that are asked for.
const mostBends = 1600

// bend asks between the lowest and the highest window, at the widths that straight lines cannot do without.
func (t *Tall) bend(ctx context.Context, ask Asker) error {
	if t.Low.Bend == nil {
		return nil
	}
	var widths []int
	for _, w := range t.common {
		if a, b := t.Low.known(w), t.High.known(w); t.moves(a, b) {
			widths = append(widths, w)
		} else {
			t.bends[w] = []Answer{*a, *b}
		}
	}
	for len(widths) > 0 && t.Asked < mostBends {
		if err := t.straighten(ctx, ask, widths); err != nil {
			return err
		}
		for _, w := range widths {
			t.learn(w)
		}
		// Where neighbours bend differently often, one between them says where that begins.
		var err error
		if widths, err = t.open(ctx, ask); err != nil {
			return err
		}
	}
	return nil
}

// open are widths between known ones that bend differently often, or between which bends do not move on straight
// lines.
func (t *Tall) open(ctx context.Context, ask Asker) (out []int, err error) {
	known := t.widths()
	var checks []Window
	var sides [][2]int
	for n := 1; n < len(known); n++ {
		a, b := known[n-1], known[n]
		switch middle := (a + b) / 2; {
		case b-a < 2 || t.held[[2]int{a, b}]:
		case !t.alike(a, b):
			out = append(out, middle)
		default:
			for i := range t.Low.Selectors {
				p, q := t.Bends(i, a), t.Bends(i, b)
				for side := range p {
					for k := 1; k < len(p[side])-1; k++ {
						w := Window{middle, int((p[side][k][0] + q[side][k][0]) / 2)}
						if !slices.Contains(checks, w) && len(checks) < mostBends {
							checks, sides = append(checks, w), append(sides, [2]int{a, b})
						}
					}
				}
			}
			t.held[[2]int{a, b}] = true
		}
	}
	if len(checks) == 0 {
		return out, nil
	}
	got, err := ask(ctx, checks)
	if err != nil {
		return nil, err
	}
	t.Asked += len(checks)
	for n, a := range got {
		if !slices.Contains(out, a.Window.Width) && t.off(&a, sides[n]) > tolerance {
			out = append(out, a.Window.Width)
		}
	}
	slices.Sort(out)
	return out, nil
}

// off is how far boxes lie from where bends at two widths around have them, CSS px.
func (t *Tall) off(a *Answer, at [2]int) (off float64) {
	k := float64(a.Window.Width-at[0]) / float64(at[1]-at[0])
	for i := range a.Boxes {
		p, q := t.Bends(i, at[0]), t.Bends(i, at[1])
		for side := range p {
			for n := 1; n < len(p[side]); n++ {
				from := [2]float64{mix(p[side][n-1][0], q[side][n-1][0], k), mix(p[side][n-1][1], q[side][n-1][1], k)}
				to := [2]float64{mix(p[side][n][0], q[side][n][0], k), mix(p[side][n][1], q[side][n][1], k)}
				if h := float64(a.Window.Height); h >= from[0] && h <= to[0] && to[0] > from[0] {
					off = max(off, math.Abs(mix(from[1], to[1], (h-from[0])/(to[0]-from[0]))-a.Boxes[i].Border[side]))
				}
			}
		}
	}
	return off
}

// learn adds what was asked at a width to what is known of the lowest and the highest windows.
func (t *Tall) learn(w int) {
	list := t.bends[w]
	if t.Low.has(w) || len(list) < 2 {
		return
	}
	for _, m := range []*Measured{t.Low, t.High} {
		a := list[0]
		if m == t.High {
			a = list[len(list)-1]
		}
		m.Answers = append(m.Answers, a)
		slices.SortFunc(m.Answers, func(a, b Answer) int { return a.Window.Width - b.Window.Width })
	}
}

func (t *Tall) widths() (out []int) {
	for w := range t.bends {
		out = append(out, w)
	}
	slices.Sort(out)
	return out
}

// moves reports whether a box is not the same in the lowest and in the highest window.
func (t *Tall) moves(a, b *Answer) bool {
	for k := range a.Boxes {
		if t.apart(k, a.Boxes[k].Border, b.Boxes[k].Border) > tolerance {
			return true
		}
	}
	return false
}

// wanted reports whether a side of a box is wanted in windows of all heights.
func (t *Tall) wanted(box, side int) bool { return box < len(t.Low.Bend) && t.Low.Bend[box][side] }

// apart is how far the sides of a box that are wanted are apart.
func (t *Tall) apart(box int, a, b Rect) (off float64) {
	for i := range a {
		if t.wanted(box, i) {
			off = max(off, math.Abs(a[i]-b[i]))
		}
	}
	return off
}

// kept are the widths that some box's straight lines need, and the ends.
func (m *Measured) kept() []int {
	out := []int{m.Answers[0].Window.Width, m.Answers[len(m.Answers)-1].Window.Width}
	for i := range m.Selectors {
		for _, s := range m.samples(i) {
			out = append(out, s.Width)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// straighten asks at widths until boxes lie on straight lines over the heights.
func (t *Tall) straighten(ctx context.Context, ask Asker, widths []int) error {
	const probe = 16 // px from the ends: there the first and the last line show how they slope
	low, high := t.Low.Height, t.High.Height
	var next []Window
	for _, w := range widths {
		a, b := t.Low.at(w), t.High.at(w)
		t.bends[w] = nil
		if t.Low.has(w) {
			t.bends[w] = []Answer{a, b}
		} else {
			next = append(next, Window{w, low}, Window{w, high})
		}
		for _, h := range []int{low + probe, (low + high) / 2, high - probe} {
			if h > low && h < high {
				next = append(next, Window{w, h})
			}
		}
	}
	for round := 0; len(next) > 0 && round < 12; round++ {
		got, err := ask(ctx, next)
		if err != nil {
			return err
		}
		t.Asked += len(next)
		next = nil
		lines := map[Window]Answer{}
		for _, a := range got {
			if list := t.bends[a.Window.Width]; len(list) > 1 {
				lines[a.Window] = between(list, a.Window.Height)
			}
		}
		for _, a := range got {
			w := a.Window.Width
			t.bends[w] = append(t.bends[w], a)
			slices.SortFunc(t.bends[w], func(a, b Answer) int { return a.Window.Height - b.Window.Height })
		}
		for _, w := range widths {
			if round == 0 {
				next = append(next, t.corners(w)...)
				continue
			}
			next = append(next, t.bent(w, got, lines)...)
		}
		if round == 0 && len(next) == 0 { // straight at the probes; nothing bends
			break
		}
	}
	return nil
}

// between is on the straight line at a height.
func between(list []Answer, height int) Answer {
	i := slices.IndexFunc(list, func(a Answer) bool { return a.Window.Height >= height })
	switch {
	case i < 0:
		return list[len(list)-1]
	case i == 0 || list[i].Window.Height == height:
		return list[i]
	}
	a, b := &list[i-1], &list[i]
	k := float64(height-a.Window.Height) / float64(b.Window.Height-a.Window.Height)
	out := Answer{Window: Window{a.Window.Width, height}, Boxes: make([]Box, len(a.Boxes))}
	for n := range a.Boxes {
		out.Boxes[n].Border = mixRect(a.Boxes[n].Border, b.Boxes[n].Border, k)
	}
	return out
}

// corners are where the first and the last lines of boxes meet, if they do not lie on one.
func (t *Tall) corners(w int) (out []Window) {
	list := t.bends[w]
	if len(list) < 4 {
		return nil
	}
	n := len(list)
	h := func(i int) float64 { return float64(list[i].Window.Height) }
	add := func(at float64) {
		for _, v := range []int{int(math.Floor(at)), int(math.Floor(at)) + 1} {
			o := Window{w, v}
			if v > list[0].Window.Height && v < list[n-1].Window.Height && !slices.Contains(out, o) && len(out) < 24 &&
				!slices.ContainsFunc(list, func(a Answer) bool { return a.Window.Height == v }) {
				out = append(out, o)
			}
		}
	}
	for _, at := range []float64{h(0) + 1, h(0) + 7, h(n-1) - 8, h(n-1) - 2} { // the ends were not looked at between
		add(at)
	}
	for k := range list[0].Boxes {
		for side := range 4 {
			if !t.wanted(k, side) {
				continue
			}
			v := func(i int) float64 { return list[i].Boxes[k].Border[side] }
			first := (v(1) - v(0)) / (h(1) - h(0))
			last := (v(n-1) - v(n-2)) / (h(n-1) - h(n-2))
			if math.Abs(first-last) > 0.005 {
				add(h(0) + (v(n-1)-v(0)-last*(h(n-1)-h(0)))/(first-last))
			}
			// Lines of two heights that stop at both ends: where the middle one meets them.
			if middle := n / 2; math.Abs(v(middle)-(v(0)+(v(n-1)-v(0))*(h(middle)-h(0))/(h(n-1)-h(0)))) > tolerance {
				add((h(0) + h(middle)) / 2)
				add((h(middle) + h(n-1)) / 2)
			}
		}
	}
	return out
}

// bent are heights beside those that were just asked for and did not lie on the line.
func (t *Tall) bent(w int, got []Answer, lines map[Window]Answer) (out []Window) {
	list := t.bends[w]
	for _, a := range got {
		line, ok := lines[a.Window]
		if a.Window.Width != w || !ok {
			continue
		}
		off := 0.0
		for k := range a.Boxes {
			off = max(off, t.apart(k, a.Boxes[k].Border, line.Boxes[k].Border))
		}
		if off <= tolerance {
			continue
		}
		i := slices.IndexFunc(list, func(o Answer) bool { return o.Window == a.Window })
		for _, n := range []int{i - 1, i + 1} {
			if n < 0 || n >= len(list) {
				continue
			}
			at := Window{w, (list[n].Window.Height + a.Window.Height) / 2}
			if d := list[n].Window.Height - a.Window.Height; d*d > 1 && !slices.Contains(out, at) {
				out = append(out, at)
			}
		}
	}
	return out
}

// Bends is how a box of a selector hangs on the window's height at a known width.
func (t *Tall) Bends(i, width int) (out Bends) {
	list := t.bends[width]
	if len(list) < 2 {
		return out
	}
	for side := range out {
		if !t.wanted(i, side) {
			continue
		}
		var points [][2]float64
		for k := range list {
			points = append(points, [2]float64{float64(list[k].Window.Height), list[k].Boxes[i].Border[side]})
		}
		if line := lines(points); len(line) > 2 || math.Abs(line[0][1]-line[1][1]) > close {
			out[side] = line
		}
	}
	return out
}

// close is how far points may lie from a line that they are taken to lie on, CSS px.
const close = 0.05

// lines are the corners of the straight lines through points, which rise: two lines meet between the last point
// of the one and the first of the other.
func lines(points [][2]float64) [][2]float64 {
	at := func(p, q [2]float64, h float64) float64 { return p[1] + (q[1]-p[1])*(h-p[0])/(q[0]-p[0]) }
	var runs [][2]int // first and last point of each line
	for from := 0; from < len(points); {
		to := from
		for n := from + 1; n < len(points); n++ {
			if slices.ContainsFunc(points[from:n], func(o [2]float64) bool {
				return math.Abs(at(points[from], points[n], o[0])-o[1]) > close
			}) {
				break
			}
			to = n
		}
		runs = append(runs, [2]int{from, to})
		from = to + 1
	}
	out := [][2]float64{points[0]}
	for k := 1; k < len(runs); k++ {
		a, b := runs[k-1], runs[k]
		end, begin := points[a[1]], points[b[0]]
		if a[0] == a[1] || b[0] == b[1] { // a line of one point has no slope
			out = append(out, end, begin)
			continue
		}
		p, q := points[a[0]], points[b[1]]
		s1, s2 := (end[1]-p[1])/(end[0]-p[0]), (q[1]-begin[1])/(q[0]-begin[0])
		h := (begin[1] - end[1] + s1*end[0] - s2*begin[0]) / (s1 - s2)
		if !(h >= end[0]-0.5 && h <= begin[0]+0.5) { // a jump
			out = append(out, end, begin)
			continue
		}
		out = append(out, [2]float64{h, end[1] + s1*(h-end[0])})
	}
	out = append(out, points[len(points)-1])
	return slices.CompactFunc(out, func(a, b [2]float64) bool { return a == b })
}

// alike reports whether all boxes bend as often at two widths.
func (t *Tall) alike(a, b int) bool {
	for i := range t.Low.Selectors {
		p, q := t.Bends(i, a), t.Bends(i, b)
		for side := range p {
			if len(p[side]) != len(q[side]) {
				return false
			}
		}
	}
	return true
}

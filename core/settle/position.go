package settle

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"tourmaline/core/finding"
	"tourmaline/core/layout"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/work"
)

// view is what one viewport asks of a position, on both axes.
type view struct {
	w, h     int // the window; h counts in heights
	ok       [2]set
	shows    [2]set // without the wish to stay clear of text
	far      [2]line
	free     [2]float64
	tooLarge int // the axis on which keep is longer than the box; -1: it fits

	start, length, room [2]float64 // keep at 0%, and the box, CSS px
}

// seen is the share of keep in view at a position.
func (v *view) seen(at [2]float64) float64 {
	share := 1.0
	for x := range 2 {
		from := v.start[x] + at[x]*v.free[x]
		if v.length[x] > 0 {
			share *= max(min(from+v.length[x], v.room[x])-max(from, 0), 0) / v.length[x]
		}
	}
	return share
}

// margin of keep that may be cut, as check allows: of its length.
const keepSlack = 0.0002

// viewOf computes the positions that show keep at one viewport, from the same
// landing as everything else.
func viewOf(f *layout.Frame, p *place.Placed, l *plan.Layer) view {
	v := view{tooLarge: -1}
	d := &p.Landing
	origin := [2]float64{d.Area.X - d.Paint.X, d.Area.Y - d.Paint.Y}
	size, room, area := [2]float64{d.Size.X, d.Size.Y}, [2]float64{d.Paint.W, d.Paint.H}, [2]float64{d.Area.W, d.Area.H}
	keep := [2][2]float64{{0.5, 0.5}, {0.5, 0.5}}
	if k := l.Keep; k != nil {
		keep = [2][2]float64{{k.X, k.X + k.W}, {k.Y, k.Y + k.H}}
	}
	focus := [2]float64{(keep[0][0] + keep[0][1]) / 2, (keep[1][0] + keep[1][1]) / 2}
	if l.Focus != nil {
		focus = [2]float64{l.Focus.X, l.Focus.Y}
	}
	for x := range 2 {
		free := area[x] - size[x]
		v.free[x] = free
		v.ok[x] = whole
		v.start[x], v.length[x], v.room[x] = origin[x]+keep[x][0]*size[x], (keep[x][1]-keep[x][0])*size[x], room[x]
		if l.Keep != nil {
			trim := keepSlack * (keep[x][1] - keep[x][0]) * size[x]
			a := origin[x] + keep[x][0]*size[x] + trim           // where keep begins at 0%
			b := room[x] - origin[x] - keep[x][1]*size[x] + trim // the room after it at 0%
			lo, hi := 0.0, 1.0
			switch {
			case math.Abs(free) < 1e-6:
				if a < 0 || b < 0 {
					v.ok[x] = nil
				}
			case free < 0:
				lo, hi = b/free, a/-free
			default:
				lo, hi = -a/free, b/free
			}
			if v.ok[x] != nil {
				lo, hi = max(lo, 0), min(hi, 1)
				if v.ok[x] = (set{{lo, hi}}); lo > hi {
					v.ok[x] = nil
				}
			}
			if (keep[x][1]-keep[x][0])*size[x] > room[x]+2*trim {
				v.tooLarge = x
			}
		}
		if room[x] > 0 {
			mid := freeMiddle(f, d, x)
			v.far[x] = line{(origin[x]+focus[x]*size[x])/room[x] - mid, free / room[x]}
		}
	}
	v.shows = v.ok
	if l.Avoid && l.Keep != nil {
		v.avoid(f, d, l.Keep)
	}
	return v
}

// freeMiddle is the middle of the part of the box, 0..1 on an axis, that texts
// which span most of the other axis leave free.
func freeMiddle(f *layout.Frame, d *place.Landing, x int) float64 {
	free := whole
	for i := range f.At.Text {
		t := f.TextRect(&f.At.Text[i]).Intersect(d.Paint)
		along, across := [2]float64{(t.X - d.Paint.X) / d.Paint.W, (t.Right() - d.Paint.X) / d.Paint.W}, t.H/d.Paint.H
		if x == 1 {
			along, across = [2]float64{(t.Y - d.Paint.Y) / d.Paint.H, (t.Bottom() - d.Paint.Y) / d.Paint.H}, t.W/d.Paint.W
		}
		if across >= 0.6 {
			free = free.less(along[0], along[1])
		}
	}
	widest := interval{0, 1}
	for n, i := range free {
		if n == 0 || i.hi-i.lo > widest.hi-widest.lo {
			widest = i
		}
	}
	return (widest.lo + widest.hi) / 2
}

// avoid takes out positions at which keep lies under a text area, on the axis that
// has space to move in.
func (v *view) avoid(f *layout.Frame, d *place.Landing, k *plan.Region) {
	x := 0
	if math.Abs(v.free[1]) > math.Abs(v.free[0]) {
		x = 1
	}
	if math.Abs(v.free[x]) < 1e-6 {
		return
	}
	keep := layout.Rect{X: d.Area.X + k.X*d.Size.X, Y: d.Area.Y + k.Y*d.Size.Y, W: k.W * d.Size.X, H: k.H * d.Size.Y}
	if x == 0 { // the other axis does not move, or hardly: it is taken where it lands
		keep.Y = d.Origin.Y + k.Y*d.Size.Y
	} else {
		keep.X = d.Origin.X + k.X*d.Size.X
	}
	for i := range f.At.Text {
		t := f.TextRect(&f.At.Text[i])
		lo, hi := t.X-keep.W-keep.X, t.Right()-keep.X // offsets of the picture at which they overlap
		apart := keep.Bottom() <= t.Y || keep.Y >= t.Bottom()
		if x == 1 {
			lo, hi = t.Y-keep.H-keep.Y, t.Bottom()-keep.Y
			apart = keep.Right() <= t.X || keep.X >= t.Right()
		}
		if apart || t.W <= 0 || t.H <= 0 {
			continue
		}
		a, b := lo/v.free[x], hi/v.free[x]
		v.ok[x] = v.ok[x].less(min(a, b), max(a, b))
	}
}

// column is what all heights of one width ask together.
type column struct {
	w    int
	ok   [2]set
	any  bool // some height is held
	lost []int
}

// stretch is a range of widths with one position.
type stretch struct {
	from, to int
	at       [2]float64
	ok       [2]set
	far      float64
	farAt    plan.Viewport
}

// solvePosition settles one position: auto.
func (s *solver) solvePosition(o plan.OpenValue) (Choice, error) {
	c := Choice{Open: o, Box: o.Box.Name}
	l := &o.Box.Rules[o.Rule].Layers[o.Layer]
	views := s.views(o, l)
	if len(views) == 0 {
		c.Why = append(c.Why, "no window shows this layer")
		return c, nil
	}
	cols := columns(views, len(s.heights))
	breaks := s.breakpoints(o.Box)
	ranges := fewest(cols, breaks)
	if o.Rule > 0 && len(ranges) > 1 || len(ranges) > 1 && replaced(o.Box) {
		c.Why = append(c.Why, fmt.Sprintf("%d ranges of widths would be needed; a when block with its own layers takes one position, the middle of them", len(ranges)))
		ranges = []stretch{{from: ranges[0].from, to: ranges[len(ranges)-1].to, ok: [2]set{whole, whole}}}
	}
	for i := range ranges {
		ranges[i].choose(views, s.heights)
	}
	c.Value = write(ranges)
	set, lost := s.lost(cols)
	if l.Keep != nil {
		// What an open position is painted with, where it is a percentage.
		auto := [2]float64{l.CSS.Position.X.Offset.Val / 100, l.CSS.Position.Y.Offset.Val / 100}
		before, after := 1.0, 1.0
		for i := range views {
			before = min(before, views[i].seen(auto))
			for _, r := range ranges {
				if views[i].w >= r.from && views[i].w <= r.to {
					after = min(after, views[i].seen(r.at))
				}
			}
		}
		c.Before, c.After = fmt.Sprintf("%.0f%% of keep in view at worst", before*100), fmt.Sprintf("%.0f%%", after*100)
	}
	for i, r := range ranges {
		where := fmt.Sprintf("%d-%d px", r.from, r.to)
		why := fmt.Sprintf("%s: %s%% across and %s%% down", where, pct(r.at[0]), pct(r.at[1]))
		if l.Keep != nil {
			why += fmt.Sprintf("; keep is in view from %s across, %s down", span(r.ok[0]), span(r.ok[1]))
		}
		why += fmt.Sprintf("; the focus lands at most %.0f%% of the box from the middle of its free part (%s)", r.far*100, r.farAt)
		c.Why = append(c.Why, why)
		if i > 0 && slices.Contains(breaks, r.from) {
			c.Why = append(c.Why, fmt.Sprintf("%d px is a breakpoint of the plan", r.from))
		}
	}
	if len(ranges) > 1 {
		c.Why = append(c.Why, fmt.Sprintf("no single position does it: %d ranges are the fewest", len(ranges)))
	}
	if lost > 0 {
		c.Failed = true
		c.Lost = set
		c.Remedies = s.remedies(views, cols, l)
	}
	return c, nil
}

// replaced reports whether a when block has layers of its own.
func replaced(b *plan.Box) bool {
	return slices.ContainsFunc(b.Rules[1:], func(r plan.Rule) bool { return r.Layers != nil })
}

// views sweeps the windows at which the layer is the one that is shown. All open
// positions are swept together, once: writing a position moves no box.
func (s *solver) views(o plan.OpenValue, _ *plan.Layer) []view {
	key := func(o plan.OpenValue) string { return fmt.Sprint(o.Box.Name, "/", o.Rule, "/", o.Layer) }
	if v, ok := s.cache[key(o)]; ok {
		return v
	}
	var opens []plan.OpenValue
	for _, p := range s.plan.Opens() {
		if p.Kind == plan.OpenPosition {
			opens = append(opens, p)
		}
	}
	for i, all := range s.viewsOf(opens) {
		s.cache[key(opens[i])] = all
	}
	return s.cache[key(o)]
}

// viewsOf sweeps the windows for several layers at once.
func (s *solver) viewsOf(opens []plan.OpenValue) [][]view {
	boxes := make([]int, len(opens))
	for i, p := range opens {
		boxes[i] = s.index(p.Box)
	}
	rows := make([][][]view, len(s.heights))
	work.Each(len(s.heights), func(h int) {
		rows[h] = make([][]view, len(opens))
		var room layout.Room
		var p place.Placed
		for w := s.plan.Widths[0]; w <= s.plan.Widths[1]; w++ {
			vp := plan.Viewport{Width: float64(w), Height: float64(s.heights[h]), Density: s.densityAt(w)}
			pg := room.At(s.plan, vp, layout.Exact)
			for i, open := range opens {
				f := &pg.Frames[boxes[i]]
				l := &open.Box.Rules[open.Rule].Layers[open.Layer]
				at := slices.IndexFunc(f.At.Notes, func(n plan.Notes) bool { return n.Pos == l.Pos })
				if at < 0 {
					continue
				}
				if ok, err := place.Layer(&p, f, pg, at, 0, s.store); !ok || err != nil || p.Landing.Size.X <= 0 {
					continue
				}
				v := viewOf(f, &p, l)
				v.w, v.h = w, h
				rows[h][i] = append(rows[h][i], v)
			}
		}
	})
	out := make([][]view, len(opens))
	for i := range opens {
		for h := range rows {
			out[i] = append(out[i], rows[h][i]...)
		}
	}
	return out
}

// columns joins the heights of each width. Where not all can be held, the heights
// nearest to the middle of the range are held first.
func columns(views []view, heights int) []column {
	byWidth := map[int][]*view{}
	var widths []int
	for i := range views {
		v := &views[i]
		if byWidth[v.w] == nil {
			widths = append(widths, v.w)
		}
		byWidth[v.w] = append(byWidth[v.w], v)
	}
	slices.Sort(widths)
	out := make([]column, 0, len(widths))
	for _, w := range widths {
		c := column{w: w, ok: [2]set{whole, whole}}
		list := byWidth[w]
		slices.SortStableFunc(list, func(a, b *view) int { return abs(2*a.h-heights) - abs(2*b.h-heights) })
		for _, v := range list {
			x, y := c.ok[0].and(v.ok[0]), c.ok[1].and(v.ok[1])
			if len(x) == 0 || len(y) == 0 {
				c.lost = append(c.lost, v.h)
				// Under text rather than out of the box.
				x, y = c.ok[0].and(v.shows[0]), c.ok[1].and(v.shows[1])
				if len(x) > 0 && len(y) > 0 {
					c.ok, c.any = [2]set{x, y}, true
				}
				continue
			}
			c.ok, c.any = [2]set{x, y}, true
		}
		out = append(out, c)
	}
	return out
}

func abs(v int) int { return max(v, -v) }

// fewest divides the widths in the fewest ranges that each have a common position:
// a range that is as long as it can be never needs more ranges after it. Where a
// breakpoint of the plan lies in the room that a boundary has, it is taken.
func fewest(cols []column, breaks []int) []stretch {
	n := len(cols)
	// reach[i] is one past the last column of the longest range that begins at i.
	reach := func(i int) int {
		ok := [2]set{whole, whole}
		for k := i; k < n; k++ {
			if !cols[k].any {
				continue
			}
			x, y := ok[0].and(cols[k].ok[0]), ok[1].and(cols[k].ok[1])
			if len(x) == 0 || len(y) == 0 {
				return k
			}
			ok = [2]set{x, y}
		}
		return n
	}
	far := map[int]int{}
	reached := func(i int) int {
		if _, ok := far[i]; !ok {
			far[i] = reach(i)
		}
		return far[i]
	}
	need := func(i int) (k int) { // how many ranges the columns from i on take
		for ; i < n; i = reached(i) {
			k++
		}
		return k
	}
	var out []stretch
	for i := 0; i < n; {
		end := reached(i)
		if end < n {
			best := end
			for k := end; k > i; k-- { // the boundary may lie earlier if what follows takes no more ranges
				if !slices.Contains(breaks, cols[k].w) {
					continue
				}
				if need(k) == need(end) {
					best = k
				}
				break // still earlier ones take no fewer
			}
			end = best
		}
		st := stretch{from: cols[i].w, to: cols[end-1].w, ok: [2]set{whole, whole}}
		for _, c := range cols[i:end] {
			if c.any {
				st.ok = [2]set{st.ok[0].and(c.ok[0]), st.ok[1].and(c.ok[1])}
			}
		}
		out = append(out, st)
		i = end
	}
	return out
}

// choose takes the position that keeps the focus nearest to its place at the worst
// viewport, in whole per cents where they do.
func (st *stretch) choose(views []view, heights []int) {
	for x := range 2 {
		var lines []line
		moves := false
		for i := range views {
			if v := &views[i]; v.w >= st.from && v.w <= st.to {
				moves = moves || math.Abs(v.free[x]) > 0.01
				if math.Abs(v.free[x]) > 0.01 { // elsewhere it does not depend on the position
					lines = append(lines, v.far[x])
				}
			}
		}
		if !moves {
			st.at[x] = 0.5
			continue
		}
		p := best(st.ok[x], lines)
		st.at[x] = round(p, st.ok[x], lines)
	}
	for i := range views {
		v := &views[i]
		if v.w < st.from || v.w > st.to {
			continue
		}
		for x := range 2 {
			if d := math.Abs(v.far[x].c + v.far[x].m*st.at[x]); math.Abs(v.free[x]) > 0.01 && d > st.far {
				st.far, st.farAt = d, plan.Viewport{Width: float64(v.w), Height: float64(heights[v.h]), Density: 1}
			}
		}
	}
}

func pct(v float64) string { return strconv.FormatFloat(math.Round(v*1e6)/1e4, 'f', -1, 64) }

func span(s set) string {
	var parts []string
	for _, i := range s {
		parts = append(parts, fmt.Sprintf("%.1f%% to %.1f%%", i.lo*100, i.hi*100))
	}
	return strings.Join(parts, " and ")
}

// write is the settled value: the widest range holds everywhere, the others where
// their query does.
func write(ranges []stretch) string {
	last := ranges[len(ranges)-1]
	pos := func(r stretch) string { return pct(r.at[0]) + "% " + pct(r.at[1]) + "%" }
	out := pos(last)
	for i, r := range ranges[:len(ranges)-1] {
		if pos(r) == pos(last) {
			continue
		}
		q := fmt.Sprintf("(width < %dpx)", r.to+1)
		if i > 0 {
			q = fmt.Sprintf("(%dpx <= width < %dpx)", r.from, r.to+1)
		}
		out += ", " + q + " " + pos(r)
	}
	return out
}

var pxNumber = regexp.MustCompile(`(\d+)px`)

// breakpoints are the widths at which the designer's own rules change, then those
// after a named viewport.
func (s *solver) breakpoints(b *plan.Box) []int {
	var out []int
	for _, r := range b.Rules[1:] {
		for _, m := range pxNumber.FindAllStringSubmatch(r.Media.String(), -1) {
			n, _ := strconv.Atoi(m[1])
			out = append(out, n)
		}
	}
	return out
}

// lost collects the viewports that no position serves.
func (s *solver) lost(cols []column) ([]finding.Statement, int) {
	set := finding.NewSet(1, len(s.heights))
	runs := make([][]finding.Run, len(s.heights))
	n := 0
	for _, c := range cols {
		for _, h := range c.lost {
			n++
			if k := len(runs[h]); k > 0 && runs[h][k-1].To == c.w-1 {
				runs[h][k-1].To = c.w
			} else {
				runs[h] = append(runs[h], finding.Run{From: c.w, To: c.w})
			}
		}
	}
	for h := range runs {
		set.Add(0, h, runs[h])
	}
	return set.Statements([]float64{1}, [][2]int{s.plan.Widths}, s.heights), n
}

// remedies say what would have to give where no position shows keep.
func (s *solver) remedies(views []view, cols []column, l *plan.Layer) []string {
	lost := map[[2]int]bool{}
	for _, c := range cols {
		for _, h := range c.lost {
			lost[[2]int{c.w, h}] = true
		}
	}
	var worst *view
	most := 0.0
	for i := range views {
		v := &views[i]
		if v.tooLarge < 0 || !lost[[2]int{v.w, v.h}] {
			continue
		}
		x := v.tooLarge
		if f := math.Abs(v.far[x].m); worst == nil || f > most {
			worst, most = v, f
		}
	}
	if worst == nil && l.Avoid && slices.ContainsFunc(views, func(v view) bool {
		return lost[[2]int{v.w, v.h}] && (len(v.ok[0]) == 0 || len(v.ok[1]) == 0)
	}) {
		return []string{"at these windows text lies wherever keep could be shown; there keep is shown under it: give the text another place, make the box larger, or lay the text below the picture"}
	}
	if worst == nil {
		return []string{"the heights of the window ask for different positions: give the box a height that depends on them less, such as one in rem"}
	}
	x := worst.tooLarge
	// far.m is free/room, so the picture is 1-m times as long as the box.
	length := 1 - worst.far[x].m
	k, axis, other := l.Keep.W, "wide", "lower"
	if x == 1 {
		k, axis, other = l.Keep.H, "tall", "taller"
	}
	share := k * length
	out := []string{
		fmt.Sprintf("at %dx%d keep is %.0f%% as %s as the box: make the box %s there (its height times %.2f would do)", worst.w, s.heights[worst.h], share*100, axis, other, heightFactor(x, share)),
		fmt.Sprintf("or make keep at most %.0f%% of the picture %s", math.Floor(100/length), axis),
		"or use a picture cropped for those widths, in a when block with layers of its own",
		"or size: contain there, with a color: auto behind it",
	}
	return out
}

// heightFactor is what the box's height is multiplied with so that keep fits: a
// covering picture is as tall as the box where keep is too wide, and as wide as
// the box where it is too tall.
func heightFactor(x int, share float64) float64 {
	if x == 0 {
		return math.Floor(100/share) / 100
	}
	return math.Ceil(100*share) / 100
}

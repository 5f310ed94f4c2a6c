package settle

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"tourmaline/core/finding"
	"tourmaline/core/fit"
	"tourmaline/core/plan"
)

// column is what all heights of one width ask together.
type column struct {
	w   int
	ok  [2]set
	any bool // some height is held
}

// stretch is a range of widths with one position.
type stretch struct {
	from, to int
	at       [2]float64
	ok       [2]set
	far      float64
	farAt    plan.Viewport
	effort   bool // it serves as much as can be, not all
}

// solvePosition settles one position: auto.
func (s *solver) solvePosition(o plan.OpenValue) (Choice, error) {
	c, l, b := s.choice(o), s.layer(o), s.box(o)
	views, err := s.views(o)
	if err != nil {
		return c, err
	}
	if len(views) == 0 {
		c.Why = append(c.Why, "no window shows this layer")
		return c, nil
	}
	cols := columns(views, len(s.sweep.Heights))
	breaks := s.breakpoints(b)
	ranges := fewest(cols, breaks)
	one := o.Layer.Rule > 0 || replaced(b)
	if len(ranges) > 1 && one {
		c.Why = append(c.Why,
			fmt.Sprintf("%d ranges of widths would be needed; a when block with its own layers takes one position, "+
				"the middle of them", len(ranges)))
		ranges = []stretch{{from: ranges[0].from, to: ranges[len(ranges)-1].to, ok: [2]set{whole, whole}}}
	}
	for i := range ranges {
		ranges[i].choose(views, s.sweep.Heights)
	}
	if lost := missed(views, ranges, l); l.Keep != nil && (ragged(ranges) || len(lost) > 0) {
		most := fewRanges
		if one {
			most = 1
		}
		ranges = few(views, breaks, most)
		for i := range ranges {
			ranges[i].measure(views, s.sweep.Heights)
		}
	}
	c.Value = write(ranges)
	if l.Keep != nil {
		// What an open position is painted with, where it is a percentage.
		auto := [2]float64{l.CSS.Position.X.Offset.Val / 100, l.CSS.Position.Y.Offset.Val / 100}
		before, after := 1.0, 1.0
		for i := range views {
			before = min(before, views[i].inView(auto))
			for _, r := range ranges {
				if views[i].w >= r.from && views[i].w <= r.to {
					after = min(after, views[i].inView(r.at))
				}
			}
		}
		c.Before, c.After = fmt.Sprintf("%.0f%% of keep in view at worst", before*100),
			fmt.Sprintf("%.0f%%", after*100)
	}
	c.explain(ranges, breaks, l.Keep != nil)
	if lost := missed(views, ranges, l); len(lost) > 0 {
		c.Failed, c.Lost = true, s.where(lost)
		c.Remedies = s.remedies(views, lost, l)
	}
	return c, nil
}

// explain says what each range of widths got, and why.
func (c *Choice) explain(ranges []stretch, breaks []int, keeps bool) {
	for i, r := range ranges {
		where := fmt.Sprintf("%d-%d px", r.from, r.to)
		why := fmt.Sprintf("%s: %s%% across and %s%% down", where, pct(r.at[0]), pct(r.at[1]))
		if keeps && !r.effort {
			why += fmt.Sprintf("; keep is in view from %s across, %s down", span(r.ok[0]), span(r.ok[1]))
		}
		why += fmt.Sprintf("; the focus lands at most %.0f%% of the box from the middle of its free part (%s)",
			r.far*100, r.farAt)
		c.Why = append(c.Why, why)
		if i > 0 && slices.Contains(breaks, r.from) {
			c.Why = append(c.Why, fmt.Sprintf("%d px is a breakpoint of the plan", r.from))
		}
	}
	switch {
	case ranges[0].effort:
		c.Why = append(c.Why, "no few positions serve every window: these serve most")
	case len(ranges) > 1:
		c.Why = append(c.Why, fmt.Sprintf("no single position does it: %d ranges are the fewest", len(ranges)))
	}
}

// replaced reports whether a when block has layers of its own.
func replaced(b *plan.Box) bool {
	return slices.ContainsFunc(b.Rules[1:], func(r plan.Rule) bool { return r.Layers != nil })
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
		free := 0.0
		for i := range views {
			if v := &views[i]; v.w >= st.from && v.w <= st.to {
				if fit.Moves(v.free[x]) { // elsewhere it does not depend on the position
					free = max(free, math.Abs(v.free[x]))
					lines = append(lines, v.far[x])
				}
			}
		}
		if free == 0 {
			st.at[x] = 0.5
			continue
		}
		p := best(st.ok[x], lines)
		st.at[x] = round(p, st.ok[x], lines, free)
	}
	st.measure(views, heights)
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

// breakpoints are the widths from which on another of the box's own rules holds: 48em and 767.98px are as good as
// 768px.
func (s *solver) breakpoints(b *plan.Box) []int { return b.WidthEnds(s.plan.Widths, s.plan.Heights) }

// missed are the views, by width and place of the height, in which a settled position does not
// show keep as check counts it, or shows it under text that it should avoid.
func missed(views []view, ranges []stretch, l *plan.Layer) map[[2]int]bool {
	out := map[[2]int]bool{}
	if l.Keep == nil {
		return out
	}
	for i := range views {
		v := &views[i]
		for _, r := range ranges {
			if v.w < r.from || v.w > r.to {
				continue
			}
			under := l.Avoid && !(v.near(0, r.at[0]) && v.near(1, r.at[1]))
			if under || v.cuts(r.at) {
				out[[2]int{v.w, v.h}] = true
			}
		}
	}
	return out
}

// where says at which windows something is lost.
func (s *solver) where(lost map[[2]int]bool) []finding.Statement {
	set := finding.NewSet(1, len(s.sweep.Heights))
	for h := range s.sweep.Heights {
		var runs []finding.Run
		for w := s.plan.Widths[0]; w <= s.plan.Widths[1]; w++ {
			if !lost[[2]int{w, h}] {
				continue
			}
			if k := len(runs); k > 0 && runs[k-1].To == w-1 {
				runs[k-1].To = w
			} else {
				runs = append(runs, finding.Run{From: w, To: w})
			}
		}
		set.Add(0, h, runs)
	}
	return set.Statements(finding.Grid{Densities: []float64{1}, Seen: [][2]int{s.plan.Widths},
		Heights: s.sweep.Heights})
}

// remedies say what would have to give where no position shows keep.
func (s *solver) remedies(views []view, lost map[[2]int]bool, l *plan.Layer) []string {
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
	if worst == nil && l.Avoid {
		never := 0 // windows in which text lies wherever keep could be shown
		for i := range views {
			if v := &views[i]; lost[[2]int{v.w, v.h}] && (len(v.ok[0]) == 0 || len(v.ok[1]) == 0) {
				never++
			}
		}
		const what = "give the text another place, make the box larger, or lay the text below the picture"
		switch {
		case never == len(lost):
			return []string{"at these windows text lies wherever keep could be shown; there keep is shown under " +
				"it: " + what}
		case never > 0:
			return []string{fmt.Sprintf("in %.0f%% of these windows text lies wherever keep could be shown, and "+
				"the others ask "+
				"for a position each: %s", 100*float64(never)/float64(len(lost)), what)}
		}
	}
	if worst == nil {
		return []string{"the heights of the window ask for different positions: give the box a height that depends " +
			"on them less, such as one in rem"}
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
		fmt.Sprintf("at %dx%d keep is %.0f%% as %s as the box: make the box %s there (its height times %.2f would do)",
			worst.w, s.sweep.Heights[worst.h], share*100, axis, other, heightFactor(x, share)),
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

package settle

import (
	"math"
	"slices"

	"tourmaline/core/fit"
	"tourmaline/core/plan"
	"tourmaline/core/window"
)

// Where no few positions serve every window, ranges are made by what serves most.
const (
	mostRanges = 6  // that exact solutions may have
	leastWide  = 16 // CSS px that each of theirs is wide
	fewRanges  = 4  // of a best effort
	edgeStep   = 20 // whole px at which its ranges may begin, beside the plan's own breakpoints
	worthRange = 0.03
)

// ragged reports whether ranges are more, or narrower, than a designer would keep.
func ragged(ranges []stretch) bool {
	return len(ranges) > mostRanges || slices.ContainsFunc(ranges[:len(ranges)-1], func(r stretch) bool {
		return r.to-r.from+1 < leastWide
	})
}

// worth is how well a view is served with its layer at a position on one axis, 1 at most: keep in view and clear of
// text is all, under text is more than half. In part it is less the less is seen, and what is lost where the middle
// of keep is out of sight takes two windows that gain to make up for.
func (v *view) worth(x int, p float64) float64 {
	switch {
	case v.ok[x].has(p):
		return 1
	case v.shows[x].has(p):
		return 0.6
	}
	from := v.start[x] + p*v.free[x]
	in := 1.0
	if v.length[x] > 0 {
		in = max(min(from+v.length[x], v.room[x])-max(from, 0), 0) / v.length[x]
	}
	if middle := from + v.length[x]/2; middle < 0 || middle > v.room[x] {
		return 0.3*in - 0.6
	}
	return 0.6 * (2*in - 1)
}

// gains are, for each width and each whole per cent on an axis, what all windows so wide get, added up from the
// narrowest on.
type gains struct {
	widths []int
	sums   [2][][101]float64 // one more than widths
}

func gainsOf(views []view) *gains {
	byWidth := map[int][]*view{}
	for i := range views {
		byWidth[views[i].w] = append(byWidth[views[i].w], &views[i])
	}
	g := &gains{}
	for w := range byWidth {
		g.widths = append(g.widths, w)
	}
	slices.Sort(g.widths)
	for x := range g.sums {
		g.sums[x] = make([][101]float64, len(g.widths)+1)
		for i, w := range g.widths {
			row := g.sums[x][i]
			for _, v := range byWidth[w] {
				if !fit.Moves(v.free[x]) {
					continue
				}
				for p := range row {
					row[p] += v.worth(x, float64(p)/100)
				}
			}
			g.sums[x][i+1] = row
		}
	}
	return g
}

// best are the positions that serve most between two places of widths, and what they get. Of equal ones the one
// nearest to the middle of them.
func (g *gains) best(from, to int) (at [2]float64, got float64) {
	for x := range at {
		a, b := &g.sums[x][from], &g.sums[x][to]
		most, first, last := math.Inf(-1), 0, 0
		for p := range a {
			switch v := b[p] - a[p]; {
			case v > most+1e-9:
				most, first, last = v, p, p
			case v > most-1e-9:
				last = p
			}
		}
		at[x] = math.Round(float64(first+last)/2) / 100
		if middle := b[int(at[x]*100+0.5)] - a[int(at[x]*100+0.5)]; middle < most-1e-9 {
			at[x] = float64(first) / 100
		}
		if first == 0 && last == 100 && most == 0 { // it moves nowhere
			at[x] = 0.5
		}
		got += most
	}
	return at, got
}

// few divides the widths in at most so many ranges with one position each, in whole per cents, that serve as much
// as can be: another range has to be worth a share of all windows.
func few(views []view, breaks []int, most int) []stretch {
	g := gainsOf(views)
	n := len(g.widths)
	edges := []int{0}
	for i, w := range g.widths {
		if i > 0 && (w%edgeStep == 0 || slices.Contains(breaks, w)) {
			edges = append(edges, i)
		}
	}
	edges = append(edges, n)
	m := len(edges) - 1
	// total[k][j] is the most that k+1 ranges get of the widths before edge j; from[k][j] is where the last begins.
	total, from := make([][]float64, most), make([][]int, most)
	for k := range total {
		total[k], from[k] = make([]float64, m+1), make([]int, m+1)
		for j := 1; j <= m; j++ {
			total[k][j] = math.Inf(-1)
			for i := range j {
				if k == 0 && i > 0 || k > 0 && i == 0 {
					continue
				}
				if _, got := g.best(edges[i], edges[j]); k == 0 {
					total[k][j], from[k][j] = got, i
				} else if v := total[k-1][i] + got; v > total[k][j]+1e-9 {
					total[k][j], from[k][j] = v, i
				}
			}
		}
	}
	k := 0
	for next := 1; next < most; next++ {
		if total[next][m]-total[k][m] > worthRange*float64(len(views))*float64(next-k) {
			k = next
		}
	}
	out := make([]stretch, k+1)
	for j := m; k >= 0; k-- {
		i := from[k][j]
		at, _ := g.best(edges[i], edges[j])
		out[k] = stretch{from: g.widths[edges[i]], to: g.widths[edges[j]-1], at: at, ok: [2]set{whole, whole},
			effort: true}
		j = i
	}
	return out
}

// measure finds how far the focus lands from its place in a stretch whose position is chosen.
func (st *stretch) measure(views []view, heights []int) {
	for i := range views {
		v := &views[i]
		if v.w < st.from || v.w > st.to {
			continue
		}
		for x := range 2 {
			if d := math.Abs(v.far[x].c + v.far[x].m*st.at[x]); fit.Moves(v.free[x]) && d > st.far {
				st.far, st.farAt = d, plan.Viewport{Window: window.Window{Width: float64(v.w),
					Height: float64(heights[v.h]), Density: 1}}
			}
		}
	}
}

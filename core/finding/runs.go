package finding

import (
	"slices"

	"tourmaline/core/window"
)

// Run is a range of whole window widths, both ends included.
type Run struct{ From, To int }

// Set collects the failing widths of one finding by density and height. The zero
// value is not ready: see NewSet.
type Set struct {
	heights int
	runs    [][]Run // density after density, height after height
}

// NewSet is for that many densities and heights.
func NewSet(densities, heights int) *Set {
	return &Set{heights: heights, runs: make([][]Run, densities*heights)}
}

// Add sets the runs at one density and height; they rise and do not touch.
func (s *Set) Add(density, height int, runs []Run) { s.runs[density*s.heights+height] = runs }

// Runs returns what was added there.
func (s *Set) Runs(density, height int) []Run { return s.runs[density*s.heights+height] }

// Less returns what fails here and not in another set on the same grid.
func (s *Set) Less(o *Set) *Set {
	out := &Set{heights: s.heights, runs: make([][]Run, len(s.runs))}
	for i := range s.runs {
		out.runs[i] = Subtract(s.runs[i], o.runs[i])
	}
	return out
}

// Union returns what fails here or in another set on the same grid.
func (s *Set) Union(o *Set) *Set {
	out := &Set{heights: s.heights, runs: make([][]Run, len(s.runs))}
	for i := range s.runs {
		out.runs[i] = union(s.runs[i], o.runs[i])
	}
	return out
}

// In marks sentences as true of windows with modes on alone.
func In(modes window.Modes, where []Statement, exact []Span) ([]Statement, []Span) {
	for i := range where {
		where[i].Modes = modes
	}
	for i := range exact {
		exact[i].Modes = modes
	}
	return where, exact
}

// Empty reports whether nothing fails.
func (s *Set) Empty() bool {
	for _, r := range s.runs {
		if len(r) > 0 {
			return false
		}
	}
	return true
}

// Spans lists what fails by density and height.
func (s *Set) Spans(densities []float64, heights []int) []Span {
	var out []Span
	for d := range densities {
		for h := range heights {
			if r := s.Runs(d, h); len(r) > 0 {
				out = append(out, Span{Density: densities[d], Height: heights[h], Runs: r})
			}
		}
	}
	return out
}

// Probe reports whether a finding holds at a width and height that need not be among
// the swept ones, at the d-th density.
type Probe func(d, width, height int) bool

// Grid is what a set was swept on.
type Grid struct {
	Densities []float64
	Seen      [][2]int // the widths that each density is swept at
	Heights   []int    // rising
	// Probe finds the exact heights between the swept ones at which a finding begins and
	// ends; nil: the swept ones are told.
	Probe Probe
	// MostProbed is at how many of the widths of a run the heights are looked for; 0 is all.
	MostProbed int
}

// group is densities that fail alike.
type group struct {
	densities []int
	always    []Run // at every height
	some      []Run // at some heights only
	lo, hi    int   // heights at which anything of these fails, in px
	partly    bool  // at some of these heights some of the widths do not fail
}

// Statements merges what fails into sentences that are all true: densities and
// heights are named only where they matter, and heights are exact to the px, given that
// between two swept heights a width changes from right to wrong at most once.
func (s *Set) Statements(g Grid) []Statement {
	var groups []group
	for d := range g.Densities {
		// A density that fails as a wider seen one does, as far as it is seen, goes
		// with that one.
		at := slices.IndexFunc(groups, func(o group) bool {
			return s.alike(o.densities[0], d, g.Seen,
				len(g.Heights))
		})
		if at < 0 {
			groups = append(groups, s.group(d, &g))
			continue
		}
		groups[at].densities = append(groups[at].densities, d)
		if o := s.group(d, &g); len(o.some) > 0 {
			groups[at].join(o)
		}
	}
	var out []Statement
	for _, x := range groups {
		var names []float64
		for _, d := range x.densities {
			names = append(names, g.Densities[d])
		}
		if len(x.densities) == len(g.Densities) {
			names = nil
		}
		if len(x.always) > 0 {
			out = append(out, Statement{Runs: x.always, Densities: names})
		}
		if len(x.some) > 0 {
			out = append(out, Statement{Runs: x.some, Densities: names, Heights: [2]int{x.lo, x.hi}, Some: x.partly})
		}
	}
	return out
}

// join adds a density that fails at the same swept heights, but may begin and end at
// others between them.
func (x *group) join(o group) {
	x.partly = x.partly || o.partly || o.lo != x.lo || o.hi != x.hi
	x.lo, x.hi = min(x.lo, o.lo), max(x.hi, o.hi)
}

// group tells where a density fails.
func (s *Set) group(d int, g *Grid) group {
	out := group{densities: []int{d}, always: s.Runs(d, 0)}
	all := s.Runs(d, 0)
	for h := 1; h < len(g.Heights); h++ {
		out.always, all = intersect(out.always, s.Runs(d, h)), union(all, s.Runs(d, h))
	}
	out.some = Subtract(all, out.always)
	if len(out.some) == 0 {
		return out
	}
	lo, hi := -1, 0
	for h := range g.Heights {
		if len(Subtract(s.Runs(d, h), out.always)) > 0 {
			if lo < 0 {
				lo = h
			}
			hi = h
		}
	}
	out.lo, out.hi = g.Heights[lo], g.Heights[hi]
	out.partly = !s.all(d, out.some, lo, hi)
	if g.Probe == nil {
		return out
	}
	if lo > 0 {
		least, each := g.edge(d, Subtract(s.Runs(d, lo), out.always), out.lo, g.Heights[lo-1])
		out.lo, out.partly = least, out.partly || !each
	}
	if hi+1 < len(g.Heights) {
		most, each := g.edge(d, Subtract(s.Runs(d, hi), out.always), out.hi, g.Heights[hi+1])
		out.hi, out.partly = most, out.partly || !each
	}
	return out
}

// edge returns the height nearest to right, at which no width of the runs fails, at which
// one still does; all fail at wrong. each reports whether all of them do there.
func (g *Grid) edge(d int, runs []Run, wrong, right int) (height int, each bool) {
	step := 1
	if right < wrong {
		step = -1
	}
	widths := g.probed(runs)
	height = wrong
	for _, w := range widths {
		// The next height must fail as well, or this width cannot move the edge.
		if height+step == right || !g.Probe(d, w, height+step) {
			continue
		}
		bad, good := height+step, right
		for bad+step != good {
			if mid := (bad + good) / 2; g.Probe(d, w, mid) {
				bad = mid
			} else {
				good = mid
			}
		}
		height = bad
	}
	each = height == wrong || !slices.ContainsFunc(widths, func(w int) bool { return !g.Probe(d, w, height) })
	return height, each
}

// probed are the widths of runs at which heights are looked for: all, or as many as the
// grid allows, evenly, with both ends.
func (g *Grid) probed(runs []Run) []int {
	var all []int
	for _, r := range runs {
		for w := r.From; w <= r.To; w++ {
			all = append(all, w)
		}
	}
	n := g.MostProbed
	if n < 2 || len(all) <= n {
		return all
	}
	out := make([]int, n)
	for i := range out {
		out[i] = all[i*(len(all)-1)/(n-1)]
	}
	return out
}

// alike reports whether density b fails at every height as a does, within the
// widths b is seen at, which are among those of a.
func (s *Set) alike(a, b int, seen [][2]int, heights int) bool {
	if seen[b][0] < seen[a][0] || seen[b][1] > seen[a][1] {
		return false
	}
	for h := range heights {
		if !slices.Equal(within(s.Runs(a, h), seen[b][0], seen[b][1]), s.Runs(b, h)) {
			return false
		}
	}
	return true
}

// all reports whether the runs fail at every height from lo to hi.
func (s *Set) all(d int, runs []Run, lo, hi int) bool {
	for h := lo; h <= hi; h++ {
		if len(Subtract(runs, s.Runs(d, h))) > 0 {
			return false
		}
	}
	return true
}

func within(runs []Run, lo, hi int) []Run { return intersect(runs, []Run{{lo, hi}}) }

func intersect(a, b []Run) []Run {
	var out []Run
	for i, k := 0, 0; i < len(a) && k < len(b); {
		lo, hi := max(a[i].From, b[k].From), min(a[i].To, b[k].To)
		if lo <= hi {
			out = append(out, Run{lo, hi})
		}
		if a[i].To < b[k].To {
			i++
		} else {
			k++
		}
	}
	return out
}

func union(a, b []Run) []Run {
	all := append(slices.Clone(a), b...)
	slices.SortFunc(all, func(x, y Run) int { return x.From - y.From })
	var out []Run
	for _, r := range all {
		if n := len(out); n > 0 && r.From <= out[n-1].To+1 {
			out[n-1].To = max(out[n-1].To, r.To)
			continue
		}
		out = append(out, r)
	}
	return out
}

// Subtract returns the widths of a that are not in b.
func Subtract(a, b []Run) []Run {
	var out []Run
	for _, r := range a {
		from := r.From
		for _, c := range b {
			if c.To < from || c.From > r.To {
				continue
			}
			if c.From > from {
				out = append(out, Run{from, c.From - 1})
			}
			from = c.To + 1
		}
		if from <= r.To {
			out = append(out, Run{from, r.To})
		}
	}
	return out
}

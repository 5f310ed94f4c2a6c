// Package finding is what every check gives: what is wrong, where, why, and what
// to do, with the exact range of viewports.
//
//	s := finding.NewSet(2, 3)          // densities and heights that are swept
//	s.Add(0, 1, []finding.Run{{320, 512}})
//	s.Statements(densities, heights)   // as few true sentences as there are
package finding

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"tourmaline/core/plan"
	"tourmaline/core/source"
)

// Level is how much a finding matters.
type Level uint8

// Levels, rising. The zero value is the level of the check.
const (
	Note Level = iota + 1
	Warning
	Error
)

var levels = []string{"", "note", "warning", "error"}

func (l Level) String() string { return levels[l] }

// MarshalText writes the name.
func (l Level) MarshalText() ([]byte, error) { return []byte(l.String()), nil }

// ParseLevel reads a name; the error lists them.
func ParseLevel(s string) (Level, error) {
	if i := slices.Index(levels, s); i > 0 {
		return Level(i), nil
	}
	return 0, &source.SyntaxError{Text: s, Want: "note, warning or error"}
}

// Finding is one thing that is wrong or wasteful.
type Finding struct {
	Check    string
	Level    Level
	Box      string // "" for what concerns the plan
	Layer    int    // from 1, top first; 0 is the box itself
	Pos      source.Pos
	Message  string  // one sentence with the figures at the worst point
	Measured float64 // the figure there, and what it should have been
	Wanted   float64
	Unit     string
	Where    []Statement    // empty: it does not depend on the viewport
	Exact    []Span         // the same, by density and height
	Worst    *plan.Viewport // where Measured was taken
	Reason   string         // why it matters
	Remedy   string         // in the plan's words
	How      string         // how the figure was obtained, where it was not by geometry
	Accepted string         // the reason the plan gives for accepting it
}

// Run is a range of whole window widths, both ends included.
type Run struct{ From, To int }

// Span is where a finding holds at one density and height.
type Span struct {
	Density float64
	Height  int
	Runs    []Run
}

// Statement is a true sentence about where a finding holds: at every width of
// Runs, at the densities, at every swept height from Heights[0] to Heights[1].
// Zero Heights: whatever the height. No Densities: whatever the density. Some
// says that it holds at some of the heights only.
type Statement struct {
	Runs      []Run
	Densities []float64
	Heights   [2]int
	Some      bool
}

// String is the statement in words, as "320-767 px at densities 2 and 3".
func (s Statement) String() string {
	var parts []string
	for i, r := range s.Runs {
		if i == 4 && len(s.Runs) > 5 {
			parts = append(parts, fmt.Sprintf("%d more ranges up to %d", len(s.Runs)-4, s.Runs[len(s.Runs)-1].To))
			break
		}
		if r.From == r.To {
			parts = append(parts, fmt.Sprint(r.From))
		} else {
			parts = append(parts, fmt.Sprintf("%d-%d", r.From, r.To))
		}
	}
	out := strings.Join(parts, ", ") + " px"
	if len(s.Densities) > 0 {
		var d []string
		for _, v := range s.Densities {
			d = append(d, fmt.Sprintf("%g", v))
		}
		out += " at density " + strings.Join(d, ", ")
	}
	if s.Heights != [2]int{} {
		some := ""
		if s.Some {
			some = "some "
		}
		if s.Heights[0] == s.Heights[1] {
			out += fmt.Sprintf(" in windows %d px high", s.Heights[0])
		} else {
			out += fmt.Sprintf(" in %swindows %d to %d px high", some, s.Heights[0], s.Heights[1])
		}
	}
	return out
}

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
				out = append(out, Span{densities[d], heights[h], r})
			}
		}
	}
	return out
}

// Statements merges what fails into sentences that are all true: densities and
// heights are named only where they matter. seen are the widths each density is
// swept at.
func (s *Set) Statements(densities []float64, seen [][2]int, heights []int) []Statement {
	type group struct {
		densities []int
		always    []Run // at every height
		any       []Run // at some height
		same      bool  // at all the same
		lo, hi    int   // heights at which anything beyond always fails
	}
	var groups []group
	for d := range densities {
		// A density that fails as a wider seen one does, as far as it is seen, goes
		// with that one.
		if at := slices.IndexFunc(groups, func(g group) bool { return s.alike(g.densities[0], d, seen, len(heights)) }); at >= 0 {
			groups[at].densities = append(groups[at].densities, d)
			continue
		}
		g := group{densities: []int{d}, same: true, lo: -1}
		g.always = s.Runs(d, 0)
		g.any = s.Runs(d, 0)
		for h := 1; h < len(heights); h++ {
			r := s.Runs(d, h)
			g.same = g.same && slices.Equal(r, s.Runs(d, 0))
			g.always, g.any = intersect(g.always, r), union(g.any, r)
		}
		for h := range heights {
			if len(Subtract(s.Runs(d, h), g.always)) > 0 {
				if g.lo < 0 {
					g.lo = h
				}
				g.hi = h
			}
		}
		groups = append(groups, g)
	}
	var out []Statement
	for _, g := range groups {
		var names []float64
		for _, d := range g.densities {
			names = append(names, densities[d])
		}
		if len(g.densities) == len(densities) {
			names = nil
		}
		if len(g.always) > 0 {
			out = append(out, Statement{Runs: g.always, Densities: names})
		}
		if g.same {
			continue
		}
		more := Subtract(g.any, g.always)
		out = append(out, Statement{Runs: more, Densities: names, Heights: [2]int{heights[g.lo], heights[g.hi]}, Some: !s.all(g.densities[0], more, g.lo, g.hi)})
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

// Widths returns every width at which a finding holds at some density and height.
func (f *Finding) Widths() []Run {
	var out []Run
	for _, s := range f.Where {
		out = union(out, s.Runs)
	}
	return out
}

// Percent prints a share; what is not quite all or nothing never reads as such.
func Percent(v float64) string {
	p := v * 100
	switch {
	case p > 0 && p < 0.1:
		return "under 0.1%"
	case p < 10 && math.Abs(p-math.Round(p)) > 0.05:
		return fmt.Sprintf("%.1f%%", p)
	case p > 99 && p < 100:
		return "99%"
	}
	return fmt.Sprintf("%.0f%%", p)
}

// Weight prints bytes as a person reads them; KB is 1000 bytes.
func Weight(n int) string {
	switch {
	case n >= 1e6:
		return fmt.Sprintf("%.2f MB", float64(n)/1e6)
	case n >= 1e4:
		return fmt.Sprintf("%.0f KB", float64(n)/1e3)
	case n >= 1000:
		return fmt.Sprintf("%.1f KB", float64(n)/1e3)
	}
	return fmt.Sprintf("%d B", n)
}

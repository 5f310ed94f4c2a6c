// Package finding is what every check gives: what is wrong, where, why, and what
// to do, with the exact range of viewports.
//
// See the package's example.
package finding

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"tourmaline/core/plan"
	"tourmaline/core/source"
	"tourmaline/core/window"
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
	Box      string       // its name; "" for what concerns the plan
	ID       plan.LayerID // of the layer, or of the box with N 0; zero for the plan
	Span     source.Span
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

// Span is where a finding holds at one density and height.
type Span struct {
	Density float64
	Height  int
	Runs    []Run
	Modes   window.Modes // that are on
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
	Modes     window.Modes // it holds where they are on, and not without them
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
	if s.Modes != 0 {
		out += " " + s.Modes.In()
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

package window

import (
	"errors"
	"math/rand/v2"
	"testing"

	"tourmaline/core/source"
)

func compare(a Axis, c Cmp, v float64) Condition {
	return Condition{Op: Compare, Axis: a, Cmp: c, Value: v}
}

// (width < 900px) and (width < 600px): 1-599 has both, 600-899 the first, 900 and wider none.
func TestRegionsOfNestedWidths(t *testing.T) {
	got, err := Regions([]*Query{{compare(Width, Less, 900)}, {compare(Width, Less, 600)}})
	if err != nil {
		t.Fatal(err)
	}
	want := []struct {
		rules  uint64
		widths [2]int
	}{{0, [2]int{900, MaxSide}}, {1, [2]int{600, 899}}, {3, [2]int{1, 599}}}
	if len(got) != len(want) {
		t.Fatalf("%d regions, want %d: %+v", len(got), len(want), got)
	}
	for i, r := range got {
		if r.Rules != want[i].rules || len(r.Cells) != 1 || r.Cells[0].Widths != want[i].widths {
			t.Errorf("region %d is %+v, want %+v", i, r, want[i])
		}
	}
}

// Every window lies in one cell of one region, whose rules are those that hold there; every cell has a window.
func TestRegionsCoverEveryWindowOnce(t *testing.T) {
	r := rand.New(rand.NewPCG(39, 1))
	atom := func() Condition {
		cmps := []Cmp{Less, AtMost, Equal, AtLeast, More}
		c := cmps[r.IntN(5)]
		switch r.IntN(7) {
		case 0, 1:
			return compare(Width, c, float64(300+r.IntN(900))+[]float64{0, 0, 0.5}[r.IntN(3)])
		case 2:
			return compare(Height, c, float64(300+r.IntN(900)))
		case 3:
			return compare(Ratio, c, []float64{1, 16.0 / 9, 0.75, 2.35}[r.IntN(4)])
		case 4:
			return compare(Density, c, []float64{1, 1.5, 2, 3}[r.IntN(4)])
		case 5:
			return Condition{Op: Compare, Axis: Height, Cmp: c, Of: func(w Window) float64 { return w.Width/2 + 30 }}
		}
		words := []Condition{{Op: Word, Feature: "hover", Word: "none"},
			{Op: Word, Feature: "prefers-color-scheme", Word: "dark"},
			{Op: Word, Feature: "prefers-contrast"}, {Op: Screen}}
		return words[r.IntN(len(words))]
	}
	query := func() *Query {
		q := Query{}
		for range 1 + r.IntN(2) {
			c := Condition{Op: And, Args: []Condition{atom()}}
			for range r.IntN(3) {
				c.Args = append(c.Args, atom())
			}
			if r.IntN(4) == 0 {
				c = Condition{Op: Not, Args: []Condition{c}}
			}
			q = append(q, c)
		}
		return &q
	}
	modes := (Touch | Dark | MoreContrast | LessContrast | ForcedColors | Print).Subsets()
	for n := range 50 {
		rules := []*Query{}
		for range 1 + r.IntN(4) {
			rules = append(rules, query())
		}
		regions, err := Regions(rules)
		if err != nil {
			t.Fatal(err)
		}
		holding := func(w *Window) (mask uint64) {
			for i, q := range rules {
				if q.Holds(w) {
					mask |= 1 << i
				}
			}
			return mask
		}
		for range 300 {
			w := Window{float64(250 + r.IntN(1000)), float64(250 + r.IntN(1000)), []float64{1, 1.25, 1.5, 2,
				3}[r.IntN(5)],
				modes[r.IntN(len(modes))]}
			var in []uint64
			for _, g := range regions {
				for k := range g.Cells {
					if g.Cells[k].Holds(&w) {
						in = append(in, g.Rules)
					}
				}
			}
			if len(in) != 1 || in[0] != holding(&w) {
				t.Fatalf("case %d: %s lies in %b, its rules are %b", n, w, in, holding(&w))
			}
		}
		for _, g := range regions {
			for _, w := range g.Corners(Within([2]int{320, 1200}, [2]int{400, 1200}), []float64{1, 2, 3}) {
				if got := holding(&w); got != g.Rules {
					t.Fatalf("case %d: the corner %s of %b has the rules %b", n, w, g.Rules, got)
				}
			}
		}
	}
}

// Eleven widths, heights and densities cut the windows into 12 x 12 x 12 parts, each a combination of its own.
func TestTooManyRegions(t *testing.T) {
	var rules []*Query
	for i := range 11 {
		rules = append(rules, &Query{compare(Width, Less, float64(300+10*i))},
			&Query{compare(Height, Less, float64(300+10*i))}, &Query{compare(Density, Less, 1+float64(i)/10)})
	}
	var limit *source.LimitError
	if _, err := Regions(rules); !errors.As(err, &limit) {
		t.Errorf("%v", err)
	}
}

func TestParse(t *testing.T) {
	for in, want := range map[string]Window{
		"390x844@3":              {390, 844, 3, 0},
		"390x844":                {390, 844, 1, 0},
		" 390 x 844 @ 2x  touch": {390, 844, 2, Touch},
		"390x844@3 dark touch":   {390, 844, 3, Touch | Dark},
		"800x600 print":          {800, 600, 1, Print},
	} {
		got, err := Parse(in)
		if err != nil || got != want {
			t.Errorf("%q is %+v, %v; want %+v", in, got, err, want)
		}
		if again, err := Parse(got.String()); err != nil || again != got {
			t.Errorf("%q is printed as %q, which is read as %+v, %v", in, got, again, err)
		}
	}
	for _, in := range []string{"", "390", "0x9", "390x844@20", "390x844 drak", "390x844 more-contrast less-contrast",
		"390x844@", "x", "390x844@3 2"} {
		if w, err := Parse(in); err == nil {
			t.Errorf("%q is read as %s", in, w)
		}
	}
}

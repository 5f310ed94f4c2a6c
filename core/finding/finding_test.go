package finding

import (
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"
)

func TestStatementsSayWhatMatters(t *testing.T) {
	d, seen, h := []float64{1, 2}, [][2]int{{320, 1000}, {320, 1000}}, []int{600, 700, 800}
	all := func(s *Set, di int, r ...Run) {
		for k := range h {
			s.Add(di, k, r)
		}
	}
	rows := []struct {
		name string
		fill func(*Set)
		want []string
	}{
		{"nothing", func(*Set) {}, nil},
		{"neither matters", func(s *Set) { all(s, 0, Run{400, 500}); all(s, 1, Run{400, 500}) },
			[]string{"400-500 px"}},
		{"one width", func(s *Set) { all(s, 0, Run{400, 400}); all(s, 1, Run{400, 400}) }, []string{"400 px"}},
		{"density matters", func(s *Set) { all(s, 1, Run{400, 500}, Run{700, 800}) },
			[]string{"400-500, 700-800 px at density 2"}},
		{"one height", func(s *Set) { s.Add(0, 1, []Run{{400, 500}}); s.Add(1, 1, []Run{{400, 500}}) },
			[]string{"400-500 px in windows 700 px high"}},
		{"low windows", func(s *Set) {
			for di := range 2 {
				s.Add(di, 0, []Run{{400, 500}})
				s.Add(di, 1, []Run{{400, 500}})
			}
		}, []string{"400-500 px in windows 600 to 700 px high"}},
		{"a stair", func(s *Set) {
			for di := range 2 {
				s.Add(di, 0, []Run{{400, 500}})
				s.Add(di, 1, []Run{{400, 600}})
				s.Add(di, 2, []Run{{400, 700}})
			}
		}, []string{"400-500 px", "501-700 px in some windows 700 to 800 px high"}},
	}
	for _, r := range rows {
		s := NewSet(2, 3)
		r.fill(s)
		var got []string
		for _, st := range s.Statements(Grid{Densities: d, Seen: seen, Heights: h}) {
			got = append(got, st.String())
		}
		if !reflect.DeepEqual(got, r.want) {
			t.Errorf("%s: got %q, want %q", r.name, got, r.want)
		}
		if s.Empty() != (r.want == nil) {
			t.Errorf("%s: Empty is %v", r.name, s.Empty())
		}
	}
}

// A density that is seen at fewer widths does not part statements that are the
// same there.
func TestStatementsOfNarrowDensities(t *testing.T) {
	s := NewSet(2, 1)
	s.Add(0, 0, []Run{{320, 1000}})
	s.Add(1, 0, []Run{{320, 480}})
	got := s.Statements(Grid{Densities: []float64{1, 3}, Seen: [][2]int{{320, 1000}, {320, 480}}, Heights: []int{700}})
	if len(got) != 1 || got[0].String() != "320-1000 px" {
		t.Errorf("got %v", got)
	}
}

// Run arithmetic against sets of single widths.
func TestRunsAgainstSets(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	random := func() ([]Run, map[int]bool) {
		set := map[int]bool{}
		var runs []Run
		at := 0
		for range r.IntN(5) {
			at += 2 + r.IntN(6)
			from := at
			at += r.IntN(5)
			runs = append(runs, Run{from, at})
			for w := from; w <= at; w++ {
				set[w] = true
			}
		}
		return runs, set
	}
	expand := func(runs []Run) map[int]bool {
		out := map[int]bool{}
		for i, x := range runs {
			if x.From > x.To || i > 0 && x.From <= runs[i-1].To {
				t.Fatalf("runs out of order: %v", runs)
			}
			for w := x.From; w <= x.To; w++ {
				out[w] = true
			}
		}
		return out
	}
	for range 2000 {
		a, as := random()
		b, bs := random()
		both, either, only := map[int]bool{}, map[int]bool{}, map[int]bool{}
		for w := range 80 {
			if as[w] && bs[w] {
				both[w] = true
			}
			if as[w] || bs[w] {
				either[w] = true
			}
			if as[w] && !bs[w] {
				only[w] = true
			}
		}
		if g := expand(intersect(a, b)); !reflect.DeepEqual(g, both) {
			t.Fatalf("%v and %v: %v", a, b, g)
		}
		if g := expand(union(a, b)); !reflect.DeepEqual(g, either) {
			t.Fatalf("%v or %v: %v", a, b, g)
		}
		if g := expand(Subtract(a, b)); !reflect.DeepEqual(g, only) {
			t.Fatalf("%v less %v: %v", a, b, g)
		}
	}
}

func TestLevels(t *testing.T) {
	for _, name := range []string{"note", "warning", "error"} {
		if l, err := ParseLevel(name); err != nil || l.String() != name {
			t.Errorf("%s: %v %v", name, l, err)
		}
	}
	if _, err := ParseLevel("fatal"); err == nil {
		t.Error("fatal is taken for a level")
	}
	if !slices.IsSorted([]Level{Note, Warning, Error}) {
		t.Error("levels do not rise")
	}
}

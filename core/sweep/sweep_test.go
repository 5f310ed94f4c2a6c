package sweep

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"sync/atomic"
	"testing"

	"tourmaline/core/plan"
)

func newSweep(t testing.TB, viewports string) *Sweep {
	t.Helper()
	p, err := plan.Parse("p", []byte("tourmaline: 1\nviewports: "+viewports+"\nboxes: [{name: a, height: 10vh}]\n"))
	if err != nil {
		t.Fatal(err)
	}
	return New(p)
}

// Every kind of parts visits every window once: each width at each height and density,
// densities only where they are seen.
func TestEveryWindowOnce(t *testing.T) {
	s := newSweep(t, "{widths: 320-400, heights: 600-640, densities: {1: 320-400, 2: 330-350}}")
	if len(s.Heights) != 40 || s.Heights[0] != 600 || s.Heights[39] != 640 {
		t.Fatalf("heights %v", s.Heights)
	}
	for name, r := range map[string]struct {
		parts []Part
		want  int // 81 widths at density 1 and 21 at density 2, at 40 heights
	}{"rows": {s.Rows(), (81 + 21) * 40}, "columns": {s.Columns(), (81 + 21) * 40},
		"densest": {s.DensestRows(), 81 * 40}} {
		rows, err := Each(context.Background(), s, r.parts, func(Part) *[]string { return new([]string) },
			func(seen *[]string, w *Window) error {
				if math.Abs(w.Page.Frames[0].Border.H-w.Height/10) > 1e-9 || w.Page.Viewport != w.Viewport {
					t.Errorf("the page is of %v, the window %v", w.Page.Viewport, w.Viewport)
				}
				*seen = append(*seen, w.Viewport.String())
				return nil
			})
		if err != nil {
			t.Fatal(err)
		}
		var all []string
		for _, list := range rows {
			all = append(all, *list...)
		}
		slices.Sort(all)
		if n := len(all); n != r.want || len(slices.Compact(all)) != n {
			t.Errorf("%s: %d windows, want %d, each once", name, n, r.want)
		}
	}
	if s.DensityAt(329) != 1 || s.DensityAt(330) != 2 || s.DensityAt(351) != 1 {
		t.Error("the largest density at a width")
	}
}

// Results come in the order of the parts, the first part's error wins, and a context
// that ends ends the sweep.
func TestOrderErrorsAndCancelling(t *testing.T) {
	s := newSweep(t, "{widths: 320-900, heights: 600-700, densities: [1]}")
	var done atomic.Int64
	s.Progress = func(int, int) { done.Add(1) }
	got, err := Each(context.Background(), s, s.Rows(), func(p Part) int { return p.Heights[0] },
		func(int, *Window) error { return nil })
	if err != nil || !slices.IsSorted(got) || int(done.Load()) != len(s.Heights) {
		t.Errorf("%v %v, %d parts reported", err, got, done.Load())
	}
	_, err = Each(context.Background(), s, s.Rows(), func(p Part) int { return p.Heights[0] },
		func(h int, w *Window) error {
			if h >= 3 {
				return fmt.Errorf("height %d", h)
			}
			return nil
		})
	if err == nil || err.Error() != "height 3" {
		t.Errorf("error %v, want that of height 3", err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	var visits atomic.Int64
	_, err = Each(ctx, s, s.Rows(), func(Part) int { return 0 }, func(int, *Window) error {
		if visits.Add(1) == 10 {
			cancel()
		}
		return nil
	})
	if !errors.Is(err, context.Canceled) || visits.Load() > 3*581 {
		t.Errorf("%v after %d visits", err, visits.Load())
	}
}

func TestNamedHeights(t *testing.T) {
	s := newSweep(t, "{heights: 600-1400, named: {phone: 390x844@3}}").WithNamed()
	if !slices.Contains(s.Heights, 844) || !slices.IsSorted(s.Heights) || len(s.Heights) != 41 {
		t.Errorf("%v", s.Heights)
	}
}

func TestChanges(t *testing.T) {
	p, err := plan.Parse("p", []byte("tourmaline: 1\nviewports: {widths: 320-900}\nboxes: [{name: a, height: 9px, "+
		"when: {(width < 500px): {height: 8px}, \"(min-height: 800px) and (width > 700px)\": {height: 7px}}}]\n"))
	if err != nil {
		t.Fatal(err)
	}
	s := New(p)
	if got := s.Changes(0, 700); !slices.Equal(got, []int{500}) {
		t.Errorf("in low windows %v", got)
	}
	if got := s.Changes(0, 800); !slices.Equal(got, []int{500, 701}) {
		t.Errorf("in tall windows %v", got)
	}
}

// Package sweep is the one loop over the windows of a plan: every whole width, heights
// across the range, every density at the widths it is seen at. Work is divided over the
// cores; results come in the order of the parts, however it was divided.
//
//	s := sweep.New(p)
//	widest, err := sweep.Each(ctx, s, s.Rows(), func(sweep.Part) *float64 { return new(float64) },
//		func(most *float64, w *sweep.Window) error {
//			*most = max(*most, w.Page.Frames[0].Border.W)
//			return nil
//		})
package sweep

import (
	"cmp"
	"context"
	"math"
	"slices"
	"sync/atomic"

	"tourmaline/core/layout"
	"tourmaline/core/plan"
	"tourmaline/core/window"
	"tourmaline/core/work"
)

// MaxHeights is how many heights of the range are looked at: 40 over 800 px are 20 px
// apart, and geometry that changes at a height in between is found by halving.
const MaxHeights = 40

// Heights are the window heights that a plan is swept at, in whole px: both ends, evenly between, and
// on both sides of every height from or up to which a rule holds.
func Heights(p *plan.Plan) []int {
	lo, hi := p.Heights[0], p.Heights[1]
	n := min(hi-lo+1, MaxHeights)
	if n <= 1 {
		return []int{lo}
	}
	out := make([]int, n)
	for i := range out {
		out[i] = lo + int(math.Round(float64((hi-lo)*i)/float64(n-1)))
	}
	for _, b := range p.All() {
		out = append(out, b.HeightEnds(p.Heights)...)
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// Sweep is the windows of a plan.
type Sweep struct {
	Plan     *plan.Plan
	Pages    *layout.Pages
	Heights  []int
	Modes    window.Modes          // that are on in all windows
	Progress func(done, total int) // called after each part, from several goroutines; may be nil
}

// New is all windows of a plan.
func New(p *plan.Plan) *Sweep { return &Sweep{Plan: p, Pages: layout.Of(p), Heights: Heights(p)} }

// WithNamed adds the heights of named viewports.
func (s *Sweep) WithNamed() *Sweep {
	for _, v := range s.Plan.Named {
		if h := int(v.Height); !slices.Contains(s.Heights, h) {
			s.Heights = append(s.Heights, h)
		}
	}
	slices.Sort(s.Heights)
	return s
}

// Few are some of the heights: both ends, the middle one, and those nearest to the named viewports.
func (s *Sweep) Few() []int {
	n := len(s.Heights)
	out := []int{s.Heights[0], s.Heights[n/2], s.Heights[n-1]}
	for _, v := range s.Plan.Named {
		out = append(out, slices.MinFunc(s.Heights, func(a, b int) int {
			return cmp.Compare(math.Abs(float64(a)-v.Height), math.Abs(float64(b)-v.Height))
		}))
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// Densest stands for a density of a part: at each width the largest that is seen there.
const Densest = -1

// Part is windows that one goroutine visits one after another: densities, heights, then
// widths, each range with both ends.
type Part struct {
	Densities, Heights [2]int // places in Plan.Density and Sweep.Heights
	Widths             [2]int // CSS px
}

// Rows are parts of one density and height each, in which widths follow each other.
func (s *Sweep) Rows() []Part {
	var out []Part
	for d := range s.Plan.Density {
		for h := range s.Heights {
			out = append(out, Part{[2]int{d, d}, [2]int{h, h}, s.Plan.Widths})
		}
	}
	return out
}

// DensestRows are parts of one height each, every width at the largest density that is
// seen there: for what does not depend on the density.
func (s *Sweep) DensestRows() []Part {
	var out []Part
	for h := range s.Heights {
		out = append(out, Part{[2]int{Densest, Densest}, [2]int{h, h}, s.Plan.Widths})
	}
	return out
}

// ColumnWidths is how many widths a column has at most: enough parts for the cores, few enough
// that what each remembers of a layer pays off.
const ColumnWidths = 32

// Columns are parts of neighbouring widths at all heights and densities.
func (s *Sweep) Columns() []Part {
	var out []Part
	for w := s.Plan.Widths[0]; w <= s.Plan.Widths[1]; w += ColumnWidths {
		out = append(out, Part{[2]int{0, len(s.Plan.Density) - 1}, [2]int{0, len(s.Heights) - 1},
			[2]int{w, min(w+ColumnWidths-1, s.Plan.Widths[1])}})
	}
	return out
}

// Window is one window that is visited.
type Window struct {
	plan.Viewport
	D, H int // places in Plan.Density, or Densest, and Sweep.Heights
	W    int // whole CSS px of width
	Page *layout.Page
}

// DensityAt is the largest density that is seen at a width.
func (s *Sweep) DensityAt(w int) float64 {
	d := 1.0
	for i, v := range s.Plan.Density {
		if sp := s.Plan.Spans[i]; w >= sp[0] && w <= sp[1] {
			d = v
		}
	}
	return d
}

// Changes are the widths, rising, at which another set of a box's rules holds than at the
// width before, in windows of a height at density 1.
func (s *Sweep) Changes(box plan.BoxID, height int) []int {
	var out []int
	var last *plan.Values
	v := plan.Viewport{Window: window.Window{Height: float64(height), Density: 1}}
	for w := s.Plan.Widths[0]; w <= s.Plan.Widths[1]; w++ {
		v.Width = float64(w)
		values := s.Pages.Values(box, v)
		if last != nil && values != last {
			out = append(out, w)
		}
		last = values
	}
	return out
}

// Each visits the windows of parts. start makes what visit gathers of one part; these
// come back in the order of the parts. A visit that fails ends its part; the error of
// the first part that failed is returned, or the context's.
func Each[T any](ctx context.Context, s *Sweep, parts []Part, start func(Part) T, visit func(T, *Window) error) ([]T,
	error) {
	out := make([]T, len(parts))
	errs := make([]error, len(parts))
	var done atomic.Int64
	work.Each(len(parts), func(i int) {
		if errs[i] = ctx.Err(); errs[i] != nil {
			return
		}
		out[i] = start(parts[i])
		errs[i] = s.part(ctx, parts[i], func(w *Window) error { return visit(out[i], w) })
		if s.Progress != nil {
			s.Progress(int(done.Add(1)), len(parts))
		}
	})
	for _, err := range errs {
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}

func (s *Sweep) part(ctx context.Context, p Part, visit func(*Window) error) error {
	room := s.Pages.Room()
	var w Window
	w.Modes = s.Modes
	for d := p.Densities[0]; d <= p.Densities[1]; d++ {
		lo, hi := p.Widths[0], p.Widths[1]
		if d != Densest {
			lo, hi = max(lo, s.Plan.Spans[d][0]), min(hi, s.Plan.Spans[d][1])
			w.Density = s.Plan.Density[d]
		}
		for h := p.Heights[0]; h <= p.Heights[1]; h++ {
			if err := ctx.Err(); err != nil {
				return err
			}
			w.D, w.H, w.Height = d, h, float64(s.Heights[h])
			for x := lo; x <= hi; x++ {
				if d == Densest {
					w.Density = s.DensityAt(x)
				}
				w.W, w.Width = x, float64(x)
				w.Page = room.At(w.Viewport, layout.Exact)
				if err := visit(&w); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

package settle

import (
	"image"
	"math"
	"slices"

	"tourmaline/core/fit"
	"tourmaline/core/layout"
	"tourmaline/core/paint"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/sweep"
	"tourmaline/core/window"
)

// seenEdges is where a picture ends inside its box, over all windows.
type seenEdges struct {
	bare    [4]bool         // by edge: top, right, bottom, left
	spans   [2]bool         // by axis: it begins and ends with the box wherever it is bare on the other axis
	windows []plan.Viewport // some at which edges are seen: where most is bare, and the ends of the widths
	most    float64
}

func (e *seenEdges) any() bool { return e.bare != [4]bool{} }

// seenEdges sweeps the windows for the edges of a layer.
func (s *solver) seenEdges(id plan.LayerID) (*seenEdges, error) {
	rows, err := sweep.Each(s.ctx, s.sweep, s.sweep.DensestRows(),
		func(sweep.Part) *seenEdges { return &seenEdges{spans: [2]bool{true, true}} },
		func(e *seenEdges, w *sweep.Window) error {
			f := w.Page.Frame(id.Box)
			at := f.Values.Find(id)
			if at < 0 {
				return nil
			}
			var p place.Placed
			if ok, err := (place.Stage{Page: w.Page, Store: s.store}).Layer(&p, f, at); ok && err == nil {
				e.look(&p.Landing, plan.Viewport{Window: window.Window{Width: w.Width, Height: w.Height, Density: 1}})
			}
			return nil // the check missing tells of its picture
		})
	if err != nil {
		return nil, err
	}
	out := &seenEdges{spans: [2]bool{true, true}}
	for _, r := range rows {
		for k := range out.bare {
			out.bare[k] = out.bare[k] || r.bare[k]
		}
		out.spans = [2]bool{out.spans[0] && r.spans[0], out.spans[1] && r.spans[1]}
		out.windows = append(out.windows, r.windows...)
	}
	// A few windows tell the step: evenly of those that the rows found.
	const few = 12
	if n := len(out.windows); n > few {
		var some []plan.Viewport
		for i := range few {
			some = append(some, out.windows[i*(n-1)/(few-1)])
		}
		out.windows = slices.Compact(some)
	}
	return out, nil
}

// look notes the edges that are seen at one window.
func (e *seenEdges) look(l *place.Landing, v plan.Viewport) {
	in := [4]bool{l.Painted.Y > l.Paint.Y+fit.Room, l.Painted.Right() < l.Paint.Right()-fit.Room,
		l.Painted.Bottom() < l.Paint.Bottom()-fit.Room, l.Painted.X > l.Paint.X+fit.Room}
	for k := range in {
		e.bare[k] = e.bare[k] || in[k]
	}
	ends := [2][4]float64{{l.Origin.X, l.Origin.X + l.Size.X, l.Paint.X, l.Paint.Right()},
		{l.Origin.Y, l.Origin.Y + l.Size.Y, l.Paint.Y, l.Paint.Bottom()}}
	for axis, a := range ends {
		if in[axis] || in[axis+2] || in[1-axis] || in[3-axis] {
			with := math.Abs(a[0]-a[2]) <= 1 && math.Abs(a[1]-a[3]) <= 1
			e.spans[axis] = e.spans[axis] && with
		}
	}
	if in == [4]bool{} {
		return
	}
	switch {
	case len(e.windows) == 0:
		e.windows = []plan.Viewport{v, v, v} // the first, where most is bare, the last
		e.most = l.Bare
	case l.Bare > e.most:
		e.most, e.windows[1] = l.Bare, v
	}
	e.windows[2] = v
}

// stepAt is the step in levels at an edge of a layer that is seen in its box at a window, as it
// is painted: nine tenths of the px along the edge have less; 0 where the edge is not seen.
func (s *solver) stepAt(id plan.LayerID, v plan.Viewport, k int) (float64, error) {
	pg := s.sweep.Pages.At(v, layout.Device)
	f := pg.Frame(id.Box)
	at := f.Values.Find(id)
	if at < 0 {
		return 0, nil
	}
	var p place.Placed
	if ok, err := (place.Stage{Page: pg, Store: s.store}).Layer(&p, f, at); !ok || err != nil {
		return 0, err
	}
	l := &p.Landing
	var e seenEdges
	if e.look(l, v); !e.bare[k] {
		return 0, nil
	}
	// A strip of some px on both sides of the edge, px of the box.
	const reach = 3
	x0, y0 := l.Painted.X-f.Border.X, l.Painted.Y-f.Border.Y
	x1, y1 := x0+l.Painted.W, y0+l.Painted.H
	px := func(v float64) int { return int(math.Round(v)) }
	strip := [4]image.Rectangle{image.Rect(px(x0), px(y0)-reach, px(x1), px(y0)+reach),
		image.Rect(px(x1)-reach, px(y0), px(x1)+reach, px(y1)), image.Rect(px(x0), px(y1)-reach, px(x1), px(y1)+reach),
		image.Rect(px(x0)-reach, px(y0), px(x0)+reach, px(y1))}[k]
	strip = strip.Intersect(image.Rect(0, 0, int(f.Border.W), int(f.Border.H)))
	if strip.Empty() {
		return 0, nil
	}
	img, err := paint.Box(pg, f, s.store, paint.Options{Scale: 1, Part: strip})
	if err != nil {
		return 0, err
	}
	r := img.Rect
	if k%2 == 0 && r.Dy() < 2*reach || k%2 == 1 && r.Dx() < 2*reach {
		return 0, nil
	}
	var steps []int
	level := func(x, y int) [3]uint8 { return [3]uint8(img.Pix[img.PixOffset(x, y):][:3]) }
	if k%2 == 0 {
		for x := r.Min.X; x < r.Max.X; x++ {
			steps = append(steps, levels(level(x, r.Min.Y), level(x, r.Max.Y-1)))
		}
	} else {
		for y := r.Min.Y; y < r.Max.Y; y++ {
			steps = append(steps, levels(level(r.Min.X, y), level(r.Max.X-1, y)))
		}
	}
	if len(steps) == 0 {
		return 0, nil
	}
	slices.Sort(steps)
	return float64(steps[len(steps)*9/10]), nil
}

package settle

import (
	"math"
	"slices"

	"tourmaline/core/fit"
	"tourmaline/core/layout"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/sweep"
	"tourmaline/core/window"
)

// view is what one viewport asks of a position, on both axes.
type view struct {
	w, h     int // the window; h counts in heights
	ok       [2]set
	shows    [2]set // without the wish to stay clear of text
	far      [2]line
	free     [2]float64
	tooLarge int // the axis on which keep is longer than the box; -1: it fits

	start, length, room [2]float64 // keep at 0%, and the box, CSS px
}

// inView is the share of keep in view at a position.
func (v *view) inView(at [2]float64) float64 {
	share := 1.0
	for x := range 2 {
		from := v.start[x] + at[x]*v.free[x]
		if v.length[x] > 0 {
			share *= max(min(from+v.length[x], v.room[x])-max(from, 0), 0) / v.length[x]
		}
	}
	return share
}

// cuts is fit.KeepCut of a position.
func (v *view) cuts(at [2]float64) bool {
	d := place.Landing{InView: v.inView(at)}
	for x := range 2 {
		from := v.start[x] + at[x]*v.free[x]
		d.KeepOut = max(d.KeepOut, v.length[x]-max(min(from+v.length[x], v.room[x])-max(from, 0), 0))
	}
	return fit.KeepCut(&d)
}

// near reports whether a position on an axis is one that is asked for, or misses it by less than can be seen.
func (v *view) near(x int, p float64) bool {
	return v.ok[x].has(p) || v.ok[x].miss(p)*math.Abs(v.free[x]) <= fit.KeepTrim+fit.Exact
}

// viewOf computes the positions that show keep at one viewport, from the same
// landing as everything else.
func viewOf(f *layout.Frame, p *place.Placed, l *plan.Layer) view {
	v := view{tooLarge: -1}
	d := &p.Landing
	origin := [2]float64{d.Area.X - d.Paint.X, d.Area.Y - d.Paint.Y}
	size := [2]float64{d.Size.X, d.Size.Y}
	v.room, v.free = [2]float64{d.Paint.W, d.Paint.H}, fit.Free(d)
	keep := [2][2]float64{{0.5, 0.5}, {0.5, 0.5}}
	if k := l.Keep; k != nil {
		keep = [2][2]float64{{k.X, k.X + k.W}, {k.Y, k.Y + k.H}}
	}
	focus := [2]float64{(keep[0][0] + keep[0][1]) / 2, (keep[1][0] + keep[1][1]) / 2}
	if l.Focus != nil {
		focus = [2]float64{l.Focus.X, l.Focus.Y}
	}
	for x := range 2 {
		v.ok[x] = whole
		v.start[x], v.length[x] = origin[x]+keep[x][0]*size[x], (keep[x][1]-keep[x][0])*size[x]
		if l.Keep != nil {
			v.ok[x] = v.showing(x)
			if v.length[x] > v.room[x]+2*fit.KeepSlack*v.length[x] {
				v.tooLarge = x
			}
		}
		if v.room[x] > 0 {
			v.far[x] = line{(origin[x]+focus[x]*size[x])/v.room[x] - freeMiddle(f, d, x), v.free[x] / v.room[x]}
		}
	}
	v.shows = v.ok
	if l.Avoid && l.Keep != nil {
		v.avoid(f, d, l.Keep)
	}
	return v
}

// showing are the positions on an axis at which keep is in view.
func (v *view) showing(x int) set {
	trim, free := fit.KeepSlack*v.length[x], v.free[x]
	a := v.start[x] + trim                           // where keep begins at 0%
	b := v.room[x] - v.start[x] - v.length[x] + trim // the room after it at 0%
	lo, hi := 0.0, 1.0
	switch {
	case math.Abs(free) < fit.Exact:
		if a < 0 || b < 0 {
			return nil
		}
	case free < 0:
		lo, hi = b/free, a/-free
	default:
		lo, hi = -a/free, b/free
	}
	if lo, hi = max(lo, 0), min(hi, 1); lo > hi {
		return nil
	}
	return set{{lo, hi}}
}

// freeMiddle is the middle of the part of the box, 0..1 on an axis, that texts
// which span most of the other axis leave free.
func freeMiddle(f *layout.Frame, d *place.Landing, x int) float64 {
	free := whole
	for i := range f.Values.Text {
		t := f.TextRect(&f.Values.Text[i]).Intersect(d.Paint)
		along, across := [2]float64{(t.X - d.Paint.X) / d.Paint.W, (t.Right() - d.Paint.X) / d.Paint.W}, t.H/d.Paint.H
		if x == 1 {
			along, across = [2]float64{(t.Y - d.Paint.Y) / d.Paint.H, (t.Bottom() - d.Paint.Y) / d.Paint.H},
				t.W/d.Paint.W
		}
		if across >= 0.6 {
			free = free.less(along[0], along[1])
		}
	}
	widest := interval{0, 1}
	for n, i := range free {
		if n == 0 || i.hi-i.lo > widest.hi-widest.lo {
			widest = i
		}
	}
	return (widest.lo + widest.hi) / 2
}

// avoid takes out positions at which keep lies under a text area, on the axis that
// has space to move in.
func (v *view) avoid(f *layout.Frame, d *place.Landing, k *plan.Region) {
	x := 0
	if math.Abs(v.free[1]) > math.Abs(v.free[0]) {
		x = 1
	}
	keep := layout.Rect{X: d.Area.X + k.X*d.Size.X, Y: d.Area.Y + k.Y*d.Size.Y, W: k.W * d.Size.X, H: k.H * d.Size.Y}
	if x == 0 { // the other axis does not move, or hardly: it is taken where it lands
		keep.Y = d.Origin.Y + k.Y*d.Size.Y
	} else {
		keep.X = d.Origin.X + k.X*d.Size.X
	}
	for i := range f.Values.Text {
		t := f.TextRect(&f.Values.Text[i])
		lo, hi := t.X-keep.W-keep.X, t.Right()-keep.X // offsets of the picture at which they overlap
		apart := keep.Bottom() <= t.Y || keep.Y >= t.Bottom()
		if x == 1 {
			lo, hi = t.Y-keep.H-keep.Y, t.Bottom()-keep.Y
			apart = keep.Right() <= t.X || keep.X >= t.Right()
		}
		if apart || t.W <= 0 || t.H <= 0 {
			continue
		}
		if math.Abs(v.free[x]) < fit.Exact { // it moves nowhere: it lies under the text or not
			if offset := [2]float64{d.Origin.X - d.Area.X, d.Origin.Y - d.Area.Y}[x]; offset > lo && offset < hi {
				v.ok[x] = nil
			}
			continue
		}
		a, b := lo/v.free[x], hi/v.free[x]
		v.ok[x] = v.ok[x].less(min(a, b), max(a, b))
	}
}

// views sweeps the windows at which the layer is the one that is shown. All open
// positions are swept together, once.
func (s *solver) views(o plan.OpenValue) ([]view, error) {
	if v, ok := s.cache[o.Layer]; ok {
		return v, nil
	}
	var opens []plan.LayerID
	for _, p := range s.plan.Opens() {
		if p.Kind == plan.OpenPosition {
			opens = append(opens, p.Layer)
		}
	}
	all, err := s.viewsOf(opens)
	if err != nil {
		return nil, err
	}
	for i := range all {
		s.cache[opens[i]] = all[i]
	}
	return s.cache[o.Layer], nil
}

// viewsOf sweeps the windows for several layers at once, in each combination of the modes that their boxes ask for:
// height after height, widths rising.
func (s *solver) viewsOf(layers []plan.LayerID) ([][]view, error) {
	out := make([][]view, len(layers))
	modes := []window.Modes{0}
	for _, id := range layers {
		for _, m := range s.plan.All()[id.Box].Modes().Subsets() {
			if !slices.Contains(modes, m) {
				modes = append(modes, m)
			}
		}
	}
	for _, m := range modes {
		sw := *s.sweep
		sw.Modes = m
		rows, err := sweep.Each(s.ctx, &sw, sw.DensestRows(), func(sweep.Part) [][]view {
			return make([][]view, len(layers))
		}, func(row [][]view, w *sweep.Window) error { s.look(row, layers, w); return nil })
		if err != nil {
			return nil, err
		}
		for i := range layers {
			for h := range rows {
				out[i] = append(out[i], rows[h][i]...)
			}
		}
	}
	return out, nil
}

// look adds what a window asks of the positions of layers.
func (s *solver) look(row [][]view, layers []plan.LayerID, w *sweep.Window) {
	stage := place.Stage{Page: w.Page, Store: s.store}
	var p place.Placed
	for i, id := range layers {
		f := w.Page.Frame(id.Box)
		at := f.Values.Find(id)
		if at < 0 || w.Modes&^f.Box.Modes() != 0 {
			continue
		}
		if ok, err := stage.Layer(&p, f, at); !ok || err != nil || p.Landing.Size.X <= 0 {
			continue // the check missing tells of its picture
		}
		v := viewOf(f, &p, s.plan.Layer(id))
		v.w, v.h = w.W, w.H
		row[i] = append(row[i], v)
	}
}

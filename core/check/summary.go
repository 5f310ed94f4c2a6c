package check

import (
	"math"

	"tourmaline/core/css"
	"tourmaline/core/fit"
	"tourmaline/core/layout"
	"tourmaline/core/plan"
)

// layerSummary is what the whole sweep saw of one layer.
type layerSummary struct {
	id      plan.LayerID
	first   plan.Viewport
	part    [4]float64 // what was ever seen of the picture: left, top, right, bottom, 0..1
	need    float64    // most device px of picture width that were drawn
	free    [2]float64 // the most space that position could share out, by axis, CSS px
	fixed   [2]int     // viewports without such space, by axis
	n       int
	matters [2]plan.Viewport // the first viewport with space
	grow    float64          // how much taller the box may grow before it is soft, 0..1, at the worst window; +Inf: any
	largest float64          // drawn device px, and where
	at      plan.Viewport
	repeats bool
}

func newSummary(id plan.LayerID) *layerSummary {
	return &layerSummary{id: id, part: [4]float64{1, 1, 0, 0}, grow: math.Inf(1)}
}

// boxSummary is what the whole sweep saw of a box that others may hide.
type boxSummary struct {
	box     plan.BoxID
	most    float64 // largest share of the window's or its own area that is seen
	mostAt  plan.Viewport
	least   float64
	leastAt plan.Viewport
}

func (m *layerSummary) look(a *scene, v *plan.Viewport) {
	if m.n == 0 {
		m.first = *v
	}
	m.n++
	l := &a.Landing
	m.part[0] = min(m.part[0], l.Crop.Left)
	m.part[1] = min(m.part[1], l.Crop.Top)
	m.part[2] = max(m.part[2], 1-l.Crop.Right)
	m.part[3] = max(m.part[3], 1-l.Crop.Bottom)
	if px := l.Size.X * l.Size.Y * v.Density * v.Density; px > m.largest {
		m.largest, m.at = px, *v
	}
	m.need = max(m.need, l.Size.X*v.Density)
	m.grow = min(m.grow, grows(a))
	for axis, free := range fit.Free(l) {
		if !fit.Moves(free) {
			m.fixed[axis]++
			continue
		}
		if m.free[axis] == 0 {
			m.matters[axis] = *v
		}
		m.free[axis] = max(m.free[axis], math.Abs(free))
	}
	m.repeats = m.repeats || fit.Tiled(l)
}

// grows is how much taller than planned the box of a covering picture may grow before the
// picture is soft; +Inf where that does not matter, or it is soft already.
func grows(a *scene) float64 {
	floor := a.floor()
	if !raster(a) || a.Layer.Size.Kind != css.Cover || a.Layer.Attachment == css.Fixed || !a.Frame.Guessed() ||
		fit.Soft(&a.Landing, floor) || a.Landing.Area.H <= 0 {
		return math.Inf(1)
	}
	sharp := float64(a.File.Height) / (a.Frame.Env.Density * floor) // the tallest that is drawn sharp
	return max(sharp/a.Landing.Area.H-1, 0)
}

func (m *layerSummary) merge(o *layerSummary) {
	if o.n == 0 {
		return
	}
	if m.n == 0 {
		m.first = o.first
	}
	for i := range 2 {
		m.part[i], m.part[i+2] = min(m.part[i], o.part[i]), max(m.part[i+2], o.part[i+2])
		if m.free[i] == 0 || o.free[i] > 0 && o.matters[i].Width < m.matters[i].Width {
			if o.free[i] > 0 {
				m.matters[i] = o.matters[i]
			}
		}
		m.free[i] = max(m.free[i], o.free[i])
		m.fixed[i] += o.fixed[i]
	}
	if o.largest > m.largest {
		m.largest, m.at = o.largest, o.at
	}
	m.need, m.grow = max(m.need, o.need), min(m.grow, o.grow)
	m.n += o.n
	m.repeats = m.repeats || o.repeats
}

// look measures how much of a canvas or page column the boxes on it leave to see.
func (m *boxSummary) look(a *scene) {
	role := a.Frame.Box.Role
	if role == plan.Row {
		return
	}
	r := a.Frame.Border
	if role == plan.Canvas {
		r.H = max(r.H, a.Page.Viewport.Height)
	}
	area := r.W * r.H
	if area <= 0 {
		return
	}
	left := area
	for i := range a.Page.Frames {
		f := &a.Page.Frames[i]
		if plan.BoxID(i) <= m.box || f.Box.Role == plan.Page && role == plan.Page {
			continue
		}
		if !hides(f) {
			continue
		}
		in := f.Border.Intersect(r)
		left -= in.W * in.H
		if f.Box.Role == plan.Page {
			break // the boxes lie on it
		}
	}
	share := max(left/area, 0)
	v := a.Page.Viewport
	if share > m.most || m.mostAt.Width == 0 {
		m.most, m.mostAt = share, v
	}
	if share < m.least {
		m.least, m.leastAt = share, v
	}
}

func (m *boxSummary) merge(o *boxSummary) {
	if o.mostAt.Width == 0 {
		return
	}
	if o.most > m.most || m.mostAt.Width == 0 {
		m.most, m.mostAt = o.most, o.mostAt
	}
	if o.least < m.least {
		m.least, m.leastAt = o.least, o.leastAt
	}
}

// hides reports whether a box hides all that is behind it: an opaque colour, and
// no rounded corners.
func hides(f *layout.Frame) bool {
	if !f.Values.Style.Background.Color.IsOpaque() {
		return false
	}
	for _, r := range f.Values.Style.Radii {
		if !r.H.IsZero() || !r.V.IsZero() {
			return false
		}
	}
	layers := f.Values.Layers()
	return len(layers) == 0 || layers[len(layers)-1].Clip == css.BorderBox
}

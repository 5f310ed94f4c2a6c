package paint

import (
	"image"
	"math"

	"tourmaline/core/css"
	"tourmaline/core/layout"
	"tourmaline/core/place"
)

// clip is a rectangle of whole device px with rounded corners.
type clip struct {
	bounds image.Rectangle
	radii  [4][2]float64 // top-left, top-right, bottom-right, bottom-left; x, y
	round  bool
	// How much of the last column and row is covered; 0 stands for all of it.
	lastX, lastY float64
}

// clip returns the clip of a layer; nil stands for the whole painting area, which
// dest is cut to already.
func (c *canvas) clip(f *layout.Frame, box css.Box, k float64) *clip {
	outer := OuterRadii(f, k)
	if outer == ([4][2]float64{}) {
		return nil
	}
	x0, y0, x1, y1 := place.SnapRect(f.Area(box), k)
	out := &clip{bounds: image.Rect(x0, y0, x1, y1), radii: outer, round: true}
	var in [4]float64
	switch box {
	case css.PaddingBox:
		in = f.Edge
	case css.ContentBox:
		for i := range 4 {
			in[i] = f.Edge[i] + f.Pad[i]
		}
	}
	out.radii = innerRadii(outer, in, k)
	return out
}

// OuterRadii returns the used radii of the border box in device px, shrunk
// together where they would overlap.
// Source: CSS Backgrounds 3 (https://www.w3.org/TR/css-backgrounds-3/#corner-overlap).
func OuterRadii(f *layout.Frame, k float64) [4][2]float64 {
	var r [4][2]float64
	zero := true
	for i, v := range f.Values.Style.Radii {
		h, w := v.H.Resolve(&f.Env, f.Border.W), v.V.Resolve(&f.Env, f.Border.H)
		if h > 0 && w > 0 {
			r[i] = [2]float64{h * k, w * k}
			zero = false
		}
	}
	if zero {
		return r
	}
	x0, y0, x1, y1 := place.SnapRect(f.Border, k)
	w, h := float64(x1-x0), float64(y1-y0)
	scale := 1.0
	for _, s := range [][3]float64{{w, r[0][0], r[1][0]}, {w, r[3][0], r[2][0]}, {h, r[0][1], r[3][1]},
		{h, r[1][1], r[2][1]}} {
		if sum := s[1] + s[2]; sum > s[0] {
			scale = min(scale, s[0]/sum)
		}
	}
	for i := range r {
		r[i][0] *= scale
		r[i][1] *= scale
	}
	return r
}

// innerRadii shrinks radii by the insets top, right, bottom, left (CSS px).
func innerRadii(r [4][2]float64, in [4]float64, k float64) [4][2]float64 {
	side := [4][2]int{{3, 0}, {1, 0}, {1, 2}, {3, 2}}
	for i := range r {
		x, y := r[i][0]-in[side[i][0]]*k, r[i][1]-in[side[i][1]]*k
		if x <= 0 || y <= 0 {
			x, y = 0, 0
		}
		r[i] = [2]float64{x, y}
	}
	return r
}

// edgeClip is a rectangle from 0,0 to w,h whose last px may be partly covered;
// nil when it ends at whole px.
func edgeClip(w, h float64) *clip {
	cw, ch := math.Ceil(w-1e-6), math.Ceil(h-1e-6)
	if cw-w < 1e-6 && ch-h < 1e-6 {
		return nil
	}
	return &clip{bounds: image.Rect(0, 0, int(cw), int(ch)), lastX: max(w-cw+1, 0), lastY: max(h-ch+1, 0)}
}

// row writes how much of each px lies inside, and reports whether any does not
// wholly.
func (c *clip) row(y, x0, x1 int, cover []uint8) bool {
	if c.lastX > 0 || c.lastY > 0 {
		v := 255.0
		if y == c.bounds.Max.Y-1 && c.lastY > 0 {
			v *= c.lastY
		}
		fill8(cover[:x1-x0], uint8(v+0.5))
		if x1 == c.bounds.Max.X && c.lastX > 0 {
			cover[x1-x0-1] = uint8(v*c.lastX + 0.5)
		}
		return true
	}
	if !c.round {
		return false
	}
	top, bottom := float64(y-c.bounds.Min.Y), float64(c.bounds.Max.Y-y-1)
	near := max(c.radii[0][1], c.radii[1][1])
	far := max(c.radii[2][1], c.radii[3][1])
	if top >= near && bottom >= far {
		return false
	}
	cover = cover[:x1-x0]
	const lines = 16 // sample lines in a px row; across, coverage is exact
	left, right := make([]float64, lines), make([]float64, lines)
	w := float64(c.bounds.Dx())
	minL, maxL, minR, maxR := w, 0.0, w, 0.0
	for i := range lines {
		v := top + (float64(i)+0.5)/lines
		left[i] = c.inset(v, 0, 3)
		right[i] = w - c.inset(v, 1, 2)
		minL, maxL = min(minL, left[i]), max(maxL, left[i])
		minR, maxR = min(minR, right[i]), max(maxR, right[i])
	}
	for i := range cover {
		px := float64(x0 - c.bounds.Min.X + i)
		switch {
		case px >= maxL && px+1 <= minR:
			cover[i] = 255
		case px+1 <= minL || px >= maxR:
			cover[i] = 0
		default:
			a := 0.0
			for n := range lines {
				a += max(min(px+1, right[n])-max(px, left[n]), 0)
			}
			cover[i] = uint8(a/lines*255 + 0.5)
		}
	}
	return true
}

// inset is how far the edge is in at height v from the top, for the corners at
// the top (index a) and the bottom (index b) of one side.
func (c *clip) inset(v float64, a, b int) float64 {
	h := float64(c.bounds.Dy())
	for i, n := range [2]int{a, b} {
		r := c.radii[n]
		d := v
		if i == 1 {
			d = h - v
		}
		if r[1] > 0 && d < r[1] {
			u := 1 - d/r[1]
			return r[0] * (1 - math.Sqrt(max(1-u*u, 0)))
		}
	}
	return 0
}

package paint

import (
	"image"
	"math"

	"tourmaline/core/css"
	"tourmaline/core/layout"
	"tourmaline/core/place"
)

// border paints the borders of a frame over its background: solid, double,
// dashed, dotted and the four that look carved.
// Source: CSS Backgrounds 3 (https://www.w3.org/TR/css-backgrounds-3/#the-border-style).
func (c *canvas) border(f *layout.Frame, k float64) {
	var width [4]float64
	any := false
	st := &f.Values.Style
	var colours [4]css.RGBA
	for i, b := range st.Borders {
		width[i] = math.Floor(f.Edge[i]*k + 0.5)
		colours[i] = b.Color.Resolve(f.Env.Current)
		if width[i] > 0 && colours[i].A > 0 {
			any = true
		}
	}
	if !any {
		return
	}
	x0, y0, x1, y1 := place.SnapRect(f.Border, k)
	same := true
	for i := 1; i < 4; i++ {
		same = same && st.Borders[i].Style == st.Borders[0].Style && colours[i] == colours[0]
	}
	for side := range 4 {
		if same && side > 0 {
			break
		}
		if width[side] == 0 {
			continue
		}
		s := borderSide{canvas: c, outer: image.Rect(x0, y0, x1, y1), radii: OuterRadii(f, k), width: width,
			side: side, colour: colours[side]}
		sides := []int{side}
		if same {
			s.side, sides = -1, []int{0, 1, 2, 3}
		}
		s.paint(st.Borders[side].Style, sides)
	}
}

// paint paints the side, or sides that are alike, in a style.
func (s *borderSide) paint(style css.BorderStyle, sides []int) {
	c := s.colour
	switch style {
	case css.Double:
		if s.width[sides[0]] < 3 {
			s.ring(0, 1, c)
			return
		}
		s.ring(0, 1.0/3, c)
		s.ring(2.0/3, 1, c)
	case css.Dashed, css.Dotted:
		for _, s.side = range sides {
			s.dashes(c, style == css.Dotted)
		}
	case css.Groove, css.Ridge:
		for _, s.side = range sides {
			light := (s.side == 0 || s.side == 3) != (style == css.Groove)
			s.ring(0, 0.5, shade(c, light))
			s.ring(0.5, 1, shade(c, !light))
		}
	case css.Inset, css.Outset:
		for _, s.side = range sides {
			s.ring(0, 1, shade(c, (s.side == 0 || s.side == 3) != (style == css.Inset)))
		}
	default:
		s.ring(0, 1, c)
	}
}

// shade is the light or the dark tone of a carved border.
func shade(c css.RGBA, light bool) css.RGBA {
	if light {
		return c
	}
	return css.RGBA{R: c.R * 2 / 3, G: c.G * 2 / 3, B: c.B * 2 / 3, A: c.A}
}

// insetClip is the outer shape less the given widths.
func insetClip(outer image.Rectangle, radii [4][2]float64, in [4]float64) *clip {
	r := innerRadii(radii, in, 1)
	return &clip{bounds: image.Rect(outer.Min.X+int(in[3]), outer.Min.Y+int(in[0]), outer.Max.X-int(in[1]),
		outer.Max.Y-int(in[2])), radii: r, round: r != [4][2]float64{}}
}

// borderSide paints one side (0 to 3) or all (-1) of a ring.
type borderSide struct {
	*canvas
	outer  image.Rectangle
	radii  [4][2]float64
	width  [4]float64
	side   int
	colour css.RGBA
}

// ring fills the shape between two shares of the width, cut to the side's trapezium.
func (s *borderSide) ring(near, far float64, colour css.RGBA) {
	var a, b [4]float64
	for i := range 4 {
		a[i], b[i] = math.Round(s.width[i]*near), math.Round(s.width[i]*far)
	}
	s.between(insetClip(s.outer, s.radii, a), insetClip(s.outer, s.radii, b), colour)
}

// between fills the shape between two clips.
func (s *borderSide) between(out, in *clip, colour css.RGBA) {
	paint := Solid8(colour)
	if paint[3] == 0 {
		return
	}
	area := out.bounds.Intersect(s.dst.Rect.Add(image.Pt(s.x0, s.y0)))
	n := area.Dx()
	cover, hole := make([]uint8, n), make([]uint8, n)
	row := make([]uint8, 4*n)
	for y := area.Min.Y; y < area.Max.Y; y++ {
		fill8(cover, 255)
		out.row(y, area.Min.X, area.Max.X, cover)
		clear(hole)
		if y >= in.bounds.Min.Y && y < in.bounds.Max.Y {
			a, b := max(in.bounds.Min.X, area.Min.X), min(in.bounds.Max.X, area.Max.X)
			if a < b {
				part := hole[a-area.Min.X : b-area.Min.X]
				fill8(part, 255)
				in.row(y, a, b, part)
			}
		}
		for i := range cover {
			v := float64(cover[i]) - float64(hole[i])
			if v > 0 && s.side >= 0 {
				v *= s.share(area.Min.X+i, y)
			}
			cover[i] = uint8(max(v, 0) + 0.5)
		}
		solid(paint).row(y, area.Min.X, area.Max.X, row)
		blendRow(s.dst.Pix[(y-s.y0)*s.dst.Stride+4*(area.Min.X-s.x0):][:4*n], row, cover)
	}
}

func fill8(b []uint8, v uint8) {
	for i := range b {
		b[i] = v
	}
}

// share is how much of a px belongs to the side: sides meet on the lines from the
// outer to the inner corners.
func (s *borderSide) share(x, y int) float64 {
	const n = 4
	hit := 0
	for j := range n {
		for i := range n {
			px, py := float64(x)+(float64(i)+0.5)/n, float64(y)+(float64(j)+0.5)/n
			if s.nearest(px, py) == s.side {
				hit++
			}
		}
	}
	return float64(hit) / (n * n)
}

func (s *borderSide) nearest(x, y float64) int {
	d := [4]float64{y - float64(s.outer.Min.Y), float64(s.outer.Max.X) - x, float64(s.outer.Max.Y) - y,
		x - float64(s.outer.Min.X)}
	best, bestV := -1, math.Inf(1)
	for i := range 4 {
		if s.width[i] == 0 {
			continue
		}
		if v := d[i] / s.width[i]; v < bestV {
			best, bestV = i, v
		}
	}
	return best
}

// dashes paints one side as dashes two widths long, or as dots, spread evenly.
func (s *borderSide) dashes(colour css.RGBA, dotted bool) {
	w := s.width[s.side]
	horizontal := s.side == 0 || s.side == 2
	length := float64(s.outer.Dx())
	if !horizontal {
		length = float64(s.outer.Dy())
	}
	dash, gap := 2*w, w
	if w >= 3 {
		gap = 2 * w
	}
	if dotted {
		dash, gap = w, w
	}
	n := max(math.Floor((length+gap)/(dash+gap)), 1)
	if n > 1 {
		gap = (length - n*dash) / (n - 1)
	}
	for i := range int(n) {
		at := float64(i) * (dash + gap)
		x, y, dx, dy := float64(s.outer.Min.X)+at, float64(s.outer.Min.Y), dash, w
		if !horizontal {
			x, y, dx, dy = float64(s.outer.Min.X), float64(s.outer.Min.Y)+at, w, dash
		}
		switch s.side {
		case 1:
			x = float64(s.outer.Max.X) - w
		case 2:
			y = float64(s.outer.Max.Y) - w
		}
		r := image.Rect(int(math.Round(x)), int(math.Round(y)), int(math.Round(x+dx)), int(math.Round(y+dy)))
		cl := &clip{bounds: r}
		if dotted && w > 1 {
			cl.radii = [4][2]float64{{dx / 2, dy / 2}, {dx / 2, dy / 2}, {dx / 2, dy / 2}, {dx / 2, dy / 2}}
			cl.round = true
		}
		s.fill(solid(Solid8(colour)), r, cl, css.BlendNormal)
	}
}

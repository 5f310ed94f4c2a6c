package place

import (
	"math"

	"tourmaline/core/css"
	"tourmaline/core/layout"
)

// Snapped is a landing in device px as a browser paints it: the rectangle that is
// painted has whole edges, tiles keep fractional sizes.
//
// On an axis with repeats, tile edges lie at Dest.X - Phase.X + n*(Tile.X + Space.X).
// Without, the piece of the tile that starts at Phase and is Part long is drawn
// into Dest.
type Snapped struct {
	Dest  [4]int // x0, y0, x1, y1, half-open
	Clip  [4]int // the painting area; Dest may reach out of it
	Tile  Point
	Phase Point
	Space Point
	Part  Point
	One   bool // a single draw of the tile fills Dest
}

// SnapRect rounds the edges of a rectangle in CSS px to device px, each by itself.
func SnapRect(r layout.Rect, k float64) (x0, y0, x1, y1 int) {
	return snap(r.X * k), snap(r.Y * k), snap(r.Right() * k), snap(r.Bottom() * k)
}

// snap rounds half up, on the 1/64 px grid that browsers lay out on.
func snap(v float64) int { return int(math.Floor(grid(v) + 0.5)) }

// grid rounds towards 0 to 1/64, as layout's fixed point does; what misses a step
// by float noise counts as on it.
func grid(v float64) float64 { return math.Trunc(v*64+math.Copysign(1e-6, v)) / 64 }

// Device returns the landing as it is painted at k device px per CSS px. Rules
// are the ones docs/RATIONALE.md lists under "Why do tiles and single pictures
// snap differently?".
func Device(in *Input, k float64) Snapped {
	ax0, ay0, ax1, ay1 := SnapRect(in.Area, k)
	px0, py0, px1, py1 := SnapRect(in.Paint, k)
	bx0, by0, bx1, by1 := SnapRect(in.Bound, k)
	clip := [4]int{px0, py0, px1, py1}
	paint, bound := in.Paint, in.Bound
	if in.Layer.Attachment == css.Fixed {
		// A fixed layer is laid over the whole window, then cut to the box.
		paint, bound = in.Area, in.Area
		px0, py0, px1, py1 = ax0, ay0, ax1, ay1
		bx0, by0, bx1, by1 = ax0, ay0, ax1, ay1
	}
	sw, sh := float64(ax1-ax0), float64(ay1-ay0)
	aw, ah := grid(in.Area.W*k), grid(in.Area.H*k)
	snapped := Point{sw, sh}
	first := tileSize(in, sizing{area: Point{aw, ah}, snapped: snapped, k: k, device: true})
	first = Point{grid(first.X), grid(first.Y)}
	tile := roundTiles(in.Layer, snapped, first)
	tile = Point{grid(tile.X), grid(tile.Y)}
	x := (&deviceIn{repeat: in.Layer.Repeat.X, pos: &in.Layer.Position.X, env: in.Env, k: k,
		area: aw, snapped: sw, tile: tile.X, unround: first.X,
		areaAt: in.Area.X * k, paintAt: paint.X * k, paintLen: paint.W * k, boundEnd: bound.Right() * k,
		a0: ax0, p0: px0, p1: px1, b0: bx0, b1: bx1,
		origin: in.Layer.Origin, clip: in.Layer.Clip, edge: in.Edge[css.Left], opaque: in.Opaque[css.Left]}).snap()
	y := (&deviceIn{repeat: in.Layer.Repeat.Y, pos: &in.Layer.Position.Y, env: in.Env, k: k,
		area: ah, snapped: sh, tile: tile.Y, unround: first.Y,
		areaAt: in.Area.Y * k, paintAt: paint.Y * k, paintLen: paint.H * k, boundEnd: bound.Bottom() * k,
		a0: ay0, p0: py0, p1: py1, b0: by0, b1: by1,
		origin: in.Layer.Origin, clip: in.Layer.Clip, edge: in.Edge[css.Top], opaque: in.Opaque[css.Top]}).snap()
	s := Snapped{Dest: [4]int{x.d0, y.d0, x.d1, y.d1}, Clip: clip, Tile: tile, Phase: Point{x.phase, y.phase},
		Space: Point{x.space, y.space}, Part: Point{x.part, y.part}}
	w, h := tile.X, tile.Y
	if w <= 0 || h <= 0 {
		s.Dest = [4]int{px0, py0, px0, py0}
		return s
	}
	s.One = s.Space == Point{} && x.phase+x.part <= w+1e-9 && y.phase+y.part <= h+1e-9
	if in.Layer.Attachment == css.Fixed && s.Space == (Point{}) {
		t := s
		t.cut(in.Bound, k)
		if !s.One { // the box may lie within one of the tiles
			t.Phase = Point{mod(t.Phase.X, w), mod(t.Phase.Y, h)}
			t.One = t.Phase.X+t.Part.X <= w+1e-9 && t.Phase.Y+t.Part.Y <= h+1e-9
		}
		if t.One {
			return t
		}
	}
	return s
}

// cut leaves of a single draw what lies in a rectangle.
func (s *Snapped) cut(r layout.Rect, k float64) {
	x0, y0, x1, y1 := SnapRect(r, k)
	axis := func(d0, d1 *int, phase, part *float64, at, length float64, lo, hi int) {
		if shift := at - float64(*d0); shift > 0 {
			*phase += shift
			*part -= shift
		}
		*part = min(*part, at+length-max(float64(*d0), at))
		*d0 = max(*d0, lo)
		*d1 = max(min(*d1, hi), *d0)
	}
	axis(&s.Dest[0], &s.Dest[2], &s.Phase.X, &s.Part.X, grid(r.X*k), grid(r.W*k), x0, x1)
	axis(&s.Dest[1], &s.Dest[3], &s.Phase.Y, &s.Part.Y, grid(r.Y*k), grid(r.H*k), y0, y1)
}

type deviceAxis struct {
	d0, d1             int
	phase, space, part float64
}

// deviceIn is what decides one axis, in device px.
type deviceIn struct {
	repeat   css.Repeat
	pos      *css.Edge
	env      *css.Env
	k        float64
	area     float64 // positioning length, and the same snapped
	snapped  float64
	tile     float64
	unround  float64 // the tile before round: positions are of the space it would leave
	areaAt   float64 // where the positioning and painting areas begin
	paintAt  float64
	paintLen float64
	boundEnd float64 // where the border box ends
	a0       int     // positioning area, painting area and border box, snapped
	p0, p1   int
	b0, b1   int
	origin   css.Box
	clip     css.Box
	edge     float64 // width of the border at the start
	opaque   bool    // it hides what is behind it
}

// spaceAt is where the first of spaced tiles begins, and from where the end of a
// picture that is cut at its start is rounded. Only there do browsers mix rounded
// and exact edges, by origin and clip: measured on all pairs of both.
func (in *deviceIn) spaceAt(paintAt float64) float64 {
	area := grid(in.areaAt)
	if in.edge > 0 && in.origin == css.PaddingBox {
		area = float64(in.a0)
	}
	if in.edge > 0 && (in.clip == css.PaddingBox || in.clip == css.BorderBox && in.opaque) {
		return area
	}
	return float64(in.p0) + area - paintAt
}

func (in *deviceIn) snap() deviceAxis {
	d := deviceAxis{d0: in.p0, d1: in.p1, part: grid(in.paintLen)}
	if in.tile <= 0 {
		return d
	}
	offset := func(free float64) float64 { return grid(in.pos.ResolveEdge(in.env, free/in.k) * in.k) }
	paintAt := grid(in.paintAt)
	box := grid(in.areaAt) - paintAt // of the positioning area from the painting area
	repeat := in.repeat
	if repeat == css.SpaceTiles {
		n := math.Floor(in.snapped / in.tile)
		if n > 1 {
			d.space = grid((in.snapped - n*in.tile) / (n - 1))
			d.phase = mod(float64(in.p0)-in.spaceAt(paintAt), in.tile+d.space)
			return d
		}
		repeat = css.NoRepeat
	}
	if repeat != css.NoRepeat {
		free := in.area - in.unround
		if repeat == css.Round {
			free = in.snapped - in.unround
		}
		d.phase = mod(-(box + offset(free)), in.tile)
		if in.tile-d.phase < 1.0/128 {
			d.phase = 0
		}
		return d
	}
	at := box + offset(in.area-in.unround)
	end := grid(in.boundEnd) - paintAt // the border box ends here
	if at > 0 {
		d.d0 = max(snap(paintAt+at), in.p0)
		d.d1 = d.d0 + int(math.Floor(in.tile+0.5))
		d.part = min(in.tile, end-at)
	} else {
		d.phase = -at
		d.part = min(in.tile+at, end)
		snappedAt := in.spaceAt(paintAt) - float64(in.p0) + offset(in.snapped-in.unround)
		d.d1 = in.p0 + int(math.Floor(in.tile+snappedAt+0.5))
	}
	// What the border box cuts off is cut from both, each in its own measure.
	d.d1 = max(min(d.d1, in.b1), d.d0)
	return d
}

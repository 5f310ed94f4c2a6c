package paint

import (
	"encoding/binary"
	"image"
	"math"
)

// sampler reads a picture through a scale and an offset, smoothly.
//
// Browsers' software rasterizers blend in 16 steps, rounded down, unless one axis
// repeats and the other does not; then they blend exactly. See docs/RATIONALE.md,
// "How was scaling matched?".
type sampler struct {
	img          *image.RGBA
	wrapX, wrapY bool // tiles: filtering goes on across the edge; otherwise it clamps
	// A device px centre (x+0.5) lies at (x+0.5)*scale+offset in picture px.
	sx, sy, ox, oy float64
	exact          bool // whole offsets at scale 1: pixels are copied
	blend          blending
	fine           bool            // blend in 256 steps
	part           image.Rectangle // filtering reads no px outside it; empty is all
	cols           []tap
	x0             int
	ax, ay         axis
}

// axis maps device px to picture px in the single precision and the order of
// operations of rasterizers, which decides at the border of two blend steps.
type axis struct{ inv, off float32 }

// pieceAxis lays length px of the picture, from start, on the device px from at.
func pieceAxis(start, length float64, at, n, lo int) axis {
	top, end := float32(start), float32(start+length)
	scale := float32(n) / (end - top)
	move := float32(at) - top*scale
	move = scale*float32(lo) + move
	inv := 1 / scale
	return axis{inv, -move*inv + float32(lo)}
}

// patternAxis lays a picture of n px as a tile that begins at the device px at.
func patternAxis(n int, tile, at float64) axis {
	scale := float32(tile) / float32(n)
	inv := 1 / scale
	return axis{inv, -float32(at) * inv}
}

// blending is how finely two px are mixed.
type blending uint8

const (
	byMode blending = iota // 16 steps unless the axes differ
	fine
)

// tap is the pair of picture columns that a device column reads, and the weight
// of the second in 1/256.
type tap struct {
	a, b int32 // byte offsets in a row
	w    uint32
}

// prepare makes the sampler ready for the device columns x0 to x1.
func (s *sampler) prepare(x0, x1 int) {
	s.fine, s.x0 = s.blend == fine || s.blend == byMode && s.wrapX != s.wrapY, x0
	if s.part = s.part.Intersect(s.img.Rect); s.part.Empty() {
		s.part = s.img.Rect
	}
	sx, sy, ox, oy := s.sx, s.sy, s.ox, s.oy
	if s.ax.inv == 0 {
		s.ax, s.ay = axis{float32(sx), float32(ox)}, axis{float32(sy), float32(oy)}
	}
	whole := func(v float64) bool { return math.Abs(v-math.Round(v)) < 1.0/512 }
	s.exact = math.Abs(sx-1) < 1e-9 && math.Abs(sy-1) < 1e-9 && whole(ox) && whole(oy)
	s.cols = make([]tap, x1-x0)
	for i := range s.cols {
		a, b, w := s.tap(float64(x0+i), sx, ox, s.ax, s.wrapX, s.part.Min.X, s.part.Max.X)
		s.cols[i] = tap{int32(4 * a), int32(4 * b), w}
	}
}

// tap returns the two picture px around a device px and the second one's weight.
// lo and hi bound the px that are read; where the axis wraps they are its ends.
func (s *sampler) tap(dev, scale, offset float64, x axis, wrap bool, lo, hi int) (a, b int, w uint32) {
	u := (dev+0.5)*scale + offset
	switch {
	case s.exact:
		a = int(math.Floor(u))
	case s.fine:
		u -= 0.5
		f := math.Floor(u)
		a, w = int(f), uint32((u-f)*256+0.5)
		if w == 256 {
			a, w = a+1, 0
		}
	case wrap:
		return coarseWrap(dev, x, hi-lo)
	default: // 16.16 fixed point, of which four bits are kept
		pt := float32(x.inv*(float32(dev)+0.5)) + x.off
		q := int64(math.Floor(float64(pt)*65536)) - 1<<15
		a, w = int(q>>16), uint32(q>>12&15)*16
	}
	b = a + 1
	if wrap {
		n := hi - lo
		return wrapIndex(a, n), wrapIndex(b, n), w
	}
	return min(max(a, lo), hi-1), min(max(b, lo), hi-1), w
}

// coarseWrap is tap on a repeating axis of n px: rasterizers count it in 1/65536
// of the tile.
func coarseWrap(dev float64, x axis, n int) (a, b int, w uint32) {
	div := 1 / float32(n)
	u := float64(float32(x.inv*div*(float32(dev)+0.5)) + x.off*div)
	one := int64(65536 / n)
	q := int64(math.Floor(u*65536)) - one/2
	at := func(q int64) int64 { return (q & 0xffff) * int64(n) }
	return int(at(q) >> 16), int(at(q+one) >> 16), uint32(at(q)>>12&15) * 16
}

func wrapIndex(i, n int) int {
	if i %= n; i < 0 {
		i += n
	}
	return i
}

func (s *sampler) row(y, x0, x1 int, out []uint8) {
	ya, yb, wy := s.tap(float64(y), s.sy, s.oy, s.ay, s.wrapY, s.part.Min.Y, s.part.Max.Y)
	ra := s.img.Pix[ya*s.img.Stride:][:4*s.img.Rect.Dx()]
	cols := s.cols[x0-s.x0 : x1-s.x0]
	if s.exact && wy == 0 {
		s.copyRow(ra, cols, out)
		return
	}
	rb := s.img.Pix[yb*s.img.Stride:][:4*s.img.Rect.Dx()]
	if s.fine {
		mixFine(pair{ra, rb, wy}, cols, out)
		return
	}
	mix(pair{ra, rb, wy}, cols, out)
}

// pair is two rows of a picture, and the weight of the second in 1/256.
type pair struct {
	a, b []uint8
	w    uint32
}

// mix blends the px of two rows in 16 steps an axis, rounded down. The four channels of a px are mixed at once, in 16
// bits each: 255 times the 256 that the four weights make fits.
func mix(rows pair, cols []tap, out []uint8) {
	le, ra, rb := binary.LittleEndian, rows.a, rows.b
	v := uint64(rows.w >> 4)
	for i, c := range cols {
		h := uint64(c.w >> 4)
		w11 := h * v
		w01, w10 := h<<4-w11, v<<4-w11
		w00 := 256 - w01 - w10 - w11
		var sum uint64
		if c.b == c.a+4 { // neighbours are read at once
			top, low := le.Uint64(ra[c.a:]), le.Uint64(rb[c.a:])
			sum = spread(top&0xffffffff)*w00 + spread(top>>32)*w01 + spread(low&0xffffffff)*w10 + spread(low>>32)*w11
		} else {
			sum = spread(uint64(le.Uint32(ra[c.a:])))*w00 + spread(uint64(le.Uint32(ra[c.b:])))*w01 +
				spread(uint64(le.Uint32(rb[c.a:])))*w10 + spread(uint64(le.Uint32(rb[c.b:])))*w11
		}
		sum = sum >> 8 & lanes
		le.PutUint32(out[4*i:], uint32(sum|sum>>24))
	}
}

// lanes are where spread puts four bytes: the first, third, second and fourth, 16 bits each.
const lanes = 0x00ff00ff00ff00ff

func spread(px uint64) uint64 { return (px | px<<24) & lanes }

// mixFine blends the px of two rows in 256 steps an axis, rounded: two channels at once, in 32 bits each.
func mixFine(rows pair, cols []tap, out []uint8) {
	le, ra, rb, wy := binary.LittleEndian, rows.a, rows.b, rows.w
	const half = 1<<15 | 1<<47
	two := func(px uint32) uint64 { return uint64(px&0xff) | uint64(px&0xff00)<<24 }
	for i, c := range cols {
		w11 := uint64(c.w * wy)
		w01, w10 := uint64(c.w)<<8-w11, uint64(wy)<<8-w11
		w00 := 1<<16 - w01 - w10 - w11
		p, q, u, v := le.Uint32(ra[c.a:]), le.Uint32(ra[c.b:]), le.Uint32(rb[c.a:]), le.Uint32(rb[c.b:])
		rg := two(p)*w00 + two(q)*w01 + two(u)*w10 + two(v)*w11 + half
		ba := two(p>>16)*w00 + two(q>>16)*w01 + two(u>>16)*w10 + two(v>>16)*w11 + half
		le.PutUint32(out[4*i:], uint32(rg>>16&0xff|rg>>40&0xff00|ba&0xff0000|ba>>24&0xff000000))
	}
}

// copyRow copies runs of neighbouring columns; a tile that has been laid whole is
// doubled until the row is full.
func (s *sampler) copyRow(row []uint8, cols []tap, out []uint8) {
	tile := len(row) / 4
	for i := 0; i < len(cols); {
		if s.wrapX && i >= tile {
			for i < len(cols) { // px i is the same as px i-tile*n
				back := i / tile * tile
				i += copy(out[4*i:4*len(cols)], out[4*(i-back):4*i]) / 4
			}
			return
		}
		start, run := cols[i].a, 1
		for i+run < len(cols) && cols[i+run].a == start+int32(4*run) {
			run++
		}
		copy(out[4*i:4*(i+run)], row[start:])
		i += run
	}
}

// rowF is row in floats 0..255, blended exactly and not rounded.
func (s *sampler) rowF(y, x0, x1 int, out [][4]float32) {
	exact := *s
	exact.fine = true
	ya, yb, wy := exact.tap(float64(y), s.sy, s.oy, s.ay, s.wrapY, s.part.Min.Y, s.part.Max.Y)
	ra, rb := s.img.Pix[ya*s.img.Stride:], s.img.Pix[yb*s.img.Stride:]
	fy := float32(wy) / 256
	for i := range out[:x1-x0] {
		a, b, w := exact.tap(float64(x0+i), s.sx, s.ox, s.ax, s.wrapX, s.part.Min.X, s.part.Max.X)
		fx := float32(w) / 256
		for c := range 4 {
			top := float32(ra[4*a+c]) + (float32(ra[4*b+c])-float32(ra[4*a+c]))*fx
			low := float32(rb[4*a+c]) + (float32(rb[4*b+c])-float32(rb[4*a+c]))*fx
			out[i][c] = top + (low-top)*fy
		}
	}
}

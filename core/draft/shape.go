package draft

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"tourmaline/core/cascade"
	"tourmaline/core/css"
	"tourmaline/core/window"
)

// shape are windows in which conditions on more than the width answer alike: of some heights, upright or not, and of
// some densities. The zero shape is where no rule asks for any of these.
type shape struct {
	// query has the media queries of the height, of the density and of the side: those hold in them, and not in the
	// windows of the box itself; "" where these are of the box itself.
	query   [3]string
	heights span // the zero span: all
	lying   int8 // 1: upright, 2: not
	density float64
}

// holds reports whether the queries of o hold in all of these windows.
func (s *shape) holds(o *shape) bool {
	for i, q := range o.query {
		if q != "" && q != s.query[i] {
			return false
		}
	}
	return true
}

// text is the query of all.
func (s *shape) text() string {
	return joinQueries(s.query[:]...)
}

// kind are windows in which an element is like over the widths: of one shape, with some modes on.
type kind struct {
	modes window.Modes
	shape shape
}

// at is the window of a width.
func (k kind) at(width int) css.Env {
	w := window.Window{Width: float64(width), Height: height, Density: density, Modes: k.modes}
	if k.shape.density > 0 {
		w.Density = k.shape.density
	}
	switch k.shape.lying { // where no height of the range will do there is no such window
	case 1:
		w.Height = max(w.Height, w.Width)
	case 2:
		w.Height = min(w.Height, w.Width-1)
	}
	if h := k.shape.heights; h != (span{}) {
		w.Height = min(max(w.Height, h[0]), h[1]-1)
	}
	w.Height = max(w.Height, 1)
	return css.Env{Window: w}
}

// mostShapes are how many shapes a box is drafted in.
const mostShapes = 12

// shapes are those that an element's rules tell apart, that of the box itself first. alien is a condition of a rule for
// its background that is not drafted; "" for none.
func (d *drafter) shapes(e *cascade.Element) ([]shape, string) {
	known, ok := d.shaped[e]
	if !ok {
		known.list, known.alien = d.shapesOf(e)
		d.shaped[e] = known
	}
	return known.list, known.alien
}

// shaped is what shapes found of an element.
type shaped struct {
	list  []shape
	alien string
}

func (d *drafter) shapesOf(e *cascade.Element) (out []shape, alien string) {
	var heights, densities []float64 // the first of each range but the lowest
	upright := false
	own := d.page.Under(e, "")
	not := func(text string) {
		if alien == "" && slices.Contains(own, text) {
			alien = text
		}
	}
	for _, text := range d.page.Contained(e, "") {
		not(text)
	}
	for _, c := range d.page.Asked(e) {
		c.Media.Each(func(x *window.Condition) {
			from := x.Value
			if x.Op != window.Compare || x.Axis == window.Width && x.Of == nil {
				return
			}
			switch {
			case x.Of != nil || x.Cmp == window.Equal && x.Axis != window.Ratio:
				not(c.Text)
			case x.Axis == window.Height:
				if from = math.Ceil(from); x.Cmp == window.AtMost || x.Cmp == window.More {
					from = math.Floor(x.Value) + 1
				}
				heights = append(heights, from)
			case x.Axis == window.Density && (x.Cmp == window.AtLeast || x.Cmp == window.Less):
				densities = append(densities, from)
			case x.Axis == window.Ratio && x.Value == 1 && x.Cmp != window.Equal && x.Cmp != window.Less &&
				x.Cmp != window.AtLeast:
				upright = true
			default:
				not(c.Text)
			}
		})
	}
	out = product(ranges(heights, height), ranges(densities, density), upright)
	if len(out) > mostShapes && alien == "" && len(own) > 0 {
		return out[:1], own[0]
	}
	return out, alien
}

// span is a range from one value on to another that is not in it; 0 and +Inf are its ends where it has none.
type span [2]float64

// ranges are what some values cut, the one that base lies in first.
func ranges(cuts []float64, base float64) []span {
	slices.Sort(cuts)
	out := []span{{0, math.Inf(1)}}
	for _, v := range slices.Compact(cuts) {
		if n := len(out) - 1; v > out[n][0] {
			out = append(out, span{v, out[n][1]})
			out[n][1] = v
		}
	}
	for i, s := range out {
		if s[0] <= base && base < s[1] {
			out[0], out[i] = out[i], out[0]
		}
	}
	return out
}

// product are the shapes of all ranges together; the first of each are the box's own.
func product(heights, densities []span, upright bool) (out []shape) {
	sides := []int8{0}
	if upright {
		sides = []int8{2, 1}
	}
	for i, h := range heights {
		for k, r := range densities {
			for n, lying := range sides {
				var s shape
				if len(heights) > 1 {
					s.heights = h
				}
				if i > 0 {
					s.query[0] = within(h)
				}
				if len(densities) > 1 {
					if s.density = max(r[0], 0.5); r[0] <= density && density < r[1] {
						s.density = density
					}
				}
				switch {
				case k > 0 && r[0] <= 0:
					s.query[1] = fmt.Sprintf("(resolution < %gx)", r[1])
				case k > 0 && math.IsInf(r[1], 1):
					s.query[1] = fmt.Sprintf("(resolution >= %gx)", r[0])
				case k > 0:
					s.query[1] = fmt.Sprintf("(resolution >= %gx) and (resolution < %gx)", r[0], r[1])
				}
				if s.lying = lying; n > 0 {
					s.query[2] = "(orientation: portrait)"
				}
				out = append(out, s)
			}
		}
	}
	return out
}

// within is the media query of a range of heights.
func within(h span) string {
	switch {
	case h[0] <= 0:
		return fmt.Sprintf("(height <= %gpx)", h[1]-1)
	case math.IsInf(h[1], 1):
		return fmt.Sprintf("(height >= %gpx)", h[0])
	}
	return fmt.Sprintf("(%gpx <= height <= %gpx)", h[0], h[1]-1)
}

// joinQueries joins media queries, of which some are "".
func joinQueries(list ...string) string {
	return strings.Join(slices.DeleteFunc(slices.Clone(list), func(q string) bool { return q == "" }), " and ")
}

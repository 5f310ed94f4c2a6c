package settle

import (
	"fmt"
	"image"
	"math"
	"tourmaline/core/check"
	"tourmaline/core/layout"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
)

// behind is the colour behind a picture in the making: one, or two where opposite edges
// differ and a gradient runs between.
type behind struct {
	edges picture.EdgeColours
	ends  [][3]uint8
	to    string // the side that the gradient runs to; "" for one colour
}

// sideNames are those of EdgeColours.
var sideNames = [4]string{"the top", "the right", "the bottom", "the left"}

func (b *behind) edge(k int) [3]uint8 { return [3]uint8{b.edges[k].R, b.edges[k].G, b.edges[k].B} }

// continuing takes the mean of the picture's edges that are seen, by length and opacity in
// linear light, or two colours where a gradient along the picture goes on; it is false where
// all edges are clear.
func continuing(img *image.RGBA, v *seenEdges) (*behind, bool) {
	b := &behind{edges: picture.Edges(img)}
	var sum [3]float64
	weight := 0.0
	for k, e := range b.edges {
		if v.any() && !v.bare[k] {
			continue
		}
		n := float64(img.Rect.Dx())
		if k%2 == 1 {
			n = float64(img.Rect.Dy())
		}
		n *= e.Share
		for i, v := range b.edge(k) {
			sum[i] += n * picture.Linear(v)
		}
		weight += n
	}
	if weight == 0 {
		return b, false
	}
	b.ends = [][3]uint8{{picture.FromLinear(sum[0] / weight), picture.FromLinear(sum[1] / weight),
		picture.FromLinear(sum[2] / weight)}}
	for _, pair := range []struct {
		a, b, axis int
		to         string
	}{{0, 2, 1, "bottom"}, {3, 1, 0, "right"}} {
		if b.edges[pair.a].Share < 0.9 || b.edges[pair.b].Share < 0.9 || !v.spans[pair.axis] {
			continue
		}
		if d := levels(b.edge(pair.a), b.edge(pair.b)); d > visibleStep &&
			(b.to == "" || d > levels(b.ends[0], b.ends[1])) {
			b.ends, b.to = [][3]uint8{b.edge(pair.a), b.edge(pair.b)}, pair.to
		}
	}
	return b, true
}

// value is what is written.
func (b *behind) value() string {
	if b.to == "" {
		return rgbText(b.ends[0], 100)
	}
	return fmt.Sprintf("linear-gradient(to %s, %s, %s)", b.to, rgbText(b.ends[0], 100), rgbText(b.ends[1], 100))
}

// mixed are the ends moved towards a colour.
func (b *behind) mixed(towards [3]uint8, percent int) [][3]uint8 {
	var out [][3]uint8
	for _, e := range b.ends {
		out = append(out, mix(e, towards, percent))
	}
	return out
}

// solveColor settles color: auto, the colour behind a picture: what goes on where its edges
// end, moved as far as text on it needs while the picture loads; or auto flat, one colour.
func (s *solver) solveColor(o plan.OpenValue) (Choice, error) {
	c := s.choice(o)
	var f *picture.File
	var over plan.LayerID
	layers, at := s.list(o)
	for i := at - 1; i >= 0 && f == nil; i-- {
		if img, _ := layers[i].CSS.Image.Pick(1); img.IsURL {
			f, _ = s.store.File(img.URL)
			over = plan.LayerID{Box: o.Layer.Box, Rule: o.Layer.Rule, N: i + 1}
		}
	}
	if f == nil || f.Vector != nil {
		return c.fail("there is no picture over it whose edges it could continue: write a colour"), nil
	}
	img, err := f.Pixels()
	if err != nil {
		return c, err
	}
	seen, err := s.seenEdges(over)
	if err != nil {
		return c, err
	}
	if o.Wish == "auto flat" {
		seen.spans = [2]bool{}
	}
	b, ok := continuing(img, seen)
	if !ok {
		return c.fail("the picture's edges are clear: write a colour"), nil
	}
	moved := s.letRead(&c, b, o)
	c.Value = b.value()
	c.Why = append(c.Why, fmt.Sprintf("it continues the edges of %s", f.Name))
	t, err := s.with(o, c.Value)
	if err != nil {
		return c, err
	}
	if err := t.tellStep(&c, over, seen); err != nil {
		return c, err
	}
	if moved > 0 {
		c.Why = append(c.Why, fmt.Sprintf("moved by %d%% so that the text can be read before the picture is there",
			moved))
	}
	return c, nil
}

// tellStep says how large the step is that is seen where the picture ends in the box, at the
// window where it is largest.
func (s *solver) tellStep(c *Choice, over plan.LayerID, seen *seenEdges) error {
	if !seen.any() {
		c.Why = append(c.Why, "the picture fills the box at every width: it is seen only while that loads")
		return nil
	}
	worst, edge, at := 0.0, 0, plan.Viewport{}
	for _, v := range seen.windows {
		for k := range sideNames {
			step, err := s.stepAt(over, v, k)
			if err != nil {
				return err
			}
			if step > worst {
				worst, edge, at = step, k, v
			}
		}
	}
	if worst == 0 {
		return nil
	}
	c.Why = append(
		c.Why,
		fmt.Sprintf("where the picture ends in the box the step is %.0f levels at most, at %s edge at %s",
			worst, sideNames[edge], at),
	)
	if worst > visibleStep {
		c.Why = append(
			c.Why,
			"that is seen: no one colour goes on there; size: cover, or a picture whose edges are plain, "+
				"would hide it",
		)
	}
	return nil
}

// letRead moves the colours towards black or white as far as the box's text needs while the picture loads, on what
// lies over them too, and returns by how many per cent.
func (s *solver) letRead(c *Choice, b *behind, o plan.OpenValue) (moved int) {
	box := s.box(o).ID
	on := func(list [][3]uint8) legible {
		tried := *b
		tried.ends = list
		t, err := s.with(o, tried.value())
		if err != nil {
			return legible{0, 1}
		}
		return t.whileLoading(box)
	}
	plain := func(e [3]uint8) legible {
		list := make([][3]uint8, len(b.ends))
		for i := range list {
			list[i] = e
		}
		return on(list)
	}
	before := on(b.ends)
	if before.over() >= 1 {
		return 0
	}
	towards := [3]uint8{}
	if plain([3]uint8{}).over() < plain([3]uint8{255, 255, 255}).over() {
		towards = [3]uint8{255, 255, 255}
	}
	if plain(towards).over() < 1 {
		*c = c.fail("neither black nor white lets the text be read while the picture loads: two texts ask for " +
			"opposite colours, or one is a middle grey")
	}
	lo, hi := 0, 100
	for hi-lo > 1 {
		if mid := (lo + hi) / 2; on(b.mixed(towards, mid)).over() >= 1 {
			hi = mid
		} else {
			lo = mid
		}
	}
	b.ends = b.mixed(towards, hi)
	if !c.Failed {
		after := on(b.ends)
		c.Before = fmt.Sprintf("contrast %.2f while the picture loads, where %g is needed", before.has, before.needs)
		c.After = fmt.Sprintf("%.2f, where %g is needed", after.has, after.needs)
	}
	return hi
}

// visibleStep is how many levels a step at the edge of a picture may have before it is
// seen.
const visibleStep = 24

// levels is how far two colours are apart, in the channel that differs most.
func levels(a, b [3]uint8) int {
	d := 0
	for i := range a {
		d = max(d, abs(int(a[i])-int(b[i])))
	}
	return d
}

func mix(a, b [3]uint8, percent int) [3]uint8 {
	var out [3]uint8
	for i := range out {
		out[i] = uint8((int(a[i])*(100-percent) + int(b[i])*percent + 50) / 100)
	}
	return out
}

// whileLoading is the text area of a box that is read worst before its pictures have come: at the ends of the
// widths, at both sides of each change of its rules, and in the named viewports.
func (s *solver) whileLoading(box plan.BoxID) legible {
	at := []size{{s.plan.Widths[0], s.sweep.Heights[0]}, {s.plan.Widths[1], s.sweep.Heights[0]}}
	for _, w := range s.sweep.Changes(box, s.sweep.Heights[0]) {
		at = append(at, size{w - 1, s.sweep.Heights[0]}, size{w, s.sweep.Heights[0]})
	}
	for _, v := range s.plan.Named {
		at = append(at, size{int(v.Width), int(v.Height)})
	}
	worst := legible{math.Inf(1), 1}
	for _, w := range at {
		values := s.sweep.Pages.At(w.viewport(), layout.Exact).Frame(box).Values
		for n, sp := range s.texts.Loading(box, w.w, w.h, check.Small) {
			if l := (legible{sp.Low, values.Text[n].Contrast}); l.over() < worst.over() {
				worst = l
			}
		}
	}
	return worst
}

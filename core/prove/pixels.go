package prove

import (
	"cmp"
	"image"
	"image/color"
	"image/draw"
	"math"
	"slices"

	"tourmaline/core/cut"
	"tourmaline/core/layout"
	"tourmaline/core/paint"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
)

// mostStops is how often a window is scrolled.
const mostStops = 12

// Stop is how far a window is scrolled, and the part of what it shows then that is looked at: CSS px.
type Stop struct{ Scroll, Top, High int }

// Stops are those in which all of the boxes that are looked at is seen, each part once.
func (m *Made) Stops(w *Window, v *Visit) (out []Stop) {
	high := int(w.Height)
	last := max(int(v.Page)-high, 0)
	var spans [][2]float64
	for _, b := range m.Plan.All() {
		if !b.Paints() || b.Role == plan.Canvas || w.Boxes != nil && !slices.Contains(w.Boxes, b.ID) {
			continue
		}
		if r := v.Boxes[b.ID].Border; r[2] > 0 && r[3] > 0 {
			spans = append(spans, [2]float64{r[1], r[1] + r[3]})
		}
	}
	if len(spans) == 0 { // the canvas alone
		return []Stop{{0, 0, high}}
	}
	slices.SortFunc(spans, func(a, b [2]float64) int { return cmp.Compare(a[0], b[0]) })
	to := 0 // all above was looked at
	for _, s := range spans {
		from, end := max(int(math.Floor(s[0])), to), int(math.Ceil(s[1]))
		for from < end && len(out) < mostStops {
			scroll := min(from, last)
			part := min(end, scroll+high) - from
			if part <= 0 {
				break
			}
			if n := len(out); n > 0 && out[n-1].Scroll+out[n-1].Top+out[n-1].High == from &&
				out[n-1].Top+out[n-1].High+part <= high {
				out[n-1].High += part // it is in view there as well
			} else {
				out = append(out, Stop{scroll, from - scroll, part})
			}
			from += part
		}
		to = max(to, from)
	}
	return out
}

// Shot is what is expected of a window that is scrolled, on white, device px: all boxes, as their files make
// them. Parts are where each box is seen, by BoxID; empty of those that are not, or that move with the window.
type Shot struct {
	Image *image.RGBA
	Parts []image.Rectangle
}

// Expect paints what a stop should show, with boxes where the browser has them. Errors are of the pictures.
func (m *Made) Expect(w *Window, v *Visit, at Stop) (*Shot, error) {
	k, scroll := w.Density, float64(at.Scroll)
	size := image.Rect(0, 0, int(w.Width*k+0.5), int(float64(at.High)*k+0.5))
	out := &Shot{image.NewRGBA(size), make([]image.Rectangle, len(m.Plan.All()))}
	draw.Draw(out.Image, size, image.NewUniform(color.White), image.Point{}, draw.Src)
	pg := layout.At(m.Plan, w.Viewport, layout.Device)
	pg.Height = v.Page
	for _, b := range m.Plan.All() {
		got := &v.Boxes[b.ID]
		if !b.Paints() || got.Matches == 0 || b.Role != plan.Canvas && (got.Border[2] <= 0 || got.Border[3] <= 0) {
			continue
		}
		f := As(pg.Frame(b.ID), got, v.Page)
		sticks := false
		if l := got.Look; l != nil && b.Role != plan.Canvas {
			sticks = l.Position == "sticky"
			if l.Position == "fixed" {
				f.Border.Y += scroll
			}
		}
		pg.Frames[b.ID] = *f
		x0, y0, x1, y1 := place.SnapRect(f.Border, k)
		moved := image.Rect(x0, y0, x1, y1).Sub(image.Pt(0, int(math.Round((scroll+float64(at.Top))*k))))
		seen := moved.Intersect(size)
		if seen.Empty() {
			continue
		}
		own, store, err := m.delivered(f)
		if err != nil {
			return nil, err
		}
		img, err := paint.Box(pg, own, store, paint.Options{Part: seen.Sub(moved.Min), Scroll: scroll})
		if err != nil {
			return nil, err
		}
		draw.Draw(out.Image, seen, img, image.Point{}, draw.Over)
		if !sticks {
			out.Parts[b.ID] = seen
		}
	}
	return out, nil
}

// delivered is a frame as its files make it: with the sizes that the stylesheet writes, and a store that gives the
// files' px in place of the sources'.
func (m *Made) delivered(f *layout.Frame) (*layout.Frame, *picture.Store, error) {
	own, store := *f, m.Store
	for i := range f.Values.Layers() {
		l := &f.Values.Layers()[i]
		img, _ := l.Image.Pick(f.Env.Density)
		if !img.IsURL {
			continue
		}
		r := m.rung(f.Box, img.URL, &f.Env)
		if r == nil {
			continue
		}
		made := m.file(r.Best().Name)
		if made.ladder.Copy {
			continue
		}
		px, err := m.decoded(made)
		if err != nil {
			return nil, nil, err
		}
		if !r.Partial(made.ladder.File) {
			store = store.With(img.URL, made.ladder.File.Stand(px))
			continue
		}
		as := *l.On(f.Env.Modes)
		as.Size = r.Size(&as, made.ladder.File)
		own.Values = own.Values.Drawn(i, as)
		store = store.With(img.URL, made.ladder.File.As(px))
	}
	return &own, store, nil
}

// decoded are the px of a file; they are kept.
func (m *Made) decoded(f *file) (*image.RGBA, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if f.px == nil {
		px, err := cut.Decode(f.asset.Data)
		if err != nil {
			return nil, err
		}
		f.px = px
	}
	return f.px, nil
}

// block is the side of the blocks of which the worst is told, device px.
const block = 16

// How far pixels may differ, levels of 255: on average over a box, and in its worst block. Browsers scale and
// decode a little otherwise than each other.
const (
	MostMean  = 2
	MostWorst = 16
)

// Compare holds a photograph of a window against what is expected, for each box that is looked at.
func (m *Made) Compare(shot *Shot, got *image.RGBA, boxes []*Box) {
	for _, o := range boxes {
		at := shot.Parts[o.Box.ID].Intersect(got.Rect)
		if at.Empty() || o.plays {
			continue
		}
		var over []image.Rectangle
		for id := int(o.Box.ID) + 1; id < len(shot.Parts); id++ {
			if r := shot.Parts[id].Intersect(at); !r.Empty() {
				over = append(over, r)
			}
		}
		mean, worst, any := difference(shot.Image, got, at, over)
		if any {
			o.Mean, o.Worst, o.Looked = max(o.Mean, mean), max(o.Worst, worst), true
		}
	}
}

// Judge says of pixels that were compared whether they differ.
func (o *Box) Judge() {
	if o.Looked && (o.Mean > MostMean || o.Worst > MostWorst) {
		o.differ("its pixels differ by %.1f levels on average, %.0f at the worst place", o.Mean, o.Worst)
	}
}

// difference is the mean difference of two pictures in a part but for what lies over it, levels of the channel
// that differs most, and that of the worst block.
func difference(a, b *image.RGBA, at image.Rectangle, over []image.Rectangle) (mean, worst float64, any bool) {
	across := (at.Dx() + block - 1) / block
	sums, counts := make([]int, across), make([]int, across)
	total, n := 0, 0
	flush := func() {
		for i, c := range counts {
			if c >= block*block/4 {
				worst = max(worst, float64(sums[i])/float64(c))
			}
			total, n = total+sums[i], n+c
			sums[i], counts[i] = 0, 0
		}
	}
	for y := at.Min.Y; y < at.Max.Y; y++ {
		if (y-at.Min.Y)%block == 0 {
			flush()
		}
		var here []image.Rectangle
		for _, r := range over {
			if y >= r.Min.Y && y < r.Max.Y {
				here = append(here, r)
			}
		}
		p, q := a.Pix[a.PixOffset(at.Min.X, y):], b.Pix[b.PixOffset(at.Min.X, y):]
	pixels:
		for x := range at.Dx() {
			for _, r := range here {
				if x+at.Min.X >= r.Min.X && x+at.Min.X < r.Max.X {
					continue pixels
				}
			}
			most := 0
			for c := range 3 {
				most = max(most, int(p[4*x+c])-int(q[4*x+c]), int(q[4*x+c])-int(p[4*x+c]))
			}
			sums[x/block] += most
			counts[x/block]++
		}
	}
	flush()
	if n == 0 {
		return 0, 0, false
	}
	return float64(total) / float64(n), worst, true
}

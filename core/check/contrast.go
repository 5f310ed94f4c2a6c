package check

import (
	"fmt"
	"image"
	"image/draw"
	"math"
	"slices"
	"sort"
	"sync/atomic"

	"tourmaline/core/contrast"
	"tourmaline/core/css"
	"tourmaline/core/finding"
	"tourmaline/core/layout"
	"tourmaline/core/paint"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/work"
)

var contrastCheck = &Check{
	Name: "contrast", Group: "Text", Level: finding.Error,
	Line: "text cannot be read on what lies under it",
	Long: `For each text area the WCAG 2 contrast ratio between its colour and every pixel under
it is measured: the worst pixel, the ratio that 5% of the pixels fall short of, and the
share of pixels below the needed ratio (4.5, or what contrast: says; 3 is enough for
large text). It fires where that 5% is below the needed ratio, so that a single bright
star does not count. The same is measured as before the pictures have come, on the
colours and gradients alone. Boxes are painted small at every eighth width, at every
change of rules, and at every width where the ratio is within a quarter of the needed
one; the worst viewport and both ends of every range are then painted at full size, and
the ends are moved to where the full size says. Density does not matter. What lies
behind a see-through box is painted too, and a fixed picture is looked at with the box
at the top, the middle and the bottom of the window.`,
	Remedy: "lay a scrim between picture and text, such as color: rgb(0 0 0 / 50%), or change the text's colour",
	Fires:  "boxes:\n  - name: hero\n    height: 400px\n    layers:\n      - {image: photo.jpg, size: cover}\n      - color: black\n    text:\n      - {area: {left: 5%, top: 10%, width: 50%, height: 60%}, color: \"#888\"}\n",
	Silent: "boxes:\n  - name: hero\n    height: 400px\n    layers:\n      - color: rgb(0 0 0 / 85%)\n      - {image: photo.jpg, size: cover}\n      - color: black\n    text:\n      - {area: {left: 5%, top: 10%, width: 50%, height: 60%}, color: white}\n",
	once: func(s *pass) {
		for _, b := range s.boxes {
			box := s.plan.All()[b]
			areas, pictures := 0, false
			for r := range box.Rules {
				c := box.Compute(r)
				areas = max(areas, len(c.Text))
				for i := range c.Layers() {
					pictures = pictures || len(urls(c.Layers()[i].Image)) > 0
				}
			}
			if areas == 0 {
				continue
			}
			modes := []bool{false}
			if pictures {
				modes = append(modes, true)
			}
			for _, loading := range modes {
				r := &reader{pass: s, box: b, loading: loading}
				r.sweep(areas)
			}
		}
	},
}

// reader measures the text areas of one box, with its pictures or before they
// have come.
type reader struct {
	*pass
	box     int
	loading bool
}

// smallPixels is about how many px a box is painted small with.
const smallPixels = 9000

// near is how close to the needed ratio every width is painted.
const nearRatio = 1.25

// sample is what was measured at one width and height.
type sample struct {
	width  int
	rules  *plan.Computed
	spread []contrast.Spread // one a text area
}

// sweep measures every text area at every width that matters, at up to three
// heights where the box depends on it.
func (r *reader) sweep(areas int) {
	lo, hi := r.plan.Widths[0], r.plan.Widths[1]
	at := r.pickHeights()
	rows := make([][]sample, len(at))
	work.Each(len(at), func(i int) { rows[i] = r.row(lo, hi, r.heights[at[i]]) })
	for n := range areas {
		set := finding.NewSet(1, len(at))
		var top *contrast.Spread
		var topAt plan.Viewport
		for i, h := range at {
			runs := r.runs(rows[i], n, r.heights[h])
			set.Add(0, i, runs)
			for _, smp := range rows[i] {
				if n >= len(smp.spread) || !within(runs, smp.width) {
					continue
				}
				if sp := smp.spread[n]; top == nil || sp.Low < top.Low {
					top, topAt = &sp, plan.Viewport{Width: float64(smp.width), Height: float64(r.heights[h]), Density: 1}
				}
			}
		}
		if top == nil {
			continue
		}
		full := r.measure(int(topAt.Width), int(topAt.Height), 1)
		if n < len(full.spread) {
			top = &full.spread[n]
		}
		r.report(n, top, topAt, set, at)
	}
}

func within(runs []finding.Run, w int) bool {
	return slices.ContainsFunc(runs, func(r finding.Run) bool { return r.From <= w && w <= r.To })
}

// pickHeights returns which of the swept heights to paint: one where the box is
// the same at all, else both ends and the middle.
func (r *reader) pickHeights() []int {
	n := len(r.heights)
	ends := []int{0, n / 2, n - 1}
	for w := r.plan.Widths[0]; w <= r.plan.Widths[1]; w += max((r.plan.Widths[1]-r.plan.Widths[0])/7, 1) {
		var first layout.Rect
		for k, h := range ends {
			v := plan.Viewport{Width: float64(w), Height: float64(r.heights[h]), Density: 1}
			pg := layout.At(r.plan, v, layout.Exact)
			f := &pg.Frames[r.box]
			fixed := false
			for i := range f.At.Layers() {
				fixed = fixed || f.At.Layers()[i].Attachment == css.Fixed
			}
			if k == 0 {
				first = f.Border
			}
			if fixed || f.Border.H != first.H || f.Border.W != first.W {
				return slices.Compact(ends)
			}
		}
	}
	return []int{0}
}

// row measures one height: a coarse comb of widths, then each width between two
// teeth of which one is near the needed ratio.
func (r *reader) row(lo, hi, height int) []sample {
	const comb = 8
	var out []sample
	var last *plan.Computed
	var room layout.Room
	v := plan.Viewport{Height: float64(height), Density: 1}
	widths := []int{}
	for w := lo; w <= hi; w++ {
		v.Width = float64(w)
		at := room.At(r.plan, v, layout.Exact).Frames[r.box].At
		if at != last && w > lo {
			widths = append(widths, w-1)
		}
		if at != last || (w-lo)%comb == 0 || w == hi {
			widths = append(widths, w)
		}
		last = at
	}
	widths = slices.Compact(widths)
	for _, w := range widths {
		out = append(out, r.measure(w, height, 0))
	}
	coarse := slices.Clone(out)
	for i := 1; i < len(coarse); i++ {
		a, b := coarse[i-1], coarse[i]
		if b.width-a.width > 1 && (r.close(a) || r.close(b)) {
			for w := a.width + 1; w < b.width; w++ {
				out = append(out, r.measure(w, height, 0))
			}
		}
	}
	sort.Slice(out, func(i, j int) bool { return out[i].width < out[j].width })
	return out
}

// close reports a ratio near enough to the needed one to look at each width.
func (r *reader) close(s sample) bool {
	for n, sp := range s.spread {
		need := s.rules.Text[n].Contrast
		if sp.Low < need*nearRatio && sp.Low > need/nearRatio {
			return true
		}
	}
	return false
}

func fails(s sample, n int) bool {
	return n < len(s.spread) && s.spread[n].Low < s.rules.Text[n].Contrast
}

// endMoves is how far the end of a range is moved after a look at full size.
const endMoves = 12

// runs are the failing widths of an area, their ends confirmed at full size.
func (r *reader) runs(row []sample, n, height int) []finding.Run {
	var out []finding.Run
	for i := 0; i < len(row); i++ {
		if !fails(row[i], n) {
			continue
		}
		from := row[i].width
		for i+1 < len(row) && fails(row[i+1], n) {
			i++
		}
		out = append(out, finding.Run{From: from, To: row[i].width})
	}
	full := func(w int) bool { return fails(r.measure(w, height, 1), n) }
	lo, hi := r.plan.Widths[0], r.plan.Widths[1]
	var sure []finding.Run
	for _, x := range out {
		from, to := x.From, x.To
		if from > lo {
			for k := 0; k < endMoves && from <= to && !full(from); k++ {
				from++
			}
			for k := 0; k < endMoves && from == x.From-k && from > lo && full(from-1); k++ {
				from--
			}
		}
		if to < hi {
			for k := 0; k < endMoves && to >= from && !full(to); k++ {
				to--
			}
			for k := 0; k < endMoves && to == x.To+k && to < hi && full(to+1); k++ {
				to++
			}
		}
		if k := len(sure); k > 0 && from <= sure[k-1].To+1 {
			sure[k-1].To = max(to, sure[k-1].To)
		} else if from <= to {
			sure = append(sure, finding.Run{From: from, To: to})
		}
	}
	return sure
}

// measure paints the box and what is behind it, and measures its text areas. A
// scale of 0 paints small.
func (r *reader) measure(w, h int, scale float64) sample {
	v := plan.Viewport{Width: float64(w), Height: float64(h), Density: 1}
	pg := layout.At(r.plan, v, layout.Exact)
	f := &pg.Frames[r.box]
	out := sample{width: w, rules: f.At}
	if len(f.At.Text) == 0 || f.Border.W <= 0 || f.Border.H <= 0 {
		return out
	}
	if scale == 0 {
		scale = min(1, math.Sqrt(smallPixels/(f.Border.W*f.Border.H)))
	}
	for _, scroll := range scrolls(f, v.Height) {
		img, err := r.paintUnder(pg, scale, scroll)
		if err != nil {
			return sample{width: w, rules: f.At} // the check missing tells of its pictures
		}
		x0, y0, _, _ := place.SnapRect(f.Border, scale)
		for n := range f.At.Text {
			t := &f.At.Text[n]
			area := region(f.TextRect(t), scale, float64(x0)/scale, float64(y0)/scale)
			sp := contrast.Under(img, area, t.Color.Resolve(f.Env.Current), [3]uint8{255, 255, 255}, t.Contrast)
			if n == len(out.spread) {
				out.spread = append(out.spread, sp)
			} else if sp.Low < out.spread[n].Low {
				out.spread[n] = sp
			}
		}
	}
	return out
}

// scrolls are the scroll positions to look at: where nothing is fixed, one.
func scrolls(f *layout.Frame, window float64) []float64 {
	for i := range f.At.Layers() {
		if f.At.Layers()[i].Attachment == css.Fixed {
			top, mid, end := f.Border.Y, f.Border.Y+(f.Border.H-window)/2, f.Border.Bottom()-window
			return []float64{max(top, 0), max(mid, 0), max(end, 0)}
		}
	}
	return []float64{0}
}

// paintUnder paints the box; where it can be seen through, what is behind it too.
func (r *reader) paintUnder(pg *layout.PageLayout, scale, scroll float64) (*image.RGBA, error) {
	opt := paint.Options{Scale: scale, Scroll: scroll, Loading: r.loading}
	f := &pg.Frames[r.box]
	img, err := paint.Box(pg, f, r.store, opt)
	if err != nil || !picture.HasAlpha(img) {
		return img, err
	}
	x0, y0, _, _ := place.SnapRect(f.Border, scale)
	under := image.NewRGBA(img.Rect)
	draw.Draw(under, under.Rect, image.White, image.Point{}, draw.Src)
	for i := range pg.Frames[:r.box] {
		b := &pg.Frames[i]
		if b.Box.Role == plan.Row || b.Border.W <= 0 || b.Border.H <= 0 {
			continue
		}
		back, err := paint.Box(pg, b, r.store, opt)
		if err != nil {
			return nil, err
		}
		bx, by, _, _ := place.SnapRect(b.Border, scale)
		draw.Draw(under, back.Rect.Add(image.Pt(bx-x0, by-y0)), back, image.Point{}, draw.Over)
	}
	draw.Draw(under, under.Rect, img, image.Point{}, draw.Over)
	return under, nil
}

func (r *reader) report(n int, sp *contrast.Spread, v plan.Viewport, set *finding.Set, at []int) {
	if set.Empty() {
		return
	}
	var heights []int
	for _, h := range at {
		heights = append(heights, r.heights[h])
	}
	pg := layout.At(r.plan, v, layout.Exact)
	f := &pg.Frames[r.box]
	t := &f.At.Text[n]
	out := finding.Finding{Box: f.Box.Name, Pos: t.Pos, Worst: &v, Measured: sp.Low, Wanted: t.Contrast, Unit: "contrast ratio",
		Where: set.Statements([]float64{1}, [][2]int{r.plan.Widths}, heights), Exact: set.Spans([]float64{1}, heights),
		Message: fmt.Sprintf("5%% of the pixels under text %s have a contrast of %.2f or less (%.2f at worst); %s are below the needed %g", t.Color.String(), sp.Low, sp.Worst, finding.Percent(sp.Below), t.Contrast),
		How:     "painted small across the widths, at full size at the worst one and at the ends of each range"}
	if r.loading {
		out.Message = fmt.Sprintf("while the pictures load, text %s stands on colours with a contrast of %.2f (%.2f at worst), below the needed %g", t.Color.String(), sp.Low, sp.Worst, t.Contrast)
		out.Remedy = "give the box a color: layer at the bottom that the text can be read on"
	}
	r.add(out)
}

// TextContrast measures the text areas of a box (by its place in plan.All) at one
// window, painted at scale (0 is small) with its pictures or, loading, before they
// have come. It is nil where the box has no text there.
func TextContrast(p *plan.Plan, store *picture.Store, box, w, h int, scale float64, loading bool) []contrast.Spread {
	r := &reader{pass: &pass{plan: p, store: store}, box: box, loading: loading}
	return r.measure(w, h, scale).spread
}

// Unreadable reports whether the check contrast finds a width at which a text area of
// a box (by its place in plan.All) cannot be read on its pictures.
func Unreadable(p *plan.Plan, store *picture.Store, box int) bool {
	r := &reader{pass: &pass{plan: p, store: store, heights: Heights(p)}, box: box}
	areas := 0
	b := p.All()[box]
	for i := range b.Rules {
		areas = max(areas, len(b.Compute(i).Text))
	}
	var bad atomic.Bool
	at := r.pickHeights()
	work.Each(len(at), func(i int) {
		h := r.heights[at[i]]
		row := r.row(p.Widths[0], p.Widths[1], h)
		for n := range areas {
			worst := -1 // the one that fails most, if it does so at full size too, decides
			for k := range row {
				if fails(row[k], n) && (worst < 0 || row[k].spread[n].Low < row[worst].spread[n].Low) {
					worst = k
				}
			}
			if worst >= 0 && !bad.Load() && (fails(r.measure(row[worst].width, h, 1), n) || len(r.runs(row, n, h)) > 0) {
				bad.Store(true)
			}
		}
	})
	return bad.Load()
}

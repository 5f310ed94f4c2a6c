package check

import (
	"context"
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
	"tourmaline/core/fit"
	"tourmaline/core/layout"
	"tourmaline/core/paint"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/window"
	"tourmaline/core/work"
)

// reader measures the text areas of one box, with its pictures or before they
// have come.
type reader struct {
	*pass
	box     plan.BoxID
	loading bool
	modes   window.Modes   // that are on
	but     []*finding.Set // by area: what is told already
	frame   *frame         // of a video, in place of its poster; nil: the poster
	of      *plan.RuleID   // windows alone in which this block declares the images; nil: all
	out     *[]finding.Finding
}

// frame is a still picture of a video as a store shows it.
type frame struct {
	store *picture.Store
	told  string // which it is
	// hold takes the finding of a text area, with the contrast that 5% are below.
	hold func(area int, low float64, f finding.Finding)
}

// pictures is the store that the reader paints with.
func (r *reader) pictures() *picture.Store {
	if r.frame != nil {
		return r.frame.store
	}
	return r.store
}

// near is how close to the needed ratio one of two painted widths is for the one in their middle to be painted, by how
// far they are apart. From one width to the next the ratio changes by less than 1% as a rule.
func near(apart int) float64 {
	switch {
	case apart > 4:
		return 1.25
	case apart > 2:
		return 1.12
	}
	return 1.06
}

// sample is what was measured at one width and height.
type sample struct {
	width  int
	modes  window.Modes
	rules  *plan.Values
	spread []contrast.Spread // one a text area
}

// all measures every text area at every width that matters, at up to three
// heights where the box depends on it.
func (r *reader) all(areas int) (sets []*finding.Set) {
	at := r.heights()
	rows := make([][]sample, len(at))
	work.Each(len(at), func(i int) { rows[i] = r.row(r.sweep.Heights[at[i]]) })
	for n := range areas {
		set := finding.NewSet(1, len(at))
		sets = append(sets, set)
		worst := sample{width: -1}
		var worstAt plan.Viewport
		for i, h := range at {
			runs := r.runs(rows[i], n, r.sweep.Heights[h])
			if n < len(r.but) {
				runs = finding.Subtract(runs, r.but[n].Runs(0, i))
			}
			set.Add(0, i, runs)
			for _, smp := range rows[i] {
				if n < len(smp.spread) && within(runs, smp.width) &&
					(worst.width < 0 || smp.spread[n].Low < worst.spread[n].Low) {
					worst, worstAt = smp, r.window(smp.width, r.sweep.Heights[h])
				}
			}
		}
		if worst.width < 0 {
			continue
		}
		if full := r.measure(int(worstAt.Width), int(worstAt.Height), 1); n < len(full.spread) {
			worst = full
		}
		r.report(n, worst, worstAt, painted{set, at})
	}
	return sets
}

func within(runs []finding.Run, w int) bool {
	return slices.ContainsFunc(runs, func(r finding.Run) bool { return r.From <= w && w <= r.To })
}

// heights are the places of the swept heights to paint: one where the box looks the same in windows of any
// height, else both ends, the middle, and both ends of every range of heights in which other rules hold.
func (r *reader) heights() (out []int) {
	n := len(r.sweep.Heights)
	if r.plan.AnyHeight(r.box) {
		return []int{0}
	}
	out = []int{0, n / 2, n - 1}
	for _, h := range r.plan.All()[r.box].HeightEnds(r.plan.Heights) {
		if at := slices.Index(r.sweep.Heights, h); at >= 0 {
			out = append(out, at)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// row measures one height: a coarse comb of widths, then between two teeth the more the nearer one of them is to the
// needed ratio, down to each width.
func (r *reader) row(height int) []sample {
	const comb = 8
	lo, hi := r.plan.Widths[0], r.plan.Widths[1]
	var out []sample
	widths := []int{hi}
	for w := lo; w < hi; w += comb {
		widths = append(widths, w)
	}
	for _, w := range r.sweep.Changes(r.box, height) {
		widths = append(widths, w-1, w)
	}
	slices.Sort(widths)
	widths = slices.Compact(widths)
	for _, w := range widths {
		out = append(out, r.measure(w, height, 0))
	}
	for i := len(out) - 1; i > 0; i-- {
		r.halve(out[i-1], out[i], height, &out)
	}
	sort.Slice(out, func(i, j int) bool { return out[i].width < out[j].width })
	return out
}

// halve paints the widths between two, halving, as long as one of them is near the needed ratio.
func (r *reader) halve(a, b sample, height int, out *[]sample) {
	apart := b.width - a.width
	if apart < 2 || !r.close(a, apart) && !r.close(b, apart) {
		return
	}
	mid := r.measure(a.width+apart/2, height, 0)
	*out = append(*out, mid)
	r.halve(a, mid, height, out)
	r.halve(mid, b, height, out)
}

// close reports a ratio near enough to the needed one to look between two widths.
func (r *reader) close(s sample, apart int) bool {
	for n, sp := range s.spread {
		need := s.need(n)
		if sp.Low < need*near(apart) && sp.Low > need/near(apart) {
			return true
		}
	}
	return false
}

func fails(s sample, n int) bool { return n < len(s.spread) && s.spread[n].Low < s.need(n) }

// enhanced is the contrast that visitors need who ask for more.
// Source: WCAG 2.2, 1.4.6 (https://www.w3.org/TR/WCAG22/#contrast-enhanced).
const enhanced = 7

// Need is the contrast that a text needs in windows with some modes.
func Need(t *plan.TextArea, modes window.Modes) float64 {
	if modes&window.MoreContrast != 0 {
		return max(t.Contrast, enhanced)
	}
	return t.Contrast
}

func (s sample) need(n int) float64 { return Need(&s.rules.Text[n], s.modes) }

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
	var sure []finding.Run
	e := runEnd{reader: r, row: row, area: n, height: height}
	for i, x := range out {
		least, most := r.plan.Widths[0], r.plan.Widths[1] // what the run may grow to
		k := len(sure)
		if k > 0 {
			least = sure[k-1].To + 1
		}
		if i+1 < len(out) {
			most = out[i+1].From - 1
		}
		from, to := max(x.From, least), x.To
		if from > least {
			from = e.find(from, -1, to-from, from-least)
		}
		if from <= to && to < most {
			to = e.find(to, 1, to-from, most-to)
		}
		switch {
		case from > to:
		case k > 0 && from == least:
			sure[k-1].To = to
		default:
			sure = append(sure, finding.Run{From: from, To: to})
		}
	}
	return sure
}

// runEnd finds where a run of failing widths of an area ends at full size.
type runEnd struct {
	*reader
	row          []sample // painted small
	area, height int
}

// find returns the last width, going out of a run from an end of it (dir -1 or 1), that fails at full size and beyond
// which one does not; none is more than endMoves from the end, inner px into the run (then all of it may go) or outer
// px
// out of it. How the ratio goes on is known from the small paintings, but for what full size adds: few looks are
// needed.
func (e *runEnd) find(end, dir, inner, outer int) int {
	fail, pass := -min(endMoves, inner+1), min(endMoves, outer)+1 // px outwards; what is beyond counts as looked at
	guess, wrong := 0, 0
	for pass-fail > 1 {
		s := e.measure(end+dir*guess, e.height, 1)
		bad := fails(s, e.area)
		if bad {
			fail = guess
		} else {
			pass = guess
		}
		if e.area < len(s.spread) {
			guess = e.predict(end, dir, guess, s)
		}
		if guess > fail && guess < pass {
			continue
		}
		// What was predicted is known already: beside it is looked first, then at the end of what may be, then halfway.
		switch wrong++; {
		case wrong == 1 && bad:
			guess = fail + 1
		case wrong == 1:
			guess = pass - 1
		case wrong == 2 && bad:
			guess = pass - 1
		case wrong == 2:
			guess = fail + 1
		default:
			guess = fail + (pass-fail)/2
		}
	}
	return end + dir*fail
}

// predict is the last failing px outwards if the full size adds everywhere what it adds at the one looked at.
func (e *runEnd) predict(end, dir, at int, full sample) int {
	need := full.need(e.area)
	adds := full.spread[e.area].Low - e.small(end+dir*at)
	bad := func(k int) bool { return e.small(end+dir*k)+adds < need }
	k := at
	if bad(k) {
		for k < at+2*endMoves && bad(k+1) {
			k++
		}
		return k
	}
	for k > at-2*endMoves && !bad(k) {
		k--
	}
	return k
}

// small is the ratio of a width between those that were painted small.
func (e *runEnd) small(w int) float64 {
	i := sort.Search(len(e.row), func(i int) bool { return e.row[i].width >= w })
	low := func(i int) float64 {
		if s := e.row[min(max(i, 0), len(e.row)-1)]; e.area < len(s.spread) {
			return s.spread[e.area].Low
		}
		return contrast.Best
	}
	if i <= 0 || i >= len(e.row) || e.row[i].width == w {
		return low(i)
	}
	a, b := e.row[i-1].width, e.row[i].width
	return low(i-1) + (low(i)-low(i-1))*float64(w-a)/float64(b-a)
}

// white is what lies behind a page.
var white = [3]uint8{255, 255, 255}

// window is one of density 1.
func (r *reader) window(w, h int) plan.Viewport {
	return plan.Viewport{Window: window.Window{Width: float64(w), Height: float64(h), Density: 1, Modes: r.modes}}
}

// measure paints the box and what is behind it, and measures its text areas. A
// scale of 0 paints small.
func (r *reader) measure(w, h int, scale float64) sample {
	v := r.window(w, h)
	pg := r.page(v)
	f := pg.Frame(r.box)
	out := sample{width: w, modes: r.modes, rules: f.Values}
	if len(f.Values.Text) == 0 || f.Border.W <= 0 || f.Border.H <= 0 || r.ctx.Err() != nil ||
		r.of != nil && f.Values.Images != *r.of || r.modes&window.ForcedColors != 0 {
		// An ended context ends the run: what is measured is not told. With forced colors browsers paint the text
		// and a plate under it in the visitor's own colours.
		return out
	}
	if scale == 0 {
		scale = paint.SmallScale(f)
	}
	for _, scroll := range scrolls(f, v.Height) {
		x0, y0, x1, y1 := place.SnapRect(f.Border, scale)
		areas := make([]image.Rectangle, len(f.Values.Text))
		var part image.Rectangle // all that is looked at
		for n := range f.Values.Text {
			areas[n] = region(f.TextRect(&f.Values.Text[n]), scale, float64(x0)/scale, float64(y0)/scale)
			part = part.Union(areas[n])
		}
		part = part.Intersect(image.Rect(0, 0, x1-x0, y1-y0))
		if part.Empty() || filters(f) { // a filter works on what is around, too
			part = image.Rect(0, 0, x1-x0, y1-y0)
		}
		img, err := r.paintUnder(pg, part, scale, scroll)
		if err != nil {
			return sample{width: w, modes: r.modes,
				rules: f.Values} // the checks missing and not-drawn tell of its pictures
		}
		for n := range f.Values.Text {
			t := &f.Values.Text[n]
			area := areas[n].Sub(part.Min)
			sp := contrast.Text{Color: t.Color.Resolve(f.Env.Current), Backdrop: white, Need: Need(t,
				r.modes)}.Under(img,
				area)
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
	for i := range f.Values.Layers() {
		if f.Values.Layers()[i].On(f.Env.Modes).Attachment == css.Fixed {
			top, mid, end := f.Border.Y, f.Border.Y+(f.Border.H-window)/2, f.Border.Bottom()-window
			return []float64{max(top, 0), max(mid, 0), max(end, 0)}
		}
	}
	return []float64{0}
}

// filters reports whether a layer of the box is filtered.
func filters(f *layout.Frame) bool {
	return slices.ContainsFunc(f.Values.Layers(), func(l plan.Painted) bool { return len(l.Plan.Filters) > 0 })
}

// paintUnder paints a part of the box, in device px from its corner; where it can be seen through, what is behind it
// too.
func (r *reader) paintUnder(pg *layout.Page, part image.Rectangle, scale, scroll float64) (*image.RGBA, error) {
	opt := paint.Options{Scale: scale, Scroll: scroll, Loading: r.loading, Rough: scale < 1, Still: true}
	f := pg.Frame(r.box)
	opt.Part = part
	img, err := paint.Box(pg, f, r.pictures(), opt)
	if err != nil || hides(f) || !picture.HasAlpha(img) {
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
		bx, by, ex, ey := place.SnapRect(b.Border, scale)
		all := image.Rect(0, 0, ex-bx, ey-by)
		if opt.Part = part.Add(image.Pt(x0-bx, y0-by)).Intersect(all); opt.Part.Empty() {
			continue
		}
		if filters(b) {
			opt.Part = all
		}
		back, err := paint.Box(pg, b, r.pictures(), opt)
		if err != nil {
			return nil, err
		}
		at := opt.Part.Min.Add(image.Pt(bx-x0, by-y0)).Sub(part.Min)
		draw.Draw(under, back.Rect.Add(at), back, image.Point{}, draw.Over)
	}
	draw.Draw(under, under.Rect, img, image.Point{}, draw.Over)
	return under, nil
}

// probed is at how many widths of a run the heights between the painted ones are looked at.
const probed = 5

// painted is where a text area fails, by the heights that were painted: places in the sweep's.
type painted struct {
	set     *finding.Set
	heights []int
}

// report files the finding of a text area.
func (r *reader) report(n int, worst sample, v plan.Viewport, on painted) {
	set, at := on.set, on.heights
	if set.Empty() {
		return
	}
	var heights []int
	for _, h := range at {
		heights = append(heights, r.sweep.Heights[h])
	}
	pg := r.page(v)
	f := pg.Frame(r.box)
	t, sp := &f.Values.Text[n], worst.spread[n]
	grid := finding.Grid{Densities: []float64{1}, Seen: [][2]int{r.plan.Widths}, Heights: heights, MostProbed: probed,
		Probe: func(_, w, h int) bool { return fails(r.measure(w, h, 0), n) }}
	out := finding.Finding{Box: f.Box.Name, ID: plan.LayerID{Box: r.box}, Span: t.Span, Worst: &v,
		Measured: sp.Low, Wanted: worst.need(n), Unit: "contrast ratio",
		Where: set.Statements(grid), Exact: set.Spans(grid.Densities, heights),
		Message: fmt.Sprintf("5%% of the pixels under text %s have a contrast of %.2f or less (%.2f at worst); %s "+
			"are below the needed %g",
			t.Color.String(), sp.Low, sp.Worst, finding.Percent(sp.Below), worst.need(n)),
		How: "painted small across the widths, at full size at the worst one and at the ends of each range"}
	if r.loading {
		out.Message = fmt.Sprintf("while the pictures load, text %s stands on colours with a contrast of %.2f "+
			"(%.2f at worst), below the needed %g",
			t.Color.String(), sp.Low, sp.Worst, worst.need(n))
		out.Remedy = "give the box a color: layer at the bottom that the text can be read on"
	}
	out.Where, out.Exact = finding.In(r.modes, out.Where, out.Exact)
	if r.frame != nil {
		out.Message = r.frame.told + ": " + out.Message
		r.frame.hold(n, sp.Low, out)
		return
	}
	*r.out = append(*r.out, out)
}

// Texts measures the text areas of boxes of one plan.
type Texts struct {
	pass *pass
	of   *plan.RuleID
}

// NewTexts is for the boxes of a plan. Where the context has ended nothing is measured.
func NewTexts(ctx context.Context, p *plan.Plan, store *picture.Store) *Texts {
	return &Texts{pass: newPass(ctx, p, store)}
}

// Of measures in windows alone in which a block declares the images of a box.
func (t *Texts) Of(rule plan.RuleID) *Texts { return &Texts{t.pass, &rule} }

// Small is the scale that stands for painting a box small: about 9,000 px.
const Small = 0

// Read is how well one text can be read: the contrast that it has, what it needs there, and in which modes.
type Read struct {
	contrast.Spread
	Need  float64
	Modes window.Modes
}

// At measures the text areas of a box at one window, painted at a scale (Small, or device px
// per CSS px), with its pictures there: in the combination of modes in which each can be read worst. It is nil where
// the box has no text there.
func (t *Texts) At(box plan.BoxID, w, h int, scale float64) (out []Read) {
	for _, m := range t.modes(box) {
		r := reader{pass: t.pass, box: box, modes: m, of: t.of}
		smp := r.measure(w, h, scale)
		for i, sp := range smp.spread {
			one := Read{sp, smp.need(i), m}
			if i == len(out) {
				out = append(out, one)
			} else if one.Low/one.Need < out[i].Low/out[i].Need {
				out[i] = one
			}
		}
	}
	return out
}

// modes are the combinations of modes that change a box or what lies behind it.
func (t *Texts) modes(box plan.BoxID) []window.Modes { return t.pass.readIn(box).Subsets() }

// Loading is At before the box's pictures have come: on what else is painted there.
func (t *Texts) Loading(box plan.BoxID, w, h int, scale float64) []contrast.Spread {
	return (&reader{pass: t.pass, box: box, loading: true}).measure(w, h, scale).spread
}

// Unreadable reports whether the check contrast finds a width at which a text area of
// a box cannot be read on its pictures.
func (t *Texts) Unreadable(box plan.BoxID) bool {
	return slices.ContainsFunc(t.modes(box), func(m window.Modes) bool {
		return t.unreadable(&reader{pass: t.pass, box: box, modes: m, of: t.of})
	})
}

func (t *Texts) unreadable(r *reader) bool {
	areas := 0
	for _, v := range t.pass.plan.All()[r.box].Looks() {
		areas = max(areas, len(v.Text))
	}
	var bad atomic.Bool
	at := r.heights()
	work.Each(len(at), func(i int) {
		h := r.sweep.Heights[at[i]]
		row := r.row(h)
		for n := range areas {
			worst := -1 // the one that fails most, if it does so at full size too, decides
			for k := range row {
				if fails(row[k], n) && (worst < 0 || row[k].spread[n].Low < row[worst].spread[n].Low) {
					worst = k
				}
			}
			if worst >= 0 && !bad.Load() && (fails(r.measure(row[worst].width, h, 1), n) ||
				len(r.runs(row, n, h)) > 0) {
				bad.Store(true)
			}
		}
	})
	return bad.Load()
}

// region is a rectangle of a page in device px of a picture of it.
func region(r layout.Rect, k, x0, y0 float64) image.Rectangle {
	return image.Rect(int(math.Floor((r.X-x0)*k+fit.Exact)), int(math.Floor((r.Y-y0)*k+fit.Exact)),
		int(math.Ceil((r.Right()-x0)*k-fit.Exact)), int(math.Ceil((r.Bottom()-y0)*k-fit.Exact)))
}

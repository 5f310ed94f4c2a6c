package settle

import (
	"fmt"
	"image"
	"math"
	"slices"
	"strings"

	"tourmaline/core/check"
	"tourmaline/core/contrast"
	"tourmaline/core/css"
	"tourmaline/core/layout"
	"tourmaline/core/paint"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/work"
)

// window is a viewport at which text is measured.
type window struct{ w, h int }

// comb are the windows at which a scrim is solved: every 32nd width, both sides of
// every change of rules, the named ones; at both ends and the middle of the
// heights where the box depends on them. What lies between is verified after.
func (s *solver) comb(box int) []window {
	lo, hi := s.plan.Widths[0], s.plan.Widths[1]
	var widths []int
	var last *plan.Computed
	var room layout.Room
	for w := lo; w <= hi; w++ {
		at := room.At(s.plan, plan.Viewport{Width: float64(w), Height: float64(s.heights[0]), Density: 1}, layout.Exact).Frames[box].At
		if last != nil && at != last {
			widths = append(widths, w-1, w)
		}
		if (w-lo)%32 == 0 || w == hi {
			widths = append(widths, w)
		}
		last = at
	}
	n := len(s.heights)
	heights := []int{s.heights[0], s.heights[n/2], s.heights[n-1]}
	tall := func(h int) layout.Rect {
		return layout.At(s.plan, plan.Viewport{Width: float64(lo+hi) / 2, Height: float64(h), Density: 1}, layout.Exact).Frames[box].Border
	}
	if tall(heights[0]).H == tall(heights[2]).H {
		heights = heights[:1]
	}
	var out []window
	for _, h := range slices.Compact(heights) {
		for _, w := range widths {
			out = append(out, window{w, h})
		}
	}
	for _, v := range s.plan.Named {
		out = append(out, window{int(v.Width), int(v.Height)})
	}
	return out
}

// read is how well the text area that is read worst can be read at a window.
type read struct{ has, needs float64 }

// over is 1 or more where it can be read; without text it is endless.
func (r read) over() float64 { return r.has / r.needs }

// short measures the text area of a box that falls most short of its contrast.
func (s *solver) short(box int, at window) read {
	spreads := check.TextContrast(s.plan, s.store, box, at.w, at.h, 0, false)
	pg := layout.At(s.plan, plan.Viewport{Width: float64(at.w), Height: float64(at.h), Density: 1}, layout.Exact)
	worst := read{math.Inf(1), 1}
	for n, sp := range spreads {
		if r := (read{sp.Low, pg.Frames[box].At.Text[n].Contrast}); r.over() < worst.over() {
			worst = r
		}
	}
	return worst
}

// worstWindow returns the window at which text is read worst.
func (s *solver) worstWindow(box int, comb []window) (window, read) {
	out := make([]read, len(comb))
	work.Each(len(comb), func(i int) { out[i] = s.short(box, comb[i]) })
	at := 0
	for i, v := range out {
		if v.over() < out[at].over() {
			at = i
		}
	}
	return comb[at], out[at]
}

// veil writes a scrim of an alpha in 1/100.
type veil struct {
	name  string
	write func(alpha int) string
}

func flatVeil(name string, c [3]uint8) veil {
	return veil{name, func(a int) string { return rgbText(c, a) }}
}

func rgbText(c [3]uint8, a int) string {
	if a >= 100 {
		return fmt.Sprintf("rgb(%d %d %d)", c[0], c[1], c[2])
	}
	return fmt.Sprintf("rgb(%d %d %d / %d%%)", c[0], c[1], c[2], a)
}

// sideVeil darkens only the side where text lies: full to reach (per cent), clear
// 30 per cent further on.
func sideVeil(name, side string, reach int, c [3]uint8) veil {
	return veil{name, func(a int) string {
		return fmt.Sprintf("linear-gradient(to %s, %s %d%%, %s %d%%)", side, rgbText(c, a), min(reach, 100), rgbText(c, 0), min(reach+30, 130))
	}}
}

// solveAlpha finds the least alpha in 1/100 that makes the text readable at all
// windows of the comb: at the worst window the least alpha is found by halving,
// then the worst window is looked for again. ok is false where no alpha does.
func (s *solver) solveAlpha(o plan.OpenValue, v veil, comb []window) (alpha int, ok bool, err error) {
	box := s.index(o.Box)
	for range 8 {
		t, err := s.with(o, v.write(alpha))
		if err != nil {
			return 0, false, err
		}
		at, got := t.worstWindow(box, comb)
		if got.over() >= 1 {
			return alpha, true, nil
		}
		if alpha == 100 {
			return 100, false, nil
		}
		lo, hi := alpha, 101 // lo fails, hi does or is beyond
		for hi-lo > 1 {
			mid := (lo + hi) / 2
			t, err := s.with(o, v.write(mid))
			if err != nil {
				return 0, false, err
			}
			if t.short(box, at).over() >= 1 {
				hi = mid
			} else {
				lo = mid
			}
		}
		if hi > 100 {
			return 100, false, nil
		}
		alpha = hi
	}
	return alpha, false, nil
}

// confirm moves an alpha to the least one with which check finds every width
// readable: what lies between the teeth of the comb, and the full size, decide.
func (s *solver) confirm(o plan.OpenValue, v veil, alpha int) (int, error) {
	bad := func(a int) (bool, error) {
		t, err := s.with(o, v.write(a))
		if err != nil {
			return false, err
		}
		return t.unreadable(s.index(o.Box)), nil
	}
	up := false
	for alpha < 100 {
		b, err := bad(alpha)
		if err != nil {
			return 0, err
		}
		if !b {
			break
		}
		up = true
		alpha++
	}
	for !up && alpha > 0 {
		b, err := bad(alpha - 1)
		if err != nil {
			return 0, err
		}
		if b {
			break
		}
		alpha--
	}
	return alpha, nil
}

// change is what a scrim does to the picture outside the text: the mean difference
// in levels over the named viewports, weighted by their shares.
func (s *solver) change(o plan.OpenValue, value string) float64 {
	t, err := s.with(o, value)
	if err != nil {
		return math.Inf(1)
	}
	box := s.index(o.Box)
	total, weight := 0.0, 0.0
	for _, v := range s.plan.Named {
		v.Density = 1
		a, areas := s.paintSmall(box, v)
		b, _ := t.paintSmall(box, v)
		if a == nil || b == nil {
			continue
		}
		sum, n := 0.0, 0
		for y := range a.Rect.Dy() {
			for x := range a.Rect.Dx() {
				if slices.ContainsFunc(areas, func(r image.Rectangle) bool { return image.Pt(x, y).In(r) }) {
					continue
				}
				p, q := a.Pix[a.PixOffset(x, y):], b.Pix[b.PixOffset(x, y):]
				for c := range 3 {
					sum += math.Abs(float64(p[c]) - float64(q[c]))
				}
				n += 3
			}
		}
		w := max(v.Share, 0.01)
		if n > 0 {
			total, weight = total+w*sum/float64(n), weight+w
		}
	}
	if weight == 0 {
		return 0
	}
	return total / weight
}

// paintSmall paints a box with about 9,000 px, and where its texts lie in it.
func (s *solver) paintSmall(box int, v plan.Viewport) (*image.RGBA, []image.Rectangle) {
	pg := layout.At(s.plan, v, layout.Exact)
	f := &pg.Frames[box]
	if f.Border.W <= 0 || f.Border.H <= 0 {
		return nil, nil
	}
	k := min(1, math.Sqrt(9000/(f.Border.W*f.Border.H)))
	img, err := paint.Box(pg, f, s.store, paint.Options{Scale: k})
	if err != nil {
		return nil, nil
	}
	var areas []image.Rectangle
	for i := range f.At.Text {
		t := f.TextRect(&f.At.Text[i])
		areas = append(areas, image.Rect(int((t.X-f.Border.X)*k), int((t.Y-f.Border.Y)*k), int(math.Ceil((t.Right()-f.Border.X)*k)), int(math.Ceil((t.Bottom()-f.Border.Y)*k))))
	}
	return img, areas
}

// pictureBelow is the first picture under a layer.
func (s *solver) pictureBelow(o plan.OpenValue) *picture.File {
	layers := o.Box.Rules[o.Rule].Layers
	for _, l := range layers[o.Layer+1:] {
		if img, _ := l.CSS.Image.Pick(1); img.IsURL {
			if f, err := s.store.File(img.URL); err == nil && f.Vector == nil {
				return f
			}
		}
	}
	return nil
}

// sides returns the side of the box that text lies at and how far it reaches from
// there at the worst window, per cent; ok is false where text spans the box.
func (s *solver) sides(box int, comb []window) (side string, reach int, ok bool) {
	names := [4]string{"right", "left", "bottom", "top"} // the gradient runs to the other side
	far := [4]float64{}
	for _, c := range comb {
		pg := layout.At(s.plan, plan.Viewport{Width: float64(c.w), Height: float64(c.h), Density: 1}, layout.Exact)
		f := &pg.Frames[box]
		for i := range f.At.Text {
			t := f.TextRect(&f.At.Text[i])
			b := f.Border
			for k, v := range [4]float64{(t.Right() - b.X) / b.W, (b.Right() - t.X) / b.W, (t.Bottom() - b.Y) / b.H, (b.Bottom() - t.Y) / b.H} {
				far[k] = max(far[k], v)
			}
		}
	}
	best := 0
	for k := range far {
		if far[k] < far[best] {
			best = k
		}
	}
	return names[best], int(math.Ceil(far[best] * 100)), far[best] < 0.7
}

// solveScrim settles color: auto scrim.
func (s *solver) solveScrim(o plan.OpenValue) (Choice, error) {
	c := Choice{Open: o, Box: o.Box.Name}
	box := s.index(o.Box)
	comb := s.comb(box)
	none, err := s.with(o, "rgb(0 0 0 / 0%)")
	if err != nil {
		return c, err
	}
	_, before := none.worstWindow(box, comb)
	if math.IsInf(before.has, 1) {
		c.Value = "rgb(0 0 0 / 0%)"
		c.Why = append(c.Why, "no text area lies in the box: nothing has to be darkened")
		return c, nil
	}
	if before.over() >= 1 && !none.unreadable(box) {
		c.Value = "rgb(0 0 0 / 0%)"
		c.Why = append(c.Why, fmt.Sprintf("the text can be read without one: contrast %.2f at worst, %g is needed", before.has, before.needs))
		return c, nil
	}
	c.Before = fmt.Sprintf("contrast %.2f at worst", before.has)
	colours := []struct {
		name string
		rgb  [3]uint8
	}{{"black", [3]uint8{}}, {"white", [3]uint8{255, 255, 255}}}
	if f := s.pictureBelow(o); f != nil {
		if img, err := f.Pixels(); err == nil {
			if m := picture.MainColours(img, 1); len(m) > 0 {
				colours = append(colours, struct {
					name string
					rgb  [3]uint8
				}{"the picture's own main colour", [3]uint8{m[0].R, m[0].G, m[0].B}})
			}
		}
	}
	if named := strings.TrimSpace(strings.TrimPrefix(o.Wish, "auto scrim")); named != "" {
		if col, err := css.ParseColor("color", named); err == nil {
			p := paint.Solid8(col.Resolve(css.RGBA{A: 1}))
			colours = append(colours, struct {
				name string
				rgb  [3]uint8
			}{"the colour you name", [3]uint8{p[0], p[1], p[2]}})
		}
	}
	type tried struct {
		veil   veil
		alpha  int
		change float64
	}
	var good []tried
	side, reach, oneSide := s.sides(box, comb)
	for _, col := range colours {
		v := flatVeil(col.name, col.rgb)
		a, ok, err := s.solveAlpha(o, v, comb)
		if err != nil {
			return c, err
		}
		if !ok {
			c.Why = append(c.Why, fmt.Sprintf("%s cannot do it at any strength", col.name))
			continue
		}
		good = append(good, tried{v, a, s.change(o, v.write(a))})
		if !oneSide {
			continue
		}
		g := sideVeil(col.name+", only where the text lies", side, reach, col.rgb)
		if a, ok, err := s.solveAlpha(o, g, comb); err == nil && ok {
			good = append(good, tried{g, a, s.change(o, g.write(a))})
		}
	}
	if len(good) == 0 {
		c.Failed = true
		c.Remedies = []string{fmt.Sprintf("no scrim reaches %g with this text: choose a text colour that is nearer to black or white, ask for less contrast (3 is enough for large text), or move the text off the picture", before.needs)}
		if other := s.otherInk(o, comb); other != "" {
			c.Remedies = append(c.Remedies, other)
		}
		c.After = c.Before
		return c, nil
	}
	slices.SortStableFunc(good, func(a, b tried) int {
		switch {
		case a.change < b.change-0.01:
			return -1
		case b.change < a.change-0.01:
			return 1
		}
		return 0
	})
	win := good[0]
	if win.alpha, err = s.confirm(o, win.veil, win.alpha); err != nil {
		return c, err
	}
	c.Value = win.veil.write(win.alpha)
	t, err := s.with(o, c.Value)
	if err != nil {
		return c, err
	}
	at, after := t.worstWindow(box, comb)
	c.After = fmt.Sprintf("%.2f (needed %g)", after.has, after.needs)
	c.Why = append(c.Why, fmt.Sprintf("%s at %d%% is the weakest: it changes the rest of the box by %.1f levels; the worst window is %dx%d", win.veil.name, win.alpha, s.change(o, c.Value), at.w, at.h))
	for _, g := range good[1:] {
		c.Why = append(c.Why, fmt.Sprintf("%s takes %d%% and changes it by %.1f", g.veil.name, g.alpha, g.change))
	}
	if other := s.otherInk(o, comb); other != "" {
		c.Why = append(c.Why, other)
	}
	if t.unreadable(box) {
		c.Failed = true
		c.Remedies = append(c.Remedies, "at some windows even this is too weak: see tourmaline check --only contrast")
	}
	return c, nil
}

// otherInk answers the other way round: how strong a plain scrim white and black
// text would need.
func (s *solver) otherInk(o plan.OpenValue, comb []window) string {
	var parts []string
	for _, x := range []struct {
		name  string
		ink   css.Color
		under veil
	}{{"white", css.FromRGB8(255, 255, 255), flatVeil("black", [3]uint8{})}, {"black", css.FromRGB8(0, 0, 0), flatVeil("white", [3]uint8{255, 255, 255})}} {
		t, err := newSolver(s.file, s.data, s.store)
		if err != nil {
			return ""
		}
		t.writeIn(&x.ink)
		if a, ok, err := t.solveAlpha(o, x.under, comb); err == nil && ok {
			parts = append(parts, fmt.Sprintf("%s text would take %s at %d%%", x.name, x.under.name, a))
		}
	}
	return strings.Join(parts, ", ")
}

// unreadable asks check, at every width, with the pictures there.
func (s *solver) unreadable(box int) bool { return check.Unreadable(s.plan, s.store, box) }

// solveColor settles color: auto, the colour behind a picture: the mean of its
// edges, moved as far as text on it needs while the picture loads.
func (s *solver) solveColor(o plan.OpenValue) (Choice, error) {
	c := Choice{Open: o, Box: o.Box.Name}
	var f *picture.File
	layers := o.Box.Rules[o.Rule].Layers
	for i := o.Layer - 1; i >= 0 && f == nil; i-- {
		if img, _ := layers[i].CSS.Image.Pick(1); img.IsURL {
			f, _ = s.store.File(img.URL)
		}
	}
	if f == nil || f.Vector != nil {
		c.Failed = true
		c.Remedies = []string{"there is no picture over it whose edges it could continue: write a colour"}
		return c, nil
	}
	img, err := f.Pixels()
	if err != nil {
		return c, err
	}
	edges := picture.Edges(img)
	var sum [3]float64
	weight := 0.0
	for k, e := range edges { // by length and opacity, in linear light
		n := float64(img.Rect.Dx())
		if k%2 == 1 {
			n = float64(img.Rect.Dy())
		}
		n *= e.Share
		for i, v := range [3]uint8{e.R, e.G, e.B} {
			sum[i] += n * picture.Linear(v)
		}
		weight += n
	}
	if weight == 0 {
		c.Failed = true
		c.Remedies = []string{"the picture's edges are clear: write a colour"}
		return c, nil
	}
	// One colour, or two where opposite edges differ: then a gradient runs between.
	ends := [][3]uint8{{picture.FromLinear(sum[0] / weight), picture.FromLinear(sum[1] / weight), picture.FromLinear(sum[2] / weight)}}
	colour := func(k int) [3]uint8 { return [3]uint8{edges[k].R, edges[k].G, edges[k].B} }
	to := ""
	for _, pair := range []struct {
		a, b int
		to   string
	}{{0, 2, "bottom"}, {3, 1, "right"}} {
		if edges[pair.a].Share < 0.9 || edges[pair.b].Share < 0.9 {
			continue
		}
		if d := levels(colour(pair.a), colour(pair.b)); d > seen && (to == "" || d > levels(ends[0], ends[1])) {
			ends, to = [][3]uint8{colour(pair.a), colour(pair.b)}, pair.to
		}
	}
	box := s.index(o.Box)
	on := func(list [][3]uint8) float64 {
		worst := math.Inf(1)
		for _, e := range list {
			worst = min(worst, s.textOn(box, e))
		}
		return worst
	}
	moved := 0
	if worst := on(ends); worst < 1 {
		towards := [3]uint8{}
		if s.textOn(box, [3]uint8{}) < s.textOn(box, [3]uint8{255, 255, 255}) {
			towards = [3]uint8{255, 255, 255}
		}
		mixed := func(percent int) [][3]uint8 {
			var out [][3]uint8
			for _, e := range ends {
				out = append(out, mix(e, towards, percent))
			}
			return out
		}
		if s.textOn(box, towards) < 1 {
			c.Failed = true
			c.Remedies = []string{"neither black nor white lets the text be read while the picture loads: two texts ask for opposite colours, or one is a middle grey"}
		}
		lo, hi := 0, 100
		for hi-lo > 1 {
			mid := (lo + hi) / 2
			if on(mixed(mid)) >= 1 {
				hi = mid
			} else {
				lo = mid
			}
		}
		moved = hi
		ends = mixed(hi)
		if !c.Failed {
			c.Before, c.After = fmt.Sprintf("contrast %.2f of the needed one while the picture loads", worst), fmt.Sprintf("%.2f", on(ends))
		}
	}
	c.Value = rgbText(ends[0], 100)
	if to != "" {
		c.Value = fmt.Sprintf("linear-gradient(to %s, %s, %s)", to, c.Value, rgbText(ends[1], 100))
	}
	// Where the picture ends in the box, the step to the colour is seen from here on.
	diff, at := 0, 0
	for k, e := range edges {
		d := levels(colour(k), ends[0])
		if len(ends) == 2 {
			switch { // along the gradient it meets its own end, across it the nearer one
			case to == "bottom" && k == 2, to == "right" && k == 1:
				d = levels(colour(k), ends[1])
			case to == "bottom" && k%2 == 1, to == "right" && k%2 == 0:
				d = min(d, levels(colour(k), ends[1]), levels(colour(k), mix(ends[0], ends[1], 50)))
			}
		}
		if e.Share > 0.5 && d > diff {
			diff, at = d, k
		}
	}
	c.Why = append(c.Why, fmt.Sprintf("it continues the edges of %s: %s edge is %d levels from it, the others are nearer", f.Name, [4]string{"the top", "the right", "the bottom", "the left"}[at], diff))
	if diff > seen {
		c.Why = append(c.Why, "where the box is bare that edge of the picture will be seen")
	}
	if moved > 0 {
		c.Why = append(c.Why, fmt.Sprintf("moved by %d%% so that the text can be read before the picture is there", moved))
	}
	return c, nil
}

// seen is how many levels a step at the edge of a picture may have before it is
// seen.
const seen = 24

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

// textOn is the least contrast of the box's texts on a plain colour, over what
// each needs.
func (s *solver) textOn(box int, back [3]uint8) float64 {
	worst := math.Inf(1)
	b := s.plan.All()[box]
	for r := range b.Rules {
		for _, t := range b.Compute(r).Text {
			worst = min(worst, contrast.OfColors(t.Color.Resolve(css.RGBA{A: 1}), back)/t.Contrast)
		}
	}
	return worst
}

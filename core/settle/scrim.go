package settle

import (
	"fmt"
	"image"
	"math"
	"slices"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/layout"
	"tourmaline/core/paint"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
)

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
		return fmt.Sprintf("linear-gradient(to %s, %s %d%%, %s %d%%)", side, rgbText(c, a), min(reach, 100),
			rgbText(c, 0), min(reach+30, 130))
	}}
}

// solveAlpha finds the least alpha in 1/100 that makes the text readable at all
// windows of the comb: at the worst window the least alpha is found by halving,
// then the worst window is looked for again. ok is false where no alpha does.
func (s *solver) solveAlpha(o plan.OpenValue, v veil, comb []window) (alpha int, ok bool, err error) {
	box := s.box(o).ID
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
		return t.unreadable(s.box(o).ID), nil
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
	total, weight := 0.0, 0.0
	for _, v := range s.plan.Named {
		v.Density = 1
		a, areas := s.paintSmall(s.box(o).ID, v)
		b, _ := t.paintSmall(s.box(o).ID, v)
		if a == nil || b == nil {
			continue
		}
		diff, ok := differenceOutside(a, b, areas)
		w := max(v.Share, 0.01)
		if ok {
			total, weight = total+w*diff, weight+w
		}
	}
	if weight == 0 {
		return 0
	}
	return total / weight
}

// differenceOutside is the mean difference of two pictures in levels outside some areas; it is
// false where these cover all.
func differenceOutside(a, b *image.RGBA, areas []image.Rectangle) (float64, bool) {
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
	return sum / float64(max(n, 1)), n > 0
}

// paintSmall paints a box small, and tells where its texts lie in it.
func (s *solver) paintSmall(box plan.BoxID, v plan.Viewport) (*image.RGBA, []image.Rectangle) {
	pg := s.sweep.Pages.At(v, layout.Exact)
	f := pg.Frame(box)
	if f.Border.W <= 0 || f.Border.H <= 0 {
		return nil, nil
	}
	k := paint.SmallScale(f)
	img, err := paint.Box(pg, f, s.store, paint.Options{Scale: k})
	if err != nil {
		return nil, nil
	}
	var areas []image.Rectangle
	for i := range f.Values.Text {
		t := f.TextRect(&f.Values.Text[i])
		areas = append(areas, image.Rect(int((t.X-f.Border.X)*k), int((t.Y-f.Border.Y)*k),
			int(math.Ceil((t.Right()-f.Border.X)*k)), int(math.Ceil((t.Bottom()-f.Border.Y)*k))))
	}
	return img, areas
}

// pictureBelow is the first picture under a layer.
func (s *solver) pictureBelow(o plan.OpenValue) *picture.File {
	layers, at := s.list(o)
	for _, l := range layers[at+1:] {
		if img, _ := l.CSS.Image.Pick(1); img.IsURL {
			if f, err := s.store.File(img.URL); err == nil && f.Vector == nil {
				return f
			}
		}
	}
	return nil
}

// colour is one that a scrim may have.
type colour struct {
	name string
	rgb  [3]uint8
}

// colours are those that are tried: black, white, the picture's own, and the one that the
// designer names.
func (s *solver) colours(o plan.OpenValue) []colour {
	out := []colour{{"black", [3]uint8{}}, {"white", [3]uint8{255, 255, 255}}}
	if f := s.pictureBelow(o); f != nil {
		if img, err := f.Pixels(); err == nil {
			if m := picture.MainColours(img, 1); len(m) > 0 {
				out = append(out, colour{"the picture's own main colour", [3]uint8{m[0].R, m[0].G, m[0].B}})
			}
		}
	}
	if named := strings.TrimSpace(strings.TrimPrefix(o.Wish, "auto scrim")); named != "" {
		if col, err := css.ParseColor("color", named); err == nil {
			p := paint.Solid8(col.Resolve(css.RGBA{A: 1}))
			out = append(out, colour{"the colour you name", [3]uint8{p[0], p[1], p[2]}})
		}
	}
	return out
}

// scrim is one that makes the text readable.
type scrim struct {
	veil   veil
	alpha  int
	change float64
}

// scrims are the weakest ones of each colour, all over the box or only where the text lies,
// from the one that changes the picture least. Colours that cannot do it are told.
func (s *solver) scrims(c *Choice, o plan.OpenValue, comb []window) ([]scrim, error) {
	var good []scrim
	side, reach, oneSide := s.sides(s.box(o).ID, comb)
	for _, col := range s.colours(o) {
		v := flatVeil(col.name, col.rgb)
		a, ok, err := s.solveAlpha(o, v, comb)
		if err != nil {
			return nil, err
		}
		if !ok {
			c.Why = append(c.Why, fmt.Sprintf("%s cannot do it at any strength", col.name))
			continue
		}
		good = append(good, scrim{v, a, s.change(o, v.write(a))})
		if !oneSide {
			continue
		}
		g := sideVeil(col.name+", only where the text lies", side, reach, col.rgb)
		if a, ok, err := s.solveAlpha(o, g, comb); err == nil && ok {
			good = append(good, scrim{g, a, s.change(o, g.write(a))})
		}
	}
	slices.SortStableFunc(good, func(a, b scrim) int {
		switch {
		case a.change < b.change-0.01:
			return -1
		case b.change < a.change-0.01:
			return 1
		}
		return 0
	})
	return good, nil
}

// clearScrim is what is written where none is needed.
const clearScrim = "rgb(0 0 0 / 0%)"

// solveScrim settles color: auto scrim.
func (s *solver) solveScrim(o plan.OpenValue) (Choice, error) {
	c, box := s.choice(o), s.box(o).ID
	comb := s.comb(box)
	none, err := s.with(o, clearScrim)
	if err != nil {
		return c, err
	}
	_, before := none.worstWindow(box, comb)
	switch {
	case math.IsInf(before.has, 1):
		c.Value = clearScrim
		c.Why = append(c.Why, "no text area lies in the box: nothing has to be darkened")
		return c, nil
	case before.over() >= 1 && !none.unreadable(box):
		c.Value = clearScrim
		c.Why = append(c.Why, fmt.Sprintf("the text can be read without one: contrast %.2f at worst, %g is needed",
			before.has, before.needs))
		return c, nil
	}
	c.Before = fmt.Sprintf("contrast %.2f at worst", before.has)
	good, err := s.scrims(&c, o, comb)
	if err != nil {
		return c, err
	}
	if len(good) == 0 {
		c = c.fail(fmt.Sprintf("no scrim reaches %g with this text: choose a text colour that is nearer to black "+
			"or white, ask for less contrast (3 is enough for large text), or move the text off the picture",
			before.needs))
		if other := s.otherInk(o, comb); other != "" {
			c.Remedies = append(c.Remedies, other)
		}
		c.After = c.Before
		return c, nil
	}
	return s.takeScrim(c, o, good, comb)
}

// takeScrim settles the first of the scrims, at the strength that every width needs.
func (s *solver) takeScrim(c Choice, o plan.OpenValue, good []scrim, comb []window) (Choice, error) {
	win, box := good[0], s.box(o).ID
	var err error
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
	c.Why = append(c.Why,
		fmt.Sprintf("%s at %d%% is the weakest: it changes the rest of the box by %.1f levels; the worst window is "+
			"%dx%d", win.veil.name, win.alpha, s.change(o, c.Value), at.w, at.h))
	for _, g := range good[1:] {
		c.Why = append(c.Why, fmt.Sprintf("%s takes %d%% and changes it by %.1f", g.veil.name, g.alpha, g.change))
	}
	if other := s.otherInk(o, comb); other != "" {
		c.Why = append(c.Why, other)
	}
	if t.unreadable(box) {
		c = c.fail("at some windows even this is too weak: see tourmaline check --only contrast")
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
	}{{"white", css.FromRGB8(255, 255, 255), flatVeil("black", [3]uint8{})},
		{"black", css.FromRGB8(0, 0, 0), flatVeil("white", [3]uint8{255, 255, 255})}} {
		t := s.on(s.plan.TryInk(x.ink))
		if a, ok, err := t.solveAlpha(o, x.under, comb); err == nil && ok {
			parts = append(parts, fmt.Sprintf("%s text would take %s at %d%%", x.name, x.under.name, a))
		}
	}
	return strings.Join(parts, ", ")
}

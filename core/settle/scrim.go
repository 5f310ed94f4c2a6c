package settle

import (
	"cmp"
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
func (s *solver) solveAlpha(o plan.OpenValue, v veil, comb []size) (alpha int, ok bool, err error) {
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

// change is what people see a scrim do to the whole box, in points: how much of its structure
// is lost (100: all) and how far its colours move (100: from black to white), over the named
// viewports, weighted by their shares.
func (s *solver) change(o plan.OpenValue, value string) float64 {
	t, err := s.with(o, value)
	if err != nil {
		return math.Inf(1)
	}
	total, weight := 0.0, 0.0
	for _, v := range s.plan.Named {
		v.Density = 1
		a := s.paintSmall(s.box(o).ID, v)
		b := t.paintSmall(s.box(o).ID, v)
		if a == nil || b == nil {
			continue
		}
		w := max(v.Share, 0.01)
		total, weight = total+w*veiled(a, b), weight+w
	}
	if weight == 0 {
		return 0
	}
	return total / weight
}

// veiled is how much the second picture, of the same size, has lost of the first: see change.
// Colours are compared in Oklab, where distances are about as people see them; structure is the
// spread of colours in windows of 8 x 8 px.
func veiled(a, b *image.RGBA) float64 {
	const side = 8
	la, lb := inOklab(a), inOklab(b)
	w, h := a.Rect.Dx(), a.Rect.Dy()
	moved, had, has := 0.0, 0.0, 0.0
	for i := range la {
		moved += apart(la[i], lb[i])
	}
	for y := 0; y < h; y += side {
		for x := 0; x < w; x += side {
			r := image.Rect(x, y, min(x+side, w), min(y+side, h))
			had += spreadOf(la, w, r)
			has += spreadOf(lb, w, r)
		}
	}
	lost := 0.0
	if had > 1e-6*float64(len(la)) {
		lost = max(1-has/had, 0)
	}
	return 100 * (lost + moved/float64(max(len(la), 1)))
}

func inOklab(img *image.RGBA) [][3]float64 {
	out := make([][3]float64, 0, len(img.Pix)/4)
	for i := 0; i+4 <= len(img.Pix); i += 4 {
		c := css.FromRGB8(img.Pix[i], img.Pix[i+1], img.Pix[i+2])
		out = append(out, c.In(css.Oklab, css.RGBA{}).C)
	}
	return out
}

func apart(p, q [3]float64) float64 {
	return math.Sqrt((p[0]-q[0])*(p[0]-q[0]) + (p[1]-q[1])*(p[1]-q[1]) + (p[2]-q[2])*(p[2]-q[2]))
}

// spreadOf is the mean distance of the px of a window from their mean, times their number.
func spreadOf(px [][3]float64, w int, r image.Rectangle) float64 {
	var mean [3]float64
	n := float64(r.Dx() * r.Dy())
	each := func(f func(p [3]float64)) {
		for y := r.Min.Y; y < r.Max.Y; y++ {
			for x := r.Min.X; x < r.Max.X; x++ {
				f(px[y*w+x])
			}
		}
	}
	each(func(p [3]float64) {
		for c := range mean {
			mean[c] += p[c] / n
		}
	})
	sum := 0.0
	each(func(p [3]float64) { sum += apart(p, mean) })
	return sum
}

// paintSmall paints a box small; nil where it has no size.
func (s *solver) paintSmall(box plan.BoxID, v plan.Viewport) *image.RGBA {
	pg := s.sweep.Pages.At(v, layout.Exact)
	f := pg.Frame(box)
	if f.Border.W <= 0 || f.Border.H <= 0 {
		return nil
	}
	img, err := paint.Box(pg, f, s.store, paint.Options{Scale: paint.SmallScale(f)})
	if err != nil {
		return nil
	}
	return img
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
	name  string
	rgb   [3]uint8
	plain bool // black or white
}

// colours are those that are tried: the one that the designer names, else black, white and
// the picture's own.
func (s *solver) colours(o plan.OpenValue) (out []colour, named bool) {
	if name := strings.TrimSpace(strings.TrimPrefix(o.Wish, "auto scrim")); name != "" {
		if col, err := css.ParseColor("color", name); err == nil {
			p := paint.Solid8(col.Resolve(css.RGBA{A: 1}))
			return []colour{{name: name, rgb: [3]uint8{p[0], p[1], p[2]}, plain: true}}, true
		}
	}
	out = append(out, black, white)
	if f := s.pictureBelow(o); f != nil {
		if img, err := f.Pixels(); err == nil {
			if m := picture.MainColours(img, 1); len(m) > 0 {
				out = append(out, colour{name: "the picture's own main colour", rgb: [3]uint8{m[0].R, m[0].G, m[0].B}})
			}
		}
	}
	return out, false
}

var (
	black = colour{"black", [3]uint8{}, true}
	white = colour{"white", [3]uint8{255, 255, 255}, true}
)

// scrim is one that makes the text readable.
type scrim struct {
	veil   veil
	alpha  int
	change float64
	plain  bool
}

// tooStrong is from which strength on a scrim leaves hardly anything of the picture, per cent.
const tooStrong = 75

// near is how much more of the picture black, white or a named colour may take away than
// another colour, and still be preferred: so little is not seen, and tints are.
const near = 1.05

// scrims are the weakest ones of some colours, all over the box or only where the text lies,
// the one first that takes least of the picture away; those that are too strong stand last.
// Colours that cannot do it are told.
func (s *solver) scrims(c *Choice, o plan.OpenValue, comb []size, colours []colour) ([]scrim, error) {
	var good []scrim
	side, reach, oneSide := s.sides(s.box(o).ID, comb)
	for _, col := range colours {
		v := flatVeil(col.name, col.rgb)
		a, ok, err := s.solveAlpha(o, v, comb)
		if err != nil {
			return nil, err
		}
		if !ok {
			c.Why = append(c.Why, fmt.Sprintf("%s cannot do it at any strength", col.name))
			continue
		}
		good = append(good, scrim{v, a, s.change(o, v.write(a)), col.plain})
		if !oneSide {
			continue
		}
		g := sideVeil(col.name+", only where the text lies", side, reach, col.rgb)
		if a, ok, err := s.solveAlpha(o, g, comb); err == nil && ok {
			good = append(good, scrim{g, a, s.change(o, g.write(a)), col.plain})
		}
	}
	rank := func(x scrim) float64 {
		r := x.change
		if !x.plain {
			r *= near
		}
		if x.alpha > tooStrong {
			r += 1000
		}
		return r
	}
	slices.SortStableFunc(good, func(a, b scrim) int {
		if d := rank(a) - rank(b); math.Abs(d) > 0.01 {
			return cmp.Compare(d, 0)
		}
		return 0
	})
	return good, nil
}

// clearScrim is what is written where none is needed.
const clearScrim = "rgb(0 0 0 / 0%)"

// solveScrim settles color: auto scrim.
func (s *solver) solveScrim(o plan.OpenValue) (Choice, error) {
	own := *s
	own.rule = &o.Layer.Rule
	s = &own
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
	colours, named := s.colours(o)
	good, err := s.scrims(&c, o, comb, colours)
	if err != nil {
		return c, err
	}
	if len(good) == 0 && named {
		return s.notThatColour(c, o, comb)
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
	if each, ok, err := s.scrimPerWhen(c, o, comb, good[0]); err != nil || ok {
		return each, err
	}
	return s.takeScrim(c, o, good, comb)
}

// notThatColour says that the colour that the designer names cannot do it, and which could.
func (s *solver) notThatColour(c Choice, o plan.OpenValue, comb []size) (Choice, error) {
	others, err := s.scrims(&Choice{}, o, comb, []colour{black, white})
	if err != nil {
		return c, err
	}
	c = c.fail("the colour that you name has too little contrast with this text: name another, or leave it out")
	for _, g := range others {
		c.Remedies = append(c.Remedies, fmt.Sprintf("%s would take about %d%%", g.veil.name, g.alpha))
	}
	c.After = c.Before
	return c, nil
}

// instead is what to do rather than to hide a picture under a strong scrim.
func (s *solver) instead(c *Choice, o plan.OpenValue, comb []size) {
	var out []string
	if other := s.otherInk(o, comb); other != "" {
		out = append(out, "another text colour: "+other)
	}
	out = append(out, "move the text to a calmer part of the picture, or make its area smaller",
		"choose a picture that is calmer, or all dark or all light, where the text lies")
	c.Why = append(
		append([]string{fmt.Sprintf("nothing at %d%% or less is enough, and more hides the picture; rather try: %s",
			tooStrong, out[0])}, out[1:]...),
		c.Why...)
}

// takeScrim settles the first of the scrims, at the strength that every width needs.
func (s *solver) takeScrim(c Choice, o plan.OpenValue, good []scrim, comb []size) (Choice, error) {
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
	at, after := t.trueWorst(box, comb)
	c.After = fmt.Sprintf("%.2f (needed %g)", after.has, after.needs)
	c.Why = append(c.Why,
		fmt.Sprintf("%s at %d%% takes least of the picture away (%.0f points of structure and colour); the worst "+
			"window is %dx%d", win.veil.name, win.alpha, s.change(o, c.Value), at.w, at.h))
	for _, g := range good[1:] {
		c.Why = append(c.Why, fmt.Sprintf("%s would need about %d%% and take %.0f "+
			"points", g.veil.name, g.alpha, g.change))
	}
	if win.alpha > tooStrong {
		s.instead(&c, o, comb)
	} else if other := s.otherInk(o, comb); other != "" {
		c.Why = append(c.Why, other)
	}
	if t.unreadable(box) {
		c = c.fail("at some windows even this is too weak: see tourmaline check --only contrast")
	}
	return c, nil
}

// otherInk answers the other way round: how strong a plain scrim white and black
// text would need.
func (s *solver) otherInk(o plan.OpenValue, comb []size) string {
	var parts []string
	for _, x := range []struct {
		name  string
		ink   css.Color
		under veil
	}{{"white", css.FromRGB8(255, 255, 255), flatVeil(black.name, black.rgb)},
		{"black", css.FromRGB8(0, 0, 0), flatVeil(white.name, white.rgb)}} {
		t := s.on(s.plan.TryInk(x.ink))
		if a, ok, err := t.solveAlpha(o, x.under, comb); err == nil && ok {
			part := fmt.Sprintf("%s text would take %s at about %d%%", x.name, x.under.name, a)
			if a == 0 {
				part = x.name + " text would need no scrim"
			}
			parts = append(parts, part)
		}
	}
	return strings.Join(parts, ", ")
}

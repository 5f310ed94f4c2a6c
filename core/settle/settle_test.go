package settle

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"tourmaline/core/check"
	"tourmaline/core/finding"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
)

func pictures(t testing.TB) *picture.Store {
	t.Helper()
	out := fstest.MapFS{}
	save := func(name string, w, h int, f func(x, y float64) color.RGBA) {
		img := image.NewRGBA(image.Rect(0, 0, w, h))
		for y := range h {
			for x := range w {
				img.SetRGBA(x, y, f(float64(x)/float64(w), float64(y)/float64(h)))
			}
		}
		var b bytes.Buffer
		var err error
		if strings.HasSuffix(name, ".jpg") {
			err = jpeg.Encode(&b, img, nil)
		} else {
			err = png.Encode(&b, img)
		}
		if err != nil {
			t.Fatal(err)
		}
		out[name] = &fstest.MapFile{Data: b.Bytes()}
	}
	grey := func(v uint8) func(x, y float64) color.RGBA {
		return func(_, _ float64) color.RGBA { return color.RGBA{v, v, v, 255} }
	}
	save("wide.png", 400, 200, grey(160))
	save("grey.png", 40, 20, grey(128))
	save("sky.png", 120, 80, func(x, y float64) color.RGBA {
		return color.RGBA{uint8(200 - 60*y), uint8(190 - 40*x),
			170, 255}
	})
	save("dusk.png", 40, 30, func(_, y float64) color.RGBA {
		return color.RGBA{uint8(20 + 100*y), 30, uint8(90 - 60*y),
			255}
	})
	save("water.png", 120, 80, func(x, y float64) color.RGBA { // olive, with waves over all of it
		v := math.Sin(x*70+3*math.Sin(y*20)) * 45
		return color.RGBA{uint8(118 + v), uint8(122 + v), uint8(80 + v*0.7), 255}
	})
	save("motif.png", 40, 40, func(x, y float64) color.RGBA {
		if math.Hypot(x-0.5, y-0.5) < 0.3 {
			return color.RGBA{90, 20, 20, 255}
		}
		return color.RGBA{}
	})
	save("band.png", 40, 40, func(_, y float64) color.RGBA {
		if math.Abs(y-0.5) < 0.2 {
			return color.RGBA{90, 20, 20, 255}
		}
		return color.RGBA{}
	})
	save("white.png", 40, 20, grey(255))
	return picture.NewStore(out)
}

// A generated plan: a covering picture in a box whose height changes with rules.
func randomPlan(r *rand.Rand) string {
	kx, ky := r.Float64()*0.7, r.Float64()*0.6
	kw, kh := 0.08+r.Float64()*0.22, 0.1+r.Float64()*0.3
	heights := []string{"260px", "40vw", "max(200px, 30vw)", "60vh", "{320: 500px, 700: 220px, 1000: 400px}",
		"calc(100px + 20vw)"}
	// Where keep fits at all one position shows it at every width: k0/(1-kw). Several
	// are needed where it is to stay clear of text that moves.
	avoid, text := "", ""
	if r.IntN(3) > 0 {
		kw, kh = kw/2, kh/2
		avoid, text = "avoid: text, ",
			fmt.Sprintf("    text: [{area: {left: %d%%, top: %d%%, width: %dpx, height: %dpx}}]\n", r.IntN(60),
				r.IntN(60), 60+r.IntN(250), 40+r.IntN(200))
	}
	b := fmt.Sprintf(`tourmaline: 1
viewports: {widths: 320-%d, heights: %s, densities: [1]}
boxes:
  - name: b
    height: %s
    layers:
      - {image: wide.png, size: cover, position: auto, %skeep: {x: %.1f%%, y: %.1f%%, width: %.1f%%, height: %.1f%%}}
%s`, 420+r.IntN(500), []string{"700-700", "600-800"}[r.IntN(2)], heights[r.IntN(len(heights))], avoid, 100*kx, 100*ky, 100*kw, 100*kh, text)
	if r.IntN(2) == 0 {
		b += fmt.Sprintf("    when:\n      (width < %dpx): {height: %dpx}\n", 340+r.IntN(400), 150+r.IntN(600))
	}
	return b
}

// settled runs the solvers on a plan's text.
func settled(text string, store *picture.Store) (*Result, error) {
	p, err := plan.Parse("p.yaml", []byte(text))
	if err != nil {
		return nil, err
	}
	return Run(context.Background(), p, store, Options{})
}

// viewsOfOne sweeps the windows of one open position.
func viewsOfOne(t testing.TB, s *solver, o plan.OpenValue) []view {
	t.Helper()
	v, err := s.views(o)
	if err != nil {
		t.Fatal(err)
	}
	return v
}

func openOf(t testing.TB, text string, store *picture.Store) (*solver, plan.OpenValue) {
	t.Helper()
	p, err := plan.Parse("p.yaml", []byte(text))
	if err != nil {
		t.Fatalf("%v\n%s", err, text)
	}
	return newSolver(context.Background(), p, store), p.Opens()[0]
}

// forceGrid is how finely the brute force divides positions, and bits holds one bit for
// each of them on both axes.
const forceGrid = 600

type bits [2][forceGrid/64 + 1]uint64

// bitsOf are the positions that a column allows; one that lies between two steps counts
// for both.
func bitsOf(c *column) *bits {
	var b bits
	for x := range 2 {
		for i := range forceGrid + 1 {
			if c.ok[x].has(float64(i)/forceGrid) || slices.ContainsFunc(c.ok[x],
				func(v interval) bool { return v.lo > float64(i-1)/forceGrid && v.hi < float64(i+1)/forceGrid }) {
				b[x][i/64] |= 1 << (i % 64)
			}
		}
	}
	return &b
}

// fewestByForce is the fewest ranges whose boundaries are at edges (places in cols).
func fewestByForce(cols []column, edge map[int]bool) int {
	all := make([]*bits, len(cols))
	for i := range cols {
		if i > 0 && slices.Equal(cols[i].ok[0], cols[i-1].ok[0]) && slices.Equal(cols[i].ok[1], cols[i-1].ok[1]) {
			all[i] = all[i-1]
			continue
		}
		all[i] = bitsOf(&cols[i])
	}
	best := make([]int, len(cols)+1)
	for i := range best[1:] {
		best[i+1] = math.MaxInt32
	}
	for i := range cols {
		if !edge[i] || best[i] == math.MaxInt32 {
			continue
		}
		var common bits
		for x := range common {
			for k := range common[x] {
				common[x][k] = math.MaxUint64
			}
		}
		for j := i; j < len(cols); j++ {
			if cols[j].any {
				left := [2]uint64{}
				for x := range common {
					for k := range common[x] {
						common[x][k] &= all[j][x][k]
						left[x] |= common[x][k]
					}
				}
				if left[0] == 0 || left[1] == 0 {
					break
				}
			}
			if edge[j+1] {
				best[j+1] = min(best[j+1], best[i]+1)
			}
		}
	}
	return best[len(cols)]
}

// Fewest ranges against brute force: over single widths, by the plain rule that
// the fewest to the end of a prefix is one more than the fewest before a range
// with a common position.
func TestFewestRangesAgainstBruteForce(t *testing.T) {
	store := pictures(t)
	r := rand.New(rand.NewPCG(9, 9))
	several, lost := 0, 0
	for n := range 70 {
		text := randomPlan(r)
		s, o := openOf(t, text, store)
		views := viewsOfOne(t, s, o)
		cols := columns(views, len(s.sweep.Heights))
		got := fewest(cols, s.breakpoints(s.box(o)))
		edge := map[int]bool{0: true, len(cols): true}
		for i := 0; i < len(cols); i += max(1, len(cols)/24) {
			edge[i] = true
		}
		for _, g := range got {
			for i := range cols {
				if cols[i].w == g.from {
					edge[i] = true
				}
			}
		}
		if want := fewestByForce(cols, edge); len(got) > want {
			t.Errorf("plan %d: %d ranges, brute force needs %d\n%s", n, len(got), want, text)
		}
		if len(got) > 1 {
			several++
		}
		ranges := got
		for i := range ranges {
			ranges[i].choose(views, s.sweep.Heights)
		}
		if len(missed(views, ranges, s.layer(o))) > 0 {
			lost++
		}
		// Ranges follow each other without gap.
		for i := 1; i < len(got); i++ {
			if got[i].from != got[i-1].to+1 {
				t.Fatalf("plan %d: a gap between %v and %v", n, got[i-1], got[i])
			}
		}
	}
	if several < 7 || lost < 7 {
		t.Errorf("only %d plans need several ranges and %d lose windows: the test says little", several, lost)
	}
}

// After settling, the sweep of check finds keep cut only where settle says so.
func TestSettledPositionsHold(t *testing.T) {
	store := pictures(t)
	r := rand.New(rand.NewPCG(5, 1))
	clean := 0
	for n := range 60 {
		text := randomPlan(r)
		res, err := settled(text, store)
		if err != nil {
			t.Fatalf("%v\n%s", err, text)
		}
		c := res.Choices[0]
		rep, err := check.Run(context.Background(), res.Plan, store, check.Options{Only: []string{"cut-subject"}})
		if err != nil {
			t.Fatal(err)
		}
		if !c.Failed {
			clean++
			if len(rep.Findings) > 0 {
				t.Errorf("plan %d: %s is said to hold, but at %v %s\n%s", n, c.Value, rep.Findings[0].Where,
					rep.Findings[0].Message, res.Plan.Text())
			}
			continue
		}
		if len(c.Lost) == 0 || len(c.Remedies) == 0 {
			t.Errorf("plan %d fails without a place or a remedy: %+v", n, c)
		}
		var lost []finding.Run
		for _, st := range c.Lost {
			lost = append(lost, st.Runs...)
		}
		for _, f := range rep.Findings {
			for _, run := range f.Widths() {
				for w := run.From; w <= run.To; w++ {
					if !slices.ContainsFunc(lost, func(l finding.Run) bool { return l.From <= w && w <= l.To }) {
						t.Fatalf("plan %d: %d px is cut and not said to be lost (%v): %s\n%s", n, w, c.Lost, f.Message,
							res.Plan.Text())
					}
				}
			}
		}
		// Settling again changes nothing.
		again, err := settled(res.Plan.Text(), store)
		if err != nil || again.Plan.Text() != res.Plan.Text() {
			t.Errorf("plan %d: a second run changes the plan: %v", n, err)
		}
	}
	if clean < 15 {
		t.Errorf("only %d plans were clean", clean)
	}
}

// The position is the one whose worst focus is best, against every 1/1000.
func TestBestFocusAgainstBruteForce(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	for range 300 {
		var lines []line
		for range 1 + r.IntN(20) {
			lines = append(lines, line{r.Float64()*2 - 1, -r.Float64() * 3})
		}
		var s set
		at := 0.0
		for at < 0.8 {
			lo := at + r.Float64()*0.2
			hi := lo + r.Float64()*0.3
			s = append(s, interval{lo, min(hi, 1)})
			at = hi + 0.05
		}
		p := best(s, lines)
		if !s.has(p) {
			t.Fatalf("%v is not in %v", p, s)
		}
		value := worstOf(lines, p)
		for i := range 1001 {
			q := float64(i) / 1000
			if s.has(q) && worstOf(lines, q) < value-1e-6 {
				t.Fatalf("%v has %v, %v has %v", p, value, q, worstOf(lines, q))
			}
		}
		free := r.Float64() * 1000
		q := round(p, s, lines, free)
		if !s.has(q) && (s.miss(q)*free >= 0.5 || q*100 != math.Round(q*100)) {
			t.Fatalf("rounded %v to %v, which misses %v by %v px", p, q, s, s.miss(q)*free)
		}
	}
}

func TestIntervals(t *testing.T) {
	s := whole.less(0.2, 0.4).less(0.7, 2)
	if fmt.Sprint(s) != "[{0 0.2} {0.4 0.7}]" {
		t.Errorf("got %v", s)
	}
	if got := s.and(set{{0.1, 0.5}}); fmt.Sprint(got) != "[{0.1 0.2} {0.4 0.5}]" {
		t.Errorf("got %v", got)
	}
	if got := s.and(set{{0.25, 0.3}}); got != nil {
		t.Errorf("got %v", got)
	}
}

// One position, by hand: a 2:1 picture covers 400 x 400, so it is drawn 800 wide,
// 400 are cut. keep is 60-80%, 480-640 of 800: offsets from -480 to -240, which
// is 60% to 100% of -400.
func TestOnePositionByHand(t *testing.T) {
	s, o := openOf(t, "tourmaline: 1\nviewports: {widths: 400-400, heights: 700-700, densities: [1]}\nboxes:\n  - "+
		"{name: b, height: 400px, layers: [{image: wide.png, size: cover, position: auto, keep: {x: 60%, y: 20%, "+
		"width: 20%, height: 40%}}]}\n", pictures(t))
	v := viewsOfOne(t, s, o)
	if len(v) != 1 || math.Abs(v[0].ok[0][0].lo-0.6) > 0.001 || v[0].ok[0][0].hi != 1 ||
		fmt.Sprint(v[0].ok[1]) != "[{0 1}]" {
		t.Fatalf("%+v", v)
	}
	c, err := s.solvePosition(o)
	// The middle of keep, 560 of 800, in the middle of the box: offset -360, 90%.
	if err != nil || c.Value != "90% 50%" {
		t.Errorf("%v %+v", err, c)
	}
}

func readable(t *testing.T, text, value string, store *picture.Store) bool {
	t.Helper()
	s, o := openOf(t, text, store)
	w, err := s.with(o, value)
	if err != nil {
		t.Fatal(err)
	}
	return !w.unreadable(0)
}

// The scrim's alpha is the least one: one hundredth less cannot be read. Against
// stepping through all alphas.
func TestScrimIsTheWeakest(t *testing.T) {
	store := pictures(t)
	r := rand.New(rand.NewPCG(7, 7))
	for n := range 80 {
		text := fmt.Sprintf(`tourmaline: 1
viewports: {widths: 320-335, heights: 700-700, densities: [1]}
boxes:
  - name: b
    height: 200px
    layers:
      - color: auto scrim
      - {image: %s, size: cover}
      - color: black
    text: [{area: {left: 5%%, top: %d%%, width: 80%%, height: %d%%}, color: white, contrast: %.1f}]
`, []string{"sky.png", "grey.png", "white.png"}[n%3], r.IntN(20), 40+r.IntN(40), 3+r.Float64()*4)
		s, o := openOf(t, text, store)
		black := flatVeil("black", [3]uint8{})
		alpha, ok, err := s.solveAlpha(o, black, s.comb(0))
		if err != nil || !ok {
			t.Fatalf("%v %v\n%s", err, ok, text)
		}
		if alpha, err = s.confirm(o, black, alpha); err != nil {
			t.Fatal(err)
		}
		if !readable(t, text, black.write(alpha), store) {
			t.Errorf("plan %d: %d%% cannot be read\n%s", n, alpha, text)
		}
		for a := range alpha {
			if readable(t, text, black.write(a), store) {
				t.Errorf("plan %d: %d%% is enough, %d%% was found\n%s", n, a, alpha, text)
				break
			}
		}
	}
}

// By hand: white on a picture of #808080 has 3.95. Black over it with alpha a gives
// the grey 128(1-a); 4.5 is reached at 118 (#767676): a = 1 - 118.5/128 = 7.4%, so 8%.
func TestScrimByHand(t *testing.T) {
	res, err := settled(`tourmaline: 1
viewports: {widths: 320-500, heights: 700-700, densities: [1]}
boxes:
  - name: b
    height: 200px
    layers:
      - color: auto scrim
      - {image: grey.png, size: cover}
    text: [{area: {left: 0px, top: 0px, width: 100%, height: 100%}, color: white}]
`, pictures(t))
	if err != nil || len(res.Choices) != 1 || res.Choices[0].Value != "rgb(0 0 0 / 8%)" {
		t.Fatalf("%v %+v", err, res)
	}
}

// What cannot be done ends with a statement, not with a bad value.
func TestImpossible(t *testing.T) {
	store := pictures(t)
	for _, r := range []struct{ name, layers, text, want string }{
		{"keep wider than any view",
			"{image: wide.png, size: cover, position: auto, keep: {x: 0%, y: 0%, width: 100%, height: 50%}}", "",
			"or make keep at most"},
		{"text that covers the whole subject",
			"{image: wide.png, size: cover, position: auto, avoid: text, keep: {x: 40%, y: 40%, width: 10%, " +
				"height: 10%}}", "{area: {left: 0px, top: 0px, width: 100%, height: 100%}, color: black}",
			"give the text another place"},
		{"contrast 21 on grey", "{color: auto scrim}, {image: grey.png, size: cover}",
			`{area: {left: 0px, top: 0px, width: 100%, height: 100%}, color: "#888", contrast: 21}`,
			"choose a text colour"},
		{"no picture to continue", "{color: auto}", "", "write a colour"},
	} {
		text := "tourmaline: 1\nviewports: {widths: 320-420, heights: 700-700, densities: [1]}\nboxes:\n  - {name: " +
			"b, height: 600px, layers: [" + r.layers + "]"
		if r.text != "" {
			text += ", text: [" + r.text + "]"
		}
		res, err := settled(text+"}\n", store)
		if err != nil {
			t.Errorf("%s: %v", r.name, err)
			continue
		}
		c := res.Choices[0]
		if !c.Failed || !strings.Contains(strings.Join(c.Remedies, "; "), r.want) {
			t.Errorf("%s: %+v", r.name, c)
		}
	}
}

func TestColorBehindAndSize(t *testing.T) {
	res, err := settled(`tourmaline: 1
viewports: {widths: 320-420, heights: 700-700, densities: [1, 1.5]}
boxes:
  - name: b
    height: 200px
    layers: [{image: grey.png, size: contain}, {color: auto}]
  - name: c
    height: 200px
    layers: [{image: white.png, size: cover}, {color: auto}]
    text: [{area: {left: 0px, top: 0px, width: 50%, height: 50%}, color: white}]
  - {name: d, height: 90px, layers: [{texture: grey.png, size: near 33px}]}
  - {name: e, height: 90px, layers: [{image: dusk.png, size: cover}, {color: auto}]}
  - name: f
    height: 200px
    layers: [{color: rgb(0 0 0 / 50%)}, {image: white.png, size: cover}, {color: auto}]
    text: [{area: {left: 0px, top: 0px, width: 50%, height: 50%}, color: white}]
`, pictures(t))
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, c := range res.Choices {
		got = append(got, c.Value)
	}
	// Behind grey lies its grey. White text cannot be read on white: the colour goes
	// 54% of the way to black, #757575, since #767676 is the lightest that does and
	// 53% gives #787878. Under half of black it has to be twice that only: 7%, 237, is
	// painted as #767676 there, 6% as #787878. 33px is 49.5 device px at 1.5; 32 and 34 are as near.
	if fmt.Sprint(got) != "[rgb(128 128 128) rgb(117 117 117) 32px linear-gradient(to bottom, rgb(20 30 90), "+
		"rgb(116 30 32)) rgb(237 237 237)]" {
		t.Errorf("got %v", got)
	}
}

// What is needed for sharpness, by hand: 400x200 covers 300 tall at density 2:
// 600 x 300 drawn, 1200 x 600 px.
func TestNeeds(t *testing.T) {
	res, err := settled("tourmaline: 1\nviewports: {widths: 320-500, heights: 700-700, densities: [1, "+
		"2]}\nboxes:\n  - {name: b, height: 300px, layers: [{image: wide.png, size: cover}]}\n", pictures(t))
	if err != nil || len(res.Needs) != 1 || res.Needs[0].NeedW != 1200 || res.Needs[0].NeedH != 600 {
		t.Errorf("%v %+v", err, res.Needs)
	}
}

// Keep that is to stay out from under text does, where it can.
func TestAvoidText(t *testing.T) {
	store := pictures(t)
	text := `tourmaline: 1
viewports: {widths: 600-700, heights: 700-700, densities: [1]}
boxes:
  - name: b
    height: 500px
    layers: [{image: wide.png, size: cover, position: auto, avoid: text, keep: {x: 40%, y: 30%, width: 15%, height: 30%}}]
    text: [{area: {left: 0px, top: 0px, width: 45%, height: 100%}, color: black}]
`
	res, err := settled(text, store)
	if err != nil {
		t.Fatal(err)
	}
	rep, err := check.Run(context.Background(), res.Plan, store,
		check.Options{Only: []string{"behind-text", "cut-subject"}})
	if err != nil || len(rep.Findings) > 0 || res.Choices[0].Failed {
		t.Errorf("%v %+v\n%s", err, rep.Findings, res.Plan.Text())
	}
}

func BenchmarkSettle20Boxes(b *testing.B) {
	var t strings.Builder
	t.WriteString("tourmaline: 1\nviewports: {widths: 320-2560, heights: 600-1400, densities: [1, 2]}\nboxes:\n")
	for i := range 20 {
		fmt.Fprintf(&t, "  - name: b%d\n    height: max(30rem, %dvh)\n    layers:\n      - {image: wide.png, size: "+
			"cover, position: auto, repeat: no-repeat, keep: {x: %d%%, y: 30%%, width: 8%%, height: 20%%}}\n      "+
			"- color: auto\n", i, 30+2*i, 4*i)
	}
	store := pictures(b)
	for b.Loop() {
		if _, err := settled(t.String(), store); err != nil {
			b.Fatal(err)
		}
	}
}

// Where a when block puts the text elsewhere, each place has its own scrim, if that leaves more of the picture; check
// finds none too weak, and one a step weaker is.
func TestScrimForEachWhen(t *testing.T) {
	text := `tourmaline: 1
viewports: {widths: 400-1000, heights: 700-700, densities: [1], named: {phone: 400x700@1, wide: 1000x700@1}}
boxes:
  - name: hero
    height: 400px
    text: [{area: {left: 0px, top: 0px, width: 40%, height: 100%}, color: white}]
    layers:
      - color: auto scrim
      - {gradient: "linear-gradient(to right, #ccc 50%, black 50%)"}
    when:
      "(width < 600px)":
        text: [{area: {left: 60%, top: 0px, width: 40%, height: 100%}, color: white}]
`
	r, err := settled(text, pictures(t))
	if err != nil || len(r.Choices) != 1 {
		t.Fatal(err, r)
	}
	c := r.Choices[0]
	if c.Failed || !strings.Contains(c.Value, "linear-gradient(to right, ") ||
		!strings.HasSuffix(c.Value, ", (width < 600px) rgb(0 0 0 / 0%)") {
		t.Fatalf("%+v", c)
	}
	// White on #ccc (luminance 0.604) needs a grey of luminance 0.1833, #777: 204 (1 - a) = 118.9, a = 42%.
	if !strings.Contains(c.Value, "rgb(0 0 0 / 42%)") {
		t.Errorf("settled to %s, want 42%%", c.Value)
	}
}

package draft_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"tourmaline/core/cascade"
	"tourmaline/core/css"
	"tourmaline/core/page"
	"tourmaline/core/window"
)

// Modes become when blocks: by a rule of the element, by a variable of the root, by what is hidden, on touch
// screens alone, and of two together.
func TestDraftKeepsEveryMode(t *testing.T) {
	d, p := drafted(t, folder(map[string]string{
		"index.html": `<!doctype html><link rel=stylesheet href=a.css><body><header class=top>Words</header>
<section class=only></section><section class=both></section><footer>f</footer>`,
		"a.css": `* { box-sizing: border-box } :root { --back: #fefefe; --ink: #111 } body { color: var(--ink) }
@media (prefers-color-scheme: dark) { :root { --back: #101010; --ink: #eee } }
.top { background: var(--back); height: 100px; padding: 10px } @media (width < 600px) { .top { padding: 5px } }
@media (hover: none) { .only { background: url(dots.png) } } .only { height: 50px }
.both { height: 60px; background: red; border: 1px solid blue; aspect-ratio: 2 / 1 }
@media (prefers-color-scheme: dark) { .both { background: maroon } }
@media print { .both { border: 0; border-top: 2px solid black; aspect-ratio: auto } }
@media print and (prefers-color-scheme: dark) { .both { background: black } }
footer { background: #222; height: 10px } @media print { footer { display: none } }`,
		"dots.png": dots(16, 16)}), "index.html")
	for _, want := range []string{`
    when:
      (width <= 599px):
        padding: 5px
      "(prefers-color-scheme: dark)":
        layers:
          - color: "#101010"
        text:
          # where text lies is a guess: only a browser knows
          - area: {left: 8%, right: 8%, top: 15%, bottom: 15%}
            color: "#eee"
`, `
      "(hover: none) and (pointer: coarse)":
        layers:
          - texture: dots.png
`, `
      "(prefers-color-scheme: dark)":
        layers:
          - color: "#800000"
      print:
        aspect-ratio: auto
        css: |
          border: none;
          border-top: 2px solid #000;
      "print and (prefers-color-scheme: dark)":
        layers:
          - color: "#000"
`, `
      print:
        # not shown here; a box has a height of at least 1 px
        height: 1px
`} {
		if !strings.Contains(d.Text, want) {
			t.Errorf("the draft has not%s", want)
		}
	}
	if len(p.Boxes) != 4 {
		t.Errorf("%d boxes", len(p.Boxes))
	}
	if t.Failed() {
		t.Log(d.Text)
	}
}

// wild writes a stylesheet whose rules overlap in widths and modes.
func wild(r *rand.Rand) string {
	var b strings.Builder
	pick := func(list ...string) string { return list[r.IntN(len(list))] }
	rule := func() {
		fmt.Fprintf(&b, "%s { %s } ", pick(".a", ".b", ".a.b", "section", ":root", "body"), pick(
			"background: red", "background: url(dots.png) 10px 20% no-repeat, blue",
			"background-color: var(--x, lime)",
			"background-image: none", "background-size: 50% auto", "background-position: right 3px top",
			"--x: teal",
			"padding: 4px", "min-height: 30px", "border: 1px solid red", "border-left: 3px dotted #123", "border: none",
			"background-image: linear-gradient(red, var(--x, blue))", "aspect-ratio: 3 / 2", "aspect-ratio: auto",
			"max-width: 40rem", "border-radius: 4px", "margin: 0 auto", "background-attachment: fixed"))
	}
	b.WriteString("section { height: 100px; background: #eee } footer { height: 1px; background: #222 } ")
	for range 3 + r.IntN(4) {
		rule()
	}
	for range 1 + r.IntN(5) {
		low := 320 + r.IntN(900)
		fmt.Fprintf(&b, "@media %s { ", pick("(prefers-color-scheme: dark)", "print", "(hover: none)",
			"(pointer: fine)", "(prefers-contrast: more)", "screen", fmt.Sprintf("(width < %dpx)", low),
			fmt.Sprintf("(%dpx <= width <= %dpx)", low, low+200),
			fmt.Sprintf("(prefers-color-scheme: dark) and (width > %dpx)", low),
			fmt.Sprintf("not all and (width > %dpx)", low), "print and (prefers-color-scheme: dark)",
			"(prefers-reduced-motion: no-preference)", "(orientation: portrait)", "(orientation: landscape)",
			"(min-height: 700px)", "(height < 500px)", "(min-resolution: 2dppx)",
			fmt.Sprintf("(orientation: portrait) and (width < %dpx)", low), "(500px < height <= 900px)",
			"(-webkit-min-device-pixel-ratio: 1.5)"))
		for range 1 + r.IntN(3) {
			rule()
		}
		b.WriteString("} ")
	}
	return b.String()
}

// what tells of layers, padding and borders of a style.
func what(layers []css.Layer, s *css.Style) string {
	var b strings.Builder
	for _, l := range layers {
		if !l.Image.IsNone() {
			fmt.Fprintln(&b, l.Image.String(), l.Size, l.Position, l.Repeat, l.Attachment, l.Origin, l.Clip, l.Blend)
		}
	}
	fmt.Fprintln(&b, s.Background.Color, s.Padding, s.Radii)
	for _, x := range s.Borders {
		if x.Style != "none" && !x.Width.IsZero() {
			fmt.Fprintln(&b, x.Style, x.Width, x.Color)
		} else {
			b.WriteString("- ")
		}
	}
	return b.String()
}

// The drafted plan is what the page is, at every edge of a width and in every combination of the modes that the page
// asks for: read by the cascade there, by the plan here.
func TestDraftIsThePageInEveryMode(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	compared := 0
	for n := range 100 {
		text := wild(r)
		files := folder(map[string]string{"dots.png": dots(16, 16), "a.css": text,
			"index.html": `<!doctype html><link rel=stylesheet href=a.css><body><section class=a></section>
<section class=b></section><section class="a b"></section><footer></footer>`})
		d, p := drafted(t, files, "index.html")
		loaded, err := page.Load(files, "index.html")
		if err != nil {
			t.Fatal(err)
		}
		var asked window.Modes
		for i := range loaded.Conditions {
			asked |= loaded.Conditions[i].Media.Modes()
		}
		spans := map[window.Modes][]cascade.Span{}
		for i := range d.Boxes {
			b, box := &d.Boxes[i], p.All()[i]
			if b.Name == "canvas" || b.Name == "page" {
				continue
			}
			list, err := cascade.ParseSelectors(b.Selector, nil)
			if err != nil {
				t.Fatal(err)
			}
			for _, e := range loaded.Select(list, loaded.Elements()) {
				for _, m := range asked.Subsets() {
					if spans[m] == nil {
						env := css.Env{Window: window.Window{Height: 900, Density: 1, Modes: m}}
						spans[m] = loaded.Spans(env, 320, 2560)
					}
					for k := range 10 {
						env := css.Env{Window: window.Window{Width: float64(320 + r.IntN(2241)), Modes: m,
							Height:  []float64{300, 499, 500, 501, 699, 700, 900, 901, 1600}[r.IntN(9)],
							Density: []float64{1, 1.5, 2, 3}[r.IntN(4)]}}
						if k > 4 {
							env.Width = float64(spans[m][r.IntN(len(spans[m]))].From)
						}
						c := loaded.At(env, false).Of(e, "")
						v := box.At(&env)
						compared++
						var layers []css.Layer
						for _, l := range v.Layers() {
							layers = append(layers, l.Layer)
						}
						got, want := what(layers, &v.Style), what(c.Style.Layers(), &c.Style)
						if got != want || v.Ratio != ratio(c) {
							t.Fatalf("case %d, %s at %v: the plan has\n%s%g, the page\n%s%g\n%s\n%s", n,
								b.Name, env.Window, got, v.Ratio, want, ratio(c), text, d.Text)
						}
					}
				}
			}
		}
	}
	if compared < 10_000 {
		t.Errorf("only %d windows were compared", compared)
	}
}

func ratio(c *cascade.Computed) float64 {
	r, err := css.ParseRatio("", c.Values["aspect-ratio"])
	if err != nil {
		return 0
	}
	return r
}

// Conditions on height, density and side become when blocks; a box whose background hangs on what is not drafted is
// left out, with the condition.
func TestDraftKeepsOtherWindows(t *testing.T) {
	d, p := drafted(t, folder(map[string]string{
		"index.html": `<!doctype html><link rel=stylesheet href=a.css><body><header class=top></header>
<section class=dense></section><section class=low></section><section class=card></section><footer></footer>`,
		"a.css": `* { box-sizing: border-box } .top { height: 100px; background: red }
@media (orientation: portrait) { .top { background: blue } }
.dense { height: 100px; background: url(dots.png) } @media (min-resolution: 2dppx) { .dense { background-image: url(two.png) } }
.low { height: 50px; background: #123 } @media (max-height: 700px) { .low { height: 40px } }
.card { height: 9px; background: #eee } @container (width > 300px) { .card { background: #ddd } }
footer { height: 1px; background: #111 } @media (aspect-ratio > 2/1) { footer { background: #222 } }`,
		"dots.png": dots(16, 16), "two.png": dots(32, 32)}), "index.html")
	for _, want := range []string{`
    when:
      "(orientation: portrait)":
        layers:
          - color: "#00f"
`, `
    when:
      (resolution >= 2x):
        layers:
          - texture: two.png
`, `
    when:
      (height <= 700px):
        height: 40px
`, "# - section.card (#eeeeee) a.css:5: what it has under", "# - footer (#111111) a.css:6: what it has under (aspect-ratio"} {
		if !strings.Contains(d.Text, want) {
			t.Errorf("the draft has not%s", want)
		}
	}
	if len(p.Boxes) != 3 {
		t.Errorf("%d boxes", len(p.Boxes))
	}
	if t.Failed() {
		t.Log(d.Text)
	}
}

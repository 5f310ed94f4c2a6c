package sheet

import (
	"strings"
	"testing"

	"tourmaline/core/css"
	"tourmaline/core/cut"
	"tourmaline/core/finding"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
)

func write(t *testing.T, text string) string {
	t.Helper()
	p, err := plan.Parse("p.yaml", []byte("tourmaline: 1\nviewports: {named: {w: 700x500@1}}\n"+text))
	if err != nil {
		t.Fatal(err)
	}
	out, err := CSS(p, nil, Options{})
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// What is written means what the plan says: its declarations, read back, give
// the same layers.
func TestWrittenDeclarationsReadBack(t *testing.T) {
	for _, want := range []string{
		"background: url(a.png) 10% 20px / 30% auto repeat-x fixed content-box padding-box, linear-gradient(in " +
			"oklch longer hue, red, blue) #123",
		"background: red", "background: url(a.png), url(b.png) center / cover no-repeat; background-blend-mode: " +
			"multiply, screen",
		"background: radial-gradient(circle 10px at 3px 4px, red 10% 20%, 30%, blue); border: 2px dashed teal; " +
			"border-radius: 4px 5px / 6px",
	} {
		out := write(t, "boxes: [{name: b, height: 9px, css: '"+want+"'}]")
		body := out[strings.Index(out, "{")+1 : strings.Index(out, "\n}")]
		a, b := css.NewStyle(), css.NewStyle()
		if err := a.ApplyText(want, nil); err != nil {
			t.Fatal(err)
		}
		if err := b.ApplyText(body, nil); err != nil {
			t.Errorf("%s\nwritten as%s%v", want, body, err)
			continue
		}
		la, lb := a.Layers(), b.Layers()
		for i := range la {
			if la[i].String() != lb[i].String() || la[i].Blend != lb[i].Blend {
				t.Errorf("%s\nlayer %d read back as %s, was %s", want, i, lb[i], la[i])
			}
		}
		if a.Background.Color.String() != b.Background.Color.String() || len(la) != len(lb) {
			t.Errorf("%s: colour %s, was %s", want, b.Background.Color, a.Background.Color)
		}
	}
}

func TestWhenBlocksWriteOnlyChanges(t *testing.T) {
	out := write(t, `boxes:
  - name: b
    height: 90px
    layers: [{image: a.jpg, size: cover, position: 30% 40%}]
    when:
      (width < 600px): {height: 50px}
      (width < 400px): {css: 'background-position: left'}
`)
	if strings.Contains(out, "600px") {
		t.Errorf("a block that changes the height only is written:\n%s", out)
	}
	block := out[strings.Index(out, "@media (width < 400px)"):]
	if strings.Count(block, ";") != 1 || !strings.Contains(block, "background-position: 0% 50%;") {
		t.Errorf("more than the change is written:\n%s", block)
	}
}

// A block that has only a colour takes the picture away, so that it is not fetched.
func TestAColourAloneTakesThePictureAway(t *testing.T) {
	out := write(t, "boxes:\n  - {name: b, height: 90px, layers: [{image: a.jpg}], when: {(width < 600px): "+
		"{layers: [{color: teal}]}}}\n")
	block := out[strings.Index(out, "@media"):]
	if !strings.Contains(block, "background-image: none;") || !strings.Contains(block, "background-color: #008080;") {
		t.Error(out)
	}
}

// The plan's own image-set() is written with the files that were cut for each density.
func TestOwnImageSetIsWrittenWithFiles(t *testing.T) {
	p, err := plan.Parse("p.yaml",
		[]byte("tourmaline: 1\nviewports: {densities: [1, 2], named: {w: 700x500@1}}\nboxes:\n  - {name: b, "+
			"height: 9px, css: 'background: image-set(url(a.png) 1x, url(b.png) 2x) 0 0 / cover'}\n"))
	if err != nil {
		t.Fatal(err)
	}
	ladder := func(src, file string) *cut.Ladder {
		r := &cut.Rung{Width: 9, Height: 9, Files: []cut.Asset{{Name: file + ".avif", Format: "avif"},
			{Name: file + ".png", Format: "png"}}}
		return &cut.Ladder{Box: p.Boxes[0], Source: src, File: &picture.File{Width: 9, Height: 9},
			Rungs: []*cut.Rung{r}, Bands: []cut.Band{{Tiers: []cut.Tier{{Density: 2, Rung: r}}}}}
	}
	out, err := CSS(p, []*cut.Ladder{ladder("a.png", "x"), ladder("b.png", "y")}, Options{})
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{`url("x.avif") 1x type("image/avif")`, `url("x.png") 1x`,
		`url("y.avif") 2x type("image/avif")`, `background-image: url("`} {
		if !strings.Contains(out, want) {
			t.Errorf("%s is missing:\n%s", want, out)
		}
	}
}

// Fixed pictures scroll on touch screens, unless the plan has a rule for these.
func TestFixedPicturesScrollOnTouchScreens(t *testing.T) {
	out := write(t, "boxes:\n  - {name: b, height: 90px, layers: [{gradient: 'linear-gradient(red, blue)'}, "+
		"{image: a.jpg, attachment: fixed}]}\n")
	at := strings.Index(out, "@media (hover: none) and (pointer: coarse)")
	if at < 0 || !strings.Contains(out[at:], "background-attachment: scroll;") {
		t.Error(out)
	}
	out = write(t, "boxes:\n  - {name: b, height: 90px, layers: [{image: a.jpg, attachment: fixed}], when: "+
		"{'(hover: none)': {css: 'background-attachment: local'}}}\n")
	if strings.Contains(out, "pointer") || strings.Count(out, "(hover: none)") != 1 || strings.Contains(out,
		"scroll") {
		t.Error(out)
	}
}

// The canvas has its fixed picture on a fixed element there, at every size of its files and
// wherever a block changes it; touch: chooses otherwise.
func TestFixedCanvasOnTouchScreens(t *testing.T) {
	text := "canvas:\n  layers: [{gradient: 'linear-gradient(red, blue)', size: 9px}, {image: a.jpg, size: cover, " +
		"attachment: " +
		"fixed%s}]\n  when: {(width < 600px): {layers: [{color: teal}]}}\n"
	out := write(t, strings.Replace(text, "%s", "", 1))
	at := strings.Index(out, "@media (hover: none) and (pointer: coarse)")
	if at < 0 {
		t.Fatal(out)
	}
	touch := out[at:]
	for _, want := range []string{"body {\n    background-image: none;", "position: fixed;", "height: 100lvh;",
		"body::before {\n    background-image: url(\"a.jpg\");", "body::after {\n    background-image: " +
			"linear-gradient(",
		"background-attachment: scroll;", "content: none;"} {
		if !strings.Contains(touch, want) {
			t.Errorf("%q is missing:\n%s", want, out)
		}
	}
	if out := write(t, strings.Replace(text, "%s", ", touch: scroll", 1)); !strings.Contains(out,
		"background-attachment: scroll, scroll") && !strings.Contains(out, "background-attachment: scroll;") ||
		strings.Contains(out, "lvh") {
		t.Error(out)
	}
	if out := write(t, strings.Replace(text, "%s", ", touch: none", 1)); strings.Contains(out, "hover") {
		t.Error(out)
	}
}

// A short page must not end the background: the root is as tall as the window.
func TestTheCanvasFillsShortPages(t *testing.T) {
	for plan, want := range map[string]string{
		"canvas: {layers: [{gradient: 'linear-gradient(red, blue)'}]}\n": "html {\n  min-height: 100%;\n}",
		"canvas: {min-height: 50vh, layers: [{image: a.jpg}]}\n":         "html {\n  min-height: 50vh;\n}",
		"canvas: {layers: [{color: teal}]}\n":                            "",
	} {
		out := write(t, plan)
		if want == "" && strings.Contains(out, "html") || !strings.Contains(out, want) {
			t.Errorf("%s%s", plan, out)
		}
	}
}

// What the background depends on is written with it: padding where a layer lies in the content
// box, the text colour where it is used, the font size where lengths are in it, importance.
func TestWhatTheBackgroundNeedsIsWritten(t *testing.T) {
	out := write(t, "boxes: [{name: b, height: 90px, css: 'padding: 3px 9px; color: red; font-size: 20px; background: "+
		"linear-gradient(currentcolor, blue) 0 0 / 2em content-box !important'}]\n")
	for _, want := range []string{"padding: 3px 9px;", "color: #f00;", "font-size: 20px;",
		"background-image: linear-gradient(currentcolor, #00f) !important;", "background-size: 2em !important;"} {
		if !strings.Contains(out, want) {
			t.Errorf("%q is missing:\n%s", want, out)
		}
	}
	out = write(t, "boxes: [{name: b, height: 90px, css: 'padding: 3px; color: red; font-size: 20px; background: "+
		"linear-gradient(red, blue)'}]\n")
	if strings.Contains(out, "padding") || strings.Contains(out, "  color:") || strings.Contains(out, "font") {
		t.Errorf("more is written than the background needs:\n%s", out)
	}
}

// The background colour is clipped as the plan says, with or without a picture.
func TestColoursAreClipped(t *testing.T) {
	out := write(t, "boxes: [{name: b, height: 90px, css: 'border: 2px solid red; background: teal padding-box', "+
		"when: "+
		"{(width < 600px): {css: 'background: gold'}}}]\n")
	at := strings.Index(out, "@media")
	if !strings.Contains(out[:at], "background-clip: padding-box;") ||
		!strings.Contains(out[at:], "background-clip: border-box;") {
		t.Error(out)
	}
}

// A when block that takes a border or radius away says so.
func TestWhenBlocksTakeAway(t *testing.T) {
	out := write(t, "boxes: [{name: b, height: 90px, css: 'border: 2px solid red; border-radius: 4px; background: "+
		"teal', when: {(width < 600px): {css: 'border: none; border-radius: 0'}}}]\n")
	block := out[strings.Index(out, "@media"):]
	if !strings.Contains(block, "border: none;") || !strings.Contains(block, "border-radius: 0;") {
		t.Error(out)
	}
}

// A layer with filter and blend is an element that blends; what blends over it is one too.
func TestFiltersBlend(t *testing.T) {
	out := write(t, `boxes:
  - name: b
    height: 90px
    layers:
      - {gradient: 'linear-gradient(red, blue)', blend: screen}
      - {image: a.jpg, filter: blur(2px), blend: multiply}
      - color: teal
`)
	before := out[strings.Index(out, "::before"):strings.Index(out, "::after")]
	after := out[strings.Index(out, "::after"):]
	if !strings.Contains(before, "mix-blend-mode: multiply;") || !strings.Contains(after, "mix-blend-mode: screen;") ||
		strings.Contains(out, "background-blend-mode") {
		t.Error(out)
	}
}

func TestFiltersGoToPseudoElements(t *testing.T) {
	out := write(t, `boxes:
  - name: b
    height: 90px
    layers:
      - gradient: linear-gradient(red, blue)
      - {image: a.jpg, filter: blur(2px)}
      - {image: b.jpg}
      - color: teal
`)
	for _, want := range []string{".b {", ".b::before {", ".b::after {", "filter: blur(2px);", "isolation: isolate;",
		`content: "";`} {
		if strings.Count(out, want) == 0 {
			t.Errorf("%q is missing:\n%s", want, out)
		}
	}
	before := out[strings.Index(out, "::before"):strings.Index(out, "::after")]
	if !strings.Contains(before, "a.jpg") || !strings.Contains(before, "filter") {
		t.Errorf("the filtered picture is not alone in ::before:\n%s", out)
	}
	p, err := plan.Parse("p.yaml",
		[]byte("tourmaline: 1\nboxes:\n  - name: b\n    height: 9px\n    layers: [{image: a, filter: blur(1px)}, "+
			"{image: b, filter: blur(1px)}, {image: c, filter: blur(1px)}]\n"))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := CSS(p, nil, Options{}); err == nil || !strings.Contains(err.Error(), "p.yaml:5:") {
		t.Errorf("three filtered layers: %v", err)
	}
}

// Custom properties stand for what repeats, by a name that says what it is, and never where a
// browser would lose a fallback by it.
func TestPropertiesLoseNoFallback(t *testing.T) {
	g := group{rules: []rule{
		{decls: []decl{{"background-image", `url("pictures/dome-390-aabbccdd.jpg")`},
			{"background-image", `image-set("pictures/dome-390.avif" type("image/avif"))`}}},
		{
			media: []string{"(min-width: 9px)"},
			decls: []decl{{"background-image", `url("pictures/dome-390-aabbccdd.jpg")`},
				{"background-image", `image-set("pictures/dome-390.avif" type("image/avif"))`},
				{"background-position", "calc(50% - 3.25px) calc(12% + 9px)"}},
		},
		{media: []string{"(min-width: 19px)"}, decls: []decl{
			{"background-position", "calc(50% - 3.25px) calc(12% + 9px), 0 0"},
			{
				"background-image",
				"linear-gradient(to right, red, blue 40%), linear-gradient(to right, red, blue 40%)",
			}}},
	}}
	g.useProperties("the hero")
	out := print("", []group{g}, form{})
	for _, want := range []string{`--the-hero-dome-390-aabbccdd: url("pictures/dome-390-aabbccdd.jpg");`,
		"background-image: var(--the-hero-dome-390-aabbccdd);", "--the-hero-position: calc(50% - 3.25px) calc(12% " +
			"+ 9px);",
		"--the-hero-gradient: linear-gradient(to right, red, blue 40%);"} {
		if !strings.Contains(out, want) {
			t.Errorf("%q is missing:\n%s", want, out)
		}
	}
	if strings.Count(out, "image-set(") != 2 {
		t.Errorf("a value with a fallback is a property:\n%s", out)
	}
}

func TestMarkup(t *testing.T) {
	const plain = `<div data-box="a&lt;b">`
	for selector, want := range map[string]string{
		"header.hero":      `<header class="hero" data-box="a&lt;b">`,
		".a.b#c":           `<div class="a b" id="c" data-box="a&lt;b">`,
		"main > section.x": `<main><section class="x" data-box="a&lt;b">`,
		"body .x":          `<div class="x" data-box="a&lt;b">`,
		"a:hover":          plain, "p + p": plain, "[x]": plain, "html": plain,
	} {
		got, ok := markup(selector, "a<b")
		if string(got.Open) != want || ok != (want != plain) {
			t.Errorf("%s: %s %v, want %s", selector, got.Open, ok, want)
		}
	}
	if got := cssString("a\"\\</style>\n"); got != `"a\"\\\3c /style>\a "` {
		t.Errorf("a string with marks is %s", got)
	}
}

func TestWeight(t *testing.T) {
	for n, want := range map[int]string{900: "900 B", 1500: "1.5 KB", 15400: "15 KB", 1250000: "1.25 MB"} {
		if got := finding.Weight(n); got != want {
			t.Errorf("%d: %s, want %s", n, got, want)
		}
	}
}

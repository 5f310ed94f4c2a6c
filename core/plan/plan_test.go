package plan

import (
	"math"
	"strings"
	"testing"

	"tourmaline/core/css"
	"tourmaline/core/window"
)

const head = "tourmaline: 1\nboxes:\n  - name: a\n    height: 10px\n"

// Each plan is wrong at one place; the whole message is compared.
func TestErrorsNameThePlace(t *testing.T) {
	rows := []struct{ name, plan, want string }{
		{"unknown key", "tourmaline: 1\nboxs: []\n",
			`p.yaml:2:1: "boxs" is not a key that is known here; did you mean "boxes"?`},
		{"unknown key in a box", head + "    heigth: 3px\n",
			`p.yaml:5:5: "heigth" is not a key that is known here; did you mean "height"?`},
		{"bad unit", "tourmaline: 1\nboxes:\n  - name: a\n    height: 200xp\n",
			`p.yaml:4:13: height: "200xp" is not a length or percentage; did you mean px?`},
		{"quoted bad unit", "tourmaline: 1\nboxes:\n  - name: a\n    height: \"max(1px, 2xp)\"\n",
			`p.yaml:4:23: height: "2xp" is not a length or percentage; did you mean px?`},
		{"zero height", "tourmaline: 1\nboxes:\n  - name: a\n    height: 0\n",
			`p.yaml:4:13: height: the box "a" has no height`},
		{"no height", "tourmaline: 1\nboxes:\n  - name: a\n    width: 10px\n",
			`p.yaml:3:11: height: the box "a" has no height`},
		{"zero in when", head + "    when:\n      (width < 5px):\n        height: 0px\n",
			`p.yaml:7:17: height: the box "a" has no height`},
		{"css block", head + "    css: |\n      padding: 1px;\n      background-siez: cover;\n",
			`p.yaml:7:7: "background-siez" is not a property that a box takes here; did you mean background-size?`},
		{"css value", head + "    css: |\n      padding: 1px;\n      background: url(a) 3px 4xp;\n",
			`p.yaml:7:30: background: "4xp" is not a length or percentage; did you mean px?`},
		{"keep outside", head +
			"    layers:\n      - image: a.png\n        keep: {x: 80%, y: 0%, width: 30%, height: 10%}\n",
			`p.yaml:7:16: keep: the region is not inside the picture`},
		{"keep without unit", head +
			"    layers:\n      - image: a.png\n        keep: {x: 80, y: 0%, width: 30%, height: 10%}\n",
			`p.yaml:7:19: x: "80" is not a percentage such as 40%`},
		{"two kinds", head + "    layers:\n      - image: a.png\n        color: red\n",
			`p.yaml:6:9: layers: the layer has more than one of image, texture, gradient, color and video`},
		{"hash comment", head + "    layers:\n      - gradient: linear-gradient(red, #fff)\n",
			`put the value in quotes`},
		{"media", head + "    when:\n      (widht < 5px):\n        height: 3px\n",
			`p.yaml:6:8: when: "widht" is not a media feature; did you mean "width"?`},
		{"duplicate box", head + "  - name: a\n    height: 1px\n", `p.yaml:5:11: name: two boxes are called "a"`},
		{"viewport", "tourmaline: 1\nviewports:\n  named:\n    phone: 390by844\n" + head[14:],
			`p.yaml:4:12: "390by844" is not a viewport such as 390x844@3`},
		{"range", "tourmaline: 1\nviewports:\n  widths: 900-300\n" + head[14:],
			`p.yaml:3:11: widths: "900-300" is not a range of widths`},
		{"shares", "tourmaline: 1\nviewports:\n  named:\n    a: {size: 10x10, share: 70%}\n    b: {size: 20x10, " +
			"share: 70%}\n" + head[14:], `shares that add up to 100% at most (these make 140%)`},
		{"version", "tourmaline: 2\n", `p.yaml:1:13: tourmaline: "2" is not a plan version that is read here (1)`},
		{"no version", "site: x\n", `p.yaml:1:1: the plan has no version`},
		{"empty", "# nothing\n", `p.yaml:1:1: the plan is empty`},
		{"yaml", "tourmaline: 1\nsite: [\n", `p.yaml:`},
		{"merge", head + "    <<: {a: 1}\n", `merge keys (<<) are not used here`},
		{"budget", head + "budget:\n  fone: 10 KB\n",
			`p.yaml: budget: "fone" is not a named viewport; did you mean "phone"?`},
		{"height table", "tourmaline: 1\nboxes:\n  - name: a\n    height: {900: 10px, 300: 20px}\n",
			`expected a table with its widths in rising order`},
	}
	for _, r := range rows {
		_, err := Parse("p.yaml", []byte(r.plan))
		if err == nil {
			t.Errorf("%s: no error, want %s", r.name, r.want)
		} else if !strings.Contains(err.Error(), r.want) {
			t.Errorf("%s:\n got %s\nwant %s", r.name, err, r.want)
		}
	}
}

func parse(t *testing.T, text string) *Plan {
	t.Helper()
	p, err := Parse("p.yaml", []byte(text))
	if err != nil {
		t.Fatal(err)
	}
	return p
}

func TestWhenBlocksLayOver(t *testing.T) {
	p := parse(t, head+`    layers:
      - image: a.jpg
        size: cover
        keep: {x: 10%, y: 20%, width: 30%, height: 40%}
      - color: red
    when:
      (width < 600px):
        height: 20px
        css: "background-position: right"
      (width < 300px):
        layers:
          - color: blue
`)
	b := p.Boxes[0]
	wide := b.At(&css.Env{Window: window.Window{Width: 900, Height: 100}})
	mid := b.At(&css.Env{Window: window.Window{Width: 400, Height: 100}})
	thin := b.At(&css.Env{Window: window.Window{Width: 200, Height: 100}})
	if wide.Style.Background.Color.String() != "#f00" || wide.Layers()[0].Plan.Keep == nil ||
		wide.Layers()[0].Size.String() != "cover" {
		t.Errorf("wide: %+v", wide)
	}
	if mid.Layers()[0].Position.X.Offset.String() != "100%" || mid.Layers()[0].Plan.Keep == nil ||
		mid.Size(Height).Len.String() != "20px" {
		t.Errorf("mid: %s", mid.Layers()[0])
	}
	if img := thin.Layers()[0].Image; !img.IsNone() || thin.Style.Background.Color.String() != "#00f" {
		t.Errorf("thin: %s", thin.Layers()[0])
	}
	r := NewResolver(p)
	if r.At(b.ID, &css.Env{Window: window.Window{Width: 900, Height: 100}}) != r.At(b.ID,
		&css.Env{Window: window.Window{Width: 1000, Height: 1}}) {
		t.Error("the same rules are computed twice")
	}
}

func TestColourLayers(t *testing.T) {
	p := parse(t, head+"    layers:\n      - color: rgb(0 0 0 / 50%)\n      - image: a.jpg\n      - color: red\n")
	c := p.Boxes[0].Base()
	if got := c.Layers()[0].Image.String(); got != "linear-gradient(rgb(0 0 0 / 0.5), rgb(0 0 0 / 0.5))" ||
		len(c.Layers()) != 2 {
		t.Errorf("a colour over a picture is %s in %d layers", got, len(c.Layers()))
	}
}

func TestAutoPositionFollowsFocusThenKeep(t *testing.T) {
	p := parse(t, head+"    layers:\n      - image: a.jpg\n        position: auto\n        keep: {x: 40%, y: 10%, "+
		"width: 20%, height: 30%}\n")
	if got := p.Boxes[0].Base().Layers()[0].Position.String(); got != "50% 25%" {
		t.Errorf("position %s, want the middle of keep, 50%% 25%%", got)
	}
}

// Between two densities no more px are asked for than the denser one needs.
func TestFloors(t *testing.T) {
	f := DefaultFiles()
	for d, want := range map[float64]float64{1: 1, 2: 1, 2.25: 1, 2.5: 0.9, 2.625: 2.25 / 2.625, 3: 0.75, 4: 0.75} {
		if got := f.Floor(d); math.Abs(got-want) > 1e-9 {
			t.Errorf("at %g: %g, want %g", d, got, want)
		}
	}
	f.Sharpness = []Floor{{1, 1}}
	if got := f.Floor(2.625); got != 1 {
		t.Errorf("one for all: %g", got)
	}
}

func TestTablesOfLengths(t *testing.T) {
	steps := []Step{{Width: 300, Length: 900}, {Width: 700, Length: 500}, {Width: 1100, Length: 400}}
	// between 300 and 700 the height falls by 1 px a px; then by 1/4
	for w, want := range map[float64]float64{100: 900, 300: 900, 400: 800, 700: 500, 900: 450, 1100: 400, 5000: 400} {
		if got := StepAt(steps, w, 777); got != want {
			t.Errorf("at %g: %g, want %g", w, got, want)
		}
	}
	// The taller of 400 to 800 px of text, by width, and the window's height: at 500 px the bend is at 600 px.
	bent := []Step{{Width: 300, Length: 800, Bends: []Bend{{400, 800}, {800, 800}, {1000, 1000}}},
		{Width: 700, Length: 400, Bends: []Bend{{400, 400}, {400.5, 400.5}, {1000, 1000}}},
		{Width: 900, Length: 400, Bends: []Bend{{400, 400}, {1000, 1000}}}}
	for at, want := range map[[2]float64]float64{{300, 500}: 800, {300, 900}: 900, {500, 500}: 600, {500, 600}: 600,
		{500, 750}: 750, {500, 1200}: 1200, {800, 700}: 700, {2000, 300}: 300} {
		if got := StepAt(bent, at[0], at[1]); math.Abs(got-want) > 0.6 {
			t.Errorf("at %g: %g, want %g", at, got, want)
		}
	}
}

func TestViewportText(t *testing.T) {
	for text, want := range map[string]string{"390x844@3": "390x844@3", "390x844": "390x844@1",
		"412.5x900@2.625x": "412.5x900@2.625"} {
		v, err := ParseViewport(text)
		if err != nil || v.String() != want {
			t.Errorf("%s: %s, %v", text, v, err)
		}
	}
	for _, bad := range []string{"", "x", "0x10", "10x10@0", "10x10@99", "99999x10", "axb", "10x10@a", "NaNx10"} {
		if v, err := ParseViewport(bad); err == nil {
			t.Errorf("%q is read as %s", bad, v)
		}
	}
}

func TestBytes(t *testing.T) {
	for text, want := range map[string]float64{"150 KB": 150e3, "1.5MB": 1.5e6, "900 B": 900} {
		if got, err := ParseBytes(text); err != nil || got != want {
			t.Errorf("%s: %g, %v", text, got, err)
		}
	}
	if _, err := ParseBytes("150"); err == nil {
		t.Error("a weight without a unit is taken")
	}
}

// No plan makes the reader panic, and what it takes it can compute.
func FuzzParse(f *testing.F) {
	f.Add(head + "    layers:\n      - image: a.jpg\n        size: cover\n    when:\n      (width < 3px): {height: " +
		"2px}\n")
	f.Add("tourmaline: 1\nviewports: {widths: 1-2, named: {a: 1x1}}\npage: {max-width: 3px}\ncanvas: {css: " +
		"'background: red'}\n")
	f.Fuzz(func(t *testing.T, text string) {
		if len(text) > 2000 {
			return
		}
		p, err := Parse("p", []byte(text))
		if err != nil {
			return
		}
		for _, b := range p.All() {
			b.At(&css.Env{Window: window.Window{Width: 400, Height: 300, Density: 1}})
		}
	})
}

func TestDensitiesWithWidths(t *testing.T) {
	const boxes = "\nboxes:\n  - {name: a, height: 10px}\n"
	p, err := Parse("p.yaml", []byte("tourmaline: 1\nviewports: {densities: {1: 320-2560, 1.5: 500-900}}"+boxes))
	if err != nil || len(p.Density) != 2 || p.Density[1] != 1.5 || p.Spans[0] != [2]int{320, 2560} ||
		p.Spans[1] != [2]int{500, 900} {
		t.Errorf("%v %+v", err, p)
	}
	p, err = Parse("p.yaml", []byte("tourmaline: 1\nviewports: {densities: [1, 2], widths: 400-800}"+boxes))
	if err != nil || len(p.Spans) != 2 || p.Spans[0] != [2]int{400, 800} || p.Spans[1] != [2]int{400, 800} {
		t.Errorf("a list is seen at all widths: %v %+v", err, p)
	}
	for _, r := range []struct{ text, want string }{
		{"viewports: {densities: {2: 320-900, 1: 320-900}}",
			`p.yaml:2:37: densities: "1" is not a density between 0.1 and 10, larger than the one before`},
		{"viewports: {densities: {x: 320-900}}", `"x" is not a density`},
		{"viewports: {densities: {1: wide}}", `"wide" is not a range of widths such as 320-960`},
		{"accept: [{check: bare}]", "p.yaml:2:11: accept: an accepted finding has a check and a reason"},
		{"accept: [{check: bare, reason: x, box: a, widths: wide}]",
			`"wide" is not a range of widths such as 320-767`},
		{"accept: [{chek: bare}]", `did you mean "check"`},
	} {
		if _, err := Parse("p.yaml", []byte("tourmaline: 1\n"+r.text+boxes)); err == nil ||
			!strings.Contains(err.Error(), r.want) {
			t.Errorf("%s: got %v, want %s", r.text, err, r.want)
		}
	}
}

// What a box says after its when block counts as what it says before it.
func TestKeysAfterWhenCount(t *testing.T) {
	for _, text := range []string{
		`{name: b, when: {"(width < 500px)": {padding: 2px}}, padding: 1px, height: 9px, layers: [{color: red}, {color: navy}]}`,
		`{name: b, padding: 1px, height: 9px, layers: [{color: red}, {color: navy}], when: {"(width < 500px)": {padding: 2px}}}`,
	} {
		b := parse(t, "tourmaline: 1\nboxes: ["+text+"]\n").Boxes[0]
		v := b.Base()
		if len(b.Rules) != 2 || len(v.Layers()) != 1 || v.Size(Height) == nil || v.Style.Padding[0] != css.Pxs(1) {
			t.Errorf("%s: %d rules, %d layers, %v, %v", text, len(b.Rules), len(v.Layers()), v.Size(Height),
				v.Style.Padding[0])
		}
	}
}

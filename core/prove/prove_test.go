package prove

import (
	"image"
	"image/color"
	"image/draw"
	"math"
	"slices"
	"testing"

	"tourmaline/core/css"
	"tourmaline/core/measure"
	"tourmaline/core/plan"
	"tourmaline/core/window"
)

func parse(t *testing.T, text string) *plan.Plan {
	t.Helper()
	p, err := plan.Parse("p.yaml", []byte(text))
	if err != nil {
		t.Fatal(err)
	}
	return p
}

const text = `tourmaline: 1
viewports: {widths: 320-1000, heights: 600-900, densities: {1: 320-1000, 2: 320-500}, named: {phone: {size: 390x700@2, share: 100%}}}
boxes:
  - {name: a, height: 100px, layers: [{color: red}]}
  - {name: b, height: 50vh, layers: [{gradient: "linear-gradient(red, blue)"}, {color: "#102030"}]}
`

// Windows lie at both sides of each border of each rule, once for each density seen there.
func TestWindowsAtBorders(t *testing.T) {
	p := parse(t, text)
	got, err := Windows(p, `.a { color: red } @media (min-width: 400px) { .a { background: red } }
@media (width < 700px) and (min-height: 801px) { .b::before { background: red } } @media (min-width: 5000px) { .a { color: red } }
@media (max-width: 600px) { .other { color: red } }`)
	if err != nil {
		t.Fatal(err)
	}
	var at []string
	for _, w := range got {
		s := w.String()
		if w.Pixels {
			s += " pixels"
		}
		for _, id := range w.Boxes {
			s += " " + p.All()[id].Name
		}
		at = append(at, s)
	}
	want := []string{"390x700@2 pixels", "399x600@1 pixels a", "399x600@2 a", "400x600@1 pixels a", "400x600@2 a",
		"699x900@1 pixels b", "700x900@1 pixels b", "390x800@1 pixels b", "390x800@2 b", "390x801@1 pixels b",
		"390x801@2 b"}
	if !slices.Equal(at, want) {
		t.Errorf("\n%q, want\n%q", at, want)
	}
}

// visitOf is what a browser says of a page that is just as the plan has it in a window of 400 x 600 px.
func visitOf() *Visit {
	box := func(y, h float64, background map[string]string) measure.Box {
		r := measure.Rect{0, y, 400, h}
		return measure.Box{Border: r, Padding: r, Content: r, Matches: 1, Look: &measure.Look{Background: background}}
	}
	with := func(color, image string) map[string]string {
		return map[string]string{"color": color, "image": image, "position": "0% 0%", "size": "auto",
			"repeat": "repeat",
			"origin": "padding-box", "clip": "border-box", "attachment": "scroll", "blendMode": "normal"}
	}
	return &Visit{Page: 600, Boxes: []measure.Box{box(0, 100, with("rgb(255, 0, 0)", "none")),
		box(100, 300, with("rgb(16, 32, 48)", "linear-gradient(rgb(255, 0, 0), rgb(0, 0, 255))"))}}
}

// What is as the plan says is not told; each thing that is not, is, for its box.
func TestFacts(t *testing.T) {
	p := parse(t, text)
	w := &Window{Viewport: plan.Viewport{Window: window.Window{Width: 400, Height: 600, Density: 1}}}
	for name, c := range map[string]struct {
		change func(v *Visit)
		want   string // what differs of b
	}{
		"nothing":   {func(*Visit) {}, ""},
		"half a px": {func(v *Visit) { v.Boxes[1].Border[3] += 0.4 }, ""},
		"height":    {func(v *Visit) { v.Boxes[1].Border[3] = 280 }, "its height is 280 px, the plan says 300"},
		"top":       {func(v *Visit) { v.Boxes[1].Border[1] = 104 }, "its top edge is 104 px, the plan says 100"},
		"colour": {func(v *Visit) { v.Boxes[1].Look.Background["color"] = "rgb(16, 32, 49)" },
			"its colour is #102031, the plan says #102030"},
		"position": {func(v *Visit) { v.Boxes[1].Look.Background["position"] = "10px 0px" }, ""},
		"size": {func(v *Visit) { v.Boxes[1].Look.Background["size"] = "50px" },
			"its gradient lies at 0, 0 px in 50 x 300, the plan says 0, 0 in 400 x 300"},
		"attachment": {func(v *Visit) { v.Boxes[1].Look.Background["clip"] = "content-box" },
			"its gradient is clipped to content-box, the plan says border-box"},
		"images": {func(v *Visit) { v.Boxes[1].Look.Background["image"] = "none" },
			"the number of its images is 0, the plan says 1"},
		"gone":      {func(v *Visit) { v.Boxes[1].Matches = 0 }, "nothing on the page has its selector, .b"},
		"not shown": {func(v *Visit) { v.Boxes[1].Border = measure.Rect{} }, "it is not shown"},
	} {
		v := visitOf()
		c.change(v)
		got, err := (&Made{Plan: p, Whole: true}).Facts(w, v)
		if err != nil {
			t.Fatal(err)
		}
		if len(got) != 2 || len(got[0].Differs) > 0 {
			t.Errorf("%s: %+v", name, got[0])
		}
		if name == "position" { // a shift of what repeats is told
			if len(got[1].Differs) != 1 {
				t.Errorf("%s: %q", name, got[1].Differs)
			}
			continue
		}
		if c.want == "" && len(got[1].Differs) > 0 || c.want != "" && !slices.Equal(got[1].Differs, []string{c.want}) {
			t.Errorf("%s: %q, want %q", name, got[1].Differs, c.want)
		}
	}
}

// Each part of a page is looked at once, as far as the page scrolls.
func TestStops(t *testing.T) {
	p := parse(t, text)
	w := &Window{Viewport: plan.Viewport{Window: window.Window{Width: 400, Height: 600, Density: 1}}}
	m := &Made{Plan: p}
	v := visitOf()
	if got := m.Stops(w, v); !slices.Equal(got, []Stop{{0, 0, 400}}) {
		t.Errorf("%v", got)
	}
	v.Boxes[1].Border, v.Page = measure.Rect{0, 500, 400, 900}, 1400
	// The first at 0; the second from 500 to 600 with it, from there in two windows, of which the last ends the page.
	if got := m.Stops(w, v); !slices.Equal(got, []Stop{{0, 0, 100}, {500, 0, 600}, {800, 300, 300}}) {
		t.Errorf("%v", got)
	}
	w.Boxes = []plan.BoxID{0}
	if got := m.Stops(w, v); !slices.Equal(got, []Stop{{0, 0, 100}}) {
		t.Errorf("%v", got)
	}
}

// Pixels are compared box by box, but for what lies over a box, and told by their mean and their worst block.
func TestPixels(t *testing.T) {
	p := parse(t, text)
	w := &Window{Viewport: plan.Viewport{Window: window.Window{Width: 400, Height: 600, Density: 1}}}
	m, v := &Made{Plan: p}, visitOf()
	shot, err := m.Expect(w, v, Stop{0, 0, 400})
	if err != nil {
		t.Fatal(err)
	}
	if r := shot.Parts[1]; r != image.Rect(0, 100, 400, 400) || shot.Image.RGBAAt(5, 5) != (color.RGBA{255, 0,
		0, 255}) ||
		shot.Image.RGBAAt(5, 250).B < 120 {
		t.Errorf("%v %v", r, shot.Image.RGBAAt(5, 250))
	}
	got := image.NewRGBA(shot.Image.Rect)
	draw.Draw(got, got.Rect, shot.Image, image.Point{}, draw.Src)
	draw.Draw(got, image.Rect(0, 100, 16, 116), image.NewUniform(color.RGBA{155, 0, 0, 255}), image.Point{}, draw.Src)
	boxes, err := m.Facts(w, v)
	if err != nil {
		t.Fatal(err)
	}
	m.Compare(shot, got, boxes)
	for _, b := range boxes {
		b.Judge()
	}
	// One block of 16 x 16 px of 400 x 300 differs by about 100 levels.
	if b := boxes[1]; boxes[0].Worst != 0 || len(boxes[0].Differs) != 0 || math.Abs(b.Worst-97) > 4 ||
		math.Abs(b.Mean-97*256/120000.) > 0.02 || len(b.Differs) != 1 {
		t.Errorf("%+v %+v", boxes[0], b)
	}
}

// Colours are compared in 8 bits; clear ones are alike whatever they are.
func TestAlike(t *testing.T) {
	if !alike(css.RGBA{R: 1, A: 0}, css.RGBA{}) || alike(css.RGBA{R: 1, A: 1}, css.RGBA{R: 0.99, A: 1}) ||
		!alike(css.RGBA{R: 0.5, A: 1}, css.RGBA{R: 0.5005, A: 1}) {
		t.Error("colours")
	}
}

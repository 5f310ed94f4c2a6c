package settle

import (
	"slices"
	"strings"
	"testing"
	"tourmaline/core/css"
	"tourmaline/core/layout"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/window"
)

func TestGradients(t *testing.T) {
	store := pictures(t)
	for _, r := range []struct{ wish, want string }{
		{"auto linear-gradient(red, #0b1220)", "linear-gradient(red, #0b1220)"},
		{"auto linear-gradient(gold, blue)", "linear-gradient(in oklch, gold, blue)"},
		{"auto reversed linear-gradient(red 10%, #300 40%, #200 40px)",
			"linear-gradient(#200 calc(100% - 40px), #300 60%, red 90%)"},
		{"auto mirrored linear-gradient(red, #300 40%, #200)",
			"linear-gradient(red 0%, #300 20%, #200 50%, #300 80%, red 100%)"},
		{"auto turned 90deg linear-gradient(to right, red, #300)", "linear-gradient(red, #300)"},
		{"auto turned 30deg linear-gradient(red, #300)", "linear-gradient(210deg, red, #300)"},
		{"auto from grey.png", "linear-gradient(to bottom, #808080 0%, #808080 100%)"},
		{"auto from sky.png", "linear-gradient(to bottom, #c8aaaa 0%, #8caaaa 100%)"},
	} {
		res, err := settled("tourmaline: 1\nviewports: {widths: 320-340, heights: 700-700}\nboxes:\n  - {name: b, "+
			"height: 90px, layers: [{gradient: \""+r.wish+"\"}]}\n", store)
		if err != nil {
			t.Errorf("%s: %v", r.wish, err)
			continue
		}
		if same := func(a, b string) bool {
			x, err1 := css.ParseImage(a)
			y, err2 := css.ParseImage(b)
			return err1 == nil && err2 == nil && x.String() == y.String()
		}; !same(res.Choices[0].Value, r.want) {
			t.Errorf("%s: got %s, want %s", r.wish, res.Choices[0].Value, r.want)
		}
		if res.Plan.Boxes[0].Base().Layers()[0].Image.Gradient == nil {
			t.Errorf("%s: the plan has no gradient", r.wish)
		}
	}
}

// The proposed parts give keep the wished share at every width and height, by the
// landings of a plan that uses them, and keep stays whole.
func TestParts(t *testing.T) {
	store := pictures(t)
	text := `tourmaline: 1
viewports: {widths: 320-1200, heights: 600-800, densities: [1]}
boxes:
  - name: b
    height: calc(200px + 10vw)
    layers:
      - {image: wide.png, size: cover, position: 50% 50%, subject: 40%-70%, keep: {x: 55%, y: 40%, width: 12%, height: 20%}}
      - {color: black}
`
	res, err := settled(text, store)
	if err != nil || len(res.Parts) == 0 {
		t.Fatalf("%v %+v", err, res)
	}
	at := res.Parts[0].From
	for _, c := range res.Parts {
		if c.Failed != "" || c.From != at || c.Small >= 0.4 {
			t.Errorf("%+v", c)
		}
		at = c.To + 1
		p, err := plan.Parse("p.yaml", []byte(text+strings.Join(c.Lines, "\n")+"\n"))
		if err != nil {
			t.Fatalf("%v\n%s", err, strings.Join(c.Lines, "\n"))
		}
		for w := c.From; w <= c.To; w++ {
			for _, h := range []float64{600, 800} {
				pg := layout.At(p, plan.Viewport{Window: window.Window{Width: float64(w), Height: h, Density: 1}},
					layout.Exact)
				placed, err := place.Stage{Page: pg, Store: store}.Box(&pg.Frames[0])
				if err != nil {
					t.Fatal(err)
				}
				l := &placed[0]
				if !strings.HasPrefix(l.Image.URL, "wide.png#xywh=percent:") {
					t.Fatalf("at %d px the picture is %s", w, l.Image.URL)
				}
				// keep in the part: the same place of the whole picture
				k := *l.Plan.Keep
				share := max(k.W*l.Landing.Size.X/l.Landing.Paint.W, k.H*l.Landing.Size.Y/l.Landing.Paint.H)
				if share < 0.39 || share > 0.71 || l.Landing.InView < 0.995 {
					t.Fatalf("at %dx%g keep takes %.2f of the box and %.3f of it is seen", w, h, share,
						l.Landing.InView)
				}
			}
		}
	}
}

func TestRepeat(t *testing.T) {
	store := pictures(t)
	for name, want := range map[string]string{"grey.png": "repeat", "dusk.png": "repeat round", "motif.png": "space",
		"band.png": "repeat space"} {
		res, err := settled("tourmaline: 1\nviewports: {widths: 320-340, heights: 700-700}\nboxes:\n  - {name: b, "+
			"height: 90px, layers: [{texture: "+name+", repeat: auto}]}\n", store)
		if err != nil || res.Choices[0].Value != want {
			t.Errorf("%s: %v %+v, want %s", name, err, res.Choices, want)
			continue
		}
		if got := res.Plan.Boxes[0].Base().Layers()[0].Repeat.String(); got != want && want != "space" {
			t.Errorf("%s: the plan repeats %s", name, got)
		}
	}
}

// The designer's breakpoints are known in every unit and form: the widths from which on a
// query holds or no longer does.
func TestBreakpointsInEveryForm(t *testing.T) {
	store := pictures(t)
	for query, want := range map[string][]int{
		"(width < 768px)": {768}, "(width < 48em)": {768}, "(width < 767.98px)": {768}, "(max-width: 47.99em)": {768},
		"(min-width: 500px)": {500}, "(40rem <= width < 60rem)": {640, 960},
		"(width > 599px) and (height > 1px)": {600},
		"(aspect-ratio > 1/1)":               {701}, "(min-height: 300px)": nil,
	} {
		s, o := openOf(t, `tourmaline: 1
viewports: {widths: 320-1200, heights: 700-700}
boxes:
  - {name: b, height: 90px, layers: [{image: wide.png, position: auto}], when: {"`+query+`": {height: 80px}}}
`, store)
		if got := s.breakpoints(s.box(o)); !slices.Equal(got, want) {
			t.Errorf("%s: %v, want %v", query, got, want)
		}
	}
}

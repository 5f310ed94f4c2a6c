package tune

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"testing"
	"testing/fstest"

	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/window"
)

const example = `tourmaline: 1
viewports: {widths: 320-1200, heights: 600-700, densities: [1], named: {phone: 400x640@1, wide: 1000x700@1}}
boxes:
  - name: hero
    height: 400px
    layers:
      - color: "rgb(0 0 0 / 40%)"
      - image: v.svg
        size: cover
        position: 25% bottom
        keep: {x: 40%, y: 40%, width: 20%, height: 20%}
      - color: "#123456"
    text:
      - area: {left: 10%, top: 20px, width: 50%, height: 100px}
    when:
      (width < 500px):
        layers: [{texture: v.svg, size: auto 50px}, {color: teal}]
  - name: mixed
    height: 100px
    layers: [{gradient: "linear-gradient(to right, red, blue 30%, rgb(0 0 255 / 50%))"}, {color: auto}]
  - name: plain
    height: 100px
    css: "background: red"
`

func look(t testing.TB, v plan.Viewport) (*plan.Plan, []Box) {
	t.Helper()
	p, err := plan.Parse("p", []byte(example))
	if err != nil {
		t.Fatal(err)
	}
	svg := `<svg xmlns="http://www.w3.org/2000/svg" width="1000" height="1000"/>`
	return p, Look(p, picture.NewStore(fstest.MapFS{"v.svg": {Data: []byte(svg)}}), v)
}

// At 1000 x 700 the square covers 1000 x 400: it is 1000 x 1000, with 600 px to share out down.
func TestLookByHand(t *testing.T) {
	p, boxes := look(t, plan.Viewport{Window: window.Window{Width: 1000, Height: 700, Density: 1}})
	if len(boxes) != 3 {
		t.Fatalf("%d boxes", len(boxes))
	}
	hero := boxes[0]
	if hero.Border != [4]float64{0, 0, 1000, 400} || hero.Path.String() != "boxes/0" || len(hero.Layers) != 5 {
		t.Errorf("the hero: %v %v, %d layers", hero.Border, hero.Path, len(hero.Layers))
	}
	pic := hero.Layers[1]
	if pic.ID != "0.0.2" || pic.Path.String() != "boxes/0/layers/1" || !pic.Shown || pic.Kind != "image" ||
		*pic.Position != (Position{Edge{Value: 25, Unit: "%"}, Edge{Value: 100, Unit: "%"}}) ||
		*pic.Size != (Size{Word: "cover"}) {
		t.Errorf("the picture: %+v", pic)
	}
	if d := pic.Landing; d.Size != [2]float64{1000, 1000} || d.Origin != [2]float64{0, -600} ||
		d.Free != [2]float64{0, -600} ||
		d.InView != 0 {
		t.Errorf("it lands %+v", d)
	}
	// The lower 40% of the picture are seen; on the phone another layer is.
	if want := []Seen{{"wide", Area{0, 0.6, 1, 0.4}, 0}}; !slices.EqualFunc(pic.Views, want, func(a, b Seen) bool {
		return a.Name == b.Name && math.Abs(a.Part.Y-b.Part.Y) < 1e-9 && math.Abs(a.Part.H-b.Part.H) < 1e-9 &&
			a.InView == b.InView
	}) {
		t.Errorf("views %+v", pic.Views)
	}
	if v := pic.Keys["position"]; v.Text != "25% bottom" || !v.Written || !slices.Equal(v.Changes, []string{"wide"}) {
		t.Errorf("position: %+v", v)
	}
	if v := pic.Keys["repeat"]; v.Text != "repeat" || v.Written {
		t.Errorf("repeat: %+v", v)
	}
	if c := hero.Layers[0]; *c.Color != (Color{"#000000", 0.4}) || c.Name != "rgb(0 0 0 / 40%)" {
		t.Errorf("the scrim: %+v", c)
	}
	if s := hero.Layers[3]; s.Shown || s.When != "(width < 500px)" || *s.Size != (Size{Value: 50, Unit: "px",
		Tall: true}) {
		t.Errorf("the when block's: %+v", s)
	}
	if x := hero.Texts[0]; x.Rect != [4]float64{100, 20, 500, 100} || x.Edges["width"] != "50%" {
		t.Errorf("the text: %+v", x)
	}
	if boxes[2].Fixed == "" || len(boxes[2].Layers) != 0 {
		t.Errorf("css: can be changed: %+v", boxes[2])
	}
	for _, b := range boxes {
		for _, l := range b.Layers {
			for key, v := range l.Keys {
				if text, ok := p.Value(append(slices.Clone(l.Path), key)); ok != v.Written || ok && text != v.Text {
					t.Errorf("%s %s: %q is told as %q", l.Path, key, text, v.Text)
				}
			}
		}
	}
}

// A gradient in its parts is that gradient again.
func TestGradientInParts(t *testing.T) {
	_, boxes := look(t, plan.Viewport{Window: window.Window{Width: 1000, Height: 700, Density: 1}})
	g := boxes[1].Layers[0].Gradient
	if *g.Angle != 90 || g.Conf != "to right" || len(g.Stops) != 3 || *g.Stops[1].Per != 30 || g.Stops[0].Per != nil ||
		g.Stops[2].Color != (Color{"#0000ff", 0.5}) {
		t.Errorf("%+v", g)
	}
	if want := "linear-gradient(to right, rgb(0 0 255 / 0.5), #00f 70%, #f00)"; g.Reversed != want {
		t.Errorf("reversed it is %s", g.Reversed)
	}
	if o := boxes[1].Layers[1].Keys["color"]; !o.Open || o.Settled != "" {
		t.Errorf("auto: %+v", o)
	}
}

func Example() {
	p, err := plan.Parse("plan.yaml", []byte(`tourmaline: 1
boxes: [{name: strip, height: 100px, layers: [{texture: star.svg, size: 40px}]}]
`))
	if err != nil {
		panic(err)
	}
	store := picture.NewStore(fstest.MapFS{"star.svg": {Data: []byte(`<svg xmlns="http://www.w3.org/2000/svg" width="8" height="8"/>`)}})
	l := Look(p, store, plan.Viewport{Window: window.Window{Width: 400, Height: 800, Density: 1}})[0].Layers[0]
	p, err = p.Change(plan.Change{Path: append(l.Path, "size"), Value: "50px"})
	if err != nil {
		panic(err)
	}
	fmt.Println(l.Path, l.Keys["size"].Text, l.Landing.Tiled)
	fmt.Print(p.Text())
	// Output:
	// boxes/0/layers/0 40px [true true]
	// tourmaline: 1
	// boxes: [{name: strip, height: 100px, layers: [{texture: star.svg, size: 50px}]}]
}

// BenchmarkLook is what each step of the slider costs.
func BenchmarkLook(b *testing.B) {
	p, err := plan.Parse("p", []byte(example))
	if err != nil {
		b.Fatal(err)
	}
	svg := `<svg xmlns="http://www.w3.org/2000/svg" width="1000" height="1000"/>`
	store := picture.NewStore(fstest.MapFS{"v.svg": {Data: []byte(svg)}})
	for b.Loop() {
		Look(p, store, plan.Viewport{Window: window.Window{Width: 1000, Height: 700, Density: 1}})
	}
}

// A video is laid by size and position alone; the page shows its poster.
func TestVideoIsNotRepeated(t *testing.T) {
	p, err := plan.Parse("p", []byte("tourmaline: 1\nboxes: [{name: b, height: 100px, layers: [{video: v.mp4, "+
		"poster: v.svg, size: 100% 100%}, {color: teal}]}]\n"))
	if err != nil {
		t.Fatal(err)
	}
	store := picture.NewStore(fstest.MapFS{"v.svg": {Data: []byte(
		`<svg xmlns="http://www.w3.org/2000/svg" width="40" height="30"/>`)}})
	l := Look(p, store, plan.Viewport{Window: window.Window{Width: 1000, Height: 700, Density: 1}})[0].Layers[0]
	keys := slices.Sorted(maps.Keys(l.Keys))
	if l.Kind != "video" || !slices.Equal(keys, []string{"position", "size"}) || l.Name != "v.svg" ||
		l.Keys["size"].Text != "100% 100%" || l.Landing == nil {
		t.Errorf("%s %q %q %+v", l.Kind, l.Name, keys, l.Landing)
	}
}

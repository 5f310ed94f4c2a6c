package layout

import (
	"fmt"
	"math"
	"testing"

	"tourmaline/core/plan"
	"tourmaline/core/window"
)

func parse(t *testing.T, text string) *plan.Plan {
	t.Helper()
	p, err := plan.Parse("p.yaml", []byte("tourmaline: 1\n"+text))
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// Sums stand beside the rows; the window is 1000 x 800.
func TestBoxesByHand(t *testing.T) {
	v := plan.Viewport{Window: window.Window{Width: 1000, Height: 800, Density: 2}}
	rows := []struct {
		name, plan string
		want       map[string]Rect // border boxes
	}{
		{"one after another", "boxes: [{name: a, height: 100px}, {name: b, height: 10vh}]",
			map[string]Rect{"a": {0, 0, 1000, 100}, "b": {0, 100, 1000, 80}}},
		{"centred column", "page: {max-width: 600px, margin: 0 auto}\nboxes: [{name: a, width: 50%, height: 10px}]",
			map[string]Rect{"page": {200, 0, 600, 10}, "a": {200, 0, 300, 10}}},
		// padding 20 and border 5 move the boxes; the page is 600 wide with them
		{"page padding and border",
			"page: {width: 600px, padding: 20px, border: 5px solid red}\nboxes: [{name: a, height: 10px}]",
			map[string]Rect{"page": {0, 0, 600, 60}, "a": {25, 25, 550, 10}}},
		{"margins collapse",
			"boxes: [{name: a, height: 10px, margin: 0 0 30px}, {name: b, height: 10px, margin: 20px 0 0}]",
			map[string]Rect{"a": {0, 0, 1000, 10}, "b": {0, 40, 1000, 10}}},
		{"negative margins",
			"boxes: [{name: a, height: 50px, margin: 0 0 30px}, {name: b, height: 10px, margin: -20px 0 0}]",
			map[string]Rect{"b": {0, 60, 1000, 10}}},
		// the first box's margin goes through an open page
		{"margin through the page", "page: {width: 500px}\nboxes: [{name: a, height: 10px, margin: 40px 0}]",
			map[string]Rect{"page": {0, 40, 500, 10}, "a": {0, 40, 500, 10}}},
		{"margin stops at padding", "page: {padding: 1px 0}\nboxes: [{name: a, height: 10px, margin: 40px 0}]",
			map[string]Rect{"page": {0, 0, 1000, 92}, "a": {0, 41, 1000, 10}}},
		// limits: 70vw = 700 > 500; height 5px < 20px
		{"limits", "boxes: [{name: a, width: 70vw, max-width: 500px, height: 5px, min-height: 20px}]",
			map[string]Rect{"a": {0, 0, 500, 20}}},
		{"ratio", "boxes: [{name: a, width: 50%, aspect-ratio: 16 / 9}]", map[string]Rect{"a": {0, 0, 500, 281.25}}},
		{"auto margin left", "boxes: [{name: a, width: 400px, height: 1px, margin: 0 10px 0 auto}]",
			map[string]Rect{"a": {590, 0, 400, 1}}},
		// table: 100 + (1000-500)/(1500-500)*(300-100) = 200
		{"height table", "boxes: [{name: a, height: {500: 100px, 1500: 300px}}]",
			map[string]Rect{"a": {0, 0, 1000, 200}}},
		{"full bleed out of the column",
			"page: {width: 600px, margin: 0 auto}\nboxes: [{name: a, width: 100vw, height: 1px, margin: 0 calc(50% " +
				"- 50vw)}]",
			map[string]Rect{"a": {0, 0, 1000, 1}}},
		{"percentage padding is of the width", "boxes: [{name: a, height: 0, padding: 10%}]",
			map[string]Rect{"a": {0, 0, 1000, 200}}},
		{"canvas fills the window", "canvas: {css: 'background: red'}\nboxes: [{name: a, height: 10px}]",
			map[string]Rect{"canvas": {0, 0, 1000, 800}}},
		{"canvas grows with the page", "canvas: {css: 'background: red'}\nboxes: [{name: a, height: 900px}]",
			map[string]Rect{"canvas": {0, 0, 1000, 900}}},
		{"short canvas", "canvas: {min-height: 0px, css: 'background: red'}\nboxes: [{name: a, height: 10px}]",
			map[string]Rect{"canvas": {0, 0, 1000, 10}}},
	}
	for _, r := range rows {
		p := parse(t, r.plan)
		pg := At(p, v, Exact)
		for name, want := range r.want {
			b, err := p.Box(name)
			if err != nil {
				t.Fatal(err)
			}
			got := pg.Frame(b.ID).Border
			if math.Abs(got.X-want.X)+math.Abs(got.Y-want.Y)+math.Abs(got.W-want.W)+math.Abs(got.H-want.H) > 1e-9 {
				t.Errorf("%s: %s is %+v, want %+v", r.name, name, got, want)
			}
		}
	}
}

func TestBordersAreWholeDevicePixels(t *testing.T) {
	p := parse(t, "boxes: [{name: a, height: 50px, border: 1px solid red}]")
	// 1px at 1.25 is 1.25 device px, floored to 1 = 0.8 CSS px; at 0.5 it stays 1 device px
	for density, want := range map[float64]float64{1: 1, 1.25: 0.8, 1.5: 1 / 1.5, 2: 1, 0.5: 2} {
		f := At(p, plan.Viewport{Window: window.Window{Width: 100, Height: 100, Density: density}}, Exact).Frame(0)
		if math.Abs(f.Edge[0]-want) > 1e-9 {
			t.Errorf("at %g: %g px, want %g", density, f.Edge[0], want)
		}
	}
}

func TestTextAreasAreOfThePaddingBox(t *testing.T) {
	p := parse(t, "boxes: [{name: a, width: 220px, height: 120px, border: 10px solid red, text: [{area: {left: "+
		"10%, bottom: 20px, width: 50%, height: 30px}}, {area: {left: 5px, right: 15px, top: 0}}]}]")
	f := At(p, plan.Viewport{Window: window.Window{Width: 400, Height: 300, Density: 1}}, Exact).Frame(0)
	// padding box 200 x 100 at 10, 10: left 20, width 100; top 100-20-30 = 50
	if got := f.TextRect(&f.Values.Text[0]); got != (Rect{30, 60, 100, 30}) {
		t.Errorf("first area %+v", got)
	}
	if got := f.TextRect(&f.Values.Text[1]); got != (Rect{15, 10, 180, 100}) {
		t.Errorf("second area %+v", got)
	}
}

// However many boxes there are: each has the frame of its ID, none is left behind in memory
// that was outgrown, and the next window in the same room is laid out in the same frames.
func TestEachBoxHasItsOwnFrame(t *testing.T) {
	for _, n := range []int{1, 2, 7, 64, 300} {
		text := "canvas: {css: 'background: red'}\npage: {padding: 1px}\nboxes:\n"
		for i := range n {
			text += fmt.Sprintf("  - {name: b%d, height: %dpx, width: calc(50%% - %dpx)}\n", i, i+1, i)
		}
		p := parse(t, text)
		room := Of(p).Room()
		first := room.At(plan.Viewport{Window: window.Window{Width: 1002, Height: 800, Density: 1}}, Exact)
		held := make([]*Frame, len(p.All()))
		for id := range held {
			held[id] = first.Frame(plan.BoxID(id))
		}
		next := room.At(plan.Viewport{Window: window.Window{Width: 802, Height: 800, Density: 1}}, Exact)
		if len(next.Frames) != n+2 {
			t.Fatalf("%d boxes, the canvas and the page have %d frames", n, len(next.Frames))
		}
		for id, b := range p.All() {
			f := next.Frame(plan.BoxID(id))
			if f.Box != b || b.ID != plan.BoxID(id) || f != held[id] {
				t.Fatalf("of %d boxes, the frame of %s is not its own", n, b.Name)
			}
		}
		y := 1.0
		for i := range n {
			b, err := p.Box(fmt.Sprintf("b%d", i))
			if err != nil {
				t.Fatal(err)
			}
			want := Rect{1, y, 400 - float64(i), float64(i + 1)}
			if got := held[b.ID].Border; got != want {
				t.Errorf("of %d boxes, %s is %+v, want %+v", n, b.Name, got, want)
			}
			y += want.H
		}
	}
}

func BenchmarkLayout20Boxes(b *testing.B) {
	text := "tourmaline: 1\nboxes:\n"
	for i := range 20 {
		text += "  - {name: b" + string(rune('a'+i)) +
			", height: 'max(20rem, 50vh)', padding: 2rem 5%, margin: 1rem auto, max-width: 80rem}\n"
	}
	p, err := plan.Parse("p", []byte(text))
	if err != nil {
		b.Fatal(err)
	}
	b.ReportAllocs()
	room := Of(p).Room()
	w := 320.0
	for b.Loop() {
		room.At(plan.Viewport{Window: window.Window{Width: w, Height: 900, Density: 2}}, Exact)
		if w++; w > 3840 {
			w = 320
		}
	}
}

// The font size of the page is the root's: rem is of it, and so is em where nothing else says.
func TestRemIsOfThePage(t *testing.T) {
	p, err := plan.Parse("p.yaml", []byte("tourmaline: 1\npage: {font-size: 20px}\nboxes:\n  - {name: a, height: "+
		"3rem}\n"+
		"  - {name: b, font-size: 50%, height: 3em}\n"))
	if err != nil {
		t.Fatal(err)
	}
	pg := At(p, plan.Viewport{Window: window.Window{Width: 400, Height: 300, Density: 1}}, Exact)
	if a, b := pg.Frame(p.Boxes[0].ID).Border.H, pg.Frame(p.Boxes[1].ID).Border.H; a != 60 || b != 30 {
		t.Errorf("3rem is %g px, 3em of half of it %g", a, b)
	}
}

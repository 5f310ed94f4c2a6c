package plan

import (
	"strings"
	"testing"

	"tourmaline/core/window"
)

// What any height of the window may change is not said to be the same at all of them, wherever it is written.
func TestAnyHeight(t *testing.T) {
	box := func(text string) string { return "boxes: [{name: b, selector: .b, " + text + "}]\n" }
	layer := func(text string) string { return box("height: 300px, layers: [" + text + "]") }
	for text, want := range map[string]bool{
		box("height: 300px"): true,
		box("height: 'clamp(200px, 40vw, 600px)', padding: 2vw, margin: 0 auto"): true,
		box("aspect-ratio: 16 / 9, border: 2px solid red, border-radius: 1em"):   true,
		box("height: 60vh"): false,
		box("height: 300px, min-height: calc(100svh - 2px)"):                    false,
		box("height: 300px, max-height: 'min(50vmax, 900px)'"):                  false,
		box("height: 300px, width: 90vmin"):                                     false,
		box("height: 300px, padding: 0 2dvh"):                                   false,
		box("height: 300px, margin: 1vh 0"):                                     false,
		box("height: 300px, border: 1lvh solid red"):                            false,
		box("height: 300px, border-radius: 3vh"):                                false,
		box("height: 300px, box-shadow: 0 1vh 2px black"):                       false,
		box("height: 300px, font-size: 2vh"):                                    false,
		box(`height: 300px, when: {"(min-height: 500px)": {height: 200px}}`):    false,
		box(`height: 300px, when: {"(orientation: landscape)": {height: 9px}}`): false,
		box(`height: 300px, when: {"(aspect-ratio > 1)": {height: 200px}}`):     false,
		box(`height: 300px, when: {"(width > 500px)": {height: 50vh}}`):         false,
		box(`height: 300px, when: {"(width > 500px)": {height: 50vw}}`):         true,
		layer("{image: a.jpg, size: 50% auto, position: 10px 30%}"):             true,
		layer("{image: a.jpg, size: 50vh auto}"):                                false,
		layer("{image: a.jpg, position: 0 calc(10% + 1vh)}"):                    false,
		layer("{image: a.jpg, attachment: fixed}"):                              false,
		layer("{gradient: 'linear-gradient(red, blue 30vw)'}"):                  true,
		layer("{gradient: 'linear-gradient(red, blue 30vh)'}"):                  false,
		layer("{gradient: 'radial-gradient(10vh at 0 0, red, blue)'}"):          false,
		layer("{gradient: 'radial-gradient(at 0 1vh, red, blue)'}"):             false,
		box("height: 300px, text: [{area: {left: 1vw, top: 10%}}]"):             true,
		box("height: 300px, text: [{area: {left: 1vw, top: 10vh}}]"):            false,
		"page: {padding: 2vw}\n" + box("height: 300px"):                         true,
		"page: {height: 100vh}\n" + box("height: 50%"):                          false,
		"page: {padding: 2vh}\n" + box("width: 50%, height: 300px"):             false,
	} {
		p := parse(t, "tourmaline: 1\n"+text)
		if got := p.AnyHeight(p.Boxes[0].ID); got != want {
			t.Errorf("%s: %v", text, got)
		}
	}
	p := parse(t, "tourmaline: 1\ncanvas: {layers: [{color: red}]}\n"+box("height: 3px"))
	if p.AnyHeight(p.Canvas.ID) {
		t.Error("the canvas is as tall as the window at least")
	}
}

// A box is shown at the named viewports, and in each mode in which other rules of it hold there.
func TestViewsInModes(t *testing.T) {
	p, err := Parse("p.yaml", []byte(`tourmaline: 1
viewports: {named: {phone: {size: 390x844@3, touch: true}, desk: 1440x900@1, night: "1440x900@1 dark"}}
boxes:
  - name: b
    height: 9px
    layers: [{color: red}]
    when:
      "(prefers-color-scheme: dark) and (width > 600px)": {layers: [{color: blue}]}
      "(prefers-contrast: more)": {height: 8px}
      "(forced-colors: active)": {height: 7px}
      "(hover: hover)": {height: 6px}
`))
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, v := range p.Boxes[0].Views(p.Named)[3:] {
		got = append(got, v.Label())
	}
	want := "desk touch 1440x900@1|night touch 1440x900@1|desk dark 1440x900@1|phone more-contrast 390x844@3|" +
		"desk more-contrast 1440x900@1|night more-contrast 1440x900@1"
	if strings.Join(got, "|") != want {
		t.Errorf("%q", got)
	}
	if m := p.Boxes[0].ShownModes(p.Named); len(m) != 3 {
		t.Errorf("modes %v", m)
	}
	v, err := p.Viewport("phone dark print")
	if all := window.Touch | window.Dark | window.Print; err != nil || v.Modes != all || v.Width != 390 ||
		v.Name != "phone dark print" {
		t.Errorf("%+v %v", v, err)
	}
	for _, bad := range []string{"phone night", "phone more-contrast less-contrast", "desk\u00a0dark"} {
		if _, err := p.Viewport(bad); err == nil {
			t.Errorf("%q is a viewport", bad)
		}
	}
}

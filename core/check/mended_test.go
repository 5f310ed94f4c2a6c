package check

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"tourmaline/core/window"

	"tourmaline/core/picture"
)

// found runs some checks on boxes with the pictures of the examples.
func found(t *testing.T, text string, only ...string) *Report {
	t.Helper()
	p := parse(t, "viewports: {widths: 320-700, heights: 700-707, densities: [1]}\n"+text)
	r, err := Run(context.Background(), p, picture.NewStore(examplePictures(t)), Options{Only: only})
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// A fixed picture is seen in the window alone, and an opaque border hides what lies under it: there
// nothing is bare. What to do depends on why it is.
func TestBareIsWhatCanBeSeen(t *testing.T) {
	for _, c := range []struct{ box, do string }{
		{"height: 3000px, layers: [{image: photo.jpg, size: cover, attachment: fixed, touch: none, repeat: " +
			"no-repeat}]", ""},
		{"height: 300px, border: 20px solid black, layers: [{image: photo.jpg, size: cover, repeat: no-repeat}]", ""},
		{"height: 300px, border: 20px solid rgb(0 0 0 / 50%), layers: [{image: photo.jpg, size: cover, repeat: " +
			"no-repeat}]",
			"origin: border-box"},
		{"height: 300px, layers: [{image: photo.jpg, size: cover, position: 60px 0, repeat: no-repeat}]", "in per " +
			"cent"},
		{"height: 300px, layers: [{image: photo.jpg, size: 200px, repeat: no-repeat}]", "size: cover fills"},
	} {
		r := found(t, "boxes: [{name: b, "+c.box+"}]\n", "bare")
		if c.do == "" && len(r.Findings) > 0 || c.do != "" && (len(r.Findings) != 1 ||
			!strings.Contains(r.Findings[0].Remedy, c.do)) {
			t.Errorf("%s: %+v", c.box, r.Findings)
		}
	}
}

// On touch screens a fixed picture scrolls with its box and is sized for that: what is wrong
// there alone is said of them alone.
func TestTouchScreensAreLookedAt(t *testing.T) {
	// 2000 px of height from a picture of 900: sharp across the window, soft across the box.
	text := "boxes: [{name: b, height: 2000px, layers: [{image: photo.jpg, size: cover, attachment: fixed%s}]}]\n"
	r := found(t, fmt.Sprintf(text, ""), "soft")
	if len(r.Findings) != 1 || len(r.Findings[0].Where) != 1 || r.Findings[0].Where[0].Modes != window.Touch ||
		!r.Findings[0].Worst.Touch() || r.Findings[0].Where[0].String() != "320-700 px on touch screens" {
		t.Errorf("%+v", r.Findings)
	}
	if r := found(t, fmt.Sprintf(text, ", touch: none"), "soft"); len(r.Findings) > 0 {
		t.Errorf("touch: none: %+v", r.Findings)
	}
	canvas := "canvas: {layers: [{image: photo.jpg, size: cover, attachment: fixed}]}\nboxes: [{name: b, height: " +
		"4000px}]\n"
	if r := found(t, canvas, "soft", "bare", "fixed"); len(r.Findings) > 0 {
		t.Errorf("the canvas: %+v", r.Findings)
	}
}

// How much taller boxes may grow, by hand: 900 px of picture are sharp in 900 px of box.
func TestGrowth(t *testing.T) {
	for box, want := range map[string]float64{"height: 880px": 900.0/880 - 1, "height: 400px": 0.25, "height: 90vh": -1,
		"aspect-ratio: 3 / 2": -1} {
		r := found(t, "boxes: [{name: b, "+box+", layers: [{image: photo.jpg, size: cover}]}]\n", "soft")
		got := -1.0
		if len(r.Grows) == 1 {
			got = r.Grows[0].Share
		}
		if got < want-0.001 || got > want+0.001 {
			t.Errorf("%s: %.3f, want %.3f", box, got, want)
		}
	}
}

// The densities that people have are looked at where a plan names none.
func TestUsualDensities(t *testing.T) {
	p := parse(t, "boxes: [{name: b, height: 9px}]\n")
	if fmt.Sprint(p.Density, p.Spans) != "[1 2 3] [[320 2560] [320 1920] [320 480]]" {
		t.Error(p.Density, p.Spans)
	}
	p = parse(t, "viewports: {widths: 600-2000}\nboxes: [{name: b, height: 9px}]\n")
	if fmt.Sprint(p.Density, p.Spans) != "[1 2] [[600 2000] [600 1920]]" {
		t.Error(p.Density, p.Spans)
	}
	if p.Named[0].Name != "phone" || !p.Named[0].Touch() || p.Named[3].Touch() {
		t.Errorf("%+v", p.Named)
	}
}

// A poster that is like a frame is right, one that is like none is told; a video counts in a budget.
func TestPostersAndBudgetsOfVideos(t *testing.T) {
	files := examplePictures(t)
	files["grey.png"] = files["jump.frames/"+picture.FrameName(3)] // one of the frames
	found := func(text, check string) (out []string) {
		r, err := Run(t.Context(), parse(t, text), picture.NewStore(files), Options{Only: []string{check}})
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range r.Findings {
			out = append(out, f.Message)
		}
		return out
	}
	box := func(poster string) string {
		return "boxes: [{name: b, height: 300px, layers: [{video: jump.mp4, poster: " + poster + "}, {color: teal}]}]\n"
	}
	if got := found(box("grey.png"), "poster"); len(got) > 0 {
		t.Errorf("a frame as poster: %v", got)
	}
	if got := found(box("photo.jpg"), "poster"); len(got) != 1 || !strings.Contains(got[0], "like no frame of "+
		"jump.mp4") {
		t.Errorf("a photograph as poster: %v", got)
	}
	// 144 frames of 1100 bytes are 158 KB.
	if got := found("budget: {desktop: 150 KB, phone: 150 KB}\n"+box("grey.png"), "heavy"); len(got) != 1 ||
		!strings.Contains(got[0], "jump.mp4") {
		t.Errorf("a budget that the video breaks: %v", got)
	}
	if got := found("budget: {desktop: 200 KB}\n"+box("grey.png"), "heavy"); len(got) > 0 {
		t.Errorf("a budget that holds: %v", got)
	}
}

// A picture that is too small for several boxes is told once, where it needs the most; one that is accepted stays
// apart.
func TestSoftOncePerPicture(t *testing.T) {
	text := `%sboxes:
  - {name: a, width: 400px, height: 200px, layers: [{image: small.jpg, size: cover}]}
  - {name: b, height: 400px, layers: [{image: small.jpg, size: cover}]}
  - {name: c, width: 600px, height: 300px, layers: [{image: small.jpg, size: cover}]}
`
	r := found(t, fmt.Sprintf(text, ""), "soft")
	if len(r.Findings) != 1 || r.Findings[0].Box != "b" ||
		!strings.HasSuffix(r.Findings[0].Message, "; it is soft in a and c, too") {
		t.Fatalf("%+v", r.Findings)
	}
	r = found(t, fmt.Sprintf(text, "accept: [{check: soft, box: b, reason: seen through}]\n"), "soft")
	if len(r.Findings) != 1 || len(r.Accepted) != 1 || r.Findings[0].Box != "c" ||
		!strings.HasSuffix(r.Findings[0].Message, "; it is soft in a, too") {
		t.Fatalf("%+v", r)
	}
}

package check

import (
	"context"
	"fmt"
	"math"
	"strings"
	"testing"

	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/window"
)

// The figures and ranges of findings that a person can redo on paper. photo.jpg is
// 1600 x 900, small.jpg 300 x 200, tile.png 64 x 64, motif.png 90 x 60.
func TestFiguresByHand(t *testing.T) {
	store := picture.NewStore(examplePictures(t))
	box := func(s string) string { return "boxes:\n  - {name: b, " + s + "}\n" }
	rows := []struct {
		check, widths, plan string
		message             string // "" is no finding
		where               string
	}{
		// 300 of 400 px: a quarter is bare.
		{"bare", "400-400", box("height: 200px, layers: [{image: small.jpg, repeat: no-repeat}]"),
			"leaves 25% of the box bare: drawn 300 x 200 in 400 x 200 px", "400 px"},
		{"bare", "320-400", box("height: 200px, layers: [{image: small.jpg, repeat: no-repeat}]"), "leaves 25%",
			"320-400 px"},
		{"bare", "320-400", box("height: 150px, layers: [{image: small.jpg, size: 400px, repeat: no-repeat}]"), "",
			""},
		// A strip on an opaque colour is meant.
		{"bare", "320-400", box("height: 300px, layers: [{texture: motif.png, repeat: repeat-x}, {color: black}]"), "",
			""},
		// Another layer covers what the first leaves.
		{"bare", "320-400", box("height: 200px, layers: [{image: small.jpg, repeat: no-repeat}, {image: photo.jpg, " +
			"size: cover}]"), "", ""},
		// 400 x 300 from 3:2 is 266.67 tall: 12.5% too tall.
		{"stretched", "400-400", box("height: 300px, layers: [{image: small.jpg, size: 100% 100%}]"),
			"drawn 12% too tall at most: 400 x 300 px from 300 x 200", "400 px"},
		// 2% either way is left alone: 450 wide is right for 300 tall, 441.2 to 459.
		{"stretched", "430-470", box("height: 300px, layers: [{image: small.jpg, size: 100% 100%}]"), "too",
			"430-441, 460-470 px"},
		// 300 px are enough for 300 px.
		{"soft", "290-310", box("height: 100px, layers: [{image: small.jpg, size: cover, repeat: no-repeat}]"),
			"needs a picture 310 px wide (it has 300)", "301-310 px"},
		// Drawn 355.6 wide in 320: at 0% the last 35.6 are cut, of which keep, from
		// 80% to 100% (71.1), loses 35.6: half is seen.
		{"cut-subject", "320-320",
			box("height: 200px, layers: [{image: photo.jpg, size: cover, position: 0% 0%, keep: {x: 80%, y: 0%, " +
				"width: 20%, height: 100%}}]"),
			"only 50% of keep of photo.jpg is in the box; outside are 35.6 px right",
			"320 px"},
		// From 85%, 302.2 px, to 100%: 17.8 of 53.3 px are seen, and the middle at 328.9 is not.
		{"cut-subject", "320-320",
			box("height: 200px, layers: [{image: photo.jpg, size: cover, position: 0% 0%, keep: {x: 85%, y: 0%, " +
				"width: 15%, height: 100%}}]"),
			"only 33% of keep of photo.jpg is in the box; outside are 35.6 px right; its middle is out of sight",
			"320 px"},
		// Of what is never seen only that is told; 10% is let through by 60% over 75%.
		{"buried", "320-320", box("height: 200px, layers: [{color: black}, {image: small.jpg, size: cover}]"),
			"small.jpg is never seen: an opaque colour or gradient lies over it", "320 px"},
		{"soft", "320-320", box("height: 900px, layers: [{color: black}, {image: small.jpg, size: cover}]"), "", ""},
		{"buried", "320-320", box("height: 200px, layers: [{color: rgb(0 0 0 / 60%)}, {gradient: " +
			"\"linear-gradient(rgb(0 0 0 / 75%), black)\"}, {image: small.jpg, size: cover}]"),
			"no more than 10% of small.jpg shows through", "320 px"},
		{"buried", "320-320", box("height: 200px, layers: [{gradient: \"linear-gradient(rgb(0 0 0 / 75%), black)\"}, " +
			"{image: small.jpg, size: cover}]"), "", ""},
		// A keep of half the picture has text on it.
		{"behind-text", "320-320", box("height: 200px, layers: [{image: photo.jpg, size: cover, keep: {x: 0%, y: 0%, " +
			"width: 80%, height: 70%}}], text: [{area: {left: 9px, top: 9px, width: 90%, height: 50%}}]"), "", ""},
		// The second copy begins after 300 px, so from 301 px on.
		{"repeats", "290-320", box("height: 200px, layers: [{image: small.jpg}]"),
			"small.jpg begins again 300 px from the left of the box", "301-320 px"},
		{"repeats", "290-320", box("height: 200px, layers: [{image: small.jpg, repeat: no-repeat}]"), "", ""},
		// 64 px below a window of 700.
		{"overflow", "400-400", "boxes:\n  - {name: a, height: 64px}\n  - {name: b, height: 100vh}\n",
			"ends 64 px below it: 64 px stand above it", "400 px"},
		// Padding and text are inside the border box here: what is taller is said.
		{"overflow", "400-400", box("height: 100vh, min-height: 900px"), "ends 200 px below it: its least height",
			"400 px"},
		// 8 of 32 px.
		{"thin-edge", "400-400",
			box("height: 100px, padding: 32px, text: [{area: {left: 8px, top: 32px, width: 40px, height: 20px}}]"),
			"lies 8 px from the left edge, where the padding is 32 px", "400 px"},
		// 1.5 x 1 motifs of 90 px at 135 px, and whole ones at 180.
		{"part-tile", "135-135", box("height: 60px, layers: [{texture: motif.png}]"), "1.5 x 1 tiles of motif.png",
			"135 px"},
		{"part-tile", "180-180", box("height: 60px, layers: [{texture: motif.png}]"), "", ""},
		// 33.3 px is 33.3 device px at density 1.
		{"blurred-tile", "400-400", box("height: 60px, layers: [{texture: tile.png, size: 33.3px}]"),
			"a tile of tile.png is 33.30 x 33.30 device px at density 1", "400 px"},
		// 400 x 700 / 2 / 2.
		{"many-tiles", "400-400", box("height: 700px, layers: [{texture: tile.png, size: 2px}]"),
			"laid 70000 times, 2 x 2 px each", "400 px"},
		// 3000 px for 12 levels is 250 a level.
		{"banding", "400-400", box("height: 3000px, layers: [{gradient: \"linear-gradient(#101010, #1c1c1c)\"}]"),
			"is 250 device px wide in the largest box", ""},
		{"banding", "400-400", box("height: 300px, layers: [{gradient: \"linear-gradient(#101010, #1c1c1c)\"}]"), "",
			""},
		// Steps under a picture, or over one whose grain breaks them, are not seen.
		{"banding", "400-400", box("height: 3000px, layers: [{image: photo.jpg, size: cover}, {gradient: " +
			"\"linear-gradient(#101010, #1c1c1c)\"}]"), "", ""},
		{"banding", "400-400", box("height: 3000px, layers: [{gradient: \"linear-gradient(rgb(0 0 0 / 0%), " +
			"rgb(0 0 0 / 5%))\"}, {image: photo.jpg, size: cover}]"), "", ""},
		{"flat", "400-400", box("height: 30px, layers: [{gradient: \"linear-gradient(red, red)\"}]"),
			"all stops have one colour", "400 px"},
		{"flat", "400-400", box("height: 30px, layers: [{gradient: \"linear-gradient(red 100%, blue 120%)\"}]"),
			"all stops lie outside the box", "400 px"},
		{"muddy", "400-400", box("height: 30px, layers: [{gradient: \"linear-gradient(red, #b00000)\"}]"), "", ""},
		// A strip of 60 of the 225 px that 400 wide is drawn tall: 27%.
		{"deep-crop", "400-400",
			box("height: 60px, layers: [{image: photo.jpg, size: cover, position: center, repeat: no-repeat}]"),
			"no window shows more than 27% of photo.jpg: from 0% to 100% across, 37% to 63% down", ""},
		// (1600/400) squared.
		{"waste", "400-400", box("height: 225px, layers: [{image: photo.jpg, size: cover}]"),
			"16.0 times the pixels that any window draws (400 px wide at most)", ""},
		// Half of the canvas stays in view.
		{"hidden", "400-400",
			"canvas: {layers: [{texture: tile.png}]}\nboxes:\n  - {name: b, width: 200px, height: 900px, layers: " +
				"[{color: red}]}\n", "", ""},
		{"hidden", "400-400",
			"canvas: {layers: [{texture: tile.png}]}\nboxes:\n  - {name: b, height: 900px, layers: [{color: red}]}\n",
			"the background of the canvas is never seen", ""},
		{"hidden", "400-400",
			"canvas: {layers: [{texture: tile.png}]}\nboxes:\n  - {name: b, height: 900px, layers: [{color: " +
				"rgb(255 0 0 / 50%)}]}\n", "", ""},
		{"short-page", "400-400",
			"canvas: {min-height: 0px, layers: [{gradient: \"linear-gradient(red, blue)\"}]}\nboxes:\n  - {name: " +
				"b, height: 200px}\n", "starts again below the page, 500 px above the window's lower edge", "400 px"},
		{"no-effect", "400-400", box("height: 100px, css: \"background-size: cover; background: url(photo.jpg)\""),
			"background-size: cover is reset by the background shorthand after it", ""},
		{"no-effect", "400-400", box("height: 100px, css: \"background: url(photo.jpg); background-size: cover\""), "",
			""},
		{"no-effect", "400-400",
			box("height: 100px, css: \"background-repeat: repeat-x; background-repeat: no-repeat\""),
			"background-repeat: repeat-x is declared again after it, as no-repeat", ""},
		{"missing", "400-400", box("height: 100px, layers: [{image: photo.png.jpg}]"),
			"photo.png.jpg: there is no such picture", ""},
		{"wrong-format", "400-400", box("height: 100px, layers: [{image: alpha.png, size: cover}]"), "alpha.png: ",
			""},
		{"profile", "400-400", box("height: 100px, layers: [{image: deep.png, size: cover}]"),
			"deep.png: 16 bits a channel", ""},
		{"content", "400-400", box("height: 100px, layers: [{image: photo.jpg, size: cover, description: A dome}]"),
			"photo.jpg is described as \"A dome\"", ""},
		// focus at 90% of 355.6 lands at 320: on the edge.
		{"off-focus", "320-320",
			box("height: 200px, layers: [{image: photo.jpg, size: cover, position: 0% 0%, focus: {x: 90%, y: 50%}}]"),
			"lands at 100% across and 50% down the box", "320 px"},
		// keep is 0-100 of 400 px, text covers the first 50: half of it.
		{"behind-text", "400-400",
			box("height: 225px, layers: [{image: photo.jpg, size: cover, keep: {x: 0%, y: 0%, width: 25%, height: " +
				"100%}}], text: [{area: {left: 0px, top: 0px, width: 50px, height: 225px}}]"),
			"text area 1 covers 50% of keep", "400 px"},
	}
	for i, r := range rows {
		p := parse(t, fmt.Sprintf("viewports: {widths: %s, heights: 700-700, densities: [1]}\n%s", r.widths, r.plan))
		rep, err := Run(context.Background(), p, store, Options{Only: []string{r.check}})
		if err != nil {
			t.Errorf("row %d: %v", i, err)
			continue
		}
		if r.message == "" {
			if len(rep.Findings) > 0 {
				t.Errorf("row %d: %s fires: %s", i, r.check, rep.Findings[0].Message)
			}
			continue
		}
		if len(rep.Findings) == 0 {
			t.Errorf("row %d: %s does not fire", i, r.check)
			continue
		}
		f := rep.Findings[0]
		var where []string
		for _, w := range f.Where {
			where = append(where, w.String())
		}
		if !strings.Contains(f.Message, r.message) || strings.Join(where, "; ") != r.where {
			t.Errorf("row %d: %s says %q at %q, want %q at %q", i, r.check, f.Message, where, r.message, r.where)
		}
	}
}

// What a viewport fetches is summed up in one order, so that its figure is the same in
// every run: from heavy to light.
func TestLoadsAreInOneOrder(t *testing.T) {
	files := examplePictures(t)
	text := "boxes:\n"
	for i, name := range []string{"photo.jpg", "small.jpg", "photo.png", "tile.png", "seam.png", "patchy.png",
		"motif.png"} {
		text += fmt.Sprintf("  - {name: b%d, height: %dpx, layers: [{image: %s, size: cover}]}\n", i, 31+7*i, name)
	}
	p := parse(t, text)
	v := plan.Viewport{Window: window.Window{Width: 397, Height: 700, Density: 1.37}}
	sums := map[float64]bool{}
	for range 60 {
		s := newPass(context.Background(), p, picture.NewStore(files))
		for _, b := range p.All() {
			s.boxes = append(s.boxes, b.ID)
		}
		sum, last := 0.0, math.Inf(1)
		for _, l := range s.loads(v) {
			if l.bytes > last {
				t.Fatalf("%s stands behind a lighter one", l.name)
			}
			sum, last = sum+l.bytes, l.bytes
		}
		sums[sum] = true
	}
	if len(sums) != 1 {
		t.Errorf("%d different sums: %v", len(sums), sums)
	}
}

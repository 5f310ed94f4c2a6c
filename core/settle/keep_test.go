package settle

import (
	"fmt"
	"image"
	"image/color"
	"math/rand/v2"
	"strings"
	"testing"

	"tourmaline/core/check"
	"tourmaline/core/finding"
)

const overWater = `tourmaline: 1
viewports: {widths: 320-400, heights: 700-700, densities: [1], named: {w: 400x700@1}}
boxes:
  - name: b
    height: 200px
    layers:
      - color: %q
      - {image: water.png, size: cover}
    text: [{area: {left: 0px, top: 0px, width: 100%%, height: 100%%}, color: %s}]
`

// The picture's own colour, nearly opaque, hides the picture though it moves few colours: black
// at half of its strength leaves more. A colour that is named binds, or is said not to do.
func TestTheScrimLeavesThePicture(t *testing.T) {
	for _, c := range []struct{ wish, ink, begins, says string }{
		{"auto scrim", "white", "rgb(0 0 0 / ", "takes least of the picture away"},
		{"auto scrim", "black", "rgb(255 255 255 / ", "takes least of the picture away"},
		{"auto scrim #0b1220", "white", "rgb(11 18 32 / ", "#0b1220 at"},
		{"auto scrim navy", "white", "rgb(0 0 128 / ", "navy at"},
		{"auto scrim white", "white", "", "the colour that you name has too little contrast"},
	} {
		res, err := settled(fmt.Sprintf(overWater, c.wish, c.ink), pictures(t))
		if err != nil {
			t.Fatal(err)
		}
		got := res.Choices[0]
		said := strings.Join(append(got.Why, got.Remedies...), "; ")
		if !strings.HasPrefix(got.Value, c.begins) || (got.Value == "") != (c.begins == "") ||
			!strings.Contains(said, c.says) {
			t.Errorf("%s under %s: %q, %s", c.wish, c.ink, got.Value, said)
		}
	}
}

// What more than three quarters of a scrim would have to do, other means do better: they are
// said first.
func TestAScrimThatHidesIsTheLastResort(t *testing.T) {
	res, err := settled(strings.Replace(fmt.Sprintf(overWater, "auto scrim", "'#777'"), "color: '#777'}",
		"color: '#777', contrast: 4.3}", 1), pictures(t))
	if err != nil {
		t.Fatal(err)
	}
	c := res.Choices[0]
	if c.Value == "" || c.Failed || !strings.HasPrefix(c.Why[0], "nothing at 75% or less is enough") ||
		!strings.Contains(c.Why[0], "another text colour") {
		t.Errorf("%+v", c)
	}
}

// By hand: a plain picture under black of half strength loses no structure, since it has none,
// and moves from Oklab L 0.6 (#808080) to 0.37 (#404040): 23 points. Under its own colour at
// full strength a pattern loses all of its structure: 100 points and what its px move.
func TestVeiled(t *testing.T) {
	plain := func(v uint8) *image.RGBA {
		img := image.NewRGBA(image.Rect(0, 0, 16, 16))
		for i := range 256 {
			img.SetRGBA(i%16, i/16, color.RGBA{v, v, v, 255})
		}
		return img
	}
	if got := veiled(plain(128), plain(64)); got < 22 || got > 24 {
		t.Errorf("half black takes %.1f points of a plain picture", got)
	}
	checks := plain(100)
	for i := range 256 {
		if (i+i/16)%2 == 0 {
			checks.SetRGBA(i%16, i/16, color.RGBA{140, 140, 140, 255})
		}
	}
	if got := veiled(checks, plain(120)); got < 100 || got > 110 {
		t.Errorf("a full veil takes %.1f points of a pattern", got)
	}
	if got := veiled(checks, checks); got != 0 {
		t.Errorf("nothing takes %.1f points", got)
	}
}

// Behind a picture in a corner only the edges that are seen count, and no gradient of the box
// goes on; the step that is told is the one that is seen.
func TestTheColourBehindASmallPicture(t *testing.T) {
	corner := `tourmaline: 1
viewports: {widths: 320-400, heights: 700-700, densities: [1], named: {w: 400x700@1}}
boxes:
  - name: b
    height: 400px
    layers: [{image: dusk.png, size: 80px, position: %s, repeat: no-repeat}, {color: %s}]
`
	// dusk runs from (20 30 90) at the top to (117 30 32) at the bottom: in the lower right corner
	// its top and left edges are seen.
	res, err := settled(fmt.Sprintf(corner, "right bottom", "auto"), pictures(t))
	if err != nil {
		t.Fatal(err)
	}
	c := res.Choices[0]
	if strings.Contains(c.Value, "gradient") || !strings.Contains(strings.Join(c.Why, ";"), "that is seen") {
		t.Errorf("in a corner: %+v", c)
	}
	// As tall as the box it leaves the sides bare: a gradient goes on there.
	full := strings.Replace(corner, "size: 80px", "size: auto 100%%", 1)
	wide := strings.Replace(strings.Replace(full, "320-400", "700-740", 1), "400x700", "720x700", 1)
	if res, err = settled(fmt.Sprintf(wide, "center", "auto"), pictures(t)); err != nil {
		t.Fatal(err)
	}
	c = res.Choices[0]
	if !strings.HasPrefix(c.Value, "linear-gradient(to bottom") ||
		strings.Contains(strings.Join(c.Why, ";"), "that is seen") {
		t.Errorf("as tall as the box: %+v", c)
	}
	if res, err = settled(fmt.Sprintf(wide, "center", "auto flat"), pictures(t)); err != nil {
		t.Fatal(err)
	}
	if c = res.Choices[0]; !strings.HasPrefix(c.Value, "rgb(") {
		t.Errorf("flat: %+v", c)
	}
}

// A seam shows whether tiles are rounded or not: round only where it changes their size little.
func TestRepeatIsRoundedOnlyALittle(t *testing.T) {
	text := `tourmaline: 1
viewports: {widths: %s, heights: 700-700, densities: [1], named: {w: 400x700@1}}
boxes:
  - {name: b, height: 400px, layers: [{texture: dusk.png, size: %s, repeat: auto}]}
`
	// A tile of 20 x 15 px in at least 320 px changes by 20/2/320 = 3.1% at most, of 10 px by 1.6%;
	// 400 px hold 26.67 tiles of 15 px: 27 of 14.81 px, 1.2%.
	for _, c := range []struct{ widths, size, want string }{{"400-800", "20px", "repeat round"},
		{"320-400", "250px", "repeat"}} {
		res, err := settled(fmt.Sprintf(text, c.widths, c.size), pictures(t))
		if err != nil {
			t.Fatal(err)
		}
		if got := res.Choices[0]; got.Value != c.want || !strings.Contains(strings.Join(got.Why, ";"), "seam shows") {
			t.Errorf("%s: %+v", c.size, got)
		}
	}
}

// What settle says is lost is what check finds, width for width.
func TestLostIsWhatCheckFinds(t *testing.T) {
	store := pictures(t)
	r := rand.New(rand.NewPCG(8, 8))
	compared := 0
	for n := range 40 {
		text := fmt.Sprintf(`tourmaline: 1
viewports: {widths: 320-900, heights: 600-%d, densities: [1]}
boxes:
  - {name: b, height: %s, layers: [{image: wide.png, size: cover, position: auto, keep: {x: %d%%, y: 5%%, width: %d%%, height: 40%%}}]}
`, 600+r.IntN(3), []string{"500px", "80vh", "'max(20rem, 60vw)'"}[n%3], r.IntN(30), 30+r.IntN(40))
		res, err := settled(text, store)
		if err != nil {
			t.Fatal(err)
		}
		rep, err := check.Run(t.Context(), res.Plan, store, check.Options{Only: []string{"cut-subject"}})
		if err != nil {
			t.Fatal(err)
		}
		var found, lost []finding.Run
		for _, f := range rep.Findings {
			found = append(found, f.Widths()...)
		}
		lost = (&finding.Finding{Where: res.Choices[0].Lost}).Widths()
		if fmt.Sprint(lost) != fmt.Sprint(found) {
			t.Errorf("settle loses %v, check finds %v\n%s", lost, found, res.Plan.Text())
		}
		compared += len(found)
	}
	if compared < 5 {
		t.Errorf("only %d ranges were compared", compared)
	}
}

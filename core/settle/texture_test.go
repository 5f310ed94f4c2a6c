package settle

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"math/rand/v2"
	"strings"
	"testing"
	"testing/fstest"

	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/texture"
)

func pngBytes(t *testing.T, img image.Image) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// A surface that does not tile is made to; one that does stays, and so does a tile that somebody has made or changed.
func TestTexturesAreSettled(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 8))
	stone := image.NewRGBA(image.Rect(0, 0, 160, 140))
	for y := range 140 {
		for x := range 160 {
			v := uint8(90 + x/2 + y/3 + r.IntN(24)) // lighter to the right and below
			stone.SetRGBA(x, y, color.RGBA{v, v, v - 20, 255})
		}
	}
	files := fstest.MapFS{"s/stone.png": {Data: pngBytes(t, stone)}}
	text := "tourmaline: 1\nboxes:\n  - {name: a, height: 200px, layers: [{texture: auto from s/stone.png}]}\n" +
		"  - {name: b, height: 200px, layers: [{texture: auto from s/stone.png}]}\n"
	flat := image.NewRGBA(image.Rect(0, 0, 40, 40))
	for i := range flat.Pix {
		flat.Pix[i] = 200
	}
	files["s/flat.png"] = &fstest.MapFile{Data: pngBytes(t, flat)}
	run := func(text string) *Result {
		t.Helper()
		p, err := plan.Parse("p.yaml", []byte(text))
		if err != nil {
			t.Fatal(err)
		}
		res, err := Run(t.Context(), p, picture.NewStore(files), Options{})
		if err != nil {
			t.Fatal(err)
		}
		return res
	}
	first := run(text)
	if len(first.Made) != 1 || first.Made[0].Name != "s/stone-tile.png" || len(first.Choices) != 2 ||
		first.Choices[1].Value != "s/stone-tile.png" || first.Choices[0].Failed {
		t.Fatalf("%+v", first)
	}
	img, err := first.Made[0].Pixels()
	if err != nil {
		t.Fatal(err)
	}
	if v, _ := texture.AsTile(img); v.Seam() >= 1 {
		t.Errorf("its seam is %.2f", v.Seam())
	}
	if want := strings.Count(first.Plan.Text(), "auto from s/stone.png = s/stone-tile.png"); want != 2 {
		t.Errorf("%s", first.Plan.Text())
	}
	files["s/stone-tile.png"] = &fstest.MapFile{Data: first.Made[0].Data()}
	if again := run(first.Plan.Text()); len(again.Made) != 0 || again.Plan.Text() != first.Plan.Text() {
		t.Errorf("a second run changes something: %s", again.Plan.Text())
	}
	files["s/stone-tile.png"] = files["s/flat.png"] // by hand, and it tiles
	if own := run(text); len(own.Made) != 0 || own.Choices[0].Value != "s/stone-tile.png" {
		t.Errorf("a tile of one's own is replaced: %+v", own.Choices)
	}
	files["s/stone-tile.png"] = files["s/stone.png"] // by hand, and it does not
	if own := run(text); len(own.Made) != 1 || own.Made[0].Name != "s/stone-tile-2.png" {
		t.Errorf("%+v", own.Choices)
	}
	if tiles := run(strings.ReplaceAll(text, "s/stone.png", "s/flat.png")); tiles.Choices[0].Value != "s/flat.png" {
		t.Errorf("%+v", tiles.Choices)
	}
}

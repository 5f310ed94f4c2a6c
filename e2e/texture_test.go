package e2e

import (
	"encoding/json"
	"image"
	"image/color"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"tourmaline/e2e/shoot"
)

// wall is a picture of bricks, rows shifted, that begins anywhere.
func wall(w, h int) string {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			c := color.RGBA{150, 80, 60, 255}
			if row := (y + 5) / 12; (y+5)%12 < 2 || (x+7+row%2*15)%30 < 2 {
				c = color.RGBA{210, 200, 190, 255}
			}
			img.SetRGBA(x, y, c)
		}
	}
	return pngOf(img)
}

// Periods are told in figures and in words, a tile is made that meets, and what is no texture is answered sensibly.
func TestTexturesAreToldAndMade(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"wall.png": wall(200, 170), "photo.jpg": photo(300, 200),
		"one.png": flat(40, 30, color.Gray{90}),
		"dot.png": flat(1, 1, color.Gray{90}), "clear.png": flat(30, 30, color.Transparent), "bad.png": "no picture"})
	var got []struct {
		File          string
		Period        *[2]float64
		Lattice       *[2][2]float64
		Layout        *string
		Seam, Patch   float64
		Width, Height int
	}
	r := run(t, dir, "texture", "--json", "wall.png", "photo.jpg", "one.png", "dot.png", "clear.png")
	if err := json.Unmarshal([]byte(r.out), &got); err != nil || r.code != 0 || len(got) != 5 {
		t.Fatalf("%d %v %s%s", r.code, err, r.out, r.err)
	}
	if b := got[0]; b.Period == nil || *b.Period != [2]float64{30, 24} || *b.Layout != "offset" || b.Seam < 1 ||
		math.Abs(math.Abs(b.Lattice[0][0]*b.Lattice[1][1]-b.Lattice[0][1]*b.Lattice[1][0])-360) > 1 {
		t.Errorf("the wall: %+v", b)
	}
	if p := got[1]; p.Period != nil || p.Lattice != nil || p.Layout != nil || p.Seam < 1 {
		t.Errorf("a photograph: %+v", p)
	}
	for _, f := range got[2:] {
		if f.Period == nil || *f.Period != [2]float64{0, 0} || f.Seam != 0 {
			t.Errorf("%s: %+v", f.File, f)
		}
	}
	r = run(t, dir, "texture", "wall.png", "--make", "tile.png", "--sheet", "sheet.png")
	if r.code != 0 || !strings.Contains(r.out, "a whole number of its repeats") {
		t.Fatalf("%d %s%s", r.code, r.out, r.err)
	}
	tile := decode(t, filepath.Join(dir, "tile.png")).Bounds()
	if tile.Dx()%30 != 0 || tile.Dy()%24 != 0 {
		t.Errorf("the tile is %v", tile)
	}
	if r = run(t, dir, "texture", "tile.png"); !strings.Contains(r.out, "lies beside itself without") {
		t.Errorf("the tile: %s", r.out)
	}
	decode(t, filepath.Join(dir, "sheet.png"))
	if r = run(t, dir, "texture", "photo.jpg", "--make", "m.png", "--mirror"); r.code != 0 ||
		decode(t, filepath.Join(dir, "m.png")).Bounds().Dx() != 600 {
		t.Errorf("mirrored: %d %s%s", r.code, r.out, r.err)
	}
	for _, args := range [][]string{{}, {"none.png"}, {"bad.png"}, {"wall.png", "photo.jpg", "--make", "x.png"},
		{"wall.png", "--make", "wall.png"},
		{"wall.png", "--make", "x.jpg"}, {"dot.png", "--make", "x.png"}, {"wall.png", "--mirror"}, {"--draw",
			"{pattern: tartan}", "--make", "x.svg"},
		{"--draw", "{pattern: dots, colours: [red]}", "--make", "x.png"}, {"--draw", "dots", "--make", "x.svg"}} {
		if r := run(t, dir, append([]string{"texture"}, args...)...); r.code != 2 || r.err == "" {
			t.Errorf("%v: %d %s%s", args, r.code, r.out, r.err)
		}
	}
	if _, err := os.Stat(filepath.Join(dir, "x.svg")); err == nil {
		t.Error("what failed has written")
	}
}

// A pattern in a plan is a layer as any other: it is checked, cut and written, and a browser draws what paint says.
func TestPatternsInAPlan(t *testing.T) { // not beside others: a browser is waited for
	dir := t.TempDir()
	write(t, dir, map[string]string{"tourmaline.yaml": `tourmaline: 1
viewports: {widths: 320-800, named: {wide: 800x600@1}}
boxes:
  - {name: a, height: 100px, layers: [{texture: {pattern: stripes, size: 16px, line: 4px, angle: 30deg, colours: ["rgb(255 255 255 / 40%)"]}}, {color: "#1c2738"}]}
  - {name: b, height: 100px, layers: [{texture: {pattern: checks, size: 20px, colours: clear, on: "#efe8da"}}]}
  - {name: c, height: 100px, layers: [{texture: {pattern: grain, colours: [black, "#8a7060"]}}]}
`})
	if r := run(t, dir, "check"); r.code != 0 {
		t.Errorf("check: %d %s%s", r.code, r.out, r.err)
	}
	if r := run(t, dir, "build"); r.code != 0 {
		t.Fatal(r.err)
	}
	css := contents(t, filepath.Join(dir, "dist", "backgrounds.css"))
	if !strings.Contains(css, `url("pictures/stripes-`) || !strings.Contains(css, `url("pictures/grain-`) {
		t.Errorf("the stylesheet:\n%s", css)
	}
	for text, want := range map[string]string{"pattern: dots, size: 1px": "bad.yaml:2:74: size: ", "size: " +
		"20px": "there is no pattern",
		"pattern: dots, colours: quiet": "beside it", "pattern: dots, colours: [red, blue, navy]": "one colour, " +
			"or two", "pattern: dots, spin: 3": "spin"} {
		write(t, dir, map[string]string{"bad.yaml": "tourmaline: 1\nboxes: [{name: b, height: 10px, layers: " +
			"[{texture: {" + text + "}}]}]\n"})
		if r := run(t, dir, "check", "bad.yaml"); r.code != 2 || !strings.Contains(r.err, want) {
			t.Errorf("%s: %d %s", text, r.code, r.err)
		}
	}
	shoot.Need(t)
	shown := framed(t, filepath.Join(dir, "dist", "index.html"), 800, 300, 1)
	for i, box := range []string{"a", "b", "c"} {
		if r := run(t, dir, "paint", "--box", box, "--at", "800x600@1", "-o", box+".png"); r.code != 0 {
			t.Fatal(r.err)
		}
		img := decode(t, filepath.Join(dir, box+".png"))
		want := image.NewRGBA(img.Bounds())
		for y := range 100 {
			for x := range 800 {
				want.Set(x, y, img.At(x, y))
			}
		}
		if d := meanDifference(shown, want, image.Pt(0, 100*i)); d > 1.5 {
			t.Errorf("%s: the browser's differs by %.2f levels", box, d)
		}
	}
}

// Sizes, pages and tones are told and drawn, and what cannot be is refused with what to do.
func TestTexturesOnPagesAndAtSizes(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"wall.png": wall(240, 192), "stone.jpg": photo(300, 200)})
	r := run(t, dir, "texture", "wall.png", "--sizes", "120px, 100", "--page", "#966", "--text", "white", "--json")
	var got []struct {
		Scales []struct {
			Width, Height float64
			At            []struct {
				Width, Sharpness float64
				Whole            bool
			}
			Crisp []float64
		}
		Page struct {
			Colour, Mean          string
			Step, ContrastDarkest float64
		}
	}
	if err := json.Unmarshal([]byte(r.out), &got); err != nil || r.code != 0 {
		t.Fatalf("%d %v %s%s", r.code, err, r.out, r.err)
	}
	s := got[0].Scales
	if len(s) != 2 || s[0].Height != 96 || !s[0].At[0].Whole || s[0].At[1].Sharpness != 1 || !s[1].At[0].Whole ||
		s[1].Height != 80 || got[0].Page.Colour != "#996666" || got[0].Page.ContrastDarkest < 3 {
		t.Errorf("%s", r.out)
	}
	if r = run(t, dir, "texture", "wall.png", "--sizes", "60px,100px,120px", "--sheet", "s.png"); r.code != 0 ||
		decode(t, filepath.Join(dir, "s.png")).Bounds().Dx() != 1280 {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
	r = run(t, dir, "texture", "stone.jpg", "--make", "night.png", "--tone", "#202838", "--page", "#202838")
	if r.code != 0 || !strings.Contains(r.out, "#202838 on average") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
	r = run(t, dir, "texture", "night.png", "--page", "#202838")
	if !strings.Contains(strings.Join(strings.Fields(r.out), " "), "it goes on as that colour") {
		t.Errorf("%s", r.out)
	}
	for _, args := range [][]string{{"--sizes", "0"}, {"--sizes", "wide"}, {"--text", "red"}, {"--tone", "dark"},
		{"--make", "x.png", "--tone", "gloomy"}, {"--page", "nothing"}, {"--sizes", "1,2,3,4,5,6,7"}} {
		if r = run(t, dir, append([]string{"texture", "wall.png"}, args...)...); r.code != 2 || r.err == "" {
			t.Errorf("%v: %d %s%s", args, r.code, r.out, r.err)
		}
	}
}

// A surface that does not tile is settled to a tile that lies beside it, and build uses it; small tiles stand in the
// stylesheet, where they need no file.
func TestTexturesAreSettledAndInlined(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	plan := "tourmaline: 1\nviewports: {widths: 400-800, heights: 700-700, densities: [1], named: {a: 700x700@1}}\n" +
		"files: {inline: 2 KB}\nboxes:\n" +
		"  - {name: a, height: 200px, layers: [{texture: auto from p/stone.png}]}\n" +
		"  - {name: b, height: 200px, layers: [{texture: {pattern: dots, size: 20px, colours: ['#345']}}]}\n"
	write(t, dir, map[string]string{"tourmaline.yaml": plan, "p/stone.png": slope(120, 100)})
	if r := run(t, dir, "settle", "--dry-run"); r.code != 0 || !strings.Contains(r.out, "stone-tile.png") {
		t.Fatalf("%d %s%s", r.code, r.out, r.err)
	}
	if _, err := os.Stat(filepath.Join(dir, "p/stone-tile.png")); err == nil {
		t.Error("a dry run writes a picture")
	}
	if r := run(t, dir, "build"); r.code != 0 { // what is open is settled for this run
		t.Fatalf("%d %s%s", r.code, r.out, r.err)
	}
	if r := run(t, dir, "settle"); r.code != 0 || !strings.Contains(r.out, "p/stone-tile.png: written") {
		t.Fatalf("%d %s%s", r.code, r.out, r.err)
	}
	decode(t, filepath.Join(dir, "p/stone-tile.png"))
	r := run(t, dir, "build")
	sheet, err := os.ReadFile(filepath.Join(dir, "dist/backgrounds.css"))
	if err != nil {
		t.Fatal(err)
	}
	css := string(sheet)
	files, _ := filepath.Glob(filepath.Join(dir, "dist/pictures/*"))
	if r.code != 0 || !strings.Contains(css, "url(\"data:image/svg+xml,%3Csvg") || len(files) == 0 ||
		strings.Contains(strings.Join(files, " "), "dots") || !strings.Contains(r.out, "in the stylesheet") {
		t.Errorf("%d %s%s\n%v\n%s", r.code, r.out, r.err, files, css)
	}
	write(t, dir, map[string]string{"tourmaline.yaml": strings.Replace(plan, "2 KB", "2 MB", 1)})
	if r := run(t, dir, "check"); r.code != 2 || !strings.Contains(r.err, "at most 16 KB") {
		t.Errorf("%d %s", r.code, r.err)
	}
	write(t, dir, map[string]string{"tourmaline.yaml": strings.Replace(plan, "auto from p/stone.png", "auto", 1)})
	if r := run(t, dir, "check"); r.code != 2 || !strings.Contains(r.err, "auto from stone.jpg") {
		t.Errorf("%d %s", r.code, r.err)
	}
}

// slope is a rough surface, lighter to the right and below.
func slope(w, h int) string {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for i := range w * h {
		v := uint8(80 + i%w + i/w/2 + i*i*7919%23)
		img.SetRGBA(i%w, i/w, color.RGBA{v, v, v - 30, 255})
	}
	return pngOf(img)
}

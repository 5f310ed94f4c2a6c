package e2e

import (
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"tourmaline/core/finding"
	"tourmaline/core/picture"
)

// madeUpTile is a tile of 192 px, two px for each CSS px.
type madeUpTile struct {
	name string
	at   func(x, y, grain float64) (r, g, b float64)
}

// turn is a wave that comes to itself after so many turns of a tile.
func turn(v float64, n float64) float64 { return math.Sin(2 * math.Pi * n * v / 192) }

func step(on bool, a, b float64) float64 {
	if on {
		return a
	}
	return b
}

var madeUpTiles = []madeUpTile{
	{"paper", func(x, y, g float64) (r, gr, b float64) { v := 238 + 3*g; return v, v - 4, v - 14 }},
	{"linen", func(x, y, g float64) (r, gr, b float64) {
		v := 200 + 8*turn(x, 48)*turn(y, 24) + 2*g
		return v, v - 8, v - 26
	}},
	{"sand", func(x, y, g float64) (r, gr, b float64) {
		v := 200 + 11*g + 4*turn(x+8*turn(y, 1), 3)
		return v, v - 20, v - 60
	}},
	{"slate", func(x, y, g float64) (r, gr, b float64) {
		v := 70 + 6*turn(x+20*turn(y, 2), 2) + 5*g
		return v, v + 5, v + 14
	}},
	{"marble", func(x, y, g float64) (r, gr, b float64) {
		v := 232 - 30*math.Pow(math.Abs(turn(x+30*turn(y, 1)+9*turn(y, 3), 1)), 6) + g
		return v, v, v - 3
	}},
	{"dots", func(x, y, g float64) (r, gr, b float64) {
		dx, dy := math.Mod(x, 24)-12, math.Mod(y, 24)-12
		v := 245 - 60*min(max(5-math.Hypot(dx, dy), 0), 1)
		return v, v, v
	}},
	{"stripes", func(x, y, g float64) (r, gr, b float64) {
		v := step(math.Mod(x+y, 32) < 16, 226, 240)
		return v, v - 6, v - 20
	}},
	{"checks", func(x, y, g float64) (r, gr, b float64) {
		v := step((int(x)/24+int(y)/24)%2 == 0, 34, 40) + g
		return v, v + 4, v + 22
	}},
	{"bricks", func(x, y, g float64) (r, gr, b float64) {
		row := int(y) / 24
		joint := math.Mod(y, 24) < 3 || math.Mod(x+float64(row%2)*24, 48) < 3
		v := step(joint, 190, 150) + 5*g
		return v, step(joint, v-8, v-60), step(joint, v-16, v-75)
	}},
	{"waves", func(x, y, g float64) (r, gr, b float64) {
		v := 120 + 24*turn(y+10*turn(x, 2), 8)
		return v - 40, v, v + 30
	}},
}

func (m *madeUpTile) png() string {
	r := rand.New(rand.NewPCG(17, uint64(len(m.name))))
	img := image.NewRGBA(image.Rect(0, 0, 192, 192))
	for i := range 192 * 192 {
		a, b, c := m.at(float64(i%192), float64(i/192), r.NormFloat64())
		u := func(v float64) uint8 { return uint8(min(max(v+0.5, 0), 255)) }
		img.SetRGBA(i%192, i/192, color.RGBA{u(a), u(b), u(c), 255})
	}
	return pngOf(img)
}

// docs/TILES.md is what tiles weigh as they are, coded plainly without loss in the px that are shown, and as cut makes
// them; TOURMALINE_DOCS=write writes it anew. Together they weigh less than half of what plain coding takes, and none
// weighs more.
func TestWeightsOfTiles(t *testing.T) {
	t.Parallel()
	site := t.TempDir()
	pictures := filepath.Join(site, "pictures")
	sizes := map[string]int{"star-dust": 240, "laid-paper": 96, "ridge-line": 720}
	names := []string{"star-dust", "laid-paper", "ridge-line"}
	for _, n := range names {
		write(t, pictures, map[string]string{n + ".png": read(t, "demo/site/pictures/"+n+".png")})
	}
	for _, m := range madeUpTiles {
		write(t, pictures, map[string]string{m.name + ".png": m.png()})
		names, sizes[m.name] = append(names, m.name), 96
	}
	var plan strings.Builder
	plan.WriteString("tourmaline: 1\npictures: pictures\nviewports: {widths: 1000-1000, heights: 900-900, densities: " +
		"[1, 2], named: {one: 1000x900@1, two: 1000x900@2}}\nboxes:\n")
	for _, n := range names {
		fmt.Fprintf(&plan, "  - {name: %s, height: 500px, layers: [{texture: %s.png, size: %dpx}]}\n", n, n,
			sizes[n])
	}
	write(t, site, map[string]string{"tiles.yaml": plan.String()})
	var files []struct {
		Box, Viewport, Format string
		Bytes, SourceBytes    int
	}
	r := run(t, site, "cut", "--json", "tiles.yaml")
	if err := json.Unmarshal([]byte(r.out), &files); err != nil || len(files) != 2*len(names) {
		t.Fatalf("%v %s%s", err, r.out, r.err)
	}
	var b strings.Builder
	b.WriteString("# What tiles weigh\n\nThe tiles of the demo, and ten that are made up for this table. " +
		"\"Plain\" is the same picture in the px that are shown,\ncoded as PNG without loss; \"cut\" is what a " +
		"browser fetches that knows every format. No difference is seen, and grain stays.\n\n" +
		"| tile | size | source | density 1: plain | cut | density 2: plain | cut |\n|---|---|---|---|---|---|---|\n")
	var sumPlain, sumCut int
	for i, n := range names {
		img := decode(t, filepath.Join(pictures, n+".png"))
		src := image.NewRGBA(image.Rect(0, 0, img.Bounds().Dx(), img.Bounds().Dy()))
		for k := range src.Rect.Dx() * src.Rect.Dy() {
			src.Set(k%src.Rect.Dx(), k/src.Rect.Dx(), img.At(k%src.Rect.Dx(), k/src.Rect.Dx()))
		}
		row := fmt.Sprintf("| %s | %d px | %s |", n, sizes[n], finding.Weight(files[2*i].SourceBytes))
		for d := 1; d <= 2; d++ {
			w := min(sizes[n]*d, src.Rect.Dx())
			size := image.Pt(w, int(math.Round(float64(w)*float64(src.Rect.Dy())/float64(src.Rect.Dx()))))
			data, err := picture.Code(picture.Scale(src, picture.Whole(src), size, picture.Scaling{Wrap: true}),
				picture.Coding{Format: picture.PNG, Thorough: true})
			if err != nil {
				t.Fatal(err)
			}
			f := files[2*i+d-1]
			if f.Box != n {
				t.Fatalf("%+v", f)
			}
			if f.Bytes > len(data) {
				t.Errorf("%s at density %d weighs %d, plainly %d", n, d, f.Bytes, len(data))
			}
			sumPlain, sumCut = sumPlain+len(data), sumCut+f.Bytes
			row += fmt.Sprintf(" %s | %s %s |", finding.Weight(len(data)), finding.Weight(f.Bytes), f.Format)
		}
		b.WriteString(row + "\n")
	}
	fmt.Fprintf(&b, "\nTogether %.0f%% of plain coding.\n", 100*float64(sumCut)/float64(sumPlain))
	if os.Getenv("TOURMALINE_DOCS") == "write" {
		if err := os.WriteFile("../docs/TILES.md", []byte(b.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if runtime.GOARCH == "amd64" && read(t, "docs/TILES.md") != b.String() {
		t.Errorf("docs/TILES.md is of another version; it should be\n%s", b.String())
	}
	if 2*sumCut > sumPlain {
		t.Errorf("tiles weigh %d, plainly %d", sumCut, sumPlain)
	}
}

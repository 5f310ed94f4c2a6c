package e2e

import (
	"encoding/json"
	"image/png"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

const openSite = `# what the designer left open
tourmaline: 1
viewports: {widths: 320-900, heights: 700-700, densities: [1, 2]}   # a small range
boxes:
  - name: hero
    height: 300px
    layers:
      - color: auto scrim        # readable, please
      - image: photo.jpg
        size: cover
        position: auto   # you find it
        repeat: no-repeat
        keep: {x: 60%, y: 20%, width: 20%, height: 40%}
      - {color: auto}
    text:
      - area: {left: 5%, top: 10%, width: 40%, height: 40%}
        color: white
  - {name: notes, height: 100px, layers: [{texture: tile.png, size: near 33.3px}, {color: "#eee"}]}
`

func openProject(t *testing.T) string {
	dir := t.TempDir()
	write(t, dir, map[string]string{"tourmaline.yaml": openSite, "photo.jpg": photo(1200, 800),
		"tile.png": flat(99, 99, colour{200, 190, 180})})
	return dir
}

type colour [3]uint8

// RGBA makes it a color.Color.
func (c colour) RGBA() (r, g, b, a uint32) {
	return uint32(c[0]) * 257, uint32(c[1]) * 257, uint32(c[2]) * 257, 65535
}

func TestSettleWritesBesideWhatWasWritten(t *testing.T) {
	t.Parallel()
	dir := openProject(t)
	dry := run(t, dir, "settle", "--dry-run")
	if dry.code != 0 || !strings.Contains(dry.out, "-        position: auto   # you find it\n") ||
		!strings.Contains(dry.out, "@@ -") {
		t.Fatalf("%d %s%s", dry.code, dry.out, dry.err)
	}
	if got, _ := os.ReadFile(filepath.Join(dir, "tourmaline.yaml")); string(got) != openSite {
		t.Fatal("a dry run wrote the plan")
	}
	r := run(t, dir, "settle", "--proof", "both.png")
	if r.code != 0 || !strings.Contains(r.out, "tourmaline.yaml: written") {
		t.Fatalf("%d %s%s", r.code, r.out, r.err)
	}
	data, err := os.ReadFile(filepath.Join(dir, "tourmaline.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	// Line by line only the open values differ, and each keeps what was written.
	was, is := strings.Split(openSite, "\n"), strings.Split(string(data), "\n")
	if len(was) != len(is) {
		t.Fatalf("%d lines became %d", len(was), len(is))
	}
	changed := 0
	for i := range was {
		if was[i] == is[i] {
			continue
		}
		changed++
		head, _, _ := strings.Cut(is[i], " = ")
		if !strings.HasPrefix(strings.ReplaceAll(was[i], `"`, ""), strings.ReplaceAll(head, `"`, "")) {
			t.Errorf("%q became %q", was[i], is[i])
		}
		if _, note, ok := strings.Cut(was[i], "#"); ok && !strings.HasSuffix(is[i], "#"+note) &&
			!strings.Contains(is[i], "eee") {
			t.Errorf("the comment of %q is lost in %q", was[i], is[i])
		}
	}
	if changed != 4 || !strings.Contains(string(data), "near 33.3px = 33px") && !strings.Contains(string(data),
		"near 33.3px = 33.5px") {
		t.Errorf("%d lines changed\n%s", changed, data)
	}
	// What settle claims to fix, check finds no more.
	if c := run(t, dir, "check", "--only", "cut-subject,contrast,bare,blurred-tile"); c.code != 0 ||
		!strings.Contains(c.out, "nothing found") {
		t.Errorf("check after settle: %d\n%s", c.code, c.out)
	}
	again := run(t, dir, "settle")
	if after, _ := os.ReadFile(filepath.Join(dir, "tourmaline.yaml")); string(after) != string(data) ||
		!strings.Contains(again.out, "nothing has changed") {
		t.Errorf("a second run changes the plan\n%s", again.out)
	}
	f, err := os.Open(filepath.Join(dir, "both.png"))
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	if img, err := png.Decode(f); err != nil || img.Bounds().Dx() != 1600 {
		t.Errorf("the proof: %v", err)
	}
	// The settled values reach the stylesheet.
	css := run(t, dir, "css")
	if css.code != 0 || !strings.Contains(css.out, "background-position: ") || strings.Contains(css.out,
		"transparent, transparent") {
		t.Errorf("%d %s%s", css.code, css.out, css.err)
	}
}

func TestSettleOptions(t *testing.T) {
	t.Parallel()
	dir := openProject(t)
	r := run(t, dir, "settle", "--json", "--dry-run", "--only", "position,size")
	var out struct {
		Settled []struct {
			Kind, Box, Wish, Value string
			Line                   int
			Failed                 bool
		}
		Pictures []struct{ Picture string }
	}
	if err := json.Unmarshal([]byte(r.out), &out); err != nil || r.code != 0 || len(out.Settled) != 2 ||
		out.Settled[0].Kind != "position" || out.Settled[0].Line != 11 || out.Settled[1].Box != "notes" {
		t.Errorf("%v %d %s%s", err, r.code, r.out, r.err)
	}
	if r := run(t, dir, "settle", "--dry-run", "--box", "notes"); r.code != 0 || strings.Contains(r.out, "hero") {
		t.Errorf("%d %s", r.code, r.out)
	}
	for _, row := range []struct{ args, want string }{
		{"settle --only place", "--only: \"place\" is not one of position, scrim, color, size, gradient, repeat"},
		{"settle --box no", "is not a box of the plan"},
		{"settle --proof tourmaline.yaml", "this is the plan"},
	} {
		if r := run(t, dir, strings.Fields(row.args)...); r.code != 2 || !strings.Contains(r.err, row.want) {
			t.Errorf("%s: %d %s", row.args, r.code, r.err)
		}
	}
	if got, _ := os.ReadFile(filepath.Join(dir, "tourmaline.yaml")); string(got) != openSite {
		t.Error("the plan was written")
	}
	// build settles for itself and leaves the plan alone.
	b := run(t, dir, "build")
	if b.code != 0 || !strings.Contains(b.err, "settled 4 open values for this build") {
		t.Errorf("%d %s%s", b.code, b.out, b.err)
	}
	css, _ := os.ReadFile(filepath.Join(dir, "dist", "backgrounds.css"))
	if !strings.Contains(string(css), "background-color: rgb") && !strings.Contains(string(css),
		"background-color: #") {
		t.Errorf("the colour behind is not in the stylesheet\n%s", css)
	}
	if got, _ := os.ReadFile(filepath.Join(dir, "tourmaline.yaml")); string(got) != openSite {
		t.Error("build wrote the plan")
	}
}

// What cannot be done is said, with exit code 1, and nothing bad is written.
func TestSettleImpossible(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	plan := lead + "boxes:\n  - {name: a, height: 600px, layers: [{image: photo.jpg, size: cover, position: auto, " +
		"keep: {x: 0%, y: 0%, width: 100%, height: 50%}}]}\n"
	write(t, dir, map[string]string{"p.yaml": plan, "photo.jpg": photo(800, 400)})
	r := run(t, dir, "settle", "p.yaml")
	// 800x400 covers W x 600 drawn 1200 wide: all of its width is never in view.
	if r.code != 1 || !strings.Contains(r.out, "lost     320-900 px") || !strings.Contains(r.out, "do       at 320x") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
}

// A strip says which of its values will do, and draws them all.
func TestFitTry(t *testing.T) {
	t.Parallel()
	dir := openProject(t)
	// 1200x800 covers 320x300 drawn 450 wide: keep, 270-360 of 450, is in view for
	// offsets from -270 to -40, that is from 31% of the 130 spare px on; at 30% one px of it is not.
	r := run(t, dir, "fit", "--box", "hero", "--at", "320x700@1", "--try", "position=0%..100%", "-o", "s.png")
	if r.code != 0 || !strings.Contains(r.out, "of these 8 from 30% to 100% will do") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
	f, err := os.Open(filepath.Join(dir, "s.png"))
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	if img, err := png.Decode(f); err != nil || img.Bounds().Dx() != 1280 {
		t.Errorf("the strip: %v", err)
	}
	r = run(t, dir, "fit", "--box", "notes", "--at", "600x700@2", "--try", "size=30px..35px", "-o", "t.png")
	// Steps of half a px are whole at density 2.
	if r.code != 0 || !strings.Contains(r.out, "of these 11 from 30px to 35px will do") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
	if r = run(t, dir, "fit", "--box", "hero", "--try", "scrim=0%..100%"); r.code != 0 || !strings.Contains(r.out,
		"try.png: 1280 x") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
	for _, row := range []struct{ args, want string }{
		{"fit --box hero --try position=0%..9px", "is not a range such as position=0%..100%"},
		{"fit --box hero --try blur=0px..9px", "is not a range such as"},
		{"fit --try position=0%..100%", "name them with --box and --at"},
		{"fit --box notes --try scrim=0%..80%", "has no colour layer over a picture"},
		{"fit --box hero --try size=0px..9px", "is not a range"},
	} {
		if r := run(t, dir, strings.Fields(row.args)...); r.code != 2 || !strings.Contains(r.err, row.want) {
			t.Errorf("%s: %d %s%s", row.args, r.code, r.out, r.err)
		}
	}
}

// A proposed part goes into the plan as it is printed, and is cut and fetched as a
// picture of its own.
func TestProposedPart(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	site := "tourmaline: 1\nviewports: {widths: 320-700, heights: 700-700, densities: [1]}\nboxes:\n  - name: a\n  " +
		"  height: 300px\n    layers:\n      - {image: photo.jpg, size: cover, repeat: no-repeat, position: " +
		"center, subject: 40%-80%, keep: {x: 45%, y: 40%, width: 10%, height: 15%}}\n      - color: black\n"
	write(t, dir, map[string]string{"tourmaline.yaml": site, "photo.jpg": photo(1600, 1000)})
	r := run(t, dir, "settle", "--json", "--dry-run")
	var out struct {
		Parts []struct {
			Widths  struct{ From, To int }
			Picture string
			Failed  string
			Lines   []string
		}
	}
	if err := json.Unmarshal([]byte(r.out), &out); err != nil || len(out.Parts) == 0 || out.Parts[0].Failed != "" {
		t.Fatalf("%v %s%s", err, r.out, r.err)
	}
	write(t, dir, map[string]string{"tourmaline.yaml": site + strings.Join(out.Parts[0].Lines, "\n") + "\n"})
	if c := run(t, dir, "check", "--only", "cut-subject,missing,bare"); c.code != 0 {
		t.Errorf("%d %s%s", c.code, c.out, c.err)
	}
	if b := run(t, dir, "build"); b.code != 0 {
		t.Fatalf("%d %s", b.code, b.err)
	}
	css, _ := os.ReadFile(filepath.Join(dir, "dist", "backgrounds.css"))
	parts, _ := filepath.Glob(filepath.Join(dir, "dist", "pictures", "photo-part-*.jpg"))
	if len(parts) == 0 || !strings.Contains(string(css), "pictures/"+filepath.Base(parts[0])) ||
		strings.Contains(string(css), "xywh") {
		t.Errorf("%v\n%s", parts, css)
	}
}

// Package e2e runs the built program on files in temporary folders.
package e2e

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"hash/crc32"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
)

var program string

func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "tourmaline-e2e-")
	if err != nil {
		panic(err)
	}
	program = filepath.Join(dir, "tourmaline")
	cmd := exec.Command("go", "build", "-trimpath", "-ldflags", "-X tourmaline/cli.Version=v0-test", "-o", program,
		"tourmaline/cmd/tourmaline")
	cmd.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := cmd.CombinedOutput(); err != nil {
		panic(fmt.Sprintf("%v\n%s", err, out))
	}
	// The program's cache is shared by the tests and empty at first; the compiler keeps its own.
	os.Setenv("XDG_CACHE_HOME", filepath.Join(dir, "cache"))
	code := m.Run()
	os.RemoveAll(dir)
	os.Exit(code)
}

// commands are those that people work with.
var commands = []string{"start", "look", "texture", "trace", "measure", "fit", "check", "settle", "proof",
	"paint", "cut",
	"css", "build", "prove", "view", "report", "demo"}

type result struct {
	out, err string
	code     int
}

func run(t testing.TB, dir string, args ...string) result {
	t.Helper()
	cmd := exec.Command(program, args...)
	cmd.Dir = dir
	var out, errs bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errs
	err := cmd.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		t.Fatal(err)
	}
	return result{out.String(), errs.String(), cmd.ProcessState.ExitCode()}
}

// warm makes the demo's files once, so that tests at the same time do not all make them.
var warm sync.Once

// runDemo writes and builds the demo in the folder obs.
func runDemo(t testing.TB, dir string) result {
	t.Helper()
	warm.Do(func() {
		if r := run(t, t.TempDir(), "demo", "warm"); r.code != 0 {
			t.Error(r.err)
		}
	})
	return run(t, dir, "demo", "obs")
}

func write(t testing.TB, dir string, files map[string]string) {
	t.Helper()
	for name, text := range files {
		path := filepath.Join(dir, name)
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
}

// photo is a JPEG with smooth colours and a little noise.
func photo(w, h int) string {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	seed := uint32(1)
	for y := range h {
		for x := range w {
			seed = seed*1664525 + 1013904223
			n := uint8(seed >> 28)
			img.SetRGBA(x, y, color.RGBA{uint8(x*200/w) + n, uint8(y*200/h) + n, 90 + n, 255})
		}
	}
	var b bytes.Buffer
	if err := jpeg.Encode(&b, img, &jpeg.Options{Quality: 97}); err != nil {
		panic(err)
	}
	return b.String()
}

func flat(w, h int, c color.Color) string {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for i := range w * h {
		img.Set(i%w, i/w, c)
	}
	return pngOf(img)
}

func pngOf(img image.Image) string {
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		panic(err)
	}
	return b.String()
}

// hugeHeader is a PNG that says it is 60000 x 60000.
func hugeHeader() string {
	var b bytes.Buffer
	b.WriteString("\x89PNG\r\n\x1a\n")
	body := append([]byte("IHDR"), 0, 0, 0xea, 0x60, 0, 0, 0xea, 0x60, 8, 2, 0, 0, 0)
	binary.Write(&b, binary.BigEndian, uint32(13))
	b.Write(body)
	binary.Write(&b, binary.BigEndian, crc32.ChecksumIEEE(body))
	return b.String()
}

// smallPlan has no AVIF: that takes most of the time of a run, and tests of its own have it.
const smallPlan = `tourmaline: 1
site: Small
pictures: pics
files: {formats: [webp]}
viewports:
  widths: 320-1600
  densities: [1, 2]
  named:
    phone: 400x800@2
    desktop: 1600x900@1
boxes:
  - name: hero
    selector: header.hero
    height: 400px
    layers:
      - image: photo.jpg
        size: cover
        position: 25% 50%
        repeat: no-repeat
        keep: {x: 10%, y: 20%, width: 20%, height: 50%}
      - color: "#123456"
`

func small(t testing.TB) string {
	dir := t.TempDir()
	write(t, dir, map[string]string{"tourmaline.yaml": smallPlan, "pics/photo.jpg": photo(1200, 600)})
	return dir
}

func TestFitTellsFigures(t *testing.T) {
	t.Parallel()
	dir := small(t)
	r := run(t, dir, "fit")
	// phone: 800 x 400 drawn in 400 x 400; half is cut, a quarter of that left: 12.5%
	for _, want := range []string{"hero  (header.hero)", "phone 400x800@2", "400 x 400", "800 x 400", "0.75",
		"cut left 12%, right 38%", "only 88% of keep", "1600 x 800"} {
		// cells wrap
		if !strings.Contains(r.out, want) && !strings.Contains(strings.Join(strings.Fields(r.out), " "), want) {
			t.Errorf("fit does not say %q:\n%s", want, r.out)
		}
	}
	for _, line := range strings.Split(r.out, "\n") {
		if len([]rune(strings.TrimRight(line, " "))) > 100 {
			t.Errorf("a line is longer than 100 columns: %s", line)
		}
	}
	var rows []map[string]any
	j := run(t, dir, "fit", "--json", "--at", "600x800@2", "--box", "hero")
	if err := json.Unmarshal([]byte(j.out), &rows); err != nil || len(rows) != 1 {
		t.Fatalf("%v\n%s", err, j.out)
	}
	// 600 wide: drawn 800 x 400 still; sharp 1200/800/2 = 0.75
	if rows[0]["sharpness"].(float64) != 0.75 ||
		rows[0]["drawn"].(map[string]any)["width"].(float64) != 800 || r.code != 0 {
		t.Errorf("%v", rows[0])
	}
}

func TestFitWithoutAPlan(t *testing.T) {
	t.Parallel()
	dir := small(t)
	r := run(t, dir, "fit", "pics/photo.jpg", "--box", "100vw x 60vh", "--size", "cover", "--at", "390x844@3")
	// 60vh = 506.4; drawn 1012.8 wide, (1012.8-390)/1012.8 = 61% cut right
	if r.code != 0 || !strings.Contains(r.out, "390 x 506.4") || !strings.Contains(r.out, "cut right 61%") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
}

func TestLook(t *testing.T) {
	t.Parallel()
	dir := small(t)
	r := run(t, dir, "look", "pics/photo.jpg")
	for _, want := range []string{"JPEG", "1200 x 600 px, 2:1, landscape", "opaque", "400 x 200 CSS px at density 3",
		"edges"} {
		if !strings.Contains(r.out, want) {
			t.Errorf("look does not say %q:\n%s", want, r.out)
		}
	}
	var v []map[string]any
	if err := json.Unmarshal([]byte(run(t, dir, "look", "--json", "pics/photo.jpg").out), &v); err != nil ||
		v[0]["width"].(float64) != 1200 {
		t.Errorf("%v %v", err, v)
	}
}

func decode(t testing.TB, path string) image.Image {
	t.Helper()
	f, err := os.Open(path)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	img, err := png.Decode(f)
	if err != nil {
		t.Fatal(err)
	}
	return img
}

func TestPaintIsTheBorderBox(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{
		"pics/red.png": flat(10, 10, color.NRGBA{255, 0, 0, 255}),
		"tourmaline.yaml": `tourmaline: 1
pictures: pics
boxes:
  - name: before
    height: 33px
  - name: a
    width: 50px
    height: 40px
    css: |
      background: url(red.png) right 4px bottom / 20px 10px no-repeat;
      border: 5px solid transparent;
`})
	r := run(t, dir, "paint", "--box", "a", "--at", "300x200@2", "-o", "a.png")
	if r.code != 0 {
		t.Fatal(r.err)
	}
	img := decode(t, filepath.Join(dir, "a.png"))
	if img.Bounds().Size() != image.Pt(100, 80) {
		t.Fatalf("size %v, want 100 x 80", img.Bounds().Size())
	}
	// padding box is 40 x 30 at 5, 5: the picture lies at x 5+40-4-20 = 21, y 5+30-10 = 25
	for y := range 80 {
		for x := range 100 {
			_, _, _, a := img.At(x, y).RGBA()
			in := x >= 42 && x < 82 && y >= 50 && y < 70
			if (a == 0xffff) != in || a != 0 && a != 0xffff {
				t.Fatalf("at %d,%d alpha %x, inside %v", x, y, a, in)
			}
		}
	}
}

func TestProof(t *testing.T) {
	t.Parallel()
	dir := small(t)
	r := run(t, dir, "proof", "-o", "p.png")
	if r.code != 0 {
		t.Fatal(r.err)
	}
	marked := decode(t, filepath.Join(dir, "p.png"))
	if marked.Bounds().Dx() != 1280 {
		t.Errorf("width %d", marked.Bounds().Dx())
	}
	if r := run(t, dir, "proof", "--bare", "--box", "hero", "--at", "phone", "-o", "b.png"); r.code != 0 {
		t.Fatal(r.err)
	}
	keepColour := func(img image.Image) (n int) {
		for y := range img.Bounds().Dy() {
			for x := range img.Bounds().Dx() {
				if r, g, b, _ := img.At(x, y).RGBA(); r>>8 == 0x1f && g>>8 == 0xd6 && b>>8 == 0xa8 {
					n++
				}
			}
		}
		return
	}
	if n := keepColour(marked); n < 50 {
		t.Errorf("keep is outlined by %d px", n)
	}
	if n := keepColour(decode(t, filepath.Join(dir, "b.png"))); n != 0 {
		t.Errorf("a bare proof has %d px of marks", n)
	}
}

func TestCutFetchesAndNeverEnlarges(t *testing.T) {
	t.Parallel()
	dir := small(t)
	var fs []struct {
		Viewport, File string
		Width, Height  int
		Bytes          int
	}
	r := run(t, dir, "cut", "--json")
	if err := json.Unmarshal([]byte(r.out), &fs); err != nil {
		t.Fatal(err, r.err)
	}
	for _, f := range fs {
		st, err := os.Stat(filepath.Join(dir, "dist", "pictures", f.File))
		if err != nil || int(st.Size()) != f.Bytes {
			t.Errorf("%s: %v", f.File, err)
		}
		if f.Width > 1200 {
			t.Errorf("%s is larger than its source", f.File)
		}
	}
	// phone @2: 800 CSS px high drawn = 1600 px of 600 that the source has; of its width only
	// what is seen
	if len(fs) != 2 || fs[0].Height != 600 || fs[0].Width >= 800 || fs[1].Width != 1200 {
		t.Errorf("%+v", fs)
	}
}

func TestCSSIsStandardAndStable(t *testing.T) {
	t.Parallel()
	dir := small(t)
	a, b := run(t, dir, "css"), run(t, dir, "css")
	if a.out != b.out || a.code != 0 {
		t.Errorf("two runs differ, or %s", a.err)
	}
	for _, want := range []string{"header.hero {", "background-color: #123456;", "background-size: cover;",
		"background-position: 25% 50%;", "background-repeat: no-repeat;", `url("pictures/photo-`} {
		if !strings.Contains(a.out, want) {
			t.Errorf("css lacks %q:\n%s", want, a.out)
		}
	}
}

func tree(t testing.TB, dir string) map[string]string {
	t.Helper()
	out := map[string]string{}
	filepath.WalkDir(dir, func(path string, d os.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			data, _ := os.ReadFile(path)
			rel, _ := filepath.Rel(dir, path)
			out[rel] = string(data)
		}
		return nil
	})
	return out
}

func TestBuildTwice(t *testing.T) {
	t.Parallel()
	dir := small(t)
	if r := run(t, dir, "build"); r.code != 0 {
		t.Fatal(r.err)
	}
	first := tree(t, filepath.Join(dir, "dist"))
	for _, want := range []string{"index.html", "backgrounds.css", "proof.png", "tourmaline-build.json"} {
		if first[want] == "" {
			t.Errorf("build made no %s", want)
		}
	}
	r := run(t, dir, "build")
	if !strings.Contains(r.out, "nothing has changed") {
		t.Errorf("second run: %s", r.out)
	}
	os.Remove(filepath.Join(dir, "dist", "index.html"))
	run(t, dir, "build")
	again := tree(t, filepath.Join(dir, "dist"))
	for name, data := range first {
		if again[name] != data {
			t.Errorf("%s differs after it was built again", name)
		}
	}
	write(t, dir, map[string]string{"tourmaline.yaml": strings.Replace(smallPlan, "25% 50%", "75% 50%", 1)})
	if r := run(t, dir, "build"); strings.Contains(r.out, "nothing has changed") {
		t.Error("a changed plan is not built")
	}
}

func TestDemoBuilds(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	r := runDemo(t, dir)
	if r.code != 0 || !strings.Contains(r.out, "asset files") {
		t.Fatalf("%d %s%s", r.code, r.out, r.err)
	}
	if r := run(t, dir, "demo", "obs"); r.code != 0 || !strings.Contains(r.out, "nothing has changed") {
		t.Errorf("a second demo: %s%s", r.out, r.err)
	}
	write(t, dir, map[string]string{"obs/tourmaline.yaml": "mine"})
	if r := run(t, dir, "demo", "obs"); r.code != 2 || !strings.Contains(r.err, "is there already") {
		t.Errorf("the designer's own file: %d %s", r.code, r.err)
	}
}

// Bad input: a clear message with its place, exit 2, and no output at all.
func TestBadInput(t *testing.T) {
	t.Parallel()
	whole := photo(300, 200)
	plan := func(layer string) string {
		return "tourmaline: 1\npictures: pics\nboxes:\n  - name: a\n    height: 100px\n    layers:\n      - " + layer +
			"\n"
	}
	rows := []struct{ name, plan, want string }{
		{"missing", plan("image: none.jpg"), "tourmaline.yaml:7:9: none.jpg: there is no such picture"},
		{"other case", plan("image: Ok.jpg"), `there is "ok.jpg": servers tell small letters from capitals`},
		{"other extension", plan("image: ok.png"), `there is "ok.jpg" with another extension`},
		{"wrong extension", plan("image: wrong.jpg"),
			"tourmaline.yaml:7:9: wrong.jpg: the file holds a png picture but is called .jpg; rename it to wrong.png"},
		{"truncated", plan("image: cut.jpg"), "tourmaline.yaml:7:9: cut.jpg: the picture is broken or cut short"},
		{"huge", plan("image: huge.png"), "tourmaline.yaml:7:9: huge.png: the picture says it is 60000x60000 px"},
		{"text", plan("image: text.jpg"), "tourmaline.yaml:7:9: text.jpg: the file holds text, not a picture"},
		{"empty", plan("image: empty.jpg"), "empty.jpg: the file is empty"},
		{"leaves", plan("image: ../../secret.jpg"), "the path leaves the pictures folder"},
		{"network", plan("image: https://example.org/a.jpg"), "pictures are not fetched from the network"},
		{"key", "tourmaline: 1\nboxs: []\n", `tourmaline.yaml:2:1: "boxs" is not a key`},
		{"unit", strings.Replace(plan("color: red"), "100px", "100xp", 1),
			`tourmaline.yaml:5:13: height: "100xp" is not a length`},
		{"zero", strings.Replace(plan("color: red"), "100px", "0px", 1),
			"tourmaline.yaml:5:13: height: the box \"a\" has no height"},
		{"keep", plan("{image: ok.jpg, keep: {x: 90%, y: 0%, width: 20%, height: 10%}}"),
			"keep: the region is not inside the picture"},
		{"output", "tourmaline: 1\noutput: ok.txt\nboxes: [{name: a, height: 9px, css: 'background: red'}]\n",
			"cannot be written"},
		{"output over sources", strings.Replace(plan("image: ok.jpg"), "pictures: pics",
			"pictures: pics\noutput: pics", 1), "the output folder holds the source pictures"},
	}
	for _, r := range rows {
		t.Run(r.name, func(t *testing.T) {
			dir := t.TempDir()
			write(t, dir, map[string]string{"tourmaline.yaml": r.plan, "ok.txt": "a file", "pics/ok.jpg": whole,
				"pics/cut.jpg":   whole[:len(whole)/2],
				"pics/wrong.jpg": flat(4, 4, color.White), "pics/text.jpg": "hello", "pics/empty.jpg": "",
				"pics/huge.png": hugeHeader()})
			before := tree(t, dir)
			got := run(t, dir, "build")
			if got.code != 2 || !strings.Contains(got.err, r.want) {
				t.Errorf("exit %d\n got %s\nwant %s", got.code, got.err, r.want)
			}
			if strings.Count(strings.TrimSpace(got.err), "\n") > 0 {
				t.Errorf("more than one line: %s", got.err)
			}
			after := tree(t, dir)
			if len(after) != len(before) {
				t.Errorf("output is half written: %d files, %d before", len(after), len(before))
			}
		})
	}
}

func TestForeignFilesAreLeftAlone(t *testing.T) {
	t.Parallel()
	dir := small(t)
	write(t, dir, map[string]string{"dist/index.html": "mine"})
	r := run(t, dir, "build")
	if r.code != 2 || !strings.Contains(r.err, "was not made by tourmaline") {
		t.Errorf("%d %s", r.code, r.err)
	}
	if got := tree(t, filepath.Join(dir, "dist")); len(got) != 1 || got["index.html"] != "mine" {
		t.Errorf("left: %v", len(got))
	}
	for _, target := range []string{"pics/photo.jpg", "tourmaline.yaml"} {
		if r := run(t, dir, "proof", "-o", target); r.code != 2 {
			t.Errorf("proof -o %s: exit %d", target, r.code)
		}
	}
}

func TestUsageErrors(t *testing.T) {
	t.Parallel()
	dir := small(t)
	for _, row := range []struct{ args, want string }{
		{"fitt", `"fitt" is not a command; did you mean "fit"?`},
		{"fit --bx a", "flag provided but not defined"},
		{"fit --box heroo", `did you mean "hero"?`},
		{"fit --at phne", `is not a viewport`},
		{"paint --box hero --at phone", `"output"`},
		{"look", "look needs a picture"},
		{"fit nothere.yaml", "the plan cannot be read"},
		{"proof --width 10", "--width: 10 is not between"},
		{"proof -o nofolder/a.png", "nofolder/a.png: cannot be written"},
		{"proof -o pics", "pics: cannot be written: this is a folder"},
		{"paint --box hero --at phone -o a.png extra.yaml more.yaml", "one plan at a time"},
		{"demo", "demo needs a folder"},
	} {
		r := run(t, dir, strings.Fields(row.args)...)
		if r.code != 2 || !strings.Contains(r.err, row.want) {
			t.Errorf("%s: exit %d, %s", row.args, r.code, r.err)
		}
	}
}

func TestHelpHasExamples(t *testing.T) {
	t.Parallel()
	for _, c := range commands {
		r := run(t, t.TempDir(), c, "--help")
		if r.code != 0 || !strings.Contains(r.out, "xample") {
			t.Errorf("%s --help: %d %s", c, r.code, r.out)
		}
	}
	if r := run(t, t.TempDir(), "--version"); r.out != "tourmaline v0-test\n" {
		t.Errorf("version %q", r.out)
	}
}

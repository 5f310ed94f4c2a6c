package e2e

import (
	"encoding/json"
	"fmt"
	"image"
	"net/http"
	"net/http/httptest"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"tourmaline/e2e/shoot"
)

// visit shows the built page of a site in a window of a size and returns what the
// browser fetched of its pictures, in order of names, and what it showed.
func visit(t *testing.T, dist string, w, h int, density float64) ([]string, *image.RGBA) {
	t.Helper()
	var mu sync.Mutex
	var fetched []string
	files := http.FileServer(http.Dir(dist))
	srv := httptest.NewServer(http.HandlerFunc(func(out http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/frame.html" {
			// The frame has its size before it has a page: media queries are asked at once.
			fmt.Fprintf(out, "<!DOCTYPE "+
				"html><style>body{margin:0}iframe{border:0;display:block;width:%dpx;height:%dpx}</style>"+
				"<iframe></iframe><script>let f = document.querySelector('iframe'); f.offsetWidth; f.src = "+
				"'index.html'</script>", w, h)
			return
		}
		if strings.HasPrefix(r.URL.Path, "/pictures/") {
			mu.Lock()
			fetched = append(fetched, path.Base(r.URL.Path))
			mu.Unlock()
		}
		files.ServeHTTP(out, r)
	}))
	defer srv.Close()
	img := shoot.Page(t, srv.URL+"/frame.html", max(w, 600), h, density)
	mu.Lock()
	defer mu.Unlock()
	slices.Sort(fetched)
	return fetched, img
}

// At each named viewport the browser fetches one file for each picture layer, once, and
// it is the one that cut says.
func TestEachViewportFetchesOneFileForEachPicture(t *testing.T) {
	t.Parallel()
	shoot.Need(t)
	dir := t.TempDir()
	if r := runDemo(t, dir); r.code != 0 {
		t.Fatal(r.err)
	}
	site := filepath.Join(dir, "obs")
	r := run(t, site, "cut", "--json")
	var fs []struct{ Viewport, File string }
	if err := json.Unmarshal([]byte(r.out), &fs); err != nil {
		t.Fatal(err, r.err)
	}
	for _, v := range []struct {
		w, h    int
		density float64
	}{{390, 844, 3}, {820, 1180, 2}, {1440, 900, 2}, {1920, 1080, 1}} {
		at := fmt.Sprintf("%dx%d@%g", v.w, v.h, v.density)
		var want []string
		for _, f := range fs {
			if f.Viewport == at {
				want = append(want, f.File)
			}
		}
		slices.Sort(want)
		if got, _ := visit(t, filepath.Join(site, "dist"), v.w, v.h, v.density); !slices.Equal(got,
			slices.Compact(want)) || len(want) != 5 {
			t.Errorf("at %s the browser fetched\n%s\ncut says\n%s", at, strings.Join(got, "\n"),
				strings.Join(want, "\n"))
		}
	}
}

// docs/WEIGHTS.md is what cut --compare says of the demo; TOURMALINE_DOCS=write writes it anew. The
// files weigh less than either habit at an equal look, and no viewport's look worse than the habit's;
// the sheet shows two places of each picture.
func TestWeightsOfTheDemo(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	if r := runDemo(t, dir); r.code != 0 {
		t.Fatal(r.err)
	}
	site := filepath.Join(dir, "obs")
	r := run(t, site, "cut", "--compare", "--sheet", "worst.png")
	if r.code != 0 {
		t.Fatal(r.err)
	}
	lines := strings.Split(strings.TrimRight(r.out, "\n"), "\n")
	for i := range lines {
		lines[i] = strings.TrimRight(lines[i], " ")
	}
	want := "# What the files weigh\n\nThe demo, as `tourmaline demo observatory && cd observatory && tourmaline " +
		"cut --compare` tells. The habits are one\nJPEG of 1920 px at quality 80 for each picture and everybody, and " +
		"WebP of quality 80 in three widths (800, 1280 and 1920 px)\nchosen by the window's; textures are as they " +
		"are. \"Alike\" is how the picture that looks worst looks beside its source in\njust the px that are shown " +
		"(100 is the same, 95 where a difference is just seen; see [How is quality judged?](RATIONALE.md)).\nBelow " +
		"1.00 px for " +
		"each device px the source itself has no more, or it is density 3.\n\n```\n" + strings.Join(lines, "\n") +
		"\n```\n"
	if os.Getenv("TOURMALINE_DOCS") == "write" {
		if err := os.WriteFile("../docs/WEIGHTS.md", []byte(want), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if runtime.GOARCH == "amd64" && read(t, "docs/WEIGHTS.md") != want {
		t.Errorf("docs/WEIGHTS.md is of another version; it should be\n%s", want)
	}
	shares := regexp.MustCompile(`(\d+)% of a (?:JPEG|WebP) that looks as well`).FindAllStringSubmatch(r.out, -1)
	if len(shares) != 2 {
		t.Fatalf("no shares in\n%s", r.out)
	}
	for _, s := range shares {
		if n, _ := strconv.Atoi(s[1]); n >= 75 {
			t.Errorf("the files weigh %d%% of a habit at an equal look", n)
		}
	}
	if img := decode(t, filepath.Join(site, "worst.png")); img.Bounds().Dx() < 1200 || img.Bounds().Dy() < 1000 {
		t.Errorf("the sheet has %v", img.Bounds())
	}
}

const cropped = `tourmaline: 1
pictures: pics
viewports: {widths: 320-1300, heights: 800-900, densities: {1: 500-1300, 2: 320-900}, named: {phone: {size: 400x850@2, share: 50%}, wide: {size: 1200x850@1, share: 50%}}}
files: {formats: [], quality: 97, most: 5, worth: 0%, sharpness: 1}
boxes:
  - {name: cover, height: 200px, layers: [{image: photo.jpg, size: cover, position: 30% 70%}]}
  - {name: lengths, height: 150px, layers: [{image: photo.jpg, size: 1250px auto, position: 80% 40%, repeat: no-repeat}]}
  - {name: percents, height: 150px, layers: [{image: photo.jpg, size: 150% 300%, position: right 30px top 20%, repeat: no-repeat}, {color: teal}]}
  - {name: window, height: 150px, layers: [{color: rgb(0 0 0 / 40%)}, {image: photo.jpg, size: cover, position: 10% 50%, attachment: fixed}]}
  - name: changes
    height: 200px
    layers: [{image: photo.jpg, size: cover, position: 0% 0%}]
    when:
      (width < 700px): {layers: [{image: photo.jpg, size: cover, position: 100% 100%}]}
      (width < 350px): {layers: [{color: teal}]}
`

var croppedTops = map[string]int{"cover": 0, "lengths": 200, "percents": 350, "window": 500, "changes": 650}

// Files that hold a part of the picture look in the browser as the whole picture does
// in paint, whatever sizes, positions and attachments they have.
func TestCroppedFilesLookLikeTheWholePicture(t *testing.T) {
	t.Parallel()
	shoot.Need(t)
	dir := t.TempDir()
	write(t, dir, map[string]string{"pics/photo.jpg": photo(1300, 720), "tourmaline.yaml": cropped})
	if r := run(t, dir, "build"); r.code != 0 {
		t.Fatal(r.err)
	}
	var rungs []struct {
		Box  string
		Part struct{ Width, Height float64 }
	}
	if err := json.Unmarshal([]byte(run(t, dir, "cut", "--dry-run", "--json").out), &rungs); err != nil {
		t.Fatal(err)
	}
	parts := map[string]bool{}
	for _, r := range rungs {
		if r.Part.Width*r.Part.Height < 9000 {
			parts[r.Box] = true
		}
	}
	if len(parts) != 3 { // the fixed one may scroll, and then shows all of its width; one shares a whole file
		t.Errorf("%v have files of a part", parts)
	}
	for _, v := range []struct {
		w, h    int
		density float64
	}{{400, 850, 2}, {1200, 850, 1}, {640, 850, 1}, {720, 850, 2}, {330, 850, 2}} {
		fetched, page := visit(t, filepath.Join(dir, "dist"), v.w, v.h, v.density)
		if n := len(fetched); n > 5 {
			t.Errorf("%dx%d@%g fetched %d files for 5 boxes: %v", v.w, v.h, v.density, n, fetched)
		}
		for box, top := range croppedTops {
			at := fmt.Sprintf("%dx%d@%g", v.w, v.h, v.density)
			if r := run(t, dir, "paint", "--box", box, "--at", at, "-o", "b.png"); r.code != 0 {
				t.Fatal(r.err)
			}
			got, err := shoot.ReadPNG(filepath.Join(dir, "b.png"))
			if err != nil {
				t.Fatal(err)
			}
			if d := meanDifference(got, page, image.Pt(0, int(float64(top)*v.density))); d > 3 {
				t.Errorf("%s at %s differs by %.2f levels on average", box, at, d)
			}
		}
	}
}

// However the stylesheet is written, the page looks the same and fetches the same.
func TestEveryFormOfTheStylesheetShowsTheSame(t *testing.T) {
	t.Parallel()
	shoot.Need(t)
	dir := t.TempDir()
	filtered := strings.Replace(strings.Replace(cropped, "formats: [], quality: 97", "formats: [webp], quality: 85",
		1), "{image: photo.jpg, size: cover, position: 30% 70%}",
		"{gradient: 'linear-gradient(red, rgb(0 0 255 / 20%))'}, {image: photo.jpg, size: cover, position: 30% "+
			"70%, filter: brightness(70%)}", 1)
	write(t, dir, map[string]string{"pics/photo.jpg": photo(1300, 720), "tourmaline.yaml": filtered})
	var names []string
	var want *image.RGBA
	for _, form := range [][]string{{}, {"--properties"}, {"--layer", "site.backgrounds"}, {"--nesting"}, {"--minify"},
		{"--placeholder"}, {"--nesting", "--minify", "--properties", "--placeholder", "--layer", "a"}} {
		if r := run(t, dir, append([]string{"build"}, form...)...); r.code != 0 || strings.Contains(r.out,
			"nothing has changed") {
			t.Fatalf("%v: %s%s", form, r.out, r.err)
		}
		fetched, img := visit(t, filepath.Join(dir, "dist"), 400, 850, 2)
		if want == nil {
			names, want = fetched, img
			continue
		}
		if !slices.Equal(fetched, names) {
			t.Errorf("%v fetches %v, without %v", form, fetched, names)
		}
		if d := meanDifference(img, want, image.Point{}); d > 0.01 {
			t.Errorf("%v differs by %.2f levels on average", form, d)
		}
	}
	css, err := os.ReadFile(filepath.Join(dir, "dist", "backgrounds.css"))
	if err != nil || strings.Contains(string(css), "\n") || strings.Contains(string(css), "/*") {
		t.Errorf("the minified stylesheet has white space or comments: %.200s", css)
	}
}

// Before the picture is there the placeholder is, in about its colours.
func TestPlaceholder(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"pics/photo.jpg": photo(1300, 720), "tourmaline.yaml": cropped})
	a, b := run(t, dir, "css"), run(t, dir, "css", "--placeholder")
	if n := strings.Count(b.out, "linear-gradient(to "); n < 3 || strings.Contains(a.out, "linear-gradient(to ") {
		t.Errorf("%d placeholders\n%s", n, b.out)
	}
	shoot.Need(t)
	run(t, dir, "build", "--placeholder")
	if err := os.RemoveAll(filepath.Join(dir, "dist", "pictures")); err != nil {
		t.Fatal(err)
	}
	_, img := visit(t, filepath.Join(dir, "dist"), 1200, 850, 1)
	run(t, dir, "paint", "--box", "cover", "--at", "1200x850@1", "-o", "b.png")
	want, err := shoot.ReadPNG(filepath.Join(dir, "b.png"))
	if err != nil {
		t.Fatal(err)
	}
	if d := meanDifference(want, img, image.Point{}); d > 60 || d == 0 {
		t.Errorf("the placeholder is %.0f levels from the picture", d)
	}
}

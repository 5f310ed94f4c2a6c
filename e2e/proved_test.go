package e2e

import (
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"tourmaline/core/measure"
	"tourmaline/e2e/shoot"
	"tourmaline/serve"
)

// provable is a plan with what a page can get wrong: a crop, a rule, a position, a colour, a gradient.
const provable = `tourmaline: 1
pictures: pics
viewports: {widths: 360-1000, heights: 600-700, densities: {1: 360-1000}, named: {phone: {size: 400x640@1, share: 50%}, wide: {size: 1000x700@1, share: 50%}}}
files: {formats: [], most: 4, worth: 0%, sharpness: 1}
boxes:
  - {name: hero, selector: header.hero, height: 300px, layers: [{image: photo.jpg, size: cover, position: 30% 70%}, {color: "#123456"}]}
  - {name: again, height: 300px, layers: [{image: photo.jpg, size: cover, position: 30% 70%}, {color: "#123456"}]}
  - name: notes
    height: measured
    padding: 10px
    layers: [{gradient: "linear-gradient(red, blue)"}, {color: "#223344"}]
    when:
      (width < 500px): {layers: [{color: teal}]}
`

// proveSite is a folder with that plan, built.
func proveSite(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	write(t, dir, map[string]string{"pics/photo.jpg": photo(1300, 720),
		"tourmaline.yaml": strings.Replace(provable, "pictures: pics", "pictures: pics\nmeasured: b.json", 1),
		"b.json": `{"tourmaline": 1, "page": "index.html", "boxes": [{"selector": ".notes", "samples": [
 {"width": 360, "border": [0, 600, 360, 900], "bends": [null, null, null, [[600, 900], [700, 950]]]},
 {"width": 1000, "border": [0, 600, 1000, 600], "bends": [null, null, null, [[600, 600], [700, 650]]]}]}]}`,
		"index.html": "<!doctype html><style>body { margin: 0 } .notes { padding: 10px; box-sizing: border-box; " +
			"height: calc(900px - (100vw - 360px) * .46875 + (100vh - 600px) / 2) } " +
			"h1 { color: white } .hero, .again { height: 300px; background: none } </style><header " +
			"class=hero><h1>Harrowmoor</h1></header><div class=again></div><div class=notes>x</div>"})
	if r := run(t, dir, "build"); r.code != 0 {
		t.Fatal(r.err)
	}
	return dir
}

// What was built is as the plan says; five changes of it are found, each told by what it is.
func TestWhatWasBuiltIsProved(t *testing.T) { // not beside others: a browser is waited for
	shoot.Need(t)
	dir := proveSite(t)
	r := run(t, dir, "prove", "-o", "sheet.png", "--json")
	var got struct {
		Same    bool
		Windows int
		Boxes   []struct {
			Box, Border string
			Beside      float64
			Mean, Worst *float64
			Files       []struct {
				Promised, Fetched string
				Sharp             float64
			}
		}
	}
	if err := json.Unmarshal([]byte(r.out[:strings.LastIndex(r.out, "}")+1]), &got); err != nil || r.code != 0 ||
		!got.Same {
		t.Fatal(err, r.code, r.err, r.out)
	}
	borders := 0
	for _, b := range got.Boxes {
		if b.Border != "" {
			borders++
		}
		if b.Beside > 0.1 || b.Mean == nil || *b.Mean > 1 || *b.Worst > 4 || b.Box == "hero" && (len(b.Files) != 1 ||
			b.Files[0].Fetched != b.Files[0].Promised || b.Files[0].Sharp < 0.99) {
			t.Errorf("%+v", b)
		}
	}
	if got.Windows < 6 || borders < 4 {
		t.Errorf("%d windows, %d boxes at borders", got.Windows, borders)
	}
	if img := decode(t, filepath.Join(dir, "sheet.png")); img.Bounds().Dy() < 500 {
		t.Errorf("the sheet has %v", img.Bounds())
	}
	css := contents(t, filepath.Join(dir, "dist", "backgrounds.css"))
	files := regexp.MustCompile(`photo-[\w-]+\.jpg`).FindAllString(css, -1)
	first, last := files[0], files[len(files)-1]
	if first == last {
		t.Fatalf("one file alone: %q", files)
	}
	for name, c := range map[string][3]string{
		"wrong file":      {first, last, last + " is shown in place of " + first},
		"other position":  {"30% 70%", "31% 70%", "photo.jpg lies at"},
		"lost media rule": {"(width < 500px)", "(width < 5px)", "the number of its images is 1, the plan says 0"},
		"wrong colour":    {"#123456", "#123457", "its colour is #123457, the plan says #123456"},
		"wrong gradient":  {"#00f", "#00e", "its pixels differ by"},
	} {
		changed := strings.ReplaceAll(css, c[0], c[1])
		if changed == css && name == "wrong gradient" {
			changed = strings.ReplaceAll(css, "blue", "indigo")
		}
		if changed == css {
			t.Fatalf("%s: nothing to change in\n%s", name, css)
		}
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			dir := copied(t, dir)
			write(t, dir, map[string]string{"dist/backgrounds.css": changed})
			r := run(t, dir, "prove")
			if r.code != 1 || !strings.Contains(strings.Join(strings.Fields(r.out), " "), c[2]) {
				t.Errorf("%d %s%s", r.code, r.out, r.err)
			}
		})
	}
	t.Run("missing crop", func(t *testing.T) { // a file without it, under the same name
		t.Parallel()
		dir := copied(t, dir)
		write(t, dir, map[string]string{"dist/pictures/" + first: contents(t, filepath.Join(dir, "pics", "photo.jpg"))})
		if r := run(t, dir, "prove"); r.code != 1 || !strings.Contains(strings.Join(strings.Fields(r.out), " "),
			first+" is not the file that was made") {
			t.Errorf("%d %s%s", r.code, r.out, r.err)
		}
	})
}

// copied is a folder with what another one holds, for tests beside each other: two browsers at once on two cores.
func copied(t *testing.T, dir string) string {
	t.Helper()
	to := t.TempDir()
	if err := os.CopyFS(to, os.DirFS(dir)); err != nil {
		t.Fatal(err)
	}
	return to
}

func contents(t *testing.T, name string) string {
	t.Helper()
	data, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

// The demo is as its plan says, in each of its windows.
func TestDemoIsProved(t *testing.T) { // not beside others: a browser is waited for
	shoot.Need(t)
	dir := t.TempDir()
	if r := runDemo(t, dir); r.code != 0 {
		t.Fatal(r.err)
	}
	r := run(t, filepath.Join(dir, "obs"), "prove")
	if r.code != 0 || !strings.HasSuffix(r.out, "every box is as the plan says\n") || strings.Contains(r.out,
		" none ") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
}

// The designer's own page is proved too: with the stylesheet put into it, or written back; a rule of the page that
// wins is found. And by a driver that runs already.
func TestOwnPagesAreProved(t *testing.T) { // not beside others: a browser is waited for
	shoot.Need(t)
	dir := proveSite(t)
	for _, c := range [][]string{{"is not on this machine; --allow-host nowhere.invalid"},
		{"the page cannot be read", "--allow-host", "nowhere.invalid"}} {
		r := run(t, dir, append([]string{"prove", "--page", "http://nowhere.invalid/"}, c[1:]...)...)
		if r.code != 2 || !strings.Contains(r.err, c[0]) {
			t.Errorf("%q: %d %s", c, r.code, r.err)
		}
	}
	if r := run(t, dir, "prove", "--page", "index.html"); r.code != 0 || !strings.Contains(r.out,
		"backgrounds.css was put after") ||
		!strings.Contains(r.out, "every box is as the plan says") {
		t.Errorf("put: %d %s%s", r.code, r.out, r.err)
	}
	write(t, dir, map[string]string{"own.css": "h1 { margin: 0 }",
		"own.html": "<!doctype html><style>body { margin: 0 } " +
			".notes { box-sizing: border-box; height: calc(900px - (100vw - 360px) * .46875 + (100vh - 600px) / 2); " +
			"padding: 10px } .hero, .again { height: 300px } </style>" +
			"<link rel=stylesheet href=own.css><header class=hero><h1>Harrowmoor</h1></header>" +
			"<div class=again></div><div class=notes>x</div>"})
	if r := run(t, dir, "css", "--into", "own.css", "--page", "own.html"); r.code != 0 {
		t.Fatal(r.out, r.err)
	}
	if r := run(t, dir, "prove", "--page", "own.html"); r.code != 0 || strings.Contains(r.out, "was put after") {
		t.Errorf("written back: %d %s%s", r.code, r.out, r.err)
	}
	own := contents(t, filepath.Join(dir, "own.html"))
	write(t, dir, map[string]string{"own.html": strings.Replace(own, "<header class", `<header style="background-size: contain" class`, 1)})
	if r := run(t, dir, "prove", "--page", "own.html"); r.code != 1 || !strings.Contains(r.out, "photo.jpg lies at") {
		t.Errorf("a rule that wins: %d %s%s", r.code, r.out, r.err)
	}
	driver, err := exec.LookPath("chromedriver")
	if err != nil {
		t.Log("no driver here")
		return
	}
	cmd := exec.Command(driver, "--port=9517")
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	defer cmd.Wait()
	defer cmd.Process.Kill()
	// A grid that adds what its browsers need, as grids do.
	grid := httptest.NewServer(gridOf(t, "http://127.0.0.1:9517"))
	defer grid.Close()
	for range 100 {
		if a, err := http.Get("http://127.0.0.1:9517/status"); err == nil {
			a.Body.Close()
			break
		}
		time.Sleep(100 * time.Millisecond)
	}
	if r := run(t, dir, "prove", "--driver", grid.URL); r.code != 0 || !strings.Contains(r.out,
		"every box is as the plan says") {
		t.Errorf("by a driver: %d %s%s", r.code, r.out, r.err)
	}
	if r := run(t, dir, "measure", "dist/index.html", "--driver", grid.URL, "--at", "500x700", "--json"); r.code != 0 ||
		!strings.Contains(r.out, `"window": "500x700"`) {
		t.Errorf("measured by a driver: %d %s%s", r.code, r.out, r.err)
	}
}

// gridOf passes requests on to a driver, and asks it for a browser without a window.
func gridOf(t *testing.T, driver string) http.Handler {
	to, err := url.Parse(driver)
	if err != nil {
		t.Fatal(err)
	}
	pass := httputil.NewSingleHostReverseProxy(to)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == "POST" && r.URL.Path == "/session" {
			body := `{"capabilities": {"alwaysMatch": {"goog:chromeOptions": {"args": ["headless=new", "no-sandbox", ` +
				`"hide-scrollbars", "force-color-profile=srgb"]}}}}`
			r.Body, r.ContentLength = io.NopCloser(strings.NewReader(body)), int64(len(body))
		}
		pass.ServeHTTP(w, r)
	})
}

// The page to look at shows the texts of the when block that holds, and no others.
func TestTextsOfWhenBlocksAreShown(t *testing.T) { // not beside others: a browser is waited for
	shoot.Need(t)
	dir := t.TempDir()
	write(t, dir, map[string]string{"tourmaline.yaml": `tourmaline: 1
boxes:
  - name: b
    height: 200px
    layers: [{color: navy}]
    text: [{area: {left: 10px, top: 10px, width: 100px, height: 20px}, color: white}]
    when:
      (width < 900px): {text: [{area: {left: 10px, top: 50px, width: 100px, height: 20px}, color: white}]}
      (width < 500px): {text: [{area: {left: 10px, top: 90px, width: 100px, height: 20px}, color: white}]}
`})
	if r := run(t, dir, "build", "--draft"); r.code != 0 {
		t.Fatal(r.err)
	}
	v, err := serve.Show(t.Context(), serve.Source{Files: os.DirFS(filepath.Join(dir, "dist")),
		Page: "index.html"}, serve.Means{})
	if err != nil {
		t.Fatal(err)
	}
	defer v.Stop()
	if err := v.Open(t.Context()); err != nil {
		t.Fatal(err)
	}
	got, err := v.Ask([]string{"[data-box=b] > p"})(t.Context(), []measure.Window{{Width: 1000, Height: 700},
		{Width: 700, Height: 700},
		{Width: 400, Height: 700}})
	if err != nil {
		t.Fatal(err)
	}
	for i, top := range []float64{10, 50, 90} { // the hull of all that are shown
		if b := got[i].Boxes[0]; b.Border != (measure.Rect{10, top, 100, 20}) || b.Matches != 3 {
			t.Errorf("at %d px: %v", got[i].Window.Width, b)
		}
	}
}

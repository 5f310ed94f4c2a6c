package e2e

import (
	"bufio"
	"image/color"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"
)

const viewed = `# the plan of a test, with its comments
tourmaline: 1
site: Harrowmoor Observatory
pictures: pics
viewports: {widths: 320-1200, heights: 600-900, densities: [1], named: {phone: 390x844@1, wide: 1000x700@1}}
files: {formats: [], most: 1}
boxes:
  - name: hero   # the first
    selector: header.hero
    height: 400px
    layers:      # top first
      - color: "rgb(0 0 0 / 10%)"   # the scrim
      - image: photo.jpg
        size: cover
        position: 50% 50%    # by hand
        keep: {x: 60%, y: 30%, width: 10%, height: 10%}
      - {color: '#123456'}
    text:
      - area: {left: 5%, top: 10%, width: 40%, height: 30%}
        color: white
  - name: strip
    height: 120px
    layers:
      - texture: tile.png
        size: 64px
      - color: "#223344"
  - name: end
    height: 300px
    layers:
      - gradient: "linear-gradient(90deg, #102030, #405060)"
`

// startView starts view in a folder, and returns the address.
func startView(t *testing.T, dir string, args ...string) (address string, cmd *exec.Cmd) {
	t.Helper()
	cmd = exec.Command(program, append([]string{"view"}, args...)...)
	cmd.Dir = dir
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	cmd.Stderr = os.Stderr
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		cmd.Process.Kill()
		cmd.Wait()
	})
	line, err := bufio.NewReader(out).ReadString('\n')
	if err != nil {
		t.Fatal(err)
	}
	return strings.TrimSpace(line), cmd
}

func viewSite(t *testing.T) string {
	dir := t.TempDir()
	write(t, dir, map[string]string{"tourmaline.yaml": viewed, "pics/photo.jpg": photo(1300, 900),
		"pics/tile.png": flat(64, 64, color.Gray{90})})
	return dir
}

// planIs waits until the plan file is what a change of some texts makes of it.
func planIs(t *testing.T, dir, was string, changes ...string) {
	t.Helper()
	want := strings.NewReplacer(changes...).Replace(was)
	var got string
	for range 400 {
		if got = contents(t, filepath.Join(dir, "tourmaline.yaml")); got == want {
			return
		}
		time.Sleep(20 * time.Millisecond)
	}
	t.Fatalf("the plan is\n%s\nnot\n%s", got, want)
}

const (
	inFrame  = "#frame"
	heroHas  = `return getComputedStyle(document.querySelector("header.hero")).getPropertyValue(arguments[0]).includes(arguments[1])`
	bandHas  = `return [...document.querySelectorAll(".band")].some(b => b.dataset.check === arguments[0] && b.textContent.includes(arguments[1])) === arguments[2]`
	boxTab   = `[...document.querySelectorAll("#boxes button")].find(b => b.firstChild.textContent === arguments[0]).click()`
	ready    = `return document.querySelectorAll("#over .box").length === 1 && document.querySelectorAll("#panel .field").length > 0 && !document.querySelector("#state").textContent.includes("…")`
	layerTab = `[...document.querySelectorAll(".layers button")][arguments[0]].click()`
)

// What hands do changes the stylesheet, the bands and the plan file, whose other bytes stay; and is taken back.
func TestHandsChangeThePlan(t *testing.T) { // not beside others: a browser is waited for
	dir := viewSite(t)
	b := openWindow(t, 1280, 800)
	address, _ := startView(t, dir)
	b.open(address)
	b.until("the page", ready)

	// The window: the slider's end is the widest window; the frame has that size.
	b.eval(nil, `document.querySelector("#ws").focus()`)
	b.keys("\ue010") // End
	b.frame(inFrame)
	b.until("the widest window", `return innerWidth === 1200 && innerHeight === 700`)
	b.frame("")
	b.eval(nil, `[...document.querySelectorAll("#stops button")].find(b => b.textContent === "wide").click()`)
	b.frame(inFrame)
	b.until("the named window", `return innerWidth === 1000`)
	b.frame("")

	// Focus: it is written as a new key, in the form of its neighbours.
	b.drag("#panel .focus", 40, 20)
	b.until("kept", `return !document.querySelector("#undo").disabled && document.querySelector("#panel .source + .legend").textContent.includes("focus: {")`)
	var focus string
	b.eval(&focus, `return /focus: (\{[^}]*\})/.exec(document.querySelector("#panel .source + .legend").textContent)[1]`)
	planIs(t, dir, viewed, "height: 10%}\n", "height: 10%}\n        focus: "+focus+"\n")
	b.click("#undo")
	planIs(t, dir, viewed)
	b.click("#redo")
	planIs(t, dir, viewed, "height: 10%}\n", "height: 10%}\n        focus: "+focus+"\n")
	b.click("#undo")
	planIs(t, dir, viewed)

	// The picture: covering 1000 x 400 it moves down alone; 692 px high it has 292 px of room. 58 px at the scale of
	// the pane are some tenths of it, and what is cut is told.
	b.until("a named window", `return document.querySelector("#w").value === "1000"`)
	b.until("no finding", bandHas, "cut-subject", "hero", false)
	var scale float64
	b.eval(&scale, `return document.querySelector("#frame").getBoundingClientRect().width / 1000`)
	b.drag("#over .box", 0, int(-146*scale))
	b.until("the bands follow", bandHas, "cut-subject", "hero", true)
	var position string
	b.eval(&position, `return document.querySelector("#panel [aria-label=position] code").textContent`)
	if !regexp.MustCompile(`^50% (99|100)%$`).MatchString(position) {
		t.Errorf("pulled up by half its room the picture is at %s, want 50%% 100%%", position)
	}
	planIs(t, dir, viewed, "50% 50%    # by hand", position+"    # by hand")
	b.frame(inFrame)
	b.until("the stylesheet follows", heroHas, "background-position", position)
	b.frame("")
	b.click("#undo")
	b.until("the bands go back", bandHas, "cut-subject", "hero", false)

	// Keep, moved to the side; the focus lies in its middle.
	b.grip = 0.1
	b.drag("#panel .keep", 60, 0)
	b.until("kept", `return !document.querySelector("#undo").disabled && !document.querySelector("#panel .source + .legend").textContent.includes("keep: {x: 60%")`)
	var keep string
	b.eval(&keep, `return /keep: (\{[^}]*\})/.exec(document.querySelector("#panel .source + .legend").textContent)[1]`)
	planIs(t, dir, viewed, "{x: 60%, y: 30%, width: 10%, height: 10%}", keep)
	b.click("#undo")
	planIs(t, dir, viewed)

	// The scrim, by its slider.
	b.eval(nil, layerTab, 0)
	b.until("the scrim", `return document.querySelector("[data-place=strength]") !== null`)
	b.eval(nil, `document.querySelector("[data-place=strength]").focus()`)
	b.keys("\ue014") // right: one per cent more
	planIs(t, dir, viewed, "rgb(0 0 0 / 10%)", "rgb(0 0 0 / 11%)")
	b.frame(inFrame)
	b.until("the scrim is seen", heroHas, "background-image", "0.11")
	b.frame("")
	b.click("#undo")
	planIs(t, dir, viewed)

	// The tile, by its slider: the finding that it is no whole number of px comes and goes.
	b.eval(nil, boxTab, "strip")
	b.until("the tile", `return document.querySelector("[data-place=size-value]") !== null`)
	b.eval(nil, `document.querySelector("[data-place=size-value]").focus()`)
	b.keys("\ue014\ue014")
	planIs(t, dir, viewed, "size: 64px", "size: 66px")
	b.click("#undo")
	b.until("a step back", `return document.querySelector("#redo").disabled === false`)
	b.click("#undo")
	planIs(t, dir, viewed)

	// A gradient, the other way round.
	b.eval(nil, boxTab, "end")
	b.until("the gradient", `return document.querySelector(".ramp") !== null`)
	b.eval(nil, `[...document.querySelectorAll("#panel button")].find(b => b.textContent === "Reverse").click()`)
	planIs(t, dir, viewed, "linear-gradient(90deg, #102030, #405060)", "linear-gradient(90deg, #405060, #102030)")
}

// What an editor writes is shown at once, in every page; a broken file is told and the last good one stays; two hands
// at one value are told of each other.
func TestEditsOnDiskAreShown(t *testing.T) { // not beside others: a browser is waited for
	dir := viewSite(t)
	b := openWindow(t, 1280, 800)
	address, cmd := startView(t, dir)
	b.open(address)
	b.until("the page", ready)
	first := b.handle()
	second := b.another()
	b.in(second)
	b.open(address)
	b.until("the second page", ready)
	b.in(first)

	edit := func(text string) { write(t, dir, map[string]string{"tourmaline.yaml": text}) }
	begun := time.Now()
	edit(strings.Replace(viewed, "50% 50%", "50% 10%", 1))
	b.frame(inFrame)
	b.until("the edit", heroHas, "background-position", "50% 10%")
	if took := time.Since(begun); took > 2*time.Second { // 300 ms on a quiet machine: see the note on measuring
		t.Errorf("an edit was shown after %v", took)
	}
	b.frame("")
	b.in(second)
	b.frame(inFrame)
	b.until("the edit in the other page", heroHas, "background-position", "50% 10%")
	b.frame("")
	b.click("#undo")
	planIs(t, dir, viewed)
	b.in(first)
	b.frame(inFrame)
	b.until("the step back in the first page", heroHas, "background-position", "50% 50%")
	b.frame("")

	broken := strings.Replace(viewed, "size: cover", "size: covr", 1)
	edit(broken)
	b.until("the error", `return document.querySelector("#trouble").textContent.includes("tourmaline.yaml:14:15") && !document.querySelector("#trouble").hidden`)
	b.click("#redo")
	time.Sleep(200 * time.Millisecond)
	planIs(t, dir, broken)
	edit(viewed)
	b.until("no error", `return document.querySelector("#trouble").hidden`)

	// A hand holds the picture while an editor changes its position.
	b.eval(nil, `[...document.querySelectorAll("#stops button")].find(b => b.textContent === "wide").click()`)
	b.until("the window", `return document.querySelector("#w").value === "1000" && document.querySelector("#over .box").classList.contains("moves")`)
	b.press("#over .box", 0, -20, false)
	theirs := strings.Replace(viewed, "50% 50%", "50% 20%", 1)
	edit(theirs)
	time.Sleep(300 * time.Millisecond)
	b.letGo()
	b.until("both are shown", `return !document.querySelector("#clash").hidden && document.querySelector("#clash").textContent.includes("50% 20%")`)
	planIs(t, dir, theirs)
	b.eval(nil, `[...document.querySelectorAll("#clash button")].find(b => b.textContent === "Use mine").click()`)
	var mine string
	b.until("it is settled", `return document.querySelector("#clash").hidden`)
	b.eval(&mine, `return document.querySelector("#panel [aria-label=position] code").textContent`)
	planIs(t, dir, theirs, "50% 20%", mine)
	if mine == "50% 20%" || mine == "50% 50%" {
		t.Errorf("mine is %s", mine)
	}

	// A value elsewhere that changed meanwhile is kept beside it.
	now := contents(t, filepath.Join(dir, "tourmaline.yaml"))
	b.press("#over .box", 0, 20, false)
	edit(strings.Replace(now, "height: 120px", "height: 140px", 1))
	time.Sleep(300 * time.Millisecond)
	b.letGo()
	b.until("it is kept", `return document.querySelector("#panel [aria-label=position] code").textContent !== arguments[0]`, mine)
	var position string
	b.eval(&position, `return document.querySelector("#panel [aria-label=position] code").textContent`)
	planIs(t, dir, now, "height: 120px", "height: 140px", mine, position)

	// Where the boxes themselves have changed, a hand that held one of the old ones changes nothing.
	now = contents(t, filepath.Join(dir, "tourmaline.yaml"))
	b.press("#over .box", 0, -20, false)
	more := strings.Replace(now, "boxes:\n", "boxes:\n  - {name: bar, height: 50px, layers: [{image: photo.jpg, "+
		"position: 1% 1%}]}\n", 1)
	edit(more)
	time.Sleep(300 * time.Millisecond)
	b.letGo()
	b.until("it is told", `return document.querySelector("#state").textContent.includes("do it again")`)
	planIs(t, dir, more)
	edit(now)
	b.until("the box is gone", `return document.querySelectorAll("#boxes button").length === 3`)

	// Killed in a drag, the plan is whole.
	now = contents(t, filepath.Join(dir, "tourmaline.yaml"))
	b.press("#over .box", 0, 20, false)
	cmd.Process.Kill()
	cmd.Wait()
	planIs(t, dir, now)
	b.until("it is told", `return document.querySelector("#trouble").textContent.includes("has ended")`)
}

// Only our own page is served, and only it may speak.
func TestStrangersAreRefused(t *testing.T) {
	t.Parallel()
	dir := viewSite(t)
	address, _ := startView(t, dir)
	get := func(url, host, origin string) int {
		req, err := http.NewRequest("GET", url, nil)
		if err != nil {
			t.Fatal(err)
		}
		if host != "" {
			req.Host = host
		}
		if origin != "" {
			req.Header.Set("Origin", origin)
			req.Header.Set("Connection", "Upgrade")
			req.Header.Set("Upgrade", "websocket")
			req.Header.Set("Sec-WebSocket-Version", "13")
			req.Header.Set("Sec-WebSocket-Key", "dGhlIHNhbXBsZSBub25jZQ==")
		}
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		return res.StatusCode
	}
	root := regexp.MustCompile(`^http://[^/]+`).FindString(address)
	for _, r := range []struct {
		url, host, origin string
		code              int
	}{
		{address, "", "", 200},
		{address + "talk", "", root, 101},
		{address + "talk", "", "http://harrowmoor.example", 403},
		{address + "talk", "", "", 403},
		{address, "harrowmoor.example", "", 403},
		{root + "/", "", "", 404},
		{root + "/~0123456789abcdef0123456789abcdef/", "", "", 404},
		{root + "/~0123456789abcdef0123456789abcdef/talk", "", root, 404},
		{address + "made/sources/0/photo.jpg", "", "", 200},
		{address + "made/sources/0/..%2f..%2ftourmaline.yaml", "", "", 404},
		{address + "made/sources/0/tourmaline.yaml", "", "", 404},
		{address + "../tourmaline.yaml", "", "", 404},
		{address + "agent.js", "", "", 404},
	} {
		if code := get(r.url, r.host, r.origin); code != r.code {
			t.Errorf("%s as %s from %s: %d, want %d", r.url, r.host, r.origin, code, r.code)
		}
	}
}

// What settle chose is chosen anew where its keep has moved, in the same step; a value is settled at a button; the
// files
// that cut makes are shown at a switch; the page itself may be the designer's.
func TestSettledAndCutInView(t *testing.T) { // not beside others: a browser is waited for
	dir := viewSite(t)
	auto := strings.Replace(viewed, "50% 50%    # by hand", "auto = 62% 35%  # settled", 1)
	write(t, dir, map[string]string{"tourmaline.yaml": auto, "index.html": "<!doctype html><title>x</title><style>" +
		"body { margin: 0 } .hero { height: 400px; background: red } .strip { height: 120px }</style>" +
		"<header class=hero><a href='/elsewhere'>Tonight</a></header><div class=strip></div><div class=end></div>"})
	b := openWindow(t, 1280, 800)
	address, _ := startView(t, dir, "index.html")
	b.open(address)
	b.until("the page", ready)
	b.frame(inFrame)
	b.until("the plan's rules win on the designer's page", heroHas, "background-position", "62% 35%")
	b.frame("")
	b.until("nothing is told to lose", `return document.querySelector(".lost") !== null && document.querySelector(".lost").hidden`)
	b.frame(inFrame)
	b.eval(nil, `document.querySelector("a").click()`)
	b.until("links lead nowhere", `return location.pathname === "/index.html" && document.querySelector("a").textContent === "Tonight"`)
	b.frame("")

	page := contents(t, filepath.Join(dir, "index.html"))
	write(t, dir, map[string]string{"index.html": strings.Replace(page, "<style>", "<style>body header.hero { "+
		"background-position: 3px 4px } ", 1)})
	b.until("a stronger rule of the page is told", `return !document.querySelector(".lost").hidden`)
	write(t, dir, map[string]string{"index.html": page})
	b.until("it is gone", `return document.querySelector(".lost").hidden`)

	b.grip = 0.1
	b.drag("#panel .keep", -60, 0)
	code := `return document.querySelector("#panel [aria-label=position] code").textContent`
	b.until("it is settled anew", `return !document.querySelector("#panel [aria-label=position] code").textContent.includes("62%")`)
	var now string
	b.eval(&now, code)
	if !strings.HasPrefix(now, "auto = ") {
		t.Errorf("the position is %s", now)
	}
	b.until("the mark", `return document.querySelector("#panel [aria-label=position]").textContent.includes("keep is in view in every window with")`)
	b.click("#undo")
	planIs(t, dir, auto)

	b.eval(nil, layerTab, 0)
	b.until("the scrim", `return document.querySelector("#panel [aria-label=color] .settle") !== null`)
	b.eval(nil, `document.querySelector("#panel [aria-label=color] .settle").click()`)
	b.until("it is settled", `return document.querySelector("#panel [aria-label=color] code").textContent.startsWith("auto scrim = ")`)
	b.click("#undo")
	planIs(t, dir, auto)

	b.eval(nil, `[...document.querySelectorAll("#panel button")].find(b => b.textContent === "Add a tint").click()`)
	planIs(t, dir, auto, "      - color: \"rgb(0 0 0 / 10%)\"", "      - {color: \"rgb(0 0 0 / 30%)\"}\n      - "+
		"color: \"rgb(0 0 0 / 10%)\"")
	b.click("#undo")
	planIs(t, dir, auto)

	b.click("#cut")
	b.frame(inFrame)
	b.until("files are shown", heroHas, "background-image", "/~tourmaline/files/photo-")
	var width int
	b.eval(&width, `const m = /url\("([^"]+)"\)/.exec(getComputedStyle(document.querySelector("header.hero")).backgroundImage);
		const i = new Image(); i.src = m[1]; return i.decode().then(() => i.naturalWidth)`)
	if width < 300 || width > 1300 {
		t.Errorf("the file is %d px wide", width)
	}
	b.frame("")
	for _, args := range [][]string{{"none.yaml"}, {"none.html"}, {"tourmaline.yaml", "--plan", "x.yaml"}, {
		"pics/photo.jpg"}} {
		if r := run(t, dir, append([]string{"view"}, args...)...); r.code != 2 {
			t.Errorf("%v: %d %s", args, r.code, r.err)
		}
	}
	write(t, dir, map[string]string{"away/index.html": "<p>x"})
	if r := run(t, filepath.Join(dir, "pics"), "view", "../away/index.html"); r.code != 2 ||
		!strings.Contains(r.err, "tourmaline start") {
		t.Errorf("a page without a plan: %d %s", r.code, r.err)
	}
}

const nightly = `tourmaline: 1
viewports: {widths: 320-1200, heights: 600-700, named: {wide: 1000x700@1}}
boxes:
  - name: hero
    selector: header.hero
    height: 300px
    layers: [{color: "#ffffff"}]
    when:
      "(prefers-color-scheme: dark)":
        layers: [{color: "#101820"}]
      print:
        layers: [{color: "#eeeeee"}]
      "(hover: none) and (pointer: coarse)":
        border: 4px solid black
`

// Modes are switched in the live page: its stylesheet and the page's own follow, whatever the browser's are, and the
// panel shows what holds then.
func TestViewShowsModes(t *testing.T) { // not beside others: a browser is waited for
	dir := t.TempDir()
	write(t, dir, map[string]string{"tourmaline.yaml": nightly, "index.html": `<!doctype html><style>body { color: #111 }
@media screen and (prefers-color-scheme: dark) { body { color: #eee } } @media print { body { color: #123 } }
@media not screen { body { margin: 7px } }</style><header class=hero>x</header>`})
	b := openWindow(t, 1280, 800)
	address, _ := startView(t, dir, "index.html")
	b.open(address)
	b.until("the page", ready)
	is := func(what, back, ink string, border int) {
		t.Helper()
		b.frame(inFrame)
		b.until(what, `const s = getComputedStyle(document.querySelector("header.hero")); return s.backgroundColor === arguments[0] &&
			s.color === arguments[1] && s.borderTopWidth === arguments[2] + "px"`, back, ink, border)
		b.frame("")
	}
	press := func(word string) {
		b.eval(nil, `[...document.querySelectorAll("#modes button")].find(b => b.textContent === arguments[0]).click()`, word)
	}
	is("no mode", "rgb(255, 255, 255)", "rgb(17, 17, 17)", 0)
	press("dark")
	is("dark", "rgb(16, 24, 32)", "rgb(238, 238, 238)", 0)
	b.until("the dark layer in the panel", `return document.querySelector("#panel").textContent.includes("101820") ||
		[...document.querySelectorAll("#panel input")].some(i => i.value.includes("101820"))`)
	press("touch")
	is("dark and touch", "rgb(16, 24, 32)", "rgb(238, 238, 238)", 4)
	press("dark")
	press("print")
	is("print and touch", "rgb(238, 238, 238)", "rgb(17, 34, 51)", 4)
	press("print")
	press("touch")
	is("no mode again", "rgb(255, 255, 255)", "rgb(17, 17, 17)", 0)
}

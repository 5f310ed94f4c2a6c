package serve

import (
	"context"
	"fmt"
	"io"
	"math"
	"net/http"
	"net/http/cookiejar"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"tourmaline/core/measure"
	"tourmaline/core/plan"
)

func site(files map[string]string) fstest.MapFS {
	out := fstest.MapFS{}
	for name, text := range files {
		out[name] = &fstest.MapFile{Data: []byte(text)}
	}
	return out
}

var observatory = map[string]string{"a/index.html": `<!doctype html><link rel=stylesheet href=/css/a.css><link rel=stylesheet href=../b.css>
<body><header>Harrowmoor Observatory is open on every clear night from September to May, clouds permitting</header>
<section id=s>` + strings.Repeat("Saturn from eight, the Ring Nebula from ten. ", 20) + `</section><footer>x</footer></body>`,
	"a/css/a.css": "body { margin: 0; font: 20px/1.5 sans-serif } header { min-height: 30vh; background: navy; " +
		"color: white }",
	"b.css": "section { padding: 1em 5%; border: 2px solid; background: #eee } footer { height: clamp(50px, " +
		"10vw, 120px); background: #123 } " +
		"@media (min-width: 700px) { section { width: 50%; box-sizing: border-box } }", ".secret": "x"}

// Files are for whoever has the address, and for our own page alone.
func TestOnlyOurOwnPageIsServed(t *testing.T) {
	s, err := New(Source{Files: site(observatory), Page: "a/index.html"})
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	base, ours := "http://"+s.pages.Addr().String(), "http://"+s.ours.Addr().String()
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	knows := &http.Client{Jar: jar}
	get := func(c *http.Client, method, url, header, value, body string) (int, string) {
		t.Helper()
		r, err := http.NewRequest(method, url, strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		if header == "Host" {
			r.Host = value
		} else if header != "" {
			r.Header.Set(header, value)
		}
		a, err := c.Do(r)
		if err != nil {
			t.Fatal(err)
		}
		defer a.Body.Close()
		data, _ := io.ReadAll(a.Body)
		return a.StatusCode, string(data)
	}
	address := s.Address()
	for _, c := range []struct {
		client        *http.Client
		method, url   string
		header, value string
		body          string
		want          int
		holds         string
	}{
		{http.DefaultClient, "GET", base + "/a/index.html", "", "", "", 403, ""},
		{http.DefaultClient, "GET", ours + "/~00/", "", "", "", 404, ""},
		{http.DefaultClient, "POST", ours + "/~00/step", "", "", "{}", 404, ""},
		{http.DefaultClient, "POST", ours + "/~00/shown", "", "", "[]", 404, ""},
		{knows, "GET", address, "", "", "", 200, "Tourmaline measures"},
		{knows, "GET", base + "/a/index.html", "", "", "", 200, "Harrowmoor"},
		{knows, "GET", base + "/a/index.html", "", "", "", 200, `<!doctype html><script src="/~tourmaline-agent.js" nonce="`},
		{knows, "GET", base + "/~tourmaline-agent.js", "", "", "", 200, "currentScript.remove()"},
		{knows, "GET", ours + "/a/index.html", "", "", "", 404, ""},
		{knows, "GET", address + "agent.js", "", "", "", 404, ""},
		{knows, "GET", address, "Origin", base, "", 403, ""}, // the page itself may not speak to us
		{knows, "POST", address + "step", "Origin", base, "{}", 403, ""},
		{knows, "POST", address + "shown", "", "", "[]", 400, ""},          // nothing was asked
		{knows, "GET", base + "/css/a.css", "", "", "", 200, "font: 20px"}, // its own folder is the root of its server
		{knows, "GET", base + "/.secret", "", "", "", 404, ""},
		{knows, "GET", base + "/../../etc/passwd", "", "", "", 404, ""},
		{knows, "GET", base + "/a/index.html", "Host", "example.com", "", 403, ""},
		{knows, "GET", base + "/a/index.html", "Origin", "http://example.com", "", 403, ""},
		{knows, "POST", address + "step", "", "", "nonsense", 400, ""},
	} {
		if code, text := get(c.client, c.method, c.url, c.header, c.value, c.body); code != c.want ||
			!strings.Contains(text, c.holds) {
			t.Errorf("%s %s with %s %s: %d, want %d", c.method, strings.TrimPrefix(c.url, base), c.header, c.value,
				code, c.want)
		}
	}
}

// browsers are those of this machine that are tried.
func browsers(t *testing.T) (out []string) {
	for _, name := range []string{"chromium", "firefox-esr"} {
		p, err := exec.LookPath(name)
		if err != nil {
			continue
		}
		if real, err := filepath.EvalSymlinks(p); err == nil {
			p = real
		}
		if !slices.Contains(out, p) {
			out = append(out, p)
		}
	}
	if len(out) == 0 {
		t.Skip("no browser here")
	}
	return out
}

// kinds are pages of several kinds, with the selectors that are measured on them.
var kinds = map[string]struct {
	files     map[string]string
	selectors []string
}{
	"texts": {observatory, []string{"header", "section", "footer"}},
	"grid": {map[string]string{"a/index.html": `<!doctype html><style>body { margin: 0; font: 16px/1.4 sans-serif }
.top { position: sticky; top: 0; background: #123; padding: 10px } .grid { display: grid; gap: 1rem; background: #eee;
grid-template-columns: repeat(auto-fit, minmax(220px, 1fr)) } .card { background: #fff; padding: 1em } h1 { font-size: clamp(20px, 5vw, 64px) }
.hero { min-height: 60vh; background: navy } @media (orientation: portrait) { .hero { min-height: 40vh } }
</style><body><div class=top>Menu</div><div class=hero><h1>The sky tonight</h1></div><div class=grid>` +
		strings.Repeat("<div class=card>Saturn from eight, clouds permitting.</div>", 7) + "</div>"},
		[]string{".top", ".hero", ".grid", ".card"}},
	"columns": {map[string]string{"a/index.html": `<!doctype html><style>body { margin: 0; font: 17px/1.45 serif }
.wide { columns: 14em auto; background: #eef; padding: 1em } .row { display: flex; gap: 2vw } .row > * { flex: 1 1 200px; background: #efe }
table { width: 100%; background: #fee } .float { float: right; width: 30%; min-width: 150px; background: #ffe; aspect-ratio: 4 / 3 }
</style><body><div class=wide>` + strings.Repeat("The Ring Nebula from ten, clouds permitting. ", 30) + `</div><div class=row><div>` +
		strings.Repeat("Dew on the finder. ", 12) + `</div><div>Seeing good until midnight</div></div><div class=float></div>
<table><tr><td>Saturn<td>` + strings.Repeat("rises in the east ", 9) + `</table>`},
		[]string{".wide", ".row", ".float", "table"}},
	"scripts": {map[string]string{"a/index.html": `<!doctype html><style>body { margin: 0 } div { background: teal }</style><body>
<div id=a></div><script>const a = document.getElementById("a"), fit = () => a.style.height = Math.round(innerWidth / 3) + "px";
fit(); addEventListener("resize", fit); setTimeout(() => document.body.append(Object.assign(document.createElement("div"),
{ textContent: "late", id: "b" })), 300)</script>`}, []string{"#a", "#b"}},
}

// What is measured at few windows is within half a px of the browser at windows that were not asked for.
func TestMeasuredAsInTheBrowser(t *testing.T) {
	for _, browser := range browsers(t) {
		for name, kind := range kinds {
			ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
			defer cancel()
			session, _ := begun(ctx, t, browser, kind.files, "a/index.html")
			found, err := session.Discover(ctx, measure.Window{Width: 1280, Height: 800})
			if err != nil || len(found.Paths) < len(kind.selectors) || !strings.HasPrefix(found.Paths[0],
				"html>body:nth-child(2)>") {
				t.Errorf("%s: %s: %v has backgrounds: %v", browser, name, found, err)
			}
			before := time.Now()
			measured(ctx, t, session, name, kind.selectors)
			t.Logf("%s in %.1f s", session.Browser, time.Since(before).Seconds())
			session.End()
		}
	}
}

// begun is a browser that shows a page.
func begun(ctx context.Context, t *testing.T, browser string, files map[string]string,
	page string) (*Session, *Started) {
	t.Helper()
	s, err := New(Source{Files: site(files), Page: page})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	b, err := Start(ctx, Launch{Browser: browser}, s.Address())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := b.Stop(); err != nil {
			t.Error(err)
		}
	})
	session, err := s.Begin(ctx, b.Ended)
	if err != nil {
		t.Fatalf("%s: %v", browser, err)
	}
	if err := session.Open(ctx); err != nil {
		t.Fatalf("%s: %v", browser, err)
	}
	return session, b
}

// A browser that dies while it measures is told at once.
func TestABrowserThatDies(t *testing.T) {
	session, b := begun(t.Context(), t, browsers(t)[0], map[string]string{"index.html": "<p>x"}, "index.html")
	b.cancel()
	start := time.Now()
	_, err := session.Ask([]string{"p"})(t.Context(), []measure.Window{{Width: 500, Height: 400}})
	if err == nil || !strings.Contains(err.Error(), "the browser ended") || time.Since(start) > 30*time.Second {
		t.Errorf("%v after %v", err, time.Since(start))
	}
}

// measured measures some selectors and holds them against the browser at two hundred other windows.
func measured(ctx context.Context, t *testing.T, session *Session, name string, selectors []string) {
	t.Helper()
	list := append([]string{"nav"}, selectors...)
	ask := session.Ask(list)
	m, err := measure.Run(ctx, ask, measure.Options{Selectors: list, Widths: [2]int{320, 1600}, Height: 800,
		Cuts: []int{700}})
	if err != nil {
		t.Fatalf("%s: %v", name, err)
	}
	var others []measure.Window
	for k := range 200 {
		others = append(others, measure.Window{Width: 321 + k*6, Height: 800})
	}
	real, err := ask(ctx, others)
	if err != nil {
		t.Fatal(err)
	}
	worst, at := 0.0, ""
	for _, a := range real {
		for i, sel := range list[1:] {
			got, _ := m.At(sel, a.Window.Width)
			for k := range got.Border {
				if off := math.Abs(got.Border[k] - a.Boxes[i+1].Border[k]); off > worst {
					worst, at = off, fmt.Sprint(sel, " at ", a.Window.Width)
				}
			}
			if len(got.Text) != len(a.Boxes[i+1].Text) {
				t.Errorf("%s: %s at %d: %d lines of text, in the browser %d", name, sel, a.Window.Width, len(got.Text),
					len(a.Boxes[i+1].Text))
			}
		}
	}
	if _, ok := m.At("nav", 800); ok {
		t.Error("what selects nothing was measured")
	}
	t.Logf("%s: %d windows, off by %.3f px (%s) at %d others", name, m.Asked, worst, at, len(others))
	if worst > 0.5 || !m.Whole {
		t.Errorf("%s: off by %.2f px: %s", name, worst, at)
	}
}

// What pages do that will not do is told in a line; those that break out or ask are measured all the same.
func TestPagesThatResist(t *testing.T) {
	browser := browsers(t)[0]
	for name, c := range map[string]struct{ text, want string }{
		"breaks out": {"<script>if (top !== self) top.location = self.location</script>", ""},
		"asks":       {"<script>alert(1); confirm(2); prompt(3)</script>", ""},
		"never rests": {"<script>setInterval(() => document.body.append('x y '), 20); setInterval(() => " +
			"p.style.paddingBottom = performance.now() + 'px', 20)</script>", "does not come to rest in 8s: its " +
			"height changes"},
		"goes elsewhere": {"<script>onload = () => location.href = 'other.html'</script>",
			"goes elsewhere by itself, to /other.html"},
		"goes far":       {"<script>onload = () => location.href = 'http://example.com/'</script>", "goes elsewhere by itself, to another server"},
		"reloads":        {"<script>onload = () => location.reload()</script>", "loads itself again and again"},
		"lets no script": {"", "refuses scripts"},
	} {
		text := "<!doctype html><meta charset=utf-8><body><p id=p style='height:7px'>x</p>" + c.text
		page := "index.html"
		if name == "lets no script" {
			page = "index.svg"
		}
		s, err := New(Source{Files: site(map[string]string{page: text, "other.html": "<p>y"}), Page: page})
		if err != nil {
			t.Fatal(err)
		}
		ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
		b, err := Start(ctx, Launch{Browser: browser}, s.Address())
		if err != nil {
			t.Fatal(err)
		}
		session, err := s.Begin(ctx, b.Ended)
		if err == nil {
			err = session.Open(ctx)
		}
		if err == nil {
			var got []measure.Answer
			got, err = session.Ask([]string{"p"})(ctx, []measure.Window{{Width: 500, Height: 400}})
			if err == nil && (c.want != "" || got[0].Boxes[0].Border[3] != 7) {
				t.Errorf("%s: measured: %v", name, got)
			}
		}
		if c.want == "" && err != nil || c.want != "" && (err == nil || !strings.Contains(err.Error(), c.want)) {
			t.Errorf("%s: %v, want %q", name, err, c.want)
		}
		if err := b.Stop(); err != nil {
			t.Error(err)
		}
		if left, err := filepath.Glob(filepath.Join(b.profile, "*")); err != nil || len(left) > 0 {
			t.Errorf("%s: the profile is left: %v %v", name, left, err)
		}
		s.Close()
		cancel()
	}
}

// Boxes that hang on the window's height are known in windows that were not asked for, in each browser.
func TestTallInTheBrowser(t *testing.T) {
	const page = `<!doctype html><style>body { margin: 0; font: 18px/1.5 sans-serif } .hero { min-height: 100vh; background: navy }
.part { height: clamp(300px, 70vh, 60vw); background: teal } .inner { padding: 5vh 10px; background: #eee }
</style><body><div class=hero>`
	text := strings.Repeat("Saturn from eight, the Ring Nebula from ten, clouds permitting. ", 12)
	selectors := []string{".hero", ".part", ".inner"}
	for _, browser := range browsers(t) {
		ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
		defer cancel()
		session, _ := begun(ctx, t, browser, map[string]string{"index.html": page + text +
			"</div><div class=part></div><div class=inner>" +
			text[:300] + "</div>"}, "index.html")
		ask, began := session.Ask(selectors), time.Now()
		high := [4]bool{3: true}
		m, err := measure.RunTall(ctx, ask, measure.Options{Selectors: selectors, Widths: [2]int{320, 1600},
			Height: 600,
			Bend:   [][4]bool{high, high, high}}, 1200)
		if err != nil {
			t.Fatal(err)
		}
		took := time.Since(began).Seconds()
		f := measure.FileOf(m, selectors)
		var windows []measure.Window
		for k := range 200 {
			windows = append(windows, measure.Window{Width: 321 + k*1277%1279, Height: 601 + k*97%599})
		}
		real, err := ask(ctx, windows)
		if err != nil {
			t.Fatal(err)
		}
		worst, at := 0.0, ""
		for _, b := range f.Boxes {
			var steps []plan.Step
			for _, s := range b.Samples {
				step := plan.Step{Width: float64(s.Width), Length: s.Border[3]}
				if s.Bends != nil {
					for _, p := range s.Bends[3] {
						step.Bends = append(step.Bends, plan.Bend{Window: p[0], Length: p[1]})
					}
				}
				steps = append(steps, step)
			}
			for _, a := range real {
				w, h := float64(a.Window.Width), float64(a.Window.Height)
				off := math.Abs(plan.StepAt(steps, w, h) - a.Boxes[slices.Index(selectors, b.Selector)].Border[3])
				if off > worst {
					worst, at = off, fmt.Sprint(b.Selector, a.Window)
				}
			}
		}
		t.Logf("%s: %d windows in %.1f s, off by %.2f px (%s) at %d others", session.Browser, m.Low.Asked, took,
			worst, at, len(windows))
		if worst > 0.5 {
			t.Errorf("off by %.2f px: %s", worst, at)
		}
		session.End()
	}
}

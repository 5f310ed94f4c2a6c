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
	s, err := New(site(observatory), "a/index.html")
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	base := "http://" + s.net.Addr().String()
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
	address, _, _ := strings.Cut(s.Address(), "#")
	for _, c := range []struct {
		client        *http.Client
		method, url   string
		header, value string
		body          string
		want          int
		holds         string
	}{
		{http.DefaultClient, "GET", base + "/a/index.html", "", "", "", 403, ""},
		{http.DefaultClient, "GET", base + "/~00/", "", "", "", 403, ""},
		{http.DefaultClient, "POST", base + "/~00/step", "", "", "{}", 405, ""},
		{knows, "GET", address, "", "", "", 200, "Tourmaline measures"},
		{knows, "GET", base + "/a/index.html", "", "", "", 200, "Harrowmoor"},
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
			paths, err := session.Discover(ctx, measure.Window{Width: 1280, Height: 800})
			if err != nil || len(paths) < len(kind.selectors) || !strings.HasPrefix(paths[0],
				"html>body:nth-child(2)>") {
				t.Errorf("%s: %s: %v has backgrounds: %v", browser, name, paths, err)
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
	s, err := New(site(files), page)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	b, err := Start(ctx, browser, s.Address())
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

// Pages that break out, ask, or never rest are measured all the same, in the time that they are given.
func TestPagesThatResist(t *testing.T) {
	browser := browsers(t)[0]
	for name, script := range map[string]string{
		"breaks out": "if (top !== self) top.location = self.location", "asks": "alert(1); confirm(2); prompt(3)",
		"never rests": "setInterval(() => document.body.append(document.createElement('i')), 20)",
	} {
		ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
		defer cancel()
		session, _ := begun(ctx, t, browser, map[string]string{"index.html": "<!doctype html><body>" +
			"<p style='height:7px'>x</p><script>" + script + "</script>"}, "index.html")
		if session.Still == (name == "never rests") {
			t.Errorf("%s: still: %v", name, session.Still)
		}
		got, err := session.Ask([]string{"p"})(ctx, []measure.Window{{Width: 500, Height: 400}})
		if err != nil || got[0].Boxes[0].Border[3] != 7 {
			t.Errorf("%s: %v %v", name, got, err)
		}
		session.End()
	}
}

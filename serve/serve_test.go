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
	for _, name := range []string{"chromium", "firefox-esr", "firefox"} {
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

// What is measured at few windows is within half a px of the browser at windows that were not asked for.
func TestMeasuredAsInTheBrowser(t *testing.T) {
	for _, browser := range browsers(t) {
		ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
		defer cancel()
		s, err := New(site(observatory), "a/index.html")
		if err != nil {
			t.Fatal(err)
		}
		defer s.Close()
		b, err := Start(ctx, browser, s.Address())
		if err != nil {
			t.Fatal(err)
		}
		defer b.Stop()
		session, err := s.Begin(ctx, b.Ended)
		if err != nil {
			t.Fatalf("%s: %v", browser, err)
		}
		paths, err := session.Discover(ctx, measure.Window{Width: 1280, Height: 800})
		if err != nil || len(paths) != 3 || paths[0] != "html>body:nth-child(2)>header:nth-child(1)" {
			t.Errorf("%s: %v has backgrounds: %v", browser, paths, err)
		}
		selectors := []string{"header", "section", "footer", "nav"}
		ask := session.Ask(selectors)
		m, err := measure.Run(ctx, ask, measure.Options{Selectors: selectors, Widths: [2]int{320, 1600},
			Height: 800, Cuts: []int{700}})
		if err != nil {
			t.Fatalf("%s: %v", browser, err)
		}
		var others []measure.Window
		for w := 323; w <= 1600; w += 13 {
			others = append(others, measure.Window{Width: w, Height: 800})
		}
		real, err := ask(ctx, others)
		if err != nil {
			t.Fatal(err)
		}
		worst, at := 0.0, ""
		for _, a := range real {
			for i, sel := range selectors[:3] {
				got, _ := m.At(sel, a.Window.Width)
				for k := range got.Border {
					if off := math.Abs(got.Border[k] - a.Boxes[i].Border[k]); off > worst {
						worst, at = off, fmt.Sprint(sel, " at ", a.Window.Width)
					}
				}
				if len(got.Text) != len(a.Boxes[i].Text) {
					t.Errorf("%s: %s at %d: %d lines of text, in the browser %d", browser, sel, a.Window.Width,
						len(got.Text), len(a.Boxes[i].Text))
				}
			}
		}
		if _, ok := m.At("nav", 800); ok {
			t.Error("what selects nothing was measured")
		}
		t.Logf("%s: %d windows, off by %.3f px (%s) at %d others", session.Browser, m.Asked, worst, at, len(others))
		if worst > 0.5 || !m.Whole {
			t.Errorf("%s: off by %.2f px: %s", browser, worst, at)
		}
		session.End()
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
		s, err := New(site(map[string]string{"index.html": "<!doctype html><body><p " +
			"style='height:7px'>x</p><script>" + script +
			"</script>"}), "index.html")
		if err != nil {
			t.Fatal(err)
		}
		defer s.Close()
		b, err := Start(ctx, browser, s.Address())
		if err != nil {
			t.Fatal(err)
		}
		defer b.Stop()
		session, err := s.Begin(ctx, b.Ended)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
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

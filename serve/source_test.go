package serve

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"math"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"tourmaline/core/measure"
)

// Our script stands before all that is in the head, wherever that begins.
func TestWhereTheScriptStands(t *testing.T) {
	for _, c := range []string{
		"<!doctype html><html lang=en><head>|<meta charset=utf-8><title>x</title>",
		"\ufeff<!doctype html>\n<!-- <head> --><html>\n|<body>", "<!doctype html>|<p>x", "|text", "|",
		"<HEAD\nclass='>'>|<x>",
		"<!doctype html>|<title><head></title>",
		"<?xml version='1.0'?>\n<html xmlns='http://www.w3.org/1999/xhtml'><head>|<title>x</title></head>",
	} {
		at := strings.Index(c, "|")
		if text := strings.Replace(c, "|", "", 1); headOf([]byte(text)) != at {
			t.Errorf("%q: at %d", c, headOf([]byte(text)))
		}
	}
}

// Policies let our script in, and nothing else that they kept out.
func TestPoliciesLetOurScriptIn(t *testing.T) {
	for in, want := range map[string]string{
		"": "", "img-src 'self'": "img-src 'self'",
		"default-src 'self'; img-src *":         "default-src 'self'; img-src *; script-src-elem 'self' U",
		"default-src 'none'":                    "default-src 'none'; script-src-elem U",
		"frame-ancestors 'none';script-src a.b": "script-src a.b; script-src-elem a.b U",
		"script-src 'nonce-1' 'strict-dynamic'": "script-src 'nonce-1' 'strict-dynamic'; script-src-elem " +
			"'nonce-1' 'strict-dynamic' 'nonce-N'",
		"script-src-elem 'none'; default-src *": "script-src-elem U; default-src *",
		"script-src 'unsafe-inline'; sandbox x": "script-src 'unsafe-inline'; script-src-elem 'unsafe-inline' U",
		"default-src x; script-src 'sha256-abc'": "default-src x; script-src 'sha256-abc'; script-src-elem " +
			"'sha256-abc' 'nonce-N'",
	} {
		if got := admitted(in, "U", "N"); got != want {
			t.Errorf("%q:\n%q, want\n%q", in, got, want)
		}
	}
}

// development is a server as page makers run them: it refuses frames and foreign scripts, wants its own origin,
// sets a cookie, and speaks through a web socket. notes are what it was sent that it should not be.
func development(t *testing.T) (*url.URL, *[]string) {
	t.Helper()
	var notes []string
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if c := r.Header.Get("Cookie"); strings.Contains(c, "tourmaline") {
			notes = append(notes, "cookie "+c)
		}
		if o := r.Header.Get("Origin"); o != "" && o != "http://"+r.Host {
			notes = append(notes, "origin "+o)
		}
		if r.Header.Get("Upgrade") == "websocket" {
			conn, rw, err := w.(http.Hijacker).Hijack()
			if err != nil {
				return
			}
			defer conn.Close()
			fmt.Fprint(rw, "HTTP/1.1 101 Switching Protocols\r\nUpgrade: websocket\r\nConnection: Upgrade\r\n\r\n")
			rw.Flush()
			line, _ := rw.ReadString('\n')
			fmt.Fprint(rw, "heard "+line)
			rw.Flush()
			return
		}
		w.Header().Set("X-Frame-Options", "DENY")
		w.Header().Set("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; "+
			"frame-ancestors 'none'")
		switch r.URL.Path {
		case "/about":
			http.Redirect(w, r, "http://"+r.Host+"/about/?lang=en", http.StatusFound)
		case "/about/":
			http.SetCookie(w, &http.Cookie{Name: "own", Value: "1"})
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprint(w, "<!doctype html><link rel=stylesheet href=../a.css><body><header>x</header><script "+
				"src=/a.js></script>")
		case "/a.css":
			w.Header().Set("Content-Type", "text/css")
			fmt.Fprint(w, "body { margin: 0 } header { height: 10vw; background: navy } div { height: 30px; "+
				"background: teal }")
		case "/a.js":
			w.Header().Set("Content-Type", "text/javascript")
			fmt.Fprint(w, "document.body.append(document.createElement('div'))")
		default:
			http.NotFound(w, r)
		}
	}))
	t.Cleanup(s.Close)
	u, err := url.Parse(s.URL)
	if err != nil {
		t.Fatal(err)
	}
	return u, &notes
}

// Another server's pages come through, with our script in them; web sockets too; our cookie does not.
func TestAnotherServerIsPassedOn(t *testing.T) {
	up, notes := development(t)
	s, err := New(Source{Upstream: up, Page: "about"})
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	c := &http.Client{Jar: jar}
	if _, err := c.Get(s.Address()); err != nil {
		t.Fatal(err)
	}
	a, err := c.Get(s.pageAddress())
	if err != nil {
		t.Fatal(err)
	}
	defer a.Body.Close()
	data, _ := io.ReadAll(a.Body)
	if !strings.Contains(string(data), agentName) || a.Header.Get("X-Frame-Options") != "" || a.Request.URL.String() !=
		"http://"+s.pages.Addr().String()+"/about/?lang=en" || strings.Contains(a.Header.Get("Content-Security-Policy"), "ancestors") {
		t.Errorf("%s %v %s", a.Request.URL, a.Header, data)
	}
	if a, err := c.Get("http://" + s.pages.Addr().String() + "/none"); err != nil || a.StatusCode != 404 {
		t.Errorf("%v %v", a, err)
	}
	conn, err := net.Dial("tcp", s.pages.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close()
	if err := conn.SetDeadline(time.Now().Add(20 * time.Second)); err != nil {
		t.Fatal(err)
	}
	fmt.Fprintf(conn, "GET /live HTTP/1.1\r\nHost: %s\r\nOrigin: http://%s\r\nCookie: tourmaline=%s; own=1\r\nUpgrade: websocket\r\n"+
		"Connection: Upgrade\r\n\r\n", s.pages.Addr(), s.pages.Addr(), s.token)
	rd := bufio.NewReader(conn)
	var all string
	for !strings.Contains(all, "heard") {
		line, err := rd.ReadString('\n')
		if all += line; err != nil {
			break
		}
		if line == "\r\n" { // it is through
			fmt.Fprint(conn, "hello\n")
		}
	}
	if !strings.Contains(all, "101 Switching") || !strings.HasSuffix(all, "heard hello\n") {
		t.Errorf("the web socket: %q", all)
	}
	if len(*notes) > 0 {
		t.Errorf("the server was sent %q", *notes)
	}
}

// A page of another server is measured although it refuses frames and scripts of others.
func TestAnotherServerIsMeasured(t *testing.T) {
	for _, browser := range browsers(t) {
		up, _ := development(t)
		ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
		defer cancel()
		v, err := Show(ctx, Source{Upstream: up, Page: "about/", Query: "lang=en"}, Means{Browser: browser})
		if err != nil {
			t.Fatal(browser, err)
		}
		if err := v.Open(ctx); err != nil {
			t.Fatal(browser, err)
		}
		got, err := v.Ask([]string{"header", "div"})(ctx, []measure.Window{{Width: 700, Height: 400}})
		if err != nil || got[0].Boxes[0].Border != (measure.Rect{0, 0, 700, 70}) || got[0].Boxes[1].Border[1] != 70 {
			t.Errorf("%s: %+v %v", browser, got, err)
		}
		if err := v.Stop(); err != nil {
			t.Error(err)
		}
	}
}

// Pseudo-elements have boxes where used values tell them: they are where a real element in their place is.
func TestPseudoElements(t *testing.T) {
	const page = `<!doctype html><style>body { margin: 0; font: 16px/20px sans-serif } .a { position: relative; margin: 30px; padding: 11px 13px; border: 3px solid }
.a::before { content: ""; position: absolute; left: 10%; right: 5%; bottom: -4px; height: 25%; background: red; padding: 2px; border: 1px solid }
.b { padding: 5px 7px; border: 2px solid } .b::before { content: ""; display: block; height: 3vw; margin: 6px 8px; background: teal }
.b::after { content: ""; display: block; height: 12px; background: teal; width: 50%; box-sizing: border-box; padding: 1px }
.c::before { content: "in a line"; background: yellow } .d::after { content: none; background: red }
.e { position: absolute; top: 500px; left: 20px; width: 40px; height: 30px } .e::after { content: ""; position: fixed; inset: 0; background: #eee }
</style><body><div class=a>Saturn from eight, the Ring Nebula from ten</div><div class=b>clouds permitting</div><p class=c></p><p class=d></p><div class=e></div>`
	for _, browser := range browsers(t) {
		ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
		defer cancel()
		session, _ := begun(ctx, t, browser, map[string]string{"index.html": page}, "index.html")
		found, err := session.Discover(ctx, measure.Window{Width: 600, Height: 400})
		if err != nil || len(found.Paths) != 5 || !strings.HasSuffix(found.Paths[0], "div:nth-child(1)::before") {
			t.Errorf("%s: %v %v", browser, found, err)
		}
		got, err := session.Looks([]string{".a::before", ".b:before", ".b::after", ".c::before", ".d::after",
			".e::after"})(ctx,
			[]measure.Window{{Width: 600, Height: 400}})
		if err != nil {
			t.Fatal(err)
		}
		// .a: border box 30..570 wide, so padding box 33..567, 534 px; one line of 20 px: 42 px of padding box.
		// left 53.4, right 26.7: 453.9 wide; 25% of 42 is 10.5, with 6 px of frame 16.5; its bottom is 4 px below
		// the padding box's: 33 + 42 + 4 - 16.5 = 62.5.
		// .b begins at 108 (two margins of 30, box of 48): content at 9, 115; ::before 18 px at 17, 121; a line; then
		// ::after, 12 px, at 115 + 30 + 20.
		want := []measure.Rect{{86.4, 62.5, 453.9, 16.5}, {17, 121, 566, 18}, {9, 165, 291, 12}, {}, {}, {0, 0,
			600, 400}}
		for i, b := range got[0].Boxes {
			for k := range b.Border {
				if math.Abs(b.Border[k]-want[i][k]) > 0.05 {
					t.Errorf("%s: %d is %v, want %v", browser, i, b.Border, want[i])
					break
				}
			}
		}
		if l := got[0].Boxes[5].Look; l == nil || l.Position != "fixed" || !l.Stacking ||
			l.Background["color"] != "rgb(238, 238, 238)" {
			t.Errorf("%s: %+v", browser, l)
		}
		if got[0].Boxes[4].Matches != 0 || got[0].Boxes[3].Matches != 1 {
			t.Errorf("%s: what matches: %+v", browser, got[0].Boxes)
		}
		session.End()
	}
}

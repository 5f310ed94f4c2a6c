package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"os/exec"
	"strings"
	"testing"
	"time"
)

// window is a browser's window that a test drives over W3C WebDriver (https://www.w3.org/TR/webdriver2/).
type window struct {
	t    testing.TB
	base string  // of its session
	grip float64 // where elements are taken hold of, 0..1 of their sides
}

// openWindow starts a driver, and a browser without a screen of a size. The test is skipped where there is none.
func openWindow(t testing.TB, w, h int) *window {
	t.Helper()
	driver, err := exec.LookPath("chromedriver")
	if err != nil {
		t.Skip("no chromedriver here")
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	port := l.Addr().(*net.TCPAddr).Port
	l.Close()
	cmd := exec.Command(driver, fmt.Sprintf("--port=%d", port))
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	b := &window{t, fmt.Sprintf("http://127.0.0.1:%d", port), 0.5}
	t.Cleanup(func() {
		cmd.Process.Kill()
		cmd.Wait()
	})
	for range 100 {
		if _, err = http.Get(b.base + "/status"); err == nil {
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	var s struct{ SessionID string }
	b.call("POST", "/session", map[string]any{"capabilities": map[string]any{"alwaysMatch": map[string]any{
		"goog:chromeOptions": map[string]any{"args": []string{"headless=new", "no-sandbox", "hide-scrollbars"}}}}}, &s)
	b.base += "/session/" + s.SessionID
	t.Cleanup(func() { b.call("DELETE", "", nil, nil) })
	var outer [2]int
	b.eval(&outer, "return [outerWidth - innerWidth, outerHeight - innerHeight]")
	b.call("POST", "/window/rect", map[string]any{"width": w + outer[0], "height": h + outer[1]}, nil)
	return b
}

func (b *window) call(method, path string, body, into any) {
	b.t.Helper()
	var data io.Reader
	if body != nil {
		text, err := json.Marshal(body)
		if err != nil {
			b.t.Fatal(err)
		}
		data = bytes.NewReader(text)
	}
	req, err := http.NewRequest(method, b.base+path, data)
	if err != nil {
		b.t.Fatal(err)
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		b.t.Fatal(err)
	}
	defer res.Body.Close()
	var a struct{ Value json.RawMessage }
	if err := json.NewDecoder(res.Body).Decode(&a); err != nil || res.StatusCode != 200 {
		b.t.Fatalf("%s %s: %d %s %v", method, path, res.StatusCode, a.Value, err)
	}
	if into != nil {
		if err := json.Unmarshal(a.Value, into); err != nil {
			b.t.Fatalf("%s: %s: %v", path, a.Value, err)
		}
	}
}

func (b *window) open(address string) {
	b.t.Helper()
	b.call("POST", "/url", map[string]any{"url": address}, nil)
}

// eval runs a script in the page.
func (b *window) eval(into any, script string, args ...any) {
	b.t.Helper()
	b.call("POST", "/execute/sync", map[string]any{"script": script, "args": append([]any{}, args...)}, into)
}

// another opens one more window; in lets things happen in one.
func (b *window) another() string {
	b.t.Helper()
	var w struct{ Handle string }
	b.call("POST", "/window/new", map[string]any{"type": "window"}, &w)
	return w.Handle
}

func (b *window) in(handle string) {
	b.t.Helper()
	b.call("POST", "/window", map[string]any{"handle": handle}, nil)
}

func (b *window) handle() (h string) {
	b.t.Helper()
	b.call("GET", "/window", nil, &h)
	return h
}

// frame lets things happen in a frame of the page; "" in the page itself.
func (b *window) frame(selector string) {
	b.t.Helper()
	var id any
	if selector != "" {
		b.eval(&id, "return document.querySelector(arguments[0])", selector)
	}
	b.call("POST", "/frame", map[string]any{"id": id}, nil)
}

// until waits for a script to be true.
func (b *window) until(what, script string, args ...any) {
	b.t.Helper()
	begun := time.Now()
	for {
		var ok bool
		b.eval(&ok, script, args...)
		if ok {
			return
		}
		if time.Since(begun) > time.Minute {
			b.t.Fatalf("%s: not in a minute", what)
		}
		time.Sleep(20 * time.Millisecond)
	}
}

// click presses a button, once it can be.
func (b *window) click(selector string) {
	b.t.Helper()
	b.until(selector, `return !document.querySelector(arguments[0]).disabled`, selector)
	b.eval(nil, `document.querySelector(arguments[0]).click()`, selector)
}

// drag presses the mouse on an element, moves it and lets go.
func (b *window) drag(selector string, dx, dy int) {
	b.t.Helper()
	b.press(selector, dx, dy, true)
}

func (b *window) press(selector string, dx, dy int, letGo bool) {
	b.t.Helper()
	var at [2]float64
	b.eval(&at, `const e = document.querySelector(arguments[0]); e.scrollIntoView({block: "nearest"}); const r = e.getBoundingClientRect();
		return [r.left + r.width * arguments[1], r.top + r.height * arguments[1]]`, selector, b.grip)
	move := func(x, y float64) map[string]any {
		return map[string]any{"type": "pointerMove", "duration": 20, "x": int(x), "y": int(y)}
	}
	list := []any{move(at[0], at[1]), map[string]any{"type": "pointerDown", "button": 0}}
	const steps = 6
	for i := 1; i <= steps; i++ {
		list = append(list, move(at[0]+float64(dx*i)/steps, at[1]+float64(dy*i)/steps))
	}
	if letGo {
		list = append(list, map[string]any{"type": "pointerUp", "button": 0})
	}
	b.actions(list)
}

func (b *window) letGo() {
	b.t.Helper()
	b.actions([]any{map[string]any{"type": "pointerUp", "button": 0}})
}

func (b *window) actions(list []any) {
	b.t.Helper()
	b.call("POST", "/actions", map[string]any{"actions": []any{map[string]any{"type": "pointer", "id": "mouse",
		"parameters": map[string]any{"pointerType": "mouse"}, "actions": list}}}, nil)
}

// keys presses keys in the element that has the focus.
func (b *window) keys(text string) {
	b.t.Helper()
	var list []any
	for _, k := range strings.Split(text, "") {
		list = append(list, map[string]any{"type": "keyDown", "value": k}, map[string]any{"type": "keyUp", "value": k})
	}
	b.call("POST", "/actions", map[string]any{"actions": []any{map[string]any{"type": "key", "id": "keys",
		"actions": list}}}, nil)
}

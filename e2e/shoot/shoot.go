// Package shoot takes pictures of pages with a real browser, for tests.
//
//	shoot.Need(t)
//	img := shoot.Page(t, "/path/page.html", 1280, 960, 1.5)
package shoot

import (
	"encoding/json"
	"fmt"
	"html"
	"image"
	"image/draw"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"tourmaline/core/picture"
)

// Browser returns the program, or "" where there is none or TOURMALINE_BROWSER is
// none.
func Browser() string {
	if os.Getenv("TOURMALINE_BROWSER") == "none" {
		return ""
	}
	for _, name := range []string{"chromium", "chromium-browser", "google-chrome"} {
		if p, err := exec.LookPath(name); err == nil {
			return p
		}
	}
	return ""
}

// Need skips a test where there is no browser. Where one should be there, on the machines
// that decide (CI is set) and where TOURMALINE_BROWSER is required, it fails it.
func Need(t testing.TB) {
	t.Helper()
	switch {
	case Browser() != "":
	case os.Getenv("CI") != "" || os.Getenv("TOURMALINE_BROWSER") == "required":
		t.Fatal("there is no browser here, and there should be one: install Debian's chromium")
	default:
		t.Skip("no browser here: nothing is compared with one")
	}
}

// Touch makes the browser tell media queries that it has a touch screen: hover: none, and
// pointer: coarse.
const Touch = "--blink-settings=primaryHoverType=1,availableHoverTypes=1,primaryPointerType=2,availablePointerTypes=2"

// Page renders a file, or what is at an http: address, in a fresh browser with a window of w x h CSS px at a real
// density. The page's own background is transparent where it paints nothing. More are arguments
// of the browser, such as Touch.
func Page(t testing.TB, page string, w, h int, density float64, more ...string) *image.RGBA {
	t.Helper()
	out := filepath.Join(t.TempDir(), "page.png")
	wait := more
	if strings.HasPrefix(page, "http") {
		wait = append(wait, "--virtual-time-budget=20000") // which stands still while something is fetched
	} else {
		page = "file://" + page
	}
	for try := 0; ; try++ {
		profile := t.TempDir()
		cmd := exec.Command(Browser(), append(wait, "--headless", "--no-sandbox", "--disable-gpu",
			"--force-color-profile=srgb", "--hide-scrollbars", "--disable-quic",
			"--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync",
			"--disable-checker-imaging",
			"--run-all-compositor-stages-before-draw", "--user-data-dir="+profile,
			fmt.Sprintf("--force-device-scale-factor=%g", density),
			"--default-background-color=00000000", fmt.Sprintf("--window-size=%d,%d", w, h), "--screenshot="+out,
			page)...)
		timer := time.AfterFunc(60*time.Second, func() { cmd.Process.Kill() })
		log, err := cmd.CombinedOutput()
		timer.Stop()
		if img, perr := ReadPNG(out); err == nil && perr == nil {
			return img
		}
		if try == 2 {
			t.Fatalf("the browser gave no picture: %v\n%s", err, log)
		}
	}
}

// mouse makes the browser tell media queries that it has one, as it does with a screen.
const mouse = "--blink-settings=primaryHoverType=2,availableHoverTypes=2,primaryPointerType=4,availablePointerTypes=4"

// DOM is the document of a file as HTML once its scripts have run, in a window of w x h CSS px.
func DOM(t testing.TB, page string, w, h int) string {
	t.Helper()
	for try := 0; ; try++ {
		profile := t.TempDir()
		cmd := exec.Command(Browser(), "--headless", "--no-sandbox", "--disable-gpu", "--hide-scrollbars",
			"--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync",
			"--allow-file-access-from-files", mouse, "--user-data-dir="+profile,
			fmt.Sprintf("--window-size=%d,%d", w, h), "--dump-dom", "file://"+page)
		timer := time.AfterFunc(180*time.Second, func() { cmd.Process.Kill() })
		out, err := cmd.Output()
		timer.Stop()
		if err == nil && len(out) > 0 {
			return string(out)
		}
		if try == 2 {
			t.Fatalf("the browser: %v\n%s", err, out)
		}
	}
}

// Answer reads what the page's script says of itself: JSON between << and >> as the body's text.
func Answer(t testing.TB, page string, out any) {
	t.Helper()
	dom := DOM(t, page, 1300, 900)
	_, rest, _ := strings.Cut(dom, "&lt;&lt;")
	rest, _, ok := strings.Cut(rest, "&gt;&gt;</body>")
	if !ok {
		t.Fatalf("the browser says nothing: %s", dom)
	}
	if err := json.Unmarshal([]byte(html.UnescapeString(rest)), out); err != nil {
		t.Fatal(err)
	}
}

// ReadPNG reads a PNG as premultiplied RGBA, with rounding.
func ReadPNG(path string) (*image.RGBA, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	img, err := png.Decode(f)
	if err != nil {
		return nil, err
	}
	out := image.NewRGBA(img.Bounds())
	if n, ok := img.(*image.NRGBA); ok {
		for i := 0; i < len(n.Pix); i += 4 {
			for c := range 3 {
				out.Pix[i+c] = picture.MulDiv255(uint32(n.Pix[i+c]), uint32(n.Pix[i+3]))
			}
			out.Pix[i+3] = n.Pix[i+3]
		}
		return out, nil
	}
	draw.Draw(out, out.Rect, img, image.Point{}, draw.Src)
	return out, nil
}

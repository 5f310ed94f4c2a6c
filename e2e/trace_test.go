package e2e

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"tourmaline/e2e/corpus"
	"tourmaline/e2e/shoot"
)

// traced are the properties that trace tells of.
var traced = []string{"background-color", "background-image", "background-position", "background-position-x",
	"background-position-y", "background-size", "background-repeat", "background-attachment", "background-origin",
	"background-clip", "background-blend-mode", "color"}

// tracedWidths are twenty widths, most beside where the pages change.
var tracedWidths = []int{320, 390, 480, 499, 500, 501, 599, 600, 639, 641, 700, 719, 767, 768, 800, 899, 900, 1000,
	1201, 1440}

// tracedHeight of the windows, and the pages' places in a folder.
const tracedHeight = 700

// madeUp writes the made-up page of that name and returns the path of its HTML file.
func madeUp(t *testing.T, file, dir string) (page string) {
	t.Helper()
	data, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	for part := range strings.SplitSeq("\n"+string(data), "\n-- ") {
		name, text, ok := strings.Cut(part, " --\n")
		if !ok {
			continue
		}
		path := filepath.Join(dir, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		if strings.HasSuffix(name, ".html") && page == "" {
			page = path
		}
	}
	return page
}

// computed are the values of a page by width, then by path with the pseudo-element, in the order of traced.
type computed map[int]map[string][]string

// browserComputes asks a real browser for the pages of those names.
func browserComputes(t *testing.T, pages map[string]string) map[string]computed {
	t.Helper()
	list, err1 := json.Marshal(traced)
	files, err2 := json.Marshal(pages)
	if err := errors.Join(err1, err2); err != nil {
		t.Fatal(err)
	}
	widths := strings.ReplaceAll(fmt.Sprint(tracedWidths), " ", ",")
	ask := `<!doctype html><body><script>const all = {}, ps = ` + string(list) + `, pages = ` + string(files) + `;
		const path = e => e.parentElement ? path(e.parentElement) + ">" + e.localName + ":nth-child(" +
			([...e.parentElement.children].indexOf(e) + 1) + ")" : e.localName;
		const frames = {};
		for (const name in pages) { const f = frames[name] = document.createElement("iframe"); f.style.border = 0;
			f.src = "file://" + pages[name]; document.body.append(f) }
		onload = () => { for (const name in pages) { const f = frames[name], out = all[name] = {};
			const page = "file://" + pages[name], here = page.replace(/[^/]*$/, ""), up = here.replace(/[^/]*\/$/, "");
			for (const w of ` + widths + `) {
				f.style.width = w + "px"; f.style.height = "` + fmt.Sprint(tracedHeight) + `px"; f.offsetWidth; const at = {};
				for (const e of f.contentDocument.querySelectorAll("*")) { if (e.closest("head")) continue;
					for (const p of ["", "::before", "::after"]) {
						const s = f.contentWindow.getComputedStyle(e, p || null);
						at[path(e) + p] = ps.map(q => s.getPropertyValue(q).replaceAll(here, "").replaceAll(up, "../")) } }
				out[w] = at } }
			document.body.textContent = "<<" + JSON.stringify(all) + ">>" }</script>`
	file := filepath.Join(t.TempDir(), "ask.html")
	if err := os.WriteFile(file, []byte(ask), 0o600); err != nil {
		t.Fatal(err)
	}
	out := map[string]computed{}
	shoot.Answer(t, file, &out)
	return out
}

// tracedJSON is what the tests read of trace --json.
type tracedJSON struct {
	Elements []struct {
		Path, Pseudo string
		Ranges       []struct {
			Widths [2]int
			Values map[string]string
		}
	}
}

// at are the values at a width, by path.
func (j *tracedJSON) at(width int) map[string][]string {
	out := map[string][]string{}
	for _, e := range j.Elements {
		for _, r := range e.Ranges {
			if r.Widths[0] <= width && width <= r.Widths[1] {
				for _, p := range traced {
					out[e.Path+e.Pseudo] = append(out[e.Path+e.Pseudo], r.Values[p])
				}
			}
		}
	}
	return out
}

// initially are the values of an element without a background; a colour it has all the same.
var initially = []string{"rgba(0, 0, 0, 0)", "none", "0% 0%", "0%", "0%", "auto", "repeat", "scroll", "padding-box",
	"border-box", "normal"}

// What trace says of every element of made-up pages, in the manner of frameworks and themes, is what a
// real browser computes: asked for twenty windows, and for all widths at once. Elsewhere what a browser
// said is committed.
func TestTraceSaysWhatABrowserComputes(t *testing.T) { // not beside others: a browser is waited for
	const facts = "testdata/pages.json.gz"
	known := map[string]computed{}
	readFacts(t, facts, &known)
	files, err := filepath.Glob("testdata/pages/*.txt")
	if err != nil || len(files) < 25 {
		t.Fatalf("%d pages: %v", len(files), err)
	}
	root := t.TempDir()
	pages := map[string]string{}
	for _, file := range files {
		name := strings.TrimSuffix(filepath.Base(file), ".txt")
		pages[name] = filepath.ToSlash(madeUp(t, file, filepath.Join(root, name)))
	}
	if shoot.Browser() != "" {
		known = browserComputes(t, pages)
	}
	for name, page := range pages {
		dir := filepath.Join(root, name)
		args := []string{"trace", page, "--root", dir, "--json"}
		whole := run(t, dir, append(args, "--widths", "320-1440", "--height", fmt.Sprint(tracedHeight))...)
		for _, w := range tracedWidths {
			args = append(args, "--at", fmt.Sprintf("%dx%d@1", w, tracedHeight))
		}
		for how, r := range map[string]result{"all widths": whole, "windows": run(t, dir, args...)} {
			var got tracedJSON
			if err := json.Unmarshal([]byte(r.out), &got); err != nil {
				t.Fatal(err, r.err)
			}
			compareTraced(t, name+", "+how, &got, known[name])
		}
	}
	if os.Getenv("TOURMALINE_FACTS") == "write" {
		writeFacts(t, facts, known)
	}
}

// So is what it says of a page in the classes of three well-known frameworks.
func TestTraceOfFrameworks(t *testing.T) { // not beside others: a browser is waited for
	if shoot.Browser() == "" {
		t.Skip("no browser here")
	}
	if _, err := exec.LookPath("npm"); err != nil {
		t.Skip("no npm here, which brings the frameworks")
	}
	classes, err := os.ReadFile("../core/page/testdata/classes.html")
	if err != nil {
		t.Fatal(err)
	}
	root := t.TempDir()
	pages := map[string]string{}
	for i, f := range corpus.Frameworks {
		if css := corpus.Unpacked(t, f[0], f[1]); css != "" {
			dir := fmt.Sprintf("f%d", i)
			write(t, filepath.Join(root, dir), map[string]string{"index.html": string(classes), "fw.css": css})
			pages[dir] = filepath.ToSlash(filepath.Join(root, dir, "index.html"))
		}
	}
	known := browserComputes(t, pages)
	for name, page := range pages {
		r := run(t, root, "trace", page, "--json", "--widths", "320-1440", "--height", fmt.Sprint(tracedHeight))
		var got tracedJSON
		if err := json.Unmarshal([]byte(r.out), &got); err != nil {
			t.Fatal(err, r.err)
		}
		compareTraced(t, name, &got, known[name])
	}
}

func compareTraced(t *testing.T, name string, got *tracedJSON, want computed) {
	t.Helper()
	bad := 0
	for _, w := range tracedWidths {
		mine := got.at(w)
		for path, values := range want[w] {
			have := mine[path]
			if have == nil {
				have = append(slices.Clone(initially), values[len(values)-1])
			}
			if len(have) != len(values) {
				t.Fatalf("%s at %d: %s has %d values", name, w, path, len(have))
			}
			for i, v := range values {
				if have[i] != v {
					if bad++; bad <= 3 {
						t.Errorf("%s at %d: %s of %s is %s, in a browser %s", name, w, traced[i], path, have[i], v)
					}
				}
			}
		}
		if len(want[w]) == 0 {
			t.Fatalf("%s: nothing is known at %d", name, w)
		}
	}
}

func readFacts(t *testing.T, file string, into any) {
	t.Helper()
	data, err := os.ReadFile(file)
	if err != nil {
		if shoot.Browser() == "" {
			t.Fatal(err)
		}
		return
	}
	z, err := gzip.NewReader(bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	if data, err = io.ReadAll(z); err == nil {
		err = json.Unmarshal(data, into)
	}
	if err != nil {
		t.Fatal(err)
	}
}

func writeFacts(t *testing.T, file string, from any) {
	t.Helper()
	data, err := json.Marshal(from)
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	z, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
	if err == nil {
		_, err = z.Write(data)
	}
	if err == nil {
		err = z.Close()
	}
	if err == nil {
		err = os.WriteFile(file, b.Bytes(), 0o644)
	}
	if err != nil {
		t.Fatal(err)
	}
}

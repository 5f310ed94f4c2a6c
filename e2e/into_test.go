package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"tourmaline/e2e/shoot"
)

// linked gives a page a stylesheet of its own at its end, which nothing is in yet, and returns its name.
func linked(t *testing.T, page string) string {
	t.Helper()
	data, err := os.ReadFile(page)
	if err != nil {
		t.Fatal(err)
	}
	name := filepath.Join(filepath.Dir(page), "ours.css")
	href := "ours.css"
	if strings.Contains(string(data), "<base") {
		href = "../ours.css"
	}
	text := strings.Replace(string(data), "<body", `<link rel=stylesheet href="`+href+`"><body`, 1)
	if !strings.Contains(text, "ours.css") {
		t.Fatalf("%s has no body", page)
	}
	if err := os.WriteFile(page, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(name, []byte("/* ours */\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	return name
}

// drafts are pages of which a plan can be drafted, with those of their elements that it cannot say.
func draftable(t *testing.T, root string) map[string]string {
	t.Helper()
	files, err := filepath.Glob("testdata/pages/*.txt")
	if err != nil {
		t.Fatal(err)
	}
	pages := map[string]string{}
	for _, file := range files {
		name := strings.TrimSuffix(filepath.Base(file), ".txt")
		dir := filepath.Join(root, name)
		page := madeUp(t, file, dir)
		linked(t, page)
		r := run(t, dir, "start", page, "--root", ".", "--no-browser")
		if r.code == 2 && strings.Contains(r.err, "nothing in it has a background") {
			continue
		}
		if r.code != 0 {
			t.Errorf("%s: %s", name, r.err)
			continue
		}
		pages[name] = filepath.ToSlash(page)
	}
	if len(pages) < 20 {
		t.Errorf("only %d pages have a plan", len(pages))
	}
	return pages
}

// into writes the plans' rules into the pages' stylesheets.
func into(t *testing.T, root string, pages map[string]string) {
	t.Helper()
	for name, page := range pages {
		own := filepath.Join(filepath.Dir(filepath.FromSlash(page)), "ours.css")
		r := run(t, filepath.Join(root, name), "css", "--draft", "--into", own, "--page", page, "--root", ".")
		if name == "important" { // its style attribute is important: nothing wins over that
			if r.code != 2 || !strings.Contains(r.err, "no rule wins over this for") {
				t.Errorf("%s: %d %s", name, r.code, r.err)
			}
			delete(pages, name)
		} else if r.code != 0 {
			t.Errorf("%s: %s", name, r.err)
			delete(pages, name)
		}
	}
}

// A plan that is drafted from a page and written back leaves every element as it was, in a real browser
// at twenty widths; what the plan says otherwise then is what the browser computes for the boxes, and
// for nothing else.
func TestWriteBackDoesWhatThePlanSays(t *testing.T) { // not beside others: a browser is waited for
	if shoot.Browser() == "" {
		t.Skip("no browser here")
	}
	root := t.TempDir()
	pages := draftable(t, root)
	before := browserComputes(t, pages)
	into(t, root, pages)
	for name, now := range browserComputes(t, pages) {
		for _, d := range differences(before[name], now, nil) {
			t.Errorf("%s: %s", name, d)
		}
	}
	boxes := map[string]map[string]bool{}
	for name := range pages {
		boxes[name] = recolour(t, filepath.Join(root, name, "tourmaline.yaml"))
	}
	into(t, root, pages)
	const want = "rgb(1, 2, 3)"
	for name, now := range browserComputes(t, pages) {
		changed := map[string]bool{}
		for _, w := range tracedWidths {
			for path, v := range now[w] {
				if v[0] == want && v[1] == "none" {
					changed[path] = true
				} else if changed[path] {
					t.Errorf("%s at %d: %s is %s, %s", name, w, path, v[0], v[1])
				}
			}
		}
		if len(changed) < len(boxes[name]) {
			t.Errorf("%s: of %d boxes %d have the plan's colour", name, len(boxes[name]), len(changed))
		}
		if inheriting.MatchString(name) {
			continue
		}
		for _, d := range differences(before[name], now, changed) {
			t.Errorf("%s: %s", name, d)
		}
	}
}

// inheriting are elements of the pages that take a background from what is around them: they change with it.
var inheriting = regexp.MustCompile(`^(components|inherited|keywords|fluid|vars|pseudo)$`)

// differences are elements that are not as they were, but for some, in a few words.
func differences(was, now computed, but map[string]bool) (out []string) {
	for _, w := range tracedWidths {
		for path, v := range now[w] {
			host, _, _ := strings.Cut(path, "::")
			if old := was[w][path]; !but[path] && !but[host] && !slices.Equal(v, old) && len(out) < 3 {
				if v[1] == "none" && old[1] == "none" { // sizes of no image
					v, old = append([]string{v[0]}, v[len(v)-1]), append([]string{old[0]}, old[len(old)-1])
				}
				if strings.Contains(old[1], "none") && old[1] != "none" { // a layer of no image
					continue
				}
				for i := range v {
					if i < len(old) && v[i] != old[i] {
						out = append(out, fmt.Sprintf("at %d px %s of %s is %s, before %s", w, traced[i], path, v[i],
							old[i]))
					}
				}
			}
		}
	}
	return out
}

// recolour lets every box of a plan be of one colour at every width, and returns the boxes' names.
func recolour(t *testing.T, file string) map[string]bool {
	t.Helper()
	data, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	boxes, name := map[string]bool{}, "canvas"
	var out []string
	skip := -1 // lines that are further in than this go
	for line := range strings.SplitSeq(string(data), "\n") {
		indent := len(line) - len(strings.TrimLeft(line, " "))
		if skip >= 0 && indent > skip {
			continue
		}
		skip = -1
		key := strings.TrimSpace(line)
		switch {
		case strings.HasPrefix(key, "- name:"):
			name = key
		case key == "when:":
			if skip = indent; !boxes[name] {
				boxes[name] = true
				out = append(out, strings.Repeat(" ", indent)+`layers: [{color: "#010203"}]`)
			}
			continue
		case strings.HasPrefix(key, "layers:"):
			boxes[name] = true
			skip = indent
			line = strings.Repeat(" ", indent) + `layers: [{color: "#010203"}]`
		}
		out = append(out, line)
	}
	if err := os.WriteFile(file, []byte(strings.Join(out, "\n")), 0o600); err != nil {
		t.Fatal(err)
	}
	return boxes
}

// demoSite writes the demo's page with its pictures, without its plan, and returns its folder.
func demoSite(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	if err := os.CopyFS(dir, os.DirFS(filepath.Join("..", "demo", "site"))); err != nil {
		t.Fatal(err)
	}
	if err := os.Remove(filepath.Join(dir, "tourmaline.yaml")); err != nil {
		t.Fatal(err)
	}
	return dir
}

// The way that the manual shows: trace, start, write back; nothing is overwritten that is not asked for.
func TestFromAPageToItsStylesheet(t *testing.T) {
	t.Parallel()
	dir := demoSite(t)
	must := func(code int, args ...string) result {
		t.Helper()
		r := run(t, dir, args...)
		if r.code != code {
			t.Fatalf("%v: %d\n%s%s", args, r.code, r.out, r.err)
		}
		return r
	}
	has := func(text string, wants ...string) {
		t.Helper()
		for _, w := range wants {
			if !strings.Contains(text, w) {
				t.Errorf("%q is not in\n%s", w, text)
			}
		}
	}
	has(must(0, "trace", ".").out, "6 elements with a background", "section.tonight  #efe8da",
		"styles/theme.css:15:20", "768 px")
	has(must(0, "trace", "index.html", ".tonight").out, "#content section { background: var(--paper) }",
		"lower specificity: 0-1-0 against 1-0-1", "at every width", "to win   #content .tonight (1-1-0)")
	has(must(0, "trace", "index.html", "header.hero", "--at", "390x844@3").out, "390x844@3",
		"whose shorthand background")
	has(must(0, "start", "index.html", "--no-browser").out, "tourmaline.yaml: 7 boxes", "2 boxes have a height",
		"next: tourmaline check")
	has(must(2, "start", "index.html").err, "is there already", "never overwrites")
	page := filepath.Join(dir, "styles", "page.css")
	before, err := os.ReadFile(page)
	if err != nil {
		t.Fatal(err)
	}
	r := must(0, "css", "--draft", "--into", "styles/page.css", "--dry-run")
	has(r.out, "+++ styles/page.css", "+#content section.tonight {")
	has(r.err, "section.tonight is written #content section.tonight (1-1-1), to win over #content section")
	if now, _ := os.ReadFile(page); string(now) != string(before) {
		t.Error("a dry run has written")
	}
	has(must(0, "css", "--draft", "--into", "styles/page.css").out, "kept in styles/page.css.before-tourmaline",
		"held against index.html at every width")
	now, _ := os.ReadFile(page)
	kept, err := os.ReadFile(page + ".before-tourmaline")
	if err != nil || string(kept) != string(before) || !strings.HasPrefix(string(now), string(before)) {
		t.Errorf("what was there is not kept: %v", err)
	}
	has(must(0, "css", "--draft", "--into", "styles/page.css").out, "nothing has changed")
	has(must(0, "css", "--draft", "--into", "styles/page.css", "--replace").err,
		"taken out: styles/page.css:16: background:")
	if again, _ := os.ReadFile(page + ".before-tourmaline"); string(again) != string(before) {
		t.Error("the first file is kept, and no later one")
	}
	must(0, "build", "--draft", "--into", "styles/page.css")
	has(must(0, "trace", "index.html", "section.tonight").out, "#content section.tonight { background: #efe8da }")
}

// A page is checked without a plan, at its own lines; what a browser must measure waits.
func TestCheckOfAPage(t *testing.T) {
	t.Parallel()
	dir := demoSite(t)
	r := run(t, dir, "check", "index.html", "--no-browser")
	for _, want := range []string{"soft  styles/page.css:31:15", "only a browser knows the heights of tonight, notes",
		"where text lies in hero", "contrast, behind-text, thin-edge", "in 7 boxes"} {
		if !strings.Contains(r.out, want) {
			t.Errorf("%q is not in\n%s", want, r.out)
		}
	}
	if r.code != 1 {
		t.Errorf("exit %d %s", r.code, r.err)
	}
	write(t, dir, map[string]string{"bad.html": `<!doctype html><style>
header { height: 300px; background: url(pictures/Dome-at-dusk.jpg) center / cover }</style><body><header>x</header>`})
	r = run(t, dir, "check", "bad.html", "--sarif", "--no-browser")
	for _, want := range []string{`"uri": "bad.html"`, `"startLine": 2`, "servers tell small letters from capitals"} {
		if !strings.Contains(r.out, want) {
			t.Errorf("%q is not in the SARIF: %d %s", want, r.code, r.err)
		}
	}
}

// Requests that cannot be are told with what to do.
func TestPagesThatCannotBe(t *testing.T) {
	t.Parallel()
	dir := demoSite(t)
	write(t, dir, map[string]string{"empty/a.txt": "", "two/a.html": "<p>", "two/b.html": "<p>", "plain.html": "<p>x"})
	for _, c := range [][2]string{
		{"trace", "trace needs a page"}, {"trace index.htm", `did you mean "index.html"?`}, {"trace empty", "there is no page"},
		{"trace index.html .none", `".none" selects nothing`}, {"trace index.html p>>q", "is not"},
		{"trace index.html --at wide", "not a viewport"},
		{"trace index.html --mode night", "is not a mode: touch, dark"},
		{"trace index.html --widths 9-1", "not a range"}, {"trace ../index.html", "cannot be read"},
		{"start plain.html", "nothing in it has a background"}, {"start index.html pictures/ridge-line.png",
			"not both"},
		{"start tourmaline.yaml", "writes one from a page"}, {"check two", "check one at a time"},
		{"check index.html --box hero", "--box goes with a plan"},
		{"css --dry-run", "--dry-run goes with --into"}, {"trace index.html a b", "at most one selector"},
	} {
		r := run(t, dir, strings.Fields(c[0])...)
		if r.code != 2 || !strings.Contains(r.err, c[1]) {
			t.Errorf("%s: %d %q, want %q", c[0], r.code, r.err, c[1])
		}
	}
	if r := run(t, dir, "start"); r.code != 0 || !strings.Contains(r.out, "draft a plan from pages") {
		t.Errorf("start alone: %d %s%s", r.code, r.out, r.err)
	}
}

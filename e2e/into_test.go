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
		r := run(t, dir, "start", page, "--root", ".")
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
func TestWriteBackDoesWhatThePlanSays(t *testing.T) {
	t.Parallel()
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

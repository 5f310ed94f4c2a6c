package e2e

import (
	"encoding/json"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"tourmaline/e2e/shoot"
)

// strange are names of pictures that mean something to YAML, CSS, HTML, addresses or shells.
var strange = []string{"a b.jpg", "q'uote.jpg", `d"q.jpg`, "br(a)ck[e]t{s}.jpg", "new\nline.jpg", "-dash.jpg", "テラス.jpg",
	"perc%20ent.jpg", "perc%zz.jpg", "ha#sh.jpg", "que?ry.jpg", "semi;colon.jpg", "<tag>.jpg",
	"<style><script>alert(1).jpg",
	"com*ment.jpg", "ünï\u0301.jpg", "&amp.jpg", "..dots.jpg", "con.jpg", "$(touch ran).jpg", "`touch ran`.jpg",
	"tab\t.jpg", "} body { display: none.jpg", "--.jpg", "javascript:alert(1).jpg"}

// Pictures of any name are drawn by a browser in the page that is built and in the draft; files that are made have
// plain names.
func TestStrangeNames(t *testing.T) { // not beside others: a browser is waited for
	shoot.Need(t)
	dir := t.TempDir()
	files := map[string]string{}
	plan := "tourmaline: 1\npictures: pics\nfiles: {formats: [webp]}\nviewports: {widths: 320-800, densities: " +
		"[1], named: {a: 600x600@1}}\nboxes:\n"
	for i, n := range strange {
		files["pics/"+n] = photo(60+i, 40)
		quoted, err := json.Marshal(n)
		if err != nil {
			t.Fatal(err)
		}
		plan += fmt.Sprintf("  - {name: b%d, selector: '#b%d', height: 20px, layers: [{image: %s, size: "+
			"cover}]}\n", i, i, quoted)
	}
	files["tourmaline.yaml"] = plan
	write(t, dir, files)
	if r := run(t, dir, "build", "--cache", "none", "--effort", "quick"); r.code != 0 {
		t.Fatalf("%d %s%s", r.code, r.out, r.err)
	}
	plain := regexp.MustCompile(`^[a-z0-9_][a-z0-9._-]*$`)
	made := tree(t, filepath.Join(dir, "dist", "pictures"))
	for n := range made {
		if !plain.MatchString(n) {
			t.Errorf("a file is called %q", n)
		}
	}
	if len(made) < len(strange) {
		t.Errorf("%d files of %d pictures", len(made), len(strange))
	}
	r := run(t, dir, "css", "--draft", "-o", "draft.css")
	if r.code != 0 {
		t.Fatalf("%d %s%s", r.code, r.out, r.err)
	}
	page := "<!DOCTYPE html><meta charset=utf-8><link rel=stylesheet href=draft.css>"
	for i := range strange {
		page += fmt.Sprintf("<div id=b%d></div>", i)
	}
	write(t, dir, map[string]string{"draft.html": page})
	b := openWindow(t, 600, 600)
	for _, name := range []string{"draft.html", "dist/index.html"} {
		b.open((&url.URL{Scheme: "file", Path: filepath.Join(dir, name)}).String())
		var got []string
		b.eval(&got, `return Promise.all([...document.querySelectorAll("*")].map(e => {
			const u = getComputedStyle(e).backgroundImage.match(/^url\("(.*)"\)$/) ||
				getComputedStyle(e).backgroundImage.match(/url\("(.*?)"\)/);
			if (!u) return null;
			return new Promise(ok => {
				const p = new Image();
				p.onload = () => ok(p.naturalWidth > 0 ? "drawn" : "empty");
				p.onerror = () => ok("missing " + u[1]);
				p.src = u[1].replace(/\\(.)/g, "$1");
			});
		})).then(all => all.filter(x => x).concat(document.title === "ran" ? ["ran"] : []))`)
		if len(got) != len(strange) {
			t.Errorf("%s: %d pictures of %d", name, len(got), len(strange))
		}
		for _, s := range got {
			if s != "drawn" {
				t.Errorf("%s: %s", name, s)
			}
		}
	}
	if _, err := os.Stat(filepath.Join(dir, "ran")); err == nil {
		t.Error("a name was run")
	}
}

// What lies outside the pictures folder is not read, whatever leads there, and sources are never written over.
func TestNothingLeavesItsFolder(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"pics/in.jpg": photo(60, 40), "outside/secret.jpg": photo(70, 40),
		"pics/sub/x.jpg": photo(50, 40)})
	for link, to := range map[string]string{"pics/out.jpg": "../outside/secret.jpg", "pics/dir": "../outside",
		"pics/again.jpg": "in.jpg", "pics/dead.jpg": "nowhere.jpg", "pics/loop.jpg": "loop.jpg",
		"pics/absolute.jpg": filepath.Join(dir, "outside/secret.jpg")} {
		if err := os.Symlink(to, filepath.Join(dir, link)); err != nil {
			t.Skip("links cannot be made here")
		}
	}
	for name, fine := range map[string]bool{"in.jpg": true, "again.jpg": true, "sub/../in.jpg": true, "out.jpg": false,
		"dir/secret.jpg": false, "../outside/secret.jpg": false, filepath.Join(dir, "outside/secret.jpg"): false,
		"absolute.jpg": false, "dead.jpg": false, "loop.jpg": false, "sub/../../outside/secret.jpg": false,
		"%2e%2e/outside/secret.jpg": false, "..%2foutside%2fsecret.jpg": false, `..\outside\secret.jpg`: false,
		"file:///etc/hosts": false, "http://localhost/x.jpg": false, "//localhost/x.jpg": false, "": false, ".": false,
		"in.jpg\x00.jpg": false} {
		quoted, err := json.Marshal(name)
		if err != nil {
			t.Fatal(err)
		}
		write(t, dir, map[string]string{"tourmaline.yaml": "tourmaline: 1\npictures: pics\nboxes: [{name: b, " +
			"height: 20px, layers: " +
			"[{image: " + string(quoted) + "}]}]\n"})
		r := run(t, dir, "fit")
		if fine != (r.code == 0) || strings.Contains(r.out, "70 x 40") || strings.Contains(r.err, "goroutine") {
			t.Errorf("%q: %d %s%s", name, r.code, r.out, r.err)
		}
	}
	plan := "tourmaline: 1\npictures: pics\nboxes: [{name: b, selector: b, height: 20px, layers: [{image: in.jpg}]}]\n"
	before := tree(t, dir)
	for _, args := range [][]string{{"css", "-o", "tourmaline.yaml"}, {"css", "-o", "pics/in.jpg"}, {"proof",
		"-o", "pics/in.jpg"},
		{"proof", "-o", "tourmaline.yaml"}, {"report", "-o", "tourmaline.yaml"}, {"css", "-o", "pics"}} {
		write(t, dir, map[string]string{"tourmaline.yaml": plan})
		if r := run(t, dir, args...); r.code != 2 || strings.Count(r.err, "\n") > 3 {
			t.Errorf("%v: %d %s%s", args, r.code, r.out, r.err)
		}
	}
	for _, output := range []string{"pics", ".", "pics/.."} {
		write(t, dir, map[string]string{"tourmaline.yaml": plan + "output: " + output + "\n"})
		run(t, dir, "build", "--cache", "none")
	}
	if err := os.Symlink("../pics", filepath.Join(dir, "outside", "pictures")); err != nil {
		t.Fatal(err)
	}
	write(t, dir, map[string]string{"tourmaline.yaml": plan + "output: outside\n"})
	run(t, dir, "build", "--cache", "none")
	after := tree(t, dir)
	for _, n := range []string{"pics/in.jpg", "pics/sub/x.jpg", "outside/secret.jpg"} {
		if after[n] != before[n] {
			t.Errorf("%s was written over", n)
		}
	}
}

package e2e

import (
	"bufio"
	"image/jpeg"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"
)

const plain = `tourmaline: 1
pictures: pics
viewports: {widths: 320-800, heights: 600-700, densities: [1], named: {phone: 390x640@1, wide: 800x700@1}}
files: {formats: []}
budget: {phone: 1 KB}
boxes:
  - name: hero
    height: 300px
    layers: [{image: photo.jpg, size: cover, position: auto = 50% 50%, keep: {x: 45%, y: 45%, width: 10%, height: 10%}}, {color: "#123456"}]
    text: [{area: {left: 5%, top: 5%, width: 30%, height: 20%}, color: black, sample: "</p><script>alert(1)</script>"}]
`

// A run after each change is told in a line, with what came and what went; a broken plan ends nothing.
func TestWatchTellsWhatComesAndGoes(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"tourmaline.yaml": plain, "pics/photo.jpg": photo(1300, 900)})
	for _, r := range []struct {
		args  []string
		wrote string
	}{{[]string{"check"}, ""}, {[]string{"build", "--draft"}, "dist: a draft"},
		{[]string{"css", "--draft", "-o", "out.css"}, "out.css: written"}, {[]string{"proof", "-o", "out.png"},
			"out.png: "}} {
		write(t, dir, map[string]string{"tourmaline.yaml": plain})
		cmd := exec.Command(program, append(r.args, "--watch")...)
		cmd.Dir = dir
		out, err := cmd.StdoutPipe()
		if err != nil {
			t.Fatal(err)
		}
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		lines := make(chan string, 1000)
		go func() {
			for s := bufio.NewScanner(out); s.Scan(); {
				lines <- s.Text()
			}
			close(lines)
		}()
		until := func(form string) {
			t.Helper()
			end := time.After(30 * time.Second)
			for {
				select {
				case line, ok := <-lines:
					if !ok {
						t.Fatalf("%v ended before %s", r.args, form)
					}
					if regexp.MustCompile(form).MatchString(line) {
						return
					}
				case <-end:
					t.Fatalf("%v does not say %s", r.args, form)
				}
			}
		}
		time.Sleep(1500 * time.Millisecond) // it has begun to watch, and looked once
		write(t, dir, map[string]string{"tourmaline.yaml": strings.Replace(plain, "50% 50%, keep", "50% 100%, "+
			"keep", 1)})
		until(`^\d\d:\d\d:\d\d ` + r.args[0] + `: .*` + regexp.QuoteMeta(r.wrote) + `.*(error|warning)`)
		until(`^  came: tourmaline.yaml:9: (error|warning) cut-subject: `)
		write(t, dir, map[string]string{"tourmaline.yaml": "tourmaline: 1\nboxs: []\n"})
		until(`^\d\d:\d\d:\d\d ` + r.args[0] + `: tourmaline.yaml:2:1: "boxs" is not a key`)
		write(t, dir, map[string]string{"tourmaline.yaml": plain})
		until(`^  went: tourmaline.yaml:9: (error|warning) cut-subject: `)
		cmd.Process.Signal(os.Interrupt)
		for range lines {
		}
		if err := cmd.Wait(); err != nil {
			t.Errorf("%v: interrupted it ends with %v", r.args, err)
		}
	}
	for _, args := range [][]string{{"check", "--watch", "--json"}, {"css", "--watch"}, {"proof", "--watch",
		"-o", "-"}} {
		if r := run(t, dir, args...); r.code != 2 || !strings.Contains(r.err, "--watch") {
			t.Errorf("%v: %d %s", args, r.code, r.err)
		}
	}
}

// One page: no script, nothing fetched, what is written in the plan is text.
func TestReportStandsAlone(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"tourmaline.yaml": plain, "pics/photo.jpg": photo(1300, 900)})
	r := run(t, dir, "report")
	if r.code != 0 || !strings.HasPrefix(r.out, "report.html: ") {
		t.Fatalf("%d %s%s", r.code, r.out, r.err)
	}
	page := contents(t, filepath.Join(dir, "report.html"))
	if len(page) >= 5_000_000 || regexp.MustCompile(`(?i)<script|<link|(src|href)="[^d#]|url\(`).MatchString(page) {
		t.Errorf("%d bytes; it fetches or runs something", len(page))
	}
	for _, want := range []string{"hero", "1.0 KB, over", "photo-", "data:image/jpeg;base64,",
		"Files to deliver", "How it was checked", "320 to 800 px wide"} {
		if !strings.Contains(page, want) {
			t.Errorf("it does not say %q", want)
		}
	}
	if n := strings.Count(page, "<figure"); n < 2 {
		t.Errorf("%d pictures, want one for each viewport", n)
	}
	if r = run(t, dir, "report", "--folder", "shots", "--no-files", "-o", "second.html"); r.code != 0 {
		t.Fatal(r.err)
	}
	second := contents(t, filepath.Join(dir, "second.html"))
	names := regexp.MustCompile(`src="shots/([0-9a-f]+\.jpg)"`).FindAllStringSubmatch(second, -1)
	if len(names) < 2 || strings.Contains(second, "data:image") || strings.Contains(second, "Files to deliver") {
		t.Errorf("%d pictures beside the page", len(names))
	}
	for _, n := range names {
		if img, err := jpeg.Decode(strings.NewReader(contents(t, filepath.Join(dir, "shots", n[1])))); err != nil ||
			img.Bounds().Dx() < 300 {
			t.Errorf("%s: %v", n[1], err)
		}
	}
	if r = run(t, dir, "report", "-o", "-", "--no-files"); r.code != 0 || !strings.HasPrefix(r.out, "<!doctype html>") {
		t.Errorf("on standard output: %d %.60s", r.code, r.out)
	}
	for _, args := range [][]string{{"-o", "tourmaline.yaml"}, {"-o", "pics/photo.jpg"}, {"--folder", "../out"},
		{"--folder", "x", "-o", "-"}, {"-o", "none/report.html"}} {
		if r := run(t, dir, append([]string{"report", "--no-files"}, args...)...); r.code != 2 {
			t.Errorf("%v: %d %s", args, r.code, r.err)
		}
	}
}

package e2e

import (
	"flag"
	"fmt"
	"image"
	"image/color"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
)

// update writes the approved copies anew: look at the difference before it is committed.
var update = flag.Bool("update", false, "write the approved outputs anew")

// pinned are the commands whose output on every plan is held.
var pinned = []struct {
	file string
	args []string
}{
	{"fit.txt", []string{"fit"}},
	{"fit.json", []string{"fit", "--json"}},
	{"check.txt", []string{"check"}},
	{"check.json", []string{"check", "--json"}},
	{"check.sarif", []string{"check", "--sarif"}},
	{"settle.txt", []string{"settle", "--dry-run"}},
	{"settle.json", []string{"settle", "--dry-run", "--json"}},
	{"css.css", []string{"css", "--effort", "quick"}},
	{"cut.txt", []string{"cut", "--dry-run"}},
	{"cut.json", []string{"cut", "--dry-run", "--json"}},
}

// drawn is a picture of a function of 0..1.
func drawn(w, h int, f func(x, y float64) color.NRGBA) string {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for i := range w * h {
		img.SetNRGBA(i%w, i/w, f(float64(i%w)/float64(w), float64(i/w)/float64(h)))
	}
	return pngOf(img)
}

// approvedPictures are what the pinned plans name.
func approvedPictures() map[string]string {
	level := func(v float64) uint8 { return uint8(min(max(v, 0), 255)) }
	return map[string]string{
		"pics/photo.jpg": photo(1200, 675),
		"pics/small.jpg": photo(300, 200),
		"pics/tile.png": drawn(64, 64, func(x, y float64) color.NRGBA {
			v := 200 + 12*float64(int(x*8)%2) - 12*float64(int(y*8)%2)
			return color.NRGBA{level(v), level(v - 4), level(v - 14), 255}
		}),
		"pics/seam.png": drawn(64, 64, func(x, y float64) color.NRGBA {
			return color.NRGBA{level(60 + 90*x),
				level(70 + 80*x), 90, 255}
		}),
		"pics/motif.png": drawn(90, 60, func(x, y float64) color.NRGBA {
			if (x-0.5)*(x-0.5)+(y-0.5)*(y-0.5) < 0.1 {
				return color.NRGBA{220, 180, 90, 255}
			}
			return color.NRGBA{}
		}),
	}
}

// plain takes out of an output what differs from run to run: seconds, and folders.
func plain(out, dir string) string {
	out = strings.ReplaceAll(out, dir, "DIR")
	return regexp.MustCompile(`in \d+\.\d s\b`).ReplaceAllString(out, "in N s")
}

// Every output on a set of plans is as it was approved.
func TestApprovedOutputs(t *testing.T) {
	folder := filepath.Join("testdata", "approved")
	plans, _ := filepath.Glob(filepath.Join(folder, "*.yaml"))
	names := []string{"site", "troubled"}
	for _, p := range plans {
		names = append(names, strings.TrimSuffix(filepath.Base(p), ".yaml"))
	}
	if len(names) < 14 {
		t.Fatalf("only %d plans", len(names))
	}
	for _, name := range names {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			dir := t.TempDir()
			if slices.Contains([]string{"site", "troubled"}, name) {
				if err := os.CopyFS(dir, os.DirFS(filepath.Join("..", "demo", name))); err != nil {
					t.Fatal(err)
				}
			} else {
				text, err := os.ReadFile(filepath.Join(folder, name+".yaml"))
				if err != nil {
					t.Fatal(err)
				}
				write(t, dir, approvedPictures())
				write(t, dir, map[string]string{"tourmaline.yaml": string(text)})
			}
			for _, c := range pinned {
				r := run(t, dir, c.args...)
				approve(t, filepath.Join(folder, name, c.file),
					plain(fmt.Sprintf("%s-- exit %d\n%s", r.out, r.code, r.err), dir))
			}
		})
	}
}

// progressLines are told by time, not by what was done.
var progressLines = regexp.MustCompile(`(?m)^(checking|cutting|settling): .*\n`)

// approve compares an output with its approved copy.
func approve(t *testing.T, path, got string) {
	t.Helper()
	got = progressLines.ReplaceAllString(got, "")
	if *update {
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(got), 0o644); err != nil {
			t.Fatal(err)
		}
		return
	}
	want, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	if got == string(want) {
		return
	}
	a, b := strings.Split(got, "\n"), strings.Split(string(want), "\n")
	for i := range a {
		if i >= len(b) || a[i] != b[i] {
			was := "(nothing)"
			if i < len(b) {
				was = b[i]
			}
			t.Errorf("%s: line %d\n got %s\nwant %s", path, i+1, a[i], was)
			return
		}
	}
	t.Errorf("%s: %d lines are missing at the end", path, len(b)-len(a))
}

// The help of every command is as it was approved.
func TestApprovedHelp(t *testing.T) {
	dir := t.TempDir()
	for _, c := range []string{"", "look", "fit", "check", "settle", "proof", "paint", "cut", "css", "build", "demo",
		"licences"} {
		r := run(t, dir, append(strings.Fields(c), "--help")...)
		approve(t, filepath.Join("testdata", "help", "tourmaline-"+c+".txt"), r.out+r.err)
	}
}

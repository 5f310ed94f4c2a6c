package e2e

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"
)

// kills is how many runs are killed; more with TOURMALINE_KILLS.
func kills() int {
	if n, err := strconv.Atoi(os.Getenv("TOURMALINE_KILLS")); err == nil {
		return n
	}
	return 60
}

// openPlan has a position that is left to settle, and more than one file.
const openPlan = `tourmaline: 1
pictures: pics
files: {formats: [webp]}
viewports: {widths: 320-1600, densities: [1], named: {phone: 400x800@1, desktop: 1600x900@1}}
boxes:
  - name: hero
    selector: header
    height: 400px
    layers:
      - {image: photo.jpg, size: cover, position: auto, keep: {x: 10%, y: 30%, width: 10%, height: 30%}}
      - {color: "#102030"}
`

// Whenever a run is killed, its output, the plan and the designer's stylesheet are as before or as after it, and the
// stylesheet names no file that is not there.
func TestKilledAtAnyMoment(t *testing.T) { // not beside others: it is about time
	dir := t.TempDir()
	cache := filepath.Join(dir, "cache")
	const style = "header { margin: 0 }\n"
	write(t, dir, map[string]string{"pics/photo.jpg": photo(900, 450), "index.html": "<!DOCTYPE html><link " +
		"rel=stylesheet " +
		"href=site.css><header>x</header>"})
	variants := []string{openPlan, strings.Replace(openPlan, "#102030", "#302010", 1)}
	steps := [][]string{{"build", "--cache", cache}, {"settle"}, {"css", "--into", "site.css"}}
	// What each step makes of each variant, and how long it takes.
	type after map[string]string
	want := [2][3]after{}
	takes := [3]time.Duration{}
	reset := func(v, step int) {
		plan := variants[v]
		if step == 2 {
			plan = strings.Replace(plan, "position: auto", "position: 20% 50%", 1)
		}
		write(t, dir, map[string]string{"tourmaline.yaml": plan, "site.css": style})
	}
	files := []string{"tourmaline.yaml", "site.css", "dist/backgrounds.css", "dist/index.html"}
	state := func() after {
		out := after{}
		for _, f := range files {
			data, _ := os.ReadFile(filepath.Join(dir, f))
			out[f] = string(data)
		}
		return out
	}
	for range 2 { // the second time from the cache
		for v := range 2 {
			for step, args := range steps {
				reset(v, step)
				begin := time.Now()
				if r := run(t, dir, args...); r.code != 0 {
					t.Fatalf("%v: %d %s%s", args, r.code, r.out, r.err)
				}
				takes[step], want[v][step] = time.Since(begin), state()
			}
		}
	}
	r := rand.New(rand.NewPCG(3, 19))
	killed := 0
	for i := range kills() {
		v, step := i/3%2, i%3
		reset(v, step)
		before := state()
		cmd := exec.Command(program, steps[step]...)
		cmd.Dir = dir
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		// Half of them near the end, where files get their names.
		wait := r.Float64()
		if i/6%2 == 0 {
			wait = 0.75 + wait*0.4
		}
		time.Sleep(time.Duration(wait * float64(takes[step])))
		if cmd.Process.Kill() == nil && cmd.Wait() != nil {
			killed++
		}
		got := state()
		for _, f := range files {
			if got[f] != before[f] && got[f] != want[v][step][f] {
				t.Fatalf("%v, killed after %.2f of it: %s is neither as before nor as after:\n%s", steps[step],
					wait, f, got[f])
			}
		}
		if bad := whole(filepath.Join(dir, "dist")); bad != "" {
			t.Fatalf("%v, killed after %.2f of it: %s", steps[step], wait, bad)
		}
	}
	if killed < kills()/10 {
		t.Errorf("only %d of %d runs were killed in time", killed, kills())
	}
	// The next run finishes as if nothing had been.
	reset(0, 0)
	if r := run(t, dir, steps[0]...); r.code != 0 ||
		state()["dist/backgrounds.css"] != want[0][0]["dist/backgrounds.css"] {
		t.Errorf("after the killed runs: %d %s%s", r.code, r.out, r.err)
	}
}

// A first build that is killed leaves nothing that keeps the next one from building.
func TestKilledInTheFirstBuild(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	cache := filepath.Join(dir, "cache")
	write(t, dir, map[string]string{"pics/photo.jpg": photo(900, 450), "tourmaline.yaml": openPlan})
	run(t, dir, "build", "--cache", cache)
	begin := time.Now()
	run(t, dir, "build", "--cache", cache)
	takes := time.Since(begin)
	r := rand.New(rand.NewPCG(4, 19))
	for i := range 12 {
		if err := os.RemoveAll(filepath.Join(dir, "dist")); err != nil {
			t.Fatal(err)
		}
		write(t, dir, map[string]string{"tourmaline.yaml": openPlan})
		cmd := exec.Command(program, "build", "--cache", cache)
		cmd.Dir = dir
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		time.Sleep(time.Duration((0.7 + 0.5*r.Float64()) * float64(takes)))
		_ = cmd.Process.Kill()
		_ = cmd.Wait()
		write(t, dir, map[string]string{"tourmaline.yaml": strings.Replace(openPlan, "#102030",
			fmt.Sprintf("#1020%02d", i), 1)})
		if r := run(t, dir, "build", "--cache", cache); r.code != 0 || whole(filepath.Join(dir, "dist")) != "" {
			t.Fatalf("%d: %d %s%s", i, r.code, r.out, r.err)
		}
	}
}

// Two builds at once, of different plans into one folder, and pictures that change while they are read, end in an
// output that is whole, and in exit 0 or one clear line.
func TestBuildsBesideEachOther(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"pics/photo.jpg": photo(900, 450), "a.yaml": openPlan,
		"b.yaml": strings.Replace(openPlan, "400px", "300px", 1)})
	pictures := []string{photo(900, 450), photo(700, 500), photo(900, 450)[:3000]}
	for i := range 8 {
		var wait sync.WaitGroup
		for _, plan := range []string{"a.yaml", "b.yaml"} {
			wait.Go(func() {
				r := run(t, dir, "build", "--cache", filepath.Join(dir, "cache"), plan)
				if r.code != 0 && (r.code != 2 || strings.Contains(r.err, "defect") || strings.Contains(r.err,
					"goroutine")) {
					t.Errorf("%s: %d %s%s", plan, r.code, r.out, r.err)
				}
			})
		}
		wait.Go(func() { // as an editor does, and as a careless one does
			for k := range 20 {
				data := []byte(pictures[(i+k)%3])
				name := filepath.Join(dir, "pics/photo.jpg")
				if k%2 == 0 {
					_ = os.WriteFile(name+".new", data, 0o644)
					_ = os.Rename(name+".new", name)
				} else {
					_ = os.WriteFile(name, data, 0o644)
				}
				time.Sleep(15 * time.Millisecond)
			}
		})
		wait.Wait()
		if bad := whole(filepath.Join(dir, "dist")); bad != "" {
			t.Fatal(bad)
		}
	}
	write(t, dir, map[string]string{"pics/photo.jpg": pictures[0]})
	if r := run(t, dir, "build", "a.yaml"); r.code != 0 || whole(filepath.Join(dir, "dist")) != "" {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
}

// A disk that is full, and places that cannot be written to, leave what was there, and are told in one line.
func TestNoPlaceToWrite(t *testing.T) {
	t.Parallel()
	if runtime.GOOS != "linux" {
		t.Skip("limits of files, and /dev/full, are Linux's")
	}
	dir := t.TempDir()
	cache := filepath.Join(dir, "cache")
	write(t, dir, map[string]string{"pics/photo.jpg": photo(900, 450), "tourmaline.yaml": openPlan})
	if r := run(t, dir, "build", "--cache", cache); r.code != 0 {
		t.Fatal(r.err)
	}
	before := tree(t, filepath.Join(dir, "dist"))
	changed := strings.Replace(openPlan, "400px", "350px", 1)
	write(t, dir, map[string]string{"tourmaline.yaml": changed})
	full := func(args ...string) result { // no file may be larger than 4 KB
		cmd := exec.Command("sh", append([]string{"-c", `ulimit -f 8; exec "$0" "$@"`, program}, args...)...)
		cmd.Dir = dir
		var out, errs bytes.Buffer
		cmd.Stdout, cmd.Stderr = &out, &errs
		_ = cmd.Run()
		return result{out.String(), errs.String(), cmd.ProcessState.ExitCode()}
	}
	clear := func(what string, r result) {
		t.Helper()
		lines := strings.Split(strings.TrimSpace(r.err), "\n") // the last; before it stands how far it was
		if r.code != 2 || strings.Contains(r.err, "goroutine") || !strings.HasPrefix(lines[len(lines)-1],
			"tourmaline: ") || !strings.Contains(r.err, "cannot be written") {
			t.Errorf("%s: %d %s%s", what, r.code, r.out, r.err)
		}
	}
	clear("a full disk", full("build", "--cache", cache))
	after := tree(t, filepath.Join(dir, "dist"))
	for name, data := range before {
		if after[name] != data {
			t.Errorf("a full disk: %s is another", name)
		}
	}
	for name := range after {
		if _, ok := before[name]; !ok {
			t.Errorf("a full disk: %s was left", name)
		}
	}
	clear("css -o /dev/full", run(t, dir, "css", "-o", "/dev/full"))
	clear("proof into /proc", run(t, dir, "proof", "-o", "/proc/proof.png"))
	write(t, dir, map[string]string{"tourmaline.yaml": changed + "output: /proc/dist\n"})
	clear("build into /proc", run(t, dir, "build", "--cache", cache))
}

// Plans of all manners come back byte for byte, but for what was settled.
func TestPlansComeBackByteForByte(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"pics/photo.jpg": photo(900, 450)})
	flow := "      - {image: photo.jpg, size: cover, position: auto, keep: {x: 10%, y: 30%, width: 10%, height: 30%}}\n"
	block := "      - image: photo.jpg\n        size: cover\n        position: auto\n        keep:\n          " +
		"x: 10%\n" +
		"          y: 30%\n          width: 10%\n          height: 30%\n"
	quoted := strings.Replace(strings.Replace(block, "position: auto", `"position":   'auto'`, 1), "photo.jpg", `"photo.jpg"`, 1)
	anchored := strings.Replace(block, "keep:\n", "keep: &keep\n", 1)
	layers := []string{flow, block, quoted, anchored}
	comments := []string{"", "# ä comment — with 𝄞 signs: [ { \"\n", "\n\n   \n", "# " + strings.Repeat("long ",
		3000) + "\n"}
	manners := []func(string) string{
		func(s string) string { return s },
		func(s string) string { return strings.ReplaceAll(s, "\n", "\r\n") },
		func(s string) string { return "\ufeff" + s },
		func(s string) string { return strings.TrimSuffix(s, "\n") },
	}
	settled := regexp.MustCompile(`auto = [0-9.%px ]*[0-9%px]`)
	n := 0
	for _, layer := range layers {
		for k, comment := range comments {
			for _, manner := range manners {
				text := manner(comment + strings.Replace(openPlan, flow, layer, 1) + []string{"", "# end\n",
					"\t\n", "...\n"}[k])
				write(t, dir, map[string]string{"tourmaline.yaml": text})
				r := run(t, dir, "settle")
				if r.code == 2 { // some manners are no YAML: then nothing is written
					t.Logf("%.40q %d: %s", text, k, r.err)
					if now, err := os.ReadFile(filepath.Join(dir, "tourmaline.yaml")); err != nil ||
						string(now) != text {
						t.Errorf("%q was refused and changed: %s", text, r.err)
					}
					continue
				}
				now, err := os.ReadFile(filepath.Join(dir, "tourmaline.yaml"))
				back := settled.ReplaceAllString(string(now), "auto")
				if err != nil || r.code != 0 || back != text || !settled.MatchString(string(now)) {
					t.Errorf("%d %s: %q came back as %q", r.code, r.err, text, now)
				}
				n++
			}
		}
	}
	if n < 60 {
		t.Errorf("only %d plans were settled", n)
	}
}

// The same plan makes the same bytes, whatever the folder, the number of jobs and the cache.
func TestTheSameBytesEverywhere(t *testing.T) {
	t.Parallel()
	var first map[string]string
	for i, args := range [][]string{{"--jobs", "1", "--cache", "none"}, {"--jobs", "4", "--cache", "none"}, {
		"--jobs", "2"},
		{"--jobs", "3"}} {
		dir := filepath.Join(t.TempDir(), strings.Repeat("deep/", i)+"a b")
		write(t, dir, map[string]string{"pics/photo.jpg": photo(900, 450), "pics/other.jpg": photo(800, 500),
			"tourmaline.yaml": openPlan + "  - {name: two, selector: main, height: 300px, layers: [{image: " +
				"other.jpg, " +
				"size: cover}, {color: auto}]}\n"})
		if i > 1 {
			args = append(args, "--cache", filepath.Join(t.TempDir(), "cache"))
		}
		if r := run(t, dir, append([]string{"build"}, args...)...); r.code != 0 {
			t.Fatalf("%d %s%s", r.code, r.out, r.err)
		}
		got := tree(t, filepath.Join(dir, "dist"))
		if first == nil {
			first = got
		}
		for name := range first {
			if got[name] != first[name] || len(got) != len(first) {
				t.Errorf("%v: %s is another, of %d files, %d before", args, name, len(got), len(first))
			}
		}
	}
}

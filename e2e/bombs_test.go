//go:build linux

package e2e

import (
	"fmt"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"tourmaline/e2e/corpus"
)

// spent is what a run of the program took.
type spent struct {
	result
	wall, work time.Duration
	memory     int64 // KB
}

func measured(t *testing.T, dir string, args ...string) spent {
	t.Helper()
	cmd := exec.Command(program, args...)
	cmd.Dir = dir
	var out, errs strings.Builder
	cmd.Stdout, cmd.Stderr = &out, &errs
	start := time.Now()
	err := cmd.Start()
	if err != nil {
		t.Fatal(err)
	}
	late := time.AfterFunc(60*time.Second, func() { _ = cmd.Process.Kill() })
	ended := make(chan int64)
	stop := make(chan struct{})
	go func() { ended <- highest(cmd.Process.Pid, stop) }()
	_ = cmd.Wait()
	late.Stop()
	close(stop)
	u := cmd.ProcessState.SysUsage().(*syscall.Rusage)
	return spent{result{out.String(), errs.String(), cmd.ProcessState.ExitCode()}, time.Since(start),
		time.Duration(u.Utime.Nano() + u.Stime.Nano()), <-ended}
}

// highest is the most memory of a process, KB, as the system says it every few ms: what it says at the end counts the
// process that started it too.
func highest(pid int, stop chan struct{}) (most int64) {
	for {
		select {
		case <-stop:
			return most
		case <-time.After(5 * time.Millisecond):
		}
		data, _ := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
		_, rest, _ := strings.Cut(string(data), "VmHWM:")
		var kb int64
		if _, err := fmt.Sscan(rest, &kb); err == nil && strings.Contains(string(data), "tourmaline") {
			most = max(most, kb)
		}
	}
}

// light holds a run against the limits: 5 s, by the clock or of work, 300 MB, and an error of one clear line. A run
// that writes nothing is measured again where it took longer: a busy machine can make one slow, and none quick.
func light(t *testing.T, dir string, args ...string) spent {
	t.Helper()
	s := measured(t, dir, args...)
	for range 2 {
		if min(s.wall, s.work) > 5*time.Second && !slices.Contains(args, "-o") {
			s = measured(t, dir, args...)
		}
	}
	what := strings.Join(args, " ")
	if s.wall > 300*time.Millisecond && s.memory == 0 {
		t.Errorf("%s: its memory was not measured", what)
	}
	if min(s.wall, s.work) > 5*time.Second || s.memory > 300<<10 {
		t.Errorf("%s: %v by the clock, %v of work, %d MB: %s", what, s.wall, s.work, s.memory>>10, s.err)
	}
	// How far a long run is stands in lines of its own.
	errs := slices.DeleteFunc(strings.Split(strings.TrimSpace(s.err), "\n"), func(l string) bool {
		return strings.HasPrefix(l, "checking: ") || strings.HasPrefix(l, "cutting: ")
	})
	if s.code < 0 || s.code > 2 || s.code == 2 && (len(errs) != 1 || !strings.HasPrefix(errs[0], "tourmaline: ")) ||
		strings.Contains(s.err, "goroutine") || strings.Contains(s.err, "defect of tourmaline") {
		t.Errorf("%s: exit %d, %s", what, s.code, s.err)
	}
	return s
}

// Pictures that are small to send and large to take in are refused, or taken in, in no time and little memory.
func TestPictureBombs(t *testing.T) { // not beside others: time and memory are measured
	dir := t.TempDir()
	write(t, dir, map[string]string{"warm.svg": `<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"/>`})
	run(t, dir, "look", "warm.svg") // compiles what draws
	plan := func(name string) string {
		return "tourmaline: 1\nboxes: [{name: b, height: 300px, text: [{area: {left: 10%, top: 10%, width: 50%, " +
			"height: 50%}, " +
			"color: white}], layers: [{image: " + name + ", size: cover}, {color: teal}]}]\n"
	}
	bombs := corpus.PictureBombs()
	refused := 0
	for _, name := range slices.Sorted(maps.Keys(bombs)) {
		write(t, dir, map[string]string{name: string(bombs[name]()), "plan.yaml": plan(name)})
		s := light(t, dir, "look", name)
		if s.code == 2 {
			refused++
		}
		if c := light(t, dir, "fit", "plan.yaml"); s.code == 2 && strings.HasSuffix(name, "g") && c.code > 2 {
			t.Errorf("%s: %d %s", name, c.code, c.err)
		}
		if strings.HasSuffix(name, ".svg") && s.code == 2 {
			// What cannot be drawn is told: its texts are not looked at.
			c := light(t, dir, "check", "plan.yaml")
			if !strings.Contains(c.out, "not-drawn") && !strings.Contains(c.out, "missing") {
				t.Errorf("%s: check says nothing of it:\n%s", name, c.out)
			}
		}
		if err := os.Remove(filepath.Join(dir, name)); err != nil {
			t.Fatal(err)
		}
	}
	if refused < 15 {
		t.Errorf("%d of %d are refused", refused, len(bombs))
	}
}

func TestPlanBombs(t *testing.T) { // not beside others: time and memory are measured
	dir := t.TempDir()
	bombs := corpus.PlanBombs()
	for _, name := range slices.Sorted(maps.Keys(bombs)) {
		write(t, dir, map[string]string{name: string(bombs[name]())})
		s := light(t, dir, "check", name)
		if s.code != 2 && name != "wide-range.yaml" {
			t.Errorf("%s: exit %d, %s", name, s.code, s.err)
		}
		if !strings.Contains(s.err, name) && s.code == 2 {
			t.Errorf("%s: no place: %s", name, s.err)
		}
	}
	if s := light(t, dir, "check", "/dev/zero"); s.code != 2 {
		t.Errorf("exit %d, %s", s.code, s.err)
	}
	if err := syscall.Mkfifo(filepath.Join(dir, "pipe.jpg"), 0o600); err != nil {
		t.Fatal(err)
	}
	write(t, dir, map[string]string{"pipe.yaml": "tourmaline: 1\nboxes: [{name: b, height: 9px, layers: " +
		"[{image: pipe.jpg}]}]\n"})
	if s := light(t, dir, "check", "pipe.yaml"); s.code != 1 || !strings.Contains(s.out, "no ordinary file") {
		t.Errorf("exit %d, %s%s", s.code, s.out, s.err)
	}
}

func TestPageBombs(t *testing.T) { // not beside others: time and memory are measured
	bombs := corpus.PageBombs()
	for _, name := range slices.Sorted(maps.Keys(bombs)) {
		dir := filepath.Join(t.TempDir(), name)
		html, css := bombs[name]()
		write(t, dir, map[string]string{"index.html": string(html), "site.css": string(css)})
		light(t, dir, "trace", "index.html")
		if name == "many-boxes" || name == "conditions" {
			light(t, dir, "start", "index.html", "-o", "plan.yaml")
		}
	}
}

// Cutting stays about within the memory that it is given, garbage included: the program's own code comes on top.
func TestCutStaysWithinItsMemory(t *testing.T) { // not beside others: memory is measured
	const given, code = 640, 160 // MB
	dir := t.TempDir()
	if r := runDemo(t, dir); r.code != 0 {
		t.Fatal(r.err)
	}
	dir = filepath.Join(dir, "obs")
	s := measured(t, dir, "cut", "--cache", "none", "--box", "hero", "--memory", fmt.Sprint(given))
	if s.code != 0 || s.memory == 0 || s.memory > (given+code)<<10 {
		t.Errorf("exit %d, %d MB: %s", s.code, s.memory>>10, s.err)
	}
}

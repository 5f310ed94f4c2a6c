package cli

import (
	"bytes"
	"strings"
	"testing"
	"time"
)

// In a pipe a long piece of work says how far it is at most every ten seconds, with its rate.
func TestProgressInAPipe(t *testing.T) {
	var b bytes.Buffer
	p := (&session{err: &b}).progress("cutting")
	p.step(1, 100)
	if b.Len() > 0 {
		t.Errorf("in the first second: %q", b.String())
	}
	p.start = time.Now().Add(-20 * time.Second)
	p.step(40, 100) // 2 a second: 60 more take 30 s
	p.step(41, 100)
	if got, want := b.String(), "cutting: 40 of 100 after 20 s (2.0 a second), about 30 s to go\n"; got != want {
		t.Errorf("%q, want %q", got, want)
	}
	p.told = p.told.Add(-apart)
	p.step(100, 100)
	lines := strings.Split(strings.TrimSpace(b.String()), "\n")
	if len(lines) != 2 || strings.Contains(lines[1], "to go") {
		t.Errorf("%q", b.String())
	}
	p.end()
}

// What is left is told by the work, not by how many are done: the first files of a run are the largest. Of the first
// few of them it is not told at all.
func TestProgressByWork(t *testing.T) {
	var b bytes.Buffer
	p := (&session{err: &b}).progress("cutting")
	p.start = time.Now().Add(-9 * time.Second)
	p.about(1, 18, 0.1, "dome.jpg 2560 px")
	p.told = p.told.Add(-apart)
	p.about(3, 18, 0.75, "dome.jpg 1280 px") // 9 s for three quarters: 3 s for the last one
	want := "cutting: 1 of 18 after 9 s (0.1 a second)\ncutting: 3 of 18 after 9 s (0.3 a second), about 3 s to go\n"
	if got := b.String(); got != want {
		t.Errorf("%q, want %q", got, want)
	}
}

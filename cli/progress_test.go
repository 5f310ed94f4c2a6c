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

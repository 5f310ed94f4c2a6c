package e2e

import (
	"flag"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// update writes the approved copies anew: look at the difference before it is committed.
var update = flag.Bool("update", false, "write the approved outputs anew")

// approve compares an output with its approved copy.
func approve(t *testing.T, path, got string) {
	t.Helper()
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
	t.Parallel()
	dir := t.TempDir()
	for _, c := range append([]string{"", "licences", "schema", "manual", "completion"}, commands...) {
		r := run(t, dir, append(strings.Fields(c), "--help")...)
		approve(t, filepath.Join("testdata", "help", "tourmaline-"+c+".txt"), r.out+r.err)
	}
}

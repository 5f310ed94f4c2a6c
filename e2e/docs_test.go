package e2e

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

func read(t *testing.T, path string) string {
	t.Helper()
	data, err := os.ReadFile(filepath.Join("..", path))
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

// Headings of the rationale that code cites exist.
func TestCitedHeadingsExist(t *testing.T) {
	t.Parallel()
	rationale := read(t, "docs/RATIONALE.md")
	cite := regexp.MustCompile(`docs/RATIONALE\.md,\s*(?://\s*)?"([^"]+)"|"([^"]+\?)"\.?\s+(?://\s*)?in docs/RATIONALE\.md|docs/RATIONALE\.md lists\s+(?://\s*)?under "([^"]+)"`)
	found := 0
	filepath.WalkDir("..", func(path string, d os.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") {
			return nil
		}
		data, _ := os.ReadFile(path)
		text := regexp.MustCompile(`\n\s*// ?`).ReplaceAllString(string(data), " ")
		for _, m := range cite.FindAllStringSubmatch(text, -1) {
			heading := m[1] + m[2] + m[3]
			found++
			if !strings.Contains(rationale, "## "+heading+"\n") {
				t.Errorf("%s cites %q, which is no heading", path, heading)
			}
		}
		return nil
	})
	if found < 3 {
		t.Errorf("only %d citations were found", found)
	}
}

// Links of the README lead somewhere, and the manual names every command.
func TestLinksAndCommands(t *testing.T) {
	t.Parallel()
	readme := read(t, "README.md")
	for _, m := range regexp.MustCompile(`\]\(([^)]+)\)`).FindAllStringSubmatch(readme, -1) {
		if _, err := os.Stat(filepath.Join("..", m[1])); err != nil {
			t.Errorf("the README links to %s: %v", m[1], err)
		}
	}
	manual := read(t, "docs/MANUAL.md")
	for _, c := range commands {
		if !strings.Contains(manual, "**"+c) || !strings.Contains(readme, "tourmaline "+c) {
			t.Errorf("%s is not in the README and the manual", c)
		}
	}
	shots, _ := filepath.Glob("../docs/screenshots/*.png")
	for _, s := range shots {
		if !strings.Contains(readme, filepath.Base(s)) {
			t.Errorf("%s is not linked", s)
		}
	}
	if len(shots) == 0 || len(shots) >= 20 {
		t.Errorf("%d screenshots", len(shots))
	}
}

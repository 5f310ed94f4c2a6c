package app

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"tourmaline/core/sheet"
)

// A stylesheet that somebody changes while the rules are made is not overwritten.
func TestChangedMeanwhileIsNotOverwritten(t *testing.T) {
	dir := t.TempDir()
	for name, text := range map[string]string{"style.css": "/* one */\n",
		"index.html": "<link rel=stylesheet href=style.css><p class=b>",
		"tourmaline.yaml": "tourmaline: 1\nviewports: {named: {w: 700x500@1}}\nboxes: [{name: b, height: 9px, " +
			"layers: [{color: red}]}]\n"} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	pr, err := Open(filepath.Join(dir, "tourmaline.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	style := filepath.Join(dir, "style.css")
	target, err := pr.OpenTarget(style, nil, "")
	if err != nil {
		t.Fatal(err)
	}
	if len(target.Pages) != 1 || target.Pages[0] != "index.html" {
		t.Errorf("the pages that use it are %v", target.Pages)
	}
	w, err := sheet.Write(t.Context(), pr.Plan, nil, sheet.Options{}, target.Into(false))
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(style, []byte("/* two */\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := target.Save(w); err == nil || !strings.Contains(err.Error(), "changed meanwhile") {
		t.Errorf("saved over a change: %v", err)
	}
	if now, _ := os.ReadFile(style); string(now) != "/* two */\n" {
		t.Errorf("the stylesheet is %q", now)
	}
	if _, err := os.Stat(style + keptSuffix); err == nil {
		t.Error("a file was kept though nothing was written")
	}
}

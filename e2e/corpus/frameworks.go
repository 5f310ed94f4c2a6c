package corpus

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"
)

// Frameworks are open CSS frameworks: the package, and the stylesheet in it. Tests read them; they are no
// part of this repository.
var Frameworks = [][2]string{
	{"bootstrap@5.3.3", "package/dist/css/bootstrap.css"},
	{"bulma@1.0.2", "package/css/bulma.css"},
	{"@picocss/pico@2.0.6", "package/css/pico.css"},
}

// Unpacked is a file of a package of the registry that npm knows; "" where there is none.
func Unpacked(t testing.TB, name, file string) string {
	t.Helper()
	dir := t.TempDir()
	pack := exec.Command("npm", "pack", name, "--silent")
	pack.Dir = dir
	if out, err := pack.CombinedOutput(); err != nil {
		t.Logf("npm pack %s: %v %s", name, err, out)
		return ""
	}
	archives, _ := filepath.Glob(filepath.Join(dir, "*.tgz"))
	if len(archives) != 1 {
		t.Fatalf("%d archives", len(archives))
	}
	if out, err := exec.Command("tar", "xzf", archives[0], "-C", dir).CombinedOutput(); err != nil {
		t.Fatalf("tar: %v %s", err, out)
	}
	text, err := os.ReadFile(filepath.Join(dir, file))
	if err != nil {
		t.Fatal(err)
	}
	return string(text)
}

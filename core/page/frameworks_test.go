package page

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"tourmaline/e2e/shoot"
)

// frameworks are open CSS frameworks: the package, and the stylesheet in it.
var frameworks = [][2]string{
	{"bootstrap@5.3.3", "package/dist/css/bootstrap.css"},
	{"bulma@1.0.2", "package/css/bulma.css"},
	{"@picocss/pico@2.0.6", "package/css/pico.css"},
}

// unpacked is a file of a package of the registry that npm knows; "" where there is none.
func unpacked(t *testing.T, name, file string) string {
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

// A page in the classes of well-known frameworks has what a real browser computes.
func TestFrameworksAsInABrowser(t *testing.T) {
	if shoot.Browser() == "" {
		t.Skip("no browser here")
	}
	if _, err := exec.LookPath("npm"); err != nil {
		t.Skip("no npm here, which brings the frameworks")
	}
	page, err := os.ReadFile("testdata/classes.html")
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range frameworks {
		css := unpacked(t, f[0], f[1])
		if css == "" {
			continue
		}
		files := map[string]string{"index.html": string(page), "fw.css": css}
		compare(t, f[0], ours(t, files), theirs(t, files))
	}
}

package page

import (
	"os"
	"os/exec"
	"testing"

	"tourmaline/e2e/corpus"
	"tourmaline/e2e/shoot"
)

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
	for _, f := range corpus.Frameworks {
		css := corpus.Unpacked(t, f[0], f[1])
		if css == "" {
			continue
		}
		files := map[string]string{"index.html": string(page), "fw.css": css}
		compare(t, f[0], ours(t, files), theirs(t, files))
	}
}

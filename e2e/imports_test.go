package e2e

import (
	"bytes"
	"encoding/json"
	"errors"
	"io"
	"os/exec"
	"slices"
	"strings"
	"testing"
)

// order is the design: a package may import only what stands before it.
var order = []string{"core/source", "core/work", "core/doc", "core/window", "core/css", "core/cascade", "core/page",
	"core/codec/avifbox", "core/codec", "core/video",
	"core/picture", "core/trace", "core/similar", "core/pattern", "core/plan", "core/measure",
	"core/layout", "core/place", "core/fit", "core/finding", "core/sweep", "core/paint", "core/contrast", "core/flash",
	"core/texture", "core/draft",
	"core/check", "core/settle", "core/tune", "core/cut", "core/prove", "core/sheet", "proof", "report", "serve", "app",
	"demo", "cli",
	"cmd/tourmaline",
	"e2e/shoot", "e2e/corpus", "e2e/public", "e2e/calibrate", "e2e"}

func TestImportsFollowTheDesign(t *testing.T) {
	t.Parallel()
	out, err := exec.Command("go", "list", "-json=ImportPath,Imports", "tourmaline/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	dec := json.NewDecoder(bytes.NewReader(out))
	for {
		var p struct {
			ImportPath string
			Imports    []string
		}
		if err := dec.Decode(&p); errors.Is(err, io.EOF) {
			return
		} else if err != nil {
			t.Fatal(err)
		}
		name := strings.TrimPrefix(p.ImportPath, "tourmaline/")
		at := slices.Index(order, name)
		if at < 0 {
			t.Errorf("%s is not in the table of packages", name)
		}
		for _, imp := range p.Imports {
			if rest, ok := strings.CutPrefix(imp, "tourmaline/"); ok && slices.Index(order, rest) >= at {
				t.Errorf("%s imports %s, which does not stand before it", name, rest)
			}
			if strings.HasPrefix(name, "core/") && (imp == "os" || imp == "flag" || imp == "log" ||
				strings.Contains(imp, "urfave")) {
				t.Errorf("%s imports %s: the core computes only", name, imp)
			}
			if strings.Contains(imp, "urfave") && name != "cli" {
				t.Errorf("%s imports %s: only cli knows flags", name, imp)
			}
		}
	}
}

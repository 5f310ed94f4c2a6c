package e2e

import (
	"strings"
	"testing"
)

// Pages as themes make them: variables on :root, :host; rules for other browsers; boxes without a word in them.
func TestPagesOfOthers(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"index.html": `<!doctype html><link rel=stylesheet href=a.css><div class=band></div>
<section class=words>Words</section>`, "a.css": `:root, :host { --paper: #204060; --ink: #ffffff }
.band { height: 40px; background: var(--paper) } .words { height: 90px; background: #101010; color: var(--ink) }
.band::-moz-selection { background: red } a:-moz-focusring, b::-ms-clear { color: red } ::-moz-x, .words { background: red }`})
	r := run(t, dir, "trace", "index.html")
	for _, want := range []string{"#204060", "3 rules are for other browsers"} {
		if r.code != 0 || !strings.Contains(r.out, want) {
			t.Errorf("%q is not in\n%s%s", want, r.out, r.err)
		}
	}
	if strings.Contains(r.out, "browsers drop the whole rule") {
		t.Errorf("a rule that browsers read is told as dropped:\n%s", r.out)
	}
	for _, args := range [][]string{{"check", "index.html"}, {"start", "index.html"}, {"check"}, {"fit", "--at", "390"},
		{"css", "--draft"}} {
		if r := run(t, dir, args...); r.code > 1 {
			t.Errorf("%v: %d %s", args, r.code, r.err)
		}
	}
	if text := contents(t, dir+"/tourmaline.yaml"); !strings.Contains(text, "phone:   {size: 390x844@3, touch: true") {
		t.Errorf("the drafted phone has no touch:\n%s", text)
	}
	if r := run(t, dir, "fit", "--at", "390", "--box", "band"); !strings.Contains(r.out, "390x800@1") {
		t.Errorf("%s%s", r.out, r.err)
	}
}

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

// Rules for classes, attributes and states that come later win over what is written, as they won before.
func TestIntoLeavesLaterStates(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	const style = `.bar { height: 60px; background: #222 }
#nav.is-small { background: #fff }
.hero { height: 200px; background: #345 }
.hero:hover { background: #456 }
body.dark .hero { background-color: black }
.hero[data-open] { background-image: none }
.promo { background: red }
`
	write(t, dir, map[string]string{"index.html": `<!doctype html><link rel=stylesheet href=a.css><body>
<nav id=nav class=bar>Home</nav><section class=hero>x</section>`, "a.css": style, "p.yaml": lead + `boxes:
  - {name: bar, selector: "body nav#nav.bar", height: 60px, layers: [{color: "#224466"}]}
  - {name: hero, selector: "section.hero.hero.hero", height: 200px, layers: [{color: "#334455"}]}
`})
	r := run(t, dir, "css", "p.yaml", "--draft", "--into", "a.css")
	got := contents(t, dir+"/a.css")
	for _, want := range []string{style, "\n:where(body nav#nav.bar).bar {",
		"\n:where(section.hero.hero.hero).hero {"} {
		if r.code != 0 || !strings.Contains(got, want) {
			t.Errorf("%q is not in\n%s%s", want, got, r.err)
		}
	}
	if !strings.Contains(r.err, "so that #nav.is-small in a.css:2 still wins when it applies") {
		t.Errorf("what was made weaker is not told: %s", r.err)
	}
	// Nothing wins over a style attribute but what is important, and that wins over the state, too.
	write(t, dir, map[string]string{"index.html": `<!doctype html><link rel=stylesheet href=a.css><body>
<nav id=nav class=bar style="background: #111">Home</nav><section class=hero>x</section>`,
		"a.css": strings.Replace(style, "#fff }", "#fff !important }", 1),
		"p.yaml": lead + "boxes: [{name: bar, selector: '#nav.bar.bar', height: 60px, " +
			"layers: [{color: '#224466'}]}]\n"})
	r = run(t, dir, "css", "p.yaml", "--draft", "--into", "a.css")
	if r.code != 2 || !strings.Contains(r.err, "#nav.is-small in a.css:2 would no longer give") ||
		strings.Contains(contents(t, dir+"/a.css"), "tourmaline") {
		t.Errorf("%d %s\n%s", r.code, r.err, contents(t, dir+"/a.css"))
	}
}

// Rules for what no page has would be dead: nothing is written. Where a selector has several elements that is told.
func TestIntoNamesDeadSelectors(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"a.css": "section { background: red }\n",
		"index.html": "<!doctype html><link rel=stylesheet href=a.css><section></section><section></section>",
		"dead.yaml":  lead + "boxes: [{name: b, selector: .hreo, height: 9px, layers: [{color: blue}]}]\n",
		"two.yaml":   lead + "boxes: [{name: b, selector: section, height: 9px, layers: [{color: blue}]}]\n"})
	r := run(t, dir, "css", "dead.yaml", "--draft", "--into", "a.css")
	if r.code != 2 || !strings.Contains(r.err, "dead.yaml:3:16: .hreo selects nothing in index.html") ||
		contents(t, dir+"/a.css") != "section { background: red }\n" {
		t.Errorf("%d %s", r.code, r.err)
	}
	if r := run(t, dir, "css", "two.yaml", "--draft", "--into", "a.css"); r.code != 0 ||
		!strings.Contains(r.err, "section selects 2 elements in index.html") {
		t.Errorf("%d %s", r.code, r.err)
	}
}

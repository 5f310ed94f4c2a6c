package page

import (
	"encoding/json"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"testing/fstest"

	"tourmaline/core/cascade"
	"tourmaline/core/css"
	"tourmaline/core/window"
	"tourmaline/e2e/shoot"
)

// followed are the properties that are compared with a browser.
var followed = []string{"background-color", "background-image", "background-size", "background-repeat",
	"background-attachment", "background-origin", "background-clip", "background-position-x",
	"background-position-y", "background-blend-mode", "color", "opacity", "visibility",
	"padding-top", "padding-right", "padding-bottom", "padding-left",
	"border-top-width", "border-top-style", "border-top-color", "border-left-width", "border-left-style",
	"border-left-color", "border-top-left-radius", "border-bottom-right-radius"}

// sites are pages in the manner of themes and frameworks, each a folder with an index.html.
var sites = map[string]map[string]string{
	"order": {"index.html": `<!doctype html><link rel=stylesheet href=css/base.css><link rel=stylesheet href=css/page.css>
<style>.late{background:#123456} @media (min-width: 700px){.late{background:green}}</style>
<body class=home><header id=top class="bar late">a<h1>b</h1></header>
<section class="hero dark" style="background-color: rgb(1 2 3 / 50%)"><p>c</p></section>
<section class=hero><p style="color:red;background:none">d</p><a href="#x">e</a></section><footer>f</footer>`,
		"css/base.css": `@charset "utf-8"; *{background-repeat:no-repeat} body{color:#222;background:#fff url(../img/sky.png)}
.hero{background:navy url("../img/dome.jpg") center / cover;color:white;padding:2rem 5px}
header.bar{background-color:silver;border-top:3px solid}
#top{background-color:gold}
.hero.dark{background-image:none}
@media screen and (max-width: 599.98px){.hero{background-image:url(img/small.png);padding:1em}}
@media print{.hero{background:none!important}}`,
		"css/page.css": `@import url(more.css) (width >= 900px); @import "none.css";
header{background:red!important} .hero{background-position:right 10px top 5px;background-size:50px}
section:nth-of-type(2){background-color:teal;background-repeat:repeat-x, space round}
p{color:currentcolor;background:inherit} footer{background:linear-gradient(red,blue)} a{color:unset}`,
		"css/more.css": `footer{color:#abc;background-color:#def!important}`},
	"layers": {"index.html": `<!doctype html><style>
@layer reset, base, theme;
@layer theme { .box { background: red; color: white } .x { background: revert-layer } }
@layer base { #one { background: blue; color: yellow !important } .box { padding: 4px } }
@layer reset { * { padding: 0; border-top: 1px dotted } .box { padding: 9px !important; color: black !important } }
@layer theme.inner { .box { background: lime; border-left: 2px solid green } }
@layer { .anon { background: pink } }
.plain { background: orange; border-radius: 1em 2px / 30%; border-end-end-radius: 4px } .x { border-top-left-radius: 5px 2em }
@layer base { .box:is(#two, .y) { background: gray } }
@supports (background: red) { .sup { background: aqua } }
@supports (nonsense: red) { .sup { background: black } }
@supports not (nonsense: red) { .sup { color: fuchsia } }
@supports (display: grid) and (selector(:has(a))) { .sup { padding: 3px } }
</style><body><div id=one class=box>1</div><div id=two class="box x">2</div><div class="box plain">3</div>
<div class="box anon sup" style="background: revert-layer; border-top: revert">4</div><p class="box y">5</p>`},
	"vars": {"index.html": `<!doctype html><style>
@property --p { syntax: "<color>"; inherits: false; initial-value: green }
:root { --sky: navy; --pad: 1em; --img: url(a.png); --a: var(--b); --b: var(--a); --none: ; --two: var(--sky) 50%; --p: red }
body { background: var(--sky); padding: var(--pad) var(--nope, 3px); color: var(--p) }
.card { --sky: rgb(10 20 30); background: linear-gradient(var(--sky), var(--none) red); color: var(--a, orange);
  border: 2px solid var(--missing) }
.card .in { background: var(--sky) var(--img) no-repeat; color: var(--a); padding: var(--bad, var(--pad)); font-size: 20px }
.deep { background-color: var(--x, var(--y, var(--z, #0f0))); --sky: initial; border-top: 1px solid var(--sky, red) }
.inv { background: url(b.png) red; background: var(--two); color: blue; color: var(--pad) }
.wide { background: url(b.png) red; background: inherit }
.up { --UP: #111; background: VAR(--UP) } .esc { --e\73 c: #222; background: var(--esc) }
</style><body><div class=card>a<span class=in>b<i class=deep>c</i></span></div><div class=inv>d</div>
<div class=card><b class="wide">e</b></div><p class=up>f</p><p class=esc>g</p>`},
	"nest": {"index.html": `<!doctype html><style>
.card { background: #eee; color: #111;
  & .title { background: red } .title { color: white }
  > p { background: yellow; @media (width < 600px) { background: black; color: white } }
  &:hover { background: blue } .dark & { background: #000; color: #fff }
  + .card { padding: 7px; & em { background: cyan } padding-left: 9px; }
  @supports (color: red) { border: 1px solid red }
  &.wide, &#w { background: tan }
  a:is(&, .x) { background: plum } }
@scope (.card) to (.stop) { p { border-left: 3px solid lime } .title { background: navy } :scope { padding-top: 11px } }
h2.title { background: silver }
.stop p { border-left: 1px solid red }
@container (width > 10px) { .none { background: red } }
@starting-style { .card { background: red } }
</style><body><div class=card><h2 class=title>a</h2><p>b<em>c</em></p><div class=stop><p>d</p></div></div>
<div class="card wide"><em>e</em></div><div class=dark><div class=card id=w>f</div><a class=x>g</a></div>`},
	"broken": {"index.html": `<table><tr><td bgcolor=red class=Cell>1<td>2</table><p>one<p id=Two>two<div><p>x</div>
<style>.cell{background:red}#TWO{background:lime} p{background:blu;color:red;color:nonsense;background-color:#12}
p{background: url(x.png) center/cover, url(y.png), ; padding: -3px; padding: 4px 5px}
div{background:rgb(300 0 0);;;color:red blue;color:hsl(120 100% 25%)} { } p:nonsense{color:blue} p{color:maroon
`, "none.css": ""},
}

func siteFS(files map[string]string) fs.FS {
	out := fstest.MapFS{}
	for name, text := range files {
		out[name] = &fstest.MapFile{Data: []byte(text)}
	}
	return out
}

// answers are computed values by window, element and property.
type answers map[string]map[string][]string

var widths = []int{320, 560, 600, 650, 700, 800, 900, 1200}

// ours are what a page answers.
func ours(t *testing.T, files map[string]string) answers {
	t.Helper()
	p, err := Load(siteFS(files), "index.html")
	if err != nil {
		t.Fatal(err)
	}
	out := answers{}
	for _, width := range widths {
		w := p.At(css.Env{Window: window.Window{Width: float64(width), Height: 800, Density: 1}}, false)
		at := map[string][]string{}
		for _, e := range p.Elements() {
			if head(e) {
				continue
			}
			c := w.Of(e, "")
			for _, name := range followed {
				at[Path(e)] = append(at[Path(e)], c.Text(w, name, func(u string) string { return absolute(c, u) }))
			}
		}
		out[fmt.Sprint(width)] = at
	}
	return out
}

// absolute is an address as seen from the page's folder.
func absolute(c *cascade.Computed, u string) string {
	from := "index.html"
	if win := c.Winners["background-image"]; win != nil && win.Bound != nil {
		from = win.Bound.Sheet.File.Name
	}
	if name, ok := Resolve(from, u); ok {
		return name
	}
	return u
}

func head(e *cascade.Element) bool {
	for ; e != nil; e = e.Parent {
		if e.Tag == "head" || e.Tag == "style" || e.Tag == "script" {
			return true
		}
	}
	return false
}

// theirs are what a real browser answers.
func theirs(t *testing.T, files map[string]string) (out answers) {
	t.Helper()
	dir := t.TempDir()
	for name, text := range files {
		path := filepath.Join(dir, name)
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	list, err := json.Marshal(followed)
	if err != nil {
		t.Fatal(err)
	}
	ask := `<!doctype html><body><script>const out = {}, root = "file://` + dir + `/", ps = ` + string(list) + `;
		const path = e => e.parentElement ? path(e.parentElement) + ">" + e.localName + ":nth-child(" +
			([...e.parentElement.children].indexOf(e) + 1) + ")" : e.localName;
		const f = document.createElement("iframe"); f.style.border = 0; f.src = root + "index.html";
		f.onload = () => { for (const w of ` + strings.ReplaceAll(fmt.Sprint(widths), " ", ",") + `) {
			f.style.width = w + "px"; f.style.height = "800px"; f.offsetWidth; const at = {};
			for (const e of f.contentDocument.querySelectorAll("*")) { if (e.closest("head,style,script")) continue;
				const s = f.contentWindow.getComputedStyle(e); at[path(e)] = ps.map(p => s.getPropertyValue(p).replaceAll(root, "")) }
			out[w] = at }
			document.body.textContent = "<<" + JSON.stringify(out) + ">>" };
		document.body.append(f)</script>`
	path := filepath.Join(dir, "ask.html")
	if err := os.WriteFile(path, []byte(ask), 0o600); err != nil {
		t.Fatal(err)
	}
	shoot.Answer(t, path, &out)
	return out
}

// What a page's elements have is what a real browser computes, in windows of many widths; elsewhere
// what one said is committed.
func TestComputedValuesAsInABrowser(t *testing.T) {
	const facts = "testdata/computed.json"
	known := map[string]answers{}
	data, err := os.ReadFile(facts)
	if err == nil {
		err = json.Unmarshal(data, &known)
	}
	for name, files := range sites {
		if shoot.Browser() != "" {
			known[name], err = theirs(t, files), nil
		}
		if err != nil {
			t.Fatal(err)
		}
		compare(t, name, ours(t, files), known[name])
	}
	if os.Getenv("TOURMALINE_FACTS") == "write" {
		data, err := json.Marshal(known)
		if err == nil {
			err = os.WriteFile(facts, append(data, '\n'), 0o644)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
}

// compare tells where a page's answers are not those of a browser.
func compare(t *testing.T, name string, got, want answers) {
	t.Helper()
	bad := 0
	tell := func(format string, args ...any) {
		if bad++; bad < 12 {
			t.Errorf(name+" at "+format, args...)
		}
	}
	for width, elements := range want {
		for path, values := range elements {
			mine := got[width][path]
			if len(mine) != len(values) {
				tell("%s: %s is not known here", width, path)
				continue
			}
			for i, v := range values {
				if mine[i] != v {
					tell("%s: %s of %s is %s, in a browser %s", width, followed[i], path, mine[i], v)
				}
			}
		}
		if len(got[width]) != len(elements) {
			tell("%s: %d elements, in a browser %d", width, len(got[width]), len(elements))
		}
	}
	if bad >= 12 {
		t.Errorf("%s: %d values differ", name, bad)
	}
}

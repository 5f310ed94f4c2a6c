package draft_test

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"io/fs"
	"strings"
	"testing"
	"testing/fstest"

	"tourmaline/core/draft"
	"tourmaline/core/page"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
)

func folder(files map[string]string) fstest.MapFS {
	out := fstest.MapFS{}
	for name, text := range files {
		out[name] = &fstest.MapFile{Data: []byte(text)}
	}
	return out
}

// drafted drafts the plan of a site's pages and reads it.
func drafted(t testing.TB, site fs.FS, pages ...string) (*draft.Plan, *plan.Plan) {
	t.Helper()
	var all []*page.Page
	for _, name := range pages {
		p, err := page.Load(site, name)
		if err != nil {
			t.Fatal(err)
		}
		all = append(all, p)
	}
	d, err := draft.Pages(t.Context(), all, draft.Options{Folder: ".", Site: site, Store: picture.NewStore(site),
		Widths: [2]int{320, 2560}, Pages: strings.Join(pages, ", ")})
	if err != nil {
		t.Fatal(err)
	}
	p, err := plan.Parse("tourmaline.yaml", []byte(d.Text))
	if err != nil {
		t.Fatalf("%v\n%s", err, d.Text)
	}
	return d, p
}

func dots(w, h int) string {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for i := range w * h {
		img.Set(i%w, i/w, color.RGBA{uint8(i % w % 8 * 20), 60, 60, 255})
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		panic(err)
	}
	return b.String()
}

var site = map[string]string{
	"index.html": `<!doctype html><title>Harrowmoor | home</title><link rel=stylesheet href=css/a.css>
<body><div class=wrap><header class=hero><h1>Dome: "open"</h1></header>
<article class=card>a</article><article class=card>b</article>
<section id=tall>t</section><section class=odd>o</section><p class=note>n</p></div><footer>f</footer>`,
	"css/a.css": `body { background: #0b1220 url(../img/dots.png) }
.wrap { max-width: 60rem; margin: 0 auto }
.hero { box-sizing: content-box; height: 50vh; padding: 2rem 1rem; background: url(../img/dome.png) 70% 30% / cover no-repeat; color: white }
@media (min-width: 600px) and (max-width: 999px) { .hero { height: 40vh; background-image: linear-gradient(red, blue) } }
.card { min-height: 300px; background: #eee url(../img/dots.png) repeat-x; border: 2px solid currentcolor; color: #123 }
#tall { aspect-ratio: 16 / 9; background: #123 } .odd { background: url(https://cdn.example/x.png) }
.note { background: #ff0 } footer { background: #000 } footer::before { content: ""; background: url(../img/dome.png) }`,
	"img/dots.png": dots(16, 16), "img/dome.png": dots(900, 600),
}

// The whole of a draft: boxes, layers, sizes as CSS tells them, ranges of widths, and what is left out.
func TestDraftSaysWhatThePageSays(t *testing.T) {
	d, p := drafted(t, folder(site), "index.html")
	var names []string
	for _, b := range p.All() {
		names = append(names, b.Name+" "+b.Selector)
	}
	if got := strings.Join(names, "; "); got != "canvas body; hero header.hero; card .card; tall #tall; footer footer" {
		t.Errorf("the boxes are %s\n%s", got, d.Text)
	}
	for _, want := range []string{"site: Harrowmoor\n", "pictures: img/\n", "texture: dots.png", "max-width: 60rem",
		"margin: 0 auto",
		"height: calc(50vh + 2rem + 2rem)", "position: 70% 30%", "(600px <= width <= 999px):",
		"gradient: \"linear-gradient(",
		"2 elements alike", "aspect-ratio: 16 / 9", "border: 2px solid currentcolor", "color: \"#123\"",
		`sample: "Dome: \"open\""`, "# - section.odd (https://cdn.example/x.png)", "# - footer::before (img/dome.png)",
		"which is not in this folder"} {
		if !strings.Contains(d.Text, want) {
			t.Errorf("%q is not in the draft", want)
		}
	}
	if strings.Contains(d.Text, "#ff0") {
		t.Error("the colour of a paragraph became a box")
	}
	if t.Failed() {
		t.Log(d.Text)
	}
	for i, b := range d.Boxes {
		if guess := b.Name == "footer"; b.Guessed != guess {
			t.Errorf("%s guessed: %v", b.Name, b.Guessed)
		}
		if by := b.Owner(plan.LayerID{Box: plan.BoxID(i), N: 1}); b.Name == "hero" && (by == nil ||
			!strings.HasPrefix(by.Declaration.Value, "url(../img/dome.png)")) {
			t.Errorf("the hero's first layer is declared by %v", by)
		}
	}
}

// Boxes that pages share stand in the plan once; what differs on another page is said.
func TestPagesShareBoxes(t *testing.T) {
	files := map[string]string{"style.css": "header.top { height: 20vh; background: red } .a { background: #111; " +
		"height: 1px } " +
		".two header.top { background: blue }",
		"index.html": "<!doctype html><link rel=stylesheet href=style.css><body><header " +
			"class=top></header><section class=a></section>",
		"b.html": "<!doctype html><link rel=stylesheet href=style.css><body><header " +
			"class=top></header><section class=b style='height:2px;background:#222'></section>",
		"c.html": "<!doctype html><link rel=stylesheet href=style.css><body class=two><header class=top></header>"}
	d, p := drafted(t, folder(files), "index.html", "b.html", "c.html")
	if len(p.Boxes) != 3 || !strings.Contains(d.Text, "it looks otherwise in c.html") {
		t.Errorf("%d boxes\n%s", len(p.Boxes), d.Text)
	}
}

// The largest picture is the hero, small ones that tile are textures.
func TestDraftOfPictures(t *testing.T) {
	store := picture.NewStore(folder(map[string]string{"a.png": dots(40, 40), "b c.png": dots(900, 500),
		"#d.png": dots(600, 600)}))
	var files []*picture.File
	for _, name := range []string{"a.png", "b c.png", "#d.png"} {
		f, err := store.File(name)
		if err != nil {
			t.Fatal(err)
		}
		files = append(files, f)
	}
	d, err := draft.Pictures(files, "", draft.Options{Widths: [2]int{320, 2560}, Pages: "pictures"})
	if err != nil {
		t.Fatal(err)
	}
	p, err := plan.Parse("p.yaml", []byte(d.Text))
	if err != nil {
		t.Fatalf("%v\n%s", err, d.Text)
	}
	got := ""
	for _, b := range p.All() {
		got += fmt.Sprint(b.Name, " ", b.Rules[0].Layers[0].CSS.Image.URL, "; ")
	}
	if got != "canvas a.png; hero b c.png; d #d.png; " {
		t.Errorf("%s\n%s", got, d.Text)
	}
}

// Whatever a page holds, its draft can be read.
func FuzzDraft(f *testing.F) {
	f.Add(`<body><section class="a b" id="x: #y">t</section>`, `section { background: url("a b#c.png") 1px / 2vw, linear-gradient(#000, red 10%); height: 5em; margin: 0 auto -1px }`)
	f.Add("<title>- : #\x00\u2028 'q'</title><main><header class='null'>yes</header>",
		"header{background:#fff;padding:1px 2%;border:1px dashed red;border-radius:1px/2px} @media "+
			"(width<500px){header{display:none}}")
	f.Add("<div style='background:url(data:image/gif;base64,R0lG) space;min-height:calc(1px + 2%)'><p>x",
		"div{width:min-content;max-width:calc(10px*2);aspect-ratio:auto 1/2;height:100%}")
	f.Add("<body><nav class='7 é --'><b>\"]}\n#", "nav{background:image-set(url(a.png) 1x,'b.png' 2x) "+
		"fixed;color:color-mix(in oklch,red,blue)} nav{font-size:2vw;border-top:1em groove}")
	f.Fuzz(func(t *testing.T, html, css string) {
		if len(html)+len(css) > 4000 {
			return
		}
		files := folder(map[string]string{"index.html": "<!doctype html><link rel=stylesheet href=a.css>" + html,
			"a.css": css})
		p, err := page.Load(files, "index.html")
		if err != nil {
			return
		}
		d, err := draft.Pages(t.Context(), []*page.Page{p}, draft.Options{Folder: ".", Site: files,
			Store:  picture.NewStore(files),
			Widths: [2]int{320, 700}, Pages: "index.html"})
		if err != nil {
			return
		}
		if _, err := plan.Parse("p.yaml", []byte(d.Text)); err != nil {
			t.Errorf("%v\n%s", err, d.Text)
		}
	})
}

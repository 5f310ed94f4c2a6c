package trace_test

import (
	"fmt"
	"strings"
	"testing"
	"testing/fstest"

	"tourmaline/core/css"
	"tourmaline/core/page"
	"tourmaline/core/picture"
	"tourmaline/core/trace"
	"tourmaline/core/window"
)

// site is a folder of files.
func site(files map[string]string) fstest.MapFS {
	out := fstest.MapFS{}
	for name, text := range files {
		out[name] = &fstest.MapFile{Data: []byte(text)}
	}
	return out
}

func traced(t testing.TB, files map[string]string, o trace.Options) *trace.Result {
	t.Helper()
	p, err := page.Load(site(files), "index.html")
	if err != nil {
		t.Fatal(err)
	}
	if o.Widths == [2]int{} {
		o.Widths = [2]int{320, 1200}
	}
	if o.Env.Height == 0 {
		o.Env = css.Env{Window: window.Window{Height: 800, Density: 1}}
	}
	r, err := trace.Page(t.Context(), p, o)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// observatory is a page with a hero in a column, and what designers trip over.
var observatory = map[string]string{
	"index.html": `<!doctype html><link rel=stylesheet href=styles/a.css><body><main id=m><header class="hero big">x
<p class=card>y</p></header><section class=notes style="color: red">z</section><div class=box>c</div></main>`,
	"styles/a.css": `* { background-repeat: no-repeat }
.hero { background: url(dome.jpg); background-size: cover }
@media (width >= 700px) { #m .hero { background: navy } }
.hero:hover { background: gold }
.card { background: #fff }
@layer base { .notes { background: #eee !important } }
.notes { background: teal }
.box { background: #123 } @container (width > 300px) { .box { background: #321 } }
.gone { display: none }`}

func find(t *testing.T, r *trace.Result, name string) *trace.Element {
	t.Helper()
	for _, e := range r.Elements {
		if e.Name() == name {
			return e
		}
	}
	t.Fatalf("%s is not among the elements", name)
	return nil
}

// Ranges are exact: 700 px is the first width at which the query holds.
func TestRangesAreExact(t *testing.T) {
	e := find(t, traced(t, observatory, trace.Options{}), "header.hero")
	var got []string
	for i := range e.Ranges {
		g := &e.Ranges[i]
		got = append(got, fmt.Sprint(g.From, "-", g.To, " ", trace.Shows(g.Values), " ", g.Values["background-size"]))
	}
	want := "320-699 styles/dome.jpg cover; 700-1200 #000080 auto"
	if s := strings.Join(got, "; "); s != want {
		t.Errorf("%s, want %s", s, want)
	}
	first := &e.Ranges[0]
	if w := first.Winner("background-position"); w == nil || w.Declaration.Value != "url(dome.jpg)" {
		t.Errorf("the position is given by %v", w)
	}
	var why []string
	for _, l := range first.Losers("background-size") {
		why = append(why, l.Why)
	}
	if s := strings.Join(why, "; "); s != "overridden by background-size further down in the same rule; "+
		"(width >= 700px) does not hold here" {
		t.Errorf("the size's losers: %s", s)
	}
}

// What follows the width by its units is told at every width at which it is another.
func TestFluidValuesAreToldAtEveryWidth(t *testing.T) {
	r := traced(t, map[string]string{"index.html": `<!doctype html><style>
p { background: url(a.png) 0 0 / 10vw } div { background: url(a.png) 0 0 / max(50px, 10vw) }
</style><body><p>x<div>y</div>`}, trace.Options{Widths: [2]int{498, 502}})
	for name, want := range map[string]string{"body > p": "49.8px 49.9px 50px 50.1px 50.2px",
		"body > div": "50px 50.1px 50.2px"} {
		var got []string
		for _, g := range find(t, r, name).Ranges {
			got = append(got, strings.TrimSuffix(g.Values["background-size"], " auto"))
		}
		if s := strings.Join(got, " "); s != want {
			t.Errorf("%s: %s, want %s", name, s, want)
		}
	}
}

func TestWhatHidesAndWhatShowsThrough(t *testing.T) {
	r := traced(t, observatory, trace.Options{})
	hero := &find(t, r, "header.hero").Ranges[0]
	if over := hero.Over(); len(over) != 0 { // a paragraph is a block, and white
		if len(over) != 1 || over[0].Name != "p.card" || over[0].Shows != "#ffffff" {
			t.Errorf("over the hero: %v", over)
		}
	} else {
		t.Error("the card does not hide the hero")
	}
	if behind, last := hero.Behind(); len(behind) != 0 || last {
		t.Errorf("behind the hero: %v, %v; it has no colour, and nothing else has one", behind, last)
	}
	card := &find(t, r, "p.card").Ranges[0]
	if behind, last := card.Behind(); len(behind) != 0 || !last {
		t.Errorf("behind the card: %v, %v; it is opaque", behind, last)
	}
}

// The lightest selector wins: it is put into the page, and does.
func TestWinningSelectorsWin(t *testing.T) {
	r := traced(t, observatory, trace.Options{})
	for _, name := range []string{"header.hero", "p.card", "div.box"} {
		e := find(t, r, name)
		s, after, blocked, err := e.Winning()
		if err != nil || blocked != nil {
			t.Fatalf("%s: %v %v", name, blocked, err)
		}
		files := map[string]string{"index.html": observatory["index.html"]}
		files["styles/a.css"] = observatory["styles/a.css"] + "\n" + s.Text + " { background: rgb(1, 2, 3) }"
		if after == nil { // it may stand anywhere
			files["styles/a.css"] = s.Text + " { background: rgb(1, 2, 3) }\n" + observatory["styles/a.css"]
		}
		for _, g := range find(t, traced(t, files, trace.Options{}), name).Ranges {
			if g.Values["background-color"] != "rgb(1, 2, 3)" || g.Values["background-image"] != "none" {
				t.Errorf("%s with %s at %d px: %s", name, s.Text, g.From, trace.Shows(g.Values))
			}
		}
		// A class less, and it does not.
		if name == "header.hero" && s.Text != "#m .big" {
			t.Errorf("the hero's selector is %s", s.Text)
		}
	}
	if _, _, blocked, _ := find(t, r, "section.notes").Winning(); blocked == nil || blocked.Bound.Layer.Name != "base" {
		t.Errorf("the notes are blocked by %v", blocked)
	}
}

// Pseudo-classes of people, containers and what is not shown are told.
func TestWhatIsNotKnownIsTold(t *testing.T) {
	r := traced(t, observatory, trace.Options{})
	if d := find(t, r, "header.hero").Dynamic(); len(d) != 1 || d[0].Selector.Text != ".hero:hover" {
		t.Errorf("dynamic: %v", d)
	}
	text, values := find(t, r, "div.box").Ranges[0].Contained()
	if text != "(width > 300px)" || values["background-color"] != "rgb(51, 34, 17)" || len(values) != 1 {
		t.Errorf("the container: %s %v", text, values)
	}
	hidden := traced(t, map[string]string{"index.html": `<!doctype html><style>b{background:red}.x{display:none}</style>
<body><div class=x><b>a</b></div>`}, trace.Options{})
	if by := find(t, hidden, "div.x > b").Ranges[0].Hidden(); by == nil || by.Declaration.Value != "none" {
		t.Errorf("not shown by %v", by)
	}
}

// What differs by height, density, night and the like is told with exact heights: 500 px is the last at
// which the query holds.
func TestOtherWindowsAreTold(t *testing.T) {
	r := traced(t, map[string]string{"index.html": `<!doctype html><style>p{background:red;-webkit-mask:url(m.png)}
@media (max-height: 500px) and (width < 700px) { p { background: blue } }
@media (min-resolution: 1.25dppx) { p { background-image: url(b.png) } } @media print { p { background: none } }
@media (prefers-color-scheme: dark) { p { color: #fff } } @media (hover: none) { p { background-size: 9px } }
div { background: red } @media (orientation: portrait) { div { background: blue } }
@media (height < 400px) { div { background: gold } }</style><body><p>x</p><div>y</div>`}, trace.Options{})
	p := find(t, r, "body > p")
	var got []string
	for _, c := range p.Otherwise() {
		got = append(got, fmt.Sprint(c.When, " ", c.From, "-", c.To, " ", c.Values))
	}
	want := []string{"in windows up to 500 px high 320-699 map[background-color:rgb(0, 0, 255)]",
		`from density 1.5 on 320-1200 map[background-image:url("b.png")]`,
		"on touch screens 320-1200 map[background-size:9px auto]",
		"in dark mode 320-1200 map[color:rgb(255, 255, 255)]",
		"in print 320-1200 map[background-color:rgba(0, 0, 0, 0)]"}
	if strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	if u := p.Ranges[0].Unread(); len(u) != 1 || u[0].Declaration.Property != "-webkit-mask" {
		t.Errorf("masks: %v", u)
	}
	div := find(t, r, "body > div")
	if c := div.Otherwise(); len(c) != 0 || div.Shape() != "(orientation: portrait)" {
		t.Errorf("of the shape of the window: %v %s", c, div.Shape())
	}
}

// A picture that is not there is told with what is near to it.
func TestMissingPicturesAreTold(t *testing.T) {
	files := map[string]string{"index.html": `<!doctype html><link rel=stylesheet href=css/a.css><body><p class=a>1<p class=b>2
<p class=c>3`, "css/a.css": `.a{background:url(Sky.png)} .b{background:url(img/sky.png)} .c{background:url(https://x.example/a.png)}`,
		"css/sky.png": "x", "other/img.png": "x"}
	r := traced(t, files, trace.Options{})
	var got []string
	for _, n := range r.Missing(picture.NewStore(site(files))) {
		got = append(got, n.Msg)
	}
	want := []string{`Sky.png, which is css/Sky.png: there is no such picture; there is "css/sky.png": servers tell small ` +
		`letters from capitals`, `img/sky.png, which is css/img/sky.png: there is no such picture; there is "css/sky.png", ` +
		`in another folder`, "https://x.example/a.png is not in this folder: it is not fetched"}
	if strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
}

// large is a page of 1,500 elements with a stylesheet of about 300 KB.
func large() map[string]string {
	var css, html strings.Builder
	css.WriteString(":root { --a: red } body { color: #222; background: #fff }\n")
	for at := range 12 {
		if at > 0 {
			fmt.Fprintf(&css, "@media (min-width: %dpx) {\n", 300+at*150)
		}
		for i := range 300 {
			fmt.Fprintf(&css, ".bg-%d-%d { background-color: rgb(%d %d 40) }\n", at, i, i%256, at*20)
			fmt.Fprintf(&css, ".p-%d-%d > .in { padding: %dpx; color: var(--a) }\n", at, i, i%40)
		}
		if at > 0 {
			css.WriteString("}\n")
		}
	}
	html.WriteString("<!doctype html><link rel=stylesheet href=a.css><body>")
	for i := range 300 {
		fmt.Fprintf(&html, `<section class="bg-0-%d bg-%d-%d p-%d-%d">`, i, i%12, i, i%5, i)
		for k := range 4 {
			fmt.Fprintf(&html, `<div class="in bg-%d-%d">x</div>`, (i+k)%12, (i*7+k)%300)
		}
		html.WriteString("</section>")
	}
	return map[string]string{"index.html": html.String(), "a.css": css.String()}
}

// BenchmarkTrace reads and traces a page of 1,500 elements, all with backgrounds, at every width.
func BenchmarkTrace(b *testing.B) {
	files := large()
	b.SetBytes(int64(len(files["a.css"])))
	for b.Loop() {
		if r := traced(b, files, trace.Options{Widths: [2]int{320, 2560}}); len(r.Elements) < 1500 {
			b.Fatalf("%d elements", len(r.Elements))
		}
	}
}

package cascade

import (
	"fmt"
	"strings"
	"testing"

	"tourmaline/core/css"
	"tourmaline/core/source"
	"tourmaline/core/window"
)

func pageOf(t testing.TB, text string) *Page {
	t.Helper()
	sheet, err := ParseSheet(source.NewFile("style.css", text))
	if err != nil {
		t.Fatal(err)
	}
	s := NewStyles()
	if err := s.Add(sheet, "", nil); err != nil {
		t.Fatal(err)
	}
	return NewPage(s, false)
}

// Whole widths by hand: 47.9375em are 767 px, so that 767 still matches max-width and 768 does not.
func TestSpansAreExact(t *testing.T) {
	p := pageOf(t, `.a { background: red } @media (max-width: 47.9375em) { .a { background: blue } }
@media (1000px <= width < 1200px) { .a { color: red } } @media (min-height: 900px) { .a { padding: 1px } }`)
	root := &Element{Tag: "html"}
	e := &Element{Tag: "p", Classes: []string{"a"}, Parent: root}
	root.Children = []*Element{e}
	spans := p.Spans(css.Env{Window: window.Window{Height: 800, Density: 1}}, 320, 1500)
	var got []string
	for _, part := range Parts(spans, e, "") {
		got = append(got, fmt.Sprintf("%d-%d %s", part.From, part.To, part.Text(part.Window, "background-color",
			func(u string) string { return u })))
	}
	want := "320-767 rgb(0, 0, 255), 768-999 rgb(255, 0, 0), 1000-1199 rgb(255, 0, 0), 1200-1500 rgb(255, 0, 0)"
	if strings.Join(got, ", ") != want {
		t.Errorf("%s\nwant %s", strings.Join(got, ", "), want)
	}
	if rest := Parts(spans, root, ""); len(rest) != 1 || rest[0].From != 320 || rest[0].To != 1500 {
		t.Errorf("nothing changes for the root, and it has %d parts", len(rest))
	}
}

// Each loser has its reason.
func TestLosersHaveReasons(t *testing.T) {
	p := pageOf(t, `@layer base, theme;
@layer base { .a { background-color: #111 } }
@layer theme { .a { background-color: #222 } }
p { background-color: #333 }
.a { background-color: #444; background: none; background-color: blu }
.a.b { background: #555 }
@media (width < 500px) { .a.b { background: #666 } }
.a.b { background-color: #777 }
@container (width > 1px) { .a { background: #888 } }
.a { background-color: #999 !important }`)
	root := &Element{Tag: "html"}
	e := &Element{Tag: "p", Classes: []string{"a", "b"}, Parent: root}
	root.Children = []*Element{e}
	w := p.At(css.Env{Window: window.Window{Width: 800, Height: 800, Density: 1}}, false)
	if got := w.Candidates(e, "", "background-color")[0].Declaration.Value; got != "#999" {
		t.Fatalf("%s wins", got)
	}
	var got []string
	for _, l := range w.Losers(e, "", "background-color") {
		got = append(got, l.Declaration.Value+": "+l.Why)
	}
	want := []string{
		"#777: not important, as .a in line 10 is", "#555: not important, as .a in line 10 is",
		"none: not important, as .a in line 10 is", "#444: not important, as .a in line 10 is",
		"#333: not important, as .a in line 10 is", "#222: not important, as .a in line 10 is",
		"#111: not important, as .a in line 10 is",
		`blu: browsers drop it: background-color: "blu" is not a colour; did you mean "blue"?`,
		"#666: (width < 500px) does not hold here", "#888: it depends on the size of a container: (width > 1px)",
	}
	for i := range max(len(got), len(want)) {
		if i >= len(got) || i >= len(want) || got[i] != want[i] {
			t.Errorf("%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
			break
		}
	}
	by := func(a, b string) string {
		var x, y *Candidate
		for _, c := range w.Candidates(e, "", "background-color") {
			switch c.Declaration.Value {
			case a:
				x = c
			case b:
				y = c
			}
		}
		return why(x, y)
	}
	for _, c := range [][3]string{
		{"#777", "#555", "earlier than .a.b in line 8"},
		{"#777", "#444", "lower specificity: 0-1-0 against 0-2-0"},
		{"#444", "#333", "lower specificity: 0-0-1 against 0-1-0"},
		{"none", "#444", "reset by background further down in the same rule"},
		{"#333", "#222", "layer theme loses to what is in no layer"},
		{"#222", "#111", "layer base loses to layer theme"},
	} {
		if got := by(c[0], c[1]); got != c[2] {
			t.Errorf("%s over %s: %s, want %s", c[0], c[1], got, c[2])
		}
	}
}

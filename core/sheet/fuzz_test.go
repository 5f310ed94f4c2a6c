package sheet

import (
	"strconv"
	"strings"
	"testing"

	"tourmaline/core/css"
	"tourmaline/core/plan"
	"tourmaline/e2e/corpus"
)

// planOf is a plan of one box with declarations.
func planOf(declarations string) string {
	return "tourmaline: 1\nviewports: {named: {w: 700x500@1}}\nboxes:\n  - {name: b, height: 9px, css: " +
		strconv.QuoteToASCII(declarations) + "}\n"
}

// readsBack reports how what is written of a box differs from what the plan says; "" where it
// does not. What is no background is written only where the background needs it.
func readsBack(p *plan.Plan, out string) string {
	from := strings.Index(out, ".b {\n")
	if from < 0 {
		return ""
	}
	body, _, _ := strings.Cut(out[from+len(".b {\n"):], "\n}")
	want, got := p.Boxes[0].Base().Style, css.NewStyle()
	if err := got.ApplyText(body, nil); err != nil {
		return err.Error()
	}
	if a, b := want.Background.Color.String(), got.Background.Color.String(); a != b {
		return "the colour " + b + ", was " + a
	}
	la, lb := want.Layers(), got.Layers()
	if len(la) == 1 && la[0].Image.IsNone() && len(lb) == 1 && lb[0].Image.IsNone() {
		return ""
	}
	if len(la) != len(lb) {
		return "another number of layers"
	}
	for i := range la {
		if a, b := la[i].String()+" "+la[i].Blend.String(), lb[i].String()+" "+lb[i].Blend.String(); a != b {
			return b + ", was " + a
		}
	}
	for i := range want.Radii {
		a, b := want.Radii[i], got.Radii[i]
		same := func(x, y css.Num) bool { return x.IsZero() && y.IsZero() || x.String() == y.String() }
		if !same(a.H, b.H) || !same(a.V, b.V) {
			return "a radius"
		}
	}
	for i := range want.Borders {
		a, b := want.Borders[i], got.Borders[i]
		if a.Style != b.Style || a.Style != css.NoBorder && (a.Width.String() != b.Width.String() ||
			a.Color.String() != b.Color.String()) {
			return "a border"
		}
	}
	return ""
}

// Whatever is accepted as a plan's CSS is written as a stylesheet that reads back as the same.
func FuzzWrittenReadsBack(f *testing.F) {
	for _, c := range corpus.Cases() {
		f.Add(c.CSS)
	}
	f.Add("background: repeat; background-blend-mode: multiply")
	f.Add("background: radial-gradient(blue); border: teal; border-radius: 0pc 00")
	f.Fuzz(func(t *testing.T, text string) {
		if len(text) > 400 {
			return
		}
		p, err := plan.Parse("p.yaml", []byte(planOf(text)))
		if err != nil || !p.Boxes[0].Paints() {
			return
		}
		out, err := CSS(p, nil, Options{})
		if err != nil {
			t.Fatalf("%q: %v", text, err)
		}
		if diff := readsBack(p, out); diff != "" {
			t.Fatalf("%q is written\n%s\nand reads back as %s", text, out, diff)
		}
		for _, opt := range []Options{{Minify: true}, {Nesting: true, Properties: true}} {
			if _, err := CSS(p, nil, opt); err != nil {
				t.Fatal(err)
			}
		}
		if _, err := Page(p, nil, Options{}, "x.css"); err != nil {
			t.Fatalf("%q: the page: %v", text, err)
		}
	})
}

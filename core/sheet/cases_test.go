package sheet

import (
	"strings"
	"testing"

	"tourmaline/core/css"
	"tourmaline/core/cut"
	"tourmaline/core/plan"
)

// Overlapping when blocks: what the later one leaves is written where the earlier one holds too. In each case the text
// is what stands in the stylesheet under the last query.
func TestOverlapsByHand(t *testing.T) {
	head := "tourmaline: 1\nviewports: {widths: 320-1600, heights: 600-1000, named: {w: 700x700@1}}\nboxes:\n" +
		"  - {name: a, height: 90px, "
	for name, c := range map[string]struct{ box, want string }{
		// 500 px: teal again, though the box itself is teal.
		"a colour back": {`css: 'background: teal', when: {"(width < 900px)": {css: 'background: gold'}, ` +
			`"(width < 600px)": {css: 'background: teal'}}`,
			"@media (width < 600px) {\n  .a {\n    background-color: #008080;\n  }\n}"},
		"a position back": {`css: 'background: linear-gradient(red, blue) left / 20px', when: {"(width < 900px)": ` +
			`{css: 'background-position: right'}, "(width < 600px)": {css: 'background-position: left'}}`,
			"@media (width < 600px) {\n  .a {\n    background-position: 0% 50%;\n  }\n}"},
		// 1000 px and 800 px high: of b.png, elsewhere of a.png.
		"two ways into one": {`layers: [{image: a.png}], when: {"(width >= 1000px)": {layers: [{image: b.png}]}, ` +
			`"(height >= 800px)": {layers: [{image: c.png, size: cover}]}, "(height >= 900px)": {css: ` +
			`'background-image: url(a.png)'}}`,
			"@media (height >= 900px) {\n  .a {\n    background-image: url(\"a.png\");\n  }\n}"},
	} {
		p, err := plan.Parse("p.yaml", []byte(head+c.box+"}\n"))
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		out, err := CSS(p, nil, Options{Draft: func(s string) string { return s }})
		if err != nil || !strings.Contains(out, c.want) {
			t.Errorf("%s: %v\n%s\nwant\n%s", name, err, out, c.want)
		}
	}
}

// A mistake of the writer is an error, with the window and the property.
func TestReadBackFindsAMistake(t *testing.T) {
	p, err := plan.Parse("p.yaml",
		[]byte("tourmaline: 1\nviewports: {widths: 320-1600}\nboxes:\n  - {name: a, height: "+
			"90px, css: 'background: teal', when: {\"(width < 900px)\": {css: 'background: gold'}}}\n"))
	if err != nil {
		t.Fatal(err)
	}
	s := sheets{p, nil, Options{Draft: func(s string) string { return s }}}
	groups, err := groupsOf(p, nil, s.opt)
	if err != nil {
		t.Fatal(err)
	}
	if err := s.readBack(groups, form{}); err != nil {
		t.Error(err)
	}
	groups[0].rules[1].media = []string{"(width < 899px)"}
	err = s.readBack(groups, form{})
	if err == nil || !strings.Contains(err.Error(),
		"window of 899x600@1 background-color of a is #008080; the plan says") {
		t.Errorf("%v", err)
	}
}

func TestCompact(t *testing.T) {
	for in, want := range map[string]string{
		"a, b":                           "a,b",
		`url("data:x, y"), none`:         `url("data:x, y"),none`,
		"image-set(\n  'a, b',\n  none)": "image-set('a, b',none)",
		`"\", x", y`:                     `"\", x",y`,
	} {
		if got := compact(in); got != want {
			t.Errorf("%q is %q, want %q", in, got, want)
		}
	}
}

// An image without an area needs no files, and a plan with other qualities of one image has one result.
func TestNeedsAreOfThePlan(t *testing.T) {
	store := testStore()
	p, err := plan.Parse("p.yaml", []byte(`tourmaline: 1
viewports: {widths: 320-360, heights: 400-410, densities: [1], named: {w: 340x400@1}}
boxes:
  - {name: none, height: 90px, css: "background: url(scene.png) 0 0 / auto 0"}
  - name: a
    height: 90px
    layers: [{image: large.png, size: cover, quality: low}]
    when: {"(width < 340px)": {layers: [{image: large.png, size: contain, quality: high}]}}
`))
	if err != nil {
		t.Fatal(err)
	}
	first := ""
	for range 200 {
		ladders, err := cut.Choose(t.Context(), p, store)
		if err != nil {
			t.Fatal(err)
		}
		if len(ladders) != 1 || ladders[0].Quality.Level != plan.High {
			t.Fatalf("%d ladders: %+v", len(ladders), ladders)
		}
		out := ""
		for i, r := range ladders[0].Rungs {
			r.Files = []cut.Asset{{Name: css.Ident(ladders[0].Source) + string(rune('a'+i))}}
			out += r.Files[0].Name + " "
		}
		text, err := CSS(p, ladders, Options{})
		if err != nil {
			t.Fatal(err)
		}
		if out += text; first == "" {
			first = out
		} else if out != first {
			t.Fatalf("%s\nand\n%s", first, out)
		}
	}
}

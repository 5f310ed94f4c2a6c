package plan

import (
	"strings"
	"testing"

	"tourmaline/core/css"
)

const openPlan = `tourmaline: 1
boxes:
  - name: hero   # the header
    height: 300px
    layers:
      - color: auto scrim          # readable
      - image: a.jpg
        size: cover
        position: auto   # let it find one
      - {color: auto}
  - {name: b, height: 10px, layers: [{texture: t.png, size: near 33px}]}
`

func TestOpenAndApply(t *testing.T) {
	p, err := Parse("p.yaml", []byte(openPlan))
	if err != nil {
		t.Fatal(err)
	}
	opens := p.Opens()
	values := map[OpenKind]string{OpenPosition: "64% 58%, (width < 560px) 71% 58%", OpenScrim: "rgb(0 0 0 / 0.41)", OpenColor: "#0b1220", OpenSize: "32px"}
	var edits []Edit
	for _, o := range opens {
		if o.Settled != "" {
			t.Errorf("%v is settled already", o)
		}
		edits = append(edits, Edit{o.Open, values[o.Kind]})
	}
	if len(edits) != 4 {
		t.Fatalf("%d open values", len(edits))
	}
	out, err := Apply([]byte(openPlan), edits)
	want := strings.NewReplacer("color: auto scrim  ", "color: auto scrim = rgb(0 0 0 / 0.41)  ", "position: auto ", "position: auto = 64% 58%, (width < 560px) 71% 58% ",
		"{color: auto}", `{color: "auto = #0b1220"}`, "near 33px", "near 33px = 32px").Replace(openPlan)
	if err != nil || string(out) != want {
		t.Fatalf("%v\n%s\nwant\n%s", err, out, want)
	}
	p, err = Parse("p.yaml", out)
	if err != nil {
		t.Fatal(err)
	}
	hero := p.Boxes[0]
	at := func(w float64) string {
		return hero.At(&css.Env{Width: w, Height: 700, Density: 1}).Layers()[1].Position.String()
	}
	if at(559) != "71% 58%" || at(560) != "64% 58%" {
		t.Errorf("positions %s and %s", at(559), at(560))
	}
	if c := hero.Compute(0).Style.Background.Color.String(); c != "#0b1220" {
		t.Errorf("colour %s", c)
	}
	// Opened again, the text is the first one; but the quotes stay.
	edits = edits[:0]
	for _, o := range p.Opens() {
		if o.Settled == "" {
			t.Errorf("%v is open", o)
		}
		edits = append(edits, Edit{o.Open, ""})
	}
	back, err := Apply(out, edits)
	if err != nil || string(back) != strings.Replace(openPlan, "{color: auto}", `{color: "auto"}`, 1) {
		t.Errorf("%v\n%s", err, back)
	}
}

func TestOpenErrors(t *testing.T) {
	for _, r := range []struct{ layer, want string }{
		{"{image: a.jpg, position: auto = left lft}", `"lft" is not`},
		{"{image: a.jpg, position: auto 3}", `"auto 3" is not auto, or auto = and what was settled`},
		{`{image: a.jpg, position: "auto = (width < 3px) 1% 1%"}`, "a position, then ranges such as"},
		{"{gradient: linear-gradient(red, blue)}", "inside { } and [ ] YAML ends a value at the comma"},
		{"{gradient: auto linear-gradient(red, blue)}", "inside { } and [ ] YAML ends a value at the comma"},
		{"{color: auto blue}", "auto, auto scrim, or a colour"},
		{"{color: auto scrim bleu}", `"bleu" is not`},
		{"{texture: a.png, size: near 3em}", "near and a width in px"},
	} {
		_, err := Parse("p.yaml", []byte("tourmaline: 1\nboxes:\n  - {name: b, height: 10px, layers: ["+r.layer+"]}\n"))
		if err == nil || !strings.Contains(err.Error(), r.want) || !strings.HasPrefix(err.Error(), "p.yaml:3:") {
			t.Errorf("%s: got %v, want %s", r.layer, err, r.want)
		}
	}
}

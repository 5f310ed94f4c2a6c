package plan

import (
	"strings"
	"testing"

	"tourmaline/core/css"
	"tourmaline/core/window"
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
	values := map[OpenKind]string{OpenPosition: "64% 58%, (width < 560px) 71% 58%", OpenScrim: "rgb(0 0 0 / 0.41)",
		OpenColor: "#0b1220", OpenSize: "32px"}
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
	q, err := p.Write(edits)
	if err != nil {
		t.Fatal(err)
	}
	out := q.Text()
	want := strings.NewReplacer("color: auto scrim  ", "color: auto scrim = rgb(0 0 0 / 0.41)  ", "position: auto ",
		"position: auto = 64% 58%, (width < 560px) 71% 58% ",
		"{color: auto}", `{color: "auto = #0b1220"}`, "near 33px", "near 33px = 32px").Replace(openPlan)
	if out != want {
		t.Fatalf("%v\n%s\nwant\n%s", err, out, want)
	}
	p = q
	hero := p.Boxes[0]
	at := func(w float64) string {
		return hero.At(&css.Env{Window: window.Window{Width: w, Height: 700, Density: 1}}).Layers()[1].Position.String()
	}
	if at(559) != "71% 58%" || at(560) != "64% 58%" {
		t.Errorf("positions %s and %s", at(559), at(560))
	}
	if c := hero.Base().Style.Background.Color.String(); c != "#0b1220" {
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
	back, err := p.Write(edits)
	if err != nil || back.Text() != strings.Replace(openPlan, "{color: auto}", `{color: "auto"}`, 1) {
		t.Errorf("%v\n%s", err, back.Text())
	}
}

func TestOpenErrors(t *testing.T) {
	for _, r := range []struct{ layer, want string }{
		{"{image: a.jpg, position: auto = left lft}", `"lft" is not`},
		{"{image: a.jpg, position: auto 3}", `"auto 3" is not auto, or auto = and what was settled`},
		{`{image: a.jpg, position: "auto = (width < 3px) 1% 1%"}`, "a position, then ranges such as"},
		{"{gradient: linear-gradient(red, blue)}", "inside { } and [ ] YAML ends a value at the comma"},
		{"{gradient: auto linear-gradient(red, blue)}", "inside { } and [ ] YAML ends a value at the comma"},
		{"{color: auto blue}", "auto, auto flat, auto scrim, or a colour"},
		{"{color: auto scrim bleu}", `"bleu" is not`},
		{"{color: auto flat flat}", "auto, auto flat, auto scrim, or a colour"},
		{"{gradient: auto 0}", "auto from a picture, or auto and a gradient"},
		{"{texture: a.png, size: near 3em}", "near and a width in px"},
	} {
		_, err := Parse("p.yaml",
			[]byte("tourmaline: 1\nboxes:\n  - {name: b, height: 10px, layers: ["+r.layer+"]}\n"))
		if err == nil || !strings.Contains(err.Error(), r.want) || !strings.HasPrefix(err.Error(), "p.yaml:3:") {
			t.Errorf("%s: got %v, want %s", r.layer, err, r.want)
		}
	}
}

// A copy with a settled value is the plan that is read when the value is written.
func TestSettleIsReadingWhatIsWritten(t *testing.T) {
	p, err := Parse("p.yaml", []byte(openPlan))
	if err != nil {
		t.Fatal(err)
	}
	values := map[OpenKind]string{OpenPosition: "64% 58%, (width < 560px) 71% 58%", OpenScrim: "rgb(0 0 0 / 0.41)",
		OpenColor: "linear-gradient(to right, #0b1220, #fff)", OpenSize: "32px"}
	for _, o := range p.Opens() {
		for _, value := range []string{values[o.Kind], ""} {
			a, err := p.Settle(o, value)
			if err != nil {
				t.Fatal(err)
			}
			b, err := p.Write([]Edit{{o.Open, value}})
			if err != nil {
				t.Fatal(err)
			}
			for _, w := range []float64{400, 700} {
				e := &css.Env{Window: window.Window{Width: w, Height: 800, Density: 1}}
				for i := range a.All() {
					x, y := a.All()[i].At(e), b.All()[i].At(e)
					if len(x.Layers()) != len(y.Layers()) ||
						x.Style.Background.Color.String() != y.Style.Background.Color.String() {
						t.Fatalf("%s = %s at %g: %v and %v", o.Wish, value, w, x.Layers(), y.Layers())
					}
					for k := range x.Layers() {
						if x.Layers()[k].String() != y.Layers()[k].String() || x.Layers()[k].ID != y.Layers()[k].ID {
							t.Errorf("%s = %s at %g: layer %s %v, read %s %v", o.Wish, value, w, x.Layers()[k],
								x.Layers()[k].ID, y.Layers()[k], y.Layers()[k].ID)
						}
					}
				}
			}
		}
	}
}

// Letters beyond ASCII stand before a value, in it and behind it.
func TestLettersBeyondASCII(t *testing.T) {
	const text = "tourmaline: 1\nboxes:\n  - {name: \"château\", height: 9px, layers: [{color: auto scrim}, " +
		"{image: dôme.jpg, position: auto}]} # été\n"
	p, err := Parse("p.yaml", []byte(text))
	if err != nil {
		t.Fatal(err)
	}
	for _, o := range p.Opens() {
		if want := map[OpenKind]string{OpenScrim: "p.yaml:3:53",
			OpenPosition: "p.yaml:3:94"}[o.Kind]; o.Span.String() != want {
			t.Errorf("%s is at %s, want %s", o.Wish, o.Span, want)
		}
	}
	q, err := p.Write([]Edit{{p.Opens()[1].Open, "10% 20%"}})
	if want := strings.Replace(text, "position: auto", "position: auto = 10% 20%", 1); err != nil || q.Text() != want {
		t.Errorf("%v %s", err, q.Text())
	}
}

// A layer has one number: as it is written, with colours and none.
func TestLayerIdentity(t *testing.T) {
	p, err := Parse("p.yaml",
		[]byte("tourmaline: 1\nboxes:\n  - {name: a, height: 9px, css: 'background: none, url(a.jpg)'}\n"+
			"  - name: b\n    height: 9px\n    layers: [{color: auto scrim}, {image: a.jpg}, {color: red}]\n    "+
			"when: "+
			"{(width < 9px): {css: 'background-size: cover'}, (width < 5px): {css: 'background-image: "+
			"url(b.jpg)'}}\n"))
	if err != nil {
		t.Fatal(err)
	}
	b := p.Boxes[1]
	for want, got := range map[LayerID]Painted{
		{0, 0, 2}: p.Boxes[0].Base().Layers()[1],
		{1, 0, 2}: b.Base().Layers()[0], // the scrim is open, and clear
		{1, 2, 1}: b.At(&css.Env{Window: window.Window{Width: 3}}).Layers()[0],
	} {
		if got.ID != want {
			t.Errorf("%s is %v, want %v", got, got.ID, want)
		}
	}
	if l := b.At(&css.Env{Window: window.Window{Width: 7}}).Layers()[0]; l.ID != (LayerID{1, 0, 2}) ||
		l.Size.Kind != css.Cover {
		t.Errorf("a size alone makes it another layer: %v", l.ID)
	}
	if l := p.Layer(LayerID{1, 0, 2}); l == nil || l.CSS.Image.URL != "a.jpg" {
		t.Errorf("found %v", l)
	}
}

// A hex colour behind a space is a comment in YAML: it is found, and said.
func TestColoursThatYAMLTakesForComments(t *testing.T) {
	for _, c := range []struct{ line, want string }{
		{"color: auto scrim #0b1220", `p.yaml:6:16: color: YAML takes #0b1220 for a comment; put the value in quotes: "auto scrim #0b1220"`},
		{"color: #ff0000", `p.yaml:6:9: color: the key has no value; YAML takes # after a space for a comment: write "#ff0000", in quotes`},
		{"color: red # as the roof", ""},
		{"color: '#ff0000' # red", ""},
	} {
		_, err := Parse(
			"p.yaml",
			[]byte("tourmaline: 1\nboxes:\n  - name: b\n    height: 10px\n    layers:\n      - "+c.line+"\n"),
		)
		if c.want == "" && err != nil || c.want != "" && (err == nil || err.Error() != c.want) {
			t.Errorf("%s: %v, want %s", c.line, err, c.want)
		}
	}
}

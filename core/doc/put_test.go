package doc

import (
	"strings"
	"testing"
	"tourmaline/core/source"
)

// A key that is missing is written in the form of its neighbours, and every other byte stays.
func TestPutInsertsAKey(t *testing.T) {
	const text = `# été
boxes:
  - name: hero   # the first
    layers:      # top first
      - image: dome.jpg   # by night
        keep: {x: 1%, y: 2%}
      - {color: "#123", note: 'a, b'}   # below
      - gradient: |
          linear-gradient(red, blue)
        size: cover
    text:
      - area: {left: 1%}
`
	for _, r := range []struct{ path, value, old, new string }{
		{"boxes/0/layers/0/position", "64% 58%", "y: 2%}\n", "y: 2%}\n        position: 64% 58%\n"},
		{"boxes/0/layers/0/focus", "{x: 1%, y: 2%}", "y: 2%}\n", "y: 2%}\n        focus: {x: 1%, y: 2%}\n"},
		{"boxes/0/layers/0/keep/width", "9%", "y: 2%}", "y: 2%, width: 9%}"},
		{"boxes/0/layers/1/blend", "screen", "'a, b'}", "'a, b', blend: screen}"},
		{"boxes/0/layers/2/repeat", "no-repeat", "size: cover\n", "size: cover\n        repeat: no-repeat\n"},
		{"boxes/0/text/0/color", "white", "{left: 1%}\n", "{left: 1%}\n        color: white\n"},
		{"boxes/0/height", "20rem", "# the first\n", "# the first\n    height: 20rem\n"},
		{"boxes/0/layers/2/size", "contain", "size: cover", "size: contain"},
		{"boxes/0/layers/+", "{color: red}", "      - image: dome", "      - {color: red}\n      - image: dome"},
		{"boxes/0/text/+", "{area: {top: 0px}}", "      - area", "      - {area: {top: 0px}}\n      - area"},
		{"boxes/0/layers/1/blend", "a, #b", "'a, b'}", "'a, b', blend: \"a, #b\"}"},
	} {
		for _, ends := range []string{"\n", "\r\n"} {
			of := func(s string) string { return strings.ReplaceAll(s, "\n", ends) }
			d, err := parse(t, of(text)).Put(strings.Split(r.path, "/"), r.value)
			if err != nil {
				t.Errorf("%s: %v", r.path, err)
				continue
			}
			if want := of(strings.Replace(text, r.old, r.new, 1)); d.Text() != want {
				t.Errorf("%s:\n got %q\nwant %q", r.path, d.Text(), want)
			}
		}
	}
	flow, err := parse(t, "a: [{b: c}, d] # e\n").Put(Path{"a", First}, "{x: y}")
	if err != nil || flow.Text() != "a: [{x: y}, {b: c}, d] # e\n" {
		t.Errorf("%v", err)
	}
	d := parse(t, text)
	for _, path := range []string{"boxes/3/name", "boxes/0/layers", "nothing/deep", "boxes/0/layers/2/gradient"} {
		if _, err := d.Put(strings.Split(path, "/"), "x"); err == nil {
			t.Errorf("%s is written", path)
		}
	}
}

// Whatever key is put into whatever mapping, the rest is read as before.
func FuzzPut(f *testing.F) {
	f.Add(example, "focus", "{x: 1%}")
	f.Add("a: {b: c, d: [1, 2]} # e\nf:\n  - g: h\n    i: |\n      j\n", "k", "l # m")
	f.Fuzz(func(t *testing.T, text, key, value string) {
		if len(text) > 2000 || key == "" || strings.ContainsFunc(key, func(r rune) bool {
			return r < 'a' ||
				r > 'z'
		}) ||
			strings.ContainsFunc(value, func(r rune) bool { return r < ' ' || r > '~' }) || key == "y" || key == "n" {
			return
		}
		d, err := Parse(source.NewFile("p", text))
		if err != nil {
			return
		}
		tried := 0
		var walk func(n *Node)
		walk = func(n *Node) {
			items, _ := n.Items()
			for _, i := range items {
				walk(i)
			}
			pairs, _ := n.Pairs()
			if tried++; len(pairs) == 0 || tried > 20 {
				return
			}
			path := append(append(Path{}, n.Path()...), key)
			for _, p := range pairs {
				walk(p.Value)
				if p.Key == key {
					return
				}
			}
			e, err := d.Put(path, value)
			if err != nil {
				return
			}
			for _, p := range pairs {
				was, ok := p.Value.Text()
				m := e.Root().Find(p.Value.Path()...)
				if m == nil {
					t.Fatalf("%v is lost in %q", p.Value.Path(), e.Text())
				}
				if now, isText := m.Text(); now != was || ok != isText {
					t.Fatalf("%v was %q and is %q in %q", p.Value.Path(), was, now, e.Text())
				}
			}
		}
		walk(d.Root())
	})
}

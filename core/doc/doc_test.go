package doc

import (
	"strings"
	"sync"
	"testing"

	"tourmaline/core/source"
)

const example = `# été
tourmaline: 1   # the version

boxes:
  - name: "héros"   # ★ ★

    layers:
      - {color: auto scrim, note: 'it''s'}
      - position: auto   # let it find one
        css: |

          padding: 1px;

          margin: é 2px
`

func parse(t testing.TB, text string) *Doc {
	t.Helper()
	d, err := Parse(source.NewFile("p.yaml", text))
	if err != nil {
		t.Fatal(err)
	}
	return d
}

// One value changes, quotes come where they are needed, and every other byte stays.
func TestSetKeepsTheRest(t *testing.T) {
	for _, r := range []struct{ path, value, old, new string }{
		{"boxes/0/layers/1/position", "auto = 64% 58%", "position: auto ", "position: auto = 64% 58% "},
		{"boxes/0/layers/0/color", "auto scrim = rgb(0 0 0 / 41%)", "auto scrim", "auto scrim = rgb(0 0 0 / 41%)"},
		{"boxes/0/layers/0/color", "a, b", "auto scrim", `"a, b"`},
		{"boxes/0/layers/1/position", "a, b", "position: auto ", "position: a, b "},
		{"boxes/0/layers/1/position", "auto = #fff", "position: auto ", `position: "auto = #fff" `},
		{"boxes/0/layers/0/note", "that's", "'it''s'", "'that''s'"},
		{"boxes/0/name", `à "b" \`, `"héros"`, `"à \"b\" \\"`},
		{"tourmaline", "2", "tourmaline: 1", `tourmaline: "2"`},
	} {
		d, err := parse(t, example).Set(strings.Split(r.path, "/"), r.value)
		if err != nil {
			t.Errorf("%s: %v", r.path, err)
			continue
		}
		if want := strings.Replace(example, r.old, r.new, 1); d.Text() != want {
			t.Errorf("%s:\n got %s\nwant %s", r.path, d.Text(), want)
		}
		if got, _ := d.Root().Find(strings.Split(r.path, "/")...).Text(); got != r.value {
			t.Errorf("%s is read as %q, want %q", r.path, got, r.value)
		}
	}
}

func TestPlaces(t *testing.T) {
	d := parse(t, example)
	for path, want := range map[string]string{
		"boxes/0/name": "p.yaml:5:11", "boxes/0/layers/0/note": "p.yaml:8:35",
		"boxes/0/layers/1/position": "p.yaml:9:19", "boxes/0/layers/0": "p.yaml:8:10",
	} {
		if got := d.Root().Find(strings.Split(path, "/")...).Span.String(); got != want {
			t.Errorf("%s is at %s, want %s", path, got, want)
		}
	}
	f := d.Root().Find("boxes", "0", "layers", "1", "css").Fragment()
	at := strings.Index(f.Text, "2px")
	if got := f.Span(at, at+3); got.Text() != "2px" || got.String() != "p.yaml:14:21" {
		t.Errorf("2px is at %s: %q", got, got.Text())
	}
}

func TestErrors(t *testing.T) {
	for text, want := range map[string]string{
		"a: [\n":                   "p.yaml:",
		"a: *x\n":                  `p.yaml:1:4: "*x" is not an anchor that stands before it`,
		"a: 1\n---\nb: 2\n":        "p.yaml:3:",
		"a: {<<: {b: 1}}\n":        "merge keys (<<) are not used here",
		"a: !!str 3\n":             "YAML tags are not used here",
		strings.Repeat("a", 5<<20): "more than 1 MB",
	} {
		d, err := Parse(source.NewFile("p.yaml", text))
		if err == nil {
			var pairs []Pair
			if pairs, err = d.Root().Pairs(); err == nil && len(pairs) > 0 {
				_, err = pairs[0].Value.Pairs()
			}
		}
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%.20q: got %v, want %s", text, err, want)
		}
	}
	d := parse(t, example)
	for _, path := range []string{"boxes/0/layers/1/css", "boxes/0/layers", "boxes/7", "nothing"} {
		if _, err := d.Set(strings.Split(path, "/"), "x"); err == nil {
			t.Errorf("%s is written", path)
		}
	}
}

// Aliases lead to what they stand for, and writing there changes it for all.
func TestAliases(t *testing.T) {
	d := parse(t, "a: {deep: &x {color: red}}\nb: *x\n")
	d, err := d.Set(Path{"b", "color"}, "blue")
	if err != nil || d.Text() != "a: {deep: &x {color: blue}}\nb: *x\n" {
		t.Errorf("%v %s", err, d.Text())
	}
}

// Whatever is written is read again, and nothing else moves.
func FuzzSet(f *testing.F) {
	f.Add(example, "auto = 1, 2")
	f.Add("a: b\r\nc: [d, 'e', \"f\"]\r\n", "x # y")
	f.Add("a: b\n  c\nd: e\n", "- x")
	f.Fuzz(func(t *testing.T, text, value string) {
		if len(text) > 2000 || strings.ContainsAny(value, "\n\r\t\x00") || strings.ContainsFunc(value,
			func(r rune) bool {
				return r < ' ' || r == 0x7f || r == 0xfffd || r == 0x85 || r == 0x2028 || r == 0x2029 || r == 0xfeff
			}) {
			return
		}
		d, err := Parse(source.NewFile("p", text))
		if err != nil {
			return
		}
		leaves := 0
		var walk func(n *Node)
		walk = func(n *Node) {
			pairs, _ := n.Pairs()
			for _, p := range pairs {
				walk(p.Value)
			}
			items, _ := n.Items()
			for _, i := range items {
				walk(i)
			}
			if leaves++; n.Kind() != Scalar || leaves > 20 || len(n.Path()) == 0 {
				return
			}
			old, _ := n.Text()
			e, err := d.Set(n.Path(), value)
			if err != nil {
				return
			}
			if len(e.Text())-len(value) > len(text)+10+2*len(value) || len(e.Text()) < len(text)-len(n.Span.Text()) {
				t.Fatalf("%s: %q became %q: %q", n.Path(), old, value, e.Text())
			}
			if m := e.Root().Find(n.Path()...); m == nil {
				t.Fatalf("%s is lost in %q", n.Path(), e.Text())
			} else if got, _ := m.Text(); got != value {
				t.Fatalf("%s reads %q, want %q in %q", n.Path(), got, value, e.Text())
			}
		}
		walk(d.Root())
	})
}

// A document is walked as often as one likes, and by many at once: what bounds a walk is counted from its root.
func TestWalksAreCountedApart(t *testing.T) {
	d := parse(t, "a: &one [1, 2, 3]\nb: {c: *one}\n")
	var all sync.WaitGroup
	for range 4 {
		all.Go(func() {
			for n := range maxNodes / 6 { // each looks at six values or more
				at := d.Root().Find("b", "c", "2")
				if at == nil {
					t.Errorf("walk %d finds nothing", n)
					return
				}
				if text, _ := at.Text(); text != "3" {
					t.Errorf("walk %d finds %q", n, text)
					return
				}
			}
		})
	}
	all.Wait()
	root, left := d.Root(), maxNodes
	for ; root.Find("b", "c") != nil; left -= 3 {
		if left < 0 {
			t.Fatal("one walk without end")
		}
	}
}

package sheet

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"testing"
	"testing/fstest"

	"tourmaline/core/css"
	"tourmaline/core/cut"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/source"
	"tourmaline/core/window"
	"tourmaline/e2e/corpus"
)

// Whatever overlaps, the stylesheet says in every window what the resolver says: at the corners of all regions, where
// CSS itself reads it back, and at random windows.
func TestOverlappingRules(t *testing.T) {
	r := rand.New(rand.NewPCG(39, 2))
	n := 3000
	if testing.Short() {
		n = 300
	}
	refused := 0
	for i, text := range corpus.Overlaps(n, [2]int{320, 900}, [2]int{400, 900}) {
		p, err := plan.Parse("plan.yaml", []byte(text))
		if err != nil {
			t.Fatalf("%v\n%s", err, text)
		}
		s := sheets{p, nil, Options{Draft: func(s string) string { return "pictures/" + s }, Nesting: i%3 == 1,
			Minify: i%5 == 1, Properties: i%4 == 1}}
		var unsupported *source.UnsupportedError
		out, err := CSS(p, nil, s.opt)
		if errors.As(err, &unsupported) {
			refused++
			continue
		}
		if err != nil {
			t.Fatalf("%v\n%s", err, text)
		}
		if i%10 == 0 { // the same once more
			if again, err := CSS(p, nil, s.opt); err != nil || again != out {
				t.Fatalf("another stylesheet of the same plan: %v", err)
			}
		}
		randomWindows(t, s, r, 60, text)
		if t.Failed() {
			return
		}
	}
	if refused > n/3 {
		t.Errorf("%d of %d plans are refused", refused, n)
	}
}

// randomWindows compares a stylesheet with the resolver.
func randomWindows(t *testing.T, s sheets, r *rand.Rand, n int, text string) {
	t.Helper()
	groups, err := groupsOf(s.plan, s.ladders, s.opt)
	if err != nil {
		t.Fatal(err)
	}
	modes := (window.Touch | window.Dark | window.MoreContrast | window.ReducedMotion | window.ReducedData |
		window.ForcedColors | window.Print).Subsets()
	for _, g := range groups {
		if g.box == nil {
			continue
		}
		b := &readBox{sheets: s, box: g.box, ladders: s.laddersOf(g.box)}
		g.selector = ".box"
		page, err := b.page(print("", []group{g}, form{s.opt.Nesting, s.opt.Minify, s.opt.Layer}))
		if err != nil {
			t.Fatal(err)
		}
		for range n {
			between := func(ends [2]int) float64 { return float64(ends[0] + r.IntN(ends[1]-ends[0]+1)) }
			env := css.Env{Window: window.Window{Width: between(s.plan.Widths), Height: between(s.plan.Heights),
				Density: []float64{1, 2, 3}[r.IntN(3)], Modes: modes[r.IntN(len(modes))]}}
			if err := b.window(page, g.box.At(&env), env.Window); err != nil {
				t.Errorf("%v\n%s\n%s", err, text, print("", []group{g}, form{}))
				return
			}
		}
	}
}

// The files that are chosen by the size of the window, too.
func TestOverlappingFiles(t *testing.T) {
	r := rand.New(rand.NewPCG(39, 3))
	fsys := fstest.MapFS{}
	for name, data := range corpus.Pictures() {
		fsys[name] = &fstest.MapFile{Data: data}
	}
	store := picture.NewStore(fsys)
	for _, text := range corpus.Overlaps(80, [2]int{320, 420}, [2]int{400, 480}) {
		p, err := plan.Parse("plan.yaml", []byte(text))
		if err != nil {
			t.Fatal(err)
		}
		ladders, err := cut.Choose(t.Context(), p, store)
		if err != nil {
			t.Fatal(err)
		}
		for _, l := range ladders { // as if they were made
			for i, g := range l.Rungs {
				g.Files = []cut.Asset{{Name: fmt.Sprintf("b%d-%s-%d.jpg", l.Box.ID, css.Ident(l.Source), i),
					Format: picture.JPEG}}
			}
		}
		s := sheets{p, ladders, Options{Folder: "pictures/"}}
		var unsupported *source.UnsupportedError
		if _, err := CSS(p, ladders, s.opt); errors.As(err, &unsupported) {
			continue
		} else if err != nil {
			t.Fatalf("%v\n%s", err, text)
		}
		randomWindows(t, s, r, 100, text)
		if t.Failed() {
			return
		}
	}
}
